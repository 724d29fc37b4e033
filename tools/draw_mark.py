"""The heron mark of the Redshank Marsh Trust, as SVG and as PNG with transparency."""

from __future__ import annotations

import skia
from PIL import Image

from painting import DEMO, heron_paths

SIDE = 640
GREEN, GOLD = "#1d5740", "#e0a44a"


def data(path: skia.Path) -> str:
    """Path data of SVG, one decimal."""
    verbs = {
        skia.Path.kMove_Verb: ("M", 1),
        skia.Path.kLine_Verb: ("L", 2),
        skia.Path.kQuad_Verb: ("Q", 3),
        skia.Path.kCubic_Verb: ("C", 4),
        skia.Path.kClose_Verb: ("Z", 0),
    }
    parts = []
    for verb, points in path:
        if verb not in verbs:
            continue
        letter, count = verbs[verb]
        own = points[1:count] if count > 1 else points[:count]
        parts.append(letter + " ".join(f"{p.x():.1f} {p.y():.1f}" for p in own))
    return "".join(parts)


def waves() -> str:
    """Two lines of water under the feet."""
    return (
        '<path d="M116 560q34-16 68 0t68 0 68 0 68 0 68 0 68 0"/>'
        '<path d="M184 596q34-16 68 0t68 0 68 0 68 0"/>'
    )


def main() -> None:
    body, legs = heron_paths(306, 560, 430)
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {SIDE} {SIDE}">'
        f"<title>Heron mark of the Redshank Marsh Trust</title>"
        f'<circle cx="320" cy="250" r="196" fill="{GOLD}"/>'
        f'<path d="{data(body)}" fill="{GREEN}"/>'
        f'<g fill="none" stroke="{GREEN}" stroke-linecap="round" stroke-linejoin="round">'
        f'<path d="{data(legs)}" stroke-width="11"/>'
        f'<g stroke-width="12">{waves()}</g></g></svg>\n'
    )
    DEMO.mkdir(parents=True, exist_ok=True)
    (DEMO / "heron.svg").write_text(svg, "utf-8")
    drawing = skia.SVGDOM.MakeFromStream(skia.MemoryStream(svg.encode()))
    drawing.setContainerSize(skia.Size(SIDE, SIDE))
    surface = skia.Surface(SIDE, SIDE)
    surface.getCanvas().clear(0)
    drawing.render(surface.getCanvas())
    pixels = surface.toarray(colorType=skia.kRGBA_8888_ColorType)
    Image.fromarray(pixels).save(DEMO / "heron.png", optimize=True)


if __name__ == "__main__":
    main()
