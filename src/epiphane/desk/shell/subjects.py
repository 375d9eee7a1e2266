"""What the window does with each kind of selection: title, bench page, and what keys do with it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, TypeAlias

from epiphane.desk.bench.page import AnyPage
from epiphane.desk.control.selection import (
    BeatSelection,
    CuesSelection,
    DressingSelection,
    DropSelection,
    ExportSelection,
    FillingSelection,
    FootageSelection,
    GapSelection,
    ItemSelection,
    LaneSelection,
    LanesSelection,
    LostWorkSelection,
    NewRecipeSelection,
    PartSelection,
    PulseSelection,
    RecipeSelection,
    RoughCutSelection,
    Selection,
    ShotSelection,
    ShotsSelection,
    SongSelection,
    TapSelection,
    TrackSelection,
)
from epiphane.desk.control.steps import step_to_shot, step_to_tap
from epiphane.desk.look.lanes import lane_label
from epiphane.desk.shell.subject_titles import (
    beat_title,
    footage_title,
    item_title,
    part_title,
    pulse_title,
    shot_title,
    song_title,
    tap_title,
    track_title,
)
from epiphane.document.timeline import Panels
from epiphane.lane_kinds import is_transition, lane_kind
from epiphane.wording import tr

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

_LANE = tr("A lane is one effect and the pulse that fires it; each firing is a cue")
_RECIPE = tr("A recipe is a saved stack of lanes, to be used on other pulses and songs")

Subjects: TypeAlias = Mapping[type[Selection], "Subject"]


@dataclass(frozen=True)
class Subject:
    """What is done with one kind of selection; what is None is done as with cues, or not at all.

    Attributes
    ----------
    title : what it is, and what it is called
    page : its page of the bench, None while there is nothing to show
    meaning : one sentence on what it is, for those who meet it for the first time
    delete, duplicate : remove it, or have a copy of it
    nudge, step : move it a little, or go to the next one; 1 is later, -1 is earlier
    snap : bring it to its attack, or its moment to a hit
    accept, toggle : take a proposal, or switch it on or off
    mute, solo, move_row : silence it, or all others; put it up (-1) or down (1) in the stack
    copy, cut : remember it to be pasted; and delete it
    select_all, select_alike, select_section : select more of its kind
    """

    title: Callable[[], tuple[str, str]]
    page: Callable[[], AnyPage | None]
    meaning: str = ""
    delete: Callable[[], object] | None = None
    duplicate: Callable[[], object] | None = None
    nudge: Callable[[int], object] | None = None
    step: Callable[[int], object] | None = None
    snap: Callable[[], object] | None = None
    accept: Callable[[], object] | None = None
    toggle: Callable[[], object] | None = None
    mute: Callable[[], object] | None = None
    solo: Callable[[], object] | None = None
    move_row: Callable[[int], object] | None = None
    copy: Callable[[], object] | None = None
    cut: Callable[[], object] | None = None
    select_all: Callable[[], object] | None = None
    select_alike: Callable[[], object] | None = None
    select_section: Callable[[], object] | None = None


def subjects_of(window: "Window") -> Subjects:
    """Return the subject of every kind of selection in a window."""
    return {**_of_song(window), **_of_lanes(window), **_of_footage(window), **_of_tasks(window)}


def _of_song(window: "Window") -> Subjects:
    editor, bench, beats, pulses = window.editor, window.bench, window.beats, window.pulses

    def song_page() -> AnyPage:
        has_work = editor.project.song is not None or bool(editor.project.footage)
        return bench.song if has_work else bench.nothing

    def remove_pulse() -> None:
        if bench.pulse is not None:
            bench.pulse.remove()

    return {
        SongSelection: Subject(partial(song_title, editor), song_page),
        PulseSelection: Subject(
            partial(pulse_title, editor),
            bench.pulse_page,
            tr("A pulse is a stream of hits, such as every beat or every kick, that fires effects"),
            delete=remove_pulse,
        ),
        BeatSelection: Subject(
            partial(beat_title, editor),
            lambda: bench.beat,
            delete=beats.remove,
            nudge=beats.nudge,
            snap=beats.to_attack,
            accept=beats.accept_and_go_on,
        ),
        PartSelection: Subject(
            partial(part_title, editor),
            lambda: bench.part,
            tr("A part of the song is a stretch that is calm, a build, full or a break"),
            delete=window.form.join,
            nudge=window.form.nudge_part,
            step=window.form.step,
        ),
        DropSelection: Subject(
            lambda: (tr("Drop"), tr("of the song")),
            lambda: bench.drop,
            tr("A drop is where everything comes in at once, after less"),
            delete=window.form.remove_drop,
            nudge=window.form.nudge_drop,
        ),
        TapSelection: Subject(
            partial(tap_title, editor),
            lambda: bench.tap,
            delete=pulses.remove_tap,
            nudge=pulses.nudge_tap,
            step=partial(step_to_tap, editor),
            snap=pulses.tap_to_attack,
        ),
    }


def _of_lanes(window: "Window") -> Subjects:
    editor, bench, lanes, cues = window.editor, window.bench, window.lanes, window.cues

    def label() -> str:
        lane = editor.chosen.lane
        return lane_label(lane) if lane else ""

    def kind() -> str:
        lane = editor.chosen.lane
        return tr("Transition") if lane is not None and is_transition(lane.effect) else tr("Lane")

    def cue_label() -> str:
        keys = editor.selection.cues
        own = {
            override.effect
            for lane in editor.project.lanes
            for override in lane.overrides
            if (lane.id, override.hit) in keys
        }
        has_other = len(own) == 1 and len(keys) == 1 and None not in own
        found = lane_kind(str(next(iter(own)))) if has_other else None
        return label() if found is None else tr("{label} on {other}", label=found.label, other=label())

    return {
        LaneSelection: Subject(
            lambda: (kind(), label()),
            bench.lane_page,
            _LANE,
            delete=lanes.remove,
            duplicate=lanes.copy,
        ),
        LanesSelection: Subject(
            lambda: (tr("Lanes"), tr("{count} of them", count=len(editor.selection.lanes))),
            lambda: bench.lanes,
            _LANE,
            delete=lanes.remove,
            duplicate=lanes.copy,
        ),
        # A cue is its hit: it cannot be removed, only switched off.
        CuesSelection: Subject(
            lambda: (tr("Cue") if len(editor.selection.cues) == 1 else tr("Cues"), cue_label()),
            lambda: bench.cues,
            tr("A cue is one firing of a lane: a hit of its pulse that the lane takes"),
            delete=cues.toggle,
            duplicate=lanes.copy,
        ),
    }


def _of_footage(window: "Window") -> Subjects:
    editor, bench, moments = window.editor, window.bench, window.moments

    shots = window.shots

    def shot_page() -> AnyPage:
        shot = editor.chosen.shot
        return bench.split_screen if shot is not None and isinstance(shot.content, Panels) else bench.shot

    def of_shots(title: Callable[[], tuple[str, str]]) -> Subject:
        return Subject(
            title,
            shot_page,
            delete=shots.remove,
            duplicate=shots.duplicate,
            nudge=shots.nudge,
            step=partial(step_to_shot, editor),
            snap=shots.land,
            copy=shots.copy,
            cut=shots.cut,
            select_all=shots.select_all,
            select_alike=shots.select_same_clip,
            select_section=shots.select_same_section,
        )

    return {
        ShotSelection: of_shots(partial(shot_title, editor)),
        ShotsSelection: of_shots(
            lambda: (tr("Shots"), tr("{count} of them", count=len(editor.selection.shots)))
        ),
        ItemSelection: Subject(
            partial(item_title, editor),
            lambda: bench.item,
            tr("An item lies on a track over the shots"),
            delete=window.tracks.remove,
            nudge=window.tracks.nudge,
            snap=window.tracks.land,
        ),
        TrackSelection: Subject(
            partial(track_title, editor),
            lambda: bench.track,
            tr("A track has items that lie over all rows above it"),
            delete=window.tracks.remove_track,
            mute=window.tracks.toggle_muted,
            solo=window.tracks.toggle_solo,
            move_row=window.tracks.move,
        ),
        GapSelection: Subject(
            lambda: (tr("Gap"), tr("between shots")), lambda: bench.gap, delete=shots.close_gap
        ),
        FootageSelection: Subject(
            partial(footage_title, editor),
            lambda: bench.footage,
            tr("A moment is the frame of a clip that should fall on a hit"),
            nudge=moments.move_here,
            step=moments.step_to_moment,
            accept=moments.toggle_accepted,
            toggle=moments.toggle_take,
        ),
        DressingSelection: Subject(
            lambda: (tr("Dressing"), tr("the song with effects")), lambda: bench.dressing
        ),
        RoughCutSelection: Subject(
            lambda: (tr("Rough cut"), tr("of the song and the clips")), lambda: bench.rough_cut
        ),
        FillingSelection: Subject(
            lambda: (tr("Filling"), tr("the song with footage")), lambda: bench.filling
        ),
    }


def _of_tasks(window: "Window") -> Subjects:
    editor, bench = window.editor, window.bench

    def recipe_title() -> tuple[str, str]:
        kept = window.recipes.find(editor.selection.recipe)
        return tr("Recipe"), kept.recipe.name if kept else ""

    return {
        RecipeSelection: Subject(
            recipe_title,
            lambda: bench.recipe,
            _RECIPE,
            delete=lambda: window.remove_recipes([editor.selection.recipe]),
        ),
        NewRecipeSelection: Subject(
            lambda: (tr("New recipe"), tr("of these lanes")), lambda: bench.new_recipe, _RECIPE
        ),
        ExportSelection: Subject(lambda: (tr("Export"), editor.title), lambda: bench.export),
        LostWorkSelection: Subject(
            lambda: (tr("Unsaved work"), tr("of lost sessions")), lambda: bench.lost_work
        ),
    }
