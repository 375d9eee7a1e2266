"""Drum kits: what a kit is, and kits made of numbers, every one of which sounds different."""

from dataclasses import dataclass
from enum import Enum

import numpy as np

from epiphane.types import FloatArray
from training.synthesis import KEPT_APART, RATE, RECIPES

__all__ = ["DRUMS", "RATE", "Drum", "Family", "Kit", "make_kit"]
DRUMS = tuple(RECIPES)
# How many drums of a name a synthesised kit has to choose from.
_COUNTS = {"kick": 2, "snare": 3, "clap": 2, "hat": 2, "tom": 3, "perc": 2}


class Family(Enum):
    """Sounds that belong together: what is learned on one family is checked on the others."""

    DEVELOPMENT = "development"
    VALIDATION = "validation"
    UNFAMILIAR = "unfamiliar"


@dataclass(frozen=True)
class Drum:
    """One drum, struck ever harder: float64 one-shots with a peak of 1, their attack first."""

    layers: tuple[FloatArray, ...]

    def struck(self, strength: float) -> FloatArray:
        """Return the one-shot for a strength in 0..1."""
        return self.layers[min(len(self.layers) - 1, int(strength * len(self.layers) * 0.999))]


@dataclass(frozen=True)
class Kit:
    """The drums of a kit by name; of one name there may be several to choose from."""

    drums: dict[str, tuple[Drum, ...]]

    @property
    def is_whole(self) -> bool:
        """Whether a beat can be played on it."""
        return bool(self.drums.get("kick") and self.drums.get("snare") and self.drums.get("hat"))


def make_kit(rng: np.random.Generator, family: Family = Family.DEVELOPMENT) -> Kit:
    """Return a kit of synthesised drums, each built in a way that is left to chance."""
    drums: dict[str, tuple[Drum, ...]] = {}
    for name, usual in RECIPES.items():
        recipes = usual if family is Family.DEVELOPMENT else (*usual, *KEPT_APART.get(name, ()))
        chosen = rng.integers(len(recipes), size=_COUNTS.get(name, 1))
        drums[name] = tuple(Drum((_peaked(recipes[number](rng)),)) for number in chosen)
    return Kit(drums)


def _peaked(sound: FloatArray) -> FloatArray:
    fade = min(len(sound), 400)
    sound = sound.copy()
    sound[-fade:] *= np.linspace(1, 0, fade)
    return np.asarray(sound / np.abs(sound).max())
