#!/bin/sh
# Installs what is missing, and says what and why: `run` for what the program needs, `test` for the tests too.
# Where apt is there and may be used, Debian's built packages (no recommended extras); else CRAN, built here.
# A second run finds everything in place and ends at once.
set -eu

run="cli data.table DBI digest generics ggplot2 htmltools jsonlite nanoparquet optparse readxl RSQLite scales svglite tibble utf8 yaml"
test="knitr markdown testthat"
wanted=$run
[ "${1:-run}" = test ] && wanted="$run $test"

command -v Rscript > /dev/null || { echo "R is missing. Install R 4.2 or newer first (Debian: r-base-core)." >&2; exit 1; }

missing() {
  Rscript --vanilla -e 'wanted <- commandArgs(TRUE); have <- nzchar(vapply(wanted, function(p) system.file(package = p), "")); cat(wanted[!have])' $wanted
}

# Library of the user, for machines where the site's may not be written. Rscript finds it by itself once it exists.
Rscript -e 'if (!any(file.access(.libPaths(), 2) == 0)) dir.create(Sys.getenv("R_LIBS_USER"), recursive = TRUE, showWarnings = FALSE)'

need=$(missing)
[ -z "$need" ] && exit 0

as_root=""
[ "$(id -u)" = 0 ] || { command -v sudo > /dev/null && sudo -n true 2> /dev/null && as_root="sudo -n"; }
if command -v apt-get > /dev/null && { [ "$(id -u)" = 0 ] || [ -n "$as_root" ]; }; then
  debs=""
  for package in $need; do debs="$debs r-cran-$(echo "$package" | tr 'A-Z' 'a-z')"; done
  # The figures need one scalable font; a bare machine has none.
  debs="$debs fonts-dejavu-core"
  echo "Installing R packages that Ink Tide needs, built by the distribution: $need"
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq || echo "The package lists could not be renewed; going on with those here." >&2
  # One by one where the set fails, so that one package missing from the distribution does not stop the others.
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends $debs > /dev/null ||
    for deb in $debs; do $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends "$deb" > /dev/null || true; done
  need=$(missing)
fi

if [ -n "$need" ]; then
  if ! command -v g++ > /dev/null && command -v apt-get > /dev/null && { [ "$(id -u)" = 0 ] || [ -n "$as_root" ]; }; then
    echo "Installing a C++ compiler, to build from source what the distribution does not have: $need"
    $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends g++ r-base-dev > /dev/null
  fi
  echo "Installing R packages that Ink Tide needs, from CRAN, built here (this takes some minutes): $need"
  MAKEFLAGS="-j$(nproc 2> /dev/null || echo 2)" Rscript -e '
    repos <- getOption("repos")
    if (is.na(repos["CRAN"]) || repos["CRAN"] == "@CRAN@") repos["CRAN"] <- "https://cloud.r-project.org"
    writable <- .libPaths()[file.access(.libPaths(), 2) == 0]
    install.packages(commandArgs(TRUE), lib = writable[1], repos = repos, Ncpus = parallel::detectCores(), quiet = TRUE)' $need
  need=$(missing)
fi

[ -z "$need" ] || { echo "Could not be installed: $need. The messages above say why." >&2; exit 1; }
