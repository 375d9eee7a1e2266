"""A recipe: a stack of lanes with the pulses that fire them, and titles, to be used on other songs."""

from enum import Enum
from typing import Annotated

from msgspec import Meta, Struct

from epiphane.document.ids import Share
from epiphane.document.lane import Lane
from epiphane.document.pulse import Pulse
from epiphane.document.timeline import COVERING, BlendMode, ShapeFill, SolidFill, Transform
from epiphane.document.titles import TextFill

RECIPE_VERSION = 7


class RecipeAnchor(Enum):
    """From where in a song an item of a recipe is counted; or it lies over all of it."""

    FIRST = "first beat"
    DROP = "drop"
    LAST = "last bar"
    WHOLE = "whole"


class RecipeItem(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A title, a solid or a shape: it lands or begins so many beats after an anchor, and lasts some seconds.

    The rest is as an item of a track has it; `is_behind` is its track's.
    """

    anchor: RecipeAnchor
    content: SolidFill | ShapeFill | TextFill
    beats: Annotated[int, Meta(ge=-256, le=256)] = 0
    seconds: Annotated[float, Meta(ge=0.1, le=600)] = 2.5
    transform: Transform = COVERING
    blend: BlendMode = BlendMode.NORMAL
    opacity: Share = 1.0
    fade_in: Annotated[int, Meta(ge=0, le=100_000)] = 0
    fade_out: Annotated[int, Meta(ge=0, le=100_000)] = 0
    is_behind: bool = False


class Recipe(Struct, frozen=True, forbid_unknown_fields=True):
    """A stack of lanes, the pulses that fire them, and items: as in a project, with numbers of their own.

    Nothing in it belongs to one song: no hits, no changes to single cues, no shots. The first lane's pulse
    is the one that another may take the place of when the recipe is used.
    """

    name: Annotated[str, Meta(min_length=1, max_length=60)]
    lanes: Annotated[tuple[Lane, ...], Meta(min_length=1, max_length=64)]
    pulses: Annotated[tuple[Pulse, ...], Meta(min_length=1, max_length=64)]
    about: Annotated[str, Meta(max_length=300)] = ""
    version: Annotated[int, Meta(ge=1)] = RECIPE_VERSION
    items: Annotated[tuple[RecipeItem, ...], Meta(max_length=200)] = ()

    def __post_init__(self) -> None:
        for kind, things in (("lanes", self.lanes), ("pulses", self.pulses)):
            if len({one.id for one in things}) < len(things):
                raise ValueError(f"two {kind} have one number")
        known = {pulse.id for pulse in self.pulses}
        missing = [str(lane.pulse) for lane in self.lanes if lane.pulse not in known]
        if missing:
            raise ValueError(f"a lane is fired by pulse {missing[0]}, which is not in it")
