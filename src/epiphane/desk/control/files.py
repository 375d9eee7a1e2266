"""File commands: open, import, save, and the background jobs they start."""

from collections.abc import Callable, Iterable, Sequence
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from epiphane.audio.cache import hear_song
from epiphane.audio.heard import HeardSong
from epiphane.audio.in_project import with_heard_bands
from epiphane.audio.samples import Samples, resampled_stereo
from epiphane.demo.project import open_demo
from epiphane.demo.titles import open_titles_demo
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.exchange import is_taken
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.desk.look import asking
from epiphane.desk.look.asking import CANCEL
from epiphane.disk import is_file, short_name, withhold
from epiphane.document.footage import FootageKind
from epiphane.document.project import Project, new_project
from epiphane.edits.footage import add_footage, known_already
from epiphane.edits.song.song import set_song
from epiphane.errors import ChangedOnDiskError, EpiphaneError, InUseError
from epiphane.files.captions import CAPTION_SUFFIXES
from epiphane.files.project import SUFFIX, missing_files, read_project
from epiphane.files.recipes import RECIPE_SUFFIX
from epiphane.files.settings import folder_of, forget_recent, note_folder, note_recent
from epiphane.files.trust import TrustedFolders, folders_of
from epiphane.media.gather import Gathered, gather_files
from epiphane.media.probe import FootageFacts
from epiphane.timing import rate_text
from epiphane.types import Progress
from epiphane.wording import plural, tr

_MOST_SAID = 2
_LEAST_SONG_SECONDS = 5.0
_SOUNDS = "*.wav *.flac *.mp3 *.ogg *.oga *.opus *.m4a *.aac *.aif *.aiff *.wma *.caf *.ape *.wv *.mka"
_FILMS = "*.mp4 *.mov *.mkv *.webm *.avi *.mts *.m2ts *.ts *.mpg *.mpeg *.m4v"
_SONGS = tr("Sound and video ({names});;All files (*)", names=" ".join((_SOUNDS, _FILMS)))
_PROJECTS = tr("Epiphane projects (*{suffix})", suffix=SUFFIX)


class Files(QObject):
    """What opens, gathers and saves.

    Signals
    -------
    opened()
        Another project is open.
    captions_given(paths: list of Path)
        Files of captions are to be taken.
    exchange_given(paths: list of Path)
        Files that other programs made of an edit are to be taken.
    recipes_given(paths: list of Path)
        Recipes were dropped on the window.
    left_out(faults: list of str)
        Several files were not taken in, each for a reason.
    shape_taken(text: str)
        The film has taken the shape of most of its footage.
    missing_found(text: str)
        Files that the open project names are not there.
    """

    opened = pyqtSignal()
    left_out = pyqtSignal(object)
    recipes_given = pyqtSignal(object)
    captions_given = pyqtSignal(object)
    exchange_given = pyqtSignal(object)
    missing_found = pyqtSignal(str)
    shape_taken = pyqtSignal(str)

    def __init__(self, editor: Editor, jobs: Jobs, window: QWidget, trusted: TrustedFolders) -> None:
        super().__init__(window)
        self._editor = editor
        self._jobs = jobs
        self._window = window
        self.trusted = trusted
        self._withheld: frozenset[Path] = frozenset()
        self._n_gathered = 0

    # Projects

    def new(self) -> None:
        """Begin an empty project."""
        if self.may_leave():
            self._withhold(())
            self._editor.open(new_project(), None)

    def open_demo(self, *, with_titles: bool = False) -> None:
        """Open the demo, or the title sequence, as a project that has not been saved yet."""
        if self.may_leave():
            try:
                project = open_titles_demo() if with_titles else open_demo()
            except EpiphaneError as error:
                self._editor.said.emit(str(error), True)
                return
            self._withhold(())
            self._editor.open(project, None)
            self._after_open()

    def ask_open(self) -> None:
        """Ask for a project and open it."""
        if self.may_leave():
            folder = self._folder("project")
            name, _ = QFileDialog.getOpenFileName(self._window, tr("Open a project"), folder, _PROJECTS)
            if name:
                note_folder("project", Path(name).parent)
                self.open_path(Path(name))

    def leave_for(self, path: Path) -> None:
        """Open another project, once it is known what becomes of this one; one that is gone is forgotten."""
        if self.may_leave() and not self.open_path(path) and not is_file(path):
            forget_recent(path)

    def open_path(self, path: Path) -> bool:
        """Open a project; a fault is told and what is open stays open.

        Returns
        -------
        Whether it is open now.
        """
        try:
            read = read_project(path)
        except EpiphaneError as error:
            self._editor.said.emit(str(error), True)
            return False
        withheld = self._not_to_be_read(read.project, path)
        if withheld is None:
            return False
        before = self._withheld
        self._withhold(withheld)
        try:
            self._editor.open(read.project, path, digest=read.digest)
        except InUseError as error:
            if not self._open_copy(read.project, path, error):
                self._withhold(before)
                return False
        note_recent(path)
        self._after_open()
        return True

    def _open_copy(self, project: Project, path: Path, error: InUseError) -> bool:
        """Ask what to do about a project that another window has; a copy is a project of its own."""
        text = tr("{error} Two windows would write over each other's work.", error=error)
        if self.ask(tr("Open elsewhere"), text, (tr("Open a copy"), CANCEL)) == CANCEL:
            return False
        self._editor.open(replace(project, name=tr("{name} copy", name=path.stem)), None)
        return True

    def _not_to_be_read(self, project: Project, path: Path) -> Sequence[Path] | None:
        """Return the folders that a project may not read from, or None if it is not to be opened."""
        strange = self.trusted.strange_to(project, path.absolute().parent)
        if not strange:
            return ()
        text = tr(
            "{name} shows files that lie outside its own folder, in\n\n{listed}",
            name=short_name(path),
            listed=asking.listed(strange),
        )
        read, leave_out = tr("Read them"), tr("Leave them out")
        answer = self.ask(tr("Files elsewhere"), text, (read, leave_out, CANCEL))
        if answer == read:
            self.trusted.add(strange)
        return {read: (), leave_out: strange}.get(answer)

    def _withhold(self, folders: Iterable[Path]) -> None:
        self._withheld = frozenset(folders)
        withhold(folders)

    def save(self) -> bool:
        """Save under the project's name, or ask for one."""
        return self.save_as(self._editor.path) if self._editor.path else self.ask_save()

    def ask_save(self) -> bool:
        """Ask for a name and save."""
        proposed = Path(self._folder("project")) / f"{self._editor.title}{SUFFIX}"
        path = asking.ask_new_file(self._window, tr("Save the project"), proposed, _PROJECTS, SUFFIX)
        if path is not None:
            note_folder("project", path.parent)
        return path is not None and self.save_as(path)

    def save_as(self, path: Path) -> bool:
        """Save to a file; False if that failed, which is told, or was given up."""
        try:
            self._editor.save(path)
        except ChangedOnDiskError as error:
            return self._save_over_changes(path, error)
        except EpiphaneError as error:
            self._editor.said.emit(str(error), True)
            return False
        self.trusted.add(set(folders_of(self._editor.project)) - self._withheld)
        note_recent(path)
        return True

    def _save_over_changes(self, path: Path, error: ChangedOnDiskError) -> bool:
        text = tr("{error} Saving here would write over those changes.", error=error)
        save_as = tr("Save as…")
        answer = self.ask(tr("Changed by others"), text, (save_as, tr("Write over them"), CANCEL))
        if answer == save_as:
            return self.ask_save()
        if answer == CANCEL:
            return False
        try:
            self._editor.save(path, over_changes=True)
        except EpiphaneError as fault:
            self._editor.said.emit(str(fault), True)
            return False
        return True

    def may_leave(self) -> bool:
        """Ask once what to do with unsaved work; False to stay."""
        if not self._editor.is_changed:
            return True
        text = tr("“{title}” has changes that are not saved. Save them?", title=self._editor.title)
        save, discard = tr("Save"), tr("Discard")
        answer = self.ask(tr("Unsaved work"), text, (save, discard, CANCEL))
        return self.save() if answer == save else answer == discard

    def ask(self, title: str, text: str, answers: Sequence[str]) -> str:
        """Return one of the answers to a question that the window cannot go on without."""
        return asking.ask(self._window, title, text, answers)

    # Songs and footage

    def ask_song(self) -> bool:
        """Ask for a song and listen to it; False if none was chosen."""
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Open a song"), self._folder("song"), _SONGS)
        if name:
            note_folder("song", Path(name).parent)
            self.open_song(Path(name))
        return bool(name)

    def ask_footage(self) -> None:
        """Ask for clips and gather them."""
        names, _ = QFileDialog.getOpenFileNames(self._window, tr("Import footage"), self._folder("footage"))
        if names:
            note_folder("footage", Path(names[0]).parent)
            self.gather([Path(name) for name in names])

    def ask_folder(self) -> None:
        """Ask for a folder and gather what is in it and below."""
        folder = QFileDialog.getExistingDirectory(
            self._window, tr("Import a folder"), self._folder("footage")
        )
        if folder:
            note_folder("footage", Path(folder))
            self.gather([Path(folder)])

    def open_song(self, path: Path) -> None:
        """Listen to a song in the background and lay it under the project."""

        def take(heard: HeardSong) -> None:
            # Laid as soon as it can be drawn and again with its beats: one step to undo.
            def edit(project: Project) -> Project:
                levels = heard.listening.levels
                return with_heard_bands(set_song(project, heard.as_song()), levels, levels)

            self.trusted.add([path.resolve().parent])
            self._editor.apply(edit, "song", gesture="song")
            self._editor.take_song(heard)

        def done(heard: HeardSong) -> None:
            self._editor.is_listening = False
            n_shots = len(self._editor.project.shots)
            take(heard)
            self._editor.end_gesture()
            if n_lost := n_shots - len(self._editor.project.shots):
                text = plural(n_lost, "One shot has", "{} shots have")
                text = tr("{number} no place in the new song; undo brings the old one back.", number=text)
                self._editor.said.emit(text, False)
            if heard.listening.remark:
                self._editor.said.emit(heard.listening.remark, False)

        def stopped() -> None:
            self._editor.is_listening = False
            self._editor.end_gesture()
            self._editor.song_changed.emit()
            text = tr(
                "Listening was stopped: {name} has no beats yet. Open it again to listen to it.",
                name=path.name,
            )
            self._editor.said.emit(text, False)

        def offered(sketch: HeardSong) -> None:
            if self._editor.project.song is None:
                self._editor.is_listening = True
                take(sketch)

        def failed(message: str) -> None:
            self._editor.is_listening = False
            self._editor.song_changed.emit()
            self._editor.said.emit(message, True)

        self._jobs.start(
            "song",
            tr("Listening to {name}", name=path.name),
            lambda progress, offer: hear_to_play(path, progress, offer),
            done=done,
            stopped=stopped,
            failed=failed,
            offered=offered,
        )

    def gather(self, paths: Sequence[Path]) -> None:
        """Take files or folders of them: footage on the shelf, a song under the project."""
        recipes = [path for path in paths if path.suffix == RECIPE_SUFFIX]
        if recipes:
            self.recipes_given.emit(recipes)
            paths = [path for path in paths if path not in recipes]
        captions = [path for path in paths if path.suffix.lower() in CAPTION_SUFFIXES]
        if captions:
            self.captions_given.emit(captions)
            paths = [path for path in paths if path not in captions]
        exchanged = [path for path in paths if is_taken(path)]
        if exchanged:
            self.exchange_given.emit(exchanged)
            paths = [path for path in paths if path not in exchanged]
        if not paths:
            return
        projects = [path for path in paths if path.suffix == SUFFIX]
        if projects:
            if self.may_leave():
                self.open_path(projects[0])
            return

        def done(gathered: Gathered) -> None:
            known = known_already(self._editor.project, gathered.found)
            faults = [tr("{name} is on the shelf already.", name=Path(path).name) for path in known] + list(
                gathered.faults
            )
            song = self._song_among(gathered, paths)
            found = [facts for facts in gathered.found if facts is not song]
            self.trusted.add({Path(facts.path).resolve().parent for facts in gathered.found})
            if found:
                before = self._editor.project
                self._editor.apply(lambda p: add_footage(p, found), tr("import of footage"))
                self._tell_shape(before)
            if song is not None:
                self.open_song(Path(song.path))
            if len(faults) > _MOST_SAID:
                self.left_out.emit(faults)
            elif faults:
                self._editor.said.emit(" ".join(faults), bool(gathered.faults))

        self._n_gathered += 1
        self._jobs.start(
            f"gather {self._n_gathered}",  # beside any that is at work: what was dropped before is wanted too
            tr("Importing footage"),
            lambda progress: gather_files(paths, progress=progress),
            done=done,
        )

    def _tell_shape(self, before: Project) -> None:
        """Say so where the footage has made the film another one, and offer to choose."""
        now = self._editor.project
        if (now.width, now.height, now.rate) != (before.width, before.height, before.rate):
            shape = tr(
                "{width} × {height} at {rate} fps",
                width=now.width,
                height=now.height,
                rate=rate_text(now.rate),
            )
            self.shape_taken.emit(tr("The film is {shape}, as most of its footage.", shape=shape))

    def _song_among(self, gathered: Gathered, paths: Sequence[Path]) -> FootageFacts | None:
        """Return the sound meant as the song: a file dropped alone, or the only one where none is yet.

        A fragment among other files never is, nor is any where a song is being listened to.
        """
        sounds = gathered.of_kind(FootageKind.SOUND)
        if len(sounds) != 1:
            return None
        if [str(path.absolute()) for path in paths] == [sounds[0].path]:
            return sounds[0]
        has_song = self._editor.project.song is not None or self._jobs.is_running("song")
        return None if has_song or sounds[0].duration < _LEAST_SONG_SECONDS else sounds[0]

    def _after_open(self) -> None:
        missing = missing_files(self._editor.project)
        if missing:
            names = ", ".join(Path(path).name for path in missing[:4])
            more = tr(" and {count} more", count=len(missing) - 4) if len(missing) > 4 else ""
            self.missing_found.emit(tr("Not found: {names}{more}.", names=names, more=more))
        self.hear()
        self.opened.emit()

    def hear(self) -> None:
        """Have the sound of the project's song; its beats are those of the project."""
        song = self._editor.project.song
        if song is None or not is_file(song.path):
            return

        def done(heard: HeardSong) -> None:
            self._editor.take_song(heard)
            if heard.fingerprint != song.fingerprint:
                text = tr(
                    "{name} is another file than when the project was saved; open it anew.",
                    name=Path(song.path).name,
                )
                self._editor.said.emit(text, True)

        path = Path(song.path)
        self._jobs.start(
            "song",
            tr("Listening to {name}", name=path.name),
            lambda progress, offer: hear_to_play(path, progress, offer),
            done=done,
            offered=self._editor.take_song,
        )

    def _folder(self, kind: str) -> str:
        """Return where files of a kind were chosen last; before there were any, where the project lies."""
        usual = self._editor.path.parent if self._editor.path else Path.home()
        return str(folder_of(kind, usual))


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
