"""A recipe: a stack of lanes with the pulses that fire them, to be used on other songs."""

from typing import Annotated

from msgspec import Meta, Struct

from epiphane.document.lane import Lane
from epiphane.document.pulse import Pulse

RECIPE_VERSION = 3


class Recipe(Struct, frozen=True, forbid_unknown_fields=True):
    """A stack of lanes, and the pulses that fire them: both as in a project, with numbers of their own.

    Nothing in it belongs to one song: no hits, no changes to single cues, no shots. The first lane's pulse
    is the one that another may take the place of when the recipe is used.
    """

    name: Annotated[str, Meta(min_length=1, max_length=60)]
    lanes: Annotated[tuple[Lane, ...], Meta(min_length=1, max_length=64)]
    pulses: Annotated[tuple[Pulse, ...], Meta(min_length=1, max_length=64)]
    about: Annotated[str, Meta(max_length=300)] = ""
    version: Annotated[int, Meta(ge=1)] = RECIPE_VERSION

    def __post_init__(self) -> None:
        for kind, things in (("lanes", self.lanes), ("pulses", self.pulses)):
            if len({one.id for one in things}) < len(things):
                raise ValueError(f"two {kind} have one number")
        known = {pulse.id for pulse in self.pulses}
        missing = [str(lane.pulse) for lane in self.lanes if lane.pulse not in known]
        if missing:
            raise ValueError(f"a lane is fired by pulse {missing[0]}, which is not in it")
