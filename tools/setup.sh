#!/bin/sh
# Installs the R packages that are missing. As root on Debian, with Debian's own
# R, they come built from Debian; what Debian lacks, and everything elsewhere,
# comes from CRAN. `setup.sh test` adds what the tests need.
set -eu
what=${1:-run}
cd "$(dirname "$0")/.."

missing() { Rscript --vanilla tools/packages.R "$what" "$@"; }

if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null && [ "$(Rscript --vanilla -e 'cat(R.home())')" = /usr/lib/R ]; then
  debs=$(missing debian)
  command -v g++ >/dev/null || debs="$debs r-base-dev"
  if [ "$what" = test ] && ! command -v chromium >/dev/null; then debs="$debs chromium fonts-dejavu-core"; fi
  [ -n "$(fc-list 2>/dev/null | head -n 1)" ] || debs="$debs fonts-dejavu-core fontconfig"
  if [ -n "$debs" ]; then
    export DEBIAN_FRONTEND=noninteractive
    apt-get update -qq
    wanted=""
    for deb in $debs; do
      if apt-cache show "$deb" >/dev/null 2>&1; then wanted="$wanted $deb"; fi
    done
    if [ -n "$wanted" ]; then
      echo "Installing from Debian:$wanted"
      apt-get install -y -qq --no-install-recommends $wanted >/dev/null
    fi
  fi
fi
missing cran
