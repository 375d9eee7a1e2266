"""Analysis of a clip in one pass: takes, flaws and moments."""

from pathlib import Path

from msgspec import Struct

from epiphane.document.footage import Flaw, Moment, Passage, Take
from epiphane.media.curves import measure_clip
from epiphane.types import Progress, ignore_progress


class FoundInClip(Struct, frozen=True):
    """What was found in a clip; see `epiphane.document.footage.Footage`."""

    moments: tuple[Moment, ...] = ()
    takes: tuple[Take, ...] = ()
    passages: tuple[Passage, ...] = ()
    damaged: float = 0.0


def search_clip(path: Path, *, progress: Progress = ignore_progress) -> FoundInClip:
    """Return the moments, takes and passages of a clip.

    Raises
    ------
    MediaError
        If the clip is missing or damaged.
    """
    from epiphane.media.moments import find_moments  # late: they load much of SciPy
    from epiphane.media.passages import find_passages, find_takes

    curves = measure_clip(path, progress=progress)
    takes = find_takes(curves)
    passages = find_passages(curves, takes)
    moments = tuple(one for one in find_moments(path, curves) if not _is_unseen(one, passages))
    return FoundInClip(moments, takes, passages, round(curves.damaged, 3))


_UNSEEN = (Flaw.BLACK, Flaw.FADE, Flaw.TITLE)


def _is_unseen(moment: Moment, passages: tuple[Passage, ...]) -> bool:
    """Whether what happens is that a title or a fade comes and goes."""
    begun = [passage for passage in passages if passage.start <= moment.time + 1e-6]
    return bool(begun) and begun[-1].flaw in _UNSEEN
