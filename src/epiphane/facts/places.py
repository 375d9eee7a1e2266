"""Places of the song as people write them: a bar, a beat of it, a time, a frame."""

import re
from collections.abc import Sequence
from fractions import Fraction

from epiphane.errors import ParameterError
from epiphane.facts.grid import Bar, bar_at
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_FRAME = re.compile(r"f\s*(\d{1,9})|(\d{1,9})\s*f", re.IGNORECASE | re.ASCII)
_CLOCK = re.compile(r"(?:(\d{1,4}):)?(\d{1,4}):(\d{1,2}(?:[.,]\d{1,6})?)", re.ASCII)
_SECONDS = re.compile(r"(\d{1,6}(?:[.,]\d{1,6})?)\s*s", re.IGNORECASE | re.ASCII)
_BAR = re.compile(r"(-?\d{1,6})(?:[.,](\d{1,2}))?", re.ASCII)


def parse_place(text: str, bars: Sequence[Bar], rate: Fraction) -> int:
    """Return the frame of a place: ``12`` a bar, ``12.3`` a beat of it, ``1:04.5``, ``64.5 s``, ``f 350``.

    Parameters
    ----------
    bars : sequence of Bar
        Those of the project.
    rate : Fraction, frames / second

    Raises
    ------
    ParameterError
        If it is none of these, or there is no such bar or beat.
    """
    text = text.strip()
    if found := _FRAME.fullmatch(text):
        return int(found[1] or found[2])
    if found := _CLOCK.fullmatch(text):
        hours, minutes, seconds = (float((part or "0").replace(",", ".")) for part in found.groups())
        return frame_at(3600 * hours + 60 * minutes + seconds, rate)
    if found := _SECONDS.fullmatch(text):
        return frame_at(float(found[1].replace(",", ".")), rate)
    if found := _BAR.fullmatch(text):
        return frame_at(_beat_time(int(found[1]), int(found[2] or 1), bars), rate)
    raise ParameterError(
        tr(
            "a place is a bar (12), a beat of it (12.3), a time (1:04.5 or 64.5 s) or a frame (f"
            " 350), got {words!r:.40}",
            words=text,
        )
    )


def place_text(frame: int, bars: Sequence[Bar], rate: Fraction) -> str:
    """Return the place of a frame as `parse_place` reads it: its bar, and the beat that was last (``12.3``).

    Parameters
    ----------
    frame : int
        Of the project, from 0.
    bars : sequence of Bar
        Those of the project, ascending.
    rate : Fraction, frames / second
    """
    now = frame_start(frame + 1, rate) - 1e-6  # a beat within the frame is heard while it is on screen
    bar = bars[bar_at(tuple(bars), now)]
    return f"{bar.number}.{max(1, sum(time <= now for time in bar.beats))}" if bar.beats else f"{bar.number}"


def _beat_time(number: int, beat: int, bars: Sequence[Bar]) -> float:
    bar = next((one for one in bars if one.number == number), None)
    if bar is None:
        raise ParameterError(
            tr(
                "there is no bar {number}: they go from {first} to {last}",
                number=number,
                first=bars[0].number,
                last=bars[-1].number,
            )
        )
    if beat == 1:
        return bar.start
    if not 1 <= beat <= len(bar.beats):
        raise ParameterError(
            tr(
                "bar {number} has {n_beats} beats, got beat {beat}",
                number=number,
                n_beats=len(bar.beats) or "no",
                beat=beat,
            )
        )
    return bar.beats[beat - 1]
