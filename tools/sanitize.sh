#!/bin/sh
# Builds the package with the address and undefined-behaviour sanitizers into a folder
# of its own, and runs the tests that reach the compiled code.
set -eu
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/library" "$work/source"
cp -R DESCRIPTION NAMESPACE LICENSE R src inst man "$work/source/"
find "$work/source" \( -name '*.o' -o -name '*.so' \) -delete
flags="-g -O1 -fno-omit-frame-pointer -fsanitize=address,undefined -fno-sanitize-recover=undefined"
cat >"$work/Makevars" <<EOF
CXX17FLAGS = $flags
LDFLAGS = -fsanitize=address,undefined
EOF
R_MAKEVARS_USER="$work/Makevars" MAKEFLAGS=-j2 R CMD INSTALL --no-test-load --no-byte-compile -l "$work/library" "$work/source" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
preload=$(${CXX:-g++} -print-file-name=libasan.so)
failed=0
for name in ${TESTS:-choose colour core definitions drawing explain fit flaws guides orientation own-measures probes read-picture resize structure style}; do
  [ -f "tests/testthat/test-$name.R" ] || continue
  # R itself keeps what it has until it ends: leaks are not looked for.
  ASAN_OPTIONS=detect_leaks=0 LD_PRELOAD="$preload" R_LIBS="$work/library" NOT_CRAN=true Rscript --vanilla -e "
    library(testthat); library(sprenn)
    found <- as.data.frame(test_file('tests/testthat/test-$name.R', package = 'sprenn', load_package = 'installed', reporter = 'silent', stop_on_failure = FALSE))
    cat('$name:', sum(found\$nb), 'checks,', sum(found\$failed) + sum(found\$error), 'failed\n')
    quit(status = as.integer(any(found\$failed > 0 | found\$error)))" >"$work/out" 2>&1 || failed=1
  grep -E "^$name:|runtime error|ERROR: AddressSanitizer" "$work/out" || { tail -20 "$work/out"; failed=1; }
done
exit $failed
