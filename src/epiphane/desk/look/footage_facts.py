"""What is told of footage in a line."""

from epiphane.document.footage import Footage, FootageKind
from epiphane.timing import clock_text, rate_text
from epiphane.wording import tr

_WORTH_SAYING = 0.01
"""Share of a clip that cannot be read."""


def footage_facts(footage: Footage) -> str:
    """Return size, rate and length of some footage."""
    size = f"{footage.width} × {footage.height}"
    match footage.kind:
        case FootageKind.STILL:
            return tr("still, {size}", size=size)
        case FootageKind.SOUND:
            return tr("sound, {time}", time=clock_text(footage.duration))
    words = [
        size,
        tr("{rate} fps", rate=rate_text(footage.rate)),
        tr("{duration:.2f} s", duration=footage.duration),
        *footage.treatments,
    ]
    if footage.damaged >= _WORTH_SAYING:
        words.append(tr("{damaged:.0f} % damaged", damaged=footage.damaged * 100))
    return ", ".join(words)
