#!/bin/sh
# R CMD check on a built package, in a folder of its own.
set -eu
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
root=$(pwd)
cd "$work"
R CMD build "$root" >/dev/null
_R_CHECK_FORCE_SUGGESTS_=false R CMD check --no-manual sprenn_*.tar.gz
grep '^Status' sprenn.Rcheck/00check.log
! grep -Eq '^Status:.*(ERROR|WARNING)' sprenn.Rcheck/00check.log
