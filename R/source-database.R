# A database as a source of sums: it sums by query, page and position cell, one GROUP BY for each
# sum, so that what comes here is as large as the answer, whatever the table holds. Where texts are
# filtered row by row, or several tables tell of the days, rows come as from an archive.

# What new_source() takes beside the chunks that else give the rows; NULL where these have to be
# gone through. left_out: what the database filtered.
database_sums <- function(source, slices, dimensions, segments, chunks) {
  if (length(unique(slices$grain)) > 1) return(NULL)
  tbl <- source$tables[[slices$grain[1]]]
  narrowed <- narrowed_by(source, tbl, segments)
  if (is.null(narrowed)) return(NULL)
  scope <- list(source = source, table = tbl, slices = slices, narrowed = narrowed$sql,
    by = intersect(c("query", "page"), dimensions))
  left <- spelt <- NULL
  list(
    sum_up = function(recent_from, split) {
      if (!is.null(split) && !split %in% tbl$dimensions) return(NULL)
      sums <- sum_database(scope, recent_from, split)
      spelt <<- sums$spelt
      if (!is.null(narrowed$label)) left <<- narrowed_line(slices, sums$cells$all, narrowed$label)
      sums
    },
    of_queries = function(reduced, codes, from) {
      if (is.null(spelt)) chunks else query_chunks(scope, spelt, reduced, codes, from)
    },
    of_days = function(days) list(function(from = NULL) day_rows(scope, days)),
    sum_parts = function(dimension, reduced, recent_from) {
      database_parts(scope, dimension, reduced, recent_from)
    },
    left_out = function() left)
}

# A condition on a dimension is the database's; of others there are none here. Out: list(sql,
# label), or NULL.
narrowed_by <- function(source, table, segments) {
  conditions <- all_conditions(segments)
  if (!length(conditions)) return(list(sql = NULL))
  name <- names(conditions)
  plain <- length(conditions) == 1 && length(segments[[1]]$conditions) == 1 && !segments[[1]]$not
  if (!plain || !name %in% setdiff(table$dimensions, c("date", "query", "page"))) return(NULL)
  values <- DBI::dbQuoteString(source_con(source), tolower(conditions[[1]]))
  list(sql = sprintf("lower(%s) IN (%s)", source_column(source, table, name),
    paste(values, collapse = ", ")),
    label = condition_label(name, conditions[[1]]))
}

narrowed_line <- function(slices, cells, label) {
  data.table(grain = slices$grain[1], reason = label, rows = sum(slices$rows) - sum(cells$rows),
    clicks = sum(slices$clicks) - sum(cells$clicks),
    impressions = sum(slices$impressions) - sum(cells$impressions), cause = "asked")
}

# Rows of the scope, or of some of its days or queries.
scope_where <- function(scope, from = NULL, to = NULL, queries = NULL) {
  origin <- scope$source
  tbl <- scope$table
  column <- function(name) source_column(origin, tbl, name)
  days <- scope$slices$day
  first <- max(min(days), as.integer(from))
  last <- min(max(days), as.integer(to))
  # Days of the table within the window that do not count.
  known <- source_days(origin)
  gone <- setdiff(known$day[known$grain == scope$slices$grain[1]], days)
  gone <- gone[gone >= first & gone <= last]
  paste(c(source_where(origin, tbl, first, last),
    sprintf("%s <= %s", column("clicks"), column("impressions")), scope$narrowed,
    if (length(gone)) {
      sprintf("%s NOT IN (%s)", column("date"),
        paste(vapply(gone, function(day) source_day(origin, day), ""), collapse = ", "))
    },
    if (!is.null(queries)) {
      sprintf("%s IN (%s)", column("query"),
        paste(DBI::dbQuoteString(source_con(origin), queries), collapse = ", "))
    }),
    collapse = " AND ")
}

columns_of <- function(scope, names) {
  vapply(stats::setNames(names, names),
    function(name) source_column(scope$source, scope$table, name), "")
}

# What position cells are summed by.
position_columns <- function(scope, recent_from) {
  column <- function(name) source_column(scope$source, scope$table, name)
  half <- sprintf(if (is_sqlite(scope$source)) "CAST(%s * 2 AS INTEGER)" else "floor(%s * 2)",
    column("position"))
  c(columns_of(scope, scope$by), half = half, if (!is.null(recent_from)) {
    c(recent = sprintf("CASE WHEN %s >= %s THEN 1 ELSE 0 END", column("date"),
      source_day(scope$source, recent_from)))
  })
}

# As sum_chunks(); `spelt` has the spellings of the queries as the table has them beside ours.
sum_database <- function(scope, recent_from, split) {
  column <- function(name) source_column(scope$source, scope$table, name)
  columns <- c(position_columns(scope, recent_from), if (!is.null(split)) c(part = column(split)))
  rows <- ask_sums(scope$source, scope$table, columns, scope_where(scope),
    also = c(many = "count(*)", first_day = sprintf("min(%s)", column("date"))))
  if (is.null(rows)) return(NULL)
  queries <- query_dictionary()
  pages <- page_dictionary()
  codes <- codes_in(queries, pages, rows, as.integer(source_dates(rows$first_day, scope$table)))
  cells <- setDT(c(codes, list(bin = bin_of_half[pmin.int(as.integer(rows$half), 201L)],
    clicks = rows$clicks, impressions = rows$impressions, weighted = rows$weighted,
    rows = as.numeric(rows$many))))
  if (!is.null(split)) set(cells, j = "part", value = tolower(as.character(rows$part)))
  recent <- if (!is.null(recent_from)) which(rows$recent == 1)
  spelt <- unique(setDT(list(text = rows$spelt, query = rows$query)))
  list(queries = queries, pages = pages,
    cells = list(all = sum_cells(cells), recent = if (!is.null(recent)) sum_cells(cells[recent])),
    parts = if (!is.null(split)) sum_split(cells),
    by_day = reduce_days(setnames(placed(ask_sums(scope$source, scope$table,
      columns_of(scope, "date"), scope_where(scope), also = c(many = "count(*)"))), "many",
      "rows")),
    spelt = spelt,
    samples = function(reduced) {
      list(blend = database_blend(scope, reduced), course = database_course(scope, reduced, spelt))
    })
}

# As parts_of_chunks(), by one GROUP BY.
database_parts <- function(scope, dimension, reduced, recent_from) {
  columns <- c(position_columns(scope, recent_from),
    part = source_column(scope$source, scope$table, dimension))
  rows <- ask_sums(scope$source, scope$table, columns, scope_where(scope),
    also = c(many = "count(*)"))
  texts <- unique(tolower(as.character(rows$part)))
  cells <- setDT(c(codes_of(rows, reduced), list(
    bin = bin_of_half[pmin.int(as.integer(rows$half), 201L)],
    part = match(tolower(as.character(rows$part)), texts), clicks = rows$clicks,
    impressions = rows$impressions, weighted = rows$weighted, rows = as.numeric(rows$many))))
  recent <- if (!is.null(recent_from)) which(rows$recent == 1)
  list(all = cells, recent = if (!is.null(recent)) cells[recent], texts = texts)
}

# Neighbouring days of one pair are known from runs of three days, evenly spread, where all days
# would be more rows than are looked at.
database_blend <- function(scope, reduced, run = 3L) {
  days <- sort(scope$slices$day)
  rows <- sum(scope$slices$rows)
  if (rows > 2 * blend_rows) {
    runs <- max(1, round(2 * blend_rows / rows * length(days) / run))
    from <- round(seq(1, length(days) - run + 1, length.out = runs + 2)[seq_len(runs) + 1])
    days <- days[unique(as.vector(outer(seq_len(run) - 1, from, `+`)))]
  }
  whole <- day_rows(scope, as.IDate(days))
  blend_sums(c(codes_of(whole, reduced), whole[, c("impressions", "position")]), whole$date)
}

# Rows of some days, apart by all that the table tells apart.
day_rows <- function(scope, days) {
  runs <- split(sort(as.integer(days)), cumsum(c(TRUE, diff(sort(as.integer(days))) > 1)))
  columns <- columns_of(scope, union(c("date", scope$by), scope$table$dimensions))
  rows <- rbindlist(lapply(runs, function(run) {
    own <- ask_sums(scope$source, scope$table, columns, scope_where(scope, min(run), max(run)))
    if (!is.null(own)) own[, c("date", scope$by, "clicks", "impressions", "weighted"), with = FALSE]
  }))
  placed(rows)
}

placed <- function(rows) {
  if (is.null(rows)) return(NULL)
  set(rows, j = "position", value = rows$weighted / rows$impressions)
  rows[]
}

# The course of the sample of queries, month by month: months in words that every database knows, so
# that the table is gone through once.
database_course <- function(scope, reduced, spelt) {
  keys <- reduced$queries$keys
  codes <- which(digest::digest2int(keys) <= course_upto(keys))
  days <- as.IDate(sort(scope$slices$day))
  begins <- days[!duplicated(month_number(as.integer(days)))]
  month <- sprintf("CASE %s ELSE %d END", paste(sprintf("WHEN %s < %s THEN %d",
    source_column(scope$source, scope$table, "date"),
    vapply(begins[-1], function(day) source_day(scope$source, day), ""),
    seq_along(begins[-1])), collapse = " "), length(begins))
  columns <- c(columns_of(scope, scope$by), month = if (length(begins) > 1) month)
  rows <- rbindlist(lapply(batches(spelt, reduced, codes),
    function(names) ask_sums(scope$source, scope$table, columns,
      scope_where(scope, queries = names))))
  on_day <- begins[if (length(begins) > 1) as.integer(rows$month) else rep(1L, nrow(rows))]
  course_sums(c(codes_of(rows, reduced), placed(rows)[, c("impressions", "position")]), on_day,
    keys,
    reduced$pages$keys)
}

# Names of the queries as the table spells them, so many as one statement holds.
statement_bytes <- 150000

batches <- function(spelt, reduced, codes) {
  code <- known_codes(reduced$dictionaries$queries, spelt$query)
  spellings <- as.character(spelt$text[code %in% codes])
  split(spellings, cumsum(nchar(spellings, "bytes") + 4) %/% statement_bytes)
}

# Recent rows of some queries by day, batch by batch.
query_chunks <- function(scope, spelt, reduced, codes, from) {
  columns <- columns_of(scope, c("date", scope$by))
  lapply(batches(spelt, reduced, codes), function(names) {
    force(names)
    function(first = from) {
      placed(ask_sums(scope$source, scope$table, columns, scope_where(scope, first, NULL, names)))
    }
  })
}
