#!/bin/sh
# Installs the R packages that are missing. As root on Debian, with Debian's own
# R, they come built from Debian; what Debian lacks, and everything elsewhere,
# comes from CRAN. `setup.sh WHAT` adds what is needed for demo, test, check, docs, lint, bench
# or coverage.
set -eu
what=${1:-run}
case $what in test | check | coverage) tests=yes ;; *) tests=no ;; esac
cd "$(dirname "$0")/.."

missing() { Rscript --vanilla tools/packages.R "$what" "$@"; }

if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null && debs=$(missing debian); then
  lacking=$debs
  command -v g++ >/dev/null || debs="$debs r-base-dev"
  [ -e /usr/include/png.h ] || debs="$debs libpng-dev"
  if [ $tests = yes ] && ! command -v chromium >/dev/null; then
    debs="$debs chromium fonts-dejavu-core"
  fi
  # A general JSON Schema library, to hold the shipped schemas against the reader.
  if [ $tests = yes ] && ! /usr/bin/python3 -c "import jsonschema" 2>/dev/null; then
    debs="$debs python3-jsonschema"
  fi
  # The guides are vignettes of rmarkdown.
  case $what in check | docs) command -v pandoc >/dev/null || debs="$debs pandoc" ;; esac
  if [ "$what" = lint ]; then
    command -v clang-format >/dev/null || debs="$debs clang-format"
  fi
  # For what tools/web has: formatters, linters, and axe, which tests pages for accessibility.
  case $what in lint | test) command -v npm >/dev/null || debs="$debs npm" ;; esac
  # What gives photographs their looks in bench/natural.R.
  if [ "$what" = bench ]; then
    command -v gmic >/dev/null || debs="$debs gmic"
    command -v gegl >/dev/null || debs="$debs gegl"
  fi
  # The judges that can be installed are servers on Node.
  if [ $tests = yes ] && ! command -v node >/dev/null; then debs="$debs nodejs"; fi
  # A clock that can be made to jump, for one process.
  if [ $tests = yes ] && ! ls /usr/lib/*/faketime/libfaketime.so.1 >/dev/null 2>&1; then
    debs="$debs libfaketime"
  fi
  # What chromote stands on is compiled against OpenSSL.
  case "$debs" in *r-cran-chromote*) debs="$debs libssl-dev pkg-config" ;; esac
  # A real PostgreSQL server, and what its package is compiled against.
  if [ $tests = yes ] && ! ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1; then
    debs="$debs postgresql"
  fi
  case "$debs" in *r-cran-rpostgres*) debs="$debs libpq-dev" ;; esac
  # Networks on one machine.
  if [ $tests = yes ] && ! command -v ip >/dev/null; then debs="$debs iproute2"; fi
  # And what mirai stands on is built by cmake.
  case "$debs" in *r-cran-mirai*) command -v cmake >/dev/null || debs="$debs cmake" ;; esac
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
# What Debian lacks, or could not give; nothing if all is there.
missing cran
case $what in
  lint | test)
    if [ ! -d tools/web/node_modules/axe-core ] && command -v npm >/dev/null; then
      npm ci --silent --no-audit --no-fund --prefix tools/web
    fi
    ;;
esac
