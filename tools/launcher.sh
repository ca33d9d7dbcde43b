#!/bin/sh
# Puts the `sprenn` launcher on the PATH, or as near to it as it may.
set -eu
cd "$(dirname "$0")/.."
if [ -w /usr/local/bin ]; then bin=/usr/local/bin; else bin="$HOME/.local/bin"; mkdir -p "$bin"; fi
cp inst/bin/sprenn "$bin/sprenn"
chmod 755 "$bin/sprenn"
echo "The launcher is $bin/sprenn"
case ":$PATH:" in
  *":$bin:"*) ;;
  *) echo "$bin is not on the PATH; add it with: export PATH=\"$bin:\$PATH\"" ;;
esac
# What shells and `man` look for lies beside the launcher.
share="${bin%/bin}/share"
mkdir -p "$share/bash-completion/completions" "$share/zsh/site-functions" "$share/man/man1"
"$bin/sprenn" completions bash > "$share/bash-completion/completions/sprenn"
"$bin/sprenn" completions zsh > "$share/zsh/site-functions/_sprenn"
"$bin/sprenn" completions man > "$share/man/man1/sprenn.1"
echo "Completions and the manual page are below $share"
