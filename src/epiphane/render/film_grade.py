"""The grade of a film, and files of it for other programs: tables of colours, colour decision lists."""

from pathlib import Path

import numpy as np

from epiphane.disk import write_atomically
from epiphane.document.lane import Lane, Trigger
from epiphane.document.pick import Pick
from epiphane.document.project import Project
from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import Gain, Grade, GradeStep, Power, Saturation
from epiphane.errors import ParameterError
from epiphane.facts.silent_rows import silent_rows
from epiphane.keying.spans import spans_on
from epiphane.render.grading import graded_levels
from epiphane.types import FloatArray
from epiphane.wording import tr

LOOK_EXPORTS = (".cube", ".cdl")
_TABLE_SIZE = 33


def film_grade(project: Project) -> tuple[GradeStep, ...]:
    """Return what the grades and looks that are on over the whole film come to, in their order."""
    silent = silent_rows(project)
    over_all = (lane for lane in project.lanes if lane.id not in silent and _is_over_all(project, lane))
    steps: list[GradeStep] = []
    for lane in over_all:
        effect = EFFECTS.find(lane.effect)
        done = () if effect is None else effect.operations(effect.values_at(lane.settings, lane.depth))
        steps += [step for operation in done if isinstance(operation, Grade) for step in operation.steps]
    return tuple(steps)


def _is_over_all(project: Project, lane: Lane) -> bool:
    if lane.trigger is not Trigger.SPAN or lane.track is not None:
        return False
    whole = (0, project.n_frames)
    return (not lane.spans and lane.pick == Pick()) or spans_on(project, lane) == (whole,)


def export_look(project: Project, out: Path) -> None:
    """Write the grade of a film as a table of colours (.cube) or a colour decision list (.cdl).

    Raises
    ------
    ParameterError
        If it has none, its ending is another, or a colour decision list cannot hold it.
    DiskError
        If the file cannot be written.
    """
    if out.suffix.lower() not in LOOK_EXPORTS:
        endings = tr(" or ").join(LOOK_EXPORTS)
        raise ParameterError(
            tr("a look is exported to {endings}, got {name}", endings=endings, name=out.name)
        )
    write_atomically(out, look_text(project, out.suffix.lower()).encode())


def look_text(project: Project, ending: str) -> str:
    """Return the grade of a film as the text of a file with one of these endings; errors as above."""
    steps = film_grade(project)
    if not steps:
        raise ParameterError(
            tr("there is no grade to export: put one on over the whole film, and export it again")
        )
    return cube_text(steps, project.name) if ending == ".cube" else cdl_text(steps)


def cube_text(steps: tuple[GradeStep, ...], title: str) -> str:
    """Return a grade as the text of a table of 33 points a side: red goes quickest, levels 0 to 1."""
    levels = np.linspace(0, 1, _TABLE_SIZE)
    blue, green, red = np.meshgrid(levels, levels, levels, indexing="ij")
    colours = graded_levels(np.stack([blue, green, red], axis=-1).reshape(-1, 3), steps)
    rows = "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for b, g, r in np.clip(colours, 0, 1))
    title = title.replace('"', "'").replace("\n", " ")
    return f'TITLE "{title}"\nLUT_3D_SIZE {_TABLE_SIZE}\n\n{rows}\n'


def cdl_text(steps: tuple[GradeStep, ...]) -> str:
    """Return a grade as the text of a colour decision list of the ASC, version 1.01.

    Raises
    ------
    ParameterError
        If it is not slope, offset, power and saturation in this order.
    """
    import PyOpenColorIO  # late: it takes a quarter of a second

    slope, offset, power, saturation = np.ones(3), np.zeros(3), np.ones(3), 1.0
    for step in steps:
        is_early = saturation == 1
        if isinstance(step, Gain) and is_early and (power == 1).all():
            slope, offset = slope * step.factors, offset * step.factors + step.offsets
        elif isinstance(step, Power) and is_early:
            power = power * step.exponents
        elif isinstance(step, Saturation):
            saturation *= step.amount
        else:
            raise ParameterError(
                tr("a colour decision list holds no curves, vibrance or looks: export this grade as .cube")
            )
    found = PyOpenColorIO.CDLTransform(_rgb(slope), _rgb(offset), _rgb(power), saturation)
    group = PyOpenColorIO.GroupTransform()
    group.appendTransform(found)
    return str(group.write("ColorDecisionList", PyOpenColorIO.Config.CreateRaw()))


def _rgb(values: FloatArray) -> list[float]:
    return [round(float(value), 6) for value in values[::-1]]
