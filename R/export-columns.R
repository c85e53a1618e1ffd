# Column names of exports to our names. Spellings are compared in lower case with everything but
# letters and digits taken out, so "Avg. position", "avg_position" and "AvgPosition" are one.

column_spellings <- list(
  query = c("query", "queries", "topqueries", "searchquery", "searchterm", "searchterms", "keyword", "keywords"),
  page = c("page", "pages", "toppages", "url", "urls", "landingpage", "address", "pageurl"),
  date = c("date", "day"),
  country = c("country", "countries"),
  device = c("device", "devices", "devicetype"),
  vertical = c("vertical", "searchtype"),
  rich_result = c("richresult", "richresults", "searchappearance"),
  clicks = c("clicks", "click", "urlclicks"),
  impressions = c("impressions", "impression", "impr"),
  ctr = c("ctr", "clickthroughrate", "urlctr", "sitectr"),
  position = c("position", "avgposition", "averageposition", "avgpos", "pos", "rank")
)

dimension_names <- c("date", "query", "page", "country", "device", "vertical", "rich_result")

squeeze_name <- function(x) gsub("[^a-z0-9]", "", tolower(x))

# In: the header as read. Out: integer index into it, named by our names; other columns are ignored.
match_columns <- function(header, file) {
  squeezed <- squeeze_name(header)
  found <- lapply(column_spellings, function(spellings) which(squeezed %in% spellings))
  shown <- paste0("The header of '", file, "' is: ", paste(header, collapse = ", "), ".")

  twice <- names(found)[lengths(found) > 1]
  if (length(twice)) {
    claims <- paste(header[found[[twice[1]]]], collapse = "' and '")
    abort_tide(sprintf("Two columns both claim to be `%s`: '%s'.", twice[1], claims), where = shown,
      mend = "Take one of them out of the file, or rename it.", class = "columns_twice", file = file,
      column = twice[1])
  }
  missing <- setdiff(c("clicks", "impressions", "position"), names(found)[lengths(found) == 1])
  if (length(missing)) {
    abort_tide(sprintf("No column for `%s`.", paste(missing, collapse = "`, `")), where = shown,
      mend = sprintf("Export the table with %s, or rename that column to '%s'.", missing[1], missing[1]),
      class = "columns_missing", file = file, column = missing)
  }
  unlist(found[lengths(found) == 1])
}
