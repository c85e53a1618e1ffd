#' Write the report
#'
#' One HTML file that holds everything, opens from disk and needs no network. It opens with what
#' happened, four figures with their course, clicks by day and the first five tasks; then stand
#' what changed, the ranked list (sorts, searches, expands to the evidence and to the query's
#' pages) and how it was made. Behind one fold each: the same by page, watched queries, time,
#' totals, the curve, parts side by side, the months ahead, what the site's own pages say where
#' [tide_find()] was given them, all queries, what was read and left out, what the figures mean.
#'
#' It can be read on a phone, with a keyboard and without scripts. On paper stands what is not
#' folded, with the evidence of the first five tasks.
#'
#' @param findings A `tide_findings` object.
#' @param file Path to write to. The file is written whole or not at all.
#' @param title Title of the report.
#' @param site A [tide_trace()] of the whole site (`"/*"`), for the count of ranking queries by
#'   week; `NULL` leaves it out.
#' @param moves What [tide_compare()] tells of pages, for the part "what changed"; `NULL` leaves it
#'   out.
#' @param followed What [tide_follow()] tells, for events on the trend and the part "over time";
#'   `NULL` leaves it out.
#' @param inventory A [tide_inventory()] of queries, for a table of all of them; `NULL` leaves it
#' out.
#' @param parts A list of [tide_compare()]s of parts side by side (devices, countries, rich
#'   results).
#' @param forecast A [tide_forecast()] of the whole site; `NULL` leaves it out.
#' @param watched What [tide_watched()] tells; `NULL` leaves it out.
#' @param chosen What was chosen of the data, in words, such as `"device mobile"`; said at the head.
#' @param reader Who it is for: `"analyst"`, everything; `"client"`, what happened, what is to be
#'   done first, what changed and what to expect; `"writer"`, what to do page by page, with the
#'   reasons.
#' @param letterhead A list with any of `name` (of who hands it over), `logo` (path of a PNG, JPEG
#'   or SVG file of at most 500 kB), `colour` (`"#1f4e79"`, dark enough to be read on white) and
#'   `note` (what stands at the end).
#' @return `file`, invisibly.
#' @section Errors: `tide_error_write` where the file cannot be written; `tide_error_argument`.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' file <- tide_report(found, tempfile(fileext = ".html"), title = "Fernmoor Seeds")
#' @export
tide_report <- function(findings, file, title = "Ink Tide report", site = NULL, moves = NULL,
    followed = NULL, inventory = NULL, parts = list(), watched = NULL, forecast = NULL,
    chosen = character(), reader = "analyst", letterhead = list()) {
  check_class(findings, "tide_findings", "findings")
  check_report_path(file)
  check_text(title, "title")
  if (length(chosen)) check_text(chosen, "chosen", many = TRUE)
  if (!is.null(moves)) check_class(moves, "tide_change", "moves")
  if (!is.null(followed)) check_class(followed, "tide_follow", "followed")
  if (!is.null(site)) check_class(site, "tide_trace", "site")
  if (!is.null(inventory)) {
    check_class(inventory, "tide_inventory", "inventory")
    if (inventory$by != "query") abort_argument("inventory", "an inventory by query", inventory$by)
  }
  if (!is.null(watched)) check_class(watched, "tide_watched", "watched")
  if (!is.null(forecast)) check_class(forecast, "tide_forecast", "forecast")
  for (one in parts) check_class(one, "tide_comparison", "parts")
  reader <- check_choice(reader, names(report_readers), "reader")
  letterhead <- read_letterhead(letterhead)
  part <- function(name) file_text(system.file("report", name, package = "inktide"))
  any_found <- nrow(findings$findings) > 0
  # Made only where the reader is given it.
  html_of <- list(
    moved = function() if (!is.null(moves)) report_moves(moves),
    findings = function() if (any_found) report_findings(findings),
    made = function() report_made(findings),
    `by-page` = function() {
      if (any_found) pages_table(tide_group(findings), in_sentences(findings), findings$summary)
    },
    checklist = function() if (any_found) report_checklist(findings),
    watched = function() if (!is.null(watched)) report_watched(watched),
    time = function() if (!is.null(followed)) report_time(followed),
    totals = function() report_totals(findings$summary, site, followed$events),
    curve = function() report_curve(findings$curve),
    parts = function() if (length(parts)) report_parts(parts),
    forecast = function() if (!is.null(forecast)) report_forecast(forecast),
    pages = function() if (!is.null(findings$site_pages)) report_pages(findings),
    inventory = function() if (!is.null(inventory)) report_inventory(inventory),
    read = function() report_read(findings$summary, findings$outside),
    meaning = report_meaning)
  # Drawn first, so that what draws is loaded before the work is divided.
  opening <- report_first(findings, moves, followed, reader)
  inside <- apply_forked(html_of[report_readers[[reader]]], function(make) make())
  inside <- Filter(Negate(is.null), inside)
  html <- c("<!doctype html>", "<html lang='en'><head><meta charset='utf-8'>",
    "<meta name='viewport' content='width=device-width, initial-scale=1'>",
    sprintf("<title>%s</title><style>%s%s</style></head><body>", escape(title), part("style.css"),
      letterhead_style(letterhead, title, findings$summary)),
    report_head(findings$summary, title, chosen, letterhead),
    "<main>", opening, report_nav(names(inside)),
    unlist(Map(report_section, names(inside), inside)),
    "</main>",
    if (!is.null(letterhead$note)) sprintf("<footer>%s</footer>", escape(letterhead$note)),
    sprintf("<script>%s</script></body></html>", part("script.js")))
  # Figures hold texts, too.
  write_whole(file,
    function(path) write_lines(visible_text(gsub("\t", " ", html, fixed = TRUE)), path))
}

check_report_path <- function(file) {
  check_text(file, "file")
  if (!tolower(tools::file_ext(file)) %in% c("", "html", "htm", "xhtml")) {
    abort_argument("file", "a path that ends in .html", file)
  }
}

# Figures as files and as pictures inside the report.

# Width and height in inches.
save_figure <- function(figure, file, width = 9, height = 5.5) {
  # What cannot be drawn says so itself.
  force(figure)
  write_whole(file, function(path) {
    if (grepl("\\.svg$", file)) {
      svglite::svglite(path, width = width, height = height)
    } else {
      grDevices::png(path, width = width, height = height, units = "in", res = 144, type = "cairo")
    }
    tryCatch(print(figure), finally = grDevices::dev.off())
    finish_figure(path, svg = grepl("\\.svg$", file))
  })
}

# Devices do not say where a disk ran full: a figure that is whole ends as its format does. Signs
# that XML does not allow are shown.
finish_figure <- function(path, svg) {
  whole <- if (!file.exists(path)) {
    FALSE
  } else if (svg) {
    any(grepl("</svg>", readLines(path, warn = FALSE), fixed = TRUE))
  } else {
    identical(file_bytes(path, max(0, file.size(path) - 8), 4), charToRaw("IEND"))
  }
  if (!whole) stop("there is no room left", call. = FALSE)
  if (svg) write_lines(visible_text(readLines(path, encoding = "UTF-8", warn = FALSE)), path)
}

# A figure with a text alternative, drawn once more for narrow screens, where letters would shrink.
inline_svg <- function(figure, label, width = 9, height = 5) {
  # Worked out once for both, on the first one's device.
  shapes <- NULL
  shapes_of <- function() if (is.null(shapes)) shapes <<- ggplot2::ggplotGrob(figure) else shapes
  sprintf("<figure><div class='broad'>%s</div><div class='narrow'>%s</div></figure>",
    drawn_svg(shapes_of, label, width, height), drawn_svg(shapes_of, label, 4.6, min(4.6, height)))
}

# Words above and below a figure, broken where it is narrower than they are.
titles_within <- function(shapes, width) {
  for (part in c("title", "subtitle", "caption")) {
    at <- which(shapes$layout$name == part)
    text <- unlist(lapply(shapes$grobs[[at]]$children, `[[`, "label"))
    if (is.null(text)) next
    own <- strsplit(text, "\n", fixed = TRUE)[[1]]
    # A letter is about half as wide as it is high.
    lines <- unlist(lapply(own, strwrap, width = width * 72 / (0.5 * tide_theme()$text$size)))
    if (length(lines) == length(own)) next
    shapes$grobs[[at]] <- ggplot2::element_render(tide_theme(), paste0("plot.", part),
      paste(lines, collapse = "\n"), margin_y = TRUE)
    shapes$heights[shapes$layout$t[at]] <- grid::grobHeight(shapes$grobs[[at]])
  }
  shapes
}

drawn_svg <- function(shapes_of, label, width, height) {
  device <- svglite::svgstring(width = width, height = height, standalone = FALSE)
  tryCatch(grid::grid.draw(titles_within(shapes_of(), width)), finally = grDevices::dev.off())
  svg <- as.character(device())
  # Each figure gets names of its own for clips, since all share one page.
  mark <- sprintf("%08x", digest::digest2int(paste(label, width)))
  svg <- gsub("cp([A-Za-z0-9+/=|]+)", paste0("cp", mark, "\\1"), svg)
  svg <- sub("<svg ",
    sprintf("<svg role='img' aria-label='%s' ", htmltools::htmlEscape(label, attribute = TRUE)),
    svg)
  styled_once(svg, mark)
}

# Looks that many marks of a figure share are written once.
styled_once <- function(svg, mark, least = 4) {
  styles <- table(unlist(regmatches(svg, gregexpr("style='[^']*'", svg))))
  styles <- names(styles)[styles >= least]
  if (!length(styles)) return(svg)
  name_texts <- sprintf("g%s%d", mark, seq_along(styles))
  for (i in seq_along(styles)) {
    svg <- gsub(styles[i], sprintf("class='%s'", name_texts[i]), svg, fixed = TRUE)
  }
  # As strong as the figure's own rules.
  rules <- sprintf(".svglite .%s{%s}", name_texts, sub("^style='(.*)'$", "\\1", styles))
  sub(">", paste0("><style>", paste(rules, collapse = ""), "</style>"), svg, fixed = TRUE)
}

# A small line of values by week; a missing week is a gap. The last value is marked.
spark_svg <- function(values, label) {
  if (sum(!is.na(values)) < 2) return("")
  x <- round(seq(2, 78, length.out = length(values)), 1)
  y <- round(18 - 15 * values / max(values, 1, na.rm = TRUE), 1)
  known <- !is.na(values)
  runs <- split(which(known), cumsum(!known)[known])
  lines <- vapply(runs, function(run) sprintf("M%s", paste(x[run], y[run], collapse = "L")), "")
  last <- max(which(known))
  sprintf(paste("<svg class='spark' viewBox='0 0 84 20' role='img' aria-label='%s'><path",
    "d='%s'/><circle cx='%s' cy='%s' r='1.8'/></svg>"),
    htmltools::htmlEscape(label, attribute = TRUE), paste(lines, collapse = ""), x[last], y[last])
}
