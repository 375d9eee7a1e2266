"""The bench: shows the one selected thing."""

from collections.abc import Callable
from pathlib import Path
from typing import TypeAlias

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from epiphane.desk.bench.beat import BeatBench
from epiphane.desk.bench.cue import CueBench
from epiphane.desk.bench.export import ExportBench
from epiphane.desk.bench.fields import label
from epiphane.desk.bench.filling import FillingBench
from epiphane.desk.bench.footage import FootageBench
from epiphane.desk.bench.lane import LaneBench
from epiphane.desk.bench.lanes import LanesBench
from epiphane.desk.bench.lost_work import LostWorkBench
from epiphane.desk.bench.pulse import PulseBench
from epiphane.desk.bench.recipe import NewRecipeBench, RecipeBench
from epiphane.desk.bench.shot import ShotBench
from epiphane.desk.bench.song import SongBench
from epiphane.desk.bench.tap import TapBench
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.lanes import LaneDesk
from epiphane.desk.control.recipes import RecipeDesk
from epiphane.desk.control.selection import Kind, Selection
from epiphane.desk.engine.clip_player import ClipPlayer
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.score.paint import lane_label
from epiphane.desk.shell import theme
from epiphane.desk.shell.recovery import RecoveryDesk
from epiphane.edits.shots import footage_name

BenchPage: TypeAlias = (
    SongBench
    | BeatBench
    | TapBench
    | CueBench
    | ShotBench
    | FootageBench
    | FillingBench
    | ExportBench
    | PulseBench
    | LaneBench
    | LanesBench
    | RecipeBench
    | NewRecipeBench
    | LostWorkBench
)


class BenchPanel(QFrame):
    """First line: kind and name. Below it the page of what is selected.

    Signals
    -------
    pulse_made(bench: PulseBench)
        The bench of another pulse is shown.
    copy_asked()
        A copy of the selected lane is wanted.
    """

    pulse_made = pyqtSignal(object)
    copy_asked = pyqtSignal()

    def __init__(
        self,
        editor: Editor,
        jobs: Jobs,
        thumbnails: Thumbnails,
        player: ClipPlayer,
        recipes: RecipeDesk,
        lanes: LaneDesk,
    ) -> None:
        super().__init__()
        self._editor = editor
        self.setProperty("panel", True)
        self._kind = label("")
        self._name = QLabel()
        self._name.setTextFormat(Qt.TextFormat.PlainText)
        self._name.setFont(theme.words(12, weight=600))
        self._pages = _Pages()
        self.song, self.cues, self.shot = SongBench(editor), CueBench(editor), ShotBench(editor)
        self.filling = FillingBench(editor)
        self.footage = FootageBench(editor, thumbnails, player)
        self.beat, self.tap = BeatBench(editor), TapBench(editor)
        self.pulse: PulseBench | None = None
        self.export = ExportBench(editor, jobs)
        self.lane: LaneBench | None = None
        self.lost_work: LostWorkBench | None = None
        self._recipes = recipes
        self.recipe, self.new_recipe = RecipeBench(editor, recipes), NewRecipeBench(editor, recipes)
        pages = (
            self.song,
            self.beat,
            self.tap,
            self.cues,
            self.shot,
            self.footage,
            self.filling,
            self.export,
        )
        self.lanes = LanesBench(editor, lanes)
        for page in (*pages, self.recipe, self.new_recipe, self.lanes):
            self._pages.add_page(page)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner = QWidget()
        inner_box = QVBoxLayout(inner)
        inner_box.setContentsMargins(16, 4, 16, 12)
        inner_box.addWidget(self._pages)
        scroll.setWidget(inner)
        scroll.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 12, 0, 0)
        box.setSpacing(4)
        first = QHBoxLayout()
        first.setContentsMargins(16, 0, 16, 0)
        first.setSpacing(10)
        first.addWidget(self._kind, 0, Qt.AlignmentFlag.AlignBaseline)
        first.addWidget(self._name, 0, Qt.AlignmentFlag.AlignBaseline)
        first.addStretch(1)
        box.addLayout(first)
        box.addWidget(scroll, 1)
        self.export.closed.connect(self.close_export)
        editor.leaving.connect(self._pages.take_keyboard)
        editor.selection_changed.connect(self.refresh)
        editor.project_changed.connect(self.refresh)
        editor.song_changed.connect(self.refresh)
        self.refresh()

    def add_lost_work(self, recovery: RecoveryDesk) -> None:
        """Have a page for unsaved work of lost sessions."""
        self.lost_work = LostWorkBench(recovery)
        self._pages.add_page(self.lost_work)
        recovery.changed.connect(self.refresh)

    def open_export(self) -> None:
        """Show the export."""
        self._editor.select(Selection(Kind.EXPORT))

    def close_export(self) -> None:
        """Go back to the song."""
        self._editor.select(Selection())

    def refresh(self) -> None:
        """Show what is selected as it is now."""
        shown: dict[Kind, Callable[[], None]] = {
            Kind.LANE: self._show_lane,
            Kind.LANES: self._show_lanes,
            Kind.PULSE: self._show_pulse,
            Kind.BEAT: self._show_beat,
            Kind.TAP: self._show_tap,
            Kind.CUES: self._show_cues,
            Kind.SHOT: self._show_shot,
            Kind.FOOTAGE: self._show_footage,
            Kind.FILLING: lambda: self._show(self.filling, "Filling", "the song with footage"),
            Kind.RECIPE: self._show_recipe,
            Kind.NEW_RECIPE: lambda: self._show(self.new_recipe, "New recipe", "of these lanes"),
            Kind.LOST_WORK: self._show_lost_work,
            Kind.EXPORT: lambda: self._show(self.export, "Export", self._editor.title),
        }
        shown.get(self._editor.selection.kind, self._show_song)()

    def _show_song(self) -> None:
        song = self._editor.project.song
        self._show(self.song, "Song", Path(song.path).name if song else "none yet")

    def _show_beat(self) -> None:
        beat = self._editor.selected_beat()
        self._show(self.beat, "Beat", f"at {beat.time:.3f} s" if beat else "")

    def _show_tap(self) -> None:
        tap, pulse = self._editor.selected_tap(), self._editor.selected_pulse()
        self._show(self.tap, "Tap", f"of {pulse.name}, at {tap.time:.3f} s" if tap and pulse else "")

    def _show_cues(self) -> None:
        lane = self._editor.selected_lane()
        kind = "Cue" if len(self._editor.selection.cues) == 1 else "Cues"
        self._show(self.cues, kind, lane_label(lane) if lane else "")

    def _show_shot(self) -> None:
        shot = self._editor.selected_shot()
        footage = next((f for f in self._editor.project.footage if shot and f.id == shot.footage), None)
        self._show(self.shot, "Shot", footage_name(footage) if footage else "")

    def _show_footage(self) -> None:
        chosen = self._editor.selected_footage()
        kind = chosen.kind.value.capitalize() if chosen else ""
        self._show(self.footage, kind, footage_name(chosen) if chosen else "")

    def _show_recipe(self) -> None:
        kept = self._recipes.find(self._editor.selection.recipe)
        self._show(self.recipe, "Recipe", kept.recipe.name if kept else "")

    def _show_lost_work(self) -> None:
        if self.lost_work is not None:
            self._show(self.lost_work, "Unsaved work", "of lost sessions")

    def _show_pulse(self) -> None:
        pulse = self._editor.selected_pulse()
        if pulse is None:
            return
        if self.pulse is None or (self.pulse.pulse_id, self.pulse.kind) != (pulse.id, type(pulse.source)):
            if self.pulse is not None:
                self._pages.drop_page(self.pulse)
            self.pulse = PulseBench(self._editor, pulse)
            self._pages.add_page(self.pulse)
            self.pulse_made.emit(self.pulse)
        self._show(self.pulse, "Pulse", pulse.name)

    def _show_lane(self) -> None:
        lane = self._editor.selected_lane()
        if lane is None:
            return
        if self.lane is None or (self.lane.lane_id, self.lane.effect_key) != (lane.id, lane.effect):
            if self.lane is not None:
                self._pages.drop_page(self.lane)
            self.lane = LaneBench(self._editor, lane)
            self.lane.copy_asked.connect(self.copy_asked)
            self._pages.add_page(self.lane)
        self._show(self.lane, "Lane", lane_label(lane))

    def _show_lanes(self) -> None:
        self._show(self.lanes, "Lanes", f"{len(self._editor.selection.lanes)} of them")

    def _show(self, page: BenchPage, kind: str, name: str) -> None:
        """Show a page as it is now, under what it is and is called."""
        self._pages.show_page(page)
        self._kind.setText(kind)
        self._name.setText(name)
        page.refresh()


class _Pages(QWidget):
    """One page at a time; those that are not seen ask for no room, or short pages could be scrolled."""

    def __init__(self) -> None:
        super().__init__()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)

    def add_page(self, page: QWidget) -> None:
        """Take a page in, unseen."""
        page.hide()
        self._box.addWidget(page)

    def drop_page(self, page: QWidget) -> None:
        """Let a page go, and the keyboard with it: no other field is to get it."""
        _take_keyboard_from(page)
        self._box.removeWidget(page)
        page.hide()
        page.deleteLater()

    def take_keyboard(self) -> None:
        """Have what is half typed taken for the thing it was typed for."""
        for index in range(self._box.count()):
            item = self._box.itemAt(index)
            page = None if item is None else item.widget()
            if page is not None:
                _take_keyboard_from(page)

    def show_page(self, page: QWidget) -> None:
        """Show a page in place of the others."""
        for index in range(self._box.count()):
            item = self._box.itemAt(index)
            other = None if item is None else item.widget()
            if other is not None and other is not page and not other.isHidden():
                _take_keyboard_from(other)
                other.hide()
        page.show()


def _take_keyboard_from(page: QWidget) -> None:
    """Let no field of a page that goes have the keyboard: Qt would give it to some other button."""
    holder = QApplication.focusWidget()
    if holder is not None and page.isAncestorOf(holder):
        holder.clearFocus()
