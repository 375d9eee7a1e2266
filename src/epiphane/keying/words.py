"""What lanes of words show: one word or line after the other, each on its hit."""

from bisect import bisect_right
from fractions import Fraction
from functools import lru_cache

from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.parameters import Values
from epiphane.document.lane import Lane
from epiphane.document.project import Project
from epiphane.document.timeline import Transform
from epiphane.document.titles import TextFill
from epiphane.facts.titles import TitleClock, since_landing
from epiphane.keying.schedule import Cue, LaneSchedule, Schedule
from epiphane.lane_kinds import BY_WORD, LINES, NUMBER, TEMPO, TIME, WORDS
from epiphane.timing import timecode


class WordsFrame(Struct, frozen=True):
    """A text as a lane of words shows it on a frame."""

    fill: TextFill
    transform: Transform
    clock: TitleClock
    opacity: float


@lru_cache(maxsize=64)
def parts_of(text: str, by: str) -> tuple[str, ...]:
    """Return the words of a text, or its lines, without empty ones."""
    parts = text.splitlines() if by == LINES else text.split()
    return tuple(part.strip() for part in parts if part.strip())


def words_at(project: Project, cues: Schedule, lane: Lane, frame: int) -> WordsFrame | None:
    """Return what a lane of words shows on a frame, or None where it shows nothing.

    A cue shows the part whose turn it is, its number, the time or the tempo. It arrives while its envelope
    rises, so that it has arrived on the frame of its hit, and leaves while that falls.
    """
    scheduled = cues.lane(lane.id)
    at_work = None if scheduled is None else scheduled.cue_at(frame)
    level = 0.0 if scheduled is None else float(scheduled.levels[frame])
    if scheduled is None or at_work is None or level == 0 or lane.words is None:
        return None
    cue, turn = at_work
    values = _values_of(scheduled, cue, turn, level)
    word = word_of(project, scheduled, cue, turn, frame)
    if not word:
        return None
    transform = Transform(
        scale=values.scale / 100, x=values.across / 100, y=values.down / 100, rotation=values.rotation
    )
    fill = replace(lane.words, text=word)
    opacity = round(min(max(values.opacity / 100, 0.0), 1.0), 6)
    return WordsFrame(fill, transform, _clock(lane.words, cue, frame, project.rate), opacity)


def word_of(project: Project, scheduled: LaneSchedule, cue: Cue, turn: int, frame: int | None = None) -> str:
    """Return what a cue of a lane of words shows on a frame, or on its hit; `turn` cues came before it.

    A number, time or tempo stands in the place of each # of the words, or alone where there is none.
    """
    words = scheduled.lane.words
    if words is None:
        return ""
    by = _values_of(scheduled, cue, turn, 1.0).by
    if by in (BY_WORD, LINES):
        parts = parts_of(words.text, by)
        return parts[turn % len(parts)] if parts else ""
    told = {
        NUMBER: lambda: str(turn + 1),
        TIME: lambda: timecode(cue.frame if frame is None else frame, project.rate),
        TEMPO: lambda: _tempo(project, cue.hit.time),
    }[by]()
    return words.text.replace(_PLACE, told) if _PLACE in words.text else told


_PLACE = "#"


def _tempo(project: Project, time: float) -> str:
    """Return the beats a minute about an instant, as text; nothing without beats."""
    beats = [] if project.song is None else [beat.time for beat in project.song.beats]
    at = bisect_right(beats, time)
    near = beats[max(0, at - _NEAR_BEATS) : at + _NEAR_BEATS]
    return str(round(60 * (len(near) - 1) / (near[-1] - near[0]))) if len(near) > 1 else ""


_NEAR_BEATS = 4


def _values_of(scheduled: LaneSchedule, cue: Cue, turn: int, level: float) -> Values:
    return Values(dict(WORDS.values_at(scheduled.instance_of(cue, turn).settings, level)))


def _clock(words: TextFill, cue: Cue, frame: int, rate: Fraction) -> TitleClock:
    """Return how far a part has arrived or left on a frame of its cue."""
    rise, hold, fall = (round(side) for side in (cue.envelope.rise, cue.envelope.hold, cue.envelope.fall))
    since = frame - cue.frame
    landed = since_landing(words, since, rate)
    if since < 0 and words.arrive is not None and rise > 0:
        return TitleClock(round(min(max(1 + since / rise, 0.0), 1.0), 6), step=round(1 / rise, 6))
    if since > hold and words.leave is not None and fall > 0:
        left = min(max((since - hold) / fall, 0.0), 1.0)
        return TitleClock(left=round(left, 6), step=round(1 / fall, 6), since=landed)
    return TitleClock(since=landed)
