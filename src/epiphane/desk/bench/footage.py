"""The bench of footage: its moments, the part of it that is used, its name and group."""

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import limited_field
from epiphane.desk.bench.strip import ClipStrip
from epiphane.desk.control.clip_player import ClipPlayer
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.moments import MomentDesk
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.look.fields import ChoiceField, TextField, button, label, row
from epiphane.desk.look.footage_facts import footage_facts
from epiphane.document.footage import Footage, FootageKind, take_at
from epiphane.edits.footage import change_footage, put_in_group
from epiphane.edits.shots import footage_name


class FootageBench(BenchPage):
    """The selected footage."""

    def __init__(
        self, editor: Editor, moments: MomentDesk, thumbnails: Thumbnails, player: ClipPlayer
    ) -> None:
        super().__init__()
        self._editor, self._moments, self._player = editor, moments, player
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._facts = label("")
        self._facts.setFont(theme.numbers(9.5))
        self._facts.setWordWrap(True)
        self.strip = ClipStrip(thumbnails)
        self._connect_strip()
        self._told = label("", is_quiet=False)
        self._told.setWordWrap(True)
        self._buttons = self._make_buttons()
        self._from = limited_field(Footage, "used_from", "Used from", "s", decimals=2, step=0.04)
        self._to = limited_field(Footage, "used_to", "Used to", "s", decimals=2, step=0.04)
        self._from.edited.connect(lambda value: moments.use(is_end=False, seconds=value))
        self._to.edited.connect(lambda value: moments.use(is_end=True, seconds=value))
        self._used = row("Used", self._from, label("to"), self._to)
        tip = "Whether filling shows the take that the clip is in (X)"
        self._take = button("Exclude take", tip, self._moments.toggle_take)
        self._take_number = label("", is_quiet=False)
        self._takes = row("Take", self._take_number, self._take)
        self._name = TextField(
            "Name of the footage", "What it is called here; empty for the name of its file"
        )
        self._name.editingFinished.connect(self._rename)
        self._group = ChoiceField()
        self._group.setEditable(True)
        self._group.setMinimumWidth(160)
        self._group.setAccessibleName("Group")
        self._group.setToolTip("A group of your own: choose one, or type a new name and press Enter")
        self._group.activated.connect(lambda _index: self._regroup())
        edit = self._group.lineEdit()
        assert edit is not None
        edit.returnPressed.connect(self._regroup)
        for widget in (self._facts, self.strip, self._told, self._buttons, self._takes, self._used):
            box.addWidget(widget)
        box.addWidget(row("Name", self._name))
        box.addWidget(row("Group", self._group))
        box.addStretch(1)
        player.moved.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the footage as it is now."""
        footage = self._player.footage
        if footage is None:
            return
        is_clip = footage.kind is FootageKind.VIDEO
        self._facts.setText(footage_facts(footage) + ("" if footage.has_sound else ", silent") * is_clip)
        self._takes.setVisible(len(footage.takes) > 1)
        if len(footage.takes) > 1:
            take = take_at(footage, self._player.seconds)
            self._take_number.setText(f"{footage.takes.index(take) + 1} of {len(footage.takes)}")
            self._take.setText("Exclude take" if take.is_used else "Use take")
        self.strip.show_footage(footage, self._player.seconds)
        self._told.setText(self._tell(footage))
        self._buttons.setVisible(footage.kind is not FootageKind.STILL)
        for widget in (self._set, self._accept, self._remove):
            widget.setVisible(is_clip)
        here = self._moments.here()
        self._accept.setEnabled(here is not None)
        self._remove.setEnabled(here is not None)
        self._accept.setText("Unaccept" if here is not None and here.is_accepted else "Accept")
        self._play.setText("Stop" if self._player.is_playing else "Play")
        self._used.setVisible(is_clip)
        self._from.show_value(footage.used_from)
        self._to.show_value(footage.end)
        self._name.show_text(footage_name(footage))
        self._show_groups(footage)

    def _connect_strip(self) -> None:
        self.strip.gone_to.connect(self._player.go_to)
        self.strip.peeked.connect(self._peek)
        self.strip.left.connect(self._player.end_peek)
        self.strip.moment_moved.connect(self._moments.move)
        self.strip.moment_set.connect(self._moments.set_at)
        self.strip.take_toggled.connect(self._moments.toggle_take)
        self.strip.used_changed.connect(
            lambda is_end, seconds: self._moments.use(is_end=is_end, seconds=seconds, gesture="used part")
        )
        self.strip.released.connect(self._editor.end_gesture)

    def _make_buttons(self) -> QWidget:
        self._play = button("Play", "Play the clip, or stop (Space)", self._player.toggle)
        self._set = button(
            "Set moment", "Set a moment on this frame, even while it plays (N)", self._moments.set_moment
        )
        self._accept = button("Accept", "Accept the moment on this frame (Y)", self._moments.toggle_accepted)
        self._remove = button(
            "Delete", "Delete the moment on this frame (Shift+N)", self._moments.remove_here
        )
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        for widget in (self._play, self._set, self._accept, self._remove):
            line.addWidget(widget)
        line.addStretch(1)
        return made

    def _tell(self, footage: Footage) -> str:
        if footage.kind is FootageKind.STILL:
            return "A still is slowly pushed in on while its shot lasts; its shot's bench says how."
        if footage.kind is FootageKind.SOUND:
            return "A sound. Double-click it on the shelf to lay it under the project as the song."
        if not footage.moments:
            return "No moments found; set one with N." if footage.is_searched else "Looking for moments…"
        here = self._moments.here()
        if here is None:
            n_accepted = sum(moment.is_accepted for moment in footage.moments)
            return (
                f"{len(footage.moments)} moments, {n_accepted} accepted. Comma and full stop go through them."
            )
        number = footage.moments.index(here) + 1
        state = "accepted" if here.is_accepted else f"proposed, strength {here.strength * 100:.0f} %"
        return f"Moment {number} of {len(footage.moments)}: {here.cause.value}, {state}"

    def _show_groups(self, footage: Footage) -> None:
        groups = ["", *self._editor.project.groups]
        if [self._group.itemText(n) for n in range(self._group.count())] != groups:
            self._group.clear()
            self._group.addItems(groups)
        edit = self._group.lineEdit()
        if edit is not None and not edit.hasFocus():
            self._group.setCurrentText(footage.group)

    def _peek(self, seconds: float) -> None:
        footage = self._player.footage
        if footage is not None and footage.kind is FootageKind.VIDEO:
            self._player.peek(footage, seconds)

    def _rename(self) -> None:
        footage = self._player.footage
        if footage is not None and self._name.text().strip() != footage_name(footage):
            name = self._name.text().strip()
            self._editor.apply(lambda p: change_footage(p, footage.id, name=name), "name of footage")

    def _regroup(self) -> None:
        footage = self._player.footage
        if footage is not None and self._group.currentText().strip() != footage.group:
            group = self._group.currentText()
            self._editor.apply(lambda p: put_in_group(p, [footage.id], group), "group of footage")
