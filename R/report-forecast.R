# What the report says of the months ahead.

report_forecast <- function(forecast) {
  month_rows <- forecast$months
  planned <- !is.null(month_rows[["plan"]])
  make_range <- function(of) {
    sprintf("%s to %s", format_count(month_rows[[paste0(of, "_low")]]),
      format_count(month_rows[[paste0(of, "_high")]]))
  }
  columns <- shown_columns(month_rows, c("month", "baseline", "baseline_range",
    if (planned) c("added", "total", "total_range")),
    text = list(baseline_range = make_range("baseline"),
      total_range = if (planned) make_range("total")))
  paste0("<p>", escape(forecast_sentence(forecast)),
    "</p>", inline_svg(ggplot2::autoplot(forecast), forecast_sentence(forecast), height = 4.5),
    html_table(columns),
    paste0("<p class='soft'>", escape(forecast_notes(forecast)), "</p>", collapse = ""))
}

# The whole of it against the same months a year before.
forecast_sentence <- function(forecast) {
  month_rows <- forecast$months
  ahead <- unique(month_rows$month)
  known <- forecast$history$months
  year <- known$value[match(month_number(ahead) - 12L, month_number(known$month))]
  sum_of <- function(column) sum(month_rows[[column]])
  first <- sprintf("%s to %s: about %s %s if nothing is changed", format_month(min(ahead)),
    format_month(max(ahead)), format_count(sum_of("baseline")), forecast$history$of)
  paste0(first, if (!anyNA(year)) {
    sprintf(", %s against the same months a year before",
      percent_change(sum_of("baseline") / sum(year)))
  },
    if (!is.null(month_rows[["added"]])) {
      sprintf("; the plan adds about %s", format_count(sum_of("added")))
    },
    ".")
}
