# Where rows with queries come from: tables in memory, an archive, a large file, a database. One
# interface, so that nothing after it knows which it was; another source is another function that
# gives new_source().

# table: list(dimensions, from, to, days, each, rests_on). chunks: functions of the first day needed
# (or NULL) that give rows. totals: data with the tables that have no queries; grains: of all
# tables; left_out: called when the rows were gone through.
# Where rows can be had in another way:
# - held: whether the rows stay in memory, in one chunk;
# - levels: texts of `query` and `page` that all chunks share;
# - sum_up(recent_from, split): what sum_chunks() gives, or NULL for going through the chunks; with
#   `samples`, a function of the reduction, in the place of blend and course;
# - sum_parts(dimension, reduced, recent_from): cells by the texts of a dimension, in codes of the
#   reduction, as parts_of_chunks() gives them;
# - of_queries(reduced, codes, from), of_days(days): chunks that hold all rows of some queries from
#   a day on, of some days.
new_source <- function(table, chunks, totals, grains, left_out, if_empty = function() NULL,
    held = FALSE, levels = list(), sum_up = NULL, sum_parts = NULL,
    of_queries = function(reduced, codes, from) chunks, of_days = function(days) chunks) {
  as.list(environment())
}

rows_source <- function(data) {
  if (inherits(data, "tide_months")) return(archive_source(data))
  if (inherits(data, "tide_blocks")) return(blocks_source(data))
  tbl <- query_table(data)
  new_source(tbl, list(function(from = NULL) tbl$rows), totals = data,
    grains = names(data$tables), left_out = function() data$left_out, held = TRUE)
}

# The table with queries, and with pages where there is one.
query_table <- function(data) {
  tbl <- pick_table(data, c("query", "page"))
  if (is.null(tbl)) tbl <- pick_table(data, "query")
  if (is.null(tbl)) abort_no_queries(data)
  tbl
}

abort_no_queries <- function(data) {
  check_days_were_there(data, "query")
  abort_tide("No table has queries, and findings are about queries.",
    where = tables_read(data),
    fix = "Export a table by query, or better by query and page.", class = "grain")
}
