"""The numbers by which the parts of a project name one another, and the ranges of its values."""

from typing import Annotated, NewType, TypeAlias

from msgspec import Meta

FootageId = NewType("FootageId", int)
ItemId = NewType("ItemId", int)
TrackId = NewType("TrackId", int)
PulseId = NewType("PulseId", int)
LaneId = NewType("LaneId", int)

Share: TypeAlias = Annotated[float, Meta(ge=0, le=1)]
DAY = 86_400.0
Seconds: TypeAlias = Annotated[float, Meta(ge=0, le=DAY)]
Frames: TypeAlias = Annotated[int, Meta(ge=0, le=1_000_000_000)]
PixelCount: TypeAlias = Annotated[int, Meta(ge=2, le=8192)]
FilePath: TypeAlias = Annotated[str, Meta(min_length=1, max_length=4096, pattern=r"^[^\x00]*$")]
Colour: TypeAlias = Annotated[str, Meta(pattern=r"^#[0-9a-fA-F]{6}$")]
Fingerprint: TypeAlias = Annotated[str, Meta(pattern=r"^[0-9a-f]{32}$")]
"""A hash of a file's content; files of the cache are called by it, so it is nothing else."""
