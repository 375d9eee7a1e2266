"""What lanes of words show: one word or line after the other, each on its hit."""

from functools import lru_cache

from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.parameters import Values
from epiphane.document.lane import Lane
from epiphane.document.timeline import Transform
from epiphane.document.titles import TextFill
from epiphane.facts.titles import TitleClock
from epiphane.keying.schedule import Cue, LaneSchedule, Schedule
from epiphane.lane_kinds import LINES, WORDS


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


def words_at(cues: Schedule, lane: Lane, frame: int) -> WordsFrame | None:
    """Return what a lane of words shows on a frame, or None where it shows nothing.

    A cue shows the part whose turn it is. It arrives while its envelope rises, so that it has arrived on the
    frame of its hit, and leaves while that falls.
    """
    scheduled = cues.lane(lane.id)
    at_work = None if scheduled is None else scheduled.cue_at(frame)
    level = 0.0 if scheduled is None else float(scheduled.levels[frame])
    if scheduled is None or at_work is None or level == 0 or lane.words is None:
        return None
    cue, turn = at_work
    values = _values_of(scheduled, cue, turn, level)
    word = word_of(scheduled, cue, turn)
    if not word:
        return None
    transform = Transform(
        scale=values.scale / 100, x=values.across / 100, y=values.down / 100, rotation=values.rotation
    )
    fill = replace(lane.words, text=word)
    opacity = round(min(max(values.opacity / 100, 0.0), 1.0), 6)
    return WordsFrame(fill, transform, _clock(lane.words, cue, frame), opacity)


def word_of(scheduled: LaneSchedule, cue: Cue, turn: int) -> str:
    """Return the word or line that a cue of a lane of words shows; `turn` cues came before it."""
    words = scheduled.lane.words
    parts = () if words is None else parts_of(words.text, _values_of(scheduled, cue, turn, 1.0).by)
    return parts[turn % len(parts)] if parts else ""


def _values_of(scheduled: LaneSchedule, cue: Cue, turn: int, level: float) -> Values:
    return Values(dict(WORDS.values_at(scheduled.instance_of(cue, turn).settings, level)))


def _clock(words: TextFill, cue: Cue, frame: int) -> TitleClock:
    """Return how far a part has arrived or left on a frame of its cue."""
    rise, hold, fall = (round(side) for side in (cue.envelope.rise, cue.envelope.hold, cue.envelope.fall))
    since = frame - cue.frame
    if since < 0 and words.arrive is not None and rise > 0:
        return TitleClock(round(min(max(1 + since / rise, 0.0), 1.0), 6), step=round(1 / rise, 6))
    if since > hold and words.leave is not None and fall > 0:
        left = min(max((since - hold) / fall, 0.0), 1.0)
        return TitleClock(left=round(left, 6), step=round(1 / fall, 6))
    return TitleClock()
