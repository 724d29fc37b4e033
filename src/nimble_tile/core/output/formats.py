"""File formats by name: their endings, what they are called, which inks they know."""

from __future__ import annotations

SUFFIX = {
    "png": ".png", "jpeg": ".jpg", "webp": ".webp", "tiff": ".tif", "svg": ".svg",
    "pdf": ".pdf", "ora": ".ora",
}  # fmt: skip
"""Usual file name ending of each format."""

LABELS = {
    "png": "PNG", "jpeg": "JPEG", "webp": "WebP", "tiff": "TIFF", "svg": "SVG", "pdf": "PDF",
    "ora": "OpenRaster",
}  # fmt: skip

INKS = {"png": ("single",), "tiff": ("cmyk", "single"), "pdf": ("cmyk", "single")}
"""Inks beside those of the screen that formats know."""
