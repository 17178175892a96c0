#!/usr/bin/env bash
# Makes dist/fairmargin_VERSION_ARCH.deb of the wheel in dist/ and everything pinned in requirements/app.lock.
# The packages lie in /usr/lib/fairmargin, beside the system's own Python and not in its way.
set -euo pipefail
cd "$(dirname "$0")/.."
python=${PYTHON:-.venv/bin/python}
wheel=$(ls -t dist/fairmargin-*.whl | head -1)
version=$($python -c 'import fairmargin; print(fairmargin.__version__)')
minor=$($python -c 'import sys; print(sys.version_info[1])')
arch=$(dpkg --print-architecture)
root=$(mktemp -d)
trap 'rm -rf "$root"' EXIT
lib=$root/usr/lib/fairmargin

"$python" -m pip install --quiet --no-deps --no-compile --target "$lib" -r requirements/app.lock
"$python" -m pip install --quiet --no-deps --no-compile --target "$root/own" "$wheel"
rm -rf "$lib/bin" "$lib/share" "$root/own/bin"
mv "$root/own/share" "$root/usr/share"
mv "$root"/own/* "$lib/"
rmdir "$root/own"
gzip -9n "$root/usr/share/man/man1/fairmargin.1"
install -Dm644 LICENSE "$root/usr/share/doc/fairmargin/copyright"
install -Dm644 NOTICES.md "$root/usr/share/doc/fairmargin/NOTICES.md"
mkdir -p "$root/usr/bin"
cat >"$root/usr/bin/fairmargin" <<EOF
#!/bin/sh
PYTHONPATH=/usr/lib/fairmargin exec /usr/bin/python3.$minor -P -m fairmargin.cli "\$@"
EOF
chmod 755 "$root/usr/bin/fairmargin"
mkdir "$root/DEBIAN"
cat >"$root/DEBIAN/control" <<EOF
Package: fairmargin
Version: $version
Architecture: $arch
Maintainer: The Fair Margin project <fairmargin@localhost>
Installed-Size: $(du -sk "$root/usr" | cut -f1)
Depends: python3.$minor, libegl1, libgl1, libxkbcommon0, libdbus-1-3, libfontconfig1, libxcb-cursor0, libxkbcommon-x11-0,
 libxcb-icccm4, libxcb-keysyms1, libxcb-shape0, libxcb-image0, libxcb-render-util0, libxcb-xinerama0, libxcb-randr0
Recommends: cups-client
Section: science
Priority: optional
Description: What a change does to a vehicle's consumption, with an honest margin
 Paired runs, corrected for wind, hills, temperature and speed; an effect with a
 margin and a verdict that the evidence carries.
EOF
dpkg-deb --root-owner-group -Zxz -z2 --build "$root" "dist/fairmargin_${version}_${arch}.deb"
