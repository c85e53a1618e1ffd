# Every class prints the lines of its format().

print_formatted <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @export
print.tide_check <- print_formatted

#' @export
print.tide_comparison <- print_formatted

#' @export
print.tide_curve <- print_formatted

#' @export
print.tide_curve_check <- print_formatted

#' @export
print.tide_data <- print_formatted

#' @export
print.tide_events <- print_formatted

#' @export
print.tide_explained <- print_formatted

#' @export
print.tide_facts <- print_formatted

#' @export
print.tide_findings <- print_formatted

#' @export
print.tide_follow <- print_formatted

#' @export
print.tide_init <- print_formatted

#' @export
print.tide_inventory <- print_formatted

#' @export
print.tide_load <- print_formatted

#' @export
print.tide_months <- print_formatted

#' @export
print.tide_blocks <- print_formatted

#' @export
print.tide_source <- print_formatted

#' @export
print.tide_explorer <- print_formatted

#' @export
print.tide_view <- print_formatted

#' @export
print.tide_change <- print_formatted

#' @export
print.tide_rules <- print_formatted

#' @export
print.tide_segment <- print_formatted

#' @export
print.tide_store <- print_formatted

#' @export
print.tide_summary <- print_formatted

#' @export
print.tide_trace <- print_formatted

# Lines for a person to read, in R.
print_lines <- function(lines) cat(visible_text(lines), sep = "\n")

#' @export
print.tide_pages <- print_formatted

#' @export
print.tide_results_pages <- print_formatted

#' @export
print.tide_watched <- print_formatted

#' @export
print.tide_forecast <- print_formatted

#' @export
print.tide_history <- print_formatted

#' @export
print.tide_plan <- print_formatted

#' @export
print.tide_review <- print_formatted

#' @export
print.tide_words <- print_formatted
