"""The picture seen large: in the whole window, on the full screen, in a window of its own, zoomed.

What plays is drawn no larger than proxies are; where it rests and is seen larger than that, the frame under
the playhead is drawn once more from the footage itself.
"""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QCloseEvent, QGuiApplication
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.desk.picture.view import PictureView
from epiphane.media.mattes import made_mattes
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size
from epiphane.wording import tr

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

_REST_MILLISECONDS = 120
_MOST_SHARP = 1920
_STAVE_ROOM = 34
_SHARP_OPEN, _SHARP_BYTES = 4, 96 << 20


class LargePicture(QObject):
    """Makes the picture of a window large, and small again."""

    def __init__(self, window: "Window") -> None:
        super().__init__(window)
        self._window = window
        self._is_large = False
        self._second: PictureWindow | None = None
        self._zoom: float | None = None
        self._has_guides = False
        self._footage = OpenFootage(most_open=_SHARP_OPEN, most_bytes=_SHARP_BYTES)
        self._skimmer = Skimmer(self._footage)
        self._skimmer.drawn.connect(self._on_sharp)
        self._sharpening = debounced(self, _REST_MILLISECONDS, self._ask_sharp)
        window.playback.shown.connect(self._on_shown)
        window.clip_player.shown.connect(self._on_guest)
        window.editor.project_changed.connect(self._on_project)

    @property
    def is_large(self) -> bool:
        """Whether the picture takes the whole window."""
        return self._is_large

    @property
    def second(self) -> "PictureWindow | None":
        """The window of its own, or the full screen, if one is open."""
        return self._second

    @property
    def views(self) -> list[PictureView]:
        """Every view of the picture."""
        return [self._window.picture, *([self._second.view] if self._second is not None else [])]

    def toggle(self) -> None:
        """Have the picture, and below it the stave under the playhead, fill the window, or no longer."""
        self._is_large = not self._is_large
        self._window.lay_large(self._is_large, _STAVE_ROOM)
        self._window.picture.set_free(self._is_large)

    def toggle_full_screen(self) -> None:
        """Have the picture alone on the full screen, or no longer."""
        was_full = self._second is not None and self._second.isFullScreen()
        self.close_second()
        screen = self._window.screen()
        if not was_full and screen is not None:
            second = self._open()
            second.setGeometry(screen.geometry())
            second.showFullScreen()

    def toggle_window(self) -> None:
        """Have the picture in a window of its own, on the second screen where there is one, or no longer."""
        was_own = self._second is not None and not self._second.isFullScreen()
        self.close_second()
        if was_own:
            return
        second = self._open()
        others = [screen for screen in QGuiApplication.screens() if screen is not self._window.screen()]
        if others:
            second.setGeometry(others[0].availableGeometry())
        second.show()

    def close_second(self) -> bool:
        """Close the window of its own, or the full screen; False where there is none."""
        second, self._second = self._second, None
        if second is None:
            return False
        second.close()
        second.deleteLater()
        return True

    def zoom(self, zoom: float | None) -> None:
        """Show a pixel of the project as so many of the screen; None shows as much as fits."""
        self._zoom = zoom
        for view in self.views:
            view.set_zoom(zoom)
        self._sharpening.start()

    def toggle_guides(self) -> None:
        """Show safe areas and the centre over the picture, or no longer."""
        self._has_guides = not self._has_guides
        for view in self.views:
            view.set_guides(self._has_guides)

    def shut_down(self) -> None:
        """Stop drawing, and close what is open."""
        self.close_second()
        self._sharpening.stop()
        self._skimmer.close()
        self._footage.close()

    def _open(self) -> "PictureWindow":
        self._second = second = PictureWindow(self._window.actions_by_id.values())
        second.view.set_shape(self._shape)
        second.view.set_zoom(self._zoom)
        second.view.set_guides(self._has_guides)
        second.view.show_picture(self._window.frames.picture(self._window.editor.playhead))
        second.view.resized.connect(self._sharpening.start)
        second.closed.connect(self._on_closed)
        return second

    @property
    def _shape(self) -> Size:
        project = self._window.editor.project
        return project.width, project.height

    def _on_closed(self) -> None:
        self._second = None

    def _on_project(self) -> None:
        if self._second is not None:
            self._second.view.set_shape(self._shape)

    def _on_shown(self, picture: Picture, _frame: int) -> None:
        if self._second is not None:
            self._second.view.show_picture(picture)
        if not self._window.playback.is_playing:
            self._sharpening.start()

    def _on_guest(self, picture: Picture | None, words: str) -> None:
        if self._second is not None:
            self._second.view.show_guest(picture, words)

    def _ask_sharp(self) -> None:
        """Draw the frame under the playhead as large as it is seen, unless it is already."""
        window = self._window
        project, frame = window.editor.project, window.editor.playhead
        seen = max(view.device_pixels()[0] for view in self.views)
        width = min(seen, project.width, _MOST_SHARP)
        if window.playback.is_playing or not project.n_frames or width <= window.frames.size[0]:
            return
        size = width // 2 * 2, max(2, round(width * project.height / project.width / 2) * 2)
        plan = plan_frame(project, window.editor.cues, frame, made_mattes(project))
        self._skimmer.ask_plan(frame, 0.0, plan, size)

    def _on_sharp(self, drawn: Skimmed) -> None:
        if drawn.key == self._window.editor.playhead and not self._window.playback.is_playing:
            for view in self.views:
                view.show_picture(drawn.picture)


class PictureWindow(QWidget):
    """A window of the picture alone; the keys of the other one work in it.

    Signals
    -------
    closed()
    """

    closed = pyqtSignal()

    def __init__(self, actions: Iterable[QAction]) -> None:
        super().__init__()
        self.setWindowTitle(tr("Epiphane: picture"))
        self.resize(960, 540)
        self.view = PictureView()
        self.view.set_free(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.view)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.addActions(list(actions))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.closed.emit()
        super().closeEvent(event)
