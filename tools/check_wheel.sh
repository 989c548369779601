#!/bin/sh
# Build the wheel, install it in a clean environment, and convert a page with what was installed.
set -eu
python=$1
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
"$python" -m pip wheel --quiet --disable-pip-version-check --no-deps -w "$folder" .
"$python" -m venv "$folder/venv"
"$folder/venv/bin/pip" install --quiet --disable-pip-version-check -c constraints.txt "$folder"/*.whl
cd "$folder"
env -u DISPLAY -u WAYLAND_DISPLAY -u QT_QPA_PLATFORM venv/bin/keel-line demo
test -s "keel-line-demo/Brannock Sound.xlsx"
QT_QPA_PLATFORM=offscreen venv/bin/python -c "
from keel_line.ui.app import make_app, make_window
app = make_app()
window = make_window(app)
window.show()
window.close()
print('The window opens.')"
