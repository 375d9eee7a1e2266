"""The overlay that lists all keyboard shortcuts."""

from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from epiphane.desk.look import theme
from epiphane.desk.look.fields import label
from epiphane.desk.shell.actions import ACTIONS, key_text

_MOUSE = (
    ("Click", "go there, select what is there"),
    ("Right-click anything", "what can be done with it"),
    ("Drag a cue up or down", "stronger or weaker"),
    ("Drag a cue sideways", "nudge by frames"),
    ("Drag a chosen cue's feet", "rise and fall of the whole lane"),
    ("Ctrl + drag its feet", "of the selected cues alone"),
    ("Double-click a point", "take the hit left out"),
    ("Drag over cues", "select many; Shift adds"),
    ("Drag a lane's name", "put it in another place"),
    ("Ctrl or Shift + click a name", "choose several lanes"),
    ("Double-click a cue", "switch it off or on"),
    ("Drop clips on a shot", "replace it, and those after"),
    ("Drop clips on a cut", "insert; the rest moves along"),
    ("Ctrl + drop clips", "overwrite what is there"),
    ("Shift + drop clips", "on a track over the shots"),
    ("Drag a cut", "roll it; Shift ignores hits"),
    ("Drag a chosen shot's end", "trim; the rest moves along"),
    ("Ctrl + drag its end", "trim this shot alone"),
    ("Ctrl + Shift + drag its end", "stretch it: speed changes"),
    ("Drag in a chosen shot", "slip what it shows"),
    ("Drag a shot's name", "move it; Ctrl slides it"),
    ("Shift + click shots", "select several; drag a band"),
    ("Shift + drag the ruler", "play this part in a loop"),
    ("Drop an effect on a lane", "on the same hits, below it"),
    ("Drop it on a pulse or a drum", "fired by it"),
    ("Drop it on a single hit", "there and nowhere else"),
    ("Point at a clip", "skim it; double-click lays it"),
    ("Ctrl + drag a beat", "move it; with Shift alone"),
    ("Ctrl + click the ruler", "add a beat"),
    ("Drag over the spectrum", "set the band of a pulse"),
    ("Ctrl + wheel", "bars a line"),
)
_TOGETHER = (
    (("frame_back", "frame_on"), "Previous, next frame or cue"),
    (("still_back", "still_on"), "Previous, next frame, always"),
    (("beat_back", "beat_on"), "Previous, next beat"),
    (("bar_back", "bar_on"), "Previous, next bar"),
    (("start", "end"), "Go to the start, the end"),
    (("cue_back", "cue_on"), "Previous, next cue or shot"),
    (("same_beat", "same_section"), "Select same beat, section"),
    (("copy", "paste"), "Copy, paste shots or cues"),
    (("run_back", "run_on"), "Play back, on; again: faster"),
    (("slow_back", "slow_on"), "Half speed back, on"),
    (("loop_in", "loop_out"), "Loop from here, to here"),
    (("zoom_fit", "zoom_1", "zoom_2"), "Picture: fit, 100 %, 200 %"),
    (("footage", "effects", "pulses"), "Footage, effects, pulses"),
    (("split", "split_hits"), "Split here, at every hit"),
    (("trim_start", "trim_end"), "Trim here, rest moves along"),
    (("trim_start_alone", "trim_end_alone"), "Trim here, this shot alone"),
    (("shot_bar_back", "shot_bar_on"), "Move shot a bar"),
    (("shot_before", "shot_after"), "Move past the next shot"),
    (("slip_back", "slip_on"), "Slip by a frame"),
    (("lane_up", "lane_down"), "Move the lane"),
    (("mute", "solo"), "Mute, solo the lane"),
    (("new", "open"), "New, open a project"),
    (("weaker", "stronger"), "Decrease, increase strength"),
    (("nudge_back", "nudge_on"), "Nudge a frame; a beat 5 ms"),
    (("doubtful_on", "doubtful_back"), "Next, previous doubtful beat"),
    (("moment", "no_moment"), "Set, delete a moment here"),
    (("use_from", "use_to"), "Use the clip from here, to here"),
    (("shot_back", "shot_on"), "Move shot by a hit"),
    (("lane_on", "lane_back"), "Next, previous lane"),
    (("lane_add_on", "lane_add_back"), "Add next, previous lane"),
    (("undo", "redo"), "Undo, redo"),
    (("save", "save_as"), "Save, save as"),
    (("gather", "gather_folder"), "Import footage, a folder"),
    (("lines_1", "lines_2", "lines_4", "lines_8"), "Bars a line"),
)
"""What is told in one row, and in which words."""

_COLUMNS = (
    ("Play", "Go", "View"),
    ("Cues", "Lanes", "Clips and shots"),
    ("Cutting", "Project"),
    ("Mouse", "Beats"),
)
_KEYS_WIDTH, _MOUSE_WIDTH = 132, 146
SHORT_KEYS = {"Left": "←", "Right": "→", "Up": "↑", "Down": "↓", "PgDown": "PgDn"}


class KeyRow(Struct, frozen=True):
    """A row of the list: which actions it tells, their keys, and what they do."""

    ids: tuple[str, ...]
    keys: str
    text: str


def key_rows() -> dict[str, list[KeyRow]]:
    """Return the rows of every group: each action is in one of them."""
    specs = {spec.id: spec for spec in ACTIONS}
    together = {ids[0]: (ids, text) for ids, text in _TOGETHER}
    later = {one for ids, _ in _TOGETHER for one in ids[1:]}
    rows: dict[str, list[KeyRow]] = {}
    for spec in ACTIONS:
        if spec.id in later:
            continue
        if spec.id in together:
            ids, text = together[spec.id]
            row = KeyRow(ids, _joined([specs[one].keys[0] for one in ids]), text)
        else:
            keys = " or ".join(key_text(keys) for keys in spec.keys)
            row = KeyRow((spec.id,), keys, spec.text.rstrip("…"))
        rows.setdefault(spec.group, []).append(row)
    return rows


def _joined(keys: list[str]) -> str:
    """Return keys as one reads them beside each other: what holds for all of them is told once."""
    if len(keys) == 2 and keys[1] == keys[0].replace("+", "+Shift+", 1):
        held_key, _, last = keys[0].partition("+")
        return f"{held_key} (+ Shift) + {last}"
    held = {one.rpartition("+")[0] for one in keys if one != "+"}
    if len(held) == 1 and "" not in held:
        lasts = [one.rpartition("+")[2] for one in keys]
        return f"{key_text(held.pop())} + {'  '.join(SHORT_KEYS.get(one, one) for one in lasts)}"
    return "   ".join(SHORT_KEYS.get(one, key_text(one)) for one in keys)


class KeyList(QWidget):
    """Every key by group; a click or ? closes it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("Keyboard shortcuts")
        self.hide()

    def _fill(self) -> None:
        """Write the list: some hundred labels, which would make every start slower."""
        grid = QGridLayout(self)
        grid.setContentsMargins(28, 20, 20, 12)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        title = QLabel("Keyboard shortcuts")
        title.setFont(theme.words(20, weight=600))
        grid.addWidget(title, 0, 0)
        grid.addWidget(label("Escape or a click closes this"), 0, len(_COLUMNS) - 1)
        groups = {name: [(row.keys, row.text) for row in rows] for name, rows in key_rows().items()}
        groups["Mouse"] = list(_MOUSE)
        for column, names in enumerate(_COLUMNS):
            box = QVBoxLayout()
            box.setSpacing(4)
            for name in names:
                box.addWidget(self._title(name))
                for keys, text in groups[name]:
                    box.addWidget(self._row(keys, text, wide=name == "Mouse"))
                box.addSpacing(8)
            box.addStretch(1)
            grid.addLayout(box, 1, column)
            grid.setColumnStretch(column, 1)

    def toggle(self) -> None:
        """Show the list, or hide it."""
        if self.layout() is None:
            self._fill()
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
        title.setFont(theme.words(10.5, weight=600))
        return title

    def _row(self, keys: str, text: str, *, wide: bool) -> QWidget:
        made = QWidget()
        box = QGridLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.setHorizontalSpacing(8)
        pressed, told = QLabel(keys), label(text)
        pressed.setFont(theme.words(8.5) if wide else theme.numbers(8))
        told.setFont(theme.words(8.5))
        pressed.setFixedWidth(_MOUSE_WIDTH if wide else _KEYS_WIDTH)
        box.addWidget(pressed, 0, 0)
        box.addWidget(told, 0, 1, Qt.AlignmentFlag.AlignLeft)
        box.setColumnStretch(1, 1)
        return made
