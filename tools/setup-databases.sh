#!/bin/sh
# Installs PostgreSQL, ClickHouse and drivers for them where the distribution has them, for the tests of databases; without
# them those tests are skipped. Never fails.
postgres_driver() { Rscript -e 'quit(status = !(nzchar(system.file(package = "RPostgres")) || nzchar(system.file(package = "RPostgreSQL"))))'; }
postgres() { ls /usr/lib/postgresql/*/bin/initdb > /dev/null 2>&1 && postgres_driver; }
clickhouse() { PATH="$PATH:/usr/sbin" command -v clickhouse-server > /dev/null; }
# It wants newer packages than the distribution's, so it has a library of its own.
drivers=.build/drivers
clickhouse_driver() { [ -d "$drivers/RClickhouse" ]; }
as_root=""
[ "$(id -u)" = 0 ] || as_root="sudo -n"
apt_add() { $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends "$@" > /dev/null 2>&1; }
if command -v apt-get > /dev/null; then
  if ! { postgres && clickhouse; }; then
    echo "Installing PostgreSQL and ClickHouse, for the tests of databases."
    $as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq > /dev/null 2>&1
    apt_add postgresql r-cran-rpostgresql
    apt_add clickhouse-server
  fi
  if clickhouse && ! clickhouse_driver; then
    echo "Building the driver of ClickHouse in $drivers (some minutes, once)."
    apt_add g++ r-cran-dbplyr r-cran-bit64 r-cran-rcpp
    mkdir -p "$drivers"
    # Packages beside each other first; the driver, much the longest, with all processors for itself.
    # Tests do not need it quick: unoptimised it builds in little more than half the time.
    plain=$(mktemp)
    printf 'CFLAGS = -O0\nCXXFLAGS = -O0\nCXX11FLAGS = -O0\nCXX14FLAGS = -O0\nCXX17FLAGS = -O0\n' > "$plain"
    MAKEFLAGS="-j$(nproc 2> /dev/null || echo 2)" R_MAKEVARS_USER="$plain" Rscript -e '
      .libPaths(c(".build/drivers", .libPaths()))
      repos <- getOption("repos")
      if (is.na(repos["CRAN"]) || repos["CRAN"] == "@CRAN@") repos["CRAN"] <- "https://cloud.r-project.org"
      add <- function(packages, at_once) {
        install.packages(packages, lib = ".build/drivers", repos = repos, Ncpus = at_once, quiet = TRUE)
      }
      add(c("dplyr", "tibble"), parallel::detectCores())
      add("RClickhouse", 1)' > .build/drivers.log 2>&1
    rm -f "$plain"
  fi
fi
postgres || echo "No PostgreSQL: its tests are skipped."
clickhouse && clickhouse_driver || echo "No ClickHouse: its tests are skipped."
exit 0
