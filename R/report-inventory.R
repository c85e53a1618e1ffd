# The inventory of queries in the report: sorts, searches, opens to where and since when.

report_inventory <- function(inventory, most = 100) {
  if (is.null(inventory)) return("")
  at <- utils::head(inventory$rows, most)
  weekly <- if (!is.null(inventory$weekly)) as.matrix(utils::head(inventory$weekly, most))
  spark <- if (is.null(weekly)) {
    ""
  } else {
    vapply(seq_len(nrow(at)), function(i) {
      spark_svg(weekly[i, ],
        sprintf("Clicks by week: %s", paste(format_count(weekly[i, ]), collapse = ", ")))
    }, "")
  }
  searches <- if (is.null(at[["trend"]])) {
    NULL
  } else {
    vapply(strsplit(fcoalesce(at$trend, ""), " "), function(values) {
      spark_svg(as.numeric(values),
        sprintf("Searches by month: %s", paste(values, collapse = ", ")))
    }, "")
  }
  windows <- inventory$windows
  changes <- lapply(windows, function(days) {
    change <- at[[paste0("change_", days)]]
    cell(signed_count(change), ifelse(change > 0, "n up", ifelse(change < 0, "n down", "n")))
  })
  rows <- paste0(cell(
    sprintf("<button type='button' aria-expanded='false'>%s</button>", escape(at$query)), "wide"),
    cell(spark), cell(format_count(at$clicks), "n"),
    cell(format_count(at$impressions), "n"),
    cell(format_rate(at$ctr), "n"),
    cell(format_rate(at$expected_ctr), "n"),
    cell(format_position(at$position), "n"), cell(at$band),
    cell(at$intent), cell(at$segment), do.call(paste0, c(changes, "")),
    if (!is.null(searches)) cell(searches))
  seen <- if (is.null(at[["first"]])) "" else sprintf("seen %s", format_days(at$first, at$last))
  page <- if (is.null(at[["page"]])) {
    ""
  } else {
    sprintf("leading page %s of %s; ", escape(format_path(at$page)), format_count(at$pages))
  }
  total <- sprintf("%s queries, %s: %s clicks, %s impressions%s. %s",
    format_count(nrow(inventory$rows)),
    if (is.na(inventory$to)) "no dates" else format_days(inventory$from, inventory$to),
    format_count(inventory$total$clicks), format_count(inventory$total$impressions),
    if (is.na(inventory$coverage)) {
      ""
    } else {
      sprintf(", %s of the site's clicks", format_share(inventory$coverage))
    },
    if (nrow(inventory$rows) > most) {
      sprintf("Here the %s with the most clicks.", format_count(most))
    } else {
      ""
    })
  paste0("<section id='inventory'><h2>All queries</h2><p class='soft'>", total, "</p>",
    sortable_table("queries", paste0("By clicks. Press a query for its page and days.",
      if (length(windows)) " Days: change of clicks against as many days before."),
      c(Query = "", `By week` = "", Clicks = "n", Impressions = "n", CTR = "n", Expected = "n",
        Position = "n", Band = "", Intent = "", Segment = "",
        stats::setNames(rep("n", length(windows)), sprintf("%d days", windows)),
        if (!is.null(searches)) c(Searches = "")),
      rows, paste0("<p class='soft'>", page, seen, "</p>"), "", character()),
    "</section>")
}
