"""The contact sheet of all transitions: each as it is declared, between two of the demo's clips."""

from effects_sheet import SIZE, laid_out
from PIL import Image

from epiphane.demo import MEDIA
from epiphane.document.timeline import Transform
from epiphane.render.draw import draw
from epiphane.render.nodes import FramePlan, Joined, Node, Shown, SourceFrame
from epiphane.render.sources import OpenFootage
from epiphane.transitions.declare import TRANSITIONS, Progress
from epiphane.types import Picture

SHARES = (0.25, 0.5, 0.75)
"""How far each is on the pictures that are shown."""
_STEP = 0.1
_OUTGOING, _INCOMING = ("chimes.mp4", 4.57, Transform(scale=1.3)), ("dominoes.mp4", 2.4, Transform())


def transition_pictures() -> list[tuple[str, list[Picture]]]:
    """Return the name of every transition, with its picture at each of `SHARES`."""
    footage = OpenFootage()
    found = [(one.label, [_drawn(one.key, share, footage) for share in SHARES]) for one in TRANSITIONS.all()]
    footage.close()
    return found


def transitions_sheet() -> Image.Image:
    """Return the contact sheet."""
    return laid_out(transition_pictures())


def _drawn(key: str, share: float, footage: OpenFootage) -> Picture:
    transition = TRANSITIONS.named(key)
    progress = Progress(share, _STEP, round(SIZE[0] / SIZE[1], 6), 5)
    outgoing_node, incoming_node = (_node(*side) for side in (_OUTGOING, _INCOMING))
    joined = Joined(key, transition.version, transition.values_at(()), progress, outgoing_node, incoming_node)
    return draw(FramePlan(SIZE, Node(joined)), footage, SIZE)


def _node(name: str, seconds: float, transform: Transform) -> Node:
    path = str(MEDIA / name)
    return Node(Shown(SourceFrame(path, path, seconds), transform))
