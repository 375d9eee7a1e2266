"""Commands of mattes: what of the selected shot is its subject."""

from pathlib import Path
from time import monotonic
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.jobs import Jobs
from epiphane.document.footage import Footage
from epiphane.document.ids import ItemId
from epiphane.document.matte import Matte, MatteKind, MatteStroke
from epiphane.document.project import footage_of
from epiphane.document.timeline import Item
from epiphane.edits.shots.mattes import (
    begin_matte,
    box_subject,
    change_matte,
    clear_marks,
    dab,
    remove_matte,
    shows_more,
)
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.source_time import source_seconds
from epiphane.media.mattes import find_matte, frames_of, make_matte, matte_key
from epiphane.render.nodes import SourceFrame
from epiphane.types import Progress
from epiphane.wording import tr

_TRACED_SECONDS, _TOLD_SECONDS, _SECONDS_A_MEGAPIXEL = 0.14, 0.02, 0.05
"""What a picture takes on two cores, about: to be traced, or told otherwise, and to be read."""


def _usual_seconds(footage: Footage, matte: Matte) -> float:
    """Return how many seconds a matte takes to make on an idle machine, about."""
    megapixels = footage.width * footage.height / 1e6
    own = _TRACED_SECONDS if matte.kind is MatteKind.TRACED else _TOLD_SECONDS
    return frames_of(matte, footage.rate) * (own + _SECONDS_A_MEGAPIXEL * megapixels)


class MatteDesk(QObject):
    """What the user does with the matte of the selected shot.

    Signals
    -------
    changed()
        It is being marked, or no longer; or it has been made.
    """

    changed = pyqtSignal()

    def __init__(self, editor: Editor, jobs: Jobs) -> None:
        super().__init__()
        self._editor, self._jobs = editor, jobs
        self._is_marking = False
        self._made: tuple[ItemId, SourceFrame] | None = None
        self._pace = 1.0  # how much longer mattes took here than was thought
        editor.selection_changed.connect(lambda: self.set_marking(False))

    @property
    def is_marking(self) -> bool:
        """Whether a press on the picture marks the subject."""
        return self._is_marking

    def set_marking(self, is_on: bool) -> None:
        """Have presses on the picture mark the subject, or do what they did."""
        if is_on != self._is_marking:
            self._is_marking = is_on
            self.changed.emit()

    def choose(self, kind: MatteKind | None) -> None:
        """Tell the subject of the selected shot in another way, or not at all."""
        shot = self._editor.chosen.shot
        if shot is None:
            return
        if kind is None:
            self.set_marking(False)
            self._editor.apply(lambda p: remove_matte(p, shot.id), tr("no matte"))
        elif self._editor.apply(lambda p: begin_matte(p, shot.id, kind), "matte"):
            self.set_marking(kind is MatteKind.TRACED)

    def change(self, *, gesture: str | None = None, **changes: Any) -> None:
        """Change fields of the matte."""
        shot = self._editor.chosen.shot
        if shot is not None:
            self._editor.apply(
                lambda p: change_matte(p, shot.id, **changes), tr("change of a matte"), gesture=gesture
            )

    def clear(self) -> None:
        """Take away what was marked."""
        shot = self._editor.chosen.shot
        if shot is not None:
            self._editor.apply(lambda p: clear_marks(p, shot.id), tr("no marks"))

    def box(self, sides: tuple[float, float, float, float]) -> None:
        """Draw the box around the subject, in shares of the picture, on the picture that is shown now."""
        shot, time = self._editor.chosen.shot, self.time_now()
        if shot is not None and time is not None:
            self._editor.apply(lambda p: box_subject(p, shot.id, time, sides), tr("box around the subject"))

    def stroke(self, strokes: list[MatteStroke]) -> None:
        """Draw over the subject, or beside it, on the picture that is shown now."""
        shot, time = self._editor.chosen.shot, self.time_now()
        if shot is not None and time is not None and strokes:
            self._editor.apply(lambda p: dab(p, shot.id, time, tuple(strokes)), tr("stroke on the subject"))

    def take_clean(self) -> None:
        """Let the picture that is shown now be the one without a subject."""
        time = self.time_now()
        if time is not None:
            self.change(clean=time)

    def time_now(self) -> float | None:
        """Return the seconds of the footage of the selected shot that are shown now, or None elsewhere."""
        shot, footage = self._shown()
        frame = self._editor.playhead
        if shot is None or footage is None or not shot.start <= frame < shot.end:
            return None
        return round(source_seconds(shot, footage, frame, self._editor.project.rate), 6)

    def told(self) -> str:
        """Return what is to be known of the matte: what is missing, what it costs, or that it is there."""
        found = self._found()
        if found is None:
            return ""
        shot, footage, matte = found
        if matte.kind is MatteKind.TRACED and not any(mark.box for mark in matte.marks):
            return tr("Draw a box around the subject on the picture.")
        if shows_more(self._editor.project, shot):
            return tr("The shot shows more of its clip than the matte was for: make it again.")
        if find_matte(matte_key(footage.fingerprint, matte)) is not None:
            return tr("Made. What stands on a track that is behind is hidden by the subject.")
        number = frames_of(matte, footage.rate)
        seconds = self._pace * _usual_seconds(footage, matte)
        return tr(
            "Not made yet: {number} pictures, about {seconds} s in the background.",
            number=number,
            seconds=max(1, round(seconds)),
        )

    def mask_now(self) -> SourceFrame | None:
        """Return the picture of the matte that belongs to what is shown now, or None where there is none.

        While a matte is corrected, it is the one that was made before.
        """
        found, time = self._found(), self.time_now()
        if found is None or time is None:
            return None
        shot, footage, matte = found
        key = matte_key(footage.fingerprint, matte)
        film = find_matte(key)
        if film is not None:
            self._made = shot.id, SourceFrame(str(film), key, matte.start)
        if self._made is None or self._made[0] != shot.id:
            return None
        made = self._made[1]
        return SourceFrame(made.path, made.fingerprint, max(0.0, time - made.seconds))

    def make(self) -> None:
        """Make the matte of the selected shot in the background."""
        found = self._found()
        if found is not None and shows_more(self._editor.project, found[0]):
            number, kind = found[0].id, found[2].kind
            self._editor.apply(lambda p: begin_matte(p, number, kind), tr("matte of all that is shown"))
            found = self._found()
        if found is None:
            return
        _, footage, matte = found
        self.set_marking(False)
        is_new = find_matte(matte_key(footage.fingerprint, matte)) is None

        def work(progress: Progress) -> float:
            started = monotonic()
            make_matte(Path(footage.path), footage.fingerprint, matte, footage.rate, progress=progress)
            return monotonic() - started

        def done(seconds: float) -> None:
            if is_new:
                self._pace = seconds / _usual_seconds(footage, matte)
            self.changed.emit()

        self._jobs.start(
            "matte",
            tr("Tracing the subject of {footage}", footage=footage_name(footage)),
            work,
            done=done,
        )

    def _found(self) -> tuple[Item, Footage, Matte] | None:
        """Return the selected shot with its footage and its matte, or None where it has none."""
        shot, footage = self._shown()
        if shot is None or footage is None or shot.matte is None:
            return None
        return shot, footage, shot.matte

    def _shown(self) -> tuple[Item | None, Footage | None]:
        shot = self._editor.chosen.shot
        return shot, None if shot is None else footage_of(self._editor.project, shot.footage)
