"""Lane commands: add, step, mute, solo, duplicate, reorder, delete."""

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import LaneSelection, lanes_selected
from epiphane.document.ids import LaneId, PulseId, TrackId
from epiphane.document.lane import Setting, Span
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.cues import CueKey, set_cue_effect
from epiphane.edits.keying.lanes import (
    add_lane,
    add_lane_on_hit,
    add_lasting_lane,
    change_lane,
    change_lanes,
    copy_lane,
    move_lane,
    remove_lane,
    set_setting,
)
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.stack import move_row, step_rows
from epiphane.effects.declare import Effect
from epiphane.errors import DiskError, EditError, MediaError
from epiphane.facts.form import parts_of
from epiphane.facts.hits import stand_in_remark
from epiphane.lane_kinds import LaneKind, is_transition, lane_kind_named
from epiphane.media.look_files import keep_look
from epiphane.timing import frame_at
from epiphane.wording import plural, tr


class Target(Struct, frozen=True):
    """Where an effect is dropped: what is to fire its lane, and the single hit, seconds, if it is one.

    A `unit` is that of a drum or the beats, of which there may be no pulse yet. On a `lane` alone, the
    effect fires on the same hits as that one. It is aimed at a `track`, where it was dropped on one. With a
    `span` it is on over that, or takes hits within it only.
    """

    pulse: PulseId | None = None
    unit: PulseUnit | None = None
    lane: LaneId | None = None
    hit: float | None = None
    track: TrackId | None = None
    span: Span | None = None

    @property
    def is_anywhere(self) -> bool:
        """Whether nothing is said of what is to fire it."""
        return self.pulse is None and self.unit is None and self.lane is None and self.hit is None


class LaneDesk(QObject):
    """Lanes of the open project.

    Signals
    -------
    laid(key: str)
        An effect or a transition was put on the score.
    """

    laid = pyqtSignal(str)

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor

    def usual_target(self) -> Target:
        """Return where something goes that is not dropped anywhere: the selected pulse, the selected part."""
        selection, parts = self._editor.selection, parts_of(self._editor.project.song)
        span = None
        if selection.part is not None and selection.part < len(parts):
            part = parts[selection.part]
            span = Span(part.start, part.end)
        return Target(pulse=selection.pulse, span=span)

    def add(self, key: str, target: Target | None = None) -> None:
        """Make a lane of an effect where it was dropped, and select it.

        Where it was not dropped on hits, what lasts is on over the film, or the selected part of the song;
        what strikes is fired by the selected pulse, or every beat.
        """
        before = self._editor.project
        self._add(key, target)
        if self._editor.project is not before:
            self.laid.emit(key)

    def _add(self, key: str, target: Target | None) -> None:
        kind = lane_kind_named(key)
        is_asked = target is None
        target = self.usual_target() if target is None else target
        lasts = isinstance(kind, Effect) and kind.lasts
        if lasts and (is_asked or target.is_anywhere):
            self._add_lasting(kind, target)
            return
        if target.lane is not None and target.hit is None:
            self._copy(target.lane, kind)
            return
        there = self._transition_at(target.hit) if is_transition(key) else None
        if there is not None:
            self._exchange(there, kind)
            return
        usual = PulseUnit.CUT if is_transition(key) else PulseUnit.BEAT

        def edit(project: Project) -> Project:
            pulse = target.pulse
            if pulse is None:
                unit = target.unit or usual
                if unit is not PulseUnit.CUT and (project.song is None or not project.song.beats):
                    raise EditError(tr("an effect fires on the beats of a song: open a song first"))
                project, pulse = ensure_pulse(project, unit)
            if target.span is not None:
                project = add_lane(project, kind.key, pulse, envelope=kind.envelope)
                return change_lane(project, project.lanes[-1].id, spans=(target.span,))
            if target.track is not None:
                return _aimed(add_lane(project, kind.key, pulse, envelope=kind.envelope), target.track)
            if target.hit is None:
                return add_lane(project, kind.key, pulse, envelope=kind.envelope)
            project = add_lane_on_hit(project, kind.key, pulse, target.hit, envelope=kind.envelope)
            if target.lane is None:
                return project
            below = [lane.id for lane in project.lanes].index(target.lane) + 1
            return move_lane(project, project.lanes[-1].id, to=below)

        is_put = self._put(edit, tr("lane of {label}", label=kind.label.lower()))
        if is_put and target.unit is not None and stand_in_remark(self._editor.project):
            self._editor.said.emit(stand_in_remark(self._editor.project), False)

    def _add_lasting(self, kind: LaneKind, target: Target) -> None:
        """Have an effect be on over a span, or all of the film."""

        def edit(project: Project) -> Project:
            project, pulse = ensure_pulse(project, PulseUnit.BEAT)
            project = add_lasting_lane(project, kind.key, pulse, target.span)
            return project if target.track is None else _aimed(project, target.track)

        self._put(edit, tr("lane of {label}", label=kind.label.lower()))

    def _put(self, edit: Callable[[Project], Project], text: str) -> bool:
        """Make a lane by an edit, and select it; False where that was refused."""
        made = self._editor.project.next_id
        if not self._editor.apply(edit, text):
            return False
        lanes = [lane.id for lane in self._editor.project.lanes if lane.id >= made]
        self._editor.select(LaneSelection(lanes[-1]))
        return True

    def add_look(self, path: Path) -> None:
        """Have the look of a file be on over the film."""
        try:
            file = Setting("file", keep_look(path).text)
        except (MediaError, DiskError) as error:
            self._editor.said.emit(str(error), True)
            return

        def edit(project: Project) -> Project:
            project, pulse = ensure_pulse(project, PulseUnit.BEAT)
            project = add_lasting_lane(project, "look", pulse)
            return set_setting(project, project.lanes[-1].id, file)

        self._put(edit, tr("look {name}", name=path.name))

    def copy(self) -> None:
        """Put a copy of the selected lane below it, and select that."""
        lane = self._editor.chosen.lane
        if lane is not None:
            self._copy(lane.id)

    def _copy(self, lane: LaneId, kind: LaneKind | None = None) -> None:
        made = LaneId(self._editor.project.next_id)

        def edit(project: Project) -> Project:
            if kind is None:
                return copy_lane(project, lane)
            return copy_lane(project, lane, effect=kind.key, envelope=kind.envelope)

        if self._editor.apply(edit, tr("copy of a lane")):
            self._editor.select(LaneSelection(made))

    def _transition_at(self, hit: float | None) -> CueKey | None:
        """Return the cue of the transition at a cut, or None where there is none."""
        shown = () if hit is None else self._editor.cues.transitions
        frame = 0 if hit is None else frame_at(hit, self._editor.project.rate)
        return next(((one.lane, one.cue.hit.time) for one in shown if one.cut.frame == frame), None)

    def _exchange(self, cue: CueKey, kind: LaneKind) -> None:
        """Put another transition in the place of the one at a cut, or at all that are selected with it."""
        shown = {(one.lane, one.cue.hit.time) for one in self._editor.cues.transitions}
        chosen = self._editor.selection.cues & shown
        cues = chosen if cue in chosen else frozenset({cue})
        where = plural(len(cues), "at a cut", "at {} cuts")
        if self._editor.apply(lambda p: set_cue_effect(p, cues, kind.key), f"{kind.label.lower()} {where}"):
            self._editor.select_cues(cues, lane=cue[0])

    def step(self, direction: int, *, keeps: bool = False) -> None:
        """Select the next (1) or previous (-1) lane; where it `keeps`, beside those that are selected."""
        lanes = [lane.id for lane in self._editor.project.lanes]
        if not lanes:
            return
        selection = self._editor.selection
        at = lanes.index(selection.lane) + direction if selection.lane in lanes else 0
        if not keeps:
            self._editor.select(LaneSelection(lanes[at % len(lanes)]))
        elif 0 <= at < len(lanes):
            chosen = selection.lanes | {lanes[at]}
            self._editor.select(lanes_selected([one for one in lanes if one in chosen], lanes[at]))

    def select_all(self) -> None:
        """Select every lane."""
        lanes = [lane.id for lane in self._editor.project.lanes]
        self._editor.select(lanes_selected(lanes, self._editor.selection.lane))

    def mute(self) -> None:
        """Let the selected lanes fire nothing, or fire again if all are silent."""
        lanes = self._editor.chosen.lanes
        if lanes:
            muted = not all(lane.is_muted for lane in lanes)
            self._editor.apply(lambda p: change_lanes(p, [one.id for one in lanes], is_muted=muted), "mute")

    def solo(self) -> None:
        """Let only the selected lanes fire, and others that are solo, or all again."""
        lanes = self._editor.chosen.lanes
        if lanes:
            solo = not all(lane.is_solo for lane in lanes)
            self._editor.apply(lambda p: change_lanes(p, [one.id for one in lanes], is_solo=solo), "solo")

    def move(self, direction: int) -> None:
        """Put the selected lanes a place up (-1) or down (1)."""
        chosen = self._editor.selection.lanes
        if chosen:
            self._editor.apply(lambda p: step_rows(p, chosen, direction), tr("order of rows"))

    def remove(self) -> None:
        """Remove the selected lanes."""
        chosen = self._editor.selection.lanes

        def edit(project: Project) -> Project:
            for lane in chosen:
                project = remove_lane(project, lane)
            return project

        if chosen:
            self._editor.apply(edit, tr("removal of lanes") if len(chosen) > 1 else tr("removal of lane"))


def _aimed(project: Project, track: TrackId) -> Project:
    """Return `project` with its last lane aimed at a track, and right below it."""
    lane = project.lanes[-1]
    project = change_lane(project, lane.id, track=track)
    rows = [row.id for row in project.stack]
    return move_row(project, lane.id, to=rows.index(track) + 1)
