# The daily table of the demo site as a year of exports from many hands: by month, overlapping,
# revised, in English, German, French and Dutch, as CSV with commas, semicolons and tabs, in UTF-8,
# UTF-16 and Windows-1252, with percent signs and decimal commas, title lines and totals rows, gz,
# JSON lines and, where there is a reader for it, Parquet. Earlier exports hold the last days
# before them with unfinished figures, which later ones revise. Each file carries the time of its
# export.
write_mixed_demo <- function(site, dir) {
  dir.create(dir, recursive = TRUE, showWarnings = FALSE)
  daily <- site$daily
  last <- max(daily$date)
  # Every export begins a few days before the one before it ended.
  starts <- seq(min(daily$date), last, by = 28)
  dresses <- demo_dresses(requireNamespace("nanoparquet", quietly = TRUE))
  files <- vapply(seq_along(starts), function(i) {
    to <- min(starts[i] + 34L, last)
    rows <- daily[daily$date >= starts[i] & daily$date <= to]
    # The newest days of an export are unfinished, unless it is the last.
    if (to < last) rows <- unfinished(rows, to)
    dress <- dresses[[(i - 1) %% length(dresses) + 1]]
    file <- file.path(dir, sprintf("%02d-%s", i, dress$name))
    write_whole(file, function(path) dress$write(rows, path))
    Sys.setFileTime(file, as.POSIXct(paste(to + 1L, "09:00:00"), tz = "UTC"))
    file
  }, "")
  invisible(files)
}

# A tenth of the figures of the last three days has not come in yet; nothing has on some rows.
unfinished <- function(rows, to) {
  late <- which(rows$date > to - 3L)
  rows <- copy(rows)
  set(rows, late, "clicks", (rows$clicks[late] * 9) %/% 10)
  set(rows, late, "impressions", pmax(rows$clicks[late], (rows$impressions[late] * 9) %/% 10, 1))
  rows
}

demo_dresses <- function(parquet) {
  text <- function(head, sep = ",", decimal = ".", date = "%Y-%m-%d", percent = FALSE,
      encoding = "UTF-8", mark = raw(), title = NULL, total = NULL, gz = FALSE) {
    function(rows, path) {
      number <- function(x, digits) sub(".", decimal, formatC(x, format = "f", digits = digits),
        fixed = TRUE)
      rate <- rows$clicks / rows$impressions
      cells <- list(format(rows$date, date), rows$query, rows$page, rows$device,
        format(rows$clicks, scientific = FALSE, trim = TRUE),
        format(rows$impressions, scientific = FALSE, trim = TRUE),
        if (percent) paste0(number(100 * rate, 2), "%") else number(rate, 4),
        number(rows$position, 2))
      quoted <- if (sep == "," && decimal == ",") {
        lapply(cells, function(x) paste0("\"", x, "\""))
      } else {
        cells
      }
      lines <- c(
        title,
        paste(head, collapse = sep),
        do.call(paste, c(quoted, sep = sep)),
        if (!is.null(total)) {
          paste(c(total, "", "", "", sum(rows$clicks), sum(rows$impressions), "", ""),
            collapse = sep)
        })
      bytes <- charToRaw(enc2utf8(paste0(lines, "\r\n", collapse = "")))
      if (encoding != "UTF-8") bytes <- iconv(list(bytes), "UTF-8", encoding, toRaw = TRUE)[[1]]
      con <- if (gz) gzfile(path, "wb") else base::file(path, "wb")
      on.exit(close(con))
      writeBin(c(mark, bytes), con)
    }
  }
  english <- c("Date", "Query", "Page", "Device", "Clicks", "Impressions", "CTR", "Position")
  german <-
    c("Datum", "Suchanfrage", "Seite", "Ger\u00e4t", "Klicks", "Impressionen", "CTR", "Position")
  french <-
    c("Jour", "Requ\u00eate", "Page", "Appareil", "Clics", "Impressions", "CTR", "Position moyenne")
  dutch <- c("Datum", "Zoekopdracht", "Pagina", "Apparaat", "Klikken", "Vertoningen", "CTR",
    "Gemiddelde positie")
  table <- function(rows) data.table(date = format(rows$date),
    rows[, c("query", "page", "device", "clicks", "impressions", "position")])
  c(list(
    list(name = "plain.csv", write = text(english)),
    list(name = "german.csv",
      write = text(german, ";", ",", "%d.%m.%Y", percent = TRUE, encoding = "windows-1252")),
    list(name = "sheet.txt", write = text(french, "\t", ",", "%d/%m/%Y", encoding = "UTF-16LE",
      mark = as.raw(c(0xff, 0xfe)))),
    list(name = "titled.csv", write = text(english, ",", date = "%m/%d/%Y", percent = TRUE,
      title = c("Search performance", "Fernmoor Seeds", ""), total = "Total")),
    list(name = "packed.csv.gz", write = text(dutch, ";", ",", "%d-%m-%Y", gz = TRUE)),
    list(name = "rows.ndjson", write = function(rows, path) {
      con <- base::file(path, "wb")
      on.exit(close(con))
      jsonlite::stream_out(as.data.frame(table(rows)), con, verbose = FALSE, digits = NA)
    })),
    if (parquet) {
      list(list(name = "table.parquet",
        write = function(rows, path) nanoparquet::write_parquet(as.data.frame(table(rows)), path)))
    })
}
