"""What is told of footage in a line."""

from epiphane.document.footage import Footage, FootageKind
from epiphane.timing import clock_text, rate_text

_WORTH_SAYING = 0.01
"""Share of a clip that cannot be read."""


def footage_facts(footage: Footage) -> str:
    """Return size, rate and length of some footage."""
    size = f"{footage.width} × {footage.height}"
    match footage.kind:
        case FootageKind.STILL:
            return f"still, {size}"
        case FootageKind.SOUND:
            return f"sound, {clock_text(footage.duration)}"
    words = [size, f"{rate_text(footage.rate)} fps", f"{footage.duration:.2f} s", *footage.treatments]
    if footage.damaged >= _WORTH_SAYING:
        words.append(f"{footage.damaged * 100:.0f} % damaged")
    return ", ".join(words)
