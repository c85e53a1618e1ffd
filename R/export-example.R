#' Example exports
#'
#' Small exports of the invented demo site that come with the package.
#'
#' @return A named character vector of paths: `pairs` (query x page x device by
#'   day, 8 weeks), `totals` (by day, without queries), `capped` (1,000 queries,
#'   CTR with percent signs, thousands separators, no dates).
#' @seealso [tide_demo_site()] for the whole site with its known truth.
#' @examples
#' tide_example()
#' @export
tide_example <- function() {
  files <- c(pairs = "pairs.csv", totals = "totals.csv", capped = "capped.csv")
  paths <- system.file("extdata", files, package = "inktide", mustWork = TRUE)
  stats::setNames(paths, names(files))
}
