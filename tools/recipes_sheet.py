"""The contact sheet of the shipped recipes: each laid into the demo, on some frames of its full part."""

from collections.abc import Collection
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from epiphane.assets import FONTS
from epiphane.audio.cache import hear_song
from epiphane.audio.in_project import with_heard_bands
from epiphane.demo.project import open_basic_demo
from epiphane.document.project import with_lanes
from epiphane.edits.keying.recipes import use_recipe
from epiphane.facts.grid import bars_of
from epiphane.files.recipes import KeptRecipe, RecipeBook
from epiphane.keying.schedule import schedule
from epiphane.render.draw import draw
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.timing import frame_at
from epiphane.types import Picture

_BARS = (9, 10)
_BEATS_LATER = (-0.15, 0.0, 0.15, 0.5, 1.0, 1.5, 2.0, 3.0)
"""The frames that are shown, in beats from a bar line; of the second bar the one on it is shown too."""

_SIZE = (176, 99)
_GAP, _NAME = 16, 26
_COLUMNS = len(_BEATS_LATER) + 2
_ROW_HEIGHT = _SIZE[1] + _NAME + _GAP // 2


def recipe_pictures(only: Collection[str] | None = None) -> list[tuple[KeptRecipe, list[Picture]]]:
    """Return every shipped recipe with its pictures, or those of some names with theirs."""
    demo = with_lanes(open_basic_demo(), lanes=())
    assert demo.song is not None
    levels = hear_song(Path(demo.song.path)).listening.levels
    first, second = (next(bar for bar in bars_of(demo) if bar.number == number) for number in _BARS)
    beat = first.duration / 4
    frames = [frame_at(first.start + later * beat, demo.rate) for later in _BEATS_LATER]
    frames += [frame_at(second.start, demo.rate) + later for later in (0, 4)]
    recipes = RecipeBook(Path("none of the editor's")).read()[0]
    drawn = [kept for kept in recipes if only is None or kept.recipe.name in only]
    projects = [with_heard_bands(use_recipe(demo, kept.recipe), levels, levels) for kept in drawn]
    keyed = [(project, schedule(project)) for project in projects]
    footage = OpenFootage()
    # Frame by frame through all recipes: what is read of the footage serves them all.
    columns = [[draw(plan_frame(*one, frame), footage, _SIZE) for one in keyed] for frame in frames]
    footage.close()
    found = dict(zip((kept.path for kept in drawn), map(list, zip(*columns, strict=True)), strict=True))
    return [(kept, found.get(kept.path, [])) for kept in recipes]


def row_of(number: int) -> slice:
    """Return where the row of a recipe lies on the sheet, in pixels from its top."""
    top = _GAP + number * _ROW_HEIGHT
    return slice(top, top + _ROW_HEIGHT)


def recipes_sheet(only: Collection[str] | None = None) -> Image.Image:
    """Return the contact sheet; where only some recipes are wanted, the others have no pictures."""
    rows = recipe_pictures(only)
    width = _COLUMNS * (_SIZE[0] + 2) + 2 * _GAP
    image = Image.new("RGB", (width, len(rows) * _ROW_HEIGHT + _GAP), "#14161a")
    pen, font = ImageDraw.Draw(image), ImageFont.truetype(str(FONTS / "InstrumentSans-Medium.ttf"), 15)
    for number, (kept, pictures) in enumerate(rows):
        top = row_of(number).start
        pen.text((_GAP, top), f"{kept.recipe.name}: {kept.recipe.about}", "#e8e6e1", font)
        for place, picture in enumerate(pictures):
            at = (_GAP + place * (_SIZE[0] + 2), top + _NAME)
            image.paste(Image.fromarray(np.ascontiguousarray(picture[..., ::-1])), at)
    return image
