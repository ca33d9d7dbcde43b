#!/bin/sh
# Puts the `sprenn` launcher on the PATH, or as near to it as it may.
set -eu
exec Rscript --no-save --no-restore -e 'sprenn::install_launcher()'
