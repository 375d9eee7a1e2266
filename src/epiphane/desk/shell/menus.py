"""What a right click, or the menu key, offers of everything that can be selected."""

from collections.abc import Iterable, Mapping, Sequence
from typing import TypeAlias

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from epiphane.desk.control.lanes import Target
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
from epiphane.document.lane import Span
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.facts.form import part_at, part_words, parts_of
from epiphane.timing import frame_start
from epiphane.wording import tr

Groups: TypeAlias = tuple[tuple[str, ...], ...]
"""Ids of actions; a line stands between two groups."""

_USUAL_UNITS = (PulseUnit.BEAT, PulseUnit.BAR, PulseUnit.KICK, PulseUnit.SNARE, PulseUnit.CUT)
BEGINNING: Groups = (("song", "gather", "open", "demo"),)
"""What is offered while there is nothing yet."""

_LANES: Groups = (
    ("mute", "solo"),
    ("copy_lane", "lane_up", "lane_down", "new_recipe"),
    ("cues_all", "lanes_all", "paste", "paste_look"),
    ("lane_rows", "delete"),
)
_SHOTS: Groups = (
    ("split", "split_hits", "join", "swap"),
    ("exchange", "stretch", "reverse", "freeze", "hold"),
    ("to_attack", "slip_back", "slip_on", "keep"),
    ("split_screen", "wall", "text"),
    ("even_out", "even_out_by_part", "bring_to_kept"),
    ("copy", "cut", "paste", "same_beat", "same_section"),
    ("delete_closing", "delete_leaving"),
)

MENUS: Mapping[type[Selection], Groups] = {
    SongSelection: (
        ("play", "loop", "go_to", "tap"),
        ("add_beat", "part_split", "drop_here", "text"),
        ("paste", "fill", "dress", "rough_cut"),
        ("song", "gather", "export"),
        ("score_list",),
    ),
    PulseSelection: (("ticks", "tap"), ("delete",)),
    BeatSelection: (
        ("to_attack", "accept", "nudge_back", "nudge_on"),
        ("doubtful_on", "doubtful_back"),
        ("add_beat", "part_split", "drop_here"),
        ("delete",),
    ),
    PartSelection: (
        ("part_split", "part_join", "drop_here"),
        ("nudge_back", "nudge_on", "loop"),
        ("dress", "fill", "text"),
    ),
    DropSelection: (("nudge_back", "nudge_on"), ("delete",)),
    TapSelection: (("to_attack", "nudge_back", "nudge_on"), ("cue_back", "cue_on"), ("delete",)),
    LaneSelection: _LANES,
    LanesSelection: _LANES,
    CuesSelection: (
        ("toggle", "weaker", "stronger", "type_strength"),
        ("nudge_back", "nudge_on", "reset"),
        ("copy_look", "paste_look", "copy", "paste"),
        ("same_beat", "same_section", "cues_all"),
        ("take", "mute", "solo"),
    ),
    ShotSelection: _SHOTS,
    ShotsSelection: _SHOTS,
    GapSelection: (("put", "put_over", "paste"), ("delete",)),
    ItemSelection: (
        ("to_attack", "nudge_back", "nudge_on"),
        ("lane_up", "lane_down"),
        ("text", "delete"),
    ),
    TrackSelection: (("mute", "solo"), ("lane_up", "lane_down"), ("text", "delete")),
    FootageSelection: (
        ("put", "put_over", "exchange"),
        ("moment", "no_moment", "accept"),
        ("use_from", "use_to", "toggle"),
        ("fill", "missing"),
    ),
    FillingSelection: (("fill", "unselect"),),
    DressingSelection: (("dress", "unselect"),),
    RoughCutSelection: (("unselect",),),
    RecipeSelection: (("delete",),),
    NewRecipeSelection: (("unselect",),),
    ExportSelection: (("save", "unselect"),),
    LostWorkSelection: (("unselect",),),
}
"""What can be done with each kind of selection, the most usual first."""


def menu_of(groups: Iterable[Sequence[QAction]], parent: QWidget) -> QMenu:
    """Return a menu of some actions, told with their keys; a line stands between two groups."""
    menu = QMenu(parent)
    for actions in groups:
        if not menu.isEmpty():
            menu.addSeparator()
        for action in actions:
            menu.addAction(action)
    return menu


def actions_for(selection: Selection, actions: Mapping[str, QAction]) -> list[list[QAction]]:
    """Return, in groups, the actions that are offered of what is selected and can be done now."""
    return able(MENUS[type(selection)], actions)


def able(groups: Groups, actions: Mapping[str, QAction]) -> list[list[QAction]]:
    """Return the actions of some ids that can be done now, in their groups."""
    found = ([actions[key] for key in keys if actions[key].isEnabled()] for keys in groups)
    return [group for group in found if group]


def laying_choices(project: Project, is_transition: bool, playhead: float) -> list[tuple[str, Target | None]]:
    """Return where something of the shelf can be laid: in words, and as the target of its lane.

    Without a target it goes where a double click puts it. `playhead` is in seconds.
    """
    if is_transition:
        cuts = [frame_start(one.start, project.rate) for one in project.shots[1:]]
        choices: list[tuple[str, Target | None]] = [(tr("On every cut"), Target(unit=PulseUnit.CUT))]
        if cuts:
            nearest = min(cuts, key=lambda cut: abs(cut - playhead))
            choices.append((tr("On the nearest cut alone"), Target(unit=PulseUnit.CUT, hit=nearest)))
        return choices
    choices = [(tr("Where a double click lays it"), None)]
    choices += [(tr("On every {unit}", unit=tr(unit.value)), Target(unit=unit)) for unit in _USUAL_UNITS]
    own = (one for one in project.pulses if one.unit not in _USUAL_UNITS)
    choices += [(tr("On {name}", name=pulse.name), Target(pulse=pulse.id)) for pulse in own]
    parts = parts_of(project.song)
    number = part_at(project.song, playhead)
    if number is not None and number < len(parts):
        part = parts[number]
        choices.append(
            (tr("Over {label}, here", label=part_words(part)), Target(span=Span(part.start, part.end)))
        )
    return choices
