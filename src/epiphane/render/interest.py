"""Where the interest of shots lies, from their pictures."""

from collections.abc import Sequence

from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.timeline import Fit, Item, Shape, Transform
from epiphane.edits.frame_shapes import free_share
from epiphane.media.interest import place_of_interest
from epiphane.render.draw import draw
from epiphane.render.nodes import Shown, plan_of
from epiphane.render.plan import source_of
from epiphane.render.sources import OpenFootage
from epiphane.types import Picture, Progress, Size, ignore_progress

_N_LOOKS, _APART_SECONDS = 4, 1 / 12
_WIDTH = 160


def places_of_shots(
    project: Project,
    shots: Sequence[Item],
    shape: Shape,
    files: OpenFootage,
    *,
    progress: Progress = ignore_progress,
) -> dict[ItemId, tuple[float, float]]:
    """Return for each shot what of its footage is to be in the middle of a shape, in shares of it."""
    footage = {one.id: one for one in project.footage}
    made = {}
    for number, shot in enumerate(shots):
        source = footage[shot.footage] if shot.footage is not None else None
        if source is None:
            continue
        is_still = source.kind is FootageKind.STILL
        size = _WIDTH, max(16, round(_WIDTH * source.height / source.width))
        later = max(1, round(_APART_SECONDS * project.rate))

        def picture(frame: int, shot: Item = shot, source: Footage = source, size: Size = size) -> Picture:
            shown = Shown(source_of(project, shot, source, frame), Transform(Fit.STRETCH))
            return draw(plan_of(shown, size), files, size)

        looks = [shot.start + (2 * n + 1) * shot.n_frames // (2 * _N_LOOKS) for n in range(_N_LOOKS)]
        pairs = [(picture(frame), picture(frame + later)) for frame in looks[: 1 if is_still else None]]
        made[shot.id] = place_of_interest(pairs, free_share(source, shape))
        progress((number + 1) / len(shots))
    return made
