"""Beats and hits as a standard MIDI file: a tempo a beat, a track of notes a pulse; and back."""

import io
from collections.abc import Iterable, Sequence
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from epiphane.disk import read_file, short_name
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import Beat, Hit
from epiphane.edits.song.beats import take_reading
from epiphane.errors import DiskError, EditError, MediaError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.interchange.declare import Interchange, Reading, declare_interchange
from epiphane.interchange.tables import with_pulses
from epiphane.types import FloatArray
from epiphane.wording import tr

if TYPE_CHECKING:
    import mido

TICKS_A_BEAT = 960
_USUAL_BEAT = 0.5
_LONGEST_BEAT = 16.0
"""Seconds: a tempo in a MIDI file is at most 16.7 s a beat."""
_FIRST_NOTE, _N_NOTES, _DRUMS = 36, 60, 9
_NOTE_TICKS = TICKS_A_BEAT // 8
_FIRST_BEAT, _LAST_BEAT = "first beat", "last beat"
_MOST_BYTES = 16 << 20
_MOST_NOTES, _MOST_BEATS = 200_000, 100_000


def midi_file(project: Project) -> bytes:
    """Return the beats of a project's song as a tempo map, and each pulse as a track of notes.

    Tempos are whole microseconds with the error carried on, so that a beat is off by half of one; hits fall
    on the nearest of 960 ticks a beat. Where the song has no beats, there are two in a second.

    Raises
    ------
    EditError
        If there is no song.
    """
    import mido  # late: only who exchanges files needs it

    if project.song is None:
        raise EditError(tr("there is no song whose beats and hits could be written"))
    beats = project.song.beats
    times = [beat.time for beat in beats] or list(np.arange(0, project.song.duration, _USUAL_BEAT))
    lead = _lead_in(times)
    grid = np.array([*lead, *times])
    file = mido.MidiFile(ticks_per_beat=TICKS_A_BEAT, charset="utf-8")
    file.tracks.append(_tempo_track(grid, len(lead), beats))
    context = hit_context_of(project)
    for number, pulse in enumerate(project.pulses):
        note = _FIRST_NOTE + number % _N_NOTES
        file.tracks.append(_note_track(pulse.name, note, hits_of(pulse, context), grid))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _lead_in(times: Sequence[float]) -> list[float]:
    """Return beats, in seconds, from 0 to before the first beat: about as long as the others."""
    if not times or times[0] <= 0:
        return []
    usual = float(np.median(np.diff(times))) if len(times) > 1 else _USUAL_BEAT
    count = max(1, round(times[0] / min(max(usual, 0.1), _LONGEST_BEAT)), int(times[0] / _LONGEST_BEAT) + 1)
    return [times[0] * number / count for number in range(count)]


def _tempo_track(grid: FloatArray, n_lead: int, beats: Sequence[Beat]) -> "mido.MidiTrack":
    import mido

    events: list[tuple[int, Any]] = [(0, mido.MetaMessage("track_name", name="tempo"))]
    bar = max((beat.place for beat in beats), default=4)
    events.append((0, mido.MetaMessage("time_signature", numerator=bar, denominator=4)))
    written = float(grid[0])
    for number, (_, end) in enumerate(pairwise(grid)):
        tempo = max(1, round(1e6 * (end - written)))
        written += tempo / 1e6
        events.append((number * TICKS_A_BEAT, mido.MetaMessage("set_tempo", tempo=tempo)))
    first = n_lead * TICKS_A_BEAT
    place = beats[0].place if beats else 1
    events.append((first, mido.MetaMessage("marker", text=f"{_FIRST_BEAT} {place}")))
    if place == 1 and n_lead:  # bars are counted from it on
        events.append((first, mido.MetaMessage("time_signature", numerator=bar, denominator=4)))
    events.append(((len(grid) - 1) * TICKS_A_BEAT, mido.MetaMessage("marker", text=_LAST_BEAT)))
    return _track(events)


def _note_track(name: str, note: int, hits: Sequence[Hit], grid: FloatArray) -> "mido.MidiTrack":
    import mido

    ticks = _ticks_at(np.array([hit.time for hit in hits]), grid)
    events: list[tuple[int, Any]] = [(0, mido.MetaMessage("track_name", name=name))]
    ends = [*ticks[1:].tolist(), None] if len(ticks) else []
    for hit, start, following in zip(hits, ticks.tolist(), ends, strict=True):
        velocity = max(1, round(127 * hit.strength))
        on = mido.Message("note_on", channel=_DRUMS, note=note, velocity=velocity)
        end = start + _NOTE_TICKS if following is None else min(start + _NOTE_TICKS, following)
        events += [(start, on), (end, mido.Message("note_off", channel=_DRUMS, note=note))]
    return _track(events)


def _track(events: Iterable[tuple[int, Any]]) -> "mido.MidiTrack":
    """Return messages at their ticks as a track; of those on one tick a note ends before one begins."""
    import mido

    track = mido.MidiTrack()
    at = 0
    for tick, message in sorted(events, key=lambda one: (one[0], one[1].type == "note_on")):
        track.append(message.copy(time=tick - at))
        at = tick
    track.append(mido.MetaMessage("end_of_track", time=0))
    return track


def _ticks_at(times: FloatArray, grid: FloatArray) -> np.ndarray:
    """Return the ticks of some seconds; beyond the last beat its tempo goes on."""
    if not len(times):
        return np.zeros(0, int)
    last = grid[-1] - grid[-2] if len(grid) > 1 else _USUAL_BEAT
    longer = np.append(grid, grid[-1] + last * 10_000)
    beats = np.append(np.arange(len(grid), dtype=float), len(grid) - 1 + 10_000.0)
    ticks = np.rint(np.interp(times, longer, beats) * TICKS_A_BEAT)
    return np.asarray(np.maximum(ticks, 0), int)


def read_midi(path: Path) -> Reading:
    """Return the tempo map of a MIDI file as beats, and its tracks of notes as pulses.

    Raises
    ------
    MediaError
        If it is none, or there is neither tempo nor note in it.
    """
    import mido

    try:
        content = read_file(path, most_bytes=_MOST_BYTES)
        try:
            file = mido.MidiFile(file=io.BytesIO(content), clip=True, charset="utf-8")
        except UnicodeDecodeError:
            file = mido.MidiFile(file=io.BytesIO(content), clip=True)  # names as the standard has them
        return _reading(file, path)
    except DiskError as error:
        raise MediaError(str(error)) from None
    except (OSError, EOFError, ValueError, KeyError, IndexError, AttributeError, TypeError):
        raise MediaError(
            tr("{name} is damaged or no MIDI file; write it anew.", name=short_name(path))
        ) from None


def _reading(file: "mido.MidiFile", path: Path) -> Reading:
    if file.ticks_per_beat <= 0:
        raise ValueError("frames of a film are no ticks")
    clock = _Clock(file)
    pulses: dict[str, set[Hit]] = {}
    first, place, last, bar, n_ticks = 0, 1, None, 4, 0
    for number, track in enumerate(file.tracks, start=1):
        at, name = 0, ""
        for message in track:
            at += message.time
            n_ticks = max(n_ticks, at)
            if message.type == "track_name":
                name = message.name
            elif message.type == "time_signature":
                bar = message.numerator
            elif message.type == "marker" and message.text.startswith(f"{_FIRST_BEAT} "):
                first, place = at, int(message.text.rpartition(" ")[2])
            elif message.type == "marker" and message.text == _LAST_BEAT:
                last = at
            elif message.type == "note_on" and message.velocity > 0:
                hit = Hit(round(clock.seconds(at), 6), round(message.velocity / 127, 4))
                pulses.setdefault((name.strip() or tr("track {number}", number=number))[:100], set()).add(hit)
    if not pulses and not clock.has_tempo:
        raise MediaError(tr("{name} has neither tempo nor notes in it.", name=short_name(path)))
    if sum(len(hits) for hits in pulses.values()) > _MOST_NOTES:
        raise MediaError(tr("{name} has more notes than can be hits.", name=short_name(path)))
    end = n_ticks if last is None else last
    ticks = range(first, min(end, first + _MOST_BEATS * file.ticks_per_beat) + 1, file.ticks_per_beat)
    beats = [
        Beat(round(clock.seconds(tick), 6), (number + place - 1) % max(1, min(bar, 32)) + 1)
        for number, tick in enumerate(ticks)
    ]

    def apply(project: Project) -> Project:
        if project.song is not None and len(beats) > 1 and clock.has_tempo:
            shifted = [Beat(beat.time + project.song.start, beat.place) for beat in beats]
            project = take_reading(project, shifted)
        grid = {one.name for one in project.pulses if one.unit in (PulseUnit.BEAT, PulseUnit.BAR)}
        return with_pulses(project, {name: hits for name, hits in pulses.items() if name not in grid})

    return Reading(apply)


class _Clock:
    """What second a tick of a MIDI file is on, by its tempo map."""

    def __init__(self, file: "mido.MidiFile") -> None:
        changes: dict[int, int] = {0: 500_000}
        self.has_tempo = False
        for track in file.tracks:
            at = 0
            for message in track:
                at += message.time
                if message.type == "set_tempo":
                    changes[at] = message.tempo
                    self.has_tempo = True
        self._per_beat = file.ticks_per_beat
        self._ticks = np.array(sorted(changes))
        self._tempos = np.array([changes[tick] for tick in self._ticks], float) / 1e6
        lengths = np.diff(self._ticks) / self._per_beat * self._tempos[:-1]
        self._starts = np.concatenate([[0.0], np.cumsum(lengths)])

    def seconds(self, tick: int) -> float:
        """Return the second of a tick."""
        number = int(np.searchsorted(self._ticks, tick, side="right")) - 1
        since = (tick - self._ticks[number]) / self._per_beat * self._tempos[number]
        return float(self._starts[number] + since)


declare_interchange(
    Interchange(
        "midi",
        tr("MIDI file"),
        (".mid", ".midi"),
        tr("beats as a tempo map, hits of every pulse as notes; both come back"),
        midi_file,
        read_midi,
    )
)
