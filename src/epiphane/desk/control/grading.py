"""Grades that are worked out: by a colour that is picked in the picture, or by a picture that was kept."""

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.declare.parameters import setting_of, values_at
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.look_files import ask_file
from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.lanes import put_first, set_setting
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.effects.colour.grade import controls_of_decision
from epiphane.effects.declare import EFFECTS
from epiphane.errors import MediaError, ParameterError
from epiphane.keying.schedule import schedule
from epiphane.media.look_files import DECISION_SUFFIXES, read_decisions
from epiphane.media.mattes import made_mattes
from epiphane.render.evening import even_lanes, without_evened
from epiphane.render.matching import Neutral, Statistics, few_levels, matched, neutralised, statistics_of
from epiphane.render.nodes import FramePlan
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size
from epiphane.wording import plural, tr

_TOLD = {
    Neutral.GREY: tr("Click what is to be grey"),
    Neutral.WHITE: tr("Click what is to be white"),
    Neutral.BLACK: tr("Click what is to be black"),
}
_AROUND = 2
"""How many pixels to each side of the one that is picked count as well: grain is no colour."""


def plan_without(project: Project, lanes: frozenset[LaneId], frame: int) -> FramePlan:
    """Return what is drawn on a frame without some lanes."""
    left = with_lanes(project, (lane for lane in project.lanes if lane.id not in lanes))
    return plan_frame(left, schedule(left), frame, made_mattes(left))


class _Wanted(Struct, frozen=True):
    """What is worked out once the picture without the lane is there: a neutral at a place, or a match."""

    lane: LaneId
    neutral: Neutral | None = None
    across: float = 0.0
    down: float = 0.0


class _Before(Struct, frozen=True):
    """The picture without a lane is wanted for itself."""

    lane: LaneId


class GradeDesk(QObject):
    """Sets the controls of the selected grade by what is picked in the picture, or by a kept one.

    Signals
    -------
    picking_changed()
        A colour is to be picked, or no longer.
    before_drawn(lane: LaneId, picture: Picture)
        The picture without a lane, that was asked for.
    """

    picking_changed = pyqtSignal()
    before_drawn = pyqtSignal(int, object)

    def __init__(self, editor: Editor, shown: ShownPicture, footage: OpenFootage, jobs: Jobs) -> None:
        super().__init__()
        self._editor, self._shown, self._footage, self._jobs = editor, shown, footage, jobs
        self._skimmer: Skimmer | None = None
        self.picked: Neutral | None = None
        """What the next colour that is picked is to become, None while none is to be."""
        editor.selection_changed.connect(lambda: self.pick(None))

    @property
    def lane(self) -> Lane | None:
        """The selected grade."""
        lane = self._editor.chosen.lane
        return lane if lane is not None and lane.effect == "grade" else None

    @property
    def can_match(self) -> bool:
        """Whether a picture was kept to be matched."""
        return self._shown.kept is not None

    @property
    def hint(self) -> str:
        """What is to be done in the picture."""
        return "" if self.picked is None else _TOLD[self.picked]

    def pick(self, neutral: Neutral | None) -> None:
        """Have the next click on the picture pick a colour that is to become neutral; None ends it."""
        if neutral != self.picked:
            self.picked = None if self.lane is None else neutral
            self.picking_changed.emit()

    def pick_at(self, across: float, down: float) -> None:
        """Take the colour at shares of the picture."""
        lane, neutral = self.lane, self.picked
        self.pick(None)
        if lane is not None and neutral is not None:
            self._ask(_Wanted(lane.id, neutral, across, down))

    def match(self) -> None:
        """Give the picture the light and colour of the one that was kept."""
        if self.lane is None:
            return
        if self._shown.kept is None:
            self._editor.said.emit(tr("Keep the picture to be matched first (Shift+K)."), True)
            return
        self._ask(_Wanted(self.lane.id))

    def read_decision(self) -> None:
        """Set the controls by a file with a colour decision that the user chooses."""
        lane = self.lane
        path = ask_file(tr("Colour decision"), DECISION_SUFFIXES)
        if lane is None or path is None:
            return
        try:
            found = controls_of_decision(*read_decisions(path))
        except (MediaError, ParameterError) as error:
            self._editor.said.emit(str(error), True)
            return
        self._set(lane, found, tr("colour decision {name}", name=path.name))

    def even_out(self) -> None:
        """Give each clip whose light or colour is unlike the others' a grade of its own, in one step."""
        self._even()

    def even_out_by_part(self) -> None:
        """Even out the clips of each part of the song among themselves."""
        self._even(by_part=True)

    def bring_to_kept(self) -> None:
        """Give all clips the light and colour of the picture that was kept."""
        kept = self._shown.kept
        if kept is None:
            self._editor.said.emit(tr("Keep the picture to be matched first (Shift+K)."), True)
            return
        self._even(wanted=statistics_of(few_levels(kept)))

    def _even(self, *, wanted: Statistics | None = None, by_part: bool = False) -> None:
        project = self._editor.project
        if not project.shots:
            self._editor.said.emit(tr("There are no shots yet whose light could be evened out."), True)
            return
        self._jobs.start(
            "even out",
            tr("Looking at the light of the clips"),
            lambda report: even_lanes(
                project, self._footage, wanted=wanted, by_part=by_part, progress=report
            ),
            done=self._put_even,
        )

    def _put_even(self, lanes: tuple[Lane, ...]) -> None:
        if not lanes:
            text = tr("The clips are alike in light and colour: nothing is to be evened out.")
            self._editor.said.emit(text, False)
            return

        def edit(project: Project) -> Project:
            project, pulse = ensure_pulse(project, PulseUnit.BEAT)
            return put_first(without_evened(project), lanes, pulse)

        if self._editor.apply(edit, tr("evening out of clips")):
            told = plural(
                len(lanes),
                "One clip is evened out: its grade is the first lane.",
                "{} clips are evened out: their grades are the first lanes.",
            )
            self._editor.said.emit(told, False)

    def ask_before(self, lane: LaneId, size: Size) -> None:
        """Draw the picture under the playhead without a lane; it comes by `before_drawn`."""
        self._draw_without(_Before(lane), size)

    def close(self) -> None:
        """Stop drawing."""
        if self._skimmer is not None:
            self._skimmer.close()

    def _ask(self, wanted: _Wanted) -> None:
        """Draw the picture without the grade; what comes of it is worked out when it is there."""
        picture = self._shown.picture
        if picture is not None:
            self._draw_without(wanted, (picture.shape[1], picture.shape[0]))

    def _draw_without(self, wanted: _Wanted | _Before, size: Size) -> None:
        if self._skimmer is None:
            self._skimmer = Skimmer(self._footage)
            self._skimmer.drawn.connect(self._on_drawn)
        plan = plan_without(self._editor.project, frozenset({wanted.lane}), self._editor.playhead)
        self._skimmer.ask_plan(wanted, 0.0, plan, size)

    def _on_drawn(self, drawn: Skimmed) -> None:
        wanted, picture = drawn.key, drawn.picture
        if isinstance(wanted, _Before):
            self.before_drawn.emit(wanted.lane, picture)
            return
        lane = self.lane
        if not isinstance(wanted, _Wanted) or lane is None or lane.id != wanted.lane:
            return
        parameters = EFFECTS.named("grade").parameters
        values = dict(values_at(parameters, lane.settings, 1.0))
        if wanted.neutral is None:
            kept = self._shown.kept
            if kept is not None:
                self._set(lane, matched(picture, kept, values), tr("match of a picture"))
            return
        colour = _colour_at(picture, wanted.across, wanted.down)
        self._set(lane, neutralised(colour, wanted.neutral, values), tr("picked colour"))

    def _set(self, lane: Lane, found: Mapping[str, float | str], text: str) -> None:
        """Set what was found: at the peak alone, as the lane falls back from it to what is at rest."""
        effect = EFFECTS.named("grade")

        def edit(project: Project) -> Project:
            for name, value in found.items():
                setting = setting_of(effect.parameter(name), lane.settings)
                project = set_setting(project, lane.id, replace(setting, peak=value))
            return project

        self._editor.apply(edit, text)


def _colour_at(picture: Picture, across: float, down: float) -> tuple[int, int, int]:
    """Return the mean of some pixels around a place, blue, green and red."""
    height, width = picture.shape[:2]
    x, y = min(int(across * width), width - 1), min(int(down * height), height - 1)
    part = picture[max(y - _AROUND, 0) : y + _AROUND + 1, max(x - _AROUND, 0) : x + _AROUND + 1]
    blue, green, red = part.reshape(-1, 3).mean(axis=0)
    return round(float(blue)), round(float(green)), round(float(red))
