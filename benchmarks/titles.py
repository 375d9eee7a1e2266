"""Whether text is drawn quickly enough: many letters in motion, the slam, and at rest."""

import time
from collections.abc import Callable, Iterator
from pathlib import Path

from msgspec.structs import replace

from benchmarks.result import Result, at_least, at_most
from epiphane.document.timeline import BlendMode, Transform
from epiphane.document.titles import Impact, Shadow, TextFill, TextMotion, TextUnit
from epiphane.facts.titles import TitleClock
from epiphane.media.raw import RawPicture
from epiphane.render.compose import laid_over
from epiphane.render.draw import draw
from epiphane.render.nodes import FramePlan, Node, Solid, SourceFrame, TextDrawing
from epiphane.titles.motions.declare import MOTIONS
from epiphane.titles.picture import text_picture

_SIZE = (960, 540)
_LETTERS = "EVERY MARBLE ROLLS DOWN ITS RAIL\nAND LANDS ON THE BEAT"
"""Forty of them."""


def measure_titles(_folder: Path) -> Iterator[Result]:
    """Draw forty letters under every motion, the slam of ten, and what is at rest."""
    for motion in MOTIONS.all():
        moving = TextMotion(motion.key, motion.frames, motion.unit, motion.stagger)
        fill = TextFill(_LETTERS, size=0.11, shadow=Shadow(), arrive=moving)
        step = 1 / motion.frames
        took = [_took(fill, TitleClock(0.1 + 0.08 * number, step=step)) for number in range(11)]
        name = f"forty letters, {motion.label.lower()}, with a shadow"
        if motion.key == "blur-in":
            yield at_most(name, sorted(took)[5], 10, "ms")
        else:
            yield Result(name, f"{sorted(took)[5]:.1f} ms")
    slam = TextFill("MARBLE RUN", size=0.25, shadow=Shadow(), arrive=TextMotion("slam", 9, TextUnit.BLOCK))
    took = [_took(slam, TitleClock(number / 9, step=1 / 9)) for number in range(9)]
    yield at_least("pictures a second of a slam of ten letters", 1000 / (sum(took) / len(took)), 30, "")
    heavy = replace(slam, impact=Impact())
    took = [_took(heavy, TitleClock(since=number / 30)) for number in range(1, 40, 6)]
    yield at_least("pictures a second of what it throws", 1000 / (sum(took) / len(took)), 30, "")
    below = draw(FramePlan(_SIZE, Node(Solid((60, 50, 40)))), _NoFootage(), _SIZE)
    rest = text_picture(slam, Transform(), TitleClock(), _SIZE)
    laying = min(_milliseconds(lambda: laid_over(below, rest, BlendMode.NORMAL)) for _ in range(15))
    yield at_most("a text at rest, kept, laid over a frame", laying, 1, "ms")


class _NoFootage:
    """What has no pictures."""

    def picture(self, source: SourceFrame) -> RawPicture:
        raise AssertionError(f"nothing is shown of {source}")


def _took(fill: TextFill, clock: TitleClock) -> float:
    plan = FramePlan(_SIZE, Node(TextDrawing(fill, Transform(), clock)))
    return min(_milliseconds(lambda: draw(plan, _NoFootage(), _SIZE)) for _ in range(3))


def _milliseconds(work: Callable[[], object]) -> float:
    begun = time.thread_time()
    work()
    return 1000 * (time.thread_time() - begun)
