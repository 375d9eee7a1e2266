"""What a file of footage is, found out once when it is gathered."""

from fractions import Fraction
from pathlib import Path

from msgspec import Struct

from epiphane.media.clip import Clip
from epiphane.media.fingerprint import fingerprint
from epiphane.timing import nearest_common_rate


class FootageFacts(Struct, frozen=True):
    """The facts about footage that edits need; see `epiphane.document.model.Footage`."""

    path: str
    fingerprint: str
    duration: float
    width: int
    height: int
    rate: Fraction


def probe_footage(path: Path) -> FootageFacts:
    """Return the facts about a clip.

    Raises
    ------
    MediaError
        If it is missing, damaged, or has no picture.
    """
    clip = Clip(path)
    try:
        width, height = clip.display_size
        return FootageFacts(
            path=str(path.absolute()),
            fingerprint=fingerprint(path),
            duration=clip.duration,
            width=width,
            height=height,
            rate=nearest_common_rate(clip.rate),
        )
    finally:
        clip.close()
