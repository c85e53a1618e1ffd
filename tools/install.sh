#!/bin/sh
# Puts the package into the R library and a link to the program into PREFIX/bin.
set -eu
prefix=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
# With the vignettes, which R makes while it builds the package.
here=$(pwd)
if (cd "$work" && R CMD build --no-manual "$here" > build.log 2>&1); then
  source=$(ls "$work"/*.tar.gz)
else
  echo "The vignettes could not be made, so they are left out: $(grep -i -m 1 error "$work/build.log")" >&2
  source=.
fi
R CMD INSTALL --clean --no-multiarch "$source" > /dev/null 2>&1 ||
  R CMD INSTALL --clean --no-multiarch "$source"
program=$(Rscript -e 'cat(system.file("exec", "inktide", package = "inktide"))')
mkdir -p "$prefix/bin"
ln -sf "$program" "$prefix/bin/inktide"
echo "Installed: $prefix/bin/inktide"
case ":$PATH:" in *":$prefix/bin:"*) ;; *) echo "Add $prefix/bin to PATH to call it as 'inktide'." ;; esac
