"""What a clip has to show beyond the ends of a shot, as transitions need it."""

from collections.abc import Iterable
from fractions import Fraction

from epiphane.document.footage import Footage, FootageKind
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import Extend, FootageCut, Item, cut_of
from epiphane.facts.source_time import running_seconds, shown_span
from epiphane.wording import tr

_TOLERANCE = 1e-3
EXTEND_WORDS = {
    Extend.SLOW: tr("there and back"),
    Extend.MIRROR: tr("there and back"),
    Extend.REPEAT: tr("again from its start"),
}
"""How what lies beyond the footage is shown."""


def n_frames_lacking(project: Project, item: Item | None, frames: Iterable[int]) -> int:
    """Return on how many of some frames an item would show what its footage does not have."""
    footage = _clip_of(project, item)
    if item is None or footage is None:
        return 0
    return sum(not _is_there(item, footage, frame, project.rate) for frame in frames)


def _clip_of(project: Project, item: Item | None) -> Footage | None:
    if item is None or not isinstance(item.content, FootageCut):
        return None
    found = footage_of(project, item.footage)
    return found if found is not None and found.kind is FootageKind.VIDEO else None


def _is_there(item: Item, footage: Footage, frame: int, rate: Fraction) -> bool:
    first, end = shown_span(item, footage)
    return first - _TOLERANCE <= running_seconds(item, frame, rate) < end - _TOLERANCE


def beyond_words(item: Item) -> str:
    """Return in words what an item shows where its footage has ended."""
    return EXTEND_WORDS[cut_of(item).extend]
