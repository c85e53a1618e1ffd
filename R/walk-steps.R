# The walk itself: a queue of addresses, one answer after the other.

# A redirect leads on at most so often.
most_redirects <- 10L

# In: the walk and the addresses it begins with. Out: data.table(address, status, location,
# problem), in the order they were asked for; bodies stay in the file.
walk_on <- function(walk, starts, progress) {
  queue <- new_queue(walk)
  for (start in clean_url(starts)) queue$add(start, 0L, 0L)
  answers <- list()
  pace <- new_pace(walk$delay)
  failed <- 0L
  began <- Sys.time()
  while (length(answers) < walk$max_pages && !is.null(at <- queue$first())) {
    answer <- settled_answer(walk, at$address, pace, queue)
    if (nzchar(answer$location) && at$hops >= most_redirects) answer$problem <- too_many_redirects
    failed <- if (is.na(answer$status) && answer$problem %in% silent_host) failed + 1L else 0L
    if (failed >= 5L) {
      abort_walk("The host stopped answering.",
        sprintf("After %s of %s known pages: %s.", format_count(length(answers) + 1L),
          format_count(queue$size()), answer$problem),
        "Try again later: it goes on from there.")
    }
    answers[[length(answers) + 1L]] <- data.table(address = at$address,
      status = as.integer(answer$status), location = answer$location, problem = answer$problem)
    if (nzchar(answer$location) && at$hops < most_redirects) {
      queue$add(answer$location, at$depth, at$hops + 1L, exact = TRUE)
    } else if (length(answer$body) && at$depth < walk$depth) {
      for (link in answer$links) queue$add(link, at$depth + 1L, 0L)
    }
    if (!is.null(progress) && length(answers) %% 10 == 0) {
      progress(pace_line(length(answers), min(queue$size(), walk$max_pages), began))
    }
  }
  out <- rbindlist(c(answers, list(queue$refused())))
  attr(out, "left") <- queue$size() - length(answers)
  out
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

# Addresses to ask for, each once. A page has one key; where a redirect leads is an address of its
# own.
new_queue <- function(walk) {
  waiting <- list()
  first <- 1L
  seen <- new.env(hash = TRUE)
  refused <- list()
  refuse <- function(address, problem) {
    refused[[length(refused) + 1L]] <<-
      data.table(address = address, status = NA_integer_, location = "", problem = problem)
  }
  list(
    add = function(address, depth, hops, exact = FALSE) {
      if (!identical(host_of(address), walk$host)) return(invisible())
      known <- c(address, if (!exact) page_key(address))
      if (any(vapply(known, exists, NA, envir = seen, inherits = FALSE))) return(invisible())
      for (name in unique(c(known, page_key(address)))) assign(name, TRUE, envir = seen)
      problem <- not_to_ask(walk, address, home = !length(waiting))
      if (is.na(problem)) return(invisible())
      if (nzchar(problem)) return(refuse(address, problem))
      waiting[[length(waiting) + 1L]] <<- list(address = address, depth = depth, hops = hops)
    },
    first = function() {
      if (first > length(waiting)) return(NULL)
      first <<- first + 1L
      waiting[[first - 1L]]
    },
    size = function() length(waiting),
    refused = function() rbindlist(refused))
}

# "" where an address may be asked for, else why not; missing where it is none of this walk's.
not_to_ask <- function(walk, address, home = FALSE) {
  path <- path_of(address)
  if (!home && !is.null(walk$only) && !grepl(walk$only, path, perl = TRUE)) return(NA_character_)
  if (!is.null(walk$not) && grepl(walk$not, path, perl = TRUE)) return(NA_character_)
  if (nchar(address) > 2000) return("address of more than 2,000 characters")
  parts <- strsplit(path, "/", fixed = TRUE)[[1]]
  if (length(parts) > 6 && max(table(parts[nzchar(parts)])) > 3) return("path that repeats itself")
  if (!robots_allow(walk$robots$rules, path)) return("forbidden by robots.txt")
  ""
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
# leads to is an address (`location`) or a page (`body`, `links`).
settled_answer <- function(walk, address, pace, queue) {
  known <- kept_answer(walk$con, address)
  if (is.null(known) || known$walk != walk$number || is.na(known$status)) {
    answer <- patient_answer(walk, address, pace, known)
    if (identical(answer$status, 304L) && !is.null(known)) answer <- known
    answer$location <- if (length(answer$location) && nzchar(answer$location) &&
        !is.na(answer$status) && answer$status %/% 100 == 3) {
      clean_url(absolute_urls(answer$location, address))
    } else {
      ""
    }
    found <- identical(answer$status, 200L)
    if (found && nzchar(answer$type) && !grepl("html", answer$type)) {
      answer$problem <- sprintf("not HTML (%s)", answer$type)
    }
    if (!found || nzchar(answer$problem)) answer$body <- raw()
    keep_answer(walk$con, address, walk$number, answer)
    known <- answer
  }
  if (nzchar(known$location)) {
    elsewhere <- host_of(known$location) != walk$host
    if (elsewhere) known$problem <- "redirects to another host"
    if (elsewhere && address == walk$site) {
      abort_walk("The home page redirects to another host.",
        sprintf("%s leads to %s.", address, known$location), "Name that address instead.")
    }
  }
  if (length(known$body)) known$links <- page_links(known$body, address, known$encoding)
  known
}

page_links <- function(bytes, address, encoding) {
  page <- read_html_page(bytes, address, encoding)
  to <- c(page$fields$leads_to, page$links$to)
  unique(clean_url(to[nzchar(to)]))
}

# Asks again where the host asks for patience, up to three times.
patient_answer <- function(walk, address, pace, known, longest = 300) {
  for (attempt in 1:4) {
    pace$wait()
    answer <- ask_page(address, walk$agent, walk$timeout, if (length(known$body)) known)
    if (!identical(answer$status, 429L) && !identical(answer$status, 503L)) break
    pace$slower()
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

# Answers as pages: the bodies are read once more, so that memory holds one at a time.
walked_pages <- function(walk, answers, maps) {
  whole <- which(answers$status == 200L & !nzchar(answers$problem))
  read <- lapply(whole, function(i) {
    known <- kept_answer(walk$con, answers$address[i])
    page <- read_html_page(known$body, answers$address[i], known$encoding)
    if (grepl("noindex|none", known$robots) && is.null(page[["skipped"]])) {
      page$fields$noindex <- TRUE
    }
    c(page, list(file = answers$address[i]))
  })
  if (!length(read)) {
    abort_walk("No page could be read.", sprintf("%s: %s.", answers$address[1],
      if (nzchar(answers$problem[1])) {
        answers$problem[1]
      } else {
        sprintf("status %d", answers$status[1])
      }),
      "Look whether the address opens in a browser.")
  }
  new_pages(read, walk$site, as.IDate(as.Date(walk$now, tz = "UTC")), answers, maps)
}
