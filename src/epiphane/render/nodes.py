"""What is to be drawn on a frame: nodes of footage, colours and titles, over and beside one another."""

from collections.abc import Iterator, Sequence
from typing import TypeAlias, assert_never

from msgspec import Struct
from msgspec.structs import replace

from epiphane.declare.parameters import NamedValues
from epiphane.document.timeline import (
    COVERING,
    Between,
    BlendMode,
    ShapeKind,
    Transform,
)
from epiphane.document.titles import LogoFill, TextFill
from epiphane.facts.panels import PanelPlace
from epiphane.facts.titles import TitleClock
from epiphane.transitions.declare import Progress
from epiphane.types import Size


class SourceFrame(Struct, frozen=True):
    """A picture of some footage: the one on screen `seconds` after the footage's first, or one in between."""

    path: str
    fingerprint: str
    seconds: float
    between: Between = Between.NEAREST


class Shown(Struct, frozen=True, cache_hash=True):
    """A picture of some footage as it lies in the frame."""

    source: SourceFrame
    transform: Transform = COVERING


class Solid(Struct, frozen=True):
    """One colour all over: blue, green and red, 0 to 255."""

    colour: tuple[int, int, int] = (0, 0, 0)


class ShapeDrawing(Struct, frozen=True, cache_hash=True):
    """A shape as it lies in the frame, with its colour in blue, green and red, 0 to 255."""

    kind: ShapeKind
    colour: tuple[int, int, int]
    to: tuple[int, int, int] | None
    width: float
    height: float
    feather: float
    transform: Transform = COVERING


class Stacked(Struct, frozen=True, cache_hash=True):
    """Nodes over one another, the lowest first."""

    nodes: tuple["Node", ...]


class PanelDrawing(Struct, frozen=True, cache_hash=True):
    """What a panel of a split screen shows, and where that lies in the frame."""

    node: "Node"
    place: PanelPlace


class SplitScreen(Struct, frozen=True, cache_hash=True):
    """Panels on a ground, with a line round each; lengths are shares of the frame's height."""

    panels: tuple[PanelDrawing, ...]
    ground: tuple[int, int, int]
    gap: float
    border: float
    border_colour: tuple[int, int, int]


class Joined(Struct, frozen=True, cache_hash=True):
    """A transition between two nodes, with its values; how far it is, `progress` tells."""

    key: str
    version: int
    values: NamedValues
    progress: Progress
    outgoing: "Node"
    incoming: "Node"
    matte: SourceFrame | None = None


class TextDrawing(Struct, frozen=True, cache_hash=True):
    """A text as it lies on a frame, how far it has arrived or left, and what is seen through its letters."""

    fill: TextFill
    transform: Transform
    clock: TitleClock
    inside: SourceFrame | None = None


class LogoDrawing(Struct, frozen=True, cache_hash=True):
    """A logo as it lies on a frame, and how far it has arrived or left."""

    fill: LogoFill
    source: SourceFrame
    transform: Transform
    clock: TitleClock


class MatteDrawing(Struct, frozen=True, cache_hash=True):
    """A matte as it lies on a frame: its picture, and what is done to its edge.

    The effects are those on what it is a matte of, which move it along.
    """

    source: SourceFrame
    transform: Transform
    feather: float
    grow: float
    is_inverted: bool
    effects: tuple["ActiveEffect", ...] = ()


class JoinedMattes(Struct, frozen=True, cache_hash=True):
    """The mattes of both sides of a transition, None where one has none; they go over as their pictures do.

    The effects are those on what the transition shows.
    """

    joined: Joined
    outgoing: MatteDrawing | None
    incoming: MatteDrawing | None
    effects: tuple["ActiveEffect", ...] = ()


class Behind(Struct, frozen=True, cache_hash=True):
    """A node that is hidden where a matte says that there is the subject."""

    node: "Node"
    matte: MatteDrawing | JoinedMattes


Content: TypeAlias = (
    Behind | Shown | Solid | ShapeDrawing | TextDrawing | LogoDrawing | SplitScreen | Stacked | Joined
)


class ActiveEffect(Struct, frozen=True):
    """An effect at work on a frame, with the values it has there.

    `others` are the other pictures of the footage it needs, `after` its values a frame later where it blurs
    what moves meanwhile.
    """

    key: str
    version: int
    values: NamedValues
    others: tuple[Shown, ...] = ()
    after: NamedValues = ()


class Node(Struct, frozen=True, cache_hash=True):
    """A content with effects on it, in order, and how it is laid over what is below it."""

    content: Content
    effects: tuple[ActiveEffect, ...] = ()
    opacity: float = 1.0
    blend: BlendMode = BlendMode.NORMAL


BLACK = Node(Solid())
_HALF = 0.5


class FramePlan(Struct, frozen=True, cache_hash=True):
    """One frame: its shape, and what is drawn in it, over black."""

    shape: Size
    root: Node


def plan_of(shown: Shown | None, shape: Size, effects: Sequence[ActiveEffect] = ()) -> FramePlan:
    """Return the plan of one picture of footage, or of black, with effects on it."""
    return FramePlan(shape, Node(Solid() if shown is None else shown, tuple(effects)))


def stacked(nodes: Sequence[Node], effects: tuple[ActiveEffect, ...] = ()) -> Node:
    """Return nodes over one another, the lowest first, with effects on all of them, in normal form.

    What is not seen is left out, so that equal pictures have equal plans: nodes of no opacity, and what is
    below a solid that covers all. One node alone is itself; none is black.
    """
    seen: list[Node] = []
    for node in nodes:
        if node.opacity <= 0:
            continue
        if _covers(node):
            seen.clear()
        seen.append(node)
    if not seen:
        return replace(BLACK, effects=effects)
    lowest = seen[0]
    if len(seen) == 1 and lowest.opacity == 1 and lowest.blend is BlendMode.NORMAL:
        return replace(lowest, effects=(*lowest.effects, *effects))
    return Node(Stacked(tuple(seen)), effects)


def _covers(node: Node) -> bool:
    is_opaque = node.opacity == 1 and node.blend is BlendMode.NORMAL
    return is_opaque and isinstance(node.content, Solid) and not node.effects


def sources_of(node: Node) -> Iterator[SourceFrame]:
    """Yield every picture of footage that a node is made of, those of each effect before what it lies on."""
    yield from (other.source for effect in node.effects for other in effect.others)
    match node.content:
        case Shown(source=source):
            yield source
        case Stacked(nodes=nodes):
            for one in nodes:
                yield from sources_of(one)
        case SplitScreen(panels=panels):
            for panel in panels:
                yield from sources_of(panel.node)
        case Joined(outgoing=outgoing, incoming=incoming, matte=by):
            yield from sources_of(outgoing)
            yield from sources_of(incoming)
            yield from () if by is None else (by,)
        case Behind(node=behind, matte=matte):
            yield from _sources_of_matte(matte)
            yield from sources_of(behind)
        case LogoDrawing(source=source) | TextDrawing(inside=SourceFrame() as source):
            yield source
        case Solid() | ShapeDrawing() | TextDrawing():
            pass
        case _:
            assert_never(node.content)


def _sources_of_matte(matte: MatteDrawing | JoinedMattes) -> Iterator[SourceFrame]:
    if isinstance(matte, MatteDrawing):
        yield matte.source
        return
    yield from (one.source for one in (matte.outgoing, matte.incoming) if one is not None)
    yield from () if matte.joined.matte is None else (matte.joined.matte,)


def lowest_shown(node: Node) -> Shown | None:
    """Return the lowest picture of footage of a node, or None where it has none."""
    match node.content:
        case Shown():
            return node.content
        case Stacked(nodes=nodes):
            return next((found for one in nodes if (found := lowest_shown(one)) is not None), None)
        case SplitScreen(panels=panels):
            return next((found for one in panels if (found := lowest_shown(one.node)) is not None), None)
        case Joined(outgoing=outgoing, incoming=incoming):
            sides = (outgoing, incoming) if node.content.progress.share < _HALF else (incoming, outgoing)
            return next((found for one in sides if (found := lowest_shown(one)) is not None), None)
        case Solid() | ShapeDrawing() | TextDrawing() | LogoDrawing() | Behind():
            return None
        case _:
            assert_never(node.content)
