"""Setting text: lines, writing to both sides, faces by what they cover, HarfBuzz.

Positions are in sizes of the letters, y downwards; nothing is hinted.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from functools import lru_cache
from itertools import groupby

import uharfbuzz as hb
from bidi import algorithm as bidi
from msgspec import Struct
from msgspec.structs import replace

from epiphane.document.titles import Alignment, LetterCase, TextFill, TitleLook
from epiphane.facts.titles import TITLE_SAFE
from epiphane.titles.faces import Face, faces_for

MOST_LETTERS = 4000
"""Of a text that are shown."""
_RIGHT_TO_LEFT = frozenset(("R", "AL", "AN", "RLE", "RLO", "RLI"))
_TAKEN_OUT = frozenset(("BN", "LRE", "RLE", "LRO", "RLO", "PDF"))
_JOINERS = frozenset((0x200C, 0x200D, 0xFE0E, 0xFE0F))
_SKIN_TONES = range(0x1F3FB, 0x1F400)


class Glyph(Struct, frozen=True, eq=False):
    """A glyph of a face, and where its origin is."""

    face: Face
    number: int
    x: float
    y: float


class Letter(Struct, frozen=True, eq=False):
    """What is shaped as one: its glyphs, its place in the text, and the middle of its advance on the line.

    Numbers are counted as one reads; `column` is that of its first character in its line. The one letter of a
    logo has no glyphs.
    """

    glyphs: tuple[Glyph, ...]
    number: int
    word: int
    line: int
    x: float
    y: float
    width: float = 1.0
    column: int = 0


class Block(Struct, frozen=True, eq=False):
    """Set text: its letters about the middle of the block, and how large that is.

    `missing` are the characters that no face has a letter for.
    """

    letters: tuple[Letter, ...]
    width: float
    height: float
    missing: str = ""


class _Run(Struct, frozen=True, eq=False):
    """Neighbouring characters of one face and one level of writing."""

    text: str
    face: Face
    level: int
    first: int


_AS_USUAL = {
    name: getattr(TextFill(""), name)
    for name in (*TitleLook.__struct_fields__, "size", "colour", "to", "footage", "fits")
}
"""What says nothing of how a text is set: texts that differ in it alone are set once."""


def block_of(fill: TextFill) -> Block:
    """Return a text as it is set, with the middle of its block at (0, 0).

    Letters keep their ligatures unless they are tracked.
    """
    return _set_text(replace(fill, **_AS_USUAL))


def text_size(fill: TextFill, aspect: float) -> tuple[float, float]:
    """Return how wide and high a text is, in shares of a frame of an aspect (width by height)."""
    block, size = block_of(fill), fitted_size(fill, aspect)
    return max(block.width * size / aspect, 1e-3), block.height * size


def fitted_size(fill: TextFill, aspect: float) -> float:
    """Return the size of the letters of a text in a frame of an aspect, as a share of its height.

    It is the text's own, or less where the text is to fit into the safe area.
    """
    if not fill.fits:
        return fill.size
    block = block_of(fill)
    room = TITLE_SAFE * aspect / max(block.width, 1e-9), TITLE_SAFE / max(block.height, 1e-9)
    return round(min(fill.size, *room), 6)


@lru_cache(maxsize=64)
def _set_text(fill: TextFill) -> Block:
    """Return lines of text as they are set; `block_of` has made all equal that does not matter to it."""
    faces, tracking, leading, align = faces_for(fill), fill.tracking, fill.leading, fill.align
    lines = [unicodedata.normalize("NFC", one) for one in _cased(fill.text, fill.case).splitlines()] or [""]
    placed: list[Letter] = []
    widths: list[tuple[int, float]] = []
    missing: dict[str, None] = {}
    word = 0
    for line, one in enumerate(lines):
        clusters, width = _shaped(one[: MOST_LETTERS - len(placed)], faces, tracking)
        missing.update(dict.fromkeys(_lacking(one, faces)))
        widths.append((len(placed), width))
        for at, glyphs, left, right in sorted(clusters, key=lambda found: found[0]):
            if one[at].isspace():
                word += 1
                continue
            middle, wide = (left + right) / 2, right - left
            letter = Letter(tuple(glyphs), len(placed), word, line, middle, line * leading, wide, at)
            placed.append(letter)
        word += 1
        if len(placed) >= MOST_LETTERS:
            break
    widest = max((width for _, width in widths), default=0.0)
    height = 1.0 + (len(widths) - 1) * leading
    # The middle of what is seen of capitals is a third of a size above the line.
    down = _CAPITAL_MIDDLE - (len(widths) - 1) * leading / 2
    letters: list[Letter] = []
    ends = [first for first, _ in widths[1:]] + [len(placed)]
    for (first, width), end in zip(widths, ends, strict=True):
        free = widest - width
        shift = {Alignment.LEFT: 0.0, Alignment.CENTRE: free / 2, Alignment.RIGHT: free}[align] - widest / 2
        letters += [_moved(letter, shift, down) for letter in placed[first:end]]
    return Block(tuple(letters), widest, height, "".join(missing)[:40])


_CAPITAL_MIDDLE = 0.35
_EMBEDDINGS = {  # isolates as embeddings; one whose direction goes by its first letter is from left to right
    "\N{LEFT-TO-RIGHT ISOLATE}": "\N{LEFT-TO-RIGHT EMBEDDING}",
    "\N{FIRST STRONG ISOLATE}": "\N{LEFT-TO-RIGHT EMBEDDING}",
    "\N{RIGHT-TO-LEFT ISOLATE}": "\N{RIGHT-TO-LEFT EMBEDDING}",
    "\N{POP DIRECTIONAL ISOLATE}": "\N{POP DIRECTIONAL FORMATTING}",
}
_UNASSIGNED_AS = "A"  # annex 9 gives a character that Unicode has not assigned the class L


def _cased(text: str, case: LetterCase) -> str:
    if case is LetterCase.UPPER:
        return text.upper()
    return text.lower() if case is LetterCase.LOWER else text


def _moved(letter: Letter, across: float, down: float) -> Letter:
    glyphs = tuple(
        Glyph(one.face, one.number, one.x + across, one.y + letter.y + down) for one in letter.glyphs
    )
    return replace(letter, glyphs=glyphs, x=letter.x + across, y=letter.y + down)


def _shaped(
    line: str, faces: Sequence[Face], tracking: float
) -> tuple[list[tuple[int, list[Glyph], float, float]], float]:
    """Return the clusters of a line (index, glyphs, left, right) as they lie, and how long it is."""
    pen = 0.0
    clusters: list[tuple[int, list[Glyph], float, float]] = []
    for run in _in_sight(_runs(line, faces)):
        buffer = hb.Buffer()
        buffer.add_str(run.text)
        buffer.direction = "rtl" if run.level % 2 else "ltr"
        buffer.guess_segment_properties()
        hb.shape(run.face.font, buffer, {"liga": False, "clig": False} if tracking else {})
        unit = 1 / run.face.upem
        pairs = zip(buffer.glyph_infos, buffer.glyph_positions, strict=True)
        for index, parts in groupby(pairs, key=lambda pair: pair[0].cluster):
            left, glyphs = pen, []
            for info, place in parts:
                glyphs.append(
                    Glyph(run.face, info.codepoint, pen + place.x_offset * unit, -place.y_offset * unit)
                )
                pen += place.x_advance * unit
            clusters.append((run.first + index, glyphs, left, pen))
            pen += tracking
    return clusters, max(0.0, pen - tracking) if clusters else 0.0


def _runs(line: str, faces: Sequence[Face]) -> list[_Run]:
    """Return the runs of a line in the order in which they are written."""
    if not line:
        return []
    levels, chosen = _levels(line), _faces_of(line, faces)
    runs, start = [], 0
    for end in range(1, len(line) + 1):
        if end == len(line) or (levels[end], chosen[end]) != (levels[start], chosen[start]):
            runs.append(_Run(line[start:end], chosen[start], levels[start], start))
            start = end
    return runs


def _in_sight(runs: list[_Run]) -> list[_Run]:
    """Return runs in the order in which they lie from left to right: rule L2 of Unicode's annex 9."""
    runs = list(runs)
    for level in range(max((run.level for run in runs), default=0), 0, -1):
        first = 0
        while first < len(runs):
            end = first
            while end < len(runs) and runs[end].level >= level:
                end += 1
            runs[first:end] = runs[first:end][::-1]
            first = max(end, first + 1)
    return runs


def _levels(line: str) -> list[int]:
    """Return the level of each character: odd ones are written from right to left (Unicode's annex 9)."""
    if not any(unicodedata.bidirectional(one) in _RIGHT_TO_LEFT for one in line):
        return [0] * len(line)
    line = _with_embeddings(line)
    storage = bidi.get_empty_storage()
    base = bidi.get_base_level(line)
    storage["base_level"], storage["base_dir"] = base, ("L", "R")[base]
    bidi.get_embedding_levels(line, storage)
    bidi.explicit_embed_and_overrides(storage)
    bidi.resolve_weak_types(storage)
    bidi.resolve_neutral_types(storage, False)
    bidi.resolve_implicit_levels(storage, False)
    found = iter(one["level"] for one in storage["chars"])
    levels: list[int] = []
    for character in line:  # what is taken out, joiners among it, goes with what stands before it
        before = levels[-1] if levels else base
        is_gone = unicodedata.bidirectional(character) in _TAKEN_OUT
        levels.append(before if is_gone else next(found, before))
    return levels


def _with_embeddings(line: str) -> str:
    """Return a line of the same length in characters that python-bidi knows: without isolates."""
    return "".join(
        _EMBEDDINGS.get(one, one) if unicodedata.bidirectional(one) else _UNASSIGNED_AS for one in line
    )


def _faces_of(line: str, faces: Sequence[Face]) -> list[Face]:
    """Return which face shows each character: the first that has it; marks follow their letter."""
    chosen: list[Face] = []
    for place, character in enumerate(line):
        if place and (_goes_along(character) or character.isspace()):
            chosen.append(chosen[-1])
            continue
        cluster = [ord(character)]
        for after in line[place + 1 :]:
            if not unicodedata.combining(after):
                break
            cluster.append(ord(after))
        whole = (face for face in faces if face.characters.issuperset(cluster))
        some = (face for face in faces if cluster[0] in face.characters)
        chosen.append(next(whole, None) or next(some, faces[0]))
    return chosen


def _goes_along(character: str) -> bool:
    code = ord(character)
    return bool(unicodedata.combining(character)) or code in _JOINERS or code in _SKIN_TONES


def _lacking(line: str, faces: Sequence[Face]) -> list[str]:
    return [
        one
        for one in line
        if not (one.isspace() or _goes_along(one) or unicodedata.category(one) in ("Cc", "Cf"))
        and not any(ord(one) in face.characters for face in faces)
    ]
