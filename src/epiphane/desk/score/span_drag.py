"""Dragging the spans over which a lane is on: their ends, the whole of one, or a new one."""

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.score.gesture import Gesture, Pointer
from epiphane.desk.score.hit_testing import CueGrip
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane, Span
from epiphane.document.project import Project
from epiphane.edits.keying.spans import add_span, change_span
from epiphane.keying.spans import spans_of
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr


class SpanDrag(Gesture):
    """A span of a lane that is dragged, or a new one from where the button went down."""

    def __init__(
        self,
        editor: Editor,
        snapping: Snapping,
        lane: LaneId,
        span: Span | None,
        grip: CueGrip,
        seconds: float,
    ) -> None:
        self._editor, self._snapping = editor, snapping
        self._before, self._lane, self._span, self._grip, self._origin = (
            editor.project,
            lane,
            span,
            grip,
            seconds,
        )

    def move(self, pointer: Pointer) -> None:
        """Bring what is held to the pointer."""
        if pointer.place is None:
            return
        start, end = self._ends(pointer, pointer.place.seconds)
        if abs(end - start) < 1 / float(self._before.rate):
            return

        def edit(_: Project) -> Project:
            if self._span is None:
                return add_span(self._before, self._lane, start, end)
            return change_span(self._before, self._lane, self._span, start, end)

        if self._editor.apply(edit, tr("span of a lane"), gesture="span"):
            frames = [frame_at(one, self._before.rate) for one in sorted((start, end))]
            self.words = tr("frames {frames} to {last}", frames=frames[0], last=frames[1] - 1)

    def _ends(self, pointer: Pointer, seconds: float) -> tuple[float, float]:
        """Return where the span begins and ends by now, in seconds; the pointer is at `seconds`."""
        span, moved = self._span, seconds - self._origin
        if span is None:
            return self._snapped(pointer, self._origin), self._snapped(pointer, seconds)
        if self._grip is CueGrip.RISE:
            return self._snapped(pointer, span.start + moved), span.end
        if self._grip is CueGrip.FALL:
            return span.start, self._snapped(pointer, span.end + moved)
        start = self._snapped(pointer, span.start + moved)
        return start, start + span.end - span.start

    def _snapped(self, pointer: Pointer, seconds: float) -> float:
        rate = self._before.rate
        frame = frame_at(max(0.0, seconds), rate)
        return frame_start(
            max(0, self._snapping.snapped(self._before, frame, pointer.reach(self._before))), rate
        )


def span_of_hit(project: Project, lane: Lane, hit: float) -> Span | None:
    """Return the span whose cue has its hit at a time."""
    return next((one for one in spans_of(project, lane) if abs(one.start - hit) < 2e-6), None)
