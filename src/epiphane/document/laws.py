"""What must hold of a whole project beside the ranges of its fields."""

from collections import Counter
from collections.abc import Iterator, Sequence

from epiphane.document.ids import PulseId
from epiphane.document.model import BlendSource, HasId, Project

MOST_FRAMES = 6_000_000
"""Frames of the longest project: 27 hours at 60 a second. Every lane has a level for each of them."""

DEEPEST_BLEND = 32
"""Pulses that may be made of one another in a row."""


def broken_laws(project: Project) -> Iterator[str]:
    """Yield what of the project's own laws is broken, each with its place.

    Numbers are used once; shots show footage that is there; pulses are not made of themselves, nor of too
    many others in a row; the whole has a length that can be worked on.
    """
    yield from _repeated_numbers(project)
    footage = {one.id for one in project.footage}
    for index, shot in enumerate(project.shots):
        if shot.footage not in footage:
            yield f"$.shots[{index}].footage: there is no footage {shot.footage}"
    depths = blend_depths(project)
    for index, pulse in enumerate(project.pulses):
        if depths[pulse.id] is None:
            yield f"$.pulses[{index}].source: the pulse is made of itself"
        elif depths[pulse.id] == DEEPEST_BLEND + 1:  # those made of it are deeper still, and need no word
            yield f"$.pulses[{index}].source: more than {DEEPEST_BLEND} pulses are made of one another"
    n_frames = max([project.n_frames, *(shot.start + shot.n_frames for shot in project.shots)])
    if n_frames > MOST_FRAMES:
        yield f"$: the project is {n_frames} frames long; at most {MOST_FRAMES} can be worked on"


def blend_depths(project: Project) -> dict[PulseId, int | None]:
    """Return for each pulse how many pulses in a row it is made of: 0 for none, None if of itself."""
    parts = {
        pulse.id: (pulse.source.one, pulse.source.other) if isinstance(pulse.source, BlendSource) else ()
        for pulse in project.pulses
    }
    depths: dict[PulseId, int | None] = {}
    waiting = list(parts)
    while waiting:
        left = []
        for number in waiting:
            made_of = [part for part in parts[number] if part in parts]
            if all(part in depths for part in made_of):
                depths[number] = max((1 + (depths[part] or 0) for part in made_of), default=0)
            else:
                left.append(number)
        if len(left) == len(waiting):  # each waits for another: a circle, or made of one
            return depths | dict.fromkeys(left)
        waiting = left
    return depths


def _repeated_numbers(project: Project) -> Iterator[str]:
    highest = 0
    kinds: dict[str, Sequence[HasId]] = {
        "footage": project.footage,
        "shots": project.shots,
        "pulses": project.pulses,
        "lanes": project.lanes,
    }
    for kind, things in kinds.items():
        counts = Counter(one.id for one in things)
        highest = max([highest, *counts])
        for number, count in counts.items():
            if count > 1:
                yield f"$.{kind}: {count} have the number {number}"
    if project.next_id <= highest:
        yield f"$.next_id: must be over {highest}, the highest number in use, got {project.next_id}"
