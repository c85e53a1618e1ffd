# What a call chooses of the data: conditions, segments of the settings, brand or not.

# Out: list(rows: segments that choose single rows; pairs: those that can wait for sums; side:
# brand, non-brand). Every segment of the settings can be named; "not:NAME" is all but it.
chosen_segments <- function(options, settings) {
  named <- split_words(options$segment)
  named[named == "not:brand"] <- "non-brand"
  named[named == "not:non-brand"] <- "brand"
  side <- intersect(named, c("brand", "non-brand", "all"))
  need_brand(side, settings, "--segment")
  own <- named_segments(setdiff(named, side), settings, "--segment")
  conditions <- Filter(Negate(is.null),
    options[intersect(names(options), setdiff(names(segment_conditions), "brand"))])
  if (length(conditions)) {
    name <- paste(condition_names(conditions), collapse = ", ")
    own <- c(own, list(do.call(tide_segment, c(list(name), conditions))))
  }
  parts <- lapply(own, split_segment)
  list(rows = Filter(Negate(is.null), lapply(parts, `[[`, "rows")),
    pairs = Filter(Negate(is.null), lapply(parts, `[[`, "pairs")), side = side)
}

need_brand <- function(names, settings, flag) {
  asked <- intersect(names, c("brand", "non-brand"))
  if (!length(asked) || length(settings$rules$brand)) return(invisible())
  abort_call("No brand words are known, so no query is brand or non-brand.",
    sprintf("%s %s", flag, asked[1]), "Name them with --brand, or as brand in inktide.yml.")
}

# "brand" and "non-brand" can be named where they stand for rows, not for curves.
named_segments <- function(names, settings, flag) {
  known <- c(settings$segments, if (flag == "--segments") {
    list(brand = tide_segment("brand", brand = TRUE),
      `non-brand` = tide_segment("non-brand", brand = FALSE))
  })
  need_brand(sub("^not:", "", names), settings, flag)
  lapply(names, function(name) {
    segment <- known[[sub("^not:", "", name)]]
    if (is.null(segment)) {
      known_segments <- c("brand", "non-brand", "all", names(settings$segments))
      abort_call(sprintf("No such segment '%s'.", name), flag,
        paste0(if (min(utils::adist(name, known_segments)) <= 2) {
          sprintf("Did you mean '%s'? ", nearest_name(name, known_segments))
        },
          sprintf("Known: %s; others can be written into inktide.yml.",
            paste(unique(known_segments), collapse = ", "))))
    }
    segment$not <- startsWith(name, "not:")
    segment
  })
}

# Segments of queries, pages, pairs and of the brand: a list is made of all rows and chosen from by
# sums, everything else is made of the rows that they choose.
waiting_segments <- function(input) {
  side <- setdiff(unique(input$side), "all")
  one <- length(side) == 1 && !"all" %in% input$side
  c(input$pairs, if (one) list(tide_segment(side, brand = side == "brand")))
}

# All that is chosen, but for a window.
all_segments <- function(input) c(input$rows, waiting_segments(input))

# The rows that all segments choose, of data that were read for a list.
chosen_rows <- function(options, input, data, also = character()) {
  waiting <- waiting_segments(input)
  if (!length(waiting)) return(data)
  if (inherits(data, "tide_promised")) return(read_input(options, input, also = also))
  tide_filter(data, segments = waiting, rules = input$settings$rules)
}
