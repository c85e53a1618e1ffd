# Which pages of a query count as rivals: those seen much and for long, each once whatever language
# it is in, and how well each fits the query.

# The pages of a query that matter: at least a tenth of its impressions, on at least a seventh of
# its days (a blip is shorter), and not far below the best placed page.
weighty_pages <- function(contest) {
  each <- days_a_date(contest$date)
  contest <- set(copy(contest), j = "weighted", value = contest$impressions * contest$position)
  pages <- add_ratios(sums_by(contest, c("query", "page"), c("clicks", "impressions", "weighted"),
    count = "days"))
  all_days <-
    data.table(query = unique(contest$query), all_days = distinct_by(contest, "query", "date"))
  pages <- all_days[pages, on = "query"]
  pages[, c("share", "total", "best") :=
    list(impressions / sum(impressions), sum(impressions), min(position)),
    by = "query"]
  # The best placed page must itself be shown regularly to make others look far down.
  pages[, "reason" := ifelse(pages$position > pages$best + assumed("far_down_places") &
    pages$position > assumed("far_down_from"),
    "second_far_down", ifelse(pages$days < pmax(2, 4 / each,
    pages$all_days / assumed("weighty_days")),
      "seen_few_days",
      ifelse(pages$share < assumed("weighty_share"), "second_with_few_impressions", "")))]
  pages[]
}

# How many days a date stands for: 1, or 7 and more where dates are weeks and months.
days_a_date <- function(dates) {
  gaps <- diff(sort(unique(as.integer(dates))))
  if (length(gaps) && stats::median(gaps) >= 7) stats::median(gaps) else 1
}

# One page in several languages or countries is no rival of itself: addresses that differ in nothing
# but the language of their host, folder or parameter, addresses of two languages (translated ones),
# and pages that are shown to searchers of other countries than the one seen most. In: pages with
# their reason. Out: the reasons, with those added.
same_page_versions <- function(pages, summary) {
  version <- address_versions(summary$pages$page)
  rated <- copy(pages[, c("query", "page", "impressions", "reason")])
  set(rated, j = c("plain", "language", "row"), value = list(version$plain[rated$page],
    version$language[rated$page], seq_len(nrow(rated))))
  setorderv(rated, c("query", "impressions", "row"), c(1L, -1L, 1L))
  first <- match(rated$query, rated$query)
  again <- duplicated(rated, by = c("query", "plain")) |
    nzchar(rated$language) & nzchar(rated$language[first]) &
    rated$language != rated$language[first] |
    other_countries(rated, first, summary)
  replace(pages$reason, rated$row[again & rated$reason == ""], "page_versions")
}

# Of each address what is left without its language, and the language that it names, or "".
address_versions <- function(pages) {
  tag <- sprintf("(%s)([-_][a-z]{2})?", paste(language_codes, collapse = "|"))
  in_host <- sprintf("^[a-z][a-z0-9+.-]*://%s\\.", tag)
  in_path <- sprintf("^[a-z][a-z0-9+.-]*://[^/]*/%s(/|$)", tag)
  in_query <- sprintf("[?&](lang|language|hl|locale|country|region)=%s(&|$)", tag)
  pages <- tolower(pages)
  language <- rep("", length(pages))
  for (where in list(c(in_host, "^[^:]*://([a-z]{2}).*$"),
    c(in_path, "^[^:]*://[^/]*/([a-z]{2}).*$"),
    c(in_query, "^.*[?&](?:lang|language|hl|locale|country|region)=([a-z]{2}).*$"))) {
    named <- grepl(where[1], pages)
    language[named] <- sub(where[2], "\\1", pages[named], perl = TRUE)
  }
  path <- sub("^[a-z][a-z0-9+.-]*://[^/]*", "", pages)
  path <- sub("^/[a-z]{2}([-_][a-z]{2})?(/|$)", "/", path)
  path <- sub("[?&]$", "", gsub("(?<=[?&])(lang|language|hl|locale|country|region)=[^&]*&?", "",
    path,
    perl = TRUE))
  list(plain = path, language = language)
}

# Codes of languages and countries that addresses name.
language_codes <- c("ar", "at", "au", "be", "bg", "br", "ca", "ch", "cs", "cz", "da", "de", "dk",
  "el", "en", "es", "et", "fi", "fr", "gb", "he", "hi", "hr", "hu", "id", "ie", "it", "ja", "jp",
  "ko", "kr", "lt", "lv", "mx", "nb", "nl", "no", "nz", "pl", "pt", "ro", "ru", "se", "sk", "sl",
  "sr", "sv", "th", "tr", "uk", "us", "vi", "zh")

# Whether the searchers of a page's query are of other countries than those of the query's first.
other_countries <- function(rated, first, summary) {
  cells <- summary$parts$country$recent
  if (is.null(cells)) return(logical(nrow(rated)))
  sums <- sums_by(cells[cells$query %in% rated$query], c("query", "page", "part"), "impressions")
  sums[, "share" := impressions / sum(impressions), by = c("query", "page")]
  one <- sums[data.table(row = seq_len(nrow(rated)), rated[, c("query", "page")]),
    on = c("query", "page"), allow.cartesian = TRUE]
  one[, "page" := rated$page[first][one$row]]
  both <- sums[one, on = c("query", "page", "part")]
  shared <- both[, .(shared = sum(pmin(share, i.share), na.rm = TRUE)), by = "row"]
  shared$shared[match(seq_len(nrow(rated)), shared$row)] < data_limits$countries_shared &
    first != seq_len(nrow(rated))
}

# Whether one of two pages lies beneath the other (/guides/ and /guides/kale/); all lie beneath the
# home page, which does not count.
beneath_other <- function(first, second, page) {
  folder <- function(code) sub("/?$", "/", page[code])
  is_home <- function(code) grepl("^[a-z][a-z0-9+.-]*://[^/]*/$", folder(code))
  startsWith(folder(first), folder(second)) & !is_home(second) |
    startsWith(folder(second), folder(first)) & !is_home(first)
}

# How well a page fits a query: how many of the query's telling words stand in the page's address or
# title, or in most of its other queries too. Of pages that were read: in their title or headings,
# half for those that only their text says.
page_fits <- function(summary, wanted, site_pages = NULL) {
  own <- summary$pairs[summary$pairs$page %in% wanted$page, c("query", "page")]
  queries <- unique(own$query)
  words <- word_table(summary$queries$key[queries], function_only)
  set(words, j = "query", value = queries[words$query])
  asked <- words[wanted, on = "query", nomatch = NULL, allow.cartesian = TRUE]
  if (!nrow(asked)) return(data.table(wanted, fit = 0L))
  matches <- words[own, on = "query", nomatch = NULL, allow.cartesian = TRUE][, .(holding = .N),
    by = c("page", "word")]
  others <- own[, .(others = .N - 1L), by = "page"]
  asked <- others[matches[asked, on = c("page", "word")], on = "page"]
  # The query itself holds all of its words.
  in_others <- asked$others >= 3 & asked$holding - 1 >= 0.5 * asked$others
  asked[, "held" := in_others | in_address(asked$word, asked$page, summary$pages)]
  set(asked, j = "fit", value = as.numeric(asked$held))
  if (!is.null(site_pages)) fit_by_text(asked, summary, site_pages)
  sums_by(asked, c("query", "page"), "fit")[wanted, on = c("query", "page")]
}

# Where the words of pages are known, they decide (changed in place).
fit_by_text <- function(asked, summary, site_pages) {
  at <- match(summary$pages$key[asked$page], site_pages$pages$key)
  own <- which(!is.na(at))
  if (!length(own)) return(asked)
  stem <- site_stemmer(site_pages)
  said <- page_texts(site_pages, unique(at[own]), stem)
  at_row <- match(at[own], said$at)
  word <- stemmed(asked$word[own], stem)
  holds <- function(texts) .Call(phrase_counts, word, texts, at_row) > 0
  set(asked, own, "fit",
    ifelse(holds(said$title) | holds(said$heading), 1, assumed("text_match") * holds(said$text)))
}

# Whether a word of the page's address or title begins as each word does; the last three letters may
# be an ending (storing, storage).
in_address <- function(word, page, pages, address = TRUE) {
  if (!length(word)) return(logical())
  codes <- unique(page)
  title <- if (is.null(pages[["title"]])) "" else fcoalesce(as.character(pages$title[codes]), "")
  path <- if (address) sub("^[a-z][a-z0-9+.-]*://[^/]*", "", pages$page[codes]) else ""
  words_there <- tolower(paste(path, title))
  words_there <- paste0(" ", gsub("[^\\p{L}\\p{N}]+", " ", words_there, perl = TRUE))[match(page,
    codes)]
  begins <- substr(word, 1, pmax(4L, nchar(word) - 3L))
  mapply(grepl, paste0(" ", begins), words_there, fixed = TRUE, USE.NAMES = FALSE)
}

# Who led when. Of the two pages that a query's clicks are shared by, the one that earned more leads
# a day; how sure that is follows from the day's impressions. Three courses are held against each
# other: one page leads throughout; the lead falls to either by chance from day to day; it changes
# hands for days on end (a hidden Markov chain, as in Rabiner 1989).

# Clicks that the curve expects of every day's row.
expect_days <- function(contest, summary, curve) {
  segment <- summary$queries$segment[contest$query]
  set(copy(contest), j = "expected", value = contest$impressions *
    curve_ctr(curve, contest$position, segment, 1, contest$impressions))
}

# In: days of several pages a query, with `expected`. Out: a list of matrices, a row a query and a
# column a day (`dates`): impressions, positions and expected clicks of the two pages that are
# expected to earn most (`first`, `second`).
rival_days <- function(days) {
  days <- set(copy(days), j = "weighted", value = days$impressions * days$position)
  totals <- sums_by(days, c("query", "page"), c("clicks", "expected", "impressions", "weighted"))
  add_ratios(totals)
  setorderv(totals, c("query", "expected", "page"), c(1L, -1L, 1L))
  set(totals, j = "place", value = rowid(totals$query))
  rivals <- totals[totals$place <= 2]
  queries <- unique(totals$query)
  dates <- sort(unique(days$date))
  days <- rivals[, c("query", "page", "place")][days, on = c("query", "page"), nomatch = NULL]
  spread_out <- function(nth, column, missing) {
    own <- days[which(days$place == nth)]
    out <- matrix(missing, length(queries), length(dates))
    out[cbind(match(own$query, queries), match(own$date, dates))] <- own[[column]]
    out
  }
  both <- function(column, missing = 0) lapply(1:2, spread_out, column = column, missing = missing)
  list(queries = queries, dates = dates, totals = totals, first = rivals[rivals$place == 1],
    second = rivals[rivals$place == 2], seen = both("impressions"),
    position = both("position", NA_real_), expected = both("expected"))
}

# Chance of each day that the first page is ahead of the second.
chances_ahead <- function(rivals) {
  noise <- sqrt(1 / (rivals$seen[[1]] + 1) + 1 / (rivals$seen[[2]] + 1) + assumed("lead_wavers")^2)
  # A page that was not seen that day would have earned something had it been.
  least <- 0.25 * (rivals$expected[[1]] + rivals$expected[[2]]) /
    pmax(rivals$seen[[1]] + rivals$seen[[2]], 1)
  ahead <-
    stats::pnorm(log((rivals$expected[[1]] + least) / (rivals$expected[[2]] + least)) / noise)
  ahead[rivals$seen[[1]] + rivals$seen[[2]] == 0] <- 0.5
  ahead
}

# In: a matrix of chances that the first is ahead, a row a query; the dates of its columns. Out:
# list(swaps: chance that the lead changed hands for days on end, twice or more; by_chance: chance
# that it fell to either from day to day; leads: matrix of chances that the first led, given the
# days around or, where it falls by chance, the day alone).
lead_probabilities <- function(ahead, dates) {
  ahead <- pmin(pmax(ahead, 1 - assumed("lead_surest_day")), assumed("lead_surest_day"))
  gaps <- as.numeric(diff(dates))
  turn <- pmin(1 - exp(-gaps / assumed("lead_lasts")), 0.4)
  forward <- changes_forward(ahead, turn)
  # Fitted to the days, which favours `by_chance`, on the side of caution: averaging over all shares
  # instead finds no more contests and a false one more (bench/accuracy.md).
  share <- rowMeans(ahead)
  logs <- cbind(throughout = log(0.5) + pmax(rowSums(log(ahead)), rowSums(log(1 - ahead))),
    by_chance = rowSums(log(share * ahead + (1 - share) * (1 - ahead))), lasting = forward$log)
  weight_of <- exp(logs - do.call(pmax, as.data.frame(logs)))
  weight_of <- weight_of / rowSums(weight_of)
  leads <- smooth_leads(ahead, turn)
  alone <- which(weight_of[, "by_chance"] > 0.5)
  leads[alone, ] <- (share * ahead / (share * ahead + (1 - share) * (1 - ahead)))[alone, ]
  list(swaps = weight_of[, "lasting"] * forward$twice, by_chance = weight_of[, "by_chance"],
    leads = leads)
}

# Likelihood of the chain, and the chance that it changed twice or more. States: who leads x changes
# so far (0, 1, more).
changes_forward <- function(ahead, turn) {
  first <- cbind(ahead[, 1], 0, 0) / 2
  second <- cbind(1 - ahead[, 1], 0, 0) / 2
  total <- log(rowSums(first) + rowSums(second))
  for (day in seq_along(turn)) {
    size <- rowSums(first) + rowSums(second)
    come_in <- function(from) cbind(0, from[, 1], from[, 2] + from[, 3]) * turn[day]
    next_first <- (first * (1 - turn[day]) + come_in(second)) * ahead[, day + 1] / size
    second <- (second * (1 - turn[day]) + come_in(first)) * (1 - ahead[, day + 1]) / size
    first <- next_first
    total <- total + log(rowSums(first) + rowSums(second))
  }
  list(log = total, twice = (first[, 3] + second[, 3]) / (rowSums(first) + rowSums(second)))
}

# Chance of each day that the first leads, from the days before and after (the forward-backward
# recursion).
smooth_leads <- function(ahead, turn) {
  days <- ncol(ahead)
  before <- ahead
  for (day in seq_along(turn)) {
    come <- before[, day] * (1 - turn[day]) + (1 - before[, day]) * turn[day]
    before[, day + 1] <-
      come * ahead[, day + 1] / (come * ahead[, day + 1] + (1 - come) * (1 - ahead[, day + 1]))
  }
  after <- matrix(0.5, nrow(ahead), days)
  for (day in rev(seq_along(turn))) {
    one <- after[, day + 1] * ahead[, day + 1]
    other <- (1 - after[, day + 1]) * (1 - ahead[, day + 1])
    stay <- one * (1 - turn[day]) + other * turn[day]
    after[, day] <- stay / (one + other)
  }
  before * after / (before * after + (1 - before) * (1 - after))
}
