"""The second demo: a title sequence of fourteen seconds, and the recipe by which it is made."""

from msgspec.structs import replace

from epiphane.assets import RECIPES
from epiphane.demo import EMBLEM_FILE, TITLES_FILE
from epiphane.demo.project import open_basic_demo
from epiphane.document.envelope import Envelope
from epiphane.document.lane import Setting, Trigger
from epiphane.document.project import Project, new_project, with_lanes
from epiphane.document.pulse import PulseUnit
from epiphane.document.recipe import Recipe, RecipeAnchor, RecipeItem
from epiphane.document.timeline import ShapeFill, ShapeKind, Transform
from epiphane.document.titles import (
    FaceAxis,
    Impact,
    Shadow,
    Standing,
    TextFill,
    TextMotion,
    TextUnit,
)
from epiphane.edits.footage import add_footage
from epiphane.edits.items.titles import change_title, fresh_logo, put_title
from epiphane.edits.items.tracks import change_item, put_on_track
from epiphane.edits.keying.lanes import add_lane, change_lane, set_setting
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.recipes import recipe_of, use_recipe
from epiphane.edits.song.trim import trim_song
from epiphane.files.project import load_project, save_project
from epiphane.files.recipes import save_recipe
from epiphane.media.probe import probe_footage
from epiphane.media.shipped import shipped_overlays

NAME = "Marble run, titles"
SECONDS = 14.0
RECIPE_FILE = RECIPES / "marquee.epiphane-recipe"
_OVER_ALL: tuple[tuple[str, dict[str, float | str]], ...] = (
    ("sharpen", {"amount": 160.0}),
    ("self-blend", {"amount": 45.0}),
    ("tint", {"amount": 24.0, "colour": "#c8783d"}),
    ("vignette", {"amount": 75.0}),
    ("grain", {"amount": 16.0}),
)
"""Grit, a cast, a vignette and grain: effects that are on all the time, and their values."""


def make_recipe() -> Recipe:
    """Return the title sequence as a recipe: a look over all of it, blooms on cuts, strikes on landings."""
    project, pulse = ensure_pulse(new_project("Marquee"), PulseUnit.BAR)
    for effect, values in _OVER_ALL:
        project = add_lane(project, effect, pulse, envelope=Envelope(0, 1, 0))
        lane = project.lanes[-1].id
        project = change_lane(project, lane, trigger=Trigger.SPAN)
        for name, value in values.items():
            project = set_setting(project, lane, Setting(name, value))
    project, cuts = ensure_pulse(project, PulseUnit.CUT)
    project = add_lane(project, "bloom", cuts, envelope=Envelope(2, 0, 9))
    project, landings = ensure_pulse(project, PulseUnit.LANDING)
    project = add_lane(project, "shake", landings, envelope=Envelope(0, 1, 10))
    project = add_lane(project, "flash", landings, envelope=Envelope(0, 1, 7))
    project = change_lane(project, project.lanes[-1].id, depth=0.55)
    lanes = recipe_of(
        project,
        [lane.id for lane in project.lanes],
        "Marquee",
        about="A title sequence: grit, a warm cast, blooms over cuts, titles that strike what is behind.",
    )
    return Recipe(lanes.name, lanes.lanes, lanes.pulses, lanes.about, items=_items())


def _items() -> tuple[RecipeItem, ...]:
    shade = ShapeFill(ShapeKind.GRADIENT, "#000000", width=1.0, height=0.5)
    small = TextFill(
        "PRESENTED BY\nNOBODY",
        face="Outfit",
        axes=(FaceAxis("wght", 500.0),),
        size=0.07,
        tracking=0.25,
        leading=1.5,
        arrive=TextMotion("track-in", 22),
        stand=Standing(grow=0.02),
        leave=TextMotion("fade", 10),
    )
    middle = TextFill(
        "IN FULL\nMOTION",
        face="Syne",
        size=0.16,
        shadow=Shadow(),
        arrive=TextMotion("glitch-on", 14, TextUnit.WORD, 0.3),
        leave=TextMotion("wipe-on", 10, TextUnit.LINE),
    )
    large = TextFill(
        "YOUR TITLE",
        size=0.3,
        to="#f5b544",
        outline=0.02,
        shadow=Shadow(),
        arrive=TextMotion("slam", 9, TextUnit.BLOCK),
        impact=Impact(),
        stand=Standing(grow=0.015, tremble=0.01),
        leave=TextMotion("scatter", 14),
    )
    low, bar = Transform(y=0.3), ShapeFill(ShapeKind.RECTANGLE, "#f5b544", width=0.36, height=0.006)
    return (
        RecipeItem(RecipeAnchor.WHOLE, shade, opacity=0.5, transform=Transform(y=0.25)),
        RecipeItem(RecipeAnchor.FIRST, small, beats=2, seconds=3.4),
        RecipeItem(
            RecipeAnchor.FIRST, bar, beats=2, seconds=2.7, transform=Transform(y=0.12), fade_in=8, fade_out=8
        ),
        RecipeItem(RecipeAnchor.DROP, middle, beats=-4, seconds=1.9, transform=low),
        RecipeItem(RecipeAnchor.DROP, large, seconds=3.2),
    )


def open_titles_demo() -> Project:
    """Return the title sequence as it is shipped.

    Raises
    ------
    EpiphaneError
        If its files are not there.
    """
    return load_project(TITLES_FILE)


def make_titles_project() -> Project:
    """Make the title sequence of the demo's song and clips by the recipe, and save both."""
    recipe = make_recipe()
    save_recipe(recipe, RECIPE_FILE)
    project = trim_song(with_lanes(open_basic_demo(), lanes=()), 0.0, SECONDS)
    project = _with_texture(project)
    project = use_recipe(project, recipe)
    words = ("A WORKSHOP\nOF MARBLE RUNS", "EVERY RAIL\nEVERY BEAT", "ROLL ON")
    items = [item for track in project.tracks for item in track.items]
    titles = [item.id for item in items if isinstance(item.content, TextFill)]
    for number, text in zip(titles, words, strict=True):
        project = change_title(project, number, text=text)
    project = _with_emblem(project)
    project = replace(project, name=NAME)
    save_project(project, TITLES_FILE)
    return project


def _with_texture(project: Project) -> Project:
    """Return `project` with a texture that drifts over all of it."""
    grain = next(one for one in shipped_overlays() if one.name == "paper sheets")
    project = add_footage(project, [probe_footage(grain.path)])
    footage = next(one for one in project.footage if one.fingerprint == grain.fingerprint)
    frame = 0
    track = None
    while frame < project.n_frames:
        project, number = put_on_track(project, footage.id, frame, track)
        track = project.tracks[-1].id
        project = change_item(project, number, blend=grain.blend, opacity=0.6)
        item = project.tracks[-1].items[-1]
        frame = item.end
    return project


def _with_emblem(project: Project) -> Project:
    """Return `project` with the workshop's emblem, which lands on its last bar."""
    project = add_footage(project, [probe_footage(EMBLEM_FILE)])
    footage = project.footage[-1]
    song = project.song
    assert song is not None
    bars = [beat.time for beat in song.beats if beat.place == 1]
    fill = fresh_logo(project, footage)
    project, number = put_title(project, fill, 0, hit=bars[-1])
    return change_title(
        project,
        number,
        arrive=TextMotion("spin", 16, TextUnit.BLOCK),
        glow=Shadow("#f5b544", 0.8, 0.12, 0.0, 0.0),
        impact=Impact(particles=140, dust=0.3),
        stand=Standing(breathe=0.04, breath=1.1),
    )
