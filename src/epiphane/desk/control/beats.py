"""Commands of beats: go through the doubtful ones, accept, move, add and remove them."""

from collections.abc import Callable, Sequence

from msgspec.structs import replace
from PyQt6.QtCore import QObject

from epiphane.desk.control.attacks import attack_near
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.playback import Playback
from epiphane.desk.control.selection import BeatSelection
from epiphane.desk.engine.jobs import Jobs
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import Beat
from epiphane.edits.song.beats import (
    accept_beat,
    add_beat,
    move_beat,
    remove_beat,
    replace_beats,
    set_beats_per_bar,
    shift_one,
)
from epiphane.facts.grid import DOUBTFUL
from epiphane.timing import frame_at, frame_start
from epiphane.types import Progress
from epiphane.wording import tr

STEP_SECONDS = 0.005
"""How far a beat or a tap is nudged."""
_AROUND_SECONDS = 1.2


class BeatDesk(QObject):
    """What the user does with single beats."""

    def __init__(self, editor: Editor, playback: Playback, jobs: Jobs) -> None:
        super().__init__()
        self._editor, self._playback, self._jobs = editor, playback, jobs

    def step_doubtful(self, direction: int) -> None:
        """Select the next (1) or last (-1) doubtful beat and go round it."""
        song = self._editor.project.song
        beats: Sequence[Beat] = song.beats if song is not None else ()
        doubtful = [number for number, beat in enumerate(beats) if beat.confidence < DOUBTFUL]
        rate = self._editor.project.rate
        now = frame_start(self._editor.playhead, rate)
        here = self._editor.chosen.beat
        if here is not None and frame_at(here.time, rate) == self._editor.playhead:
            now = here.time
        after = [number for number in doubtful if (beats[number].time - now) * direction > 1e-3]
        if not after:
            text = tr("No more doubtful beats this way.") if doubtful else tr("No beat is doubtful.")
            self._editor.said.emit(text, False)
            self._playback.set_loop(None)
            return
        number = after[0 if direction > 0 else -1]
        self._go_round(number, beats[number].time)

    def accept(self) -> None:
        """Take the selected beat as right."""
        self._change(accept_beat, tr("accepting of a beat"))

    def accept_and_go_on(self) -> None:
        """Take the selected beat as right, and go to the next doubtful one."""
        if self._editor.selection.beat is not None:
            self.accept()
            self.step_doubtful(1)

    def to_attack(self) -> None:
        """Move the selected beat onto the attack beside it."""
        beat = self._editor.chosen.beat
        near = None if beat is None else attack_near(self._editor.heard, beat.time)
        if near is not None:
            self.move_to(near)

    def nudge(self, direction: int) -> None:
        """Move the selected beat by 5 ms."""
        beat = self._editor.chosen.beat
        if beat is not None:
            self.move_to(max(0.0, round(beat.time + direction * STEP_SECONDS, 6)))

    def move_to(self, seconds: float) -> None:
        """Move the selected beat alone to an instant."""
        self._change(lambda p, number: move_beat(p, number, seconds), tr("move of a beat"))

    def remove(self) -> None:
        """Take the selected beat away."""
        self._change(remove_beat, tr("removal of a beat"))

    def set_beats_per_bar(self, number: int) -> None:
        """Have bars of so many beats from the selected beat on."""
        beat = self._editor.chosen.beat
        if beat is not None:
            self._editor.apply(
                lambda p: set_beats_per_bar(p, number, start=beat.time), tr("beats to the bar")
            )

    def begin_bar(self) -> None:
        """Have a bar begin with the selected beat, and all other bar lines move along."""
        beat = self._editor.chosen.beat
        if beat is not None:
            self._editor.apply(lambda p: shift_one(p, beat.place - 1), tr("shift of the downbeat"))

    def _change(self, edit: Callable[[Project, int], Project], text: str) -> None:
        number = self._editor.selection.beat
        if number is not None:
            self._editor.apply(lambda p: edit(p, number), text)

    def listen_again(self, frames: tuple[int, int], tempo: float) -> None:
        """Listen once more to some frames (first, end), near a tempo in BPM, and take the beats found."""
        song, whole = self._editor.project.song, self._editor.heard_file
        if song is None or whole is None:
            return
        rate = self._editor.project.rate
        start, end = (frame_start(frame, rate) for frame in frames)

        def work(progress: Progress) -> tuple[Beat, ...]:
            from epiphane.audio.relisten import beats_between  # late: it loads much of SciPy

            found = beats_between(whole.samples, start + song.start, end + song.start, tempo=tempo)
            return tuple(replace(beat, time=max(0.0, beat.time - song.start)) for beat in found)

        def done(found: tuple[Beat, ...]) -> None:
            text = tr("listening again to a part")
            if self._editor.apply(lambda p: replace_beats(p, start, end, found), text):
                said = tr(
                    "{count} beats were heard from {start:.1f} to {end:.1f} s.",
                    count=len(found),
                    start=start,
                    end=end,
                )
                self._editor.said.emit(said, False)

        self._jobs.start("beats", tr("Listening again"), work, done=done)

    def add_beat(self) -> None:
        """Put a beat at the playhead, and select it."""
        time = frame_start(self._editor.playhead, self._editor.project.rate)
        if self._editor.apply(lambda p: add_beat(p, time), tr("adding of a beat")):
            song = self._editor.project.song
            numbers = [n for n, beat in enumerate(song.beats) if abs(beat.time - time) < 1e-5] if song else []
            self._editor.select(BeatSelection(numbers[0] if numbers else None))

    def _go_round(self, number: int, time: float) -> None:
        rate = self._editor.project.rate
        first = frame_at(max(0.0, time - _AROUND_SECONDS), rate)
        end = min(frame_at(time + _AROUND_SECONDS, rate), self._editor.project.n_frames)
        self._playback.set_loop(None)
        self._editor.select(BeatSelection(number))
        self._editor.go_to(frame_at(time, rate))
        self._playback.set_loop((first, end))
        beats = next((p.id for p in self._editor.project.pulses if p.unit is PulseUnit.BEAT), None)
        if beats is not None:
            self._editor.set_ticking(self._editor.ticking | {beats})
