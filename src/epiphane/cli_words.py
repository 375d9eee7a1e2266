"""What the command line says in words: lanes, recipes, overlays and the pulses that fire them."""

from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.lane import Setting
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.recipe import Recipe, RecipeAnchor
from epiphane.document.song import BANDS, DRUMS, PART_KINDS
from epiphane.document.timeline import BlendMode
from epiphane.edits.footage import add_footage, add_moment
from epiphane.edits.items.titles import FRESH_TEXT, fresh_logo, put_title
from epiphane.edits.keying.lanes import add_lasting_lane, set_setting
from epiphane.edits.keying.overlays import add_overlay_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.sources import unit_words
from epiphane.edits.song.form import SaidPart
from epiphane.errors import ParameterError
from epiphane.facts.anchors import anchor_time
from epiphane.files.recipes import RECIPE_SUFFIX, RecipeBook, load_recipe, recipe_folder
from epiphane.lane_kinds import LaneKind, lane_kind_named
from epiphane.media.burst import find_burst
from epiphane.media.look_files import keep_look
from epiphane.media.probe import probe_footage
from epiphane.media.shipped import shipped_overlays
from epiphane.types import Size

_HITS = {"first": RecipeAnchor.FIRST, "drop": RecipeAnchor.DROP, "last": RecipeAnchor.LAST}
_MOST_SECONDS = 100_000.0


class OverlayWords(Struct, frozen=True):
    """An overlay that was asked for: its file, what fires it, and its blend mode, None for the usual one."""

    path: Path
    unit: PulseUnit
    every: int
    blend: BlendMode | None = None


def lane_words(words: str) -> tuple[LaneKind, PulseUnit, int]:
    """Return the effect or transition of a lane, and the unit and the N of its pulse.

    Raises
    ------
    ParameterError
        If it is not written as EFFECT:PULSE, or there is no such effect or pulse.
    """
    effect, separator, pulse = words.partition(":")
    found = pulse_words(pulse) if separator else None
    if found is None:
        raise ParameterError(
            f"a lane is EFFECT:PULSE with a pulse {', '.join(units())}, or every Nth as beats/N,"
            f" got {words!r}"
        )
    return lane_kind_named(effect), *found


def recipe_words(words: str) -> tuple[Recipe, tuple[PulseUnit, int] | None]:
    """Return a recipe, by its file or its name, and the pulse that is to fire it."""
    name, separator, pulse = words.rpartition(":")
    if not separator or Path(words).exists():
        name, separator, pulse = words, "", ""
    on = pulse_words(pulse) if separator else None
    if separator and on is None:
        raise ParameterError(
            f"a recipe is NAME or NAME:PULSE with a pulse {', '.join(units())}, got {words!r}"
        )
    if name.endswith(RECIPE_SUFFIX):
        return load_recipe(Path(name)), on
    return RecipeBook(recipe_folder()).find(name), on


def pulse_words(words: str) -> tuple[PulseUnit, int] | None:
    """Return the unit and the N of a pulse such as ``beats/2``, or None if it is none."""
    unit, _, every = words.partition("/")
    if unit not in units() or (every and not every.isdigit()):
        return None
    return units()[unit], int(every or 1)


def units() -> dict[str, PulseUnit]:
    """Return what is counted by the words of the command line."""
    named = (*DRUMS, *BANDS)
    units = {unit_words(unit): unit for unit in PulseUnit if unit.value not in named}
    return units | {name: PulseUnit(name) for name in named}


def overlay_words(words: str) -> OverlayWords:
    """Return what an overlay written as FILE:PULSE[:BLEND] is; FILE may be the name of a shipped one.

    Raises
    ------
    ParameterError
        If it is not written so, or there is no such pulse or blend mode.
    """
    rest, separator, last = words.rpartition(":")
    blend = next((mode for mode in BlendMode if mode.value == last.replace("-", " ")), None)
    if blend is not None:
        rest, separator, last = rest.rpartition(":")
    found = pulse_words(last) if separator else None
    if found is None or not rest:
        modes = ", ".join(mode.value.replace(" ", "-") for mode in BlendMode)
        raise ParameterError(
            f"an overlay is FILE:PULSE[:BLEND] with a pulse {', '.join(units())} and a blend mode {modes},"
            f" got {words!r}"
        )
    shipped = next((one for one in shipped_overlays() if one.name == rest), None)
    return OverlayWords(Path(rest) if shipped is None else shipped.path, *found, blend)


def _said_part(start: float, end: float, kind: str) -> SaidPart:
    if kind not in PART_KINDS:
        raise ValueError(kind)
    return SaidPart(start, end, kind)


def part_words(words: str) -> SaidPart:
    """Return what a part of the song written as A:B=KIND is, A and B in seconds.

    Raises
    ------
    ParameterError
        If it is not written so.
    """
    stretch, _, kind = words.partition("=")
    start, _, end = stretch.partition(":")
    try:
        return _said_part(float(start), float(end), kind)
    except ValueError:
        kinds = ", ".join(PART_KINDS)
        raise ParameterError(
            f"a part is A:B=KIND with A and B in seconds and a KIND {kinds}, got {words!r}"
        ) from None


class LookWords(Struct, frozen=True):
    """A look from a file, and how strong it is, in percent."""

    path: Path
    strength: float


def look_words(words: str) -> LookWords:
    """Return what a look written as FILE[:PERCENT] is.

    Raises
    ------
    ParameterError
        If the percentage is none of 0 to 100.
    """
    path, separator, percent = words.rpartition(":")
    if not separator or Path(words).exists():
        return LookWords(Path(words), 100.0)
    try:
        strength = float(percent)
    except ValueError:
        strength = -1.0
    if not 0 <= strength <= 100:
        raise ParameterError(f"a look is FILE or FILE:PERCENT with a PERCENT of 0 to 100, got {words!r}")
    return LookWords(Path(path), strength)


def with_look(project: Project, look: LookWords) -> Project:
    """Return `project` with the look of a file on over the film.

    Raises
    ------
    MediaError
        If the file is no look.
    """
    file = keep_look(look.path)
    project, pulse = ensure_pulse(project, PulseUnit.BEAT)
    project = add_lasting_lane(project, "look", pulse)
    lane = project.lanes[-1].id
    project = set_setting(project, lane, Setting("file", file.text))
    return set_setting(project, lane, Setting("strength", look.strength, 0.0))


class TitleWords(Struct, frozen=True):
    """A title or logo that was asked for, and where in the song it lands: by a word, or in seconds."""

    text: str
    where: str | float


def title_words(words: str) -> TitleWords:
    """Return what a title written as TEXT[@HIT] is; without a HIT it lands on the first beat.

    Raises
    ------
    ParameterError
        If nothing is to be read, or the hit is no word for one and no time.
    """
    text, where = _landing_words(words, "first")
    if not text.strip():
        raise ParameterError(f"a title is TEXT[@HIT], got {words!r}")
    return TitleWords(text, where)


def logo_words(words: str) -> TitleWords:
    """Return what a logo written as FILE[@HIT] is; without a HIT it lands on the last bar.

    Raises
    ------
    ParameterError
        If no file is named, or the hit is no word for one and no time.
    """
    if Path(words).is_file():
        return TitleWords(words, "last")
    file, where = _landing_words(words, "last")
    if not file.strip():
        raise ParameterError(f"a logo is FILE[@HIT], got {words!r}")
    return TitleWords(file, where)


def _landing_words(words: str, usual: str) -> tuple[str, str | float]:
    """Return what stands before the last @, and the word or the seconds behind it."""
    what, separator, where = words.rpartition("@")
    if not separator or not where.strip():
        what, where = words.rstrip("@"), usual
    if where in _HITS:
        return what, where
    try:
        seconds = float(where)
    except ValueError:
        seconds = -1.0
    if not 0 <= seconds < _MOST_SECONDS:
        raise ParameterError(f"a title lands on {', '.join(_HITS)} or at seconds, got {where!r}")
    return what, seconds


def drop_remarks(project: Project, titles: Sequence[TitleWords]) -> list[str]:
    """Return a sentence for each title and logo that is to land on a drop that the song does not have."""
    if project.song is None or project.song.drops:
        return []
    return [
        f"no drop was heard in the song: {one.text} lands on its first bar; say where with --drop SECONDS."
        for one in titles
        if one.where == RecipeAnchor.DROP.value
    ]


def with_title(project: Project, words: TitleWords) -> Project:
    """Return `project` with a title that lands on the hit that was asked for."""
    fill = replace(FRESH_TEXT, text=words.text.replace("\\n", "\n"))
    return put_title(project, fill, 0, hit=_hit_of(project, words.where))[0]


def with_logo(project: Project, words: TitleWords) -> Project:
    """Return `project` with a logo that lands on the hit that was asked for.

    Raises
    ------
    EpiphaneError
        If the file is missing or damaged, or is no still or drawing.
    """
    facts = probe_footage(Path(words.text))
    if facts.kind is not FootageKind.STILL:
        raise ParameterError(f"{Path(words.text).name} cannot be a logo: it takes a still or a drawing")
    project = add_footage(project, [facts])
    footage = next(one for one in project.footage if one.fingerprint == facts.fingerprint)
    fill = replace(fresh_logo(project, footage), arrive=FRESH_TEXT.arrive)
    return put_title(project, fill, 0, hit=_hit_of(project, words.where))[0]


def _hit_of(project: Project, where: str | float) -> float:
    """Return the seconds of a hit of the song by a word, or those that were given."""
    return anchor_time(project.song, _HITS[where]) if isinstance(where, str) else where


def with_overlay(project: Project, words: OverlayWords) -> Project:
    """Return `project` with an overlay on the hits that were asked for, its burst on each of them.

    Raises
    ------
    EpiphaneError
        If the file is missing or damaged, or has no picture.
    """
    shipped = next((one for one in shipped_overlays() if one.path == words.path), None)
    facts = probe_footage(words.path)
    project = add_footage(project, [facts])
    footage = next(one for one in project.footage if one.fingerprint == facts.fingerprint)
    if facts.duration > 0 and footage.best_moment is None:
        moment = find_burst(words.path) if shipped is None else shipped.moment or 0.0
        project = add_moment(project, footage.id, moment)
    usual = BlendMode.SCREEN if shipped is None else shipped.blend
    project, pulse = ensure_pulse(project, words.unit, every=words.every)
    return add_overlay_lane(project, [footage.id], pulse, blend=(words.blend or usual).value)


def parse_size(text: str) -> Size:
    """Return width and height of ``1920x1080``; ParameterError if it is none."""
    width, separator, height = text.lower().partition("x")
    if not separator or not width.isdigit() or not height.isdigit():
        raise ParameterError(f"a size is written as 1920x1080, got {text!r}")
    size = int(width), int(height)
    if size[0] % 2 or size[1] % 2 or not all(2 <= side <= 8192 for side in size):
        raise ParameterError(f"width and height must be even and 2..8192 pixels, got {text}")
    return size
