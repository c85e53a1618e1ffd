# Rows that live in a database: generated inside each engine, then the summary and the list, with
# R's peak memory. Servers are those of the caller.
#   R_LIBS=.build/drivers:.build/library Rscript bench/sources.R clickhouse PORT ROWS [PORT2]
#   R_LIBS=.build/library Rscript bench/sources.R postgres SOCKET_DIR ROWS
# With PORT2 a second server holds half of the rows and one distributed table asks both.
args <- commandArgs(TRUE)
engine <- args[1]
rows <- as.numeric(args[3])
ports <- if (engine == "clickhouse") as.integer(args[c(2, 4)[seq_len(1 + (length(args) > 3))]])
# 480 days, so many queries that the pairs are a hundredth of the rows; small numbers are common.
days <- 480
queries <- rows / 130
connect <- function(k = 1) {
  switch(engine,
    clickhouse = DBI::dbConnect(RClickhouse::clickhouse(), host = "127.0.0.1", port = ports[k]),
    postgres = DBI::dbConnect(RPostgreSQL::PostgreSQL(), host = args[2], dbname = "postgres",
      user = "reader"))
}
# number: 0 to rows - 1. A cheap hash stands for chance, so that each engine makes the same kind.
generate <- list(
  clickhouse = "INSERT INTO made_rows SELECT toDate('2025-06-01') + (number %% %1$d),
    concat('heirloom seeds variety ', toString(q)),
    concat('https://www.fernmoor.example/shop/item-', toString(intDiv(q, 3)), '/'),
    if(number %% 3 = 0, 'desktop', 'mobile'),
    toUInt32(if(cityHash64(number, 2) %% 100 < 30 / p, 1, 0)),
    toUInt32(1 + cityHash64(number, 3) %% 5),
    p FROM (SELECT number,
      toUInt32(exp(cityHash64(number) %% 1000003 / 1000003 * log(%2$.0f))) AS q,
      1 + cityHash64(q) %% 30 + (cityHash64(number, 4) %% 100) / 50 AS p
      FROM system.numbers LIMIT %3$.0f)",
  postgres = "INSERT INTO made_rows SELECT date '2025-06-01' + (number %% %1$d)::int,
    'heirloom seeds variety ' || q, 'https://www.fernmoor.example/shop/item-' || q / 3 || '/',
    CASE WHEN number %% 3 = 0 THEN 'desktop' ELSE 'mobile' END,
    CASE WHEN random() * 100 < 30 / p THEN 1 ELSE 0 END, 1 + (random() * 4)::int, p
    FROM (SELECT number, q, 1 + abs(hashint8(q)) %% 30 + random() * 2 AS p FROM (SELECT number,
      exp(random() * ln(%2$.0f))::bigint AS q FROM generate_series(0, %3$.0f - 1) AS number) AS a)
    AS b")
columns <- c(clickhouse = "date Date, query String, page String, device String, clicks UInt32,
  impressions UInt32, position Float64", postgres = "date date, query text, page text, device text,
  clicks integer, impressions integer, position double precision")
table <- if (length(ports) > 1 && engine == "clickhouse") "all_rows" else "made_rows"
for (k in seq_along(if (engine == "clickhouse") ports else 1)) {
  con <- connect(k)
  DBI::dbExecute(con, "DROP TABLE IF EXISTS made_rows")
  DBI::dbExecute(con, sprintf("CREATE TABLE made_rows (%s)%s", columns[[engine]],
    if (engine == "clickhouse") {
      " ENGINE = MergeTree() PARTITION BY toYYYYMM(date) ORDER BY (date, query)"
    } else {
      ""
    }))
  shards <- if (engine == "clickhouse") length(ports) else 1
  invisible(DBI::dbExecute(con, sprintf(generate[[engine]], days, queries, rows / shards)))
  DBI::dbDisconnect(con)
}
con <- connect()
if (table == "all_rows") {
  DBI::dbExecute(con, "DROP TABLE IF EXISTS all_rows")
  DBI::dbExecute(con, sprintf("CREATE TABLE all_rows (%s) ENGINE = Distributed(two, default,
    made_rows, rand())", columns[[engine]]))
}
library(inktide)
seconds <- function(work) {
  taken <- system.time(force(work))
  c(wall = taken[["elapsed"]], own = taken[["user.self"]] + taken[["sys.self"]])
}
# What the database takes for the largest of the questions alone.
engine_time <- seconds(DBI::dbGetQuery(con, sprintf("SELECT count(*) AS many FROM (SELECT query,
  page, count(*) AS n FROM %s GROUP BY query, page) AS a", table)))
summing <- seconds(summary <- tide_summary(tide_stored(tide_source(con, table), by_month = TRUE)))
listing <- seconds(found <- tide_find(summary))
peak <- as.numeric(gsub("[^0-9]", "", grep("VmHWM", readLines("/proc/self/status"), value = TRUE)))
cat(sprintf(paste("%s %.0f rows, %d pairs: one sum in the engine %.1f s; summary %.1f s (R itself",
  "%.1f s); list %.1f s; R's peak %.0f MB\n"), engine, rows, nrow(summary$cells[, .N,
  by = c("query", "page")]), engine_time[["wall"]], summing[["wall"]], summing[["own"]],
  listing[["wall"]], peak / 1024))
