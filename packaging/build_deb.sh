#!/bin/sh
# Builds a Debian package with dpkg-deb, and with "test" installs it in a clean root made by
# debootstrap and uses it there (as root).
#
#   packaging/build_deb.sh [FOLDER]        build into FOLDER (build/deb)
#   packaging/build_deb.sh test [FOLDER]   build, install in a clean root, make and check a code
#
# Python packages that Debian does not have come along in /usr/lib/nimble-tile, for the Python
# of the machine on which the package is built.
set -eu
cd "$(dirname "$0")/.."
test=""
if [ "${1:-}" = test ]; then
    test=1
    shift
fi
out=${1:-build/deb}
python=${PYTHON:-/usr/bin/python3}
minor=$("$python" -c 'import sys; print("%d.%d" % sys.version_info[:2])')
next=$("$python" -c 'import sys; print("%d.%d" % (sys.version_info[0], sys.version_info[1] + 1))')
version=$(sed -n 's/^version = "\(.*\)"/\1/p' pyproject.toml)
arch=$(dpkg --print-architecture)
tree=$(mktemp -d)
trap 'rm -rf "$tree"' EXIT
mkdir -p "$out"

echo "Collecting the program and its Python packages for Python $minor."
pip="$PWD/.venv/bin/python -m pip"
$pip --quiet --quiet install --disable-pip-version-check --python-version "$minor" --only-binary :all: \
    --no-compile --target "$tree/usr/lib/nimble-tile" \
    $(sed -n '/^dependencies = \[/,/^\]/s/^ *"\(.*\)",$/\1/p' pyproject.toml)
cp -r src/nimble_tile "$tree/usr/lib/nimble-tile/"
find "$tree" -name __pycache__ -prune -exec rm -rf {} +
rm -rf "$tree/usr/lib/nimble-tile/bin"

mkdir -p "$tree/usr/bin" "$tree/usr/share/man/man1" "$tree/usr/share/doc/nimble-tile" "$tree/DEBIAN"
cat >"$tree/usr/bin/nimble-tile" <<LAUNCH
#!/bin/sh
PYTHONPATH=/usr/lib/nimble-tile exec /usr/bin/python3 -P -m nimble_tile "\$@"
LAUNCH
chmod 755 "$tree/usr/bin/nimble-tile"
.venv/bin/python - "$tree/usr/share" <<'PLACE'
import sys
from importlib.resources import files
from pathlib import Path

from nimble_tile.cli_desktop import desktop_files

for name, place in desktop_files():
    target = Path(sys.argv[1]) / place
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_bytes(files("nimble_tile.assets").joinpath(f"desktop/{name}").read_bytes())
PLACE
.venv/bin/python tools/man_page.py "$tree/usr/share/man/man1/nimble-tile.1"
gzip -9n "$tree/usr/share/man/man1/nimble-tile.1"
cp LICENSE "$tree/usr/share/doc/nimble-tile/copyright"
.venv/bin/python tools/licences.py >"$tree/usr/share/doc/nimble-tile/licences.txt"
cp docs/handbook.md "$tree/usr/share/doc/nimble-tile/"

cat >"$tree/DEBIAN/control" <<CONTROL
Package: nimble-tile
Version: $version
Architecture: $arch
Maintainer: The Nimble Tile authors <authors@nimbletile.example>
Section: graphics
Priority: optional
Installed-Size: $(du -sk "$tree/usr" | cut -f1)
Depends: python3 (>= $minor), python3 (<< $next), libegl1, libgl1, libopengl0, libglib2.0-0 | libglib2.0-0t64, libdbus-1-3, libfontconfig1, libfreetype6, libx11-xcb1, libxkbcommon0, libxkbcommon-x11-0, libxcb-cursor0, libxcb-icccm4, libxcb-image0, libxcb-keysyms1, libxcb-randr0, libxcb-render-util0, libxcb-shape0, libxcb-sync1, libxcb-xfixes0, libxcb-xinerama0, libxcb-xkb1
Recommends: libgs-common
Description: blend QR codes into artwork and prove that they scan
 Nimble Tile blends a QR code into a photo, an illustration or a generated
 picture as gently as it can, and shows all the time whether the finished image
 still scans, how close it is to failing, and why.
CONTROL
cat >"$tree/DEBIAN/postinst" <<'POST'
#!/bin/sh
set -e
if [ "$1" = configure ]; then
    python3 -m compileall -q /usr/lib/nimble-tile/nimble_tile || true
fi
POST
cat >"$tree/DEBIAN/prerm" <<'PRE'
#!/bin/sh
set -e
find /usr/lib/nimble-tile -name __pycache__ -prune -exec rm -rf {} + || true
PRE
chmod 755 "$tree/DEBIAN/postinst" "$tree/DEBIAN/prerm"
package="$out/nimble-tile_${version}_$arch.deb"
dpkg-deb --root-owner-group -Zxz -z1 --build "$tree" "$package" >/dev/null
echo "$package ($(du -h "$package" | cut -f1))"

if [ -z "$test" ]; then
    exit 0
fi
if [ "$(id -u)" != 0 ] || ! command -v debootstrap >/dev/null; then
    echo "The test needs root and debootstrap." >&2
    exit 1
fi
root=$(mktemp -d)
trap 'rm -rf "$tree" "$root"' EXIT
codename=$(. /etc/os-release && echo "$VERSION_CODENAME")
echo "Installing it in a clean root of $codename."
debootstrap --variant=minbase "$codename" "$root" >/dev/null
cp "$package" "$root/tmp/nimble-tile.deb"
cp /etc/resolv.conf "$root/etc/resolv.conf" 2>/dev/null || true
inside() {
    chroot "$root" env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root DEBIAN_FRONTEND=noninteractive "$@"
}
inside apt-get install -y -qq --no-install-recommends /tmp/nimble-tile.deb >"$root/tmp/apt.log" 2>&1 ||
    { tail -20 "$root/tmp/apt.log"; exit 1; }
inside nimble-tile --version
inside nimble-tile make --message https://lanternwalk.example --mm 40 --out /tmp/code.pdf
inside nimble-tile demo --out /tmp/demo
inside sh -c 'QT_QPA_PLATFORM=offscreen timeout 20 nimble-tile; test $? = 124' &&
    echo "The window opened and stayed open."
inside apt-get remove -y -qq nimble-tile >/dev/null 2>&1
if [ -e "$root/usr/lib/nimble-tile/nimble_tile" ]; then
    echo "Removing it left files behind." >&2
    exit 1
fi
echo "Installed, used and removed in a clean root."
