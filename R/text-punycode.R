# Names of hosts in other scripts as the domain name system has them: "xn--" and the letters as
# Punycode (RFC 3492).

# Parameters of section 5.
puny_base <- 36L
puny_skew <- 38L
puny_damp <- 700L
puny_least <- 1L
puny_most <- 26L
puny_begin <- 128L
puny_bias <- 72L

# Hosts in lower case, each label that is not ASCII encoded.
ascii_hosts <- function(hosts) {
  odd <- which(grepl("[^\\x01-\\x7f]", hosts, perl = TRUE))
  hosts[odd] <- vapply(hosts[odd], function(host) {
    # Compatible forms are one, and full stops of other scripts are stops (UTS 46).
    host <- gsub("[\u3002\uff0e\uff61]", ".", enc2utf8(host))
    host <- tolower(utf8::utf8_normalize(host, map_compat = TRUE))
    paste(vapply(strsplit(host, ".", fixed = TRUE)[[1]], ascii_label, ""), collapse = ".")
  }, "")
  hosts
}

ascii_label <- function(label) {
  code <- utf8ToInt(label)
  if (all(code < 128L)) label else paste0("xn--", punycode(code))
}

# Code points as Punycode, the procedure of RFC 3492, section 6.3.
punycode <- function(code) {
  plain <- code[code < 128L]
  out <- intToUtf8(c(plain, if (length(plain)) utf8ToInt("-")))
  next_code <- puny_begin
  delta <- 0
  bias <- puny_bias
  done <- length(plain)
  while (done < length(code)) {
    least <- min(code[code >= next_code])
    delta <- delta + (least - next_code) * (done + 1)
    next_code <- least
    for (one in code) {
      if (one < next_code) delta <- delta + 1
      if (one != next_code) next
      out <- paste0(out, puny_number(delta, bias))
      bias <- puny_adapted(delta, done + 1, done == length(plain))
      delta <- 0
      done <- done + 1L
    }
    delta <- delta + 1
    next_code <- next_code + 1L
  }
  out
}

# A number as digits of variable weight, a to z and 0 to 9.
puny_number <- function(number, bias) {
  direction <- c(letters, 0:9)
  out <- character()
  k <- puny_base
  repeat {
    threshold <- min(max(k - bias, puny_least), puny_most)
    if (number < threshold) break
    out <- c(out, direction[threshold + (number - threshold) %% (puny_base - threshold) + 1])
    number <- (number - threshold) %/% (puny_base - threshold)
    k <- k + puny_base
  }
  paste(c(out, direction[number + 1]), collapse = "")
}

puny_adapted <- function(delta, points, first) {
  delta <- if (first) delta %/% puny_damp else delta %/% 2
  delta <- delta + delta %/% points
  k <- 0
  while (delta > ((puny_base - puny_least) * puny_most) %/% 2) {
    delta <- delta %/% (puny_base - puny_least)
    k <- k + puny_base
  }
  k + ((puny_base - puny_least + 1) * delta) %/% (delta + puny_skew)
}
