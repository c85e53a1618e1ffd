# Words of one's own over the package's.

#' Words of the findings
#'
#' The sentences in which findings are told, from a table of templates: the one that ships with the
#' package, and a file of one's own over it, for another language or a way of one's own of putting
#' it. In a project `words: FILE` in `inktide.yml` names that file.
#'
#' @param file A YAML file with parts of the package's own
#'   (`system.file("words", "en.yml", package = "inktide")`): `sentences`, `terms`, `numbers` and so
#'   on; what it does not hold is told as usual. `NULL`: the package's words.
#' @return A `tide_words` object, a list of those parts, for `words` of
#'   [tidy()][tide_findings_tables].
#' @section Errors: `tide_error_settings` for a part or sentence that there is none of, or a hole
#'   that the package's own sentence does not have, with its line.
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
    own <- as.list(read_settings(read_yaml_settings(file), word_kinds(words), file))
    for (code in names(own$sentences)) {
      check_holes(own$sentences[[code]], words$sentences[[code]], file, c("sentences", code))
    }
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

check_holes <- function(template, usual, file, path) {
  holes <- function(template) {
    regmatches(template, gregexpr("(?<=\\{)[a-z_0-9]+", template, perl = TRUE))[[1]]
  }
  unknown <- setdiff(holes(template), holes(usual))
  if (length(unknown)) {
    abort_setting(file, path, path[2], sprintf("a sentence with holes among {%s}, not {%s}",
      paste(unique(holes(usual)), collapse = "}, {"), unknown[1]))
  }
}

#' @export
format.tide_words <- function(x, ...) {
  sprintf("<tide_words> %s, %s", format_plural(length(x$sentences), "sentence"),
    format_plural(sum(lengths(x$terms)), "term"))
}
