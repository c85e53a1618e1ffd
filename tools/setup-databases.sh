#!/bin/sh
# Installs PostgreSQL and a driver for it where the distribution has them, for the tests of databases; without them those
# tests are skipped. Never fails.
driver() { Rscript -e 'quit(status = !(nzchar(system.file(package = "RPostgres")) || nzchar(system.file(package = "RPostgreSQL"))))'; }
server() { ls /usr/lib/postgresql/*/bin/initdb > /dev/null 2>&1; }
driver && server && exit 0
as_root=""
[ "$(id -u)" = 0 ] || as_root="sudo -n"
if command -v apt-get > /dev/null; then
  echo "Installing PostgreSQL and its driver, for the tests of databases."
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq > /dev/null 2>&1
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends postgresql r-cran-rpostgresql > /dev/null 2>&1
fi
driver && server || echo "No PostgreSQL: its tests are skipped."
exit 0
