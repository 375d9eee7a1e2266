"""The bench: shows the one selected thing."""

from pathlib import Path

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

from epiphane.desk import theme
from epiphane.desk.bench.beat import BeatBench
from epiphane.desk.bench.cue import CueBench
from epiphane.desk.bench.export import ExportBench
from epiphane.desk.bench.fields import label
from epiphane.desk.bench.filling import FillingBench
from epiphane.desk.bench.footage import FootageBench
from epiphane.desk.bench.lane import LaneBench
from epiphane.desk.bench.pulse import PulseBench
from epiphane.desk.bench.recipe import NewRecipeBench, RecipeBench
from epiphane.desk.bench.shot import ShotBench
from epiphane.desk.bench.song import SongBench
from epiphane.desk.clip_player import ClipPlayer
from epiphane.desk.editor import Editor, Kind, Selection
from epiphane.desk.jobs import Jobs
from epiphane.desk.recipes import RecipeDesk
from epiphane.desk.score.paint import lane_label
from epiphane.desk.thumbs import Thumbnails
from epiphane.edits.shots import footage_name


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
    ) -> None:
        super().__init__()
        self._editor = editor
        self.setProperty("panel", True)
        self._kind = label("")
        self._name = QLabel()
        self._name.setFont(theme.words(12, weight=600))
        self._pages = _Pages()
        self.song, self.cues, self.shot = SongBench(editor), CueBench(editor), ShotBench(editor)
        self.filling = FillingBench(editor)
        self.footage = FootageBench(editor, thumbnails, player)
        self.beat = BeatBench(editor)
        self.pulse: PulseBench | None = None
        self.export = ExportBench(editor, jobs)
        self.lane: LaneBench | None = None
        self._recipes = recipes
        self.recipe, self.new_recipe = RecipeBench(editor, recipes), NewRecipeBench(editor, recipes)
        pages = (self.song, self.beat, self.cues, self.shot, self.footage, self.filling, self.export)
        for page in (*pages, self.recipe, self.new_recipe):
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
        editor.selection_changed.connect(self.refresh)
        editor.project_changed.connect(self.refresh)
        editor.song_changed.connect(self.refresh)
        self.refresh()

    def open_export(self) -> None:
        """Show the export."""
        self._editor.select(Selection(Kind.EXPORT))

    def close_export(self) -> None:
        """Go back to the song."""
        self._editor.select(Selection())

    def refresh(self) -> None:
        """Show what is selected as it is now."""
        kind = self._editor.selection.kind
        if kind is Kind.LANE:
            self._show_lane()
        elif kind is Kind.PULSE:
            self._show_pulse()
        elif kind is Kind.BEAT:
            beat = self._editor.selected_beat()
            self._show(self.beat, "Beat", f"at {beat.time:.3f} s" if beat else "")
            self.beat.refresh()
        elif kind is Kind.CUES:
            lane = self._editor.selected_lane()
            number = len(self._editor.selection.cues)
            self._show(self.cues, "Cue" if number == 1 else "Cues", lane_label(lane) if lane else "")
            self.cues.refresh()
        elif kind is Kind.SHOT:
            shot = self._editor.selected_shot()
            footage = next((f for f in self._editor.project.footage if shot and f.id == shot.footage), None)
            self._show(self.shot, "Shot", footage_name(footage) if footage else "")
            self.shot.refresh()
        elif kind is Kind.FOOTAGE:
            chosen = self._editor.selected_footage()
            kind_word = chosen.kind.value.capitalize() if chosen else ""
            self._show(self.footage, kind_word, footage_name(chosen) if chosen else "")
            self.footage.refresh()
        elif kind is Kind.FILLING:
            self._show(self.filling, "Filling", "the song with footage")
            self.filling.refresh()
        elif kind is Kind.RECIPE:
            kept = self._recipes.find(self._editor.selection.recipe)
            self._show(self.recipe, "Recipe", kept.recipe.name if kept else "")
            self.recipe.refresh()
        elif kind is Kind.NEW_RECIPE:
            self._show(self.new_recipe, "New recipe", "of these lanes")
            self.new_recipe.refresh()
        elif kind is Kind.EXPORT:
            self._show(self.export, "Export", self._editor.title)
            self.export.refresh()
        else:
            song = self._editor.project.song
            name = Path(song.path).name if song else "none yet"
            self._show(self.song, "Song", name)
            self.song.refresh()

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
        self.pulse.refresh()

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
        self.lane.refresh()

    def _show(self, page: QWidget, kind: str, name: str) -> None:
        self._pages.show_page(page)
        self._kind.setText(kind)
        self._name.setText(name)


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
