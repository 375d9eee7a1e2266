"""The numbers by which the parts of a project name one another, and the ranges of its values."""

from typing import Annotated, NewType, TypeAlias

from msgspec import Meta

FootageId = NewType("FootageId", int)
ShotId = NewType("ShotId", int)
PulseId = NewType("PulseId", int)
LaneId = NewType("LaneId", int)

Share: TypeAlias = Annotated[float, Meta(ge=0, le=1)]
Seconds: TypeAlias = Annotated[float, Meta(ge=0)]
Frames: TypeAlias = Annotated[int, Meta(ge=0, le=1_000_000_000)]
Pixels: TypeAlias = Annotated[int, Meta(ge=2, le=16384)]
