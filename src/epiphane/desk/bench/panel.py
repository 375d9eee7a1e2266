"""The bench: shows the one selected thing."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

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

from epiphane.desk.bench.page import AnyPage, NothingBench
from epiphane.desk.control.clip_player import ClipPlayer
from epiphane.desk.control.desks import Desks
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.flow_check import FlowCheck
from epiphane.desk.control.recovery import RecoveryDesk
from epiphane.desk.control.selection import ExportSelection, Selection, SongSelection
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.look.fields import label

if TYPE_CHECKING:
    from epiphane.desk.bench.exporting.export import ExportBench
    from epiphane.desk.bench.items.item import ItemBench
    from epiphane.desk.bench.items.track import TrackBench
    from epiphane.desk.bench.keying.cue import CueBench
    from epiphane.desk.bench.keying.dressing import DressingBench
    from epiphane.desk.bench.keying.lane import LaneBench
    from epiphane.desk.bench.keying.lanes import LanesBench
    from epiphane.desk.bench.keying.recipe import NewRecipeBench, RecipeBench
    from epiphane.desk.bench.lost_work import LostWorkBench
    from epiphane.desk.bench.rough_cut import RoughCutBench
    from epiphane.desk.bench.shots.filling import FillingBench
    from epiphane.desk.bench.shots.footage import FootageBench
    from epiphane.desk.bench.shots.shot import GapBench, ShotBench
    from epiphane.desk.bench.shots.split_screen import SplitScreenBench
    from epiphane.desk.bench.song.beat import BeatBench
    from epiphane.desk.bench.song.part import DropBench, PartBench
    from epiphane.desk.bench.song.pulse import PulseBench
    from epiphane.desk.bench.song.song import SongBench
    from epiphane.desk.bench.song.tap import TapBench


_SLOW_PAGES = ("song", "footage", "item", "shot", "cues")


class Shown(Protocol):
    """What the bench shows of a selection."""

    @property
    def title(self) -> Callable[[], tuple[str, str]]:
        """What it is, and what it is called."""
        ...

    @property
    def page(self) -> Callable[[], AnyPage | None]:
        """Its page."""
        ...

    @property
    def meaning(self) -> str:
        """One sentence on what it is."""
        ...


class BenchPanel(QFrame):
    """First line: kind and name. Below it the page of what is selected.

    Signals
    -------
    listen_asked(tempo: float)
        The loop or the stave is to be listened to again, near this tempo in BPM.
    pulse_made(bench: PulseBench)
        The bench of another pulse is shown.
    copy_asked()
        A copy of the selected lane is wanted.
    remove_asked(recipe: KeptRecipe)
        A recipe is to be thrown away.
    """

    listen_asked = pyqtSignal(float)
    pulse_made = pyqtSignal(object)
    copy_asked = pyqtSignal()
    remove_asked = pyqtSignal(object)

    # Made when they are first wanted: all of them take a window a second.
    beat: "BeatBench"
    cues: "CueBench"
    dressing: "DressingBench"
    drop: "DropBench"
    export: "ExportBench"
    filling: "FillingBench"
    footage: "FootageBench"
    gap: "GapBench"
    item: "ItemBench"
    lanes: "LanesBench"
    new_recipe: "NewRecipeBench"
    part: "PartBench"
    recipe: "RecipeBench"
    rough_cut: "RoughCutBench"
    shot: "ShotBench"
    song: "SongBench"
    split_screen: "SplitScreenBench"
    tap: "TapBench"
    track: "TrackBench"

    def __init__(
        self,
        editor: Editor,
        jobs: Jobs,
        thumbnails: Thumbnails,
        player: ClipPlayer,
        flow_check: FlowCheck,
        desks: Desks,
    ) -> None:
        super().__init__()
        self._editor, self.flow_check, self.desks = editor, flow_check, desks
        self.setProperty("panel", True)
        self._kind = label("")
        self._name = QLabel()
        self._name.setTextFormat(Qt.TextFormat.PlainText)
        self._name.setFont(theme.words(12, weight=600))
        self.jobs, self.thumbnails, self.player = jobs, thumbnails, player
        self._pages = _Pages()
        self.nothing = NothingBench(editor)
        self._pages.add_page(self.nothing)
        self.pulse: PulseBench | None = None
        self.lane: LaneBench | None = None
        self.lost_work: LostWorkBench | None = None
        self._subjects: Mapping[type[Selection], Shown] = {}
        self._lay_out()
        editor.leaving.connect(self._pages.take_keyboard)
        editor.selection_changed.connect(self.refresh)
        editor.project_changed.connect(self.refresh)
        editor.song_changed.connect(self.refresh)

    def __getattr__(self, name: str) -> AnyPage:
        """Return a page that was not wanted before."""
        kind = _PAGES.get(name)
        if kind is None:
            raise AttributeError(name)
        module = import_module(f"epiphane.desk.bench.{kind.module}")
        page: AnyPage = getattr(module, kind.name)(self._editor, *kind.needs(self))
        kind.made(self, page)
        self._pages.add_page(page)
        setattr(self, name, page)
        return page

    def _lay_out(self) -> None:
        """Put kind and name above the pages, which scroll."""
        scroll = self._scroll = QScrollArea()
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

    def set_subjects(self, subjects: Mapping[type[Selection], Shown]) -> None:
        """Have what each kind of selection shows."""
        self._subjects = subjects
        self.refresh()

    def add_lost_work(self, recovery: RecoveryDesk) -> None:
        """Have a page for unsaved work of lost sessions."""
        from epiphane.desk.bench.lost_work import LostWorkBench

        self.lost_work = LostWorkBench(self._editor, recovery)
        self._pages.add_page(self.lost_work)
        recovery.changed.connect(self.refresh)

    def make_next_page(self) -> bool:
        """Make one of the pages that take longest, so that it is there at once; False if all are."""
        page = next((one for one in _SLOW_PAGES if one not in vars(self)), None)
        if page is None:
            return False
        made = getattr(self, page)
        made.resize(self._pages.size())
        made.grab()  # what else happens when it is first shown: styles, sizes, letters
        return True

    def open_export(self) -> None:
        """Show the export."""
        self._editor.select(ExportSelection())

    def open_film(self) -> None:
        """Show the size, the rate and the shapes of the film."""
        self._editor.select(SongSelection())
        self._scroll.ensureWidgetVisible(self.song.film)
        self.song.film.take_keyboard()

    def close_export(self) -> None:
        """Go back to the song."""
        self._editor.select(SongSelection())

    def take_keyboard(self) -> None:
        """Have keys go to the first field of what is shown."""
        fields = (one for one in self._pages.findChildren(QWidget) if one.isVisible() and one.isEnabled())
        first = next((one for one in fields if one.focusPolicy() & Qt.FocusPolicy.TabFocus), None)
        if first is not None:
            first.setFocus(Qt.FocusReason.TabFocusReason)

    def refresh(self) -> None:
        """Show what is selected as it is now, under what it is and is called."""
        subject = self._subjects.get(type(self._editor.selection))
        page = None if subject is None else subject.page()
        if subject is None or page is None:
            return
        if page.isHidden():  # another one begins at its top
            scrolled = self._scroll.verticalScrollBar()
            assert scrolled is not None
            scrolled.setValue(0)
        self._pages.show_page(page)
        for part, text in zip((self._kind, self._name), subject.title(), strict=True):
            part.setText(text)
            part.setToolTip(subject.meaning)
        page.refresh()

    def pulse_page(self) -> "PulseBench | None":
        """Return the page of the selected pulse, made anew for another one or another source."""
        from epiphane.desk.bench.song.pulse import PulseBench

        pulse = self._editor.chosen.pulse
        if pulse is None:
            return None
        if self.pulse is None or (self.pulse.pulse_id, self.pulse.kind) != (pulse.id, type(pulse.source)):
            if self.pulse is not None:
                self._pages.drop_page(self.pulse)
            self.pulse = PulseBench(self._editor, pulse)
            self._pages.add_page(self.pulse)
            self.pulse_made.emit(self.pulse)
        return self.pulse

    def lane_page(self) -> "LaneBench | None":
        """Return the page of the selected lane, made anew for another one or another effect."""
        from epiphane.desk.bench.keying.lane import LaneBench

        lane = self._editor.chosen.lane
        if lane is None:
            return None
        if self.lane is None or (self.lane.lane_id, self.lane.effect_key) != (lane.id, lane.effect):
            if self.lane is not None:
                self._pages.drop_page(self.lane)
            self.lane = LaneBench(
                self._editor, lane, self.desks.instrument, self.desks.shown, self.desks.grading
            )
            self.lane.copy_asked.connect(self.copy_asked)
            self._pages.add_page(self.lane)
        return self.lane


class _PageKind(NamedTuple):
    """How a page is made.

    Attributes
    ----------
    module, name : where its class is, and what it is called
    needs : what it is made with, after the editor
    made : what is done with it once it is there
    """

    module: str
    name: str
    needs: Callable[[BenchPanel], tuple[object, ...]] = lambda _: ()
    made: Callable[[BenchPanel, Any], object] = lambda *_: None


_PAGES = {
    "beat": _PageKind("song.beat", "BeatBench", lambda panel: (panel.desks.beats,)),
    "cues": _PageKind("keying.cue", "CueBench", lambda panel: (panel.desks.cues,)),
    "dressing": _PageKind("keying.dressing", "DressingBench", lambda panel: (panel.desks.dressing,)),
    "drop": _PageKind("song.part", "DropBench", lambda panel: (panel.desks.form,)),
    "export": _PageKind(
        "exporting.export",
        "ExportBench",
        lambda panel: (panel.jobs, panel.desks.exchange, panel.desks.exports),
        lambda panel, page: page.closed.connect(panel.close_export),
    ),
    "filling": _PageKind("shots.filling", "FillingBench"),
    "footage": _PageKind(
        "shots.footage", "FootageBench", lambda panel: (panel.desks.moments, panel.thumbnails, panel.player)
    ),
    "gap": _PageKind("shots.shot", "GapBench", lambda panel: (panel.desks.shots,)),
    "item": _PageKind("items.item", "ItemBench", lambda panel: (panel.desks.tracks, panel.desks.titles)),
    "lanes": _PageKind("keying.lanes", "LanesBench", lambda panel: (panel.desks.lanes,)),
    "new_recipe": _PageKind("keying.recipe", "NewRecipeBench", lambda panel: (panel.desks.recipes,)),
    "part": _PageKind("song.part", "PartBench", lambda panel: (panel.desks.form,)),
    "recipe": _PageKind(
        "keying.recipe",
        "RecipeBench",
        lambda panel: (panel.desks.recipes,),
        lambda panel, page: page.remove_asked.connect(panel.remove_asked),
    ),
    "rough_cut": _PageKind("rough_cut", "RoughCutBench", lambda panel: (panel.desks.rough_cut,)),
    "shot": _PageKind(
        "shots.shot",
        "ShotBench",
        lambda panel: (panel.desks,),
        lambda panel, page: panel.flow_check.told.connect(page.speed.show_remark),
    ),
    "song": _PageKind(
        "song.song",
        "SongBench",
        lambda panel: (panel.desks.shapes, panel.desks.form),
        lambda panel, page: page.listen_asked.connect(panel.listen_asked),
    ),
    "split_screen": _PageKind(
        "shots.split_screen", "SplitScreenBench", lambda panel: (panel.desks.shots, panel.desks.panels)
    ),
    "tap": _PageKind("song.tap", "TapBench", lambda panel: (panel.desks.pulses,)),
    "track": _PageKind("items.track", "TrackBench", lambda panel: (panel.desks.tracks,)),
}


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
