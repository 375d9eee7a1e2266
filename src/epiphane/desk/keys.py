"""All keys at a glance, laid over the window."""

from itertools import groupby

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from epiphane.desk import theme
from epiphane.desk.actions import ACTIONS, key_text
from epiphane.desk.bench.fields import label

_MOUSE = (
    ("Click", "go there; select what is there"),
    ("Drag a cue up or down", "stronger or weaker"),
    ("Drag a cue sideways", "nudge by frames"),
    ("Drag its feet", "rise and fall of the lane"),
    ("Ctrl + drag its feet", "of the selected cues alone"),
    ("Double-click a point", "take the hit left out"),
    ("Drag over cues", "select many; Shift adds"),
    ("Drag a lane's name", "put it in another place"),
    ("Double-click a cue", "switch it off or on"),
    ("Drop clips on a shot", "exchange it, and those after it"),
    ("Drop an effect on a lane", "on the same hits, below it"),
    ("Drop a recipe on a pulse", "its lanes, fired by it"),
    ("Point at a clip", "skim it; double-click lays it"),
    ("Alt + drag a beat", "move it; with Shift alone"),
    ("Alt + click the ruler", "add a beat"),
    ("Drag over the spectrum", "choose the band of a pulse"),
    ("Ctrl + wheel", "bars a line"),
)
_COLUMNS = (("Play", "Go", "See", "Lanes"), ("Cues", "Beats", "Clips and shots"), ("Project", "Mouse"))


class KeyList(QWidget):
    """Every key by group; a click or ? closes it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("All keys")
        grid = QGridLayout(self)
        grid.setContentsMargins(64, 30, 64, 24)
        grid.setHorizontalSpacing(40)
        grid.setVerticalSpacing(18)
        title = QLabel("All keys")
        title.setFont(theme.words(20, weight=600))
        grid.addWidget(title, 0, 0)
        grid.addWidget(label("Escape or a click closes this"), 0, 2)
        groups = {
            name: [(" or ".join(key_text(k) for k in spec.keys), spec.text.rstrip("…")) for spec in specs]
            for name, specs in groupby(ACTIONS, key=lambda spec: spec.group)
        }
        groups["Mouse"] = list(_MOUSE)
        for column, names in enumerate(_COLUMNS):
            box = QVBoxLayout()
            box.setSpacing(4)
            for name in names:
                box.addWidget(self._title(name))
                for keys, text in groups[name]:
                    box.addWidget(self._row(keys, text, wide=name == "Mouse"))
                box.addSpacing(10)
            box.addStretch(1)
            grid.addLayout(box, 1, column)
            grid.setColumnStretch(column, 1)
        self.hide()

    def toggle(self) -> None:
        """Show the list, or hide it."""
        parent = self.parentWidget()
        if parent is not None:
            self.setGeometry(parent.rect())
        self.setVisible(self.isHidden())
        self.raise_()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), theme.GROUND)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.hide()

    def _title(self, text: str) -> QLabel:
        title = QLabel(text)
        title.setFont(theme.words(12, weight=600))
        return title

    def _row(self, keys: str, text: str, *, wide: bool) -> QWidget:
        made = QWidget()
        box = QGridLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.setHorizontalSpacing(14)
        pressed = QLabel(keys)
        pressed.setFont(theme.words(9.5) if wide else theme.numbers(9.5))
        pressed.setFixedWidth(160)
        box.addWidget(pressed, 0, 0)
        box.addWidget(label(text), 0, 1, Qt.AlignmentFlag.AlignLeft)
        box.setColumnStretch(1, 1)
        return made
