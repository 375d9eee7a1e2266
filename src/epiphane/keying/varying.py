"""Effect settings that vary from cue to cue: values in turn, and seeded chance."""

import numpy as np
from msgspec.structs import replace

from epiphane.document.lane import EffectInstance, Lane, Override, Setting, Trigger
from epiphane.keying.picking import chances


def varied(lane: Lane, turn: int, hit_time: float) -> EffectInstance:
    """Return the effect of a lane with the settings of one of its cues.

    Where cues go a step on, a parameter with a list of values has each of them for a step, and begins again
    after the lane is back at rest.

    Parameters
    ----------
    turn : int
        How many times the values have gone on by then: of the first cue that fires it is 0.
    hit_time : float, seconds
        Chance is drawn from it and the lane's seed, so it is the same whichever frame is drawn first.
    """
    if lane.alternatives:
        chosen = _drawn(lane, turn)
        if chosen is not None:
            return chosen
    is_step = lane.trigger is Trigger.STEP
    turn = turn % (lane.n_steps + 1) if is_step else turn
    settings = tuple(_at_cue(one, lane.seed, turn, hit_time, is_step=is_step) for one in lane.settings)
    return EffectInstance(lane.effect, settings)


def _drawn(lane: Lane, turn: int) -> EffectInstance | None:
    """Return one of the lane's alternatives, or None where it is its own effect's turn.

    All of them come in another order each round, drawn from the lane's seed; it does not begin with the one
    that the round before ended with.
    """
    choices = (None, *lane.alternatives)
    if len(choices) == 2:  # an order of two that does not repeat is only there and back
        return choices[(turn + lane.seed) % 2]
    n_rounds, place = divmod(turn, len(choices))
    order = _order(lane.seed, n_rounds, len(choices))
    if n_rounds and order[0] == _order(lane.seed, n_rounds - 1, len(choices))[-1]:
        order = [*order[1:-1], order[0], order[-1]]
    return choices[order[place]]


def _order(seed: int, n_rounds: int, n: int) -> list[int]:
    return [int(one) for one in np.random.default_rng((seed, n_rounds)).permutation(n)]


def overridden(instance: EffectInstance, override: Override) -> EffectInstance:
    """Return an effect with what one cue has in place of it, or of its settings."""
    if override.effect is not None and override.effect != instance.effect:
        return EffectInstance(override.effect, override.settings)
    names = {setting.name for setting in override.settings}
    others = tuple(one for one in instance.settings if one.name not in names)
    return EffectInstance(instance.effect, (*others, *override.settings))


def _at_cue(setting: Setting, seed: int, turn: int, hit_time: float, *, is_step: bool) -> Setting:
    choices = (setting.peak, *setting.then)
    peak = choices[turn % len(choices)]
    if setting.wander and isinstance(peak, float | int):
        chance = float(chances(seed, np.array([hit_time]), setting.name)[0])
        peak = peak + setting.wander * (2 * chance - 1)
    rest = setting.rest
    if is_step and setting.then and isinstance(peak, float | int):
        rest = peak  # a step is the next of the values, not a part of the way to it
    return replace(setting, peak=peak, rest=rest, then=(), wander=0.0)
