"""Lanes played by hand while the song plays: keys fire them as those of an instrument do."""

from PyQt6.QtCore import QCoreApplication, QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent

from epiphane.arrays import nearest_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.playback import Playback
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.project import Project
from epiphane.edits.keying.playing import forget_played, hold_hit, play_hit
from epiphane.files.settings import read_settings
from epiphane.timing import frame_start
from epiphane.wording import plural, tr

KEYS = (
    Qt.Key.Key_F2,
    Qt.Key.Key_F3,
    Qt.Key.Key_F4,
    Qt.Key.Key_F5,
    Qt.Key.Key_F6,
    Qt.Key.Key_F7,
    Qt.Key.Key_F8,
    Qt.Key.Key_F9,
)
"""Each plays the lane that was armed as the first, the second and so on."""


class Instrument(QObject):
    """The armed lanes, and what is played on them.

    All that is played until the song stops is one step of undo. Where it plays round a loop, the first key of
    a take on a lane takes what was played there before away.

    Attributes
    ----------
    armed : list of LaneId
        Lanes that keys play, in the order of the keys.
    pulse : PulseId or None
        The pulse on whose hits what is played falls; None to leave it as played.
    """

    def __init__(self, editor: Editor, playback: Playback) -> None:
        super().__init__()
        self._editor, self._playback = editor, playback
        self.armed: list[LaneId] = []
        self.pulse: PulseId | None = None
        self._held: dict[int, tuple[LaneId, float, float]] = {}
        self._taken: set[LaneId] = set()
        self._n_played = 0
        self._is_fired_anew = False
        editor.opened.connect(self.close)
        playback.state_changed.connect(self._on_playback)

    def close(self) -> None:
        """Disarm all lanes, and listen to no key any more."""
        self.armed.clear()
        self._listen()

    def arm(self, lane: LaneId) -> None:
        """Let a key play a lane, or no longer."""
        if lane in self.armed:
            self.armed.remove(lane)
        elif len(self.armed) < len(KEYS):
            self.armed.append(lane)
        else:
            self._editor.said.emit(
                tr("{count} lanes can be armed: disarm another one first.", count=len(KEYS)), True
            )
        self._listen()

    def key_of(self, lane: LaneId) -> str:
        """Return the key that plays a lane, or nothing where it is not armed."""
        return f"F{self.armed.index(lane) + 2}" if lane in self.armed else ""

    def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
        """Play on the keys of the armed lanes, wherever the keyboard is."""
        if not isinstance(event, QKeyEvent) or event.modifiers() != Qt.KeyboardModifier.NoModifier:
            return False
        number = next((n for n, key in enumerate(KEYS) if event.key() == key), None)
        if number is None or number >= len(self.armed):
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        if event.type() == QEvent.Type.KeyPress:
            if not event.isAutoRepeat():
                self._press(number)
            return True
        if event.type() == QEvent.Type.KeyRelease:
            if not event.isAutoRepeat():
                self._release(number)
            return True
        return False

    def _listen(self) -> None:
        """Look at all events while a lane is armed, as keys go to what has the keyboard; that costs time."""
        application = QCoreApplication.instance()
        assert application is not None
        application.removeEventFilter(self)
        if self.armed:
            application.installEventFilter(self)

    def _press(self, number: int) -> None:
        heard = self._now()
        if heard is None:
            self._editor.said.emit(
                tr("Armed lanes are played while the song plays: press Space first."), False
            )
            return
        lane = self.armed[number]
        time = self._quantised(heard)
        fired_by = {one.id: one.pulse for one in self._editor.project.lanes}

        def edit(p: Project) -> Project:
            loop = self._playback.loop
            if lane not in self._taken and loop is not None:
                p = forget_played(p, lane, *(frame_start(frame, p.rate) for frame in loop))
            return play_hit(p, lane, time)

        if self._editor.apply(edit, tr("playing of lanes"), gesture="take"):
            self._taken.add(lane)
            self._is_fired_anew |= any(
                fired_by.get(one.id) != one.pulse for one in self._editor.project.lanes
            )
            self._n_played += 1
            self._held[number] = (lane, time, heard)

    def _release(self, number: int) -> None:
        held, heard = self._held.pop(number, None), self._now()
        if held is None or heard is None:
            return
        lane, time, begun = held
        n_frames = round((heard - begun) * float(self._editor.project.rate))
        if n_frames > 1:  # a loop may have gone round meanwhile
            self._editor.apply(
                lambda p: hold_hit(p, lane, time, n_frames), tr("playing of lanes"), gesture="take"
            )

    def _now(self) -> float | None:
        """Return the instant that is meant by a key now: what is heard, without the keyboard's delay."""
        heard = self._playback.heard_now()
        return None if heard is None else max(0.0, heard - read_settings().tap_delay)

    def _quantised(self, time: float) -> float:
        pulse = next((one for one in self._editor.project.pulses if one.id == self.pulse), None)
        if pulse is None:
            return time
        near = nearest_of([hit.time for hit in self._editor.hits_of(pulse)], time)
        return time if near is None else near

    def _on_playback(self) -> None:
        if not self._playback.is_playing and self._taken:
            self._taken.clear()
            self._held.clear()
            self._editor.end_gesture()
            number = plural(self._n_played, "One cue was", "{} cues were")
            anew = tr(" in place of the hits that fired before") if self._is_fired_anew else ""
            self._n_played, self._is_fired_anew = 0, False
            self._editor.said.emit(
                tr("{number} played{anew}; Ctrl + Z takes the whole take back.", number=number, anew=anew),
                False,
            )
