#!/bin/sh
# Proves that a plain install does everything: into a fresh environment without
# the development extra, and with nothing of this folder on the path.
set -eu
root=$(cd "$(dirname "$0")/.." && pwd)
place=$(mktemp -d)
trap 'rm -rf "$place"' EXIT
python="$root/.venv/bin/python"
"$python" -m venv "$place/venv"
cp -r "$root/pyproject.toml" "$root/README.md" "$root/LICENSE" "$root/src" "$root/docs" "$place/"
find "$place/src" -name '*.egg-info' -prune -exec rm -rf {} +
"$place/venv/bin/python" -m pip install --quiet --disable-pip-version-check "$place"
cd "$place"
mkdir work
cd work
export XDG_STATE_HOME="$place/state" XDG_DATA_HOME="$place/data"
tile="$place/venv/bin/nimble-tile"
picture="$place/venv/lib/python3"*/site-packages/nimble_tile/assets/demo/mist.jpg
# The glob stands for one folder.
# shellcheck disable=SC2086
set -- $picture
message=https://lanternwalk.example
"$tile" make --message "$message" --picture "$1" --gentlest 0.8 --size 700 --out gentle.png
"$tile" check gentle.png --expect "$message" --trials --report report.html
"$tile" make --message "$message" --picture "$1" --blend overlay --strength 0.4 --size 700 \
    --out faint.png || [ $? = 1 ]
"$tile" mend faint.png --message "$message" --out mended.png
env -u DISPLAY -u WAYLAND_DISPLAY -u QT_QPA_PLATFORM "$tile" demo --out demo >demo.txt
"$tile" desk add "$message" --file links.sqlite3
"$tile" paint --words "lake at dawn" --size 200 --steps 3 --out lake.png
"$tile" paint --words "lake, embroidery" --size 200 --steps 3 --out woven.png
"$tile" guide --message "$message" --out guide.png
for ending in png ora svg pdf; do
    "$tile" template --message "$message" --size 60 --dpi 150 --out "template.$ending"
done
for ending in jpg webp tif svg pdf ora; do
    "$tile" make --message "$message" --mm 40 --out "code.$ending"
done
"$tile" make --message "$message" --mm 40 --inks single --bleed 3 --marks --out spot.pdf
printf 'message,name\n%s/1,one\n%s/2,two\n' "$message" "$message" >rows.csv
"$tile" batch rows.csv --out batch --size 300 --stickers 30
"$tile" thumbnail batch/.batch/look.nimbletile thumb.png || [ $? = 2 ] # it has no message yet
"$tile" thumbnail demo/walk-ticket.nimbletile thumb.png
"$tile" desktop install
test -s "$XDG_DATA_HOME/applications/example.nimbletile.NimbleTile.desktop"
"$tile" desktop remove
"$tile" straighten "$(dirname "$1")/drawing.jpg" --message "$message/dusk" --out drawn.png
"$place/venv/bin/python" - <<'PYTHON'
from nimble_tile.standins.easel import Easel
from nimble_tile.standins.painting import Request

easel = Easel()
states = list(easel.paint(Request("reeds", width=128, height=128, steps=3), 64))
easel.close()
assert len(states) == 3 and states[-1].image.shape == (128, 128, 3)
PYTHON
"$place/venv/bin/python" -c "import nimble_tile.standins.linkdesk.server"
"$tile" render demo/lantern-walk-poster.nimbletile --out again.png --size 900
"$place/venv/bin/python" - <<'PYTHON'
import sys
from pathlib import Path

from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.project import archive

assert "site-packages" in archive.__file__, archive.__file__
pictures = PictureStore()
piece = archive.load(Path("demo/lantern-walk-poster.nimbletile"), pictures)
archive.save(piece, pictures, Path("copy.nimbletile"))
assert archive.load(Path("copy.nimbletile"), PictureStore()) == piece
from importlib.resources import files

book = files("nimble_tile.assets").joinpath("handbook/handbook.md").read_text("utf-8")
assert book.startswith("# Handbook")
import nimble_tile.ui.window  # noqa: F401 - all that the window imports is there too
absent = {"pytest", "skimage", "sklearn", "hypothesis", "distributed", "atheris"} & set(sys.modules)
assert not absent, absent
print("A plain install makes, checks, mends, renders and keeps projects.")
PYTHON
