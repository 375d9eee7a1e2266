"""All effects there are: every module in the family folders is imported once."""

import importlib
import pkgutil
from functools import cache

import epiphane.effects
from epiphane.effects.declare import REGISTERED, Effect, Family
from epiphane.errors import ParameterError


@cache
def all_effects() -> tuple[Effect, ...]:
    """Return every effect, by family and then by label."""
    for module in pkgutil.walk_packages(epiphane.effects.__path__, "epiphane.effects."):
        importlib.import_module(module.name)
    families = list(Family)
    return tuple(sorted(REGISTERED.values(), key=lambda e: (families.index(e.family), e.label)))


def find_effect(key: str) -> Effect | None:
    """Return the effect of a key, or None for one that this version does not know."""
    all_effects()
    return REGISTERED.get(key)


def effect_named(key: str) -> Effect:
    """Return the effect of a key.

    Raises
    ------
    ParameterError
        If there is none; the message lists those there are.
    """
    found = find_effect(key)
    if found is None:
        known = ", ".join(effect.key for effect in all_effects())
        raise ParameterError(f"there is no effect {key!r}; there are: {known}")
    return found
