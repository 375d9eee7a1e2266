"""The rows of a lane's bench that say which hits it takes, folded away until they are wanted."""

from collections.abc import Callable, Collection
from functools import partial
from typing import Any

import numpy as np
from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton

from epiphane.desk.bench.keying.cells import PatternCells
from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import NumberField, label
from epiphane.desk.look.lanes import lane_colour, lane_label
from epiphane.document.ids import ItemId, LaneId
from epiphane.document.lane import Lane, Overlap, Trigger
from epiphane.document.pick import CELL_COUNTS, Landmark, Pattern, Pick
from epiphane.document.project import Project, find
from epiphane.edits.keying.lanes import change_lane
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.form import part_words, parts_of
from epiphane.facts.grid import Bar, bar_at, bars_of
from epiphane.keying.picking import bar_places
from epiphane.keying.schedule import LaneSchedule
from epiphane.lane_kinds import is_transition
from epiphane.timing import frame_start
from epiphane.wording import plural, tr

_NO_PATTERN = "0"
_WIDTH = 58
_DEFAULT_CELLS = {4: (0,), 8: (0, 4), 12: (0, 6), 16: (0, 8), 32: (0, 16)}
_LANDMARKS = (
    (Landmark.ANY.value, tr("all of them")),
    (Landmark.DOWNBEATS.value, "downbeats"),
    (Landmark.SECTIONS.value, tr("new sections")),
)
_OVERLAPS = ((Overlap.STRONGER.value, tr("the stronger one counts")), (Overlap.ADD.value, tr("they add")))


class PickRows(Rows[Lane]):
    """Which hits of its pulse a lane takes, how strongly they fire, and what they do where they overlap."""

    is_open = False
    """Whether the rows are shown: for all lanes, so that one may be looked at after the other."""

    def __init__(
        self, editor: Editor, lane: Lane, changed: Callable[[], Collection[LaneId]] | None = None
    ) -> None:
        super().__init__(spacing=5)
        self._editor = editor
        self.lane_id: LaneId = lane.id
        self._changed = changed or (lambda: (self.lane_id,))
        self.fold = QPushButton()
        self.fold.setCheckable(True)
        self.fold.setProperty("quiet", True)
        self.fold.setStyleSheet("text-align: left")
        self.fold.setChecked(PickRows.is_open)
        self.fold.toggled.connect(self._open)
        self.shows(self._show_fold)
        self.add(self.fold)
        # Made when they are first wanted: selecting a lane is quicker without.
        self.part(self._made_fields, lambda lane: lane if self.fold.isChecked() else None)

    @property
    def cells(self) -> PatternCells:
        """The cells of the pattern, once the rows have been open."""
        return self._fields.cells

    def _made_fields(self) -> "_PickFields":
        lane = find(self._editor.project.lanes, self.lane_id, "lane")
        self._fields = _PickFields(self._editor, lane, self._apply)
        return self._fields

    def _show_fold(self, lane: Lane) -> None:
        cues = self._editor.cues.lane(lane.id)
        if cues is not None:
            self.fold.setText(_told(lane, cues))
        icon = "chevron-up" if self.fold.isChecked() else "chevron-down"
        self.fold.setIcon(theme.icon(icon, theme.QUIET, 14))

    def _open(self, is_open: bool) -> None:
        PickRows.is_open = is_open
        self._refresh()

    def _refresh(self) -> None:
        lane = next((one for one in self._editor.project.lanes if one.id == self.lane_id), None)
        if lane is not None and self._editor.cues.lane(self.lane_id) is not None:
            self.show_thing(lane)

    def _apply(
        self, edit: Callable[[Project, LaneId], Project], text: str, *, gesture: str | None = None
    ) -> None:
        def edit_all(project: Project) -> Project:
            for lane in self._changed():
                project = edit(project, lane)
            return project

        self._editor.apply(edit_all, text, gesture=gesture)
        self._refresh()


class _PickFields(Rows[Lane]):
    """The fields of what a lane takes, in the order in which they are gone through."""

    def __init__(self, editor: Editor, lane: Lane, apply: Callable[..., None]) -> None:
        super().__init__(spacing=5)
        self._editor, self._lane, self._apply = editor, lane, apply
        self.shows(self._keep)
        self._add_pattern_rows()
        self._add_rule_rows()
        self._add_strength_rows()
        self._add_place_rows()
        self.rule()
        editor.playhead_changed.connect(self._show_playing)

    def _keep(self, lane: Lane) -> None:
        self._lane = lane

    def _add_pattern_rows(self) -> None:
        n_cells = self.choice(
            tr("Cells of the pattern"),
            [
                (_NO_PATTERN, tr("no pattern")),
                *((str(n), tr("{number} cells", number=n)) for n in CELL_COUNTS),
            ],
            lambda lane: _NO_PATTERN if lane.pick.pattern is None else str(len(lane.pick.pattern.cells)),
            lambda key: self._set_cells(int(key)),
        )
        n_bars = self.choice(
            tr("Bars of the pattern"),
            [("1", tr("a bar")), ("2", tr("two bars")), ("4", tr("four bars"))],
            lambda lane: "1" if lane.pick.pattern is None else str(lane.pick.pattern.n_bars),
            lambda key: self._set_bars(int(key)),
        )
        self.enabled(lambda lane: lane.pick.pattern is not None, n_bars)
        self.cells = PatternCells()
        self.cells.changed.connect(self._paint_cells)
        self.cells.released.connect(self._editor.end_gesture)
        self.row(tr("Pattern"), n_cells, label("in"), n_bars, when=_has_hits)
        self.add(self.cells, when=lambda lane: lane.pick.pattern is not None and _has_hits(lane))
        self.shows(self._show_cells)

    def _add_rule_rows(self) -> None:
        every = self._rule(tr("Take every Nth hit"), lambda pick: pick.every, "every", limits=(1, 64))
        first = self._rule(
            tr("From which hit on"), lambda pick: pick.first + 1, "first", limits=(1, 64), shift=-1
        )
        strongest = self.number(
            tr("The strongest so many of a bar"),
            lambda lane: lane.pick.strongest or 0,
            lambda value: self._change(strongest=round(value) or None),
            limits=(0, 32),
            width=_WIDTH,
        )
        strongest.setSpecialValueText("all")
        above = self._share(tr("Hits of this strength at least"), lambda pick: pick.above, "above")
        chance = self._share(tr("By chance, so many of a hundred"), lambda pick: pick.chance, "chance")
        without = self.choice(
            tr("Not where another lane fires"),
            self._other_lanes,
            lambda lane: "" if lane.pick.without is None else str(lane.pick.without),
            lambda key: self._change(without=LaneId(int(key)) if key else None),
        )
        self.row(tr("Every"), every, label(tr("from hit")), first, when=_has_hits)
        self.row(tr("Strongest"), strongest, label(tr("a bar, above")), above, when=_has_hits)
        self.row(tr("By chance"), chance, label(tr("but not with")), without, when=_has_hits)

    def _add_strength_rows(self) -> None:
        share = self.amount(
            tr("By the strength of the hit"),
            lambda lane: lane.by_strength,
            self._set_by_strength,
            of=(Lane, "by_strength"),
            colour=lane_colour(self._lane),
            released=self._editor.end_gesture,
        )
        share[0].setAccessibleName(tr("Strength bar"))
        share[0].setToolTip(tr("How far the strength of a hit makes its cue weaker"))
        overlap = self.choice(
            tr("Cues that overlap"),
            _OVERLAPS,
            lambda lane: lane.overlap.value,
            lambda key: self._apply(partial(change_lane, overlap=Overlap(key)), tr("change of overlaps")),
        )
        self.row(tr("By strength"), *share, when=_has_hits)
        self.row(tr("Overlaps"), overlap, when=_has_hits)

    def _add_place_rows(self) -> None:
        edges = []
        for name, edge, unlimited in (
            (tr("From this bar on"), "start", "first"),
            (tr("To the end of this bar"), "end", "last"),
        ):
            field = self.number(
                name,
                partial(self._bar_of, edge),
                partial(self._set_edge, edge),
                limits=(0, 9999),
                width=_WIDTH,
            )
            field.setSpecialValueText(unlimited)
            field.setToolTip(tr("{name}; 0 for no such limit", name=name))
            edges.append(field)
        only = self.choice(
            tr("Only on some landmark"),
            _LANDMARKS,
            lambda lane: lane.pick.only.value,
            lambda key: self._change(only=Landmark(key)),
        )
        sections = self.checks_button(
            tr("Parts of the song"),
            tr("every part"),
            self._part_options,
            lambda lane: lane.pick.sections,
            lambda keys: self._change(sections=keys),
        )
        shots = self.checks_button(
            tr("Only on some shots"),
            tr("every shot"),
            lambda _: _shot_options(self._editor.project),
            lambda lane: [str(shot) for shot in lane.shots],
            self._choose_shots,
        )
        self.row(tr("Bars"), edges[0], label("to"), edges[1], only)
        self.row(tr("Only in"), sections, label("on"), shots)

    def _rule(
        self,
        name: str,
        value_of: Callable[[Pick], float],
        field: str,
        *,
        limits: tuple[float, float],
        shift: int = 0,
    ) -> NumberField:
        """Return a field for a whole number of what is taken."""
        return self.number(
            name,
            lambda lane: value_of(lane.pick),
            lambda value: self._set(field, round(value) + shift),
            limits=limits,
            width=_WIDTH,
        )

    def _share(self, name: str, value_of: Callable[[Pick], float], field: str) -> NumberField:
        """Return a field for a share of what is taken."""
        return self.number(
            name,
            lambda lane: value_of(lane.pick),
            lambda value: self._set(field, round(value, 4)),
            limits=(0, 100),
            unit="%",
            factor=100,
            width=_WIDTH,
        )

    def _other_lanes(self, lane: Lane) -> list[tuple[str, str]]:
        lanes = self._editor.project.lanes
        return [("", tr("no lane")), *((str(one.id), lane_label(one)) for one in lanes if one.id != lane.id)]

    def _part_options(self, lane: Lane) -> list[tuple[str, str]]:
        labels = {part.label: part_words(part) for part in parts_of(self._editor.project.song)}
        return [*({text: text for text in lane.pick.sections} | labels).items()]

    def _bar_of(self, edge: str, lane: Lane) -> int:
        """Return the number of the bar at which a limit is, 0 where there is none."""
        seconds: float | None = getattr(lane.pick, edge)
        inside = 1e-3 if edge == "start" else -1e-3
        return 0 if seconds is None else _bar_number(bars_of(self._editor.project), seconds + inside)

    def _choose_shots(self, keys: tuple[str, ...]) -> None:
        shots = tuple(ItemId(int(key)) for key in keys)
        self._apply(partial(change_lane, shots=shots), tr("shots of the lane"))

    def _show_cells(self, lane: Lane) -> None:
        pattern = lane.pick.pattern or Pattern((), 1)
        self.cells.show_cells(pattern.cells, pattern.n_bars, lane_colour(lane))
        self._show_playing()

    def _show_playing(self) -> None:
        """Mark the cell under the playhead."""
        pattern, project = self._lane.pick.pattern, self._editor.project
        if pattern is None or not self.cells.isVisible():
            return
        here = np.array([frame_start(self._editor.playhead + 1, project.rate) - 1e-6])
        share = float(bar_places(bars_of(project), here)[0]) / pattern.n_bars % 1.0
        self.cells.show_playing(int(share * len(pattern.cells)))

    def _change(self, *, gesture: str | None = None, **changes: Any) -> None:
        made = replace(self._lane.pick, **changes)
        self._apply(partial(change_lane, pick=made), tr("change of its hits"), gesture=gesture)

    def _set(self, field: str, value: object) -> None:
        changes: dict[str, Any] = {field: value}
        self._change(**changes)

    def _set_by_strength(self, share: float, *, gesture: str | None = None) -> None:
        self._apply(
            partial(change_lane, by_strength=round(share, 4)), tr("change of strength"), gesture=gesture
        )

    def _set_cells(self, n_cells: int) -> None:
        old = self._lane.pick.pattern
        if n_cells == 0:
            self._change(pattern=None)
        elif old is None:
            cells = tuple(1.0 if n in _DEFAULT_CELLS[n_cells] else 0.0 for n in range(n_cells))
            self._change(pattern=Pattern(cells))
        else:
            self._change(pattern=Pattern(_divided(old.cells, n_cells), old.n_bars))

    def _set_bars(self, n_bars: int) -> None:
        pattern = self._lane.pick.pattern
        if pattern is not None:
            self._change(pattern=Pattern(pattern.cells, n_bars))  # type: ignore[arg-type]

    def _paint_cells(self, cells: tuple[float, ...]) -> None:
        pattern = self._lane.pick.pattern
        if pattern is not None:
            self._change(pattern=Pattern(cells, pattern.n_bars), gesture="pattern")

    def _set_edge(self, edge: str, number: float) -> None:
        bars = {} if number == 0 else {bar.number: bar for bar in bars_of(self._editor.project)}
        bar = bars.get(round(number))
        seconds = None if bar is None else bar.start if edge == "start" else bar.end
        self._set(edge, seconds)


def _has_hits(lane: Lane) -> bool:
    return lane.trigger is not Trigger.FOLLOW


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
            tr(
                "bar {bar} · {clip}",
                bar=_bar_number(bars, frame_start(shot.start, project.rate) + 0.05),
                clip=names.get(shot.footage, "?") if shot.footage is not None else tr("solid"),
            ),
        )
        for shot in project.shots
    ]


def _bar_number(bars: tuple[Bar, ...], seconds: float) -> int:
    return bars[bar_at(bars, seconds)].number


def _told(lane: Lane, cues: LaneSchedule) -> str:
    """Return in words how many hits are taken, and what waits for a hit; or what is followed."""
    if lane.trigger is Trigger.FOLLOW:
        text = tr("Follows {low:g} to {high:g} Hz", low=lane.follow.low, high=lane.follow.high)
        where = [tr("in {parts}", parts=", ".join(lane.pick.sections))] * bool(lane.pick.sections)
        where += [tr("on some bars")] * (lane.pick.start is not None or lane.pick.end is not None)
        text = ", ".join([text, *where, *[tr("on some shots")] * bool(lane.shots)])
        is_still = not cues.is_silent and not cues.levels.any()
        return tr("{words}: it never rises", words=text) if is_still else text
    if lane.trigger is Trigger.SPAN:
        return tr("On over {number}", number=plural(len(cues.hits), "1 span", "{} spans"))
    is_at_cuts = is_transition(lane.effect)
    hits = tr("cuts") if is_at_cuts else tr("hits")
    n_hits, n_taken = len(cues.hits), len(cues.picked.hits)
    if cues.frames_of_shots == ():
        text = tr("The shots it is for are not there any more: nothing fires")
    elif n_hits == 0:
        text = tr("Its pulse has no {hits}: nothing fires", hits=hits)
    elif n_taken == 0:
        text = tr("Takes none of {n_hits} {hits}: nothing fires", n_hits=n_hits, hits=hits)
    elif n_taken == n_hits:
        text = tr("Takes all {n_hits} {hits}", n_hits=n_hits, hits=hits)
    else:
        text = tr("Takes {n_taken} of {n_hits} {hits}", n_taken=n_taken, n_hits=n_hits, hits=hits)
    n_waiting = len(cues.orphaned_overrides)
    if n_waiting == 0:
        return text
    if is_at_cuts:
        waiting = plural(n_waiting, "1 changed cue waits for its cut", "{} changed cues wait for their cuts")
    else:
        waiting = plural(n_waiting, "1 changed cue waits for its hit", "{} changed cues wait for their hits")
    return f"{text} · {waiting}"
