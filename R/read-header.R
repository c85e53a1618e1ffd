# Where the table in a text file begins: the header's line and the separator, found by the header's
# words, so that title lines above it do not matter. One search for exports, facts, events and
# sheets of decisions.

# knows: how many of a header's cells it knows. The header is the first line that it knows most of;
# `enough` ends the search. Out: list(line, sep, header, known), NULL for an empty file.
sniff_header <- function(path, knows, enough) {
  lines <-
    tryCatch(readLines(path, n = 60, warn = FALSE, skipNul = TRUE), error = function(e) character())
  lines <- as_utf8(lines)
  if (length(lines)) lines[1] <- sub("^\ufeff", "", lines[1])
  filled <- utils::head(which(nzchar(trimws(lines))), 40)
  if (!length(filled)) return(NULL)
  # A line as long as this is no header.
  short <- nchar(lines[filled], "bytes") <= longest_header
  if (!any(short)) {
    return(list(known = -1, line = filled[1], sep = ",", header = "a very long line"))
  }
  filled <- filled[short]
  best <- list(known = -1)
  for (one_line in filled) {
    for (sep in c(",", ";", "\t", "|")) {
      header <- split_cells(lines[one_line], sep)
      known <- knows(header)
      if (known > best$known) best <- list(line = one_line, sep = sep, header = header,
        known = known)
    }
    if (best$known >= enough) break
  }
  best
}

# In bytes.
longest_header <- 100000L

# Of an export: list(line, sep, header). Data rows below a header never have more known words.
find_header <- function(path, label, columns = NULL) {
  best <- sniff_header(path, function(header) {
    known <- sum(lengths(find_columns(header, columns)) > 0)
    if (known < 3 && !is.null(comparison_labels(header))) 3 else known
  }, 3)
  if (is.null(best)) abort_no_table("The file is empty.", label, "Export it again.")
  if (best$known < 2) {
    # Not known: what is shown is the first line, by the sign that parts most of it.
    best <- sniff_header(path, length, 0)
    best$sep <- ","
  }
  best[c("line", "sep", "header")]
}

split_cells <- function(line, sep) {
  cells <- tryCatch(scan(text = line, what = "", sep = sep, quote = "\"", quiet = TRUE,
    strip.white = TRUE, na.strings = character()),
    error = function(e) strsplit(line, sep, fixed = TRUE)[[1]],
    warning = function(w) strsplit(line, sep, fixed = TRUE)[[1]])
  trimws(cells)
}

# Column names of exports to our names. Spellings are compared in lower case, without accents, and
# with everything but letters and digits taken out, so "Avg. position", "avg_position" and
# "AvgPosition" are one. Languages: English, German, French, Spanish, Italian, Dutch, Portuguese.

column_spellings <- list(
  query = c("query", "queries", "topqueries", "searchquery", "searchqueries", "searchterm",
    "searchterms", "keyword", "keywords", "suchanfrage", "suchanfragen", "haufigstesuchanfragen",
    "suchbegriff", "suchbegriffe", "requete", "requetes", "requeteslesplusfrequentes", "motcle",
    "motscles", "consulta", "consultas", "consultasprincipales", "principaisconsultas",
    "palabraclave", "parolachiave", "querydiricerca", "queryprincipali", "zoekopdracht",
    "zoekopdrachten", "zoekterm", "zoektermen", "zoekwoord", "palavrachave", "termodepesquisa"),
  page = c("page", "pages", "toppages", "url", "urls", "landingpage", "landingpages", "address",
    "pageurl", "landingpagequerystring", "landingpageandquerystring",
    "zielseiteabfragestring", "zielseiteundabfragestring", "pagededestinationchainederequete",
    "paginadedestinocadenadeconsulta", "paginadidestinazionestringadiquery",
    "bestemmingspaginaquerytekenreeks", "paginadedestinostringdeconsulta", "seite", "seiten",
    "haufigsteseiten", "zielseite", "adresse",
    "pageslespluspopulaires", "pagededestination", "pagina", "paginas", "paginasprincipales",
    "pagineprincipali", "pagine", "paginadestino", "paginadedestino", "paginadidestinazione",
    "bestemmingspagina", "topseiten", "toppaginas", "paginaprincipal", "principaispaginas"),
  date = c("date", "day", "datum", "tag", "jour", "fecha", "dia", "data", "giorno", "dag"),
  country = c("country", "countries", "land", "lander", "pays", "pais", "paises", "paese", "paesi",
    "landen"),
  device = c("device", "devices", "devicetype", "gerat", "gerate", "appareil", "appareils",
    "dispositivo", "dispositivos", "dispositivi", "apparaat", "apparaten"),
  vertical = c("vertical", "searchtype", "suchtyp", "typederecherche", "tipodebusqueda",
    "tipodiricerca", "zoektype", "tipodepesquisa"),
  rich_result = c("richresult", "richresults", "searchappearance", "apparencedanslesresultats"),
  clicks = c("clicks", "click", "urlclicks", "totalclicks", "klicks", "klick", "clics", "clic",
    "clicsurl", "cliques", "clique", "klikken", "kliks", "clicdellurl"),
  impressions = c("impressions", "impression", "impr", "totalimpressions", "impressionen",
    "impresiones", "impressioni", "vertoningen", "weergaven", "impressoes"),
  ctr = c("ctr", "clickthroughrate", "urlctr", "sitectr", "averagectr", "avgctr", "klickrate",
    "klickratectr", "tauxdeclics", "tasadeclics", "percentualedidiclic", "klikfrequentie",
    "taxadecliques", "ctrmedio", "ctrmoyen"),
  position = c("position", "avgposition", "averageposition", "avgpos", "pos", "rank",
    "durchschnittlicheposition", "durchschnposition", "positionmoyenne", "posicion",
    "posicionmedia", "posizione", "posizionemedia", "positie", "gemiddeldepositie", "posicao",
    "posicaomedia"))

# Columns of months or weeks, dates where a table has no days.
period_spellings <- c("month", "week", "monat", "woche", "mois", "semaine", "mes", "semana", "mese",
  "settimana", "maand")

figure_names <- c("clicks", "impressions", "position")

dimension_names <- c("date", "query", "page", "country", "device", "vertical", "rich_result")

accents <- c(from = paste0("\u00e0\u00e1\u00e2\u00e3\u00e4\u00e5\u00e7\u00e8\u00e9\u00ea\u00eb",
  "\u00ec\u00ed\u00ee\u00ef\u00f1", "\u00f2\u00f3\u00f4\u00f5\u00f6\u00f9\u00fa\u00fb\u00fc"),
  to = "aaaaaaceeeeiiiinooooouuuu")

# A name of other letters altogether is compared as it is.
squeeze_name <- function(x) {
  lower <- tolower(trimws(x))
  squeezed <- gsub("[^a-z0-9]", "", chartr(accents[["from"]], accents[["to"]], lower))
  ifelse(nzchar(squeezed), squeezed, lower)
}

# Per name of ours, which columns of the header claim it. `columns`: an explicit mapping, our name
# -> header's.
find_columns <- function(header, columns = NULL) {
  squeezed <- squeeze_name(header)
  found <-
    lapply(column_spellings, function(spellings) which(squeezed %in% squeeze_name(spellings)))
  if (!length(found$date)) found$date <- which(squeezed %in% period_spellings)
  # A column named in the mapping stands for that name alone; a mapping that the table has no column
  # for says nothing.
  columns <- columns[squeeze_name(columns) %in% squeezed]
  for (name in names(columns)) found[[name]] <- which(squeezed == squeeze_name(columns[[name]]))
  taken <- unlist(found[names(columns)])
  for (name in setdiff(names(found), names(columns))) found[[name]] <- setdiff(found[[name]], taken)
  found
}

# In: the header as read. Out: integer index into it, named by our names; other columns are ignored.
match_columns <- function(header, file, columns = NULL) {
  found <- find_columns(header, columns)
  shown <- paste0("The header of '", file, "' is: ", paste(header, collapse = ", "), ".")

  twice <- names(found)[lengths(found) > 1]
  if (length(twice)) {
    claims <- header[found[[twice[1]]]]
    abort_tide(sprintf("Two columns both claim to be `%s`: '%s'.", twice[1],
      paste(claims, collapse = "' and '")),
      where = shown, fix = sprintf("Say which by `columns`: %s=%s.", twice[1], claims[1]),
      class = "columns_twice", file = file, column = twice[1], argument = "columns")
  }
  # Totals need no position; what queries earn hangs on it.
  needed <- if (length(found$query)) figure_names else c("clicks", "impressions")
  lacking <- setdiff(needed, names(found)[lengths(found) == 1])
  if (length(lacking)) {
    abort_tide(sprintf("No column for `%s`.", paste(lacking, collapse = "`, `")), where = shown,
      fix = sprintf("If it has another name, say so by `columns`: %s=NAME.", lacking[1]),
      class = "columns_missing", file = file, column = lacking, width = length(header),
      argument = "columns")
  }
  unlist(found[lengths(found) == 1])
}
