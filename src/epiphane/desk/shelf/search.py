"""Ranking of search results: names before descriptions, beginnings before middles."""

from collections.abc import Callable, Iterable
from typing import TypeVar

# Spellings of one word.
_SPELLINGS = {
    "color": "colour",
    "colors": "colour",
    "gray": "grey",
    "center": "centre",
    "pixelize": "pixelate",
}

T = TypeVar("T")


def best_first(
    things: Iterable[T], text: str, name_of: Callable[[T], str], told_of: Callable[[T], str]
) -> list[T]:
    """Return the things that have every word of a text in their name or in what is told of them.

    The best comes first: called just so, then a name that begins so, that has words which begin so, that has
    the words within, and last those that are only told of it. Of equals the order stays; without words it is
    all of them.
    """
    words = [_SPELLINGS.get(word, word) for word in text.casefold().split()]
    if not words:
        return list(things)
    ranked = [
        (rank, thing) for thing in things if (rank := _rank(words, name_of(thing), told_of(thing))) < _NONE
    ]
    return [thing for _, thing in sorted(ranked, key=lambda one: one[0])]


_NONE = 9


def _rank(words: list[str], name: str, told: str) -> int:
    name, told = name.casefold(), told.casefold()
    if not all(word in name or word in told for word in words):
        return _NONE
    whole = " ".join(words)
    parts = name.split()
    checks = (
        name == whole,
        name.startswith(whole),
        all(any(part.startswith(word) for part in parts) for word in words),
        all(word in name for word in words),
        f" {whole} " in f" {told} ",
        all(f" {word}" in f" {told}" for word in words),
    )
    return next((rank for rank, is_so in enumerate(checks) if is_so), len(checks))
