# Results of the program: a table for people, CSV or JSON for machines; to standard output or a
# whole file.

terminal_width <- function() {
  width <- suppressWarnings(as.integer(Sys.getenv("COLUMNS")))
  if (is.na(width) && isatty(stdout())) width <- cli::console_width()
  if (is.na(width)) 80L else max(60L, min(width, 160L))
}

# Lines of a result. What did not arrive is an error.
say <- function(lines) write_output(visible_lines(lines))

write_output <- function(text) {
  # Where R itself sends its output elsewhere.
  if (sink.number() > 0) return(writeLines(enc2utf8(text), stdout(), useBytes = TRUE))
  tryCatch(write_lines(text, 1), tide_closed = stop, error = function(e) {
    abort_tide("The output cannot be written.",
      where = sprintf("standard output: %s.", plain_cause(e)),
      fix = "Make room, or write it elsewhere.", class = "write")
  })
}

# What is said besides, on standard error: where nobody hears it, the work goes on.
tell <- function(lines) {
  if (sink.number(type = "message") != 2) return(writeLines(visible_lines(lines), stderr()))
  tryCatch(write_lines(visible_lines(lines), 2), error = function(e) NULL)
}

visible_lines <- function(lines) {
  visible_text(unlist(strsplit(paste0(lines, "\n"), "\n", fixed = TRUE)))
}

# rows: a table of the contract's columns; lines: the same for people; paint: gives the lines their
# colours.
emit <- function(options, rows, lines, paint = identity) {
  text <- switch(options$format, csv = csv_lines(rows), json = json_lines(rows),
    paint(visible_lines(lines)))
  if (is.null(options$out)) return(write_output(text))
  write_whole(options$out, function(path) write_lines(text, path))
  note(options, sprintf("written: %s", options$out))
}

# One line a piece of work: what one step mends stands below its first query.
findings_lines <- function(findings, top, width) {
  all <- findings$findings
  leads <- all[all$id == all$task]
  found <- utils::head(leads, top)
  if (!nrow(found)) {
    return(c(sprintf(paste("Nothing to fix among %s: nothing falls short, stands close or competes",
      "by more than the usual spread."),
      format_plural(findings$tested, "tested query x page pair")),
      aside_text(findings, width)))
  }
  total <- total_gain(all)
  free <- width - 49
  query <- max(14, floor(free * 0.55))
  page <- max(10, free - query)
  line <- function(rank, kind, query_text, page_text, gain, sure, hours, position, ctr, curve) {
    paste0(pad_left(rank, 3), " ", fit_text(kind, 9), " ", query_text, " ", page_text,
      pad_left(gain, 7), pad_left(sure, 5), pad_left(hours, 4), pad_left(position, 5),
      pad_left(ctr, 6), pad_left(curve, 6))
  }
  along <- table(factor(all$task, found$task)) - 1
  named <- ifelse(along > 0,
    paste0(fit_text(found$query, query - 4), pad_left(sprintf("+%d", along), 4)),
    fit_text(found$query, query))
  rows <- line(found$rank, kind_fact(found$kind, "short"), named,
    fit_path(format_path(found$page), page), paste0("+", format_clicks(found$task_gain)),
    format_sure(found$confidence), sprintf("%.3g", found$hours), format_position(found$position),
    format_rate(found$ctr), format_rate(found$expected_ctr))
  head <- line("#", "kind", fit_text("query", query), fit_text("page", page), "gain", "sure", "h",
    "pos", "ctr", "curve")
  more <- nrow(leads) - nrow(found)
  worth <- gain_text(all)
  c(
    sub(" +$", "", head),
    rows,
    if (more > 0) {
      sprintf("    ... and %s more (--top N, or --format csv for all)", format_count(more))
    },
    "",
    strwrap(sprintf(paste("Together +%s clicks per 30 days (%s to %s)%s. gain: expected extra",
      "clicks per 30 days%s; sure: chance that it is real; h: hours of work;",
      "curve: CTR this site earns there. In order of %s x sure / h."),
      format_clicks(total$gain), format_clicks(total$low), format_clicks(total$high), worth,
      if (any(along > 0)) {
        ", of all queries that one step serves (+N: so many besides the one named)"
      } else {
        ""
      },
      if (is.null(all[["gain_value"]])) "gain" else "money"),
      width),
    aside_text(findings, width),
    "",
    "First steps",
    unlist(lapply(seq_len(min(3, nrow(found))), function(i) {
      c(strwrap(sprintf("%d. %s", found$rank[i], found$action[i]), width, exdent = 3),
        strwrap(found$reason[i], width, indent = 3, exdent = 3))
    })))
}

gain_text <- function(found) {
  sum_of <- function(name) if (!is.null(found[[name]])) sum(found[[name]], na.rm = TRUE)
  c(if (!is.null(sum_of("gain_conversions"))) {
    paste0(", about ", format_clicks(sum_of("gain_conversions")), " conversions",
      if (!is.null(sum_of("gain_value"))) paste0(" worth ", format_count(sum_of("gain_value"))))
  },
    "")[1]
}

# What was recognised and is no finding.
aside_text <- function(findings, width) {
  if (!NROW(findings$aside)) return(NULL)
  rows <- findings$aside[order(-findings$aside$queries)]
  c(
    "",
    "Recognised, and no findings",
    unlist(lapply(sprintf("%s: %s", format_plural(rows$queries, "query", "queries"), rows$reason),
      strwrap, width = width, indent = 2, exdent = 4)))
}

groups_lines <- function(groups, top, width) {
  if (!nrow(groups)) return("Nothing to fix.")
  by <- names(groups)[2]
  shown <- utils::head(groups, top)
  free <- max(20, width - 46)
  name <- if (by == "page") fit_path(format_path(shown$page), free) else fit_text(shown[[by]], free)
  line <- function(rank, name, findings, gain, range, hours) paste0(pad_left(rank, 3), " ", name,
    pad_left(findings, 9), pad_left(gain, 8), pad_left(range, 15), pad_left(hours, 7))
  more <- nrow(groups) - nrow(shown)
  c(
    line("#", fit_text(by, free), "findings", "gain", "90 %", "hours"),
    line(shown$rank, name, format_count(shown$findings), paste0("+", format_clicks(shown$gain)),
      gain_range(shown$gain_low, shown$gain_high), sprintf("%.3g", shown$hours)),
    if (more > 0) sprintf("    ... and %s more (--top N)", format_count(more)))
}

rivals_lines <- function(rivals) {
  line <- function(...) paste0("  ", fit_text(..1, 8), pad_left(..2, 22), pad_left(..3, 22),
    pad_left(..4, 8))
  c(
    sprintf("Foretelling %s held out, %s", format_plural(rivals$pairs[1], "pair"),
      rivals$segment[1]),
    line("method", "log likelihood a pair", "behind the best", "spread"),
    line(rivals$method, sprintf("%.4f", rivals$log_likelihood),
      ifelse(rivals$behind == 0, "", sprintf("%.4f (se %.4f)", rivals$behind, rivals$behind_se)),
      sprintf("%.2f", rivals$spread)))
}

curve_lines <- function(curve, rows, changed = NULL) {
  line <- function(...) paste0("  ", pad_left(..1, 8), pad_left(..2, 8), pad_left(..3, 9),
    pad_left(..4, 9), pad_left(..5, 15), pad_left(..6, 8), pad_left(..7, 11), pad_left(..8, 8))
  c(unlist(lapply(unique(rows$segment), function(s) {
    at <- rows[which(rows$segment == s)]
    c(
      s,
      line("position", "ctr", "low", "high", "queries", "pivot", "impr.", "pairs"),
      line(as.character(at$position), format_rate(at$ctr), format_rate(at$ctr_low),
        format_rate(at$ctr_high),
        sprintf("%s-%s", format_rate(at$queries_low), format_rate(at$queries_high)),
        format_rate(at$pivot_ctr), format_count(at$impressions), format_count(at$pairs)),
      "")
  })),
    wrap_lines(c(
      sprintf(paste("low, high: %s interval of the curve; queries: between these four of five",
        "queries have their own rate."),
        format_share(curve$level)),
      "pivot: plain clicks / impressions at the rounded position.",
      band_lines(curve, unique(rows$segment)),
      parts_lines(curve),
      difference_lines(curve),
      change_line(changed),
      if (!is.null(curve$cut)) {
        sprintf(paste("The export was cut: pairs with %s or fewer clicks are missing from it,",
          "and the curve is corrected for that."),
          format_count(curve$cut))
      }),
      terminal_width()))
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
