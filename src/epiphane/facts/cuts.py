"""The cuts of the main track: where what is shown changes, and how much."""

import threading
from fractions import Fraction

from msgspec import Struct

from epiphane.document.footage import Footage, Passage, passage_spans
from epiphane.document.ids import FootageId
from epiphane.document.project import Project
from epiphane.document.song import Hit
from epiphane.document.timeline import FootageCut, Item, Items
from epiphane.facts.source_time import running_seconds, source_seconds
from epiphane.timing import frame_at, frame_start

_LEAST, _BY_CHANGE, _BY_PLACE = 0.4, 0.4, 0.2
"""Of the strength of a cut: what each has, what the greatest change adds, what a downbeat does."""
_GREATEST_LOOK, _GREATEST_MOVEMENT = 90.0, 20.0
"""Differences in levels from which on two shots are as unlike as can be."""
_UNKNOWN_CHANGE = 0.6


class Cut(Struct, frozen=True):
    """A change of what the main track shows: `frame` is the first frame of what is incoming.

    A side that is None is black.
    """

    frame: int
    outgoing: Item | None
    incoming: Item | None

    @property
    def name(self) -> tuple[str, int]:
        """By what it is known again when the shots have moved: the shot that begins on it, or else ends."""
        if self.incoming is not None:
            return "start", self.incoming.id
        return "end", 0 if self.outgoing is None else self.outgoing.id


def cuts_of(project: Project) -> tuple[Cut, ...]:
    """Return the cuts of a project, ascending; neither its start nor its end is one."""
    return _cuts(project.shots, project.n_frames)


def cut_hit_time(frame: int, rate: Fraction) -> float:
    """Return the time of the hit of a cut, in seconds: that of its frame, to a microsecond."""
    return round(frame_start(frame, rate), 6)


def cut_hits(project: Project) -> tuple[Hit, ...]:
    """Return a hit for each cut of a project, ascending.

    It is the stronger, the more the shots differ in colours, brightness and movement by what is known of
    their footage, and it is stronger on a downbeat.
    """
    return _kept.get(project)


class _KeptHits:
    """The hits of the shots that were asked for last: they are asked for on every edit, and change rarely."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._last: tuple[Project, tuple[Hit, ...]] | None = None

    def get(self, project: Project) -> tuple[Hit, ...]:
        """Return the hits of the cuts of a project."""
        with self._lock:
            last = self._last
        if last is not None and _has_same_cuts(last[0], project):
            return last[1]
        hits = _hits(project)
        with self._lock:
            self._last = project, hits
        return hits


def _has_same_cuts(one: Project, other: Project) -> bool:
    """Whether two projects share all that the hits of cuts are made of."""
    is_shared = one.shots is other.shots and one.footage is other.footage and one.song is other.song
    return is_shared and (one.rate, one.n_frames) == (other.rate, other.n_frames)


_kept = _KeptHits()


def _cuts(shots: Items, n_frames: int) -> tuple[Cut, ...]:
    found: list[Cut] = []
    before: Item | None = None
    for shot in shots:
        if before is not None and before.end < shot.start:
            found.append(Cut(before.end, before, None))
        is_joined = before is not None and before.end == shot.start
        if shot.start > 0:
            found.append(Cut(shot.start, before if is_joined else None, shot))
        before = shot
    if before is not None and before.end < n_frames:
        found.append(Cut(before.end, before, None))
    return tuple(found)


def _hits(project: Project) -> tuple[Hit, ...]:
    beats = () if project.song is None else project.song.beats
    footage = {one.id: one for one in project.footage}
    rate = project.rate
    downbeats = {frame_at(beat.time, rate) for beat in beats if beat.place == 1}
    hits = []
    for cut in cuts_of(project):
        sides = [
            _passage_on(side, footage, frame, rate)
            for side, frame in ((cut.outgoing, cut.frame - 1), (cut.incoming, cut.frame))
        ]
        strength = _LEAST + _BY_CHANGE * _change(*sides) + _BY_PLACE * (cut.frame in downbeats)
        hits.append(Hit(cut_hit_time(cut.frame, rate), round(min(strength, 1.0), 3)))
    return tuple(hits)


def _passage_on(
    item: Item | None, footage: dict[FootageId, Footage], frame: int, rate: Fraction
) -> Passage | None:
    """Return what is known of what an item shows on a frame, or None."""
    if item is None or not isinstance(item.content, FootageCut):
        return None
    found = footage.get(item.content.footage)
    if found is None or not found.passages:
        return None
    seconds = source_seconds(item, found, frame, rate)
    begun = [passage for (first, _), passage in passage_spans(found) if first <= seconds + 1e-4]
    return begun[-1] if begun else found.passages[0]


def drift_at(project: Project, cut: Cut) -> tuple[float, float]:
    """Return how far what is seen around a cut moves to the right and down, in widths of the frame a second.

    By what is known of the footage of both sides; a shot that is played backwards moves the other way.
    """
    footage = {one.id: one for one in project.footage}
    across = down = 0.0
    for side, frame in ((cut.outgoing, cut.frame - 1), (cut.incoming, cut.frame)):
        passage = _passage_on(side, footage, frame, project.rate)
        if side is None or passage is None:
            continue
        seconds = [running_seconds(side, frame + n, project.rate) for n in (0, 1)]
        speed = (seconds[1] - seconds[0]) * float(project.rate)
        across, down = across + speed * passage.drift[0], down + speed * passage.drift[1]
    return across, down


def _change(outgoing: Passage | None, incoming: Passage | None) -> float:
    """Return how unlike two passages are, 0 to 1."""
    if outgoing is None or incoming is None:
        return _UNKNOWN_CHANGE
    look = sum(abs(one - other) for one, other in zip(outgoing.look, incoming.look, strict=True))
    movement = abs(outgoing.movement - incoming.movement)
    return min(1.0, 0.7 * look / _GREATEST_LOOK + 0.3 * movement / _GREATEST_MOVEMENT)
