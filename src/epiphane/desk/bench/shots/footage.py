"""The bench of footage: its moments, the part of it that is used, its name and group."""

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.shots.strip import ClipStrip
from epiphane.desk.control.clip_player import ClipPlayer
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.moments import MomentDesk
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look.fields import ChoiceField, NumberField, button, in_a_row, label, wrapped
from epiphane.desk.look.footage_facts import footage_facts
from epiphane.document.footage import Footage, FootageKind, take_at
from epiphane.edits.footage import change_footage, put_in_group
from epiphane.edits.shots.shots import footage_name
from epiphane.wording import tr


class FootageBench(BenchPage[Footage]):
    """The selected footage."""

    def __init__(
        self, editor: Editor, moments: MomentDesk, thumbnails: Thumbnails, player: ClipPlayer
    ) -> None:
        super().__init__(editor, spacing=8)
        self._moments, self._player = moments, player
        self.strip = ClipStrip(thumbnails)
        self._connect_strip()
        told = wrapped("", is_quiet=False)
        self.shows(lambda footage: told.setText(self._tell(footage)))
        self.add(self.told(_facts, is_in_numbers=True), self.strip, told)
        self.add(self._buttons(), when=lambda footage: footage.kind is not FootageKind.STILL)
        self._add_take_row()
        used_from = self._used_field(tr("Used from"), "used_from", lambda footage: footage.used_from)
        used_to = self._used_field(tr("Used to"), "used_to", lambda footage: footage.end)
        self.row(tr("Used"), used_from, label("to"), used_to, when=_is_clip)
        tip = tr("What it is called here; empty for the name of its file")
        self.row(tr("Name"), self.text_field(tr("Name of the footage"), tip, footage_name, self._rename))
        self.row(tr("Group"), self._group_field())
        self.end()
        player.moved.connect(self.refresh)
        self.refresh()

    def thing(self) -> Footage | None:
        """Return the footage that is looked at."""
        return self._player.footage

    def _used_field(self, name: str, field: str, value_of: Callable[[Footage], float]) -> NumberField:
        """Return the field for one end of what is used of a clip."""
        return self.number(
            name,
            value_of,
            lambda value: self._moments.use(is_end=field == "used_to", seconds=value),
            limits=(Footage, field),
            unit="s",
            decimals=2,
            step=0.04,
        )

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
        self.strip.released.connect(self.editor.end_gesture)
        self.shows(lambda footage: self.strip.show_footage(footage, self._player.seconds))

    def _buttons(self) -> QWidget:
        moments = self._moments
        play = button(tr("Play"), tr("Play the clip, or stop (Space)"), self._player.toggle)
        tip = tr("Set a moment on this frame, even while it plays (N)")
        put = button(tr("Set moment"), tip, moments.set_moment)
        accept = button(tr("Accept"), tr("Accept the moment on this frame (Y)"), moments.toggle_accepted)
        remove = button(tr("Delete"), tr("Delete the moment on this frame (Shift+N)"), moments.remove_here)

        def show(_: Footage) -> None:
            here = moments.here()
            accept.setText(tr("Unaccept") if here is not None and here.is_accepted else tr("Accept"))
            play.setText(tr("Stop") if self._player.is_playing else tr("Play"))

        self.shows(show)
        self.seen(_is_clip, put, accept, remove)
        self.enabled(lambda _: moments.here() is not None, accept, remove)
        return in_a_row(play, put, accept, remove, spacing=6)

    def _add_take_row(self) -> None:
        tip = tr("Whether filling shows the take that the clip is in (X)")
        toggle = button(tr("Exclude take"), tip, self._moments.toggle_take)
        number = label("", is_quiet=False)

        def show(footage: Footage) -> None:
            if footage.takes:
                take = take_at(footage, self._player.seconds)
                number.setText(
                    tr("{index} of {count}", index=footage.takes.index(take) + 1, count=len(footage.takes))
                )
                toggle.setText(tr("Exclude take") if take.is_used else tr("Use take"))

        self.shows(show)
        self.row(tr("Take"), number, toggle, when=lambda footage: len(footage.takes) > 1)

    def _group_field(self) -> ChoiceField:
        """Return the field for a group, which may also be typed."""
        made = ChoiceField()
        made.setEditable(True)
        made.setMinimumWidth(160)
        made.setAccessibleName(tr("Group"))
        made.setToolTip(tr("A group of your own: choose one, or type a new name and press Enter"))
        made.activated.connect(lambda _index: self._regroup(made.currentText()))
        edit = made.lineEdit()
        assert edit is not None
        edit.returnPressed.connect(lambda: self._regroup(made.currentText()))

        def show(footage: Footage) -> None:
            groups = ["", *self.editor.project.groups]
            if [made.itemText(n) for n in range(made.count())] != groups:
                made.clear()
                made.addItems(groups)
            if not edit.hasFocus():
                made.setCurrentText(footage.group)

        self.shows(show)
        return made

    def _tell(self, footage: Footage) -> str:
        if footage.kind is FootageKind.STILL:
            return tr("A still is slowly pushed in on while its shot lasts; its shot's bench says how.")
        if footage.kind is FootageKind.SOUND:
            return tr("A sound. Double-click it on the shelf to lay it under the project as the song.")
        if not footage.moments:
            return (
                tr("No moments found; set one with N.") if footage.is_searched else tr("Looking for moments…")
            )
        here = self._moments.here()
        if here is None:
            n_accepted = sum(moment.is_accepted for moment in footage.moments)
            return tr(
                "{count} moments, {n_accepted} accepted. Comma and full stop go through them.",
                count=len(footage.moments),
                n_accepted=n_accepted,
            )
        number = footage.moments.index(here) + 1
        state = (
            "accepted"
            if here.is_accepted
            else tr("proposed, strength {strength:.0f} %", strength=here.strength * 100)
        )
        return tr(
            "Moment {number} of {count}: {cause}, {state}",
            number=number,
            count=len(footage.moments),
            cause=tr(here.cause.value),
            state=state,
        )

    def _peek(self, seconds: float) -> None:
        footage = self._player.footage
        if footage is not None and footage.kind is FootageKind.VIDEO:
            self._player.peek(footage, seconds)

    def _rename(self, name: str) -> None:
        self.apply(lambda p, footage: change_footage(p, footage.id, name=name), tr("name of footage"))

    def _regroup(self, group: str) -> None:
        footage = self.thing()
        if footage is not None and group.strip() != footage.group:
            self.apply(lambda p, one: put_in_group(p, [one.id], group), tr("group of footage"))


def _is_clip(footage: Footage) -> bool:
    return footage.kind is FootageKind.VIDEO


def _facts(footage: Footage) -> str:
    return footage_facts(footage) + ("" if footage.has_sound or not _is_clip(footage) else tr(", silent"))
