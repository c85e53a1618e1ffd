# An export that compares two windows holds each figure twice, often with a column of differences.
# Its later window is read as any table is; the earlier one is kept beside it, for comparisons.

# The windows of such a header, or NULL: list(later, earlier), each list(header: as a table of that
# window alone would have it, window: list(from, to) or NULL, days: or NA). columns: an explicit
# mapping, of which clicks tells the later window.
comparison_sides <- function(header, part, how) {
  label_texts <- comparison_labels(header)
  if (is.null(label_texts)) return(NULL)
  windows <- lapply(label_texts$name, label_window, part = part, how = how)
  windows_named <- part$filters[["windows"]]
  later <- later_label(label_texts, windows, how$columns, part$label)
  side <- function(i, of) {
    span <- if (is.null(windows[[i]])) windows_named[[of]] else windows[[i]]
    own <- header
    own[label_texts$at[-i, ]] <- ""
    own[label_texts$differences] <- ""
    own[label_texts$at[i, ]] <- colnames(label_texts$at)
    list(header = own, window = span,
      days = if (is.null(span)) label_texts$days[i] else as.integer(span$to - span$from) + 1L)
  }
  list(later = side(later, "later"), earlier = side(3L - later, "earlier"))
}

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
    differences = setdiff(unlist(found), at), days = label_days(header[at[, "clicks"]]))
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

# The window that a label of a header tells, or NULL.
label_window <- function(name, part, how) {
  dates <- regmatches(name, gregexpr(date_shape, name))[[1]]
  if (length(dates) == 2) window_of(dates, part, how)
}

date_shape <- "[0-9]{1,4}[-/.] ?[0-9]{1,2}[-/.] ?[0-9]{1,4}"

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
  c(read$later, list(earlier = read$earlier))
}
