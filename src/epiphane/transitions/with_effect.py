"""An effect at its height in the middle of a transition."""

from epiphane.document.lane import Setting
from epiphane.effects.declare import EFFECTS, FrameContext
from epiphane.effects.operations import Operation
from epiphane.transitions.declare import Progress

_RATE, _STEPS = 30.0, 24


def effect_in(key: str, level: float, progress: Progress, **values: float | str) -> tuple[Operation, ...]:
    """Return what an effect does at a level on the way of a transition, with some of its values said.

    Its clock runs with the transition, `_STEPS` frames from end to end.
    """
    effect = EFFECTS.named(key)
    context = FrameContext(
        progress.aspect, round(progress.share * _STEPS), _RATE, progress.seed, in_light=progress.in_light
    )
    settings = tuple(
        Setting(name, value) if isinstance(value, str) else Setting(name, value, None)
        for name, value in values.items()
    )
    return effect.operations(effect.values_at(settings, level, context))
