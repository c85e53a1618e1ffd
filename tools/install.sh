#!/bin/sh
# Puts the package into the R library and a link to the program into PREFIX/bin.
set -eu
prefix=$1
R CMD INSTALL --clean --no-multiarch . > /dev/null 2>&1 || R CMD INSTALL --clean --no-multiarch .
program=$(Rscript -e 'cat(system.file("exec", "inktide", package = "inktide"))')
mkdir -p "$prefix/bin"
ln -sf "$program" "$prefix/bin/inktide"
echo "Installed: $prefix/bin/inktide"
case ":$PATH:" in *":$prefix/bin:"*) ;; *) echo "Add $prefix/bin to PATH to call it as 'inktide'." ;; esac
