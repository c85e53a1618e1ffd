library(testthat)
library(inktide)
test_check("inktide")
