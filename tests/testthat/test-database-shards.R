# ClickHouse, two servers that share one table: as PostgreSQL, where server and driver are
# installed. The driver wants newer packages than ours, so everything that uses it is a process of
# its own.

clickhouse_config <- function(dir, ports, own) {
  shard <- function(port) {
    sprintf("<shard><replica><host>127.0.0.1</host><port>%d</port></replica></shard>", port)
  }
  writeLines(c("<yandex>",
    sprintf("<logger><level>warning</level><log>%s/log</log><errorlog>%s/err</errorlog></logger>",
      dir, dir),
    sprintf("<tcp_port>%d</tcp_port><listen_host>127.0.0.1</listen_host>", own),
    sprintf("<path>%s/data/</path><tmp_path>%s/tmp/</tmp_path>", dir, dir),
    sprintf("<format_schema_path>%s/data/</format_schema_path>", dir),
    "<users_config>users.xml</users_config><default_profile>default</default_profile>",
    "<default_database>default</default_database><mark_cache_size>50000000</mark_cache_size>",
    "<timezone>UTC</timezone><remote_servers><two>", shard(ports[1]), shard(ports[2]),
    "</two></remote_servers>", "</yandex>"),
    file.path(dir, "config.xml"))
  writeLines(c("<yandex><profiles><default></default></profiles><quotas><default/></quotas>",
    "<users><default><password></password><networks><ip>127.0.0.1</ip></networks>",
    "<profile>default</profile><quota>default</quota></default></users></yandex>"),
    file.path(dir, "users.xml"))
}

# Out: the ports of two servers that know of each other, and what both have written to their logs.
local_clickhouse <- function(test = parent.frame()) {
  server <- Sys.which("clickhouse-server")
  if (!nzchar(server) && file.exists("/usr/sbin/clickhouse-server")) {
    server <- "/usr/sbin/clickhouse-server"
  }
  skip_if(!nzchar(server) || !dir.exists(file.path(Sys.getenv("INKTIDE_DRIVERS"), "RClickhouse")),
    "ClickHouse or its driver is not installed")
  skip_if_not_installed("callr")
  skip_if_not_installed("httpuv")
  dir <- withr::local_tempdir(.local_envir = test)
  ports <- c(httpuv::randomPort(20000, 29000), httpuv::randomPort(30000, 39000))
  root <- Sys.info()[["user"]] == "root"
  # Who lets go of a process ends it: all are held until the test is over.
  processes <- lapply(ports, function(port) {
    own <- file.path(dir, port)
    dir.create(file.path(own, "data"), recursive = TRUE)
    clickhouse_config(own, ports, port)
    command <- c(server, "--config-file", file.path(own, "config.xml"))
    if (root) {
      system2("chown", c("-R", "65534:65534", own))
      Sys.chmod(c(dir, dirname(dir)), "0755")
      command <- c("setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", command)
    }
    callr::process$new(command[1], command[-1], wd = own, stdout = file.path(own, "out"),
      stderr = "2>&1")
  })
  withr::defer(for (process in processes) process$kill(), envir = test)
  list(ports = ports, logs = file.path(dir, rep(ports, each = 3), c("out", "err", "log")))
}

in_driver_library <- function(f, ...) {
  callr::r(f, list(...),
    libpath = c(Sys.getenv("INKTIDE_DRIVERS"), .libPaths()))
}

test_that("two shards give the same summary and list as files, and are only read", {
  skip_unless_studies()
  servers <- local_clickhouse()
  tables <- lapply(example_tables(), function(rows) {
    as.data.frame(rows[, setdiff(names(rows), "CTR"), with = FALSE])
  })
  of_shards <- in_driver_library(function(ports, logs, tables) {
    for (try in 1:240) {
      writers <- try(lapply(ports,
        function(port) DBI::dbConnect(RClickhouse::clickhouse(), host = "127.0.0.1", port = port)),
        silent = TRUE)
      if (!inherits(writers, "try-error")) break
      Sys.sleep(0.5)
    }
    if (inherits(writers, "try-error")) {
      told <- unlist(lapply(Filter(file.exists, logs), readLines, warn = FALSE))
      stop("the servers do not answer: ", writers, paste(utils::tail(told, 40), collapse = "\n"))
    }
    ask <- function(k, ...) DBI::dbExecute(writers[[k]], sprintf(...))
    for (name in names(tables)) {
      table <- tables[[name]]
      types <- c(Date = "Date", Clicks = "UInt32", Impressions = "UInt64", Position = "Float64")
      columns <- paste(sprintf("`%s` %s", names(table),
        ifelse(names(table) %in% names(types), types[names(table)], "String")), collapse = ", ")
      for (k in 1:2) {
        ask(k, "CREATE TABLE %s (%s) ENGINE = MergeTree() ORDER BY Date", name, columns)
      }
      ask(1, "CREATE TABLE all_%s (%s) ENGINE = Distributed(two, default, %s, rand())", name,
        columns, name)
      table$Date <- as.Date(table$Date)
      half <- seq_len(nrow(table)) %% 2 + 1
      for (k in 1:2) {
        DBI::dbWriteTable(writers[[k]], name, table[half == k, ], append = TRUE, row.names = FALSE)
      }
    }
    library(inktide)
    spec <- list(driver = "clickhouse", host = "127.0.0.1", port = ports[1],
      database = "default")
    con <- inktide:::open_database(spec, ".")
    source <- tide_source(con, c("all_rows", "all_totals"), columns = c(query = "search term"))
    results <- lapply(c(TRUE, FALSE), function(by_month) {
      own <- tide_summary(tide_stored(source, by_month = by_month), brand = "fernmoor")
      found <- tide_find(own)$findings
      list(pairs = own$pairs, cells = own$cells, site_by_day = own$site_by_day, id = found$id,
        gain = found$gain)
    })
    refused <- inherits(try(DBI::dbExecute(con, "DROP TABLE rows"), silent = TRUE), "try-error")
    away <- inherits(tryCatch(inktide:::open_database(utils::modifyList(spec,
      list(database = "none")), "."),
      error = identity), "tide_error_source")
    list(results = results, refused = refused, away = away)
  },
    servers$ports, servers$logs, tables)
  files <- of_files()
  found <- tide_find(files)$findings
  for (own in of_shards$results) {
    for (part in c("pairs", "cells", "site_by_day")) {
      expect_equal(own[[part]], files[[part]], ignore_attr = "index", label = part)
    }
    expect_equal(own$id, found$id)
    expect_equal(own$gain, found$gain)
  }
  expect_true(of_shards$refused)
  expect_true(of_shards$away)
})
