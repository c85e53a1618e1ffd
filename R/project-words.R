# Words of one's own over the package's.

#' Words of the findings
#'
#' The sentences in which findings are told, from a table of templates: the one that ships with the
#' package, and a file of one's own over it, for another language or a way of one's own of putting
#' it. In a project `words: FILE` in `inktide.yml` names that file.
#'
#' @param file A YAML file with parts of the package's own
#'   (`system.file("words", "en.yml", package = "inktide")`): `sentences`, `terms`, `kinds`,
#'   `columns`, `numbers`, `months` and so on, but not `formats`; what it does not hold is told as
#'   usual.
#'   `NULL`: the package's words.
#' @return A `tide_words` object, a list of those parts, for `words` of
#'   [tidy()][tide_findings_tables].
#' @section Errors: `tide_error_settings` for a part or sentence that there is none of, a hole that
#'   the package's own sentence does not have, or brackets that do not close, with its line.
#' @examples
#' own <- tempfile(fileext = ".yml")
#' writeLines("sentences: {say_phrase: 'Write about {query} on {page}.'}", own)
#' tide_words(own)$sentences$say_phrase
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tidy(found, words = tide_words(own))$action[1]
#' @export
tide_words <- function(file = NULL) {
  words <- usual_words()
  if (!is.null(file)) {
    # How fields and columns are written belongs to what they hold.
    known <- words[names(words) != "formats"]
    known$columns <- lapply(words$columns, function(one) {
      one[!names(one) %in% c("format", "width")]
    })
    own <- as.list(read_settings(read_yaml_settings(file), word_kinds(known), file))
    check_words(own, known, file)
    words <- utils::modifyList(words, own)
  }
  structure(words, class = c("tide_words", "tide_result"))
}

# What may stand in such a file: texts where the package has texts, lists where it has lists.
word_kinds <- function(words) {
  lapply(words, function(part) {
    if (is.list(part)) return(word_kinds(part))
    if (length(part) > 1) "words" else "text"
  })
}

# Every text stands for one of the package's: with holes among its, lists with as many words.
check_words <- function(own, usual, file, path = character()) {
  for (name in names(own)) {
    here <- c(path, name)
    if (is.list(own[[name]])) {
      check_words(own[[name]], usual[[name]], file, here)
    } else if (length(own[[name]]) != length(usual[[name]])) {
      abort_setting(file, here, name, format_plural(length(usual[[name]]), "word"))
    } else if (path[1] %in% c("sentences", "terms")) {
      check_template(own[[name]], usual[[name]], file, here)
    } else if (path[1] %in% "numbers" && nchar(own[[name]]) != 1) {
      abort_setting(file, here, name, "one sign")
    }
  }
}

# A hole is one of the package's sentence, written as there or with words of one's own for one and
# for several.
check_template <- function(template, usual, file, path) {
  must <- function(text) abort_setting(file, path, path[length(path)], text)
  holes <- function(text) regmatches(text, gregexpr("\\{[^}]*\\}", text))[[1]]
  field <- function(hole) sub("^\\{([^|?%}]*).*$", "\\1", hole)
  given <- holes(template)
  known <- holes(usual)
  unknown <- setdiff(field(given), field(known))
  if (length(unknown)) {
    must(sprintf("a sentence with holes among {%s}, not {%s}",
      paste(unique(field(known)), collapse = "}, {"), unknown[1]))
  }
  # Counted in the package's sentence, so that it is a number there.
  counted <- field(grep("[|?]", known, value = TRUE))
  shape <- "^\\{[a-z_0-9]+([|][^|]+([|][^|]+)?|[?][^|]+[|][^|]+)\\}$"
  good <- given %in% c(known, sprintf("{%s}", field(known))) |
    grepl(shape, given) & field(given) %in% counted
  if (!all(good)) must(sprintf("a sentence without the hole %s", given[!good][1]))
  rest <- gsub("\\{[^}]*\\}", "", template)
  if (grepl("[{}]", rest) || grepl("[][]", gsub("\\[[^][]*\\]", "", rest))) {
    must("a sentence whose brackets close, none within another")
  }
}

#' @export
format.tide_words <- function(x, ...) {
  sprintf("<tide_words> %s, %s", format_plural(length(x$sentences), "sentence"),
    format_plural(sum(lengths(x$terms)), "term"))
}
