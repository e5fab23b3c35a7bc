#!/bin/sh
# Install the package in a bare Debian folder and work with it there, as root on Debian.
# usage: try_deb.sh PACKAGE.deb SUITE FOLDER      (FOLDER is made, and removed at the end)
set -eu
package=$1
suite=$2
folder=$3
command -v debootstrap >/dev/null || sh "$(dirname "$0")/install_packages.sh" "a bare Debian" debootstrap
mirror=$(grep -rhoE '^(deb |URIs: )?(https?|file):[^ ]+/debian/?( |$)' /etc/apt/sources.list /etc/apt/sources.list.d/ 2>/dev/null |
  head -n 1 | sed -E 's/^(deb |URIs: )//; s/ $//')
[ -d "$folder/usr" ] || debootstrap --variant=minbase "$suite" "$folder" "${mirror:?no mirror of Debian is named in /etc/apt}"
cp "$package" "$folder/root/new.deb"
inside() { chroot "$folder" env HOME=/root DEBIAN_FRONTEND=noninteractive QT_QPA_PLATFORM=offscreen "$@"; }
inside apt-get update -qq
inside apt-get install -qq -y --no-install-recommends /root/new.deb desktop-file-utils libglib2.0-bin
inside sh -ec '
  cd /root
  command -v python3 && { echo "this Debian is not bare: it has a Python" >&2; exit 1; }
  olive-almanac --version
  olive-almanac machine add --set name="Long Bed" --set source=co2
  olive-almanac stock add --set name="Birch ply" --set family=plywood --set thickness_mm=3
  olive-almanac machine write "Long Bed" --out m.json
  olive-almanac stock write "Birch ply" --out s.json
  olive-almanac plan --machine m.json --stock s.json --task cut --out t
  olive-almanac burn t/trial.json --seed 1 --out b
  olive-almanac decide t/trial.json b/seen.json
  olive-almanac demo --out pictures
  OLIVE_ALMANAC_LANGUAGE=de olive-almanac plan --machine m.json --stock s.json --task cut --out auf-deutsch |
    grep "Zellen"
  gio mime application/x-olive-almanac-trial | grep olive-almanac.desktop
  gio info -a standard::content-type t/trial.json | grep x-olive-almanac-trial
  test -s /usr/share/man/man1/olive-almanac.1.gz
'
inside apt-get install -qq -y --reinstall /root/new.deb
inside olive-almanac machine | grep "Long Bed"
inside apt-get remove -qq -y olive-almanac
test -s "$folder/root/.local/share/olive-almanac/almanac.db"
rm -rf "$folder"
echo "Installed, worked with, installed again and removed; the library stayed."
