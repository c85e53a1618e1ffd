# The inventory of queries in the report: sorts, searches, opens to where and since when.

report_inventory <- function(inventory, most = 100) {
  at <- utils::head(inventory$rows, most)
  weekly <- if (!is.null(inventory$weekly)) as.matrix(utils::head(inventory$weekly, most))
  spark <- if (is.null(weekly)) {
    rep("", nrow(at))
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
    structure(column_cells("change", change), sign = sign(fcoalesce(change, 0)))
  })
  columns <- c(
    shown_columns(at, c("query", "weeks"),
      text = list(query = as_html(expanders(at$query)), weeks = as_html(spark))),
    shown_columns(at, c("clicks", "impressions", "ctr", "expected_ctr", "position", "band",
      "intent",
      "segment")),
    stats::setNames(changes, sprintf("%d days", windows)),
    if (!is.null(searches)) list(Searches = as_html(searches)))
  seen <- if (is.null(at[["first"]])) "" else sprintf("seen %s", format_days(at$first, at$last))
  page_at <- if (is.null(at[["page"]])) {
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
  paste0("<p class='soft'>", total, "</p>",
    sortable_table("queries", paste0("By clicks. Press a query for its page and days.",
      if (length(windows)) " Days: change of clicks against as many days before."),
      columns, paste0("<p class='soft'>", page_at, seen, "</p>"), wide = "query"))
}
