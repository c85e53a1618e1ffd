# Rows of a made-up site as the package reads them from a file.
as_data <- function(rows) {
  file <- tempfile(fileext = ".csv")
  data.table::fwrite(rows, file)
  on.exit(unlink(file))
  inktide::tide_read(file, lag = 0, exported = "2027-06-01")
}
