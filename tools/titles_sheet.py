"""The contact sheet of how text arrives: each motion as it is declared, over one of the demo's clips."""

from effects_sheet import SIZE, laid_out
from PIL import Image

from epiphane.demo import MEDIA
from epiphane.document.timeline import Transform
from epiphane.document.titles import Shadow, TextFill, TextMotion
from epiphane.facts.titles import TitleClock
from epiphane.render.draw import draw
from epiphane.render.nodes import FramePlan, Node, Shown, SourceFrame, TextDrawing, stacked
from epiphane.render.sources import OpenFootage
from epiphane.titles.motions.declare import MOTIONS, DeclaredMotion
from epiphane.types import Picture

ARRIVED = (0.3, 0.65, 0.9)
"""How much of the arrival is over on the pictures that are shown."""
_TEXT = "ROLL ON\nTHE BEAT"


def titles_sheet() -> Image.Image:
    """Return the contact sheet."""
    footage = OpenFootage()
    rows = [(one.label, [_drawn(one, share, footage) for share in ARRIVED]) for one in MOTIONS.all()]
    footage.close()
    return laid_out(rows)


def _drawn(motion: DeclaredMotion, share: float, footage: OpenFootage) -> Picture:
    path = str(MEDIA / "tower.mp4")
    arrive = TextMotion(motion.key, motion.frames, motion.unit, motion.stagger, seed=2)
    fill = TextFill(_TEXT, size=0.26, shadow=Shadow(), arrive=arrive)
    text = TextDrawing(fill, Transform(), TitleClock(share, step=1 / motion.frames))
    nodes = [Node(Shown(SourceFrame(path, path, 2.0))), Node(text)]
    return draw(FramePlan(SIZE, stacked(nodes)), footage, SIZE)
