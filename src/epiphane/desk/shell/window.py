"""The window: it lays the panels out and connects them; it alone knows everybody."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QSize, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QContextMenuEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFrame,
    QMainWindow,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from epiphane.desk.bench.panel import BenchPanel
from epiphane.desk.control.beats import BeatDesk
from epiphane.desk.control.clip_player import ClipPlayer
from epiphane.desk.control.cues import CueDesk
from epiphane.desk.control.desks import Desks
from epiphane.desk.control.dressing import DressingDesk
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.exchange import ExchangeDesk
from epiphane.desk.control.exports import ExportDesk
from epiphane.desk.control.favourites import Favourites
from epiphane.desk.control.files import Files
from epiphane.desk.control.flow_check import FlowCheck
from epiphane.desk.control.footage import FOOTAGE_TOPIC, FootageDesk
from epiphane.desk.control.form import FormDesk
from epiphane.desk.control.frame_shapes import ShapeDesk
from epiphane.desk.control.grading import GradeDesk
from epiphane.desk.control.instrument import Instrument
from epiphane.desk.control.lanes import LaneDesk, Target
from epiphane.desk.control.mattes import MatteDesk
from epiphane.desk.control.moments import MomentDesk
from epiphane.desk.control.overlays import OverlayDesk
from epiphane.desk.control.panels import PanelDesk
from epiphane.desk.control.playback import Playback
from epiphane.desk.control.pulses import PulseDesk
from epiphane.desk.control.recipes import RecipeDesk
from epiphane.desk.control.recovery import RecoveryDesk
from epiphane.desk.control.rough_cut import RoughCutDesk
from epiphane.desk.control.selection import ExportSelection
from epiphane.desk.control.shot_sounds import ShotSounds
from epiphane.desk.control.shot_time import ShotTimeDesk
from epiphane.desk.control.shots import ShotDesk
from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.control.titles import TitleDesk
from epiphane.desk.control.tracks import TrackDesk
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.frames import FrameServer
from epiphane.desk.engine.jobs import EXPORT_TOPIC, Jobs
from epiphane.desk.engine.memory import MemoryKeeper
from epiphane.desk.engine.skimming import Skimmer
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.picture.centre import CentreHandle
from epiphane.desk.picture.comparing import Comparison
from epiphane.desk.picture.framing import FramingHandles
from epiphane.desk.picture.lane_meters import LaneMetersArea
from epiphane.desk.picture.matte_handles import MatteHandles
from epiphane.desk.picture.panel_handles import PanelHandles
from epiphane.desk.picture.picking import ColourPicking
from epiphane.desk.picture.scopes import ScopeStrip
from epiphane.desk.picture.trim_frames import TrimFrames
from epiphane.desk.picture.typing import TypingOnPicture
from epiphane.desk.picture.view import PictureView
from epiphane.desk.score.buffered import Preparedness
from epiphane.desk.score.list_view import ScoreList
from epiphane.desk.score.view import ScoreView
from epiphane.desk.shelf.effects import EffectPage
from epiphane.desk.shelf.footage import FootagePage
from epiphane.desk.shelf.overlays import OverlayPage
from epiphane.desk.shelf.panel import ShelfPage, ShelfPanel
from epiphane.desk.shelf.recipes import RecipePage
from epiphane.desk.shelf.transitions import TransitionPage
from epiphane.desk.shell.actions import make_actions
from epiphane.desk.shell.commands import Commands
from epiphane.desk.shell.finder import Finder
from epiphane.desk.shell.ground import Ground
from epiphane.desk.shell.header import Header
from epiphane.desk.shell.keys import KeyList
from epiphane.desk.shell.large import LargePicture
from epiphane.desk.shell.menus import BEGINNING, MENUS, able, laying_choices, menu_of
from epiphane.desk.shell.notices import JobStrip, LeftOutStrip, NoticeStrip
from epiphane.desk.shell.subjects import subjects_of
from epiphane.desk.shell.welcome import Welcome
from epiphane.files.recipes import KeptRecipe, RecipeBook
from epiphane.files.trust import TrustedFolders
from epiphane.media.look_files import LOOK_SUFFIXES
from epiphane.media.proxy import ProxyStore
from epiphane.timing import clock_text, frame_start, rate_text
from epiphane.wording import tr

if TYPE_CHECKING:
    from epiphane.desk.bench.song.pulse import PulseBench

_LEFT_WIDTH, _LEAST_LEFT = 448, 410
_SIZE, _LEAST_SIZE, _LARGEST = QSize(1280, 800), QSize(1160, 640), QSize(1920, 1200)
_SHARE_OF_SCREEN = 0.85
_LEFT_STRETCH, _RIGHT_STRETCH = 2, 3
"""What the picture and the score get of a wider window."""
_PREVIEW_WIDTHS = (320, 480, 640, 960, 1280, 1920)
_MOST_PREVIEW = 960
_NO_LIMIT = 16_777_215
_IDLE_MILLISECONDS = 1500
_SHELF_HEIGHT, _TALL_SHELF = 152, 0.62
"""Of the shelf: in pixels, and in shares of what it has together with the score."""


class Window(QMainWindow):
    """Epiphane's only window."""

    def __init__(self, *, journal_folder: Path, proxies: ProxyStore | None = None) -> None:
        super().__init__()
        self.setWindowTitle(tr("Epiphane"))
        self.resize(_SIZE)
        self.setMinimumSize(_LEAST_SIZE)
        self.setAcceptDrops(True)
        self.editor = Editor(journal_folder=journal_folder)
        self.jobs = Jobs()
        self.proxies = proxies or ProxyStore()
        self.frames = FrameServer(self.proxies)
        self.frames.show(self.editor.project, self.editor.cues)
        self.thumbnails = Thumbnails(self.proxies, is_urgent=lambda: self.frames.is_behind)
        self.skimmer = Skimmer(self.frames.footage)
        self.playback = Playback(self.editor, self.frames)
        self.files = Files(self.editor, self.jobs, self, TrustedFolders(journal_folder))
        self.recovery = RecoveryDesk(self.editor, self.files)
        self._make_exports()
        self._make_keying()
        self._make_cutting()
        self.footage = FootageDesk(self.editor, self.jobs, self.proxies, self)
        self.shot_sounds = ShotSounds(self.editor, self.jobs, self.playback)
        self.flow_check = FlowCheck(self.editor, self.jobs)
        self.clip_player = ClipPlayer(self.editor, self.skimmer, self.jobs, self.playback)
        self.moments = MomentDesk(self.editor, self.clip_player)
        self._make_score()
        self._make_picture()
        self._make_recipes(RecipeBook(journal_folder / "recipes"))
        self.bench = self._made_bench()
        self.bench.add_lost_work(self.recovery)
        self.shelf = self._made_shelf()
        self.subjects = subjects_of(self)
        self.bench.set_subjects(self.subjects)
        self.large = LargePicture(self)
        self.finder = Finder(self)
        self.actions_by_id = make_actions(self, Commands(self, self.subjects).table())
        self.welcome = Welcome(self.actions_by_id)
        self.welcome.opened.connect(self.files.leave_for)
        self.header = Header(self.editor, self.playback, self.score, self.actions_by_id)
        self.finder.use_field(self.header.find_field)
        self.notice = NoticeStrip()
        self.recovery_offer = NoticeStrip(tr("Unsaved work"))  # of its own: it stays until it is answered
        self.left_out = LeftOutStrip()
        self.job_strip = JobStrip(self.jobs, self.exports)
        self._stack = QStackedWidget()
        self._lay_out()
        self.key_list = KeyList(self)
        self.memory = MemoryKeeper(self)
        self._connect()
        self._on_project()
        self._making.start()
        self.take_keyboard()

    def _make_keying(self) -> None:
        self.beats = BeatDesk(self.editor, self.playback, self.jobs)
        self.pulses = PulseDesk(self.editor, self.playback, self.jobs)
        self.lanes, self.instrument = LaneDesk(self.editor), Instrument(self.editor, self.playback)
        self.cues, self.form = CueDesk(self.editor), FormDesk(self.editor)

    def _make_cutting(self) -> None:
        self.snapping = Snapping(self.editor)
        self.tracks = TrackDesk(self.editor, self.snapping, self.jobs)
        self.titles = TitleDesk(self.editor, self.snapping, self.jobs)
        self.mattes = MatteDesk(self.editor, self.jobs)
        self.overlays = OverlayDesk(self.editor, self.jobs, self.titles)
        self.panels = PanelDesk(self.editor, self.snapping)
        self.shots = ShotDesk(self.editor, self.snapping, self.tracks, self.files.open_song)
        self.times = ShotTimeDesk(self.editor, self.snapping)
        self.shapes = ShapeDesk(self.editor, self.jobs, self.proxies)

    def _make_score(self) -> None:
        self.score = ScoreView(self.editor, self.thumbnails, self.snapping)
        self.score_list = ScoreList(self.editor)

    def _make_picture(self) -> None:
        self.picture = PictureView()
        self.shown = ShownPicture(self.playback, self)
        self.preparedness = Preparedness(self.frames, self)
        self.centre = CentreHandle(self.editor, self.picture)
        self.matte_handles = MatteHandles(self.editor, self.picture, self.mattes, self.frames.footage)
        self.framing = FramingHandles(self.editor, self.picture)
        self.typing = TypingOnPicture(self.editor, self.picture, self.titles)
        self.framing.gives_way = lambda: self.typing.is_typing or self.mattes.is_marking
        self.panel_handles = PanelHandles(self.editor, self.picture, self.panels)
        self.lamps = LaneMetersArea(self.editor)
        self.scopes = ScopeStrip(self.shown)
        self.scopes.stripes_wanted.connect(self.picture.set_stripes)
        self.picture.pointed.connect(self.scopes.tell_values)
        self.comparison = Comparison(
            self.editor, self.playback, self.shown, self.picture, self.frames.footage
        )
        self.grading = GradeDesk(self.editor, self.shown, self.frames.footage, self.jobs)
        self.picking = ColourPicking(self.grading, self.picture)
        self.trim_frames = TrimFrames(self.editor, self.picture, self.frames.footage)

    def _make_exports(self) -> None:
        """Make the desks of what leaves the program."""
        self.exchange = ExchangeDesk(self.editor, self.jobs, self, self.files.trusted)
        self.exports = ExportDesk(self.editor)

    def _make_recipes(self, book: RecipeBook) -> None:
        """Make the desks of recipes, and of what is made with them in one step."""
        self.recipes = RecipeDesk(self.editor, book, self)
        self.dressing = DressingDesk(self.editor, self.recipes)
        self.rough_cut = RoughCutDesk(self.editor, self.files, self.playback, self.recipes)

    def _made_bench(self) -> BenchPanel:
        desks = Desks(
            self.cues,
            self.form,
            self.beats,
            self.pulses,
            self.moments,
            self.recipes,
            self.lanes,
            self.shots,
            self.times,
            self.snapping,
            self.shapes,
            self.tracks,
            self.dressing,
            self.instrument,
            self.panels,
            self.titles,
            self.mattes,
            self.rough_cut,
            self.shown,
            self.grading,
            self.exchange,
            self.exports,
        )
        return BenchPanel(self.editor, self.jobs, self.thumbnails, self.clip_player, self.flow_check, desks)

    def _made_shelf(self) -> ShelfPanel:
        self.effect_mover = Skimmer(self.frames.footage)
        page = FootagePage(self.editor, self.thumbnails, self.footage, self.skimmer, self.clip_player)
        self.favourites = Favourites()
        movers = self.editor, self.thumbnails, self.frames, self.effect_mover, self.favourites
        effects = EffectPage(*movers)
        recipes = RecipePage(self.editor, self.recipes, self.thumbnails, self.effect_mover)
        transitions = TransitionPage(*movers)
        overlays = OverlayPage(self.editor, self.thumbnails, self.effect_mover)
        return ShelfPanel(self.editor, page, effects, transitions, overlays, recipes)

    def fit_on(self, room: QSize) -> None:
        """Take most of a screen's room, and never more than there is: at 150 % that may be little."""
        self.setMinimumSize(_LEAST_SIZE.boundedTo(room))
        wanted = QSize(round(room.width() * _SHARE_OF_SCREEN), round(room.height() * _SHARE_OF_SCREEN))
        self.resize(wanted.expandedTo(_SIZE).boundedTo(_LARGEST).boundedTo(room))

    def _lay_out(self) -> None:
        left = QFrame()
        left.setProperty("panel", True)
        left.setMinimumWidth(_LEAST_LEFT)
        left_box = QVBoxLayout(left)
        left_box.setContentsMargins(0, 0, 0, 0)
        left_box.setSpacing(0)
        self._left_box = left_box
        left_box.addWidget(self.picture)
        left_box.addWidget(self.scopes)
        left_box.addWidget(self.lamps)
        left_box.addWidget(_rule())
        left_box.addWidget(self.bench, 1)
        self._right = QSplitter(Qt.Orientation.Vertical)
        self._stack.addWidget(self.welcome)
        self._stack.addWidget(self.score)
        self._stack.addWidget(self.score_list)
        self._right.addWidget(self._stack)
        self._right.addWidget(self.shelf)
        self._right.setStretchFactor(0, 1)
        self._right.setCollapsible(0, False)
        self._right.setCollapsible(1, False)
        self._right.setSizes([590, _SHELF_HEIGHT])
        self._right.setHandleWidth(1)
        across = QSplitter(Qt.Orientation.Horizontal)
        across.addWidget(left)
        across.addWidget(self._right)
        across.setStretchFactor(0, _LEFT_STRETCH)
        across.setStretchFactor(1, _RIGHT_STRETCH)
        across.setSizes([_LEFT_WIDTH, 1280 - _LEFT_WIDTH])
        across.setHandleWidth(1)
        across.setCollapsible(0, False)
        across.setCollapsible(1, False)
        self._across = across
        whole = Ground(
            (self.notice, self.recovery_offer, self.left_out), self.job_strip, self.jobs, self.exports
        )
        box = QVBoxLayout(whole)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for widget in (self.header, _rule()):
            box.addWidget(widget)
        box.addWidget(across, 1)
        self._ground_box = box
        box.addWidget(_rule())
        box.addWidget(self.job_strip)
        self.setCentralWidget(whole)

    def lay_large(self, is_large: bool, stave_room: int) -> None:
        """Have the picture and a slim stave under the playhead take the place of all panels, or no longer.

        `stave_room` is what a stave has beside its own height, in pixels.
        """
        if is_large:
            self._show_list(False)
        self._across.setHidden(is_large)
        self.score.set_slim(is_large)
        if is_large:
            self._ground_box.insertWidget(2, self.picture, 1)
            self._ground_box.insertWidget(3, self.scopes)
            self._ground_box.insertWidget(4, self._stack)
            stave = self.score.layout_now().staves[0]
            self._stack.setFixedHeight(round(stave.height) + stave_room)
        else:
            self._stack.setMinimumHeight(0)
            self._stack.setMaximumHeight(_NO_LIMIT)
            self._left_box.insertWidget(0, self.picture)
            self._left_box.insertWidget(1, self.scopes)
            self._right.insertWidget(0, self._stack)
            self._right.setStretchFactor(0, 1)
        self._stack.show()
        self.score.setFocus()
        QTimer.singleShot(0, self.score.reveal_playhead)

    def _connect(self) -> None:
        self._making = debounced(self, _IDLE_MILLISECONDS, self._make_next_page)
        for acted in (self.editor.project_changed, self.editor.selection_changed):
            acted.connect(self._wait_to_make)
        self.editor.project_changed.connect(self._on_project)
        self.editor.file_changed.connect(self._on_file)
        self.editor.opened.connect(self._on_opened)
        self.editor.selection_changed.connect(self._on_selection)
        self.editor.said.connect(self.notice.say)
        self.jobs.failed.connect(lambda text: self.notice.say(text, True))
        self.shot_sounds.peak_changed.connect(self.header.meter.show_peak)
        self.frames.fault.connect(self._on_picture_fault)
        self.preparedness.changed.connect(self.score.show_prepared)
        self.playback.shown.connect(lambda picture, _frame: self.picture.show_picture(picture))
        self.picture.resized.connect(self._fit_preview)
        self.clip_player.shown.connect(self.picture.show_guest)
        self.playback.state_changed.connect(self._on_playing)
        self.score.loop_drawn.connect(lambda first, end: self.playback.set_loop((first, end)))
        self.clip_player.moved.connect(self._on_playing)
        self.footage.proxy_made.connect(self._on_proxy)
        self.files.missing_found.connect(self._offer_search)
        self.files.shape_taken.connect(
            lambda text: self.notice.offer(text, tr("Choose another"), self.bench.open_film)
        )
        self.header.shape_asked.connect(self.bench.open_film)
        self.footage.missing_changed.connect(self.frames.footage.forget_faults)
        page = self.shelf.footage
        page.tiles.itemSelectionChanged.connect(self._on_chosen)
        self.score.footage_dropped.connect(self.shots.lay)
        self.score.trimming.connect(self.trim_frames.show)
        self.score.effect_dropped.connect(self.lanes.add)
        self.score.overlay_dropped.connect(self.overlays.put)
        self.score.footage_fired.connect(self.overlays.fire)
        self.score.hit_taken.connect(self.cues.take)
        self.score.scrolled.connect(self.frames.be_patient)
        self.score.held.connect(self._on_held)
        self.score_list.entered.connect(self.bench.take_keyboard)
        self._connect_shelf()
        self.score.recipe_dropped.connect(self.recipes.use)
        self.bench.listen_asked.connect(self._listen_again)
        self.bench.pulse_made.connect(self._on_pulse_bench)
        self.bench.copy_asked.connect(self.lanes.copy)
        self.bench.remove_asked.connect(self._remove_recipe)
        self.recovery.offered.connect(self._offer_recovery)
        self.recovery.changed.connect(self._on_lost_work)
        self.files.left_out.connect(self.left_out.add)
        self.files.recipes_given.connect(lambda paths: [self.recipes.bring_in(path) for path in paths])
        self.files.captions_given.connect(self.titles.take_captions)
        self.files.exchange_given.connect(self.exchange.take)
        self.mattes.changed.connect(self.playback.show_anew)
        self.titles.captions_put.connect(
            lambda text, snap: self.notice.offer(text, tr("Bring them on hits"), snap)
        )
        self.recipes.read()

    def _connect_shelf(self) -> None:
        self.shelf.overlays_taken.connect(
            lambda keys: self.overlays.put(keys[0], self.lanes.usual_target(), None)
        )
        self.shelf.footage_taken.connect(self.shots.take)
        self.lanes.laid.connect(self.favourites.use)
        self.shelf.effects_taken.connect(lambda keys: self.lanes.add(keys[0]))
        self.shelf.recipes.taken.connect(lambda paths: self.recipes.use(paths[0]))
        self.shelf.recipes.removed.connect(self.remove_recipes)
        self.shelf.recipe_begun.connect(self.recipes.begin)
        self.shelf.recipe_wanted.connect(self.recipes.ask_import)
        self.shelf.add_footage.connect(self.files.ask_footage)
        self.shelf.add_song.connect(self.files.ask_song)
        self.shelf.pulse_made.connect(self.pulses.make)
        self.shelf.menu_asked.connect(self._offer_laying)
        self.shelf.grow_asked.connect(self.grow_shelf)

    def _on_opened(self) -> None:
        """Let go of what is at work for the project that was open: its result has no place in this one.

        What is found out about footage goes on, for it is told by its content.
        """
        self.jobs.drop(lambda topic: topic != FOOTAGE_TOPIC)
        self._making.start()

    # What the user asks for

    def _listen_again(self, tempo: float) -> None:
        """Listen once more to the loop, or else to the stave under the playhead."""
        self.beats.listen_again(self.playback.loop or self.score.stave_frames(), tempo)

    def remove_recipes(self, paths: list[str]) -> None:
        """Throw recipes away, and offer to have them back: no undo of the project reaches them."""
        for path in paths:
            kept = self.recipes.find(path)
            if kept is not None:
                self._remove_recipe(kept)

    def _remove_recipe(self, kept: KeptRecipe) -> None:
        if self.recipes.remove(kept):
            self.notice.offer(
                tr("{name} is deleted.", name=kept.recipe.name),
                tr("Undo"),
                lambda: self.recipes.put_back(kept),
            )

    def _offer_laying(self, key: str, at: QPoint) -> None:
        """Offer where an effect, a transition, an overlay or a recipe of the shelf can be laid."""
        page, editor = self.shelf.page, self.editor
        lay: dict[ShelfPage, Callable[[Target | None], object]] = {
            ShelfPage.EFFECTS: lambda target: self.lanes.add(key, target),
            ShelfPage.TRANSITIONS: lambda target: self.lanes.add(key, target),
            ShelfPage.OVERLAYS: lambda target: self.overlays.put(
                key, target or self.lanes.usual_target(), None
            ),
            ShelfPage.RECIPES: lambda target: self.recipes.use(key, target),
        }
        seconds = float(frame_start(editor.playhead, editor.project.rate))
        menu = menu_of([], self)
        for text, target in laying_choices(editor.project, page is ShelfPage.TRANSITIONS, seconds):
            menu.addAction(theme.plain(text), lambda target=target: lay[page](target))
        if page in (ShelfPage.EFFECTS, ShelfPage.TRANSITIONS):
            menu.addSeparator()
            is_kept = key in self.favourites.kept
            text = tr("No favourite any more") if is_kept else tr("Keep among favourites")
            menu.addAction(f"{text}\t*", lambda: self.favourites.toggle(key))
        if page is ShelfPage.RECIPES:
            menu.addSeparator()
            menu.addAction(tr("Delete the recipe"), lambda: self.remove_recipes([key]))
        menu.popup(at)

    def grow_shelf(self) -> None:
        """Give the shelf most of the height it has with the score, or as little as usual again."""
        whole = sum(self._right.sizes())
        is_tall = self.shelf.height() > 1.5 * _SHELF_HEIGHT
        height = _SHELF_HEIGHT if is_tall else round(whole * _TALL_SHELF)
        self.shelf.fold(False)
        self._right.setSizes([whole - height, height])

    def toggle_list(self) -> None:
        """Have the score read as a list, or drawn again."""
        self._show_list(self._stack.currentWidget() is self.score)
        self.take_keyboard()

    def _show_list(self, is_list: bool) -> None:
        if self._stack.currentWidget() is not self.welcome:
            self._stack.setCurrentWidget(self.score_list if is_list else self.score)
        self.actions_by_id["score_list"].setChecked(self._stack.currentWidget() is self.score_list)

    def take_keyboard(self) -> None:
        """Have keys go to the score, or the welcome page."""
        page = self._stack.currentWidget()
        if page is not None:
            page.setFocus()

    def _on_chosen(self) -> None:
        chosen = tuple(self.shelf.footage.chosen())
        self.bench.filling.use_chosen(chosen)
        self.shots.remember(chosen)

    def _on_playing(self) -> None:
        is_playing = self.playback.is_playing or self.clip_player.is_playing
        self.score.show_loop(self.playback.loop)
        if self.playback.is_playing:
            self.picture.show_guest(None, "")
        self.footage.rest(is_playing)
        self.preparedness.rest(is_playing)

    def _wait_to_make(self) -> None:
        """Make no page of the bench right after something was done: more may be done at once."""
        if self._making.isActive():
            self._making.start()

    def _make_next_page(self) -> None:
        """Make pages of the bench while nothing is done."""
        is_at_rest = not self.playback.is_playing and not QApplication.mouseButtons()
        if not is_at_rest or self.bench.make_next_page():
            self._making.start()

    def _on_held(self, is_held: bool) -> None:
        """Have what prepares footage wait while something is dragged."""
        self.footage.rest(is_held or self.playback.is_playing or self.clip_player.is_playing)

    def _on_proxy(self, fingerprint: str) -> None:
        self.frames.footage.forget(fingerprint)
        self.thumbnails.forget(fingerprint)

    def _on_picture_fault(self, path: str, text: str) -> None:
        """Tell a fault, unless its file is known to be missing, or has been found elsewhere since."""
        footage = self.editor.project.footage
        is_there = any(one.path == path and one.id not in self.footage.missing for one in footage)
        if is_there or not path:
            self.notice.say(text, True)

    def _offer_search(self, text: str) -> None:
        self.footage.look_for_missing()
        if self.footage.missing:
            self.notice.offer(text, tr("Look in a folder…"), self.footage.ask_missing)
        else:
            self.notice.say(text, True)

    def _on_pulse_bench(self, bench: "PulseBench") -> None:
        bench.tap_asked.connect(self.pulses.start_tapping)
        bench.snap_asked.connect(self.pulses.snap)
        bench.delay_asked.connect(self.pulses.measure_delay)
        self.pulses.delay_measured.connect(bench.delay_note.setText)

    # Staying current

    def _on_project(self) -> None:
        project = self.editor.project
        has_work = project.song is not None or bool(project.footage)
        if (self._stack.currentWidget() is self.welcome) is has_work:
            self._stack.setCurrentWidget(self.score if has_work else self.welcome)
            self.actions_by_id["score_list"].setChecked(False)
            self.take_keyboard()
        self.shelf.setVisible(has_work)
        self.picture.set_shape((project.width, project.height))
        shape = tr(
            "{width} × {height} · {rate} fps",
            width=project.width,
            height=project.height,
            rate=rate_text(project.rate),
        )
        length = tr(
            "{time} · {n_frames} frames",
            time=clock_text(float(project.n_frames / project.rate)),
            n_frames=project.n_frames,
        )
        self.job_strip.set_idle_text(f"{shape} · {length}" if has_work else "")
        if project.n_frames == 0:
            self.picture.show_picture(None)
        self._fit_preview()
        self._on_file()

    def _on_selection(self) -> None:
        is_shown_on_bench = isinstance(self.editor.selection, ExportSelection)
        self.job_strip.leave_out(EXPORT_TOPIC if is_shown_on_bench else "")

    def _on_file(self) -> None:
        history = self.editor.history
        for key, label, verb in (
            ("undo", history.undo_label, tr("Undo")),
            ("redo", history.redo_label, tr("Redo")),
        ):
            action = self.actions_by_id[key]
            action.setEnabled(label is not None)
            keys = action.shortcut().toString()
            action.setToolTip(theme.plain(f"{verb} {label} ({keys})" if label else f"{verb} ({keys})"))
        self.setWindowTitle(
            tr(
                "{title}{is_changed} · Epiphane",
                title=self.editor.title,
                is_changed="*" * self.editor.is_changed,
            )
        )

    def _fit_preview(self) -> None:
        """Draw pictures no larger than they are seen, in a few sizes so that the cache holds."""
        project = self.editor.project
        seen = self.picture.device_pixels()[0]
        most = min(project.width, _MOST_PREVIEW)
        width = next((w for w in _PREVIEW_WIDTHS if w >= seen * 0.9), most)
        width = min(width, most)
        height = max(2, round(width * project.height / project.width / 2) * 2)
        self.clip_player.size = (width, height)
        if self.frames.size != (width, height):
            self.frames.set_size((width, height))
            self.playback.refresh()

    def _offer_recovery(self, text: str, action: str) -> None:
        self.recovery_offer.offer(text, action, self.recovery.act)

    def _on_lost_work(self) -> None:
        """Offer no longer what is not there any more."""
        self.recovery_offer.hide()
        self.welcome.show_lost_work(len(self.recovery.works))

    # Qt's events

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Press the button that has the keyboard with Enter: Space plays wherever one is."""
        button = self.focusWidget()
        is_enter = event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if is_enter and isinstance(button, QPushButton) and button.menu() is not None:
            button.showMenu()
        elif is_enter and isinstance(button, QAbstractButton):
            button.click()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = None if event is None else event.mimeData()
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = None if event is None else event.mimeData()
        if event is None or data is None:
            return
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        event.acceptProposedAction()
        if paths:  # after the drop has ended, for it may ask something
            QTimer.singleShot(0, lambda: self._take_dropped(paths))

    def _take_dropped(self, paths: list[Path]) -> None:
        looks = [path for path in paths if path.suffix.lower() in LOOK_SUFFIXES]
        for look in looks:
            self.lanes.add_look(look)
        if len(paths) > len(looks):
            self.files.gather([path for path in paths if path not in looks])

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.picture.updateGeometry()  # an upright one is as tall as the window lets it be
        if self.key_list.isVisible():
            self.key_list.setGeometry(self.rect())
        if self.finder.isVisible():
            self.finder.place()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what can be done with what is selected."""
        if event is not None:
            project = self.editor.project
            is_empty = project.song is None and not project.footage
            offered = BEGINNING if is_empty else MENUS[type(self.editor.selection)]
            menu_of(able(offered, self.actions_by_id), self).popup(event.globalPos())

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not (self.files.may_leave() and self.exports.may_leave(self)):
            event.ignore()
            return
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """Stop everything that runs."""
        self._making.stop()
        self.exports.close()
        self.pulses.close()
        self.instrument.close()
        self.flow_check.close()
        self.shot_sounds.close()
        self.clip_player.close()
        self.playback.close()
        self.footage.rest(False)
        self.jobs.close()
        self.frames.close()  # stops the footage that the next three read
        self.skimmer.close()
        self.effect_mover.close()
        self.trim_frames.close()
        self.large.shut_down()
        self.comparison.close()
        self.grading.close()
        self.thumbnails.close()
        self.editor.close()


def _rule() -> QWidget:
    """Return a thin line across."""
    line = QWidget()
    line.setStyleSheet(f"background: {theme.RULE.name()}")
    line.setFixedHeight(1)
    return line
