"""Frame rates as they stand in files: exact fractions as text."""

import re
from fractions import Fraction

_RATE = re.compile(r"\d{1,9}(/\d{1,9})?", re.ASCII)
_LOWEST_RATE, _HIGHEST_RATE = Fraction(1, 86_400), Fraction(1000)


def decode_rate(value: object) -> Fraction:
    """Return a rate as it stands in a file, frames / second.

    Raises
    ------
    ValueError
        If it is no text such as ``30000/1001``, or no rate at all.
    """
    if not isinstance(value, str) or not _RATE.fullmatch(value):
        raise ValueError(f"Expected a text such as 30000/1001, got {value!r:.40}")
    whole, _, part = value.partition("/")
    if int(part or 1) == 0 or not _LOWEST_RATE <= Fraction(int(whole), int(part or 1)) <= _HIGHEST_RATE:
        raise ValueError(f"must be a rate of up to 1000 frames a second, got {value}")
    return Fraction(int(whole), int(part or 1))
