"""A rough cut of a song and clips: which stretch, how quick, how strong; made in one step and made again."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.files import Files
from epiphane.desk.control.playback import Playback
from epiphane.desk.control.recipes import RecipeDesk
from epiphane.desk.control.selection import RoughCutSelection
from epiphane.document.song import Song
from epiphane.edits.rough_cut import RoughCut, rough_cut, take_stretch, with_whole_song
from epiphane.edits.song.trim import whole_song
from epiphane.facts.stretches import Stretch, best_stretches
from epiphane.keying.dressing_styles import transition_styles
from epiphane.lane_kinds import is_transition
from epiphane.timing import frame_at
from epiphane.wording import tr


class RoughCutDesk(QObject):
    """What the user does to have a song and clips become a film.

    Signals
    -------
    changed()
        Something else is wanted of the cut.
    """

    changed = pyqtSignal()

    def __init__(self, editor: Editor, files: Files, playback: Playback, recipes: RecipeDesk) -> None:
        super().__init__()
        self._editor, self._files, self._playback, self._recipes = editor, files, playback, recipes
        self.wanted = RoughCut()
        self._was_made = self._is_awaited = False
        self._offered: tuple[Song, float, tuple[Stretch, ...]] | None = None
        editor.opened.connect(self._begin_anew)
        editor.project_changed.connect(self._make_if_awaited)
        editor.song_changed.connect(self._make_if_awaited)

    def begin(self) -> None:
        """Show how a rough cut is made; ask for the song and the clips where there are none."""
        self._editor.select(RoughCutSelection())
        if self._editor.project.song is None and not self._files.ask_song():
            return
        if not self._editor.project.footage:
            self._files.ask_footage()
        self._is_awaited = not self._editor.project.shots
        self._make_if_awaited()

    @property
    def is_made(self) -> bool:
        """Whether the project is a cut that was made here: then it follows what is wanted."""
        project = self._editor.project
        return self._was_made and bool(project.shots) and any(lane.is_dressed for lane in project.lanes)

    @property
    def stretches(self) -> tuple[Stretch, ...]:
        """The stretches that are proposed, in seconds of the whole song; none where all of it is wanted."""
        song, seconds = self._editor.project.song, self.wanted.seconds
        if song is None or seconds is None:
            return ()
        if self._offered is None or self._offered[0] is not song or self._offered[1] != seconds:
            self._offered = song, seconds, best_stretches(whole_song(song), seconds)
        return self._offered[2]

    def change(self, *, gesture: str | None = None, **changes: Any) -> None:
        """Want something else of the cut, e.g. ``pace=0.8``; a cut that was made is made again."""
        if "seconds" in changes:
            changes.setdefault("stretch", 0)
        self.wanted = replace(self.wanted, **changes)
        if self.is_made:
            self._make(tr("change of the rough cut"), gesture)
        self.changed.emit()

    def choose(self, number: int) -> None:
        """Take another of the stretches; while there is no cut yet, it is shown and looped."""
        self.change(stretch=number)
        song = self._editor.project.song
        if self.is_made or song is None or number >= len(self.stretches):
            return
        found, rate = self.stretches[number], self._editor.project.rate
        start, end = (frame_at(time - song.start, rate) for time in (found.start, found.end))
        if start >= 0 and end <= self._editor.project.n_frames:
            self._playback.set_loop((start, end))
            self._editor.go_to(start)

    def make(self) -> None:
        """Make the cut; one that was made already with another seed."""
        if self.is_made:
            self.wanted = replace(self.wanted, seed=self.wanted.seed % 999_999 + 1)
        self._make(tr("rough cut"), None)
        self.changed.emit()

    def take(self) -> None:
        """Trim the song to the chosen stretch, and do nothing else."""
        found = self.stretches
        if found:
            chosen = found[min(self.wanted.stretch, len(found) - 1)]
            self._playback.set_loop(None)
            self._editor.apply(lambda p: take_stretch(with_whole_song(p), chosen), tr("stretch of the song"))
            self._editor.go_to(0)

    def _make(self, text: str, gesture: str | None) -> None:
        recipes = {kept.recipe.name: kept.recipe for kept in self._recipes.kept}
        styles, wanted = transition_styles(), self.wanted
        is_first = not self.is_made
        if is_first:
            self._playback.set_loop(None)
        done = self._editor.apply(
            lambda p: rough_cut(p, wanted, recipes, styles, is_transition), text, gesture=gesture
        )
        self._was_made = self._was_made or done
        if is_first and done:
            self._editor.go_to(0)

    def _make_if_awaited(self, *_: object) -> None:
        project = self._editor.project
        is_heard = project.song is not None and bool(project.song.beats)
        self._is_awaited = self._is_awaited and isinstance(self._editor.selection, RoughCutSelection)
        if self._is_awaited and is_heard and project.footage and not self._editor.is_listening:
            self._is_awaited = False
            QTimer.singleShot(0, self.make)  # not while it is told what has changed

    def _begin_anew(self) -> None:
        self._was_made = self._is_awaited = False
        self.changed.emit()
