# Writes NAMESPACE and man/ from the comments in R/. Run by `make docs`.
roxygen2::roxygenise(load_code = "source")
