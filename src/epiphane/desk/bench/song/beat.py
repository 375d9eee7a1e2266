"""The bench page of one beat: accept, move, make it a downbeat, delete."""

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.attacks import attack_distance, attack_words
from epiphane.desk.control.beats import STEP_SECONDS, BeatDesk
from epiphane.desk.control.editor import Editor
from epiphane.desk.look.fields import button, in_a_row, label, wrapped
from epiphane.document.song import Beat
from epiphane.wording import tr


class BeatBench(BenchPage[Beat]):
    """Everything about one beat."""

    def __init__(self, editor: Editor, beats: BeatDesk) -> None:
        super().__init__(editor, spacing=8)
        tip = tr("Take this beat as right; Y also goes to the next doubtful one")
        accept = button(tr("Accept"), tip, beats.accept)
        tip = tr("Move it onto the nearest attack of the sound (G)")
        to_attack = button(tr("Snap to attack"), tip, beats.to_attack)
        remove = button(tr("Delete"), tr("Delete this beat (Delete)"), beats.remove)
        time = self.number(
            tr("Time"),
            lambda beat: beat.time,
            beats.move_to,
            limits=(Beat, "time"),
            unit="s",
            decimals=3,
            step=STEP_SECONDS,
            width=92,
        )
        per_bar = self.number(
            tr("Beats to the bar from here on"),
            self._beats_per_bar,
            lambda number: beats.set_beats_per_bar(round(number)),
            limits=(Beat, "place"),
            width=48,
        )
        tip = tr("Begin a bar with this beat, and move all other bar lines along")
        downbeat = button(tr("Downbeat here"), tip, beats.begin_bar)
        self.enabled(self._has_attack, to_attack)
        self.enabled(lambda _: not self._is_locked(), remove, downbeat, time, per_bar)
        self.add(self.told(self._told, is_in_numbers=True))
        self.add(in_a_row(accept, to_attack, remove))
        self.row(tr("Time"), time, label(tr("Ctrl + drag on the ruler")))
        self.row(tr("Bars from here"), per_bar, downbeat)
        hint = tr(
            "Ctrl and a click on the ruler adds a beat. A dragged beat takes four neighbours softly along,"
            " with Shift none."
        )
        self.add(wrapped(hint))
        self.end()

    def thing(self) -> Beat | None:
        """Return the selected beat."""
        return self.editor.chosen.beat

    def _told(self, beat: Beat) -> str:
        off = attack_distance(self.editor.heard, beat.time)
        where = tr("no attack beside it") if off is None else attack_words(off)
        return tr(
            "beat {place} of its bar, {confidence:.0%} sure\n{where}",
            place=beat.place,
            confidence=beat.confidence,
            where=where,
        )

    def _has_attack(self, beat: Beat) -> bool:
        off = attack_distance(self.editor.heard, beat.time)
        return off is not None and abs(off) > 0.0005 and not self._is_locked()

    def _is_locked(self) -> bool:
        song = self.editor.project.song
        return song is not None and song.is_locked

    def _beats_per_bar(self, beat: Beat) -> int:
        song = self.editor.project.song
        following = (beat,) if song is None else song.beats[self.editor.selection.beat or 0 :]
        return max(one.place for one in following)
