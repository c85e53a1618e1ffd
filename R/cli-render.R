# Results of the program: a table for people, CSV or JSON for machines; to standard output or a
# whole file.

terminal_width <- function() {
  width <- suppressWarnings(as.integer(Sys.getenv("COLUMNS")))
  if (is.na(width) && isatty(stdout())) width <- cli::console_width()
  if (is.na(width)) 80L else max(60L, min(width, 160L))
}

# Lines of a result. What did not arrive is an error.
# Made before anything is written, so that what is wrong with them is no fault of the output.
cli_out <- function(lines) {
  text <- visible_lines(lines)
  write_output(text)
}

write_output <- function(text) {
  clear_progress()
  # Where R itself sends its output elsewhere.
  if (sink.number() > 0) return(writeLines(enc2utf8(text), stdout(), useBytes = TRUE))
  tryCatch(write_lines(text, 1), error = function(e) {
    # Whoever reads has seen enough, which is no fault.
    if (inherits(e, "tide_closed")) stop(e)
    abort_tide("The output cannot be written.",
      where = sprintf("standard output: %s.", plain_cause(e)),
      fix = "Make room, or write it elsewhere.", class = "write")
  })
}

# What is said besides, on standard error; write failures are ignored.
cli_err <- function(lines) {
  clear_progress()
  if (sink.number(type = "message") != 2) return(writeLines(visible_lines(lines), stderr()))
  tryCatch(write_lines(visible_lines(lines), 2), error = function(e) NULL)
}

visible_lines <- function(lines) {
  visible_text(unlist(strsplit(paste0(lines, "\n"), "\n", fixed = TRUE)))
}

# Lines as `paint` colours them where they go to a terminal that has colours, whatever becomes of
# messages.
painted <- function(lines, options, paint) {
  colours <- cli::num_ansi_colors(stdout())
  if (!is.null(options$out) || options$format != "table" || colours < 2) return(lines)
  before <- base::options(cli.num_colors = colours)
  on.exit(base::options(before))
  paint(lines)
}

# rows: a table of the contract's columns; lines: the same for people; paint: gives the lines their
# colours.
cli_result <- function(options, rows, lines, paint = identity) {
  text <- switch(options$format, csv = csv_lines(rows), json = json_lines(rows),
    paint(visible_lines(lines)))
  if (is.null(options$out)) return(write_output(text))
  write_whole(options$out, function(path) write_lines(text, path))
  cli_note(options, sprintf("written: %s", options$out))
}

rivals_lines <- function(rivals) {
  text_line <- function(...) paste0("  ", fit_text(..1, 8), pad_left(..2, 22), pad_left(..3, 22),
    pad_left(..4, 8))
  c(
    sprintf("Predicting %s held out, %s", format_plural(rivals$pairs[1], "pair"),
      rivals$segment[1]),
    text_line("method", "log likelihood a pair", "behind the best", "spread"),
    text_line(rivals$method, sprintf("%.4f", rivals$log_likelihood),
      ifelse(rivals$behind == 0, "", sprintf("%.4f (se %.4f)", rivals$behind, rivals$behind_se)),
      sprintf("%.2f", rivals$spread)))
}

curve_lines <- function(curve, rows, changed = NULL) {
  text_line <- function(...) paste0(pad_left(..1, 10), pad_left(..2, 8), pad_left(..3, 9),
    pad_left(..4, 9), pad_left(..5, 9), pad_left(..6, 11), pad_left(..7, 13), pad_left(..8, 8))
  c(unlist(lapply(unique(rows$segment), function(s) {
    if (!s %in% seen_segments(curve)) return(c(unseen_segment(s), ""))
    at <- rows[which(rows$segment == s)]
    # Where nothing was seen any more the curve is a guess, and its rows tell nothing.
    last <- max(1L, which(at$pairs > 0))
    beyond <- at$position[-seq_len(last)]
    at <- at[seq_len(last)]
    c(
      text_line(s, "CTR", "low", "high", "pivot", "clicks", "impressions", "pairs"),
      text_line(as.character(at$position), format_rate(at$ctr), format_rate(at$ctr_low),
        format_rate(at$ctr_high), format_rate(at$pivot_ctr), format_count(at$clicks),
        format_count(at$impressions), format_count(at$pairs)),
      if (length(beyond)) {
        sprintf("          no evidence from position %s on", format_place(beyond[1]))
      },
      "")
  })),
    wrap_lines(c(
      parts_lines(curve),
      difference_lines(curve),
      change_line(changed),
      if (!is.null(curve$cut)) {
        sprintf(paste("The export was cut: rows %s are missing from it, and the curve is corrected",
          "for that."),
          if (curve$cut > 0) {
            sprintf("with %s or fewer", format_plural(curve$cut, "click"))
          } else {
            "without clicks"
          })
      }),
      terminal_width()))
}

curve_legend <- function(curve, rows) {
  c(
    sprintf("low, high: %s interval of the curve.", format_share(curve$level)),
    "pivot: plain clicks / impressions at the rounded position.",
    "pairs: queries on pages that were shown there.",
    band_lines(curve, intersect(rows$segment, seen_segments(curve))))
}

band_lines <- function(curve, segments) {
  bands <- curve_bands(curve)
  vapply(segments, function(name) {
    own <- bands[which(bands$segment == name)]
    sprintf("pooled by band, %s: %s", name,
      paste(sprintf("%s %s", own$band, format_rate(own$ctr)), collapse = ", "))
  }, "", USE.NAMES = FALSE)
}

# Each part against the one with most clicks, where it is the whole split that was asked for.
difference_lines <- function(curve, at = c(1, 3, 10)) {
  if (is.null(curve$by)) return(NULL)
  clicks <- vapply(Filter(function(fit) !is.null(fit$leans), curve$fits), `[[`, 0, "clicks")
  parts <- names(sort(clicks, decreasing = TRUE))
  if (length(parts) < 2 || curve$by == "month") return(NULL)
  vapply(utils::head(parts[-1], 5), function(part) {
    gap <- tide_compare(curve, part, parts[1], at)
    sprintf("%s against %s: %s", part, parts[1],
      paste(sprintf("x%.2f (%.2f to %.2f) at %d", gap$ratio, gap$ratio_low, gap$ratio_high,
        as.integer(gap$position)),
        collapse = ", "))
  }, "", USE.NAMES = FALSE)
}

# Parts that are mostly their parent's.
parts_lines <- function(curve) {
  leaning <- Filter(function(fit) !is.null(fit$leans) && fit$leans > 0.5, curve$fits)
  if (!length(leaning)) return(NULL)
  sprintf("%s: %s, so it leans on '%s' by %s", names(leaning),
    format_plural(vapply(leaning, `[[`, 0L, "queries"), "query", "queries"), names(curve$fits)[1],
    format_share(vapply(leaning, `[[`, 0, "leans")))
}

change_line <- function(changed) {
  if (is.null(changed)) return(NULL)
  clearest <- which(changed$changed)
  at <- changed[clearest, ]
  if (!nrow(at)) return("No month changed CTR at equal position by more than luck and a twentieth.")
  sprintf("CTR at equal position changed in %s: x%.2f (%.2f to %.2f) of what it was before.",
    at$month, at$ratio, at$ratio_low, at$ratio_high)
}
