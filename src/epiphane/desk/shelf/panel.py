"""The shelf: footage and effects as tiles to drag onto the score, and the pulses of the project."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
)

from epiphane.desk import theme
from epiphane.desk.bench.fields import choice_field, label
from epiphane.desk.editor import Editor
from epiphane.desk.shelf.effects import EffectPage
from epiphane.desk.shelf.footage import SORTS, FootagePage
from epiphane.desk.shelf.pulses import PulsePage

_SEARCH_WIDTH, _SORT_WIDTH = 124, 116


class ShelfPanel(QFrame):
    """Footage and effects in a drawer that folds away.

    Signals
    -------
    add_footage(), add_song()
        The editor wants to choose files.
    footage_taken(ids), effects_taken(keys)
        To be put on the score.
    pulse_made(kind: str)
        A new pulse is wanted: of a band, tapped, at a tempo, of two others, or of a unit.
    """

    add_footage = pyqtSignal()
    add_song = pyqtSignal()
    pulse_made = pyqtSignal(str)
    footage_taken = pyqtSignal(object)
    effects_taken = pyqtSignal(object)

    def __init__(self, editor: Editor, footage: FootagePage, effects: EffectPage) -> None:
        super().__init__()
        self._editor = editor
        self.setProperty("panel", True)
        self.footage = footage
        self.effects = effects
        self.footage.taken.connect(self.footage_taken)
        self.effects.taken.connect(self.effects_taken)
        self._pages = QStackedWidget()
        self._empty = label(
            "No footage yet. Drop clips or a folder anywhere on the window, or press “Gather footage”."
        )
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.pulses = PulsePage(editor)
        self.pulses.pulse_made.connect(self.pulse_made)
        for page in (self.footage, self.effects, self.pulses, self._empty):
            self._pages.addWidget(page)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 14, 4)
        box.setSpacing(2)
        box.addLayout(self._head())
        box.addWidget(self._pages, 1)
        editor.project_changed.connect(self.refresh)
        self._show_page(0)
        self.refresh()

    @property
    def is_folded(self) -> bool:
        """Whether only the first line is seen."""
        return self._pages.isHidden()

    @property
    def page(self) -> int:
        """What is shown: footage (0), effects (1) or pulses (2)."""
        return max(self._group.checkedId(), 0)

    def fold(self, is_folded: bool) -> None:
        """Hide everything but the first line, or show it again."""
        self._pages.setVisible(not is_folded)
        self.setMaximumHeight(46 if is_folded else 16_777_215)
        self._fold.setIcon(theme.icon("chevron-up" if is_folded else "chevron-down", theme.QUIET, 16))

    def open_page(self, number: int) -> None:
        """Show footage (0), effects (1) or pulses (2)."""
        self.fold(False)
        self._show_page(number)

    def refresh(self) -> None:
        """Show the project's footage and all effects."""
        self.footage.refresh()
        self.effects.refresh()
        self._show_page(self._group.checkedId())

    def _head(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(4)
        self._group = QButtonGroup(self)
        for number, (text, key) in enumerate((("Footage", "F"), ("Effects", "E"), ("Pulses", "P"))):
            button = QPushButton(text)
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.setToolTip(f"{text} ({key})")
            self._group.addButton(button, number)
            line.addWidget(button)
        self._group.idClicked.connect(self.open_page)
        line.addStretch(1)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search")
        self.search.setAccessibleName("Search the shelf")
        self.search.setToolTip("Show what has these words in its name, folder or group, or does it (Ctrl+F)")
        self.search.setClearButtonEnabled(True)
        self.search.setFixedWidth(_SEARCH_WIDTH)
        self.search.textChanged.connect(self.footage.search)
        self.search.textChanged.connect(self.effects.search)
        self.sort = choice_field("Order of footage", [(key, key) for key in SORTS], self.footage.sort)
        self.sort.setFixedWidth(_SORT_WIDTH)
        line.addWidget(self.search)
        line.addWidget(self.sort)
        for text, icon, signal, tip in (
            ("Song…", "music", self.add_song, "Open another song (Ctrl+M)"),
            ("Gather footage…", "plus", self.add_footage, "Choose clips to put on the shelf (Ctrl+I)"),
        ):
            button = QPushButton(text)
            theme.put_icon(button, icon, theme.QUIET, 15)
            button.setProperty("quiet", True)
            button.setToolTip(tip)
            button.clicked.connect(signal)
            line.addWidget(button)
        self._fold = QPushButton(theme.icon("chevron-down", theme.QUIET, 16), "")
        self._fold.setProperty("quiet", True)
        self._fold.setAccessibleName("Fold the shelf")
        self._fold.setToolTip("Fold the shelf away, or open it (Ctrl+B)")
        self._fold.clicked.connect(lambda: self.fold(not self.is_folded))
        line.addWidget(self._fold)
        return line

    def _show_page(self, number: int) -> None:
        button = self._group.button(max(number, 0))
        if button is not None:
            button.setChecked(True)
        is_empty = number <= 0 and not self._editor.project.footage
        self.search.setVisible(number <= 1 and not is_empty)
        self.sort.setVisible(number <= 0 and not is_empty)
        self._pages.setCurrentWidget(
            self._empty if is_empty else (self.footage, self.effects, self.pulses)[max(number, 0)]
        )
