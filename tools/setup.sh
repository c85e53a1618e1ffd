#!/bin/sh
# Installs what is missing, and says what and why: `run` for what the commands of the README need, `test` for the tests,
# too, `lint` for the rules of style, `docs` for help pages and fixtures, `site` for the documentation site, `bench` for
# measuring. Recommended packages are no part of R base, so they are named here as any other.
# Where apt is there and may be used, Debian's built packages (no recommended extras); else CRAN, built here.
# A second run finds everything in place and ends at once.
set -eu

run="cli curl data.table DBI digest generics ggplot2 htmltools jsonlite openxlsx optparse readxl RSQLite scales SnowballC svglite tibble utf8 xml2 yaml"
# Forecasts, services, stand-in servers, the vignettes.
commands="forecast httr2 httpuv knitr later markdown promises"
# Only the archive needs it, and Debian does not have it built: the rest works without.
archive="nanoparquet"
# Only the workbench in the browser needs these.
workbench="callr shiny"
test="codetools testthat withr zip"
must="$run $commands $workbench"
case "${1:-run}" in
  test) must="$must $test" ;;
  lint) must="codetools lintr" archive="" ;;
  docs) must="$must roxygen2 writexl" ;;
  site) must="$must $test pkgdown pkgbuild pkgload" ;;
  bench) must="$must zip" ;;
esac
wanted="$must $archive"

command -v Rscript > /dev/null || { echo "R is missing. Install R 4.2 or newer first (Debian: r-base-core)." >&2; exit 1; }

# A note of what could not be had, so that a second run starts at once.
given_up=.build/without
missing() {
  Rscript --vanilla -e 'wanted <- commandArgs(TRUE); have <- nzchar(vapply(wanted, function(p) system.file(package = p), "")); cat(wanted[!have])' $wanted
}

# Library of the user, for machines where the site's may not be written. Rscript finds it by itself once it exists.
Rscript -e 'if (!any(file.access(.libPaths(), 2) == 0)) dir.create(Sys.getenv("R_LIBS_USER"), recursive = TRUE, showWarnings = FALSE)'

as_root=""
[ "$(id -u)" = 0 ] || { command -v sudo > /dev/null && sudo -n true 2> /dev/null && as_root="sudo -n"; }
apt_allowed() { command -v apt-get > /dev/null && { [ "$(id -u)" = 0 ] || [ -n "$as_root" ]; }; }
apt_renew() { $as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq || echo "The package lists could not be renewed; going on with those here." >&2; }
apt_add() { $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends "$@" > /dev/null 2>&1; }

# Some files of the package are C.
if ! command -v gcc > /dev/null && ! command -v cc > /dev/null; then
  apt_allowed || { echo "A C compiler is missing. Install one first (Debian: gcc, make and libc6-dev)." >&2; exit 1; }
  echo "Installing a C compiler, for the package's own C files."
  apt_renew
  apt_add gcc libc6-dev make || true
fi

need=$(missing)
[ -z "$need" ] && exit 0
[ -f "$given_up" ] && [ "$need" = "$(cat "$given_up")" ] && exit 0

if apt_allowed; then
  apt_renew
  # The figures need one scalable font; a bare machine has none.
  debs="fonts-dejavu-core"
  for package in $need; do
    deb="r-cran-$(echo "$package" | tr 'A-Z' 'a-z')"
    if apt-cache show "$deb" > /dev/null 2>&1; then debs="$debs $deb"; fi
  done
  echo "Installing what Ink Tide needs, built by the distribution: $debs"
  apt_add $debs ||
    echo "Not all could be installed from the distribution; trying CRAN for the rest." >&2
  need=$(missing)
fi

if [ -n "$need" ]; then
  if ! command -v g++ > /dev/null && apt_allowed; then
    echo "Installing a C++ compiler, to build from source what the distribution does not have: $need"
    apt_add g++ r-base-dev || true
  fi
  echo "Installing R packages that Ink Tide needs, from CRAN, built here (this takes some minutes): $need"
  MAKEFLAGS="-j$(nproc 2> /dev/null || echo 2)" Rscript -e '
    repos <- getOption("repos")
    if (is.na(repos["CRAN"]) || repos["CRAN"] == "@CRAN@") {
      utils::chooseCRANmirror(graphics = FALSE, ind = 1, local.only = TRUE)
      repos <- getOption("repos")
    }
    writable <- .libPaths()[file.access(.libPaths(), 2) == 0]
    install.packages(commandArgs(TRUE), lib = writable[1], repos = repos, Ncpus = parallel::detectCores(), quiet = TRUE)' $need
  need=$(missing)
fi

for package in $need; do
  case " $must " in
    *" $package "*) echo "Could not be installed: $package. The messages above say why." >&2; exit 1 ;;
    *) echo "Not installed: $package. All but the archive (inktide load, check) works without it; 'make clean setup' tries again." >&2; mkdir -p .build; echo "$package" > "$given_up" ;;
  esac
done
