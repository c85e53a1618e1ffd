# Text for people: counts, rates, dates. NA becomes an empty text.

format_count <- function(x) {
  out <- ifelse(is.na(x), "", sprintf("%.0f", round(x) + 0))
  # Marking thousands is slow, and most counts have none.
  large <- which(abs(x) >= 999.5 & is.finite(x))
  out[large] <- gsub("(\\d)(?=(\\d{3})+$)", "\\1,", out[large], perl = TRUE)
  out
}

# Few clicks deserve a decimal, many do not.
format_clicks <- function(x) {
  ifelse(is.na(x), "", ifelse(abs(x) < 10, formatC(x, format = "f", digits = 1), format_count(x)))
}

# Clicks gained; what rounds to nothing says so.
format_gain <- function(x) {
  ifelse(is.na(x), "", ifelse(x > 0 & x < 0.05, "<0.1", paste0("+", format_clicks(x))))
}

format_rate <- function(x) {
  digits <- ifelse(is.na(x) | x >= 0.0995 | x < 5e-5, 0, ifelse(x < 0.001, 2, 1))
  out <- sprintf("%.*f%%", as.integer(digits), 100 * x)
  ifelse(is.na(x), "", out)
}

format_position <- function(x) ifelse(is.na(x), "", sprintf("%.1f", x))

# Places that were chosen, whole as most are: "8", "5.3".
format_place <- function(x) sub("\\.0$", "", sprintf("%.1f", x))

# A little is never shown as nothing.
format_share <- function(x) {
  ifelse(is.na(x), "", ifelse(x > 0 & x < 0.005, "<1%", sprintf("%.0f%%", 100 * x)))
}

# A chance is never shown as certain.
format_sure <- function(x) {
  ifelse(is.na(x), "", ifelse(x > 0.99, ">99%", sprintf("%.0f%%", 100 * x)))
}

# "12 Sep 2026", whatever the language of the session.
format_day <- function(date, months = month.abb) {
  at <- as.POSIXlt(date)
  sprintf("%d %s %d", at$mday, months[at$mon + 1L], at$year + 1900L)
}

format_days <- function(from, to) sprintf("%s to %s", format(from), format(to))

format_month <- function(month, months = month.abb) {
  at <- as.POSIXlt(month)
  sprintf("%s %d", months[at$mon + 1L], at$year + 1900L)
}

# "1 row", "2 rows"
format_plural <- function(n, one, many = paste0(one, "s")) {
  paste(format_count(n), ifelse(round(n) == 1, one, many))
}

format_hours <- function(hours) {
  sprintf("%s %s", sub("[.]0$", "", formatC(hours, format = "f", digits = 1, big.mark = ",")),
    ifelse(hours == 1, "hour", "hours"))
}

# A page's address without scheme and host, for reading; the home page stays "/".
format_path <- function(url) {
  path <- sub("^[a-z][a-z0-9+.-]*://[^/]*", "", url)
  ifelse(nzchar(path), path, ifelse(nzchar(url), "/", ""))
}

# Columns of plain text: cut with an ellipsis where too long, filled with spaces where too short.
fit_text <- function(text, width) {
  long <- nchar(text, "width") > width
  text[long] <- paste0(strtrim(text[long], width - 1), "\u2026")
  paste0(text, strrep(" ", pmax(0, width - nchar(text, "width"))))
}

pad_left <- function(text, width) paste0(strrep(" ", pmax(0, width - nchar(text, "width"))), text)

# Addresses differ at their end.
fit_path <- function(path, width) {
  long <- which(nchar(path, "width") > width)
  path[long] <- vapply(strsplit(path[long], ""), function(letters) {
    wide <- rev(cumsum(rev(nchar(letters, "width"))))
    paste0("\u2026", paste(letters[wide < width], collapse = ""))
  }, "")
  fit_text(path, width)
}

# Lines longer than the width are broken at words and go on a little further in.
wrap_lines <- function(lines, width) {
  unlist(lapply(lines, function(line) {
    if (nchar(line, "width") <= width) return(line)
    indent <- nchar(sub("^( *).*$", "\\1", line))
    strwrap(line, width, indent = indent, exdent = indent + 2)
  }))
}

lower_first <- function(text) paste0(tolower(substr(text, 1, 1)), substring(text, 2))

signed <- function(x) {
  ifelse(is.na(x), "",
    ifelse(abs(x) < 0.05, "0", paste0(ifelse(x < 0, "-", "+"), format_clicks(abs(x)))))
}

percent_size <- function(ratio) sprintf("%.0f%%", 100 * abs(ratio - 1))

percent_change <- function(ratio) {
  sub("^[+-]0%$", "0%", paste0(ifelse(ratio < 0.995, "-", "+"), percent_size(ratio)))
}

format_ratio <- function(x) ifelse(is.na(x), "", sprintf("x%.2f", x))

# Eight heights of bar.
bars <- function(value) {
  heights <- c("\u2581", "\u2582", "\u2583", "\u2584", "\u2585", "\u2586", "\u2587", "\u2588")
  if (all(is.na(value))) return("")
  height <- if (max(value, na.rm = TRUE) > 0) {
    ceiling(8 * value / max(value, na.rm = TRUE))
  } else {
    rep(1, length(value))
  }
  paste(ifelse(is.na(value), " ", heights[pmax(1, height)]), collapse = "")
}

# Trend cells that came with search volumes, as small lines.
trend_bars <- function(cells) {
  vapply(strsplit(fcoalesce(as.character(cells), ""), " "),
    function(values) bars(as.numeric(values)), "")
}

signed_count <- function(x) {
  ifelse(is.na(x), "",
    ifelse(abs(x) < 0.5, "0", paste0(ifelse(x < 0, "-", "+"), format_count(abs(x)))))
}

# With its sign and one decimal; what rounds to nothing has none.
signed_tenth <- function(x) {
  ifelse(is.na(x), "", sub("^[+-]0[.]0$", "0.0", sprintf("%+.1f", x)))
}

# Width of a column of names: what is free, but no wider than they are, and never less than `least`.
name_width <- function(names, free, least = 16) {
  max(least, min(free, max(nchar(names, "width")) + 1))
}

# Columns of a table with their heads: the first `left` are names, the others figures, to the right.
column_lines <- function(head, cells, left = 1) {
  rows <- rbind(head, cells)
  wide <- apply(nchar(rows, "width"), 2, max)
  out <- vapply(seq_len(ncol(rows)), function(i) {
    if (i > left) return(pad_left(rows[, i], wide[i] + 2))
    paste0(if (i > 1) "  ", fit_text(rows[, i], wide[i]))
  }, character(nrow(rows)))
  apply(out, 1, paste, collapse = "")
}

# How much of the line such columns of figures take.
columns_width <- function(head, cells) {
  sum(apply(nchar(rbind(head, cells), "width"), 2, max) + 2)
}

gain_range <- function(low, high) sprintf("%s to %s", format_clicks(low), format_clicks(high))
