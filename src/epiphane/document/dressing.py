"""How a song is dressed with lanes and transitions in one step."""

from enum import Enum
from typing import Annotated, TypeAlias

from msgspec import Meta, Struct

from epiphane.document.ids import Share


class Mood(Enum):
    """What a part of the song is like: by its energy, before a fuller part, after a drop, or at an end."""

    OPENING = "opening"
    CALM = "calm"
    BUILD = "build"
    FULL = "full"
    DROP = "drop"
    ENDING = "ending"


RecipeNames: TypeAlias = Annotated[tuple[Annotated[str, Meta(max_length=60)], ...], Meta(max_length=32)]


class Dressing(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """From which recipes, by their names, each mood takes its looks, how many fire, and by which chance.

    `density` goes from few cues, 0, to many, 1; the same `seed` always dresses alike.
    """

    density: Share = 0.5
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1
    opening: RecipeNames = ("Developing", "Thrown open")
    calm: RecipeNames = ("Under glass", "Old album", "City rain", "Afloat")
    build: RecipeNames = ("Rising water", "Pressure")
    full: RecipeNames = ("Hammer", "Neon", "Staircase", "Pendulum")
    drop: RecipeNames = ("Blast", "Alarm", "Torn tape")
    ending: RecipeNames = ("Last reel", "Cut off")
    has_transitions: bool = True

    def of(self, mood: Mood) -> RecipeNames:
        """Return the names of the recipes of a mood."""
        found: RecipeNames = getattr(self, mood.value)
        return found
