# inktide value: clicks, conversions and money, had, missed and promised.

command_value <- function(shared) {
  list(
    job = "conversions and money: had, missed, promised",
    files = "[FILE...]",
    example = "inktide value --by folder --facts page-values.csv",
    options = c(shared, list(
      choice_option("--by", "WHAT", c("site", "folder", "page", "query"),
        "site, folder, page or query [page]", "page"),
      top_option())),
    run = run_value)
}

run_value <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  input <- resolve_input(options, files)
  findings <- kept_find_input(options, input)
  rows <- setDT(as.data.frame(tide_value(findings, options$by, input$settings$rules)))
  cli_result(options, rows,
    value_lines(rows, options$by, options$top, first_given(input$settings$currency, ""),
      terminal_width()))
}

value_lines <- function(rows, by, top, currency, width) {
  shown <- utils::head(rows, top)
  # In money where it is known, else in conversions.
  money <- !is.null(rows[["value"]])
  amount <- function(x) ifelse(is.na(x), "", if (money) format_count(x) else format_clicks(x))
  counted <- function(x) ifelse(is.na(x), "", format_clicks(x))
  amounts <- function(part) amount(shown[[paste0(part, if (money) "_value" else "_conversions")]])
  figures <- cbind(format_count(shown$clicks), counted(shown$conversions),
    ifelse(is.na(shown$conversions), "",
      sprintf("%s to %s", counted(shown$conversions_low), counted(shown$conversions_high))),
    if (money) amount(shown$value), amounts("missed"), amounts("gain"), format_share(shown$covered))
  heading <-
    c("clicks", "conversions", "90 % interval", if (money) "value", "missed", "gain", "covered")
  name_texts <- if (by == "query") shown$name else format_path(shown$name)
  free <- name_width(name_texts, width - columns_width(heading, figures), least = 12)
  fit <- if (by == "query") fit_text else fit_path
  unit <- if (!money) "conversions" else if (nzchar(currency)) currency else "money"
  c(
    column_lines(c("", heading), cbind(fit(name_texts, free), figures)),
    if (nrow(rows) > nrow(shown)) {
      sprintf("... and %s more", format_count(nrow(rows) - nrow(shown)))
    },
    "",
    wrap_lines(sprintf(paste("Per 30 days. missed: expected on the curve less had, gain: of",
      "the list, both in %s; covered: share of clicks on pages whose rate is known. Few",
      "conversions lean on folder and site."),
      unit),
      width))
}
