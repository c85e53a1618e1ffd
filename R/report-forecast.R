# What the report says of the months ahead.

report_forecast <- function(forecast) {
  if (is.null(forecast)) return("")
  months <- forecast$months
  planned <- !is.null(months[["plan"]])
  rows <- data.table(
    Month = format_month(months$month),
    `If nothing is changed` = format_count(months$baseline),
    `80 % range` = sprintf("%s to %s", format_count(months$baseline_low),
      format_count(months$baseline_high)))
  if (planned) {
    rows <- data.table(
      rows,
      Added = paste0("+", format_count(months$added)),
      Total = format_count(months$total),
      `Range of the total` = sprintf("%s to %s", format_count(months$total_low),
        format_count(months$total_high)))
  }
  paste0("<section id='forecast'><h2>What to expect</h2><p>", escape(forecast_sentence(forecast)),
    "</p>", inline_svg(ggplot2::autoplot(forecast), forecast_sentence(forecast), height = 4.5),
    plain_table(rows, setdiff(names(rows), "Month")),
    paste0("<p class='soft'>", escape(forecast_notes(forecast)), "</p>", collapse = ""),
    "</section>")
}

# The whole of it against the same months a year before.
forecast_sentence <- function(forecast) {
  months <- forecast$months
  ahead <- unique(months$month)
  known <- forecast$history$months
  year <- known$value[match(month_number(ahead) - 12L, month_number(known$month))]
  sum_of <- function(column) sum(months[[column]])
  first <- sprintf("%s to %s: about %s %s if nothing is changed", format_month(min(ahead)),
    format_month(max(ahead)), format_count(sum_of("baseline")), forecast$history$of)
  paste0(first, if (!anyNA(year)) {
    sprintf(", %s against the same months a year before",
      percent_change(sum_of("baseline") / sum(year)))
  },
    if (!is.null(months[["added"]])) {
      sprintf("; the plan adds about %s", format_count(sum_of("added")))
    },
    ".")
}
