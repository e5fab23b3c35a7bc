#!/bin/sh
# See that the system libraries of Qt are there, and install the missing ones.
# usage: system_libraries.sh window|tests|package   (tests adds the virtual screen, package objdump)
set -eu
PATH=$PATH:/sbin:/usr/sbin
known=$(ldconfig -p 2>/dev/null || true)
missing=""
need() {   # need FILE PACKAGE
  case "$known" in *"$1"*) ;; *) missing="$missing $2" ;; esac
}
need libGL.so.1 libgl1
need libEGL.so.1 libegl1
need libxkbcommon.so.0 libxkbcommon0
need libdbus-1.so.3 libdbus-1-3
need libglib-2.0.so.0 libglib2.0-0
need libfontconfig.so.1 libfontconfig1
if [ "$1" != window ] || [ -n "${DISPLAY:-}" ]; then
  need libxcb-cursor.so.0 libxcb-cursor0
  need libxcb-icccm.so.4 libxcb-icccm4
  need libxcb-keysyms.so.1 libxcb-keysyms1
  need libxcb-shape.so.0 libxcb-shape0
  need libxcb-xkb.so.1 libxcb-xkb1
  need libxcb-image.so.0 libxcb-image0
  need libxcb-render-util.so.0 libxcb-render-util0
  need libxcb-randr.so.0 libxcb-randr0
  need libxkbcommon-x11.so.0 libxkbcommon-x11-0
fi
if [ "$1" = package ]; then
  command -v objdump >/dev/null 2>&1 || missing="$missing binutils"
fi
if [ "$1" = tests ]; then
  command -v Xvfb >/dev/null 2>&1 || missing="$missing xvfb"
  command -v xauth >/dev/null 2>&1 || missing="$missing xauth"
fi
[ -z "$missing" ] && exit 0
sh "$(dirname "$0")/install_packages.sh" "system libraries for the window" $missing
