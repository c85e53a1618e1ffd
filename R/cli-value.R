# inktide value: clicks, conversions and money, had, missed and promised.

command_value <- function(shared) {
  list(
    job = "conversions and money: had, missed, promised",
    files = "[FILE...]",
    example = c("inktide value --by folder --facts page-values.csv",
      "inktide value --sort lost --target 3 --facts page-values.csv",
      "inktide value --by site --facts page-values.csv"),
    options = c(shared, lost_options(), list(
      choice_option("--by", "WHAT", c("site", "folder", "page", "query"),
        "site, folder, page or query [page]", "page"),
      choice_option("--sort", "COLUMN", c("value", "lost", "missed", "gain", "clicks"),
        "value, lost, missed, gain or clicks, largest first [value]", "value"),
      legend_option(),
      top_option())),
    run = run_value)
}

run_value <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  input <- resolve_input(options, files)
  # The place of what is lost is not that of a step, the order not that of the list.
  findings <- month_findings(replace(options, c("target", "sort"), list(NULL)), input)
  of <- if (options$by == "site") "query" else options$by
  listed <- tide_inventory(listed_input(replace(options, "by", list(of)), input, NULL,
    findings$curve)$data, by = of, curve = findings$curve,
    rules = input$settings$rules, target = options$target, ctr = options$target_ctr)
  rows <- setDT(as.data.frame(tide_value(findings, options$by, input$settings$rules, listed)))
  rows <- value_order(rows, options$sort)
  width <- terminal_width()
  cli_result(options, rows, c(
    wrap_lines(sprintf("Per 30 days, from %s; lost: against %s", lower_first(window_words(
      findings$summary)), target_words(listed)), width), "",
    value_lines(rows, options$by, options$top, width),
    if (options$legend) {
      c("", wrap_lines(value_legend(rows, first_given(input$settings$currency, "")), width))
    }))
  remark_next(options, "inktide find --sort value", "--legend (the columns)")
}

# Money where it is known, else conversions, else clicks.
value_order <- function(rows, sort) {
  of <- switch(sort, clicks = "clicks", value = c("value", "conversions"),
    missed = c("missed_value", "missed_conversions"), paste0(sort, c("_value", "_conversions")))
  rows[order(-fcoalesce(rows[[intersect(of, names(rows))[1]]], -Inf), -rows$clicks)]
}

value_lines <- function(rows, by, top, width) {
  shown <- utils::head(rows, top)
  # In money where it is known, else in conversions.
  money <- !is.null(rows[["value"]])
  amount <- function(x) ifelse(is.na(x), "", if (money) format_count(x) else format_clicks(x))
  counted <- function(x) ifelse(is.na(x), "", format_clicks(x))
  amounts <- function(part) amount(shown[[paste0(part, if (money) "_value" else "_conversions")]])
  figures <- cbind(format_count(shown$clicks), counted(shown$conversions),
    if (money) amount(shown$value), amounts("missed"), format_clicks(shown$lost), amounts("lost"),
    amounts("gain"), format_share(shown$covered))
  heading <- c("clicks", "conv.", if (money) "value", "missed", "lost clicks", "lost", "gain",
    "covered")
  name_texts <- if (by == "query") shown$name else format_path(shown$name)
  free <- name_width(name_texts, width - columns_width(heading, figures), least = 12)
  fit <- if (by == "query") fit_text else fit_path
  c(
    column_lines(c("", heading), cbind(fit(name_texts, free), figures)),
    if (nrow(rows) > nrow(shown)) {
      sprintf("... and %s more", format_count(nrow(rows) - nrow(shown)))
    })
}

value_legend <- function(rows, currency) {
  unit <- if (is.null(rows[["value"]])) {
    "conversions"
  } else if (nzchar(currency)) {
    currency
  } else {
    "money"
  }
  c(
    sprintf(paste("missed: expected on the curve less had; lost: what the place would bring less",
      "had; gain: of the list; all in %s."), unit),
    "covered: share of clicks on pages whose rate is known.",
    "Few conversions lean on folder and site.")
}
