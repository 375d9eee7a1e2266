"""Saving lanes as a recipe, and adding a recipe to a project."""

from collections.abc import Collection

from msgspec.structs import replace

from epiphane.document.footage import Footage
from epiphane.document.ids import ItemId, LaneId, PulseId
from epiphane.document.lane import AccentSound, Lane
from epiphane.document.project import Project, find, with_lanes
from epiphane.document.pulse import (
    BandSource,
    CombinedSource,
    HeardSource,
    Pulse,
    PulseUnit,
)
from epiphane.document.recipe import Recipe, RecipeItem
from epiphane.document.song import Beat, Drums, Hit, Song
from epiphane.document.timeline import Extend, footage_item
from epiphane.document.titles import TextFill
from epiphane.edits.checked import checked
from epiphane.edits.keying.pulses import unused_name
from epiphane.edits.keying.recipe_items import items_of, put_items, text_of_no_song
from epiphane.edits.keying.sources import parts_of_source, source_of_no_song
from epiphane.errors import EditError
from epiphane.wording import tr

_BEATS = HeardSource(PulseUnit.BEAT)
_BEAT, _N_BEATS = 0.5, 16
"""Of the sample: seconds a beat, and how many."""


def recipe_of(
    project: Project, lanes: Collection[LaneId], name: str, *, about: str = "", has_items: bool = False
) -> Recipe:
    """Return some lanes of a project as a recipe, in their order, perhaps with its titles, solids and shapes.

    What belongs to this song stays behind: hits, changes to single cues, ranges, sections and shots. Taps and
    bare tempi become beats.

    Raises
    ------
    EditError
        If there is no lane, a lane has no pulse, or the name is empty or too long.
    """
    chosen = [lane for lane in project.lanes if lane.id in lanes]
    if not chosen:
        raise EditError(tr("choose at least one lane for the recipe."))
    numbers = {lane.id: LaneId(number) for number, lane in enumerate(chosen, start=1)}
    pulses: dict[PulseId, Pulse] = {}
    for lane in chosen:
        _collect(project, find(project.pulses, lane.pulse, "pulse"), pulses)
    taken = tuple(_of_no_song(lane, numbers) for lane in chosen)
    if not name.strip():
        raise EditError(tr("a recipe needs a name."))
    items = items_of(project) if has_items else ()
    return checked(Recipe(name.strip(), taken, tuple(pulses.values()), about.strip(), items=items), Recipe)


def use_recipe(project: Project, recipe: Recipe, pulse: PulseId | None = None) -> Project:
    """Return `project` with the lanes of a recipe below the others, and its items over them.

    Pulses like its own are used again, others are made; hits of bands have still to be found.

    Parameters
    ----------
    pulse : PulseId or None
        What fires it in place of the pulse of its first lane.

    Raises
    ------
    EditError
        If there is no such pulse.
    """
    # What of another song somebody has written into its file is left out too.
    as_project = Project(stack=recipe.lanes, pulses=recipe.pulses)
    items = tuple(_item_of_no_song(one) for one in recipe.items)
    recipe = recipe_of(as_project, [lane.id for lane in recipe.lanes], recipe.name)
    known = {one.id: one for one in recipe.pulses}
    given: dict[PulseId, PulseId] = {}
    if pulse is not None:
        given[recipe.lanes[0].pulse] = find(project.pulses, pulse, "pulse").id
    needed = dict.fromkeys(lane.pulse for lane in recipe.lanes)
    for number in needed:
        project = _with_pulse(project, known, known[number], given)
    first = project.next_id
    ids = {lane.id: LaneId(first + number) for number, lane in enumerate(recipe.lanes)}
    laid = tuple(_with_numbers(replace(lane, pulse=given[lane.pulse]), ids) for lane in recipe.lanes)
    project = with_lanes(project, lanes=(*project.lanes, *laid), next_id=first + len(laid))
    return put_items(project, items)


def _item_of_no_song(item: RecipeItem) -> RecipeItem:
    """Return an item of a recipe without what somebody has written of another song into it."""
    content = item.content
    return replace(item, content=text_of_no_song(content)) if isinstance(content, TextFill) else item


def sampled(recipe: Recipe, footage: Footage) -> Project:
    """Return a project of four bars at 120 BPM, over some footage, that shows what a recipe does.

    It has a kick on every other beat, a snare between them, hats between all, and a low band that thumps.
    """
    beats = tuple(Beat(n * _BEAT, n % 4 + 1, 1.0 if n % 4 == 0 else 0.7) for n in range(_N_BEATS))
    hats = tuple(Hit(n * _BEAT / 2, 0.9 if n % 2 else 0.5) for n in range(2 * _N_BEATS))
    kicks, snares = (tuple(Hit(n * _BEAT) for n in range(first, _N_BEATS, 2)) for first in (0, 1))
    song = Song("", "", _N_BEATS * _BEAT, 60 / _BEAT, beats=beats, drums=Drums(kicks, snares, hats))
    shot = footage_item(ItemId(1), footage.id, 0, round(song.duration * 30), extend=Extend.REPEAT)
    empty = Project(width=192, height=108, song=song, footage=(footage,), shots=(shot,), next_id=2)
    project = use_recipe(empty, recipe)
    pulses = tuple(
        replace(one, source=replace(one.source, hits=kicks)) if isinstance(one.source, BandSource) else one
        for one in project.pulses
    )
    thump = bytes(round(255 * max(0.97 - 1.2 * hop / 100, 0.5)) for hop in range(round(_BEAT * 100)))
    lanes = tuple(
        replace(lane, follow=replace(lane.follow, heard=thump * _N_BEATS)) for lane in project.lanes
    )
    return with_lanes(project, pulses=pulses, lanes=lanes)


def _of_no_song(lane: Lane, numbers: dict[LaneId, LaneId]) -> Lane:
    pick = replace(lane.pick, sections=(), start=None, end=None)
    lane = replace(lane, pick=pick, follow=replace(lane.follow, heard=b""))
    is_own_sound = lane.accent is not None and not isinstance(lane.accent.sound, AccentSound)
    lane = replace(lane, overrides=(), shots=(), spans=(), track=None, clips=())
    lane = replace(lane, accent=None if is_own_sound else lane.accent)
    if lane.words is not None:
        lane = replace(lane, words=text_of_no_song(lane.words))
    lane = replace(lane, is_muted=False, is_solo=False, is_locked=False, is_folded=False, is_dressed=False)
    return _with_numbers(lane, numbers)


def _with_numbers(lane: Lane, numbers: dict[LaneId, LaneId]) -> Lane:
    """Return a lane with its number and that of the lane it keeps off changed; one that is not there goes."""
    without = None if lane.pick.without is None else numbers.get(lane.pick.without)
    return replace(lane, id=numbers[lane.id], pick=replace(lane.pick, without=without))


def _collect(project: Project, pulse: Pulse, pulses: dict[PulseId, Pulse]) -> None:
    """Take a pulse, and those that it is made of."""
    known = {one.id: one for one in project.pulses}
    source = source_of_no_song(pulse.source, set(known))
    pulses[pulse.id] = replace(pulse, source=source)  # before its parts: it may be made of itself
    for part in parts_of_source(source):
        if part not in pulses:
            _collect(project, known[part], pulses)


def _with_pulse(
    project: Project, known: dict[PulseId, Pulse], pulse: Pulse, given: dict[PulseId, PulseId]
) -> Project:
    """Return `project` with a pulse like one of a recipe; its number there is put among the `given`."""
    if pulse.id in given:
        return project
    source = pulse.source
    if isinstance(source, CombinedSource):
        given[pulse.id] = PulseId(0)  # one that is made of itself has no hits, here as there
        parts = []
        for part in (source.one, source.other):
            if part in known:
                project = _with_pulse(project, known, known[part], given)
            parts.append(given.get(part, PulseId(0)))
        source = replace(source, one=parts[0], other=parts[1])
    wanted = replace(pulse, source=source)
    for one in project.pulses:
        if _is_alike(one, wanted):
            given[pulse.id] = one.id
            return project
    made = replace(wanted, id=PulseId(project.next_id), name=unused_name(project, pulse.name))
    given[pulse.id] = made.id
    return replace(project, pulses=(*project.pulses, made), next_id=project.next_id + 1)


def _is_alike(one: Pulse, other: Pulse) -> bool:
    """Whether two pulses have the same hits, whatever they are called."""
    sources = [
        replace(pulse.source, hits=()) if isinstance(pulse.source, BandSource) else pulse.source
        for pulse in (one, other)
    ]
    return (sources[0], one.every, one.first, one.keep) == (sources[1], other.every, other.first, other.keep)
