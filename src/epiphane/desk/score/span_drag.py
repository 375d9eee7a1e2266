"""Dragging the spans over which a lane is on: their ends, the whole of one, or a new one."""

from PyQt6.QtGui import QPainter

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.score.drag import Grip
from epiphane.desk.score.layout import Place, ScoreLayout
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane, Span
from epiphane.document.project import Project
from epiphane.edits.spans import add_span, change_span
from epiphane.keying.spans import spans_of
from epiphane.timing import frame_at, frame_start

_SNAP_PIXELS = 8


class SpanDrag:
    """A drag of a span of a lane, or of a new one from where the button went down.

    Attributes
    ----------
    pair : None
        No frames are shown beside each other.
    words : str
        What it comes to by now.
    """

    pair = None

    def __init__(
        self, editor: Editor, snapping: Snapping, lane: LaneId, span: Span | None, grip: Grip, seconds: float
    ) -> None:
        self._editor, self._snapping = editor, snapping
        self._before, self._lane, self._span, self._grip, self._origin = (
            editor.project,
            lane,
            span,
            grip,
            seconds,
        )
        self.words = ""

    def move(self, layout: ScoreLayout, place: Place, *, is_free: bool) -> None:
        """Bring what is held to a place; where it `is_free`, nothing snaps."""
        start, end = self._ends(layout, place, is_free=is_free)
        if abs(end - start) < 1 / float(self._before.rate):
            return

        def edit(_: Project) -> Project:
            if self._span is None:
                return add_span(self._before, self._lane, start, end)
            return change_span(self._before, self._lane, self._span, start, end)

        if self._editor.apply(edit, "span of a lane", gesture="span"):
            frames = [frame_at(one, self._before.rate) for one in sorted((start, end))]
            self.words = f"frames {frames[0]} to {frames[1] - 1}"

    def _ends(self, layout: ScoreLayout, place: Place, *, is_free: bool) -> tuple[float, float]:
        """Return where the span begins and ends by now, in seconds."""
        span = self._span
        moved = place.seconds - self._origin
        if span is None:
            ends = [
                self._snapped(layout, place, one, is_free=is_free) for one in (self._origin, place.seconds)
            ]
            return ends[0], ends[1]
        if self._grip is Grip.RISE:
            return self._snapped(layout, place, span.start + moved, is_free=is_free), span.end
        if self._grip is Grip.FALL:
            return span.start, self._snapped(layout, place, span.end + moved, is_free=is_free)
        start = self._snapped(layout, place, span.start + moved, is_free=is_free)
        return start, start + span.end - span.start

    def _snapped(self, layout: ScoreLayout, place: Place, seconds: float, *, is_free: bool) -> float:
        rate = self._before.rate
        per_frame = layout.pixels_per_second(place.stave, place.seconds) / float(rate)
        reach = 0 if is_free else max(1, round(_SNAP_PIXELS / per_frame))
        frame = self._snapping.snapped(self._before, frame_at(max(0.0, seconds), rate), reach)
        return frame_start(max(0, frame), rate)

    def end(self) -> None:
        """Nothing is left to be done."""

    def paint(self, painter: QPainter, layout: ScoreLayout, *, offset: int) -> None:
        """Nothing is shown beside the row itself."""


def span_of_hit(project: Project, lane: Lane, hit: float) -> Span | None:
    """Return the span whose cue has its hit at a time."""
    return next((one for one in spans_of(project, lane) if abs(one.start - hit) < 2e-6), None)
