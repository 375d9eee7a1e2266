"""Both frames of a cut beside each other on the picture, while it is dragged."""

import cv2
import numpy as np
from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.desk.picture.view import PictureView
from epiphane.media.mattes import made_mattes
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Size
from epiphane.wording import tr

_WIDTH = 640
_GAP = 6
_GREY = 27


class TrimFrames(QObject):
    """Shows the last frame before a cut and the first one after it.

    Parameters
    ----------
    editor : Editor
    view : PictureView
    footage : OpenFootage
        That of previews: proxies are quick to seek in.
    """

    def __init__(self, editor: Editor, view: PictureView, footage: OpenFootage) -> None:
        super().__init__(view)
        self._editor = editor
        self._view = view
        self._skimmers = [Skimmer(footage), Skimmer(footage)]
        self._pair: tuple[int, int] | None = None
        self._pictures: list[Picture | None] = [None, None]
        for skimmer in self._skimmers:
            skimmer.drawn.connect(self._on_drawn)

    def show(self, pair: tuple[int, int] | None) -> None:
        """Show two frames of the project as it is now; None shows the picture again."""
        was_shown, self._pair = self._pair is not None, pair
        if pair is None and not was_shown:
            return
        if pair is None:
            self._pictures = [None, None]
            self._view.show_guest(None, "")
            return
        project = self._editor.project
        size = _WIDTH, max(2, round(_WIDTH * project.height / project.width / 2) * 2)
        for side, (skimmer, frame) in enumerate(zip(self._skimmers, pair, strict=True)):
            plan = plan_frame(project, self._editor.cues, frame, made_mattes(project))
            skimmer.ask_plan(side, float(frame), plan, size)

    def close(self) -> None:
        """Stop drawing."""
        for skimmer in self._skimmers:
            skimmer.close()

    def _on_drawn(self, drawn: Skimmed) -> None:
        if self._pair is None or not isinstance(drawn.key, int):
            return
        self._pictures[drawn.key] = drawn.picture
        before, after = self._pictures
        if before is not None and after is not None and before.shape == after.shape:
            first, second = self._pair
            self._view.show_guest(
                _beside(before, after), tr("frame {first}", first=first), tr("frame {second}", second=second)
            )


def _beside(before: Picture, after: Picture) -> Picture:
    """Return two pictures beside each other, in a picture of the shape of one of them."""
    height, width = before.shape[:2]
    half: Size = (width - _GAP) // 2, max(1, (width - _GAP) // 2 * height // width)
    made = np.full((height, width, 3), _GREY, np.uint8)
    top = (height - half[1]) // 2
    for left, picture in ((0, before), (width - half[0], after)):
        made[top : top + half[1], left : left + half[0]] = cv2.resize(
            picture, half, interpolation=cv2.INTER_AREA
        )
    return made
