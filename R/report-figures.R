# Figures as files and as pictures inside the report.

# Width and height in inches.
save_figure <- function(figure, file, width = 9, height = 5.5) {
  write_whole(file, function(path) {
    if (grepl("\\.svg$", file)) svglite::svglite(path, width = width, height = height)
    else grDevices::png(path, width = width, height = height, units = "in", res = 144, type = "cairo")
    on.exit(grDevices::dev.off())
    print(figure)
  })
}

# An SVG element with a text alternative.
inline_svg <- function(figure, label, width = 9, height = 5) {
  device <- svglite::svgstring(width = width, height = height, standalone = FALSE)
  tryCatch(print(figure), finally = grDevices::dev.off())
  svg <- as.character(device())
  # Each figure gets names of its own for clips, since all share one page.
  mark <- sprintf("%08x", digest::digest2int(label))
  svg <- gsub("cp([A-Za-z0-9+/=|]+)", paste0("cp", mark, "\\1"), svg)
  svg <- sub("<svg ", sprintf("<svg role='img' aria-label='%s' ", htmltools::htmlEscape(label, attribute = TRUE)), svg)
  sprintf("<figure>%s</figure>", svg)
}
