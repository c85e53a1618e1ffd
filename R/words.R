# Sentences from facts. One table of templates a language, inst/words/, says everything that
# findings tell; nothing here computes, and nobody reads a sentence back.

# The package's own words, read once.
words_read <- new.env(parent = emptyenv())

usual_words <- function() {
  if (is.null(words_read$en)) {
    words_read$en <- yaml::yaml.load_file(system.file("words", "en.yml", package = "inktide"))
  }
  words_read$en
}

# The words that are told in: the package's, unless a face uses a file over them (tide_words()).
words_in_use <- function() first_given(words_read$used, usual_words())

use_words <- function(words) words_read$used <- words

# What a kind is called: `label` in sentences, `short` in narrow columns, `meaning` in a sentence.
kind_words <- function(kind, what) {
  kinds <- words_in_use()$kinds
  known <- unique(kind)
  words <- vapply(known, function(one) kinds[[one]][[what]], "")
  unname(words[match(kind, known)])
}

kind_label <- function(kind) kind_words(kind, "label")

# Lines with `action` and `reason`, where they have always stood in the table.
in_sentences <- function(findings, lines = findings$findings) {
  lines <- copy(as.data.table(lines))
  stride <- findings$steps[lines$task]
  set(lines, j = c("action", "reason"),
    value = list(told(findings, fcoalesce(unname(stride), lines$id), "step"),
      told(findings, lines$id, c("evidence", "comparison", "points_to", "doubt"))))
  setcolorder(lines, append(setdiff(names(lines), c("action", "reason")), c("action", "reason"),
    match("page_clicks", names(lines))))[]
}

# The verb of the first step of each line: what a task begins with.
task_verbs <- function(findings, lines) {
  words <- first_given(findings$words, words_in_use())
  wanted <- fcoalesce(unname(findings$steps[lines$task]), lines$id)
  code <- rep(NA_character_, length(wanted))
  for (batch in findings$facts) {
    if (batch$slot != "step") next
    first <- is.na(code) & wanted %chin% batch$rows$line
    code[first] <- batch$code
  }
  verbs <- unlist(words$tasks)
  fcoalesce(unname(verbs[code]), kind_words(lines$kind, "label"))
}

# What is told of these lines in these slots, the sentences of each as one text.
told <- function(findings, ids, slots) {
  lines <- unique(ids)
  text <- rep("", length(lines))
  words <- first_given(findings$words, words_in_use())
  for (batch in findings$facts) {
    if (!batch$slot %in% slots) next
    at <- chmatch(batch$rows$line, lines)
    known <- which(!is.na(at))
    if (!length(known)) next
    sentence <- told_facts(batch$code, batch$rows[known], words)
    before <- text[at[known]]
    text[at[known]] <- ifelse(nzchar(before), paste(before, sentence), sentence)
  }
  text[match(ids, lines)]
}

# The arithmetic of these lines: a vector of sentences each, named by the ids.
derivation_lines <- function(findings, ids) {
  words <- first_given(findings$words, words_in_use())
  parts <- lapply(findings$facts, function(batch) {
    known <- if (batch$slot == "derivation") which(batch$rows$line %chin% ids)
    if (!length(known)) return(NULL)
    data.table(line = batch$rows$line[known],
      text = told_facts(batch$code, batch$rows[known], words))
  })
  told_parts <- rbindlist(parts)
  if (!nrow(told_parts)) return(stats::setNames(rep(list(character()), length(ids)), ids))
  stats::setNames(split(told_parts$text, factor(told_parts$line, unique(ids)))[ids], ids)
}

# What was checked and left out: a row a reason, with its kind, how many queries, and the clicks at
# stake.
excluded_lines <- function(findings) {
  words <- first_given(findings$words, words_in_use())
  none <- data.table(kind = character(), reason = character(), queries = integer(),
    clicks = numeric())
  rbindlist(c(list(none),
    lapply(Filter(function(batch) batch$slot == "excluded", findings$facts), function(batch) {
      data.table(kind = batch$rows$line, reason = told_facts(batch$code, batch$rows, words),
        queries = as.integer(batch$rows$queries), clicks = batch$rows$clicks)
    })))
}

# The sentence of a code for each row of its fields.
told_facts <- function(code, rows, words) {
  template <- words$sentences[[code]]
  if (is.null(template)) stop(sprintf("no sentence for '%s'", code))
  filled(template_pieces(template), rows, words)
}

# A template as a list of pieces: texts, holes (list(field, one, many, chosen, print)), and optional
# parts (list(pieces)).
template_pieces <- function(template) {
  known <- words_read$pieces[[template]]
  if (!is.null(known)) return(known)
  token <- regmatches(template, gregexpr("\\{[^}]*\\}|\\[|\\]|[^][{]+", template))[[1]]
  pieces <- list()
  group <- NULL
  for (one in token) {
    if (one == "[") {
      group <- list()
    } else if (one == "]") {
      pieces <- c(pieces, list(list(pieces = group)))
      group <- NULL
    } else {
      piece <- if (startsWith(one, "{")) template_hole(substr(one, 2, nchar(one) - 1)) else one
      if (is.null(group)) pieces <- c(pieces, list(piece)) else group <- c(group, list(piece))
    }
  }
  words_read$pieces[[template]] <- pieces
  pieces
}

template_hole <- function(text) {
  field <- sub("[|?%].*$", "", text)
  rest <- substring(text, nchar(field) + 1L)
  parts <- strsplit(sub("^[|?]", "", rest), "|", fixed = TRUE)[[1]]
  direction <- substr(rest, 1, 1)
  if (direction == "|" && length(parts) == 1) parts <- c(parts, paste0(parts, "s"))
  list(field = field, forms = if (direction %in% c("|", "?")) parts, chosen = direction == "?",
    print = if (direction == "%") rest)
}

# The pieces put together, a text for each row of the fields.
filled <- function(pieces, rows, words) {
  out <- rep("", nrow(rows))
  for (piece in pieces) {
    out <- paste0(out, if (is.character(piece)) {
      piece
    } else if (is.null(piece$pieces)) {
      hole_text(piece, rows[[piece$field]], rows, words)
    } else {
      ifelse(all_known(piece$pieces, rows), filled(piece$pieces, rows, words), "")
    })
  }
  out
}

# Whether all fields that the pieces name are known, by row.
all_known <- function(pieces, rows) {
  fields <- unique(unlist(lapply(pieces, function(piece) if (is.list(piece)) piece$field)))
  Reduce(`&`, lapply(fields, function(field) {
    value <- rows[[field]]
    if (is.list(value)) !vapply(value, anyNA, NA) else !is.na(value)
  }), rep(TRUE, nrow(rows)))
}

hole_text <- function(hole, value, rows, words) {
  if (hole$chosen) return(ifelse(round(value) == 1, hole$forms[1], hole$forms[2]))
  if (!is.null(hole$print)) {
    if (endsWith(hole$print, "d")) value <- as.integer(value)
    return(in_numbers_of(sprintf(hole$print, value), words))
  }
  if (length(hole$forms)) {
    count <- in_numbers_of(format_count(value), words)
    return(paste(count, ifelse(round(value) == 1, hole$forms[1], hole$forms[2])))
  }
  field_format <- first_given(words$formats[[hole$field]], "count")
  if (!is.null(words$terms[[field_format]])) return(term_text(words$terms[[field_format]], value,
    rows, words))
  field_formats[[field_format]](value, words)
}

# A coded value in words, whose holes are fields of the same row.
term_text <- function(terms, value, rows, words) {
  out <- rep("", length(value))
  for (one in unique(value[!is.na(value)])) {
    of_term <- which(value == one)
    out[of_term] <- filled(template_pieces(terms[[one]]), rows[of_term], words)
  }
  out
}

# How the fields of facts are written.
field_formats <- list(
  count = function(x, words) in_numbers_of(format_count(x), words),
  clicks = function(x, words) in_numbers_of(format_clicks(x), words),
  signed = function(x, words) in_numbers_of(signed(x), words),
  rate = function(x, words) in_numbers_of(format_rate(x), words),
  share = function(x, words) in_numbers_of(format_share(x), words),
  position = function(x, words) in_numbers_of(format_position(x), words),
  place = function(x, words) in_numbers_of(format_place(x), words),
  times = function(x, words) in_numbers_of(sprintf("%.1f", x), words),
  day = function(x, words) format_day(x, unlist(words$months)),
  date = function(x, words) format(x),
  text = function(x, words) as.character(x),
  path = function(x, words) format_path(x),
  # Of a query without pages no page is known.
  page = function(x, words) {
    path <- format_path(x)
    ifelse(nzchar(path), path, words$unknown$page)
  },
  window = function(x, words) {
    days <- field_formats$count(x, words)
    ifelse(is.na(x), words$unknown$window,
      paste(days, ifelse(round(x) == 1, words$day[[1]], words$day[[2]])))
  },
  spelled = function(x, words) {
    ifelse(x %in% seq_along(words$spelled), unlist(words$spelled)[pmin(x, length(words$spelled))],
      field_formats$count(x, words))
  },
  kinds = function(x, words) {
    label <- function(kinds) vapply(kinds, function(one) words$kinds[[one]]$label, "")
    joined_texts(lapply(x, label), words$joins$and)
  },
  paths = function(x, words) joined_texts(lapply(x, format_path), words$joins$comma),
  sources = function(x, words) {
    ifelse(lengths(x) == 0, words$unknown$sources,
      joined_texts(lapply(x, format_path), words$joins$and))
  },
  quoted = function(x, words) joined_texts(lapply(x, in_quotes), words$joins$comma),
  quoted_or = function(x, words) joined_texts(lapply(x, in_quotes), words$joins$or))

in_quotes <- function(x) sprintf("\"%s\"", x)

joined_texts <- function(texts, by) vapply(texts, paste, "", collapse = by)

# Numbers with the signs of the language.
in_numbers_of <- function(text, words) {
  signs <- unlist(words$numbers[c("decimal", "thousands")])
  if (identical(unname(signs), c(".", ","))) return(text)
  chartr(".,", paste(signs, collapse = ""), text)
}

# How lines stand: "position 2.0, CTR 4.1% for 13%".
standing_words <- function(lines) {
  sprintf("position %s, CTR %s for %s", format_position(lines$position), format_rate(lines$ctr),
    format_rate(lines$expected_ctr))
}
