# What a click in the workbench costs on the server: each view and filter drawn from scratch ten
# times, milliseconds at the median and the 95th percentile. Files as bench/run.R makes them.
#   R_LIBS=.build/library Rscript bench/workbench.R bench/data/1000000.csv bench/data/10000000.csv
library(inktide)
library(data.table, warn.conflicts = FALSE)
for (file in commandArgs(TRUE)) {
  data <- tide_read(file)
  found <- tide_find(tide_summary(data, brand = "fernmoor"))
  ready <- system.time(held <- inktide:::workbench_data(found, data))[["elapsed"]]
  pairs <- uniqueN(held$explorer$rows, by = c("query", "page"))
  state <- function(...) {
    inktide:::read_state(jsonlite::toJSON(list(...), auto_unbox = TRUE))
  }
  some <- head(found$findings$query, 10)
  words <- unique(sub(" .*", "", found$findings$query))
  views <- list(
    `list` = function(i) state(page = as.character(i)),
    `list, typing` = function(i) state(q = substr(some[i], 1, 4 + i)),
    `list, facet` = function(i) {
      state(kind = "striking_distance", sort = c("gain", "hours")[i %% 2 + 1])
    },
    `line` = function(i) state(view = "line", id = found$findings$id[i]),
    `tables by query` = function(i) state(view = "explore", by = "query", page = as.character(i)),
    `tables, new words` = function(i) {
      state(view = "explore", by = "query", c = list(paste0("query_text~variety ", i)))
    },
    `tables, words and device` = function(i) {
      state(view = "explore", by = "page", c = list(paste0("query_text~seeds variety ", i),
        "device~mobile"))
    },
    `tables, position` = function(i) {
      state(view = "explore", by = "query", c = list(sprintf("position~%d:%d", i, i + 9)))
    },
    `one page's queries` = function(i) {
      state(view = "explore", by = "query", c = list(paste0("pages~", found$findings$page[i])))
    },
    `contests` = function(i) state(view = "contests"),
    `curve` = function(i) state(view = "curve"), `map` = function(i) state(view = "map"))
  cat(sprintf("%s: %s rows, %s pairs, %s tasks; rows coded in %.1f s\n", basename(file),
    format(nrow(held$explorer$rows), big.mark = ","), format(pairs, big.mark = ","),
    format(nrow(held$tasks), big.mark = ","), ready))
  for (view in names(views)) {
    took <- vapply(1:10, function(i) {
      own <- views[[view]](i)
      1000 * system.time(html <- inktide:::shown_view(held, own))[["elapsed"]]
    }, 0)
    cat(sprintf("| %s | %.0f | %.0f |\n", view, median(took), quantile(took, 0.95)))
  }
}
