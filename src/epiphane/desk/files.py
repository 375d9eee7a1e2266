"""Opening, gathering, saving: everything that meets the disk, from the window's side."""

from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from epiphane.audio.cache import hear_song
from epiphane.audio.heard import HeardSong
from epiphane.audio.in_project import with_heard_bands
from epiphane.audio.samples import Samples, resampled_stereo
from epiphane.demo.project import open_demo
from epiphane.desk.editor import Editor
from epiphane.desk.jobs import Jobs
from epiphane.desk.sound import SOUND_RATE
from epiphane.document.model import FootageKind, Project
from epiphane.document.recipe import RECIPE_SUFFIX
from epiphane.files.project import SUFFIX, load_project, missing_files
from epiphane.edits.footage import add_footage, known_already
from epiphane.edits.song import set_song
from epiphane.errors import EpiphaneError
from epiphane.media.gather import Gathered, gather_files
from epiphane.media.probe import FootageFacts
from epiphane.types import Progress

_PROJECTS = f"Epiphane projects (*{SUFFIX})"


class Files(QObject):
    """What opens, gathers and saves.

    Signals
    -------
    can_recover(n_edits: int)
        The last session ended with unsaved edits of the open project.
    recipes_given(paths: list of Path)
        Recipes were dropped on the window.
    missing_found(text: str)
        Files that the open project names are not there.
    """

    can_recover = pyqtSignal(int)
    recipes_given = pyqtSignal(object)
    missing_found = pyqtSignal(str)

    def __init__(self, editor: Editor, jobs: Jobs, window: QWidget) -> None:
        super().__init__(window)
        self._editor = editor
        self._jobs = jobs
        self._window = window
        self._recovered: Project | None = None

    # Projects

    def new(self) -> None:
        """Begin an empty project."""
        if self.may_leave():
            self._editor.open(Project(), None)

    def open_demo(self) -> None:
        """Open the demo as a project that has not been saved yet."""
        if self.may_leave():
            try:
                self._editor.open(open_demo(), None)
            except EpiphaneError as error:
                self._editor.said.emit(str(error), True)
                return
            self._after_open()

    def ask_open(self) -> None:
        """Ask for a project and open it."""
        if self.may_leave():
            name, _ = QFileDialog.getOpenFileName(self._window, "Open a project", self._folder(), _PROJECTS)
            if name:
                self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Open a project; a fault is told and what is open stays open."""
        try:
            project = load_project(path)
        except EpiphaneError as error:
            self._editor.said.emit(str(error), True)
            return
        self._editor.open(project, path)
        self._after_open()

    def save(self) -> bool:
        """Save under the project's name, or ask for one."""
        return self._editor.save(self._editor.path) if self._editor.path else self.ask_save()

    def ask_save(self) -> bool:
        """Ask for a name and save."""
        proposed = str(Path(self._folder()) / f"{self._editor.title}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the project", proposed, _PROJECTS)
        if not name:
            return False
        path = Path(name) if name.endswith(SUFFIX) else Path(name + SUFFIX)
        return self._editor.save(path)

    def may_leave(self) -> bool:
        """Ask once what to do with unsaved work; False to stay."""
        if not self._editor.is_changed:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Unsaved work",
            f"“{self._editor.title}” has changes that are not saved. Save them?",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer == buttons.Save:
            return self.save()
        if answer == buttons.Discard:
            self._editor.forget_journal()
        return answer == buttons.Discard

    def look_for_lost_work(self) -> None:
        """Offer what a crash left behind of the open project."""
        found = self._editor.journal().recover()
        if found is not None and found[0] != self._editor.project:
            self._recovered = found[0]
            self.can_recover.emit(found[1])

    def recover(self) -> None:
        """Bring back what a crash left behind, as one edit that can be undone."""
        if self._recovered is not None:
            project, self._recovered = self._recovered, None
            self._editor.apply(lambda _: project, "recovery")
            self._hear()

    # Songs and footage

    def ask_song(self) -> None:
        """Ask for a song and listen to it."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a song", self._folder())
        if name:
            self.open_song(Path(name))

    def ask_footage(self) -> None:
        """Ask for clips and gather them."""
        names, _ = QFileDialog.getOpenFileNames(self._window, "Gather footage", self._folder())
        if names:
            self.gather([Path(name) for name in names])

    def ask_folder(self) -> None:
        """Ask for a folder and gather what is in it and below."""
        folder = QFileDialog.getExistingDirectory(self._window, "Gather a folder", self._folder())
        if folder:
            self.gather([Path(folder)])

    def open_song(self, path: Path) -> None:
        """Listen to a song in the background and lay it under the project."""

        def take(heard: HeardSong) -> None:
            # Laid as soon as it can be drawn and again with its beats: one step to undo.
            def edit(project: Project) -> Project:
                levels = heard.listening.levels
                return with_heard_bands(set_song(project, heard.as_song()), levels, levels)

            self._editor.apply(edit, "song", gesture="song")
            self._editor.take_song(heard)

        def done(heard: HeardSong) -> None:
            take(heard)
            self._editor.end_gesture()
            if heard.listening.remark:
                self._editor.said.emit(heard.listening.remark, False)

        def stopped() -> None:
            self._editor.end_gesture()
            text = f"Listening was stopped: {path.name} has no beats yet. Open it again to listen to it."
            self._editor.said.emit(text, False)

        def offered(sketch: HeardSong) -> None:
            if self._editor.project.song is None:
                take(sketch)

        self._jobs.start(
            "song",
            f"Listening to {path.name}",
            lambda progress, offer: hear_to_play(path, progress, offer),
            done=done,
            stopped=stopped,
            offered=offered,
        )

    def gather(self, paths: Sequence[Path]) -> None:
        """Take files or folders of them: footage on the shelf, a song under the project."""
        recipes = [path for path in paths if path.suffix == RECIPE_SUFFIX]
        if recipes:
            self.recipes_given.emit(recipes)
            paths = [path for path in paths if path not in recipes]
        if not paths:
            return
        projects = [path for path in paths if path.suffix == SUFFIX]
        if projects:
            if self.may_leave():
                self.open_path(projects[0])
            return

        def done(gathered: Gathered) -> None:
            known = known_already(self._editor.project, gathered.found)
            faults = [f"{Path(path).name} is on the shelf already." for path in known] + list(gathered.faults)
            song = self._song_among(gathered, n_dropped=len(paths))
            found = [facts for facts in gathered.found if facts is not song]
            if found:
                self._editor.apply(lambda p: add_footage(p, found), "gathering of footage")
            if song is not None:
                self.open_song(Path(song.path))
            if faults:
                self._editor.said.emit(_listed(faults), bool(gathered.faults))

        self._jobs.start(
            "gather",
            "Gathering footage",
            lambda progress: gather_files(paths, progress=progress),
            done=done,
        )

    def _song_among(self, gathered: Gathered, *, n_dropped: int) -> FootageFacts | None:
        """Return the sound meant as the song: one dropped alone, or the only one where none is yet."""
        sounds = gathered.of_kind(FootageKind.SOUND)
        is_alone = n_dropped == 1 and len(gathered.found) == 1
        return sounds[0] if len(sounds) == 1 and (is_alone or self._editor.project.song is None) else None

    def _after_open(self) -> None:
        missing = missing_files(self._editor.project)
        if missing:
            names = ", ".join(Path(path).name for path in missing[:4])
            more = f" and {len(missing) - 4} more" if len(missing) > 4 else ""
            self.missing_found.emit(f"Not found: {names}{more}.")
        self._hear()
        self.look_for_lost_work()

    def _hear(self) -> None:
        """Have the sound of the project's song; its beats are those of the project."""
        song = self._editor.project.song
        if song is None or not Path(song.path).is_file():
            return

        def done(heard: HeardSong) -> None:
            self._editor.take_song(heard)
            if heard.fingerprint != song.fingerprint:
                text = (
                    f"{Path(song.path).name} is another file than when the project was saved; open it anew."
                )
                self._editor.said.emit(text, True)

        path = Path(song.path)
        self._jobs.start(
            "song",
            f"Listening to {path.name}",
            lambda progress, offer: hear_to_play(path, progress, offer),
            done=done,
            offered=self._editor.take_song,
        )

    def _folder(self) -> str:
        return str(self._editor.path.parent if self._editor.path else Path.home())


def hear_to_play(
    path: Path, progress: Progress, offer: Callable[[HeardSong], None] = lambda _: None
) -> HeardSong:
    """Listen to a song, and bring its sound to the device's rate while still in the background.

    `offer` is called with the song as far as it can be drawn, before its beats are known.

    Raises
    ------
    MediaError
        If the song cannot be read.
    """

    def playable(heard: HeardSong) -> HeardSong:
        sound = resampled_stereo(heard.samples, SOUND_RATE)
        return replace(heard, samples=Samples(sound, SOUND_RATE, heard.samples.remark))

    return playable(hear_song(path, progress=progress, sketched=lambda sketch: offer(playable(sketch))))


def _listed(faults: Sequence[str]) -> str:
    """Return what could not be taken, each with its reason: a few in full, of many the number."""
    more = f" And {len(faults) - 6} more." if len(faults) > 6 else ""
    return " ".join(faults[:6]) + more
