"""The one holder of the current Project, its history, the selection and the playhead."""

from collections.abc import Callable
from enum import Enum
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.audio.heard import HeardSong
from epiphane.audio.levels import SongLevels
from epiphane.document.grid import Bar, bar_at, bars_of
from epiphane.document.hits import ground_of, hits_of
from epiphane.document.ids import FootageId, LaneId, PulseId, ShotId
from epiphane.document.lane import Lane
from epiphane.document.model import BandSource, Beat, Footage, Hit, Project, Pulse, Shot
from epiphane.files.project import Journal, journal_of, save_project
from epiphane.edits.cues import CueKey
from epiphane.edits.history import History
from epiphane.errors import EpiphaneError
from epiphane.keying.schedule import Cue, Schedule, schedule
from epiphane.timing import frame_at, frame_start


class Kind(Enum):
    """What the bench may show."""

    SONG = "song"
    PULSE = "pulse"
    BEAT = "beat"
    LANE = "lane"
    CUES = "cues"
    SHOT = "shot"
    FOOTAGE = "footage"
    FILLING = "filling"
    RECIPE = "recipe"
    NEW_RECIPE = "new recipe"
    EXPORT = "export"


class Selection(Struct, frozen=True):
    """What is selected: a pulse, a beat by its number, a lane, some cues, a shot, footage; else the song.

    A recipe is selected by the path of its file; a new one is made of lanes, first of those like `lane`.
    """

    kind: Kind = Kind.SONG
    pulse: PulseId | None = None
    beat: int | None = None
    lane: LaneId | None = None
    cues: frozenset[CueKey] = frozenset()
    shot: ShotId | None = None
    footage: FootageId | None = None
    recipe: str = ""


class ShownBand(Struct, frozen=True, eq=False):
    """The band of a pulse, and the levels that its hits are looked for in."""

    pulse: PulseId
    band: BandSource
    levels: SongLevels


class Editor(QObject):
    """What is being edited. Views listen to its signals and never keep a copy of the Project.

    Signals
    -------
    project_changed(new: Project, old: Project)
    selection_changed(), playhead_changed(), song_changed(), file_changed()
    ticking_changed()
    said(text: str, is_fault: bool)
        Something for the editor to read.
    """

    project_changed = pyqtSignal(object, object)
    selection_changed = pyqtSignal()
    playhead_changed = pyqtSignal()
    song_changed = pyqtSignal()
    file_changed = pyqtSignal()
    ticking_changed = pyqtSignal()
    said = pyqtSignal(str, bool)

    def __init__(self, *, journal_folder: Path) -> None:
        super().__init__()
        self._journal_folder = journal_folder
        self._history = History(Project())
        self._saved: Project = self._history.present
        self._journal = Journal(journal_folder / "untitled.journal")
        self._is_journal_behind = False
        self.path: Path | None = None
        self.cues: Schedule = schedule(self.project)
        self.selection = Selection()
        self.playhead = 0
        self._whole: HeardSong | None = None
        self._used: tuple[tuple[float, ...], HeardSong] | None = None
        self.ticking: frozenset[PulseId] = frozenset()

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

    def open(self, project: Project, path: Path | None) -> None:
        """Show another project; `path` is its file, or None if it has none yet."""
        old = self.project
        self._history = History(project)
        self._saved = project
        self._is_journal_behind = False
        self.path = path
        self._whole = None
        self._journal = journal_of(path) if path else Journal(self._journal_folder / "untitled.journal")
        self.selection = Selection()
        self.playhead = 0
        self._show(old)
        self.selection_changed.emit()
        self.song_changed.emit()
        self.playhead_changed.emit()

    def apply(self, edit: Callable[[Project], Project], label: str, *, gesture: str | None = None) -> bool:
        """Do an edit; False if it was refused, which the editor is told.

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
        except EpiphaneError as error:
            self.said.emit(str(error), True)
            return False
        if new == old:
            return True
        self._history.record(new, label, gesture=gesture)
        self._is_journal_behind = gesture is not None  # a drag is written once, when it ends
        if gesture is None:
            self._journal.append(new)
        self._show(old)
        return True

    def learn(self, edit: Callable[[Project], Project]) -> None:
        """Have a fact about the footage that was found in the background.

        It is no step of undo and nothing to save: earlier states know it too, and it would be found again.
        """
        old = self.project
        self._history.learn(edit)
        self._saved = edit(self._saved)
        if self.project != old:
            self._show(old)

    def end_gesture(self) -> None:
        """Let the next edit be a step of undo of its own."""
        self._history.end_gesture()
        if self._is_journal_behind:
            self._is_journal_behind = False
            self._journal.append(self.project)

    def undo(self) -> None:
        """Take the last edit back."""
        self._travel(self._history.undo)

    def redo(self) -> None:
        """Do the edit that was taken back again."""
        self._travel(self._history.redo)

    def save(self, path: Path) -> bool:
        """Write the project to a file; False if that failed, which the editor is told."""
        try:
            save_project(self.project, path)
        except EpiphaneError as error:
            self.said.emit(str(error), True)
            return False
        self._is_journal_behind = False
        self._journal.clear()
        self._journal = journal_of(path)
        self._journal.clear()
        self.path = path
        self._saved = self.project
        self.file_changed.emit()
        return True

    def forget_journal(self) -> None:
        """Let go of what a crash would bring back."""
        self._journal.clear()

    def journal(self) -> Journal:
        """Return the journal of the open project."""
        return self._journal

    def take_song(self, heard: HeardSong) -> None:
        """Have the sound and waveform of the song that the project names."""
        self._whole, self._used = heard, None
        self.song_changed.emit()

    @property
    def whole(self) -> HeardSong | None:
        """The song's whole file, and what was heard in it."""
        return self._whole

    @property
    def heard(self) -> HeardSong | None:
        """The part of the song that is used, as it sounds, and what was heard in it."""
        song = self.project.song
        if self._whole is None or song is None:
            return self._whole
        shape = (song.start, song.duration, song.gain, song.fade_in, song.fade_out, song.fade_bend)
        if self._used is None or self._used[0] != shape:
            is_whole = song.start == 0 and song.duration >= self._whole.samples.duration - 1e-6
            is_plain = is_whole and song.gain == song.fade_in == song.fade_out == 0
            self._used = (shape, self._whole if is_plain else self._whole.used_by(song))
        return self._used[1]

    def select(self, selection: Selection) -> None:
        """Select something; what is not there any more is not selected."""
        selection = _still_there(selection, self.project)
        if selection != self.selection:
            self.selection = selection
            self.selection_changed.emit()

    def go_to(self, frame: int) -> None:
        """Put the playhead on a frame of the project."""
        frame = min(max(frame, 0), max(self.project.n_frames - 1, 0))
        if frame != self.playhead:
            self.playhead = frame
            self.playhead_changed.emit()

    @property
    def playhead_bar(self) -> int:
        """Index of the bar under the playhead."""
        # The end of its frame: a bar that begins within the frame is on screen with it.
        return bar_at(self.bars, frame_start(self.playhead + 1, self.project.rate) - 1e-6)

    def step_to_beat(self, direction: int) -> None:
        """Go to the next (1) or last (-1) beat."""
        song = self.project.song
        frames = [frame_at(beat.time, self.project.rate) for beat in song.beats] if song else []
        self._step_among(frames, direction)

    def step_to_bar(self, direction: int) -> None:
        """Go to the next (1) or last (-1) bar line."""
        self._step_among([frame_at(bar.start, self.project.rate) for bar in self.bars], direction)

    def selected_lane(self) -> Lane | None:
        """Return the selected lane, or that of the selected cues."""
        return next((lane for lane in self.project.lanes if lane.id == self.selection.lane), None)

    def selected_pulse(self) -> Pulse | None:
        """Return the selected pulse."""
        return next((pulse for pulse in self.project.pulses if pulse.id == self.selection.pulse), None)

    @property
    def shown_band(self) -> "ShownBand | None":
        """The band of the selected pulse and what is looked at in it, where the score shows the spectrum."""
        pulse, heard = self.selected_pulse(), self.heard
        levels = None if heard is None else heard.listening.levels
        if pulse is None or levels is None or not isinstance(pulse.source, BandSource):
            return None
        return ShownBand(pulse.id, pulse.source, levels)

    def selected_beat(self) -> Beat | None:
        """Return the selected beat."""
        song, number = self.project.song, self.selection.beat
        return song.beats[number] if song is not None and number is not None else None

    def hits_of(self, pulse: Pulse) -> tuple[Hit, ...]:
        """Return the hits of a pulse of the project."""
        return hits_of(pulse, ground_of(self.project))

    def set_ticking(self, pulses: frozenset[PulseId]) -> None:
        """Have the hits of some pulses heard as ticks while it plays; they are never exported."""
        if pulses != self.ticking:
            self.ticking = pulses
            self.ticking_changed.emit()

    def selected_shot(self) -> Shot | None:
        """Return the selected shot."""
        return next((shot for shot in self.project.shots if shot.id == self.selection.shot), None)

    def selected_footage(self) -> Footage | None:
        """Return the selected footage."""
        return next((one for one in self.project.footage if one.id == self.selection.footage), None)

    def step_to_shot(self, direction: int) -> None:
        """Select the next (1) or last (-1) shot, and go to its first frame."""
        shots = self.project.shots
        chosen = self.selected_shot()
        here = chosen.start if chosen is not None else self.playhead
        later = [shot for shot in shots if (shot.start - here) * direction > 0]
        if later:
            shot = later[0] if direction > 0 else later[-1]
            self.select(Selection(Kind.SHOT, shot=shot.id))
            self.go_to(shot.start)

    def selected_cues(self) -> list[Cue]:
        """Return the selected cues, ascending; those without a hit any more are left out."""
        chosen = []
        for lane in self.cues.lanes:
            chosen += [cue for cue in lane.cues if (lane.lane.id, cue.hit.time) in self.selection.cues]
        return sorted(chosen, key=lambda cue: cue.hit.time)

    def select_cues(self, keys: frozenset[CueKey], *, lane: LaneId | None) -> None:
        """Select cues; none selects their lane, or the song."""
        if keys:
            self.select(Selection(Kind.CUES, lane=lane, cues=keys))
        else:
            self.select(Selection(Kind.LANE, lane=lane) if lane is not None else Selection())

    def _step_among(self, frames: list[int], direction: int) -> None:
        if direction > 0:
            self.go_to(next((frame for frame in frames if frame > self.playhead), self.project.n_frames - 1))
        else:
            self.go_to(next((frame for frame in reversed(frames) if frame < self.playhead), 0))

    def _travel(self, step: Callable[[], None]) -> None:
        old = self.project
        step()
        if self.project is not old:
            self._journal.append(self.project)
            self._show(old)

    def _show(self, old: Project) -> None:
        self.cues = schedule(self.project, self.cues)
        before = self._used
        self.project_changed.emit(self.project, old)
        if before is not None and self.heard is not before[1]:
            self.song_changed.emit()
        self.select(self.selection)
        self.go_to(self.playhead)
        self.file_changed.emit()


def _still_there(selection: Selection, project: Project) -> Selection:
    has_lane = any(lane.id == selection.lane for lane in project.lanes)
    if selection.kind in (Kind.LANE, Kind.CUES) and not has_lane:
        return Selection()
    if selection.kind is Kind.PULSE and not any(pulse.id == selection.pulse for pulse in project.pulses):
        return Selection()
    n_beats = len(project.song.beats) if project.song is not None else 0
    if selection.kind is Kind.BEAT and not 0 <= (selection.beat or 0) < n_beats:
        return Selection()
    if selection.kind is Kind.FOOTAGE and not any(one.id == selection.footage for one in project.footage):
        return Selection()
    if selection.kind is Kind.SHOT and not any(shot.id == selection.shot for shot in project.shots):
        return Selection()
    return selection
