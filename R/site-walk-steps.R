# The walk itself: a queue of addresses, one answer after the other.

# A redirect leads on at most so often.
most_redirects <- 10L

# In: the walk and the addresses it begins with. Out: list(answers: data.table(address, status,
# location, problem), in the order they were asked for; read: pages as new_pages() takes them; left:
# how many known addresses the limit left out).
walk_on <- function(walk, starts, progress) {
  queue <- new_queue(walk)
  starts <- absolute_urls(starts, walk$site)
  queue$add(clean_url(starts[nzchar(starts)]), 0L)
  answers <- list()
  read <- list()
  failed <- 0L
  began <- Sys.time()
  while (length(answers) < walk$max_pages && !is.null(at <- queue$first())) {
    answer <- settled_answer(walk, at$address)
    leads_on <- nzchar(answer$location)
    if (leads_on && at$hops >= most_redirects) answer$problem <- too_many_redirects
    failed <- if (is.na(answer$status) && answer$problem %in% silent_host) failed + 1L else 0L
    if (failed >= 5L) {
      abort_walk("The host stopped answering.",
        sprintf("After %s of %s known pages: %s.", format_count(length(answers) + 1L),
          format_count(queue$size()), answer$problem),
        "Try again later: it goes on from there.")
    }
    answers[[length(answers) + 1L]] <- data.table(address = at$address,
      status = as.integer(answer$status), location = answer$location, problem = answer$problem)
    if (leads_on && at$hops < most_redirects) {
      queue$add(answer$location, at$depth, at$hops + 1L)
    } else if (length(answer$body)) {
      page_at <- answered_page(answer, at$address)
      read[[length(read) + 1L]] <- page_at
      if (at$depth < walk$depth) queue$add(linked_addresses(page_at), at$depth + 1L)
    }
    if (!is.null(progress) && length(answers) %% 10 == 0) {
      progress(pace_line(length(answers), min(queue$size(), walk$max_pages), began))
    }
  }
  list(answers = rbindlist(c(answers, list(queue$refused()))), read = read,
    left = queue$size() - length(answers))
}

silent_host <- c("no answer in time", "no connection", "name of the host is not known")

pace_line <- function(done, known, began) {
  rate <- done / max(0.001, as.numeric(difftime(Sys.time(), began, units = "secs")))
  left <- (known - done) / rate
  sprintf("Read %s of %s known pages, %.1f a second, about %s left", format_count(done),
    format_count(known), rate, if (left < 90) {
      format_plural(round(left), "second")
    } else {
      format_plural(round(left / 60), "minute")
    })
}

# Addresses to ask for, each once: a page has one key. Where a redirect leads (`hops` above 0) is an
# address of its own, since it may be a spelling of the same page.
new_queue <- function(walk) {
  waiting <- list(address = character(), depth = integer(), hops = integer())
  first <- 1L
  seen <- new.env(hash = TRUE)
  refused <- list()
  is_seen <- function(names) {
    vapply(names, exists, NA, envir = seen, inherits = FALSE, USE.NAMES = FALSE)
  }
  list(
    add = function(addresses, depth, hops = 0L) {
      addresses <- unique(addresses[host_of(addresses) == walk$host])
      keys <- page_key(addresses)
      fresh <- !is_seen(addresses) & (hops > 0L | !is_seen(keys) & !duplicated(keys))
      for (name in c(addresses[fresh], keys[fresh])) assign(name, TRUE, envir = seen)
      addresses <- addresses[fresh]
      if (!length(addresses)) return(invisible())
      # The first of all is the home page.
      problem <- not_to_ask(walk, addresses, home = !length(waiting$address))
      ask <- addresses[problem %in% ""]
      waiting$address <<- c(waiting$address, ask)
      waiting$depth <<- c(waiting$depth, rep(depth, length(ask)))
      waiting$hops <<- c(waiting$hops, rep(hops, length(ask)))
      no <- which(nzchar(problem) & !is.na(problem))
      refused[[length(refused) + 1L]] <<- data.table(address = addresses[no],
        status = rep(NA_integer_, length(no)), location = rep("", length(no)),
        problem = problem[no])
    },
    first = function() {
      if (first > length(waiting$address)) return(NULL)
      first <<- first + 1L
      lapply(waiting, `[`, first - 1L)
    },
    size = function() length(waiting$address),
    refused = function() rbindlist(refused))
}

# "" where an address may be asked for, else why not; missing where it is none of this walk's.
# home: whether the first address is the home page, which is asked for whatever `only` says.
not_to_ask <- function(walk, addresses, home = FALSE) {
  path <- path_of(addresses)
  out <- rep("", length(addresses))
  out[!robots_allow(walk$robots$rules, path)] <- "forbidden by robots.txt"
  deep <- which(nchar(gsub("[^/]", "", path)) > 5)
  again <- vapply(strsplit(path[deep], "/", fixed = TRUE), function(parts) {
    max(table(parts[nzchar(parts)]), 0L) > 3
  }, NA)
  out[deep[again]] <- "path that repeats itself"
  out[nchar(addresses) > 2000] <- "address of more than 2,000 characters"
  if (!is.null(walk$only)) {
    out[!grepl(walk$only, path, perl = TRUE) & !(home & seq_along(out) == 1L)] <- NA
  }
  if (!is.null(walk$not)) out[grepl(walk$not, path, perl = TRUE)] <- NA
  out
}

# Waits between requests, longer after a host asked for patience.
new_pace <- function(delay) {
  last <- -Inf
  list(wait = function() {
    now <- as.numeric(Sys.time())
    if (last + delay > now) Sys.sleep(last + delay - now)
    last <<- as.numeric(Sys.time())
  },
    slower = function() delay <<- min(30, max(0.1, 2 * delay)))
}

# The answer of one address: from this walk where it was asked before, else over HTTP. What it
# leads to is an address (`location`) or the bytes of a page (`body`).
settled_answer <- function(walk, address) {
  known <- kept_answer(walk$con, address)
  if (is.null(known) || known$walk != walk$number || is.na(known$status)) {
    known <- fresh_answer(walk, address, known)
    keep_answer(walk$con, address, walk$number, known)
  }
  if (nzchar(known$location) && host_of(known$location) != walk$host) {
    if (identical(address, walk$home)) {
      abort_walk("The home page redirects to another host.",
        sprintf("%s leads to %s.", address, known$location), "Name that address instead.")
    }
    known$problem <- "redirects to another host"
  }
  known
}

# known: what an earlier walk was answered, which counts where nothing changed since.
fresh_answer <- function(walk, address, known) {
  answer <- patient_answer(walk, address, if (length(known$body)) known)
  if (identical(answer$status, 304L) && !is.null(known)) return(known)
  leads_on <- isTRUE(answer$status %/% 100 == 3) && nzchar(answer$location)
  to <- if (leads_on) clean_url(absolute_urls(answer$location, address)) else ""
  if (leads_on && !nzchar(to)) {
    answer$problem <- sprintf("redirects to no address: %s", substr(answer$location, 1, 100))
  }
  answer$location <- to
  found <- identical(answer$status, 200L)
  if (found && nzchar(answer$type) && !grepl("html", answer$type)) {
    answer$problem <- sprintf("not HTML (%s)", answer$type)
  }
  if (!found || nzchar(answer$problem)) answer$body <- raw()
  answer
}

answered_page <- function(answer, address) {
  page_at <- read_html_page(answer$body, address, answer$encoding)
  if (is.null(page_at[["skipped"]]) && grepl("noindex|none", answer$robots)) {
    page_at$fields$noindex <- TRUE
  }
  c(page_at, list(file = address))
}

linked_addresses <- function(page) {
  # A page that cannot be read leads nowhere.
  to <- as.character(c(page$fields$leads_to, page$links$to))
  unique(clean_url(to[nzchar(to)]))
}

# Asks again where the host asks for patience, up to three times.
patient_answer <- function(walk, address, known = NULL, largest = largest_page, longest = 300) {
  for (attempt in 1:4) {
    walk$pace$wait()
    answer <- ask_page(address, walk$agent, walk$timeout, known, largest)
    if (!answer$status %in% c(429L, 503L)) break
    walk$pace$slower()
    wait <- fcoalesce(answer$wait, 5 * attempt)
    if (wait > longest) {
      abort_walk("The host asks to come back later.",
        sprintf("%s: status %d, in %s.", address, answer$status,
          format_plural(ceiling(wait / 60), "minute")),
        "Try again then: it goes on from there.")
    }
    if (attempt < 4) Sys.sleep(wait)
  }
  answer
}

# What a walk was answered, kept in one SQLite file as it comes, so that a walk that was ended at
# any instant goes on where it was, and the next one asks only for what has changed.

open_walk <- function(keep) {
  if (!is.null(keep)) dir.create(dirname(keep), recursive = TRUE, showWarnings = FALSE)
  con <- DBI::dbConnect(RSQLite::SQLite(), if (is.null(keep)) ":memory:" else keep)
  DBI::dbExecute(con, "PRAGMA busy_timeout = 10000")
  DBI::dbExecute(con, "CREATE TABLE IF NOT EXISTS walks (id INTEGER PRIMARY KEY, site TEXT,
    started REAL, finished REAL)")
  DBI::dbExecute(con, "CREATE TABLE IF NOT EXISTS answers (address TEXT PRIMARY KEY, walk INTEGER,
    status INTEGER, location TEXT, problem TEXT, etag TEXT, modified TEXT, type TEXT, robots TEXT,
    encoding TEXT, body BLOB)")
  con
}

# The number of the walk: of one of this site that was not finished, where it is not too old.
walk_number <- function(con, site, now, longest = 7 * 86400) {
  is_open <- DBI::dbGetQuery(con,
    "SELECT id FROM walks WHERE site = ? AND finished IS NULL AND started > ? ORDER BY id DESC",
    list(site, as.numeric(now) - longest))$id
  if (length(is_open)) return(is_open[1])
  DBI::dbExecute(con, "INSERT INTO walks (site, started) VALUES (?, ?)",
    list(site, as.numeric(now)))
  DBI::dbGetQuery(con, "SELECT max(id) AS id FROM walks")$id
}

finish_walk <- function(con, number, now) {
  DBI::dbExecute(con, "UPDATE walks SET finished = ? WHERE id = ?", list(as.numeric(now), number))
}

# The answer of an address from this walk or an earlier one; NULL where there is none.
kept_answer <- function(con, address) {
  at_row <- DBI::dbGetQuery(con, "SELECT * FROM answers WHERE address = ?", list(address))
  if (!nrow(at_row)) return(NULL)
  at_row <- as.list(at_row)
  packed <- at_row$body[[1]]
  at_row$body <- if (length(packed)) memDecompress(packed, "gzip") else raw()
  at_row
}

keep_answer <- function(con, address, number, answer) {
  text <- function(name) if (is.null(answer[[name]])) "" else answer[[name]]
  packed <- if (length(answer$body)) memCompress(answer$body, "gzip") else raw()
  DBI::dbExecute(con, "INSERT OR REPLACE INTO answers VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
    list(address, number, answer$status, text("location"), answer$problem, text("etag"),
      text("modified"), text("type"), text("robots"), text("encoding"), list(packed)))
}
