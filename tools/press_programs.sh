#!/bin/sh
# The programs that set the press room's pages. Needed only to make them again: `make press`.
set -eu

as=""
[ "$(id -u)" = 0 ] || as="sudo"
$as apt-get update -q
$as env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends \
    chromium enscript fonts-dejavu ghostscript groff libreoffice-calc-nogui \
    libreoffice-writer-nogui lmodern tex-gyre texlive-fonts-extra texlive-fonts-recommended \
    texlive-latex-extra texlive-latex-recommended
"${1:-python3}" -m pip install -q "typst==0.15.2"
