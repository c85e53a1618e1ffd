#!/bin/sh
# The C code under AddressSanitizer and UBSan: builds it so, and runs the tests that call it with good and bad arguments.
set -eu
library=.build/sanitized
mkdir -p "$library"
R_MAKEVARS_USER="$(pwd)/tools/sanitize.mk" R CMD INSTALL --preclean --clean --no-docs --no-test-load --no-multiarch \
  --library="$library" . > .build/sanitize.log 2>&1 || { cat .build/sanitize.log; exit 1; }
cd tests/testthat
for file in test-table-sums.R test-read-records.R test-read-part.R test-read-blocks.R test-read-unpack.R test-file-write.R \
    test-curve-fit.R test-stat-mixture.R; do
  LD_PRELOAD="$(gcc -print-file-name=libasan.so) $(gcc -print-file-name=libubsan.so)" \
    ASAN_OPTIONS=detect_leaks=0:halt_on_error=1 UBSAN_OPTIONS=print_stacktrace=1 R_LIBS="../../$library" NOT_CRAN=true \
    Rscript -e 'library(testthat); library(inktide); test_file(commandArgs(TRUE), package = "inktide", load_package = "installed", reporter = CheckReporter$new(), stop_on_failure = TRUE)' "$file"
done
echo "No fault found by AddressSanitizer and UBSan."
