"""The rows of a lane's bench that say which hits it takes, folded away until they are wanted."""

from collections.abc import Callable, Collection
from functools import partial

import numpy as np
from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from epiphane.desk.bench.cells import PatternCells
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    ChecksButton,
    NumberField,
    RangeBar,
    choice_field,
    label,
    number_field,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.desk.look.lanes import lane_colour, lane_label
from epiphane.document.ids import ItemId, LaneId
from epiphane.document.lane import Lane, Overlap, Trigger
from epiphane.document.pick import CELL_COUNTS, Landmark, Pattern
from epiphane.document.project import Project
from epiphane.edits.lanes import change_lane
from epiphane.edits.shots import footage_name
from epiphane.facts.form import parts_of
from epiphane.facts.grid import Bar, bar_at, bars_of
from epiphane.keying.picking import bar_places
from epiphane.keying.schedule import LaneSchedule
from epiphane.lane_kinds import is_transition
from epiphane.timing import frame_start

_NO_PATTERN = "0"
_DEFAULT_CELLS = {4: (0,), 8: (0, 4), 12: (0, 6), 16: (0, 8), 32: (0, 16)}
_LANDMARKS = (
    (Landmark.ANY.value, "all of them"),
    (Landmark.DOWNBEATS.value, "downbeats"),
    (Landmark.SECTIONS.value, "new sections"),
)
_OVERLAPS = ((Overlap.STRONGER.value, "the stronger one counts"), (Overlap.ADD.value, "they add"))


class PickRows(QWidget):
    """Which hits of its pulse a lane takes, how strongly they fire, and what they do where they overlap."""

    is_open = False
    """Whether the rows are shown: for all lanes, so that one may be looked at after the other."""

    def __init__(
        self, editor: Editor, lane: Lane, changed: Callable[[], Collection[LaneId]] | None = None
    ) -> None:
        super().__init__()
        self._editor = editor
        self._lane_id: LaneId = lane.id
        self._changed = changed or (lambda: (self._lane_id,))
        self.fold = QPushButton()
        self.fold.setCheckable(True)
        self.fold.setProperty("quiet", True)
        self.fold.setStyleSheet("text-align: left")
        self.fold.setChecked(PickRows.is_open)
        self.fold.toggled.connect(self._open)
        self._rows: QWidget | None = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(5)
        self._box.addWidget(self.fold)
        if PickRows.is_open:
            self._build(lane)

    @property
    def lane_id(self) -> LaneId:
        """The lane whose hits are shown."""
        return self._lane_id

    def _build(self, lane: Lane) -> None:
        """Make the rows, when they are first wanted: selecting a lane is quicker without."""
        self._rows = QWidget()
        inside = QVBoxLayout(self._rows)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        self._of_hits = [*self._pattern_rows(), *self._rule_rows(), *self._strength_rows(lane)]
        for widget in (*self._of_hits, *self._place_rows(), rule()):
            inside.addWidget(widget)
        self._box.addWidget(self._rows)

    def refresh(self, lane: Lane, cues: LaneSchedule) -> None:
        """Show what the lane takes now."""
        pick, project = lane.pick, self._editor.project
        self.fold.setText(_told(lane, cues))
        icon = "chevron-up" if self.fold.isChecked() else "chevron-down"
        self.fold.setIcon(theme.icon(icon, theme.QUIET, 14))
        if self._rows is None:
            return
        for widget in self._of_hits:
            widget.setVisible(lane.trigger is not Trigger.FOLLOW)
        pattern = pick.pattern or Pattern((), 1)
        show_choice(self._n_cells, str(len(pattern.cells)))
        show_choice(self._n_bars, str(pattern.n_bars))
        self._n_bars.setEnabled(pick.pattern is not None)
        self.cells.setVisible(pick.pattern is not None and lane.trigger is not Trigger.FOLLOW)
        self.cells.show_cells(pattern.cells, pattern.n_bars, lane_colour(lane))
        self._show_playing()
        for field, value in (
            (self._every, pick.every),
            (self._first, pick.first + 1),
            (self._strongest, pick.strongest or 0),
            (self._above, pick.above * 100),
            (self._chance, pick.chance * 100),
        ):
            field.show_value(value)
        bars = bars_of(project)
        self._from.show_value(0 if pick.start is None else _bar_number(bars, pick.start + 1e-3))
        self._to.show_value(0 if pick.end is None else _bar_number(bars, pick.end - 1e-3))
        labels = list(dict.fromkeys(part.label for part in parts_of(project.song)))
        labels += [one for one in pick.sections if one not in labels]
        self._sections.show_checks(lambda: [(text, text) for text in labels], pick.sections)
        self._shots.show_checks(lambda: _shot_options(project), [str(shot) for shot in lane.shots])
        show_choice(self._only, pick.only.value)
        others = [(str(one.id), lane_label(one)) for one in project.lanes if one.id != lane.id]
        show_options(self._without, [("", "no lane"), *others])
        show_choice(self._without, "" if pick.without is None else str(pick.without))
        self._by_bar.set_values(0, lane.by_strength * 100)
        self._by_strength.show_value(lane.by_strength * 100)
        show_choice(self._overlap, lane.overlap.value)

    def _pattern_rows(self) -> list[QWidget]:
        options = [(_NO_PATTERN, "no pattern"), *((str(n), f"{n} cells") for n in CELL_COUNTS)]
        self._n_cells = choice_field("Cells of the pattern", options, lambda key: self._set_cells(int(key)))
        bars = [("1", "a bar"), ("2", "two bars"), ("4", "four bars")]
        self._n_bars = choice_field("Bars of the pattern", bars, lambda key: self._set_bars(int(key)))
        self.cells = PatternCells()
        self.cells.changed.connect(self._paint_cells)
        self.cells.released.connect(self._editor.end_gesture)
        self._editor.playhead_changed.connect(self._show_playing)
        return [row("Pattern", self._n_cells, label("in"), self._n_bars), self.cells]

    def _rule_rows(self) -> list[QWidget]:
        self._every = self._number("Take every Nth hit", low=1, high=64)
        self._every.edited.connect(lambda value: self._change(every=round(value)))
        self._first = self._number("From which hit on", low=1, high=64)
        self._first.edited.connect(lambda value: self._change(first=round(value) - 1))
        self._strongest = self._number("The strongest so many of a bar", low=0, high=32)
        self._strongest.setSpecialValueText("all")
        self._strongest.edited.connect(lambda value: self._change(strongest=round(value) or None))
        self._above = self._number("Hits of this strength at least", low=0, high=100, unit="%")
        self._above.edited.connect(lambda value: self._change(above=round(value / 100, 4)))
        self._chance = self._number("By chance, so many of a hundred", low=0, high=100, unit="%")
        self._chance.edited.connect(lambda value: self._change(chance=round(value / 100, 4)))
        self._without = choice_field(
            "Not where another lane fires",
            (),
            lambda key: self._change(without=LaneId(int(key)) if key else None),
        )
        return [
            row("Every", self._every, label("from hit"), self._first),
            row("Strongest", self._strongest, label("a bar, above"), self._above),
            row("By chance", self._chance, label("but not with"), self._without),
        ]

    def _place_rows(self) -> list[QWidget]:
        self._from = self._number("From this bar on", low=0, high=9999)
        self._to = self._number("To the end of this bar", low=0, high=9999)
        for field, edge, unlimited in ((self._from, "start", "first"), (self._to, "end", "last")):
            field.setSpecialValueText(unlimited)
            field.setToolTip(f"{field.accessibleName()}; 0 for no such limit")
            field.edited.connect(lambda value, edge=edge: self._set_edge(edge, round(value)))
        self._sections = ChecksButton("Parts of the song", "every part")
        self._sections.chosen.connect(lambda keys: self._change(sections=keys))
        self._shots = ChecksButton("Only on some shots", "every shot")
        self._shots.chosen.connect(
            lambda keys: self._apply(
                partial(change_lane, shots=tuple(ItemId(int(key)) for key in keys)), "shots of the lane"
            )
        )
        self._only = choice_field("Only on some landmark", _LANDMARKS, self._choose_landmark)
        return [
            row("Bars", self._from, label("to"), self._to, self._only),
            row("Only in", self._sections, label("on"), self._shots),
        ]

    def _strength_rows(self, lane: Lane) -> list[QWidget]:
        self._by_bar = RangeBar("Strength", low=0, high=100, colour=lane_colour(lane), has_rest=False)
        self._by_bar.setToolTip("How far the strength of a hit makes its cue weaker")
        self._by_bar.changed.connect(lambda _rest, value: self._set_by_strength(value, gesture="strength"))
        self._by_bar.released.connect(self._editor.end_gesture)
        self._by_strength = limited_field(Lane, "by_strength", "By the strength of the hit", "%", factor=100)
        self._by_strength.edited.connect(self._set_by_strength)
        self._overlap = choice_field(
            "Cues that overlap",
            _OVERLAPS,
            lambda key: self._apply(partial(change_lane, overlap=Overlap(key)), "change of overlaps"),
        )
        return [row("By strength", self._by_bar, self._by_strength), row("Overlaps", self._overlap)]

    def _show_playing(self) -> None:
        """Mark the cell under the playhead."""
        lane, project = self._lane(), self._editor.project
        if lane is None or lane.pick.pattern is None or not self.cells.isVisible():
            return
        here = np.array([frame_start(self._editor.playhead + 1, project.rate) - 1e-6])
        share = float(bar_places(bars_of(project), here)[0]) / lane.pick.pattern.n_bars % 1.0
        self.cells.show_playing(int(share * len(lane.pick.pattern.cells)))

    def _number(self, name: str, *, low: float, high: float, unit: str = "") -> NumberField:
        field = number_field(name, low=low, high=high, unit=unit)
        field.setFixedWidth(58)
        return field

    def _open(self, is_open: bool) -> None:
        PickRows.is_open = is_open
        lane = self._lane()
        if is_open and self._rows is None and lane is not None:
            self._build(lane)
        if self._rows is not None:
            self._rows.setVisible(is_open)
        self._refresh_self()

    def _refresh_self(self) -> None:
        lane, cues = self._lane(), self._editor.cues.lane(self._lane_id)
        if lane is not None and cues is not None:
            self.refresh(lane, cues)

    def _lane(self) -> Lane | None:
        return next((lane for lane in self._editor.project.lanes if lane.id == self._lane_id), None)

    def _apply(
        self, edit: Callable[[Project, LaneId], Project], text: str, *, gesture: str | None = None
    ) -> None:
        def edit_all(project: Project) -> Project:
            for lane in self._changed():
                project = edit(project, lane)
            return project

        self._editor.apply(edit_all, text, gesture=gesture)
        self._refresh_self()

    def _change(self, *, gesture: str | None = None, **changes: object) -> None:
        lane = self._lane()
        if lane is not None:
            made = replace(lane.pick, **changes)
            self._apply(partial(change_lane, pick=made), "change of its hits", gesture=gesture)

    def _set_by_strength(self, percent: float, *, gesture: str | None = None) -> None:
        share = round(percent / 100, 4)
        self._apply(partial(change_lane, by_strength=share), "change of strength", gesture=gesture)

    def _set_cells(self, n_cells: int) -> None:
        lane = self._lane()
        if lane is None:
            return
        old = lane.pick.pattern
        if n_cells == 0:
            self._change(pattern=None)
        elif old is None:
            cells = tuple(1.0 if n in _DEFAULT_CELLS[n_cells] else 0.0 for n in range(n_cells))
            self._change(pattern=Pattern(cells))
        else:
            self._change(pattern=Pattern(_divided(old.cells, n_cells), old.n_bars))

    def _set_bars(self, n_bars: int) -> None:
        lane = self._lane()
        if lane is not None and lane.pick.pattern is not None:
            self._change(pattern=Pattern(lane.pick.pattern.cells, n_bars))  # type: ignore[arg-type]

    def _paint_cells(self, cells: tuple[float, ...]) -> None:
        lane = self._lane()
        if lane is not None and lane.pick.pattern is not None:
            self._change(pattern=Pattern(cells, lane.pick.pattern.n_bars), gesture="pattern")

    def _choose_landmark(self, key: str) -> None:
        self._change(only=Landmark(key))

    def _set_edge(self, edge: str, number: int) -> None:
        bars = {} if number == 0 else {bar.number: bar for bar in bars_of(self._editor.project)}
        bar = bars.get(number)
        if edge == "start":
            self._change(start=None if bar is None else bar.start)
        else:
            self._change(end=None if bar is None else bar.end)


def _divided(cells: tuple[float, ...], n_cells: int) -> tuple[float, ...]:
    """Return a pattern in another number of cells: what fires goes to the cell that begins where it did."""
    made = [0.0] * n_cells
    for number, strength in enumerate(cells):
        place = round(number * n_cells / len(cells)) % n_cells
        made[place] = max(made[place], strength)
    return tuple(made)


def _shot_options(project: Project) -> list[tuple[str, str]]:
    """Return the shots of a project by number, and what they are called: their bar and their clip."""
    bars, names = bars_of(project), {one.id: footage_name(one) for one in project.footage}
    return [
        (
            str(shot.id),
            f"bar {_bar_number(bars, frame_start(shot.start, project.rate) + 0.05)} · "
            f"{names.get(shot.footage, '?') if shot.footage is not None else 'solid'}",
        )
        for shot in project.shots
    ]


def _bar_number(bars: tuple[Bar, ...], seconds: float) -> int:
    return bars[bar_at(bars, seconds)].number


def _told(lane: Lane, cues: LaneSchedule) -> str:
    """Return in words how many hits are taken, and what waits for a hit; or what is followed."""
    if lane.trigger is Trigger.FOLLOW:
        text = f"Follows {lane.follow.low:g} to {lane.follow.high:g} Hz"
        where = ["in " + ", ".join(lane.pick.sections)] * bool(lane.pick.sections)
        where += ["on some bars"] * (lane.pick.start is not None or lane.pick.end is not None)
        text = ", ".join([text, *where, *["on some shots"] * bool(lane.shots)])
        is_still = not cues.is_silent and not cues.levels.any()
        return f"{text}: it never rises" if is_still else text
    if lane.trigger is Trigger.SPAN:
        return f"On over {len(cues.hits)} span{'s' * (len(cues.hits) != 1)}"
    hits = "cuts" if is_transition(lane.effect) else "hits"
    n_hits, n_taken = len(cues.hits), len(cues.picked.hits)
    if cues.frames_of_shots == ():
        text = "The shots it is for are not there any more: nothing fires"
    elif n_hits == 0:
        text = f"Its pulse has no {hits}: nothing fires"
    elif n_taken == 0:
        text = f"Takes none of {n_hits} {hits}: nothing fires"
    elif n_taken == n_hits:
        text = f"Takes all {n_hits} {hits}"
    else:
        text = f"Takes {n_taken} of {n_hits} {hits}"
    waiting = {0: "", 1: f" · 1 changed cue waits for its {hits[:-1]}"}
    n_waiting = len(cues.orphaned_overrides)
    return text + waiting.get(n_waiting, f" · {n_waiting} changed cues wait for their {hits}")
