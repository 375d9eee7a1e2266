"""Glitch: bands jump, colours part, and the next picture breaks through."""

import numpy as np

from epiphane.declare.parameters import Parameter, Values
from epiphane.effects.declare import Family
from epiphane.effects.operations import ChannelShift
from epiphane.transitions.declare import Composed, Join, Progress, transition
from epiphane.transitions.mixing import chances_of
from epiphane.types import Picture


@transition(
    key="glitch",
    version=1,
    family=Family.GLITCH,
    label="Glitch through",
    group="Glitches",
    parameters=(
        Parameter("bands", "Bands", "", low=4, high=60, rest=18, peak=18, is_whole=True),
        Parameter("jump", "Jump", "% of width", low=0, high=50, rest=0, peak=14),
        Parameter("part", "Colours part", "% of width", low=0, high=6, rest=0, peak=1.2),
    ),
    frames=(4, 5),
    keywords="digital broken data bands",
)
def glitch(values: Values, progress: Progress) -> Join:
    """Lets bands jump sideways, more and more of them from the next picture, while red and blue part."""
    n_bands, near = round(values.bands), progress.nearness
    # Another pattern on each of a few steps, so that it flickers and does not flow.
    step = round(progress.share * 12)
    edges = np.sort(chances_of(progress.seed + 101 * step, (n_bands - 1,)))
    turns, jumps = chances_of(progress.seed + 101 * step + 7, (2, n_bands))

    def apply(outgoing: Picture, incoming: Picture) -> Picture:
        height, width = outgoing.shape[:2]
        lines = [0, *np.rint(edges * height).astype(int).tolist(), height]
        done = np.empty_like(outgoing)
        for number in range(n_bands):
            rows = slice(lines[number], lines[number + 1])
            shown = incoming if turns[number] < progress.share else outgoing
            jump = round((2 * jumps[number] - 1) ** 3 * near * values.jump / 100 * width)
            done[rows] = np.roll(shown[rows], jump, axis=1)
        return done

    part = values.part / 100 * near
    apart = ChannelShift(np.array([[-part, 0.0], [0.0, 0.0], [part, 0.0]]))
    return Join(Composed(apply), after=(apart,))
