"""The contact sheet of all effects: each on the demo's chimes, on its hit and a little later."""

from collections.abc import Sequence

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from epiphane.assets import FONTS
from epiphane.demo import MEDIA
from epiphane.document.envelope import Envelope
from epiphane.document.timeline import Transform
from epiphane.effects.declare import EFFECTS, Effect, FrameContext
from epiphane.keying.envelope import frame_levels
from epiphane.render.draw import draw
from epiphane.render.nodes import ActiveEffect, Shown, SourceFrame, plan_of
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture

LATER = (0, 2, 5)
"""The frames that are shown, counted from the hit."""
_RATE = 30.0
_HIT = 137  # of the clip: the marble strikes
_NEAR = Transform(scale=2.0, x=-0.5, y=-0.4)
SIZE = (144, 81)
_COLUMNS, _GAP, _NAME = 3, 18, 24


def effect_pictures() -> list[tuple[Effect, list[Picture]]]:
    """Return every effect, as it is declared, with its picture on the frames of `LATER`."""
    footage = OpenFootage()
    found = [(effect, [_drawn(effect, later, footage) for later in LATER]) for effect in EFFECTS.all()]
    footage.close()
    return found


def sheet() -> Image.Image:
    """Return the contact sheet."""
    return laid_out([(effect.label, pictures) for effect, pictures in effect_pictures()])


def laid_out(cells: Sequence[tuple[str, Sequence[Picture]]]) -> Image.Image:
    """Return a sheet of named rows of pictures of `SIZE`, in columns."""
    width = len(cells[0][1]) * (SIZE[0] + 2) + _GAP
    height = SIZE[1] + _NAME + _GAP // 2
    n_rows = -(-len(cells) // _COLUMNS)
    image = Image.new("RGB", (_COLUMNS * width + _GAP, n_rows * height + _GAP), "#14161a")
    pen, font = ImageDraw.Draw(image), ImageFont.truetype(str(FONTS / "InstrumentSans-Medium.ttf"), 14)
    for number, (name, pictures) in enumerate(cells):
        row, column = number % n_rows, number // n_rows
        left, top = _GAP + column * width, _GAP + row * height
        pen.text((left, top), name, "#e8e6e1", font)
        for place, picture in enumerate(pictures):
            at = (left + place * (SIZE[0] + 2), top + _NAME)
            image.paste(Image.fromarray(np.ascontiguousarray(picture[..., ::-1])), at)
    return image


def _drawn(effect: Effect, later: int, footage: OpenFootage) -> Picture:
    level = float(frame_levels(Envelope())[int(Envelope().rise) + later])
    context = FrameContext(SIZE[0] / SIZE[1], _HIT + later, _RATE, since=later)
    values = effect.values_at((), level, context)
    here = later + effect.shift_of(values)
    others = tuple(Shown(_source(here + echo), _NEAR) for echo in effect.echoes_of(values))
    active = ActiveEffect(effect.key, effect.version, values, others)
    return draw(plan_of(Shown(_source(here), _NEAR), SIZE, (active,)), footage, SIZE)


def _source(later: int) -> SourceFrame:
    path = str(MEDIA / "chimes.mp4")
    return SourceFrame(path, path, (_HIT + later) / _RATE)
