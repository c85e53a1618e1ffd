#' Facts about queries or pages
#'
#' Reads a table that says more about queries (search volume, cost, a trend list) or about pages
#' (title, description, sessions, conversions, value), and any further columns. What it is about
#' shows in its header: a column of queries, or one of pages.
#'
#' @param files Paths, folders or globs, of the kinds that [tide_read()] reads; or a
#'   `tide_store`, for the facts that [tide_load()] put into the archive, oldest first.
#' @param date The day that the facts were taken; `NULL` takes the file's date.
#' @param ... Not used.
#' @param columns Named vector for headers that are not known, see [tide_read()]; names besides
#'   `query` and `page` are those of the facts.
#' @details Known facts: `volume` (searches a month), `cost` (of a click), `difficulty` (0 to 100:
#'   how hard it is to rank), `trend` (a list of numbers in one cell, oldest first, with any
#'   separator), `title`, `description`, `sessions`, `conversions`, `value`, `value_each` (of one
#'   conversion). Known headers are renamed to these; other columns keep their name, in lower
#'   case. A column is made numbers where all its cells are numbers. A table by page and `month` is
#'   summed over its months.
#' @return A list of `tide_facts` objects, one per table, each a list with `by` (`query` or
#'   `page`), `rows` (a data.table: `name`, the facts), `date`, `file` and `twice` (how many rows
#'   were left out because a later one names the same), `months` (which, of a table by month, as
#'   text; else `NULL`).
#' @section Errors: `tide_error_file`, `tide_error_columns_missing`, `tide_error_columns_twice`,
#'   `tide_error_layout`, `tide_error_range` for two currencies or less than none.
#' @seealso [tide_enrich()] to add them to queries and pages, [tide_load()] to store them.
#' @examples
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("Keyword;Volume;Trend", "kale seeds;1.900;80,90,100"), file)
#' tide_facts(file)
#' @export
tide_facts <- function(files, ...) UseMethod("tide_facts")

#' @rdname tide_facts
#' @export
tide_facts.default <- function(files, date = NULL, columns = NULL, ...) {
  check_no_more(...)
  check_text(files, "files", many = TRUE)
  date <- check_date(date, "date")
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  parts <-
    unlist(lapply(expand_inputs(files)$path, open_parts, scratch = scratch), recursive = FALSE)
  lapply(Filter(function(part) nzchar(part$path), parts), read_facts, date = date,
    columns = columns)
}

fact_spellings <- list(
  volume = c("volume", "searchvolume", "searches", "monthlysearches", "avgmonthlysearches",
    "suchvolumen", "volumederecherche", "volumendebusqueda", "volumediricerca", "zoekvolume",
    "volumedepesquisa"),
  cost = c("cost", "cpc", "costperclick", "kosten", "cout", "coste", "costo", "custo"),
  difficulty = c("difficulty", "keyworddifficulty", "competition", "schwierigkeit", "wettbewerb",
    "difficulte", "dificultad", "difficolta", "moeilijkheid", "dificuldade"),
  trend = c("trend", "trends", "monthlytrend", "tendance", "tendencia", "tendenza"),
  title = c("title", "pagetitle", "title1", "titletag", "metatitle", "titel", "titre", "titulo",
    "titolo"),
  description = c("description", "metadescription", "metadescription1", "description1",
    "beschreibung", "descripcion", "descrizione", "beschrijving", "descricao"),
  sessions = c("sessions", "visits", "sitzungen", "besuche", "sesiones", "sessioni", "sessies",
    "sessoes"),
  conversions = c("conversions", "orders", "goals", "keyevents", "purchases", "konversionen",
    "conversiones", "conversioni", "conversies", "conversoes"),
  value_each = c("valueeach", "valueperconversion", "averageordervalue", "ordervalue",
    "wertprokonversion", "valeurparconversion", "valorporconversion", "valorporconversao"),
  value = c("value", "revenue", "wert", "umsatz", "valeur", "revenu", "valor", "ingresos", "valore",
    "waarde", "omzet", "receita"))

read_facts <- function(part, date, columns) {
  about <- find_fact_header(part, columns)
  place <- open_records(part, about)
  if (!place$records) {
    abort_no_table("The file has a header but no rows.", part$label, "Export it again.")
  }
  cells <- read_texts(place)
  setnames(cells, about$names)
  cells <- cells[, about$names[nzchar(about$names)], with = FALSE]
  setnames(cells, about$by, "name")
  for (column in names(cells)) set(cells, j = column, value = fold_blanks(trimws(cells[[column]])))
  rows <- which(nzchar(cells$name) & !is.na(cells$name))
  cells <- cells[rows]
  # In a table of sessions spellings of one page add up, see tide_enrich().
  several <- about$by == "page" && "sessions" %in% names(cells)
  key <- if (several) cells$name else name_key(about$by, cells$name)
  month <- if (about$by == "page") cells[["month"]]
  again <- duplicated(paste(key, month), fromLast = TRUE)
  check_currency(cells, place, rows)
  for (column in setdiff(names(cells), c("name", if (!is.null(month)) "month"))) {
    values <- fact_values(cells[[column]], column)
    if (column %in% counted_facts) check_counts(values, column, place, rows)
    set(cells, j = column, value = values)
  }
  cells <- cells[!again]
  month_rows <- if (!is.null(month)) month_range(cells$month)
  if (!is.null(month)) cells <- sum_months(cells, key[!again])
  structure(list(by = about$by, rows = cells[],
    date = if (is.null(date)) as.IDate(as.Date(file.mtime(part$file), tz = "UTC")) else date,
    file = part$label, twice = sum(again), months = month_rows),
    class = c("tide_facts", "tide_result"))
}

# Facts of which there cannot be less than none.
counted_facts <- c("volume", "cost", "sessions", "conversions", "value", "value_each")

check_counts <- function(values, column, place, rows) {
  bad <- if (is.numeric(values)) which(values < 0)
  if (length(bad)) {
    abort_cells(rows[bad], replace(values, rows[bad], values[bad]), column, place, "Less than none",
      "Correct the cell, or leave it empty where nothing is known.", "range")
  }
}

# Signs and codes of currencies in money; two of them cannot be added.
check_currency <- function(cells, place, rows) {
  for (column in intersect(c("cost", "value", "value_each"), names(cells))) {
    direction <- trimws(gsub("[-+0-9., '\u00a0\u202f]", "", cells[[column]]))
    direction[tolower(cells[[column]]) %in% blank_cells] <- ""
    known <- unique(direction[nzchar(direction)])
    known <- known[grepl("^([A-Za-z]{3}|[^A-Za-z]{1,3}|[A-Z]{1,2}[$])$", known)]
    if (length(known) < 2) next
    bad <- which(direction == known[2])
    abort_cells(rows[bad], replace(cells[[column]], rows[bad], cells[[column]][bad]), column, place,
      sprintf("Two currencies, '%s' and '%s'", known[1], known[2]),
      "Bring all amounts to one currency.", "range")
  }
}

# Rows by page and month as sums over the months; a value of one is their mean.
sum_months <- function(cells, key) {
  columns <- setdiff(names(cells), c("name", "month"))
  out <- cells[!duplicated(key), "name"]
  code <- match(key, unique(key))
  for (column in columns) {
    values <- cells[[column]]
    values_of <- split(values, factor(code, seq_len(nrow(out))))
    set(out, j = column, value = if (is.numeric(values)) {
      vapply(values_of, function(one) {
        one <- one[!is.na(one)]
        if (!length(one)) NA_real_ else if (column == "value_each") mean(one) else sum(one)
      }, 0, USE.NAMES = FALSE)
    } else {
      vapply(values_of, utils::tail, "", 1, USE.NAMES = FALSE)
    })
  }
  out
}

# "2026-03 to 2026-08", of months as they stand.
month_range <- function(text) {
  month <- sort(unique(text[!is.na(text) & nzchar(text)]))
  if (!length(month)) return(NULL)
  known <- month_of_text(month)
  if (!anyNA(known)) month <- format(sort(known), "%Y-%m")
  sprintf("%s, %s to %s", format_plural(length(month), "month"), month[1], month[length(month)])
}

# Which line is the header, what the table is about, and each column's name.
find_fact_header <- function(part, columns) {
  own <- columns[intersect(names(columns), c("query", "page"))]
  about <- function(header) find_columns(header, own)[c("query", "page")]
  best <- sniff_header(part$path, function(header) {
    if (length(header) < 2) 0 else sum(lengths(about(header)) > 0)
  }, 1)
  if (is.null(best)) abort_no_table("The file is empty.", part$label, "Export it again.")
  shown <- sprintf("The header of '%s' is: %s.", part$label, paste(best$header, collapse = ", "))
  if (best$known < 1) {
    abort_tide("No column for `query` or `page`.", where = shown,
      fix = "Name the column that says what the facts are about by `columns`: query=NAME.",
      class = "columns_missing", file = part$label, column = "query", argument = "columns")
  }
  best$found <- about(best$header)
  of_what <- names(which(lengths(best$found) > 0))[1]
  if (length(best$found[[of_what]]) > 1 || all(lengths(best$found) > 0)) {
    abort_tide("Facts are of queries or of pages, one column of either.", where = shown,
      fix = "Leave only one of these columns in the table.", class = "columns_twice",
      file = part$label, column = of_what)
  }
  column_names <- fact_names(best$header, columns)
  column_names[best$found[[of_what]]] <- of_what
  twice <- column_names[duplicated(column_names) & nzchar(column_names)]
  if (length(twice)) {
    abort_tide(sprintf("Two columns both claim to be `%s`.", twice[1]), where = shown,
      fix = sprintf("Say which by `columns`: %s=NAME.", twice[1]), class = "columns_twice",
      file = part$label, column = twice[1], argument = "columns")
  }
  c(best[c("line", "sep")], list(by = of_what, names = column_names))
}

# What tables of page analytics call money and conversions besides, as a pattern each, and what is
# none: rates, averages, parts of it.
fact_patterns <- list(
  conversions = c(paste0("^(keyevent|conversion|konversion|conversione|conversie|convers|",
    "schlusselereignis|evenementscle|eventosclave|eventichiave|belangrijkegebeurtenis|",
    "eventosprincipais|transa[ck]tion|transazioni|transacciones|transacoes|purchase|kaufe|achats|",
    "compras|acquisti|aankopen|numberofconversions|anzahlderconversions)"),
    "rate|quote|taux|tasa|tasso|taxa|percent|value|wert|valeur|valor|waarde|revenue|umsatz"),
  value = c(paste0("revenue|umsatz|erlos|chiffredaffaires|revenu|ingresos|entrate|ricavi|",
    "fatturato|omzet|opbrengst|receita|faturamento|(conversion|event|purchase|order)s?value|",
    "(ereignis|conversion|konversions?|bestell)s?wert|valeurde|",
    "valordel?a?(evento|conversion|convers)|",
    "valore(dell)?(evento|conversion)|waarde(van)?(conversie|gebeurtenis)"),
    "per|average|avg|durchschn|moyen|medio|media|gemiddeld|tax|steuer|refund|(?<!ent)rate"))

# Names of columns that no spelling knows, by pattern, of facts that the table lacks.
patterned_facts <- function(squeezed, named) {
  for (fact in setdiff(names(fact_patterns), named)) {
    pattern <- fact_patterns[[fact]]
    hit <- grepl(pattern[1], squeezed) & !grepl(pattern[2], squeezed, perl = TRUE)
    named[hit & !named %in% names(fact_spellings)] <- fact
  }
  named
}

fact_names <- function(header, columns) {
  squeezed <- squeeze_name(header)
  column_names <- gsub("[^a-z0-9]+", "_", tolower(header))
  for (fact in names(fact_spellings)) column_names[squeezed %in% fact_spellings[[fact]]] <- fact
  column_names[squeezed %in% c("month", "monat", "mois", "mes", "mese", "maand")] <- "month"
  # What the call names is looked for nowhere else.
  by_pattern <- patterned_facts(squeezed, column_names)
  column_names <- ifelse(by_pattern %in% names(columns), column_names, by_pattern)
  for (fact in setdiff(names(columns), c("query", "page"))) {
    column_names[column_names == fact] <- paste0(fact, "_other")
    column_names[squeezed == squeeze_name(columns[[fact]])] <- fact
  }
  # Names that mean something else beside a query or page.
  clash <- column_names %in% c("name", "key", "query", "page", "segment", "first")
  column_names[clash] <- paste0(column_names[clash], "_fact")
  gsub("^_|_$", "", column_names)
}

# Numbers where all cells are; a missing one stays missing. A trend is the numbers in its cell, in
# order.
fact_values <- function(text, column) {
  text[tolower(text) %in% blank_cells] <- NA
  if (column == "trend") {
    lists <- regmatches(text, gregexpr("\\d+(\\.\\d+)?", text))
    return(vapply(seq_along(text), function(i) {
      if (is.na(text[i])) NA_character_ else paste(lists[[i]], collapse = " ")
    }, ""))
  }
  known <- text[!is.na(text)]
  if (!length(known)) return(rep(NA, length(text)))
  plain <- sub("^[\u20ac$\u00a3]\\s*|\\s*[\u20ac$\u00a3]$", "", known)
  if (column %in% c("cost", "value", "value_each")) {
    plain <- sub("^[A-Za-z]{3}\\s+|\\s+[A-Za-z]{3}$", "", plain)
  }
  for (decimal in c(".", ",")) {
    number <- read_number(sub("\\s*%$", "", plain), decimal)
    # A point before every group of three is for thousands: counts have no decimals.
    thousands <- decimal == "." && column %in% c("volume", "sessions") &&
      any(grepl("^\\d{1,3}(\\.\\d{3})+$", plain))
    if (!anyNA(number) && !thousands) {
      out <- rep(NA_real_, length(text))
      out[!is.na(text)] <- ifelse(endsWith(plain, "%"), number / 100, number)
      return(out)
    }
  }
  text
}

#' @rdname tide_facts
#' @param x A `tide_facts` object.
#' @export
tidy.tide_facts <- function(x, ...) tibble::as_tibble(x$rows)

#' @export
format.tide_facts <- function(x, ...) {
  c(
    sprintf("<tide_facts> %s by %s, of %s, from '%s'", format_plural(nrow(x$rows), "row"), x$by,
      format(x$date), basename(x$file)),
    sprintf("  %s", paste(setdiff(names(x$rows), "name"), collapse = ", ")),
    if (!is.null(x$months)) sprintf("  sums of %s", x$months),
    if (x$twice) sprintf("  left out: %s named again further down", format_plural(x$twice, "row")))
}

# Columns that mean nothing here, with what they may stand for: "title_tag (title?)".
unused_facts <- function(x) {
  unknown <- setdiff(names(x$rows), c("name", names(fact_spellings)))
  vapply(unknown, function(column) {
    like <- names(fact_spellings)[vapply(names(fact_spellings), grepl, NA, column, fixed = TRUE)]
    if (length(like)) sprintf("%s (%s?)", column, like[1]) else column
  }, "", USE.NAMES = FALSE)
}

unused_line <- function(unused) {
  if (length(unused)) {
    sprintf("  kept, but not known here: %s; a mapping of columns can say what they are",
      paste(unused, collapse = ", "))
  }
}

# One table of facts or a list of them, as a list: oldest first, since the newest counts.
as_facts <- function(facts) {
  if (inherits(facts, "tide_facts")) facts <- list(facts)
  for (own in facts) check_class(own, "tide_facts", "facts")
  facts[order(vapply(facts, function(own) as.integer(own$date), 0L))]
}

are_facts <- function(x) {
  inherits(x, "tide_facts") ||
    (is.list(x) && length(x) > 0 && all(vapply(x, inherits, NA, "tide_facts")))
}
