#!/bin/sh
# The tests listen to what the program says to the network with strace. Install it where that is
# allowed; otherwise say in one line what to run.
set -eu

command -v strace >/dev/null 2>&1 && exit 0
if [ "$(id -u)" = 0 ]; then
    as=""
elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
    as="sudo"
else
    echo "The tests need strace. Run: sudo apt-get install -y strace" >&2
    exit 1
fi
echo "Installing strace, which the tests listen with"
{ $as apt-get update -q && $as env DEBIAN_FRONTEND=noninteractive apt-get install -y strace; } \
    >/dev/null 2>&1 || {
    echo "It could not be installed. Run: sudo apt-get update && sudo apt-get install -y strace" >&2
    exit 1
}
