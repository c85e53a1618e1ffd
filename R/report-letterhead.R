# The own name, logo, colour and closing note of who hands a report over.

# letterhead: as given. Out: checked, the logo as a data address.
read_letterhead <- function(letterhead) {
  known <- c("name", "logo", "colour", "note")
  if (!is.list(letterhead) || length(letterhead) && !all(names(letterhead) %in% known)) {
    abort_argument("letterhead", paste("a list with any of", paste(known, collapse = ", ")),
      letterhead)
  }
  for (name in intersect(names(letterhead), c("name", "logo", "note"))) {
    check_text(letterhead[[name]], name)
  }
  if (!is.null(letterhead$colour) && !is_dark_colour(letterhead$colour)) {
    abort_argument("colour", dark_colour, letterhead$colour)
  }
  if (!is.null(letterhead$logo)) letterhead$logo <- logo_address(letterhead$logo)
  letterhead
}

# Shown as a picture, where scripts inside do not run.
logo_address <- function(path, most = 5e5) {
  types <- c(png = "image/png", jpg = "image/jpeg", jpeg = "image/jpeg", svg = "image/svg+xml")
  type <- types[tolower(tools::file_ext(path))]
  if (is.na(type) || !file.exists(path) || file.size(path) > most) {
    abort_argument("logo", "the path of a .png, .jpg or .svg file of at most 500 kB", path)
  }
  paste0("data:", type, ";base64,", jsonlite::base64_enc(file_bytes(path, 0, file.size(path))))
}

# The colour, and what stands at the head and foot of each printed page.
letterhead_style <- function(letterhead, title, summary) {
  style <- file_text(system.file("report", "letterhead.css", package = "inktide"))
  filled <- c(colour = first_given(letterhead$colour, ink$main), title = style_text(title),
    window = style_text(data_window(summary)))
  for (name in names(filled)) {
    style <- sub(sprintf("{%s}", name), filled[[name]], style, fixed = TRUE)
  }
  style
}

# A text inside a style sheet: every sign that could end it by its number.
style_text <- function(text) {
  signs <- utf8ToInt(enc2utf8(visible_text(text)))
  plain <- signs %in% utf8ToInt(paste(c(0:9, letters, LETTERS, " -.,:/"), collapse = ""))
  paste0("\"", paste(ifelse(plain, intToUtf8(signs, multiple = TRUE), sprintf("\\%06x", signs)),
    collapse = ""), "\"")
}
