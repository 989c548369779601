#!/bin/sh
# Qt's wheels lean on these system libraries. Install what is missing where that is allowed;
# otherwise say in one line what to run.
set -eu

wanted="libEGL.so.1:libegl1 libGL.so.1:libgl1 libglib-2.0.so.0:libglib2.0-0
libxkbcommon.so.0:libxkbcommon0 libdbus-1.so.3:libdbus-1-3 libfontconfig.so.1:libfontconfig1
libxkbcommon-x11.so.0:libxkbcommon-x11-0 libxcb-cursor.so.0:libxcb-cursor0
libxcb-icccm.so.4:libxcb-icccm4 libxcb-keysyms.so.1:libxcb-keysyms1
libxcb-image.so.0:libxcb-image0 libxcb-render-util.so.0:libxcb-render-util0
libxcb-shape.so.0:libxcb-shape0 libxcb-xinerama.so.0:libxcb-xinerama0"

have=$(/sbin/ldconfig -p 2>/dev/null || ldconfig -p)
missing=""
for pair in $wanted; do
    case "$have" in
        *"${pair%%:*}"*) ;;
        *) missing="$missing ${pair##*:}" ;;
    esac
done
[ -z "$missing" ] && exit 0

command="apt-get install -y$missing"
if ! command -v apt-get >/dev/null 2>&1; then
    echo "Qt needs system libraries that are missing here; install what your system calls:$missing" >&2
    exit 1
elif [ "$(id -u)" = 0 ]; then
    as=""
elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
    as="sudo"
else
    echo "Qt needs system libraries that are missing here. Run: sudo $command" >&2
    exit 1
fi
echo "Installing the system libraries that Qt needs:$missing"
{ $as apt-get update -q && $as env DEBIAN_FRONTEND=noninteractive $command; } >/dev/null 2>&1 || {
    echo "They could not be installed. Run: sudo apt-get update && sudo $command" >&2
    exit 1
}
