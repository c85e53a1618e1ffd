#!/bin/sh
# Puts the package into the R library and a link to the program into PREFIX/bin.
set -eu
prefix=$1
# With the vignettes, where what makes them is there.
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
source=.
if Rscript -e 'quit(status = !all(vapply(c("knitr", "markdown"), requireNamespace, NA, quietly = TRUE)))'; then
  here=$(pwd)
  if (cd "$work" && R CMD build --no-manual "$here" > build.log 2>&1); then source=$(ls "$work"/*.tar.gz); fi
fi
R CMD INSTALL --clean --no-multiarch "$source" > /dev/null 2>&1 ||
  R CMD INSTALL --clean --no-multiarch "$source"
program=$(Rscript -e 'cat(system.file("exec", "inktide", package = "inktide"))')
mkdir -p "$prefix/bin"
ln -sf "$program" "$prefix/bin/inktide"
echo "Installed: $prefix/bin/inktide"
case ":$PATH:" in *":$prefix/bin:"*) ;; *) echo "Add $prefix/bin to PATH to call it as 'inktide'." ;; esac
