"""The looks that are shipped, each on the picture under the playhead."""

from functools import partial

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QGridLayout, QToolButton, QWidget

from epiphane.declare.parameters import values_at
from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.grading import GradeDesk
from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.thumbnails import image_of
from epiphane.desk.look import theme
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane, Setting
from epiphane.edits.keying.lanes import reset_setting, set_setting
from epiphane.effects.colour.look import LOOKS
from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import Grade
from epiphane.render.grading import graded
from epiphane.types import Picture, Size
from epiphane.wording import tr

_COLUMNS = 4
_SIZE: Size = (88, 50)
_WIDTH = 97
_MILLISECONDS = 150


class LookTiles(Rows[Lane]):
    """A button for each look, with what it would make of the picture, whatever the lane does now."""

    def __init__(self, editor: Editor, lane: LaneId, grading: GradeDesk, shown: ShownPicture) -> None:
        super().__init__()
        self._editor, self._lane, self._grading = editor, lane, grading
        grid = QWidget()
        places = QGridLayout(grid)
        places.setContentsMargins(0, 0, 0, 0)
        places.setSpacing(4)
        self.tiles: dict[str, QToolButton] = {}
        for number, look in enumerate(LOOKS):
            self.tiles[look] = tile = QToolButton()
            tile.setText(tr(look))
            tile.setCheckable(True)
            tile.setProperty("tile", True)
            tile.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            tile.setIconSize(QSize(*_SIZE))
            tile.setFixedWidth(_WIDTH)
            tile.setFont(theme.words(8.5))
            tile.setToolTip(tr("The look “{look}”", look=tr(look)))
            tile.clicked.connect(partial(self._choose, look))
            places.addWidget(tile, number // _COLUMNS, number % _COLUMNS)
        self.add(grid)
        self._asking = debounced(self, _MILLISECONDS, self._ask)
        shown.changed.connect(self._asking.start)
        grading.before_drawn.connect(self._on_before)
        self.shows(self._show)
        self._asking.start()

    def _show(self, lane: Lane) -> None:
        values = dict(values_at(EFFECTS.named("look").parameters, lane.settings, 1.0))
        for look, tile in self.tiles.items():
            tile.setChecked(not values["file"] and values["look"] == look)

    def _choose(self, look: str, _: bool = True) -> None:
        lane = self._lane
        self._editor.apply(
            lambda p: reset_setting(set_setting(p, lane, Setting("look", look)), lane, "file"), tr("look")
        )

    def _ask(self) -> None:
        if self.isVisible():
            self._grading.ask_before(self._lane, _SIZE)

    def _on_before(self, lane: LaneId, picture: Picture) -> None:
        if lane != self._lane:
            return
        effect = EFFECTS.named("look")
        values = dict(effect.values_at((), 1.0))
        for look, tile in self.tiles.items():
            done = effect.operations(tuple((values | {"look": look, "strength": 100.0}).items()))
            steps = [step for one in done if isinstance(one, Grade) for step in one.steps]
            tile.setIcon(QIcon(QPixmap.fromImage(image_of(graded(picture, steps)))))
