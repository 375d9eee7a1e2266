"""The one holder of the current Project, its history, the selection and the playhead."""

from collections.abc import Callable, Iterable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.audio.heard import HeardSong
from epiphane.desk.control.chosen import Chosen
from epiphane.desk.control.selection import (
    CuesSelection,
    LaneSelection,
    Selection,
    SongSelection,
    shots_selected,
    still_there,
)
from epiphane.document.ids import ItemId, LaneId, PulseId
from epiphane.document.laws import broken_laws, oversizes
from epiphane.document.project import Project, new_project
from epiphane.document.pulse import Pulse
from epiphane.document.song import Hit
from epiphane.edits.history import History
from epiphane.edits.keying.cues import CueKey
from epiphane.edits.locks import refuse_locked_rows
from epiphane.errors import ChangedOnDiskError, DiskError, EditError, EpiphaneError
from epiphane.facts.grid import Bar, bar_at, bars_of
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.files.journal import Journal, Journals, LostWork
from epiphane.files.project import digest_on_disk, save_project
from epiphane.keying.schedule import Schedule, schedule
from epiphane.timing import frame_start
from epiphane.wording import tr


class Editor(QObject):
    """What is being edited. Views listen to its signals and never keep a copy of the Project.

    Signals
    -------
    project_changed(new: Project, old: Project)
    selection_changed(), playhead_changed(), song_changed(), file_changed()
    ticking_changed()
    opened()
        Another project is open.
    leaving()
        Another thing is about to be selected, or another project opened: what is half typed is taken now.
    said(text: str, is_fault: bool)
        Something for the editor to read.
    """

    project_changed = pyqtSignal(object, object)
    selection_changed = pyqtSignal()
    playhead_changed = pyqtSignal()
    song_changed = pyqtSignal()
    file_changed = pyqtSignal()
    ticking_changed = pyqtSignal()
    opened = pyqtSignal()
    leaving = pyqtSignal()
    said = pyqtSignal(str, bool)

    def __init__(self, *, journal_folder: Path) -> None:
        super().__init__()
        self._journals = Journals(journal_folder / "unsaved")
        self._history = History(new_project())
        self._saved: Project = self._history.present
        self._journal: Journal = self._journals.claim(None)
        self._is_journal_behind = False
        self._digest: str | None = None
        self.is_journal_failing = False
        self.is_listening = False
        """Whether the song is being listened to: what is known of it is not the result."""
        self.path: Path | None = None
        self.cues: Schedule = schedule(self.project)
        self.selection: Selection = SongSelection()
        self.playhead = 0
        self._heard_file: HeardSong | None = None
        self._used: tuple[tuple[float, ...], HeardSong] | None = None
        self.ticking: frozenset[PulseId] = frozenset()
        self.chosen = Chosen(self)
        """What is selected, as it is in the project now."""

    @property
    def project(self) -> Project:
        """The Project as it is now."""
        return self._history.present

    @property
    def history(self) -> History:
        """For what undo and redo would do; changed through `undo` and `redo` only."""
        return self._history

    @property
    def is_changed(self) -> bool:
        """Whether there is anything that has not been saved."""
        return self.project != self._saved

    @property
    def title(self) -> str:
        """What the work is called: by its file, or, until it has one, by its own name."""
        return self.path.stem if self.path is not None else self.project.name

    @property
    def bars(self) -> tuple[Bar, ...]:
        """The bars of the project."""
        return bars_of(self.project)

    def open(self, project: Project, path: Path | None, *, digest: str | None = None) -> None:
        """Show another project.

        Parameters
        ----------
        path : Path or None
            Its file, if it has one.
        digest : str or None
            The hash of that file's content, by which a change of it by others is told.

        Raises
        ------
        InUseError
            If another window has this project open; what is open here stays.
        """
        self.leaving.emit()
        is_same = path is not None and path == self.path
        journal = self._journal if is_same else self._journals.claim(path, digest)
        if is_same:
            journal.clear(digest)
        else:
            self._journal.close()
        old = self.project
        self._history = History(project)
        self._saved = project
        self._is_journal_behind = False
        self.path = path
        self._heard_file = None
        self._journal, self._digest = journal, digest
        self.is_listening = False
        self.selection = SongSelection()
        self.playhead = 0
        self.cues = schedule(project)  # of one project with it, whoever paints in between
        self.opened.emit()  # before anybody begins something for this one
        self._show(old)
        self.selection_changed.emit()
        self.song_changed.emit()
        self.playhead_changed.emit()

    def apply(self, edit: Callable[[Project], Project], label: str, *, gesture: str | None = None) -> bool:
        """Do an edit; False if it was refused, which the user is told.

        Parameters
        ----------
        edit : from Project to Project
        label : str
            What is done, for "Undo …".
        gesture : str or None
            Edits in a row with the same one are a single step of undo.
        """
        old = self.project
        try:
            new = edit(old)
            refuse_locked_rows(old, new)
            if fault := next(oversizes(new), None):
                raise EditError(fault)
            if fault := next(broken_laws(new, since=old), None):
                raise EditError(
                    tr("this cannot be done, as it would damage the project ({fault})", fault=fault)
                )
        except EpiphaneError as error:
            self.said.emit(str(error), True)
            return False
        if new == old:
            return True
        self._history.record(new, label, gesture=gesture)
        self._is_journal_behind = gesture is not None  # a drag is written once, when it ends
        if gesture is None:
            self._keep()
        self._show(old)
        return True

    def apply_everywhere(self, edit: Callable[[Project], Project]) -> None:
        """Apply a fact about the footage that was found in the background, or what is looked at.

        It is no step of undo and nothing to save: earlier states know it too.
        """
        old = self.project
        self._history.apply_everywhere(edit)
        self._saved = edit(self._saved)
        if self.project != old:
            self._show(old)

    def give_up_gesture(self) -> None:
        """Have the project as it was before the edits of the gesture that goes on."""
        self._is_journal_behind = False
        self._travel(self._history.give_up_gesture)

    def end_gesture(self) -> None:
        """Let the next edit be a step of undo of its own."""
        self._history.end_gesture()
        if self._is_journal_behind:
            self._is_journal_behind = False
            self._keep()

    def undo(self) -> None:
        """Take the last edit back."""
        self._travel(self._history.undo)

    def redo(self) -> None:
        """Do the edit that was taken back again."""
        self._travel(self._history.redo)

    def save(self, path: Path, *, over_changes: bool = False) -> None:
        """Write the project to a file.

        Parameters
        ----------
        over_changes : bool
            Whether to write over what others have made of the file since it was opened or saved.

        Raises
        ------
        ChangedOnDiskError
            If others have changed it, unless that is meant.
        InUseError
            If another window has that project open.
        DiskError
            If it cannot be written.
        """
        self.leaving.emit()
        is_own = path == self.path
        if is_own and not over_changes and digest_on_disk(path) not in (self._digest, None):
            raise ChangedOnDiskError(
                tr("{name} has been changed by others since it was opened here.", name=path.name)
            )
        journal = self._journal if is_own else self._journals.claim(path)
        try:
            digest = save_project(self.project, path)
        except EpiphaneError:
            if not is_own:
                journal.close()
            raise
        if not is_own:
            self._journal.close()
        journal.clear(digest)
        self._journal, self._digest = journal, digest
        self._is_journal_behind = self.is_journal_failing = False
        self.path = path
        self._saved = self.project
        self.file_changed.emit()

    def close(self) -> None:
        """Let go of the journal: what is not saved now is not wanted."""
        self._journal.close()

    def lost_work(self) -> list[LostWork]:
        """Return all unsaved work that dead windows have left, the newest first."""
        return self._journals.lost(self._journal)

    def lost_work_of_project(self) -> list[LostWork]:
        """Return the lost work of the open project, the newest first."""
        return self._journals.lost_of(self._journal, self._digest)

    def forget_lost(self, work: LostWork) -> None:
        """Remove lost work for good."""
        self._journals.forget(work)

    def take_song(self, heard: HeardSong) -> None:
        """Have the sound and waveform of the song that the project names."""
        self._heard_file, self._used = heard, None
        self.song_changed.emit()

    @property
    def heard_file(self) -> HeardSong | None:
        """The song's whole file, and what was heard in it."""
        return self._heard_file

    @property
    def heard(self) -> HeardSong | None:
        """The part of the song that is used, as it sounds, and what was heard in it."""
        song = self.project.song
        if self._heard_file is None or song is None:
            return self._heard_file
        shape = (song.start, song.duration, song.gain, song.fade_in, song.fade_out, song.fade_bend)
        if self._used is None or self._used[0] != shape:
            is_whole = song.start == 0 and song.duration >= self._heard_file.samples.duration - 1e-6
            is_plain = is_whole and song.gain == song.fade_in == song.fade_out == 0
            self._used = (shape, self._heard_file if is_plain else self._heard_file.used_by(song))
        return self._used[1]

    def select(self, selection: Selection) -> None:
        """Select something; what is not there any more is not selected."""
        if selection != self.selection:
            self.leaving.emit()
        selection = still_there(selection, self.project)
        if selection != self.selection:
            self.selection = selection
            self.selection_changed.emit()

    def go_to(self, frame: int) -> None:
        """Put the playhead on a frame of the project."""
        frame = self._frame_within(frame)
        if frame != self.playhead:
            self.playhead = frame
            self.playhead_changed.emit()

    def _frame_within(self, frame: int) -> int:
        return min(max(frame, 0), max(self.project.n_frames - 1, 0))

    @property
    def playhead_bar(self) -> int:
        """Index of the bar under the playhead."""
        # The end of its frame: a bar that begins within the frame is on screen with it.
        return bar_at(self.bars, frame_start(self.playhead + 1, self.project.rate) - 1e-6)

    def hits_of(self, pulse: Pulse) -> tuple[Hit, ...]:
        """Return the hits of a pulse of the project."""
        return hits_of(pulse, hit_context_of(self.project))

    def set_ticking(self, pulses: frozenset[PulseId]) -> None:
        """Have the hits of some pulses heard as ticks while it plays; they are never exported."""
        if pulses != self.ticking:
            self.ticking = pulses
            self.ticking_changed.emit()

    def select_shots(self, shots: Iterable[ItemId], last: ItemId | None = None) -> None:
        """Select some shots, of which one was selected `last`; none selects the song."""
        self.select(shots_selected([one.id for one in self.project.shots if one.id in set(shots)], last))

    def select_cues(self, keys: frozenset[CueKey], *, lane: LaneId | None) -> None:
        """Select cues; none selects their lane, or the song."""
        if keys:
            self.select(CuesSelection(lane=lane, cues=keys))
        else:
            self.select(LaneSelection(lane) if lane is not None else SongSelection())

    def _travel(self, step: Callable[[], None]) -> None:
        old = self.project
        step()
        if self.project is not old:
            self._keep()
            self._show(old)

    def _keep(self) -> None:
        """Have the project as it is now outlast a crash; that this fails is said once."""
        try:
            self._journal.append(self.project)
        except DiskError as error:
            if not self.is_journal_failing:
                self.is_journal_failing = True
                text = tr(
                    "Unsaved edits would be lost in a crash: {error}. Make room on the disk, and save.",
                    error=error,
                )
                self.said.emit(text, True)
        else:
            self.is_journal_failing = False

    def _show(self, old: Project) -> None:
        self.cues = schedule(self.project, self.cues)
        before = self._used
        # Before anybody is told: who shows the project also looks at what is selected of it, and where.
        selection, playhead = self.selection, self.playhead
        self.selection = still_there(selection, self.project)
        self.playhead = self._frame_within(playhead)
        self.project_changed.emit(self.project, old)
        if before is not None and self.heard is not before[1]:
            self.song_changed.emit()
        if self.selection != selection:
            self.selection_changed.emit()
        if self.playhead != playhead:
            self.playhead_changed.emit()
        self.file_changed.emit()
