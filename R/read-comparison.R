# An export that compares two windows holds each figure twice, often with a column of differences.
# Its later window is read as any table is; the earlier one is kept beside it, for comparisons.

# The windows of such a header, or NULL: list(later, earlier), each list(header: as a table of that
# window alone would have it, window: list(from, to) or NULL, days: or NA). columns: an explicit
# mapping, of which clicks tells the later window.
comparison_sides <- function(header, part, how) {
  label_texts <- comparison_labels(header)
  if (is.null(label_texts)) return(NULL)
  windows <- label_windows(label_texts$name, part, how)
  windows_named <- part$filters[["windows"]]
  of <- if (all(lengths(windows) == 0)) label_dimension(label_texts$word)
  later <- if (is.null(of)) later_label(label_texts, windows, how$columns, part$label) else 1L
  side <- function(i, of) {
    span <- if (is.null(windows[[i]])) windows_named[[of]] else windows[[i]]
    own <- header
    own[label_texts$at[-i, ]] <- ""
    own[label_texts$differences] <- ""
    own[label_texts$at[i, ]] <- colnames(label_texts$at)
    list(header = own, window = span,
      days = if (is.null(span)) label_texts$days[i] else as.integer(span$to - span$from) + 1L)
  }
  sides <- list(later = side(later, "later"), earlier = side(3L - later, "earlier"))
  if (is.null(of)) return(sides)
  # Two parts of one window, which are rows of it.
  structure(sides, dimension = of, parts = label_texts$word)
}

# The dimension whose values both labels are: two devices, kinds of results or countries; NULL for
# none.
label_dimension <- function(labels) {
  known <- list(device = c("desktop", "mobile", "tablet", "computer", "handy", "ordinateur",
    "ordenador", "movil", "mobil"),
    vertical = c("web", "image", "images", "bild", "bilder", "video", "videos", "news"),
    country = country_names)
  for (dimension in names(known)) {
    if (all(squeeze_name(labels) %in% known[[dimension]])) return(dimension)
  }
}

# Countries as headers name them, in compared form, and their usual codes.
country_names <- strsplit(paste(
  "argentina australia austria belgium brazil bulgaria canada chile china colombia croatia",
  "czechia czechrepublic denmark egypt estonia finland france germany greece hongkong",
  "hungary india indonesia ireland israel italy japan kenya latvia lithuania luxembourg",
  "malaysia mexico morocco netherlands newzealand nigeria norway peru philippines poland",
  "portugal romania saudiarabia serbia singapore slovakia slovenia southafrica southkorea",
  "spain sweden switzerland taiwan thailand turkey ukraine unitedarabemirates unitedkingdom",
  "unitedstates uruguay vietnam usa us uk gb uae deutschland osterreich schweiz frankreich",
  "italien spanien niederlande polen schweden belgien allemagne france espagne italie",
  "suisse belgique espana alemania francia italia deu aut che fra esp ita gbr irl nld bel",
  "lux pol cze swe nor dnk fin prt can mex bra arg aus nzl ind jpn"), " ")[[1]]

difference_words <- "^(diff|change|delta|unterschied|ecart|verschil|variac|variaz|veran|variation)"

# Clicks, impressions and position stand twice in a header, each with the same two labels before or
# after it: list(at: the columns of each label by figure, name: each label as the header writes it,
# differences: columns, days: that the label names, or NA). NULL where they do not.
comparison_labels <- function(header) {
  squeezed <- squeeze_name(header)
  figures <- c(figure_names, "ctr")
  found <- lapply(stats::setNames(nm = figures), function(figure) {
    words <- squeeze_name(column_spellings[[figure]])
    words <- paste(words[order(-nchar(words))], collapse = "|")
    shape <- sprintf("^(%s)|(%s)$", words, words)
    at <- grep(shape, squeezed)
    stats::setNames(at, sub(shape, "", squeezed[at]))
  })
  shared <- Reduce(intersect, lapply(found[figure_names], names))
  shared <- shared[!grepl(difference_words, shared)]
  if (length(shared) != 2) return(NULL)
  if (!all(shared %in% names(found$ctr))) found$ctr <- NULL
  at <- vapply(found, function(own) unname(own[match(shared, names(own))]), c(0L, 0L))
  if (anyDuplicated(c(at))) return(NULL)
  list(at = at, squeezed = shared, name = header[at[, "clicks"]],
    word = trimws(label_word(header[at[, "clicks"]])),
    differences = setdiff(unlist(found), at), days = label_days(header[at[, "clicks"]]))
}

# What stands beside the figure's own word.
label_word <- function(header) {
  words <- paste(column_spellings[["clicks"]], collapse = "|")
  gsub(sprintf("^(%s)\\b[ :,-]*|[ :,-]*\\b(%s)$", words, words), "", header, ignore.case = TRUE)
}

# The label of the later window: of dates the later, of words the one that is not an earlier time;
# what neither tells, the call must.
later_label <- function(labels, windows, columns, label) {
  named <- match(squeeze_name(columns["clicks"]), squeeze_name(labels$name))
  if (!is.null(columns) && !is.na(named)) return(named)
  if (all(lengths(windows) > 0)) {
    ends <- vapply(windows, function(window) as.integer(window$to), 0L)
    if (ends[1] != ends[2]) return(which.max(ends))
  }
  earlier <- grepl(earlier_words, labels$squeezed)
  if (sum(earlier) == 1) return(which(!earlier))
  abort_tide("The table compares two windows, and it does not show which is the later.",
    where = sprintf("'%s': '%s' and '%s'.", label, labels$name[1], labels$name[2]),
    fix = sprintf("Say so by `columns`: clicks=%s is the later. Parts are no windows: %s",
      labels$name[1], "export each by itself."),
    class = "columns_twice", file = label, column = "clicks", argument = "columns")
}

earlier_words <- paste0(
  "previous|prior|before|earlier|lastyear|yearago|vorig|vorher|zuvor|vorjahr|",
  "precedent|anterior|passat|scors|voorgaand|eerder|avant")

# Days that a label names: "Last 28 days"; NA where it names none.
label_days <- function(name) {
  shape <- "^.*?(\\d+)\\s*(?:-\\s*)?(days|tage|jours|d\u00edas|dias|giorni|dagen).*$"
  named <- grepl(shape, name, ignore.case = TRUE, perl = TRUE)
  days <- rep(NA_integer_, length(name))
  days[named] <- as.integer(sub(shape, "\\1", name[named], ignore.case = TRUE, perl = TRUE))
  days
}

# The windows that the labels of a header tell, each list(from, to) or NULL. Where days and months
# cannot be told apart, the order is the one in which both windows are equally long.
label_windows <- function(names, part, how) {
  dates <- regmatches(names, gregexpr(date_shape, names, ignore.case = TRUE))
  if (!all(lengths(dates) == 2)) return(rep(list(NULL), length(names)))
  orders <- c(how$date_order, "mdy", "dmy")
  tries <- lapply(orders, function(order) {
    how$date_order <- order
    # The order that the dates of both show holds for both.
    shown <- distinct_dates(trimws(unlist(dates)), order)
    if (anyNA(shown) || !inherits(shown, "IDate")) return(NULL)
    ends <- split(shown, rep(seq_along(names), each = 2))
    windows <- lapply(ends, function(own) if (own[2] >= own[1]) list(from = own[1], to = own[2]))
    if (all(lengths(windows) > 0)) unname(windows)
  })
  tries <- Filter(Negate(is.null), tries)
  if (!length(tries)) return(rep(list(NULL), length(names)))
  span <- function(window) as.integer(window$to - window$from)
  unequal <- vapply(tries, function(own) abs(span(own[[1]]) - span(own[[2]])), 0L)
  tries[[if (is.null(how$date_order)) which.min(unequal) else 1L]]
}

date_shape <- paste0("[0-9]{1,4}[-/.] ?[0-9]{1,2}[-/.] ?[0-9]{1,4}|",
  "[a-z\u00c0-\u024f]{3,10}[.]? [0-9]{1,2},? [0-9]{4}|",
  "[0-9]{1,2}[.]? [a-z\u00c0-\u024f]{3,10}[.]? [0-9]{2,4}")

# list(from, to) of two dates as texts; NULL where they are none.
window_of <- function(dates, part, how) {
  place <- list(label = part$label, unit = part$unit, lines = NULL)
  ends <- tryCatch(parse_date(dates, place, how$date_order), tide_error = function(e) NULL)
  if (!is.null(ends) && ends[2] >= ends[1]) list(from = ends[1], to = ends[2])
}

# Both windows of a table: that of the later, with `earlier`, a part of its own.
read_comparison <- function(part, how, layout, sides) {
  read <- Map(function(side, name) {
    own <- read_table(part, how, layout, side$header)
    own["window"] <- list(side$window)
    own$days <- side$days
    set(own$source, j = "file", value = sprintf("%s, %s window", own$source$file, name))
    own
  }, sides, c("later", "earlier"))
  if ("date" %in% read$later$dimensions) {
    abort_tide("The table compares two windows day by day.", where = sprintf("'%s'.", part$label),
      fix = "Export each window by date, by itself.", class = "columns_twice", file = part$label,
      column = "date")
  }
  if (!is.null(attr(sides, "dimension"))) return(parts_as_rows(read, sides))
  c(read$later, list(earlier = read$earlier))
}

# Two parts beside each other as rows of one table, with a column that says which.
parts_as_rows <- function(read, sides) {
  of <- attr(sides, "dimension")
  parts <- attr(sides, "parts")
  rows <- rbindlist(Map(function(own, part) set(own$rows, j = of, value = part), unname(read),
    parts))
  set(rows, j = of, value = factor(rows[[of]], parts))
  out <- read$later
  out$dimensions <- intersect(dimension_names, c(out$dimensions, of))
  out$rows <- setcolorder(rows[rows$impressions > 0], out$dimensions)
  out$left_out <- rbind(read$later$left_out, read$earlier$left_out)
  grain <- grain_label(out$dimensions)
  set(out$left_out, j = "grain", value = rep(grain, nrow(out$left_out)))
  label <- sub(", later window$", "", out$source$file)
  set(out$source, j = c("file", "rows", "kept", "grain"),
    value = list(label, out$source$rows + read$earlier$source$rows, nrow(out$rows), grain))
  out
}
