"""The form of a song: its parts, of which neighbours that are alike are one, and what each is like."""

from functools import lru_cache

from msgspec.structs import replace

from epiphane.document.song import Section, Song
from epiphane.wording import tr

_SAME_SECONDS = 1e-3


def parts_of(song: Song | None) -> tuple[Section, ...]:
    """Return the parts of a song, ascending; neighbours of one label that nobody has set apart are one."""
    return () if song is None else _like_neighbours_merged(song.sections)


@lru_cache(maxsize=8)
def _like_neighbours_merged(sections: tuple[Section, ...]) -> tuple[Section, ...]:
    made: list[Section] = []
    for section in sections:
        last = made[-1] if made else None
        is_alike = last is not None and (last.label, last.is_own) == (section.label, section.is_own)
        if last is not None and is_alike and abs(last.end - section.start) < _SAME_SECONDS:
            lengths = last.end - last.start, section.end - section.start
            energy = (lengths[0] * last.energy + lengths[1] * section.energy) / max(sum(lengths), 1e-9)
            made[-1] = replace(last, end=section.end, energy=round(energy, 3))
        else:
            made.append(section)
    return tuple(made)


def part_words(part: Section) -> str:
    """Return what a part is called where it is shown: ``A calm``."""
    return tr("{name} {kind}", name=part.name, kind=tr(part.kind))


def part_at(song: Song | None, seconds: float) -> int | None:
    """Return the number of the part at an instant of a song, or None where there is none."""
    for number, part in enumerate(parts_of(song)):
        if part.start - _SAME_SECONDS <= seconds < part.end - _SAME_SECONDS:
            return number
    return None
