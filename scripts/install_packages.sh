#!/bin/sh
# Install Debian or Ubuntu packages where root or sudo allows; otherwise print the exact line to type.
# usage: install_packages.sh "what they are for" PACKAGE...
set -eu
purpose=$1
shift
line="apt-get install -y --no-install-recommends $*"
if ! command -v apt-get >/dev/null 2>&1; then
  echo "Missing: $purpose. Install with your package manager what Debian calls: $*" >&2
  exit 1
fi
if [ "$(id -u)" = 0 ]; then
  as_root=""
elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
  as_root="sudo"
else
  echo "Missing: $purpose. Type this line, then run make again:" >&2
  echo "  sudo apt-get update && sudo $line" >&2
  exit 1
fi
echo "Installing $purpose: $*"
log=$(mktemp)
if ! { $as_root env DEBIAN_FRONTEND=noninteractive apt-get update && $as_root env DEBIAN_FRONTEND=noninteractive $line; } >"$log" 2>&1; then
  tail -n 15 "$log" >&2
  echo "The installation failed; the full log is in $log. The line was: $line" >&2
  exit 1
fi
rm -f "$log"
