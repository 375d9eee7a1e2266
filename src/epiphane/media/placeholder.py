"""The picture that stands for footage that cannot be shown."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from epiphane.assets import FONTS
from epiphane.media.raw import RawPicture, raw_from_bgr

_SIZE = (640, 360)
_GROUND, _STRIPE, _INK = (42, 36, 44), (52, 45, 55), (212, 228, 236)


@lru_cache(maxsize=32)
def placeholder(reason: str) -> RawPicture:
    """Return a striped picture, 640x360, that tells the reason in words."""
    image = Image.new("RGB", _SIZE, _GROUND)
    draw = ImageDraw.Draw(image)
    for x in range(-_SIZE[1], _SIZE[0], 48):
        draw.polygon([(x, _SIZE[1]), (x + _SIZE[1], 0), (x + _SIZE[1] + 24, 0), (x + 24, _SIZE[1])], _STRIPE)
    font = ImageFont.truetype(str(FONTS / "InstrumentSans-Medium.ttf"), 22)
    text = "\n".join(_wrapped(reason, font, _SIZE[0] - 120))
    draw.multiline_text(
        (_SIZE[0] / 2, _SIZE[1] / 2), text, fill=_INK[::-1], font=font, anchor="mm", align="center"
    )
    return raw_from_bgr(np.ascontiguousarray(np.asarray(image)[..., ::-1]))


def _wrapped(text: str, font: ImageFont.FreeTypeFont, width: int) -> list[str]:
    lines = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if font.getlength(longer) > width and lines[-1]:
            lines.append(word)
        else:
            lines[-1] = longer
    return lines
