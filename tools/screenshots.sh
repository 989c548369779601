#!/bin/sh
# Take the pictures under a virtual screen, where there is one; offscreen otherwise.
set -eu
python=$1
if command -v xvfb-run >/dev/null 2>&1; then
    exec env QT_QPA_PLATFORM=xcb xvfb-run -a -s "-screen 0 1400x900x24" "$python" tools/screenshots.py
elif [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
    apt-get install -y xvfb xauth >/dev/null 2>&1 && exec sh "$0" "$python"
fi
exec env QT_QPA_PLATFORM=offscreen "$python" tools/screenshots.py
