"""What the score has, as words in a tree: for a screen reader, for keys, and to be looked through."""

from collections.abc import Callable, Iterable, Sequence
from pathlib import Path

from msgspec import Struct

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import (
    BeatSelection,
    CuesSelection,
    DropSelection,
    GapSelection,
    ItemSelection,
    LaneSelection,
    PartSelection,
    PulseSelection,
    Selection,
    ShotSelection,
    SongSelection,
    TapSelection,
    TrackSelection,
)
from epiphane.desk.look.lanes import lane_label
from epiphane.desk.score.tooltips import tell_cue, tell_shot
from epiphane.document.lane import Lane
from epiphane.document.pulse import Pulse, TappedSource
from epiphane.document.timeline import Item, Track
from epiphane.edits.shots.main_track import shot_name, track_name
from epiphane.facts.form import part_words, parts_of
from epiphane.facts.grid import DOUBTFUL
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr


class Listed(Struct, frozen=True):
    """One thing of the score: its name, its first frame (None: it has none), and what it is in words.

    `selection` is what selects it; that of a heading is None. `inner` returns what it has, when it is asked.
    """

    name: str
    frame: int | None
    about: str
    selection: Selection | None
    inner: Callable[[], Sequence["Listed"]] = tuple

    @property
    def key(self) -> object:
        """What it is known by when the list is made anew."""
        return self.name if self.selection is None else self.selection


def listed_score(editor: Editor) -> list[Listed]:
    """Return the headings of all that the score has, from its top down; what is not there has none."""
    project = editor.project
    song, parts, shots = project.song, parts_of(project.song), project.shots
    n_beats = len(song.beats) if song else 0
    headings = [
        (tr("Song"), 1 if song else 0, lambda: _song(editor)),
        (tr("Parts"), len(parts), lambda: _parts(editor)),
        (tr("Drops"), len(song.drops) if song else 0, lambda: _drops(editor)),
        (tr("Beats"), n_beats, lambda: _beats(editor)),
        (tr("Pulses"), len(project.pulses), lambda: [_pulse(editor, one) for one in project.pulses]),
        (tr("Shots"), len(shots), lambda: _shots(editor)),
        (tr("Tracks"), len(project.tracks), lambda: [_track(editor, one) for one in project.tracks]),
        (tr("Lanes"), len(project.lanes), lambda: [_lane(editor, one) for one in project.lanes]),
    ]
    return [Listed(name, None, f"{count:,}", None, inner) for name, count, inner in headings if count]


def _song(editor: Editor) -> list[Listed]:
    song = editor.project.song
    assert song is not None
    about = tr("{tempo:.1f} BPM · {seconds:.1f} s", tempo=song.tempo, seconds=song.duration)
    return [Listed(Path(song.path).name, 0, about, SongSelection())]


def _parts(editor: Editor) -> list[Listed]:
    rate = editor.project.rate
    return [
        Listed(
            part_words(part),
            frame_at(part.start, rate),
            tr("{seconds:.1f} s long", seconds=part.end - part.start),
            PartSelection(number),
        )
        for number, part in enumerate(parts_of(editor.project.song))
    ]


def _drops(editor: Editor) -> list[Listed]:
    song = editor.project.song
    assert song is not None
    return [
        Listed(tr("Drop"), frame_at(time, editor.project.rate), "", DropSelection(number))
        for number, time in enumerate(song.drops)
    ]


def _beats(editor: Editor) -> list[Listed]:
    song = editor.project.song
    assert song is not None
    return [
        Listed(
            tr("Beat {place} of the bar", place=beat.place),
            frame_at(beat.time, editor.project.rate),
            tr("{confidence:.0%} sure", confidence=beat.confidence)
            + tr(" · doubtful") * (beat.confidence < DOUBTFUL),
            BeatSelection(number),
        )
        for number, beat in enumerate(song.beats)
    ]


def _pulse(editor: Editor, pulse: Pulse) -> Listed:
    def taps() -> list[Listed]:
        hits = pulse.source.hits if isinstance(pulse.source, TappedSource) else ()
        return [
            Listed(tr("Tap"), frame_at(hit.time, editor.project.rate), "", TapSelection(pulse.id, hit.time))
            for hit in hits
        ]

    about = tr("{count:,} hits", count=len(editor.hits_of(pulse)))
    return Listed(pulse.name, None, about, PulseSelection(pulse.id), taps)


def _shots(editor: Editor) -> list[Listed]:
    """Return the shots and the gaps between them, in the order of time."""
    project = editor.project
    listed, end = [], 0
    for number, shot in enumerate(project.shots, start=1):
        if shot.start > end:
            listed.append(_gap(editor, end, shot.start))
        name = tr("{number}. {name}", number=number, name=shot_name(project, shot))
        listed.append(Listed(name, shot.start, _item_words(editor, shot), ShotSelection(shot.id)))
        end = shot.start + shot.n_frames
    return listed


def _gap(editor: Editor, start: int, end: int) -> Listed:
    seconds = float((end - start) / editor.project.rate)
    about = tr("black · {seconds:.2f} s long", seconds=seconds)
    return Listed(tr("Gap"), start, about, GapSelection(start))


def _track(editor: Editor, track: Track) -> Listed:
    def items() -> list[Listed]:
        return [
            Listed(
                shot_name(editor.project, item),
                item.start,
                _item_words(editor, item),
                ItemSelection(item.id),
            )
            for item in track.items
        ]

    about = [tr("{count:,} items", count=len(track.items))]
    about += [tr("muted")] * track.is_muted + [tr("solo")] * track.is_solo + [tr("locked")] * track.is_locked
    return Listed(track_name(editor.project, track), None, " · ".join(about), TrackSelection(track.id), items)


def _item_words(editor: Editor, item: Item) -> str:
    """Return how long an item lasts, and what of its footage it shows."""
    rate = editor.project.rate
    words = [tr("{seconds:.2f} s long", seconds=float(item.n_frames / rate))]
    if item.footage is not None:
        told = tell_shot(editor.project, item, float(frame_start(item.start, rate)))
        words += told.split(" · ")[2:]  # after its name and frame, which stand in fields of their own
    return " · ".join(words)


def _lane(editor: Editor, lane: Lane) -> Listed:
    found = editor.cues.lane(lane.id)
    cues = () if found is None else found.cues

    def inner() -> list[Listed]:
        return [
            Listed(
                tr("Cue {number}", number=number),
                cue.frame,
                tell_cue(editor, cue),
                CuesSelection(lane.id, frozenset({(lane.id, cue.hit.time)})),
            )
            for number, cue in enumerate(cues, start=1)
        ]

    about = [tr("{count:,} cues", count=len(cues))] if cues else [tr(lane.trigger.value)]
    about += [tr("muted")] * lane.is_muted + [tr("solo")] * lane.is_solo + [_where(editor, lane)]
    label = lane_label(lane)
    return Listed(label, None, " · ".join(one for one in about if one), LaneSelection(lane.id), inner)


def _where(editor: Editor, lane: Lane) -> str:
    """Return on which track a lane acts, or nothing where it acts on all above it."""
    found = next((one for one in editor.project.tracks if one.id == lane.track), None)
    return "" if found is None else tr("on {track}", track=track_name(editor.project, found))


def selected_keys(selection: Selection) -> Iterable[object]:
    """Return the keys of what is listed that a selection selects."""
    if isinstance(selection, CuesSelection):
        return [CuesSelection(lane, frozenset({(lane, hit)})) for lane, hit in selection.cues]
    if len(selection.shots) > 1:
        return [ShotSelection(shot) for shot in selection.shots]
    if len(selection.lanes) > 1:
        return [LaneSelection(lane) for lane in selection.lanes]
    return [selection]
