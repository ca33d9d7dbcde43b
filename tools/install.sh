#!/bin/sh
# Installs the package into R's first library that can be written to, unless the
# very same sources are there already.
set -eu
cd "$(dirname "$0")/.."
sum=$(find DESCRIPTION NAMESPACE R src inst man -type f ! -name '*.o' ! -name '*.so' -print0 | sort -z | xargs -0 cat | cksum | cut -d' ' -f1)
library=$(Rscript --vanilla -e 'l <- .libPaths()[1]; if (file.access(l, 2) != 0) { l <- path.expand(Sys.getenv("R_LIBS_USER")); dir.create(l, recursive = TRUE, showWarnings = FALSE) }; cat(l)')
stamp="$library/sprenn/sources.cksum"
if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ]; then exit 0; fi
echo "Installing sprenn into $library"
build=$(mktemp -d)
trap 'rm -rf "$build"' EXIT
cp -R DESCRIPTION NAMESPACE LICENSE R src inst man "$build/"
find "$build" \( -name '*.o' -o -name '*.so' \) -delete
if ! MAKEFLAGS=${MAKEFLAGS_R:--j2} R CMD INSTALL --no-test-load -l "$library" "$build" >"$build/log" 2>&1; then
  cat "$build/log"
  exit 1
fi
echo "$sum" >"$stamp"
