# as.data.frame() of every class that has a table is its tidy() as a data frame.

as_plain_table <- function(x, row.names = NULL, optional = FALSE, ...) {
  as.data.frame(tidy(x, ...), row.names = row.names, optional = optional)
}

#' @export
as.data.frame.tide_change <- as_plain_table

#' @export
as.data.frame.tide_check <- as_plain_table

#' @export
as.data.frame.tide_comparison <- as_plain_table

#' @export
as.data.frame.tide_curve <- as_plain_table

#' @export
as.data.frame.tide_data <- as_plain_table

#' @export
as.data.frame.tide_events <- as_plain_table

#' @export
as.data.frame.tide_facts <- as_plain_table

#' @export
as.data.frame.tide_findings <- as_plain_table

#' @export
as.data.frame.tide_inventory <- as_plain_table

#' @export
as.data.frame.tide_follow <- as_plain_table

#' @export
as.data.frame.tide_summary <- as_plain_table

#' @export
as.data.frame.tide_pages <- as_plain_table

#' @export
as.data.frame.tide_results_pages <- as_plain_table

#' @export
as.data.frame.tide_watched <- as_plain_table

#' @export
as.data.frame.tide_trace <- as_plain_table
