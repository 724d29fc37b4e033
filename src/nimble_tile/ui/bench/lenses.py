"""What the bench can show."""

from __future__ import annotations

from enum import StrEnum


class Lens(StrEnum):
    """What the bench shows."""

    FINISHED = "finished"
    PICTURE = "picture"
    CODE = "code"
    XRAY = "x-ray"
    BLOCKS = "blocks"
    STEERING = "steering"
    EYE = "reader's eye"
    PLACES = "places"
