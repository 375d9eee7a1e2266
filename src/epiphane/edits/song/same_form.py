"""Where the times of a song are in another one of the same form: in the same part, bar and beat."""

from collections.abc import Sequence
from difflib import SequenceMatcher

from epiphane.document.song import Section, Song
from epiphane.facts.form import parts_of
from epiphane.facts.grid import Bar

_SAME_SECONDS = 0.05
_FEWEST_PARTS = 2
_LEAST_ALIKE = 0.6


def times_by_form(
    old: Song, new: Song, old_bars: Sequence[Bar], new_bars: Sequence[Bar]
) -> list[tuple[float, float]]:
    """Return pairs of times of two songs that are the same by form, ascending; none if that is another.

    Parts are the same that come in the same order and are alike. Bars that a part has no more of fall on its
    end, and so does all of a part that is gone.
    """
    parts, others = parts_of(old), parts_of(new)
    found = SequenceMatcher(None, _kinds(parts), _kinds(others), autojunk=False)
    if min(len(parts), len(others)) < _FEWEST_PARTS or found.ratio() < _LEAST_ALIKE:
        return []
    matched = {block.a + n: block.b + n for block in found.get_matching_blocks() for n in range(block.size)}
    pairs: list[tuple[float, float]] = [(0.0, 0.0)]
    at = 0.0  # where the new song goes on
    for number, part in enumerate(parts):
        if number not in matched:
            pairs += [(part.start, at), (part.end, at)]
            continue
        other = others[matched[number]]
        bars, instead = _bars_of(part, old_bars), _bars_of(other, new_bars)
        pairs.append((part.start, other.start))
        for was, now in zip(bars, instead, strict=False):
            pairs += zip((was.start, *was.beats), (now.start, *now.beats), strict=False)
        pairs += [(bar.start, other.end) for bar in bars[len(instead) :]]
        pairs.append((part.end, other.end))
        at = other.end
    pairs.append((old.duration, new.duration))
    return _ascending(pairs)


def _kinds(parts: Sequence[Section]) -> list[str]:
    return [part.kind for part in parts]


def _bars_of(part: Section, bars: Sequence[Bar]) -> list[Bar]:
    """Return the bars that begin in a part."""
    return [bar for bar in bars if part.start - _SAME_SECONDS <= bar.start < part.end - _SAME_SECONDS]


def _ascending(pairs: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return pairs of which neither time goes back; of equal old times the last counts."""
    by_old = dict(sorted(pairs, key=lambda pair: pair[0]))
    kept: list[tuple[float, float]] = []
    for was, now in by_old.items():
        if not kept or now >= kept[-1][1]:
            kept.append((was, now))
    return kept
