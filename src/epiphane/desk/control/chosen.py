"""What is selected, as it is in the project now."""

from collections.abc import Iterable
from typing import Protocol, TypeVar

from msgspec import Struct

from epiphane.audio.band_levels import SongLevels
from epiphane.audio.heard import HeardSong
from epiphane.desk.control.selection import Selection
from epiphane.document.footage import Footage
from epiphane.document.ids import PulseId
from epiphane.document.lane import Lane
from epiphane.document.project import Project, footage_of
from epiphane.document.pulse import BandSource, Pulse, TappedSource
from epiphane.document.song import Beat, Hit
from epiphane.document.timeline import Item, Track
from epiphane.keying.schedule import Cue, Schedule

_Thing = TypeVar("_Thing", Lane, Pulse, Item, Track)


class ShownBand(Struct, frozen=True, eq=False):
    """The band of a pulse, and the levels that its hits are looked for in."""

    pulse: PulseId
    band: BandSource
    levels: SongLevels


class Edited(Protocol):
    """The editor, as far as it has to be known here."""

    @property
    def project(self) -> Project:
        """The Project as it is now."""
        ...

    @property
    def selection(self) -> Selection:
        """What is selected, by its numbers."""
        ...

    @property
    def cues(self) -> Schedule:
        """The cues of every lane."""
        ...

    @property
    def heard(self) -> HeardSong | None:
        """What was heard in the song."""
        ...


class Chosen:
    """The things that are selected; None, or none, where nothing of the kind is."""

    def __init__(self, editor: Edited) -> None:
        self._editor = editor

    @property
    def lane(self) -> Lane | None:
        """The selected lane, or that of the selected cues."""
        return _numbered(self._editor.project.lanes, self._editor.selection.lane)

    @property
    def lanes(self) -> list[Lane]:
        """All selected lanes, in their order."""
        chosen = self._editor.selection.lanes
        return [lane for lane in self._editor.project.lanes if lane.id in chosen]

    @property
    def pulse(self) -> Pulse | None:
        """The selected pulse."""
        return _numbered(self._editor.project.pulses, self._editor.selection.pulse)

    @property
    def band(self) -> "ShownBand | None":
        """The band of the selected pulse and what is looked at in it, where the score shows the spectrum."""
        pulse, heard = self.pulse, self._editor.heard
        levels = None if heard is None else heard.listening.levels
        if pulse is None or levels is None or not isinstance(pulse.source, BandSource):
            return None
        return ShownBand(pulse.id, pulse.source, levels)

    @property
    def beat(self) -> Beat | None:
        """The selected beat."""
        song, number = self._editor.project.song, self._editor.selection.beat
        return song.beats[number] if song is not None and number is not None else None

    @property
    def tap(self) -> Hit | None:
        """The selected tap."""
        pulse, time = self.pulse, self._editor.selection.tap
        if pulse is None or time is None or not isinstance(pulse.source, TappedSource):
            return None
        return next((hit for hit in pulse.source.hits if hit.time == time), None)

    @property
    def shot(self) -> Item | None:
        """The selected shot."""
        return _numbered(self._editor.project.shots, self._editor.selection.shot)

    @property
    def shots(self) -> list[Item]:
        """All selected shots, in their order."""
        chosen = self._editor.selection.shots
        return [shot for shot in self._editor.project.shots if shot.id in chosen]

    @property
    def item(self) -> Item | None:
        """The selected item of a track over the shots."""
        items = (item for track in self._editor.project.tracks for item in track.items)
        return _numbered(items, self._editor.selection.item)

    @property
    def track(self) -> Track | None:
        """The selected track over the shots."""
        return _numbered(self._editor.project.tracks, self._editor.selection.track)

    @property
    def footage(self) -> Footage | None:
        """The selected footage."""
        return footage_of(self._editor.project, self._editor.selection.footage)

    @property
    def cues(self) -> list[Cue]:
        """The selected cues, ascending; those without a hit any more are left out."""
        keys = self._editor.selection.cues
        lanes = self._editor.cues.lanes
        chosen = (cue for one in lanes for cue in one.cues if (one.lane.id, cue.hit.time) in keys)
        return sorted(chosen, key=lambda cue: cue.hit.time)


def _numbered(things: Iterable[_Thing], number: int | None) -> _Thing | None:
    return next((one for one in things if one.id == number), None)
