# Every plain table: rows labelled by what a line stands for, and summed by it.

# What a line can stand for, and the dimensions that it takes.
line_kinds <- list(query = "query", page = "page", pair = c("query", "page"), folder = "page",
  topic = c("query", "page"), modifier = "query", country = "country", device = "device",
  vertical = "vertical", rich_result = "rich_result", day = "date", week = "date", month = "date")

# Those that need no brand words.
explore_kinds <- setdiff(names(line_kinds), "modifier")

times <- c("day", "week", "month")

# What stands for a modifier where the word stands by itself.
no_modifier <- "(by itself)"

# What each row belongs to: list(code, one per row; names, by code; of pairs the `first` row of
# each). coded: list(rows: query and page as codes, clicks, impressions, `date`, other dimensions as
# factors; queries, pages: names and keys). to: the last day, from which weeks count back.
row_labels <- function(by, coded, rules, to = NULL) {
  rows <- coded$rows
  keys <- coded$queries$keys
  of_texts <- function(label, code) {
    labels_used <- sorted_texts(label[tabulate(code, length(label)) > 0])
    list(code = chmatch(label, labels_used)[code], names = labels_used)
  }
  switch(by,
    site = list(code = rep(1L, nrow(rows)), names = "the site"),
    query = list(code = rows$query, names = coded$queries$names),
    page = list(code = rows$page, names = coded$pages$names),
    pair = {
      found <- .Call(pair_codes, rows$query, rows$page)
      list(code = found[[1]], first = found[[2]])
    },
    folder = ,
    page_group = of_texts(page_group(coded$pages$names, rules$page_groups), rows$page),
    topic = of_texts(fcoalesce(query_topics(coded), "(no topic)"), rows$query),
    term = of_texts(fcoalesce(query_topics(coded), "other"), rows$query),
    modifier = {
      beside <- brand_modifiers(keys, rules$brand)
      of_texts(ifelse(nzchar(beside), beside, no_modifier), rows$query)
    },
    brand = of_texts(ifelse(is_brand(keys, rules$brand), "brand", "non-brand"), rows$query),
    intent = of_texts(query_intent(keys, rules$intent), rows$query),
    words = of_texts(length_names[pmin(pmax(lengths(query_words(keys)), 1L), 6L)], rows$query),
    band = {
      pair <- row_labels("pair", coded, rules)
      sums <- sum_labelled(rows, pair)
      of_texts(position_band(sums$position, rules$bands), pair$code)
    },
    day = , week = , month = {
      first <- min(as.integer(rows$date))
      days <- as.IDate(seq(first, max(as.integer(rows$date))))
      of_texts(switch(by, day = format(days), week = format(period_start(days, to, 7L)),
        month = substr(format(days), 1, 7)), as.integer(rows$date) - first + 1L)
    },
    of_texts(tolower(levels(rows[[by]])), as.integer(rows[[by]])))
}

# How many codes a label has.
label_size <- function(label) length(if (is.null(label$first)) label$names else label$first)

# The topic of each query, NA where no word of it tells one.
query_topics <- function(coded) {
  sums <- sums_by(coded$rows, c("query", "page"), c("clicks", "impressions"))
  head_terms(coded$queries$keys, leading_pages(sums, length(coded$queries$keys)))
}

# Sums of rows by code of a label: clicks, impressions, ctr, with `expected` the expected_ctr,
# position. use: rows by number, NULL for all.
sum_labelled <- function(rows, label, use = NULL) {
  code <- some_rows(label$code, use)
  sum_of <- function(name) sum_codes(some_rows(rows[[name]], use), code, label_size(label))
  sums <- list(clicks = sum_of("clicks"), impressions = sum_of("impressions"))
  expected <- if (!is.null(rows[["expected"]])) sum_of("expected") / sums$impressions
  weighted <- sum_of("weighted")
  setDT(c(sums, list(ctr = sums$clicks / sums$impressions),
    if (!is.null(expected)) list(expected_ctr = expected),
    list(position = weighted / sums$impressions)))
}

# How many different queries or pages each code of a label has.
count_labelled <- function(rows, label, of, use = NULL) {
  code <- some_rows(label$code, use)
  once <- .Call(pair_codes, code, some_rows(rows[[of]], use))[[2]]
  tabulate(code[once], label_size(label))
}

# The names of lines, in the columns that they have in tables.
label_columns <- function(by, coded, label) {
  if (by != "pair") return(stats::setNames(list(label$names), by))
  first <- coded$rows[label$first, c("query", "page")]
  list(query = coded$queries$names[first$query], page = coded$pages$names[first$page])
}
