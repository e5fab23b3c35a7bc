#!/bin/sh
# Make the virtual environment, installing Debian's venv package when the system Python came without it.
# usage: make_venv.sh PYTHON FOLDER
set -eu
python=$1
folder=$2
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || {
  echo "Olive Almanac needs Python 3.11 or newer; $python is $("$python" --version 2>&1)." >&2
  echo "Name a newer one, for example: make PYTHON=python3.11 test" >&2
  exit 1
}
if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
  here=$(dirname "$0")
  sh "$here/install_packages.sh" "the venv module of Python" python3-venv
fi
"$python" -m venv --clear "$folder"
