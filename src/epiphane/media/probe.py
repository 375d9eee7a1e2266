"""What a file of footage is, found out once when it is gathered."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
from msgspec import Struct

from epiphane.document.footage import FootageKind
from epiphane.media.clip import Clip
from epiphane.media.fingerprint import fingerprint
from epiphane.media.kind import kind_of
from epiphane.media.opening import open_media
from epiphane.media.still import Still
from epiphane.timing import nearest_common_rate


class FootageFacts(Struct, frozen=True):
    """The facts about footage that edits need; see `epiphane.document.footage.Footage`."""

    path: str
    fingerprint: str
    duration: float
    width: int
    height: int
    rate: Fraction
    kind: FootageKind = FootageKind.VIDEO
    has_sound: bool = False
    treatments: tuple[str, ...] = ()
    has_alpha: bool = False


def probe_footage(path: Path) -> FootageFacts:
    """Return the facts about a video, a still or a sound.

    Raises
    ------
    MediaError
        If it is missing, damaged, or has neither picture nor sound.
    """
    kind = kind_of(path)
    match kind:
        case FootageKind.STILL:
            return _still_facts(path)
        case FootageKind.SOUND:
            return _sound_facts(path)
        case FootageKind.VIDEO:
            return _video_facts(path)


def _video_facts(path: Path) -> FootageFacts:
    clip = Clip(path)
    try:
        width, height = clip.display_size
        return FootageFacts(
            path=str(path.absolute()),
            fingerprint=fingerprint(path),
            duration=clip.duration,
            width=width,
            height=height,
            rate=nearest_common_rate(clip.usual_rate),
            has_sound=clip.has_sound,
            treatments=clip.treatments,
            has_alpha=clip.read(0).has_alpha,
        )
    finally:
        clip.close()


def _still_facts(path: Path) -> FootageFacts:
    still = Still(path)
    picture = still.read()  # a picture cut short is told now, not when it is shown
    width, height = still.display_size
    return FootageFacts(
        str(path.absolute()),
        fingerprint(path),
        0.0,
        width,
        height,
        Fraction(1),
        FootageKind.STILL,
        has_alpha=picture.has_alpha,
    )


def _sound_facts(path: Path) -> FootageFacts:
    with open_media(path) as container:
        stream = container.streams.audio[0]
        duration = 0.0
        if stream.duration is not None and stream.time_base is not None:
            duration = float(stream.duration * stream.time_base)
        elif container.duration is not None:
            duration = container.duration / av.time_base
    kind = FootageKind.SOUND
    return FootageFacts(str(path.absolute()), fingerprint(path), duration, 1, 1, Fraction(1), kind, True)
