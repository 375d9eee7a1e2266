"""The overlay that lists all keyboard shortcuts."""

from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from epiphane.desk.look import theme
from epiphane.desk.look.fields import label
from epiphane.desk.shell.actions import ACTIONS, key_text
from epiphane.wording import tr

_MOUSE = (
    (tr("Click"), tr("go there, select what is there")),
    (tr("Right-click anything"), tr("what can be done with it")),
    (tr("Drag a cue up or down"), tr("stronger or weaker")),
    (tr("Drag a cue sideways"), tr("nudge by frames")),
    (tr("Drag a chosen cue's feet"), tr("rise and fall of the whole lane")),
    (tr("Ctrl + drag its feet"), tr("of the selected cues alone")),
    (tr("Double-click a point"), tr("take the hit left out")),
    (tr("Drag over cues"), tr("select many; Shift adds")),
    (tr("Drag a lane's name"), tr("put it in another place")),
    (tr("Ctrl or Shift + click a name"), tr("choose several lanes")),
    (tr("Double-click a cue"), tr("switch it off or on")),
    (tr("Drop clips on a shot"), tr("replace it, and those after")),
    (tr("Drop clips on a cut"), tr("insert; the rest moves along")),
    (tr("Ctrl + drop clips"), tr("overwrite what is there")),
    (tr("Shift + drop clips"), tr("on a track over the shots")),
    (tr("Drag a cut"), tr("roll it; Shift ignores hits")),
    (tr("Drag a chosen shot's end"), tr("trim; the rest moves along")),
    (tr("Ctrl + drag its end"), tr("trim this shot alone")),
    (tr("Ctrl + Shift + drag its end"), tr("stretch it: speed changes")),
    (tr("Drag in a chosen shot"), tr("slip what it shows")),
    (tr("Drag a shot's name"), tr("move it; Ctrl slides it")),
    (tr("Shift + click shots"), tr("select several; drag a band")),
    (tr("Shift + drag the ruler"), tr("play this part in a loop")),
    (tr("Drop an effect on a lane"), tr("on the same hits, below it")),
    (tr("Drop it on a pulse or a drum"), tr("fired by it")),
    (tr("Drop it on a single hit"), tr("there and nowhere else")),
    (tr("Point at a clip"), tr("skim it; double-click lays it")),
    (tr("Ctrl + drag a beat"), tr("move it; with Shift alone")),
    (tr("Ctrl + click the ruler"), tr("add a beat")),
    (tr("Drag over the spectrum"), tr("set the band of a pulse")),
    (tr("Ctrl + wheel"), tr("bars a line")),
)
_TOGETHER = (
    (("frame_back", "frame_on"), tr("Previous, next frame or cue")),
    (("still_back", "still_on"), tr("Previous, next frame, always")),
    (("beat_back", "beat_on"), tr("Previous, next beat")),
    (("bar_back", "bar_on"), tr("Previous, next bar")),
    (("start", "end"), tr("Go to the start, the end")),
    (("cue_back", "cue_on"), tr("Previous, next cue or shot")),
    (("same_beat", "same_section"), tr("Select same beat, section")),
    (("copy", "paste"), tr("Copy, paste shots or cues")),
    (("run_back", "run_on"), tr("Play back, on; again: faster")),
    (("slow_back", "slow_on"), tr("Half speed back, on")),
    (("loop_in", "loop_out"), tr("Loop from here, to here")),
    (("zoom_fit", "zoom_1", "zoom_2"), tr("Picture: fit, 100 %, 200 %")),
    (("footage", "effects", "pulses"), tr("Footage, effects, pulses")),
    (("split", "split_hits"), tr("Split here, at every hit")),
    (("trim_start", "trim_end"), tr("Trim here, rest moves along")),
    (("trim_start_alone", "trim_end_alone"), tr("Trim here, this shot alone")),
    (("shot_bar_back", "shot_bar_on"), tr("Move shot a bar")),
    (("shot_before", "shot_after"), tr("Move past the next shot")),
    (("slip_back", "slip_on"), tr("Slip by a frame")),
    (("lane_up", "lane_down"), tr("Move the lane")),
    (("mute", "solo"), tr("Mute, solo the lane")),
    (("new", "open"), tr("New, open a project")),
    (("weaker", "stronger"), tr("Decrease, increase strength")),
    (("nudge_back", "nudge_on"), tr("Nudge a frame; a beat 5 ms")),
    (("doubtful_on", "doubtful_back"), tr("Next, previous doubtful beat")),
    (("moment", "no_moment"), tr("Set, delete a moment here")),
    (("use_from", "use_to"), tr("Use the clip from here, to here")),
    (("shot_back", "shot_on"), tr("Move shot by a hit")),
    (("lane_on", "lane_back"), tr("Next, previous lane")),
    (("lane_add_on", "lane_add_back"), tr("Add next, previous lane")),
    (("undo", "redo"), tr("Undo, redo")),
    (("save", "save_as"), tr("Save, save as")),
    (("gather", "gather_folder"), tr("Import footage, a folder")),
    (("lines_1", "lines_2", "lines_4", "lines_8"), tr("Bars a line")),
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
            keys = tr(" or ").join(key_text(keys) for keys in spec.keys)
            row = KeyRow((spec.id,), keys, tr(spec.text).rstrip("…"))
        rows.setdefault(spec.group, []).append(row)
    return rows


def _joined(keys: list[str]) -> str:
    """Return keys as one reads them beside each other: what holds for all of them is told once."""
    if len(keys) == 2 and keys[1] == keys[0].replace("+", "+Shift+", 1):
        held_key, _, last = keys[0].partition("+")
        return tr("{held} (+ Shift) + {last}", held=held_key, last=last)
    held = {one.rpartition("+")[0] for one in keys if one != "+"}
    if len(held) == 1 and "" not in held:
        lasts = [one.rpartition("+")[2] for one in keys]
        return f"{key_text(held.pop())} + {'  '.join(SHORT_KEYS.get(one, one) for one in lasts)}"
    return "   ".join(SHORT_KEYS.get(one, key_text(one)) for one in keys)


class KeyList(QWidget):
    """Every key by group; a click or ? closes it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Keyboard shortcuts"))
        self.hide()

    def _fill(self) -> None:
        """Write the list: some hundred labels, which would make every start slower."""
        grid = QGridLayout(self)
        grid.setContentsMargins(28, 20, 20, 12)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        title = QLabel(tr("Keyboard shortcuts"))
        title.setFont(theme.words(20, weight=600))
        grid.addWidget(title, 0, 0)
        grid.addWidget(label(tr("Escape or a click closes this")), 0, len(_COLUMNS) - 1)
        groups = {name: [(row.keys, row.text) for row in rows] for name, rows in key_rows().items()}
        groups["Mouse"] = list(_MOUSE)
        for column, names in enumerate(_COLUMNS):
            box = QVBoxLayout()
            box.setSpacing(4)
            for name in names:
                box.addWidget(self._title(tr(name)))
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
