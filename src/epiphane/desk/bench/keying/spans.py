"""The rows of the bench of a lane that is on over spans of the song."""

from functools import partial

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.look.fields import button, in_a_row, label
from epiphane.document.ids import LaneId
from epiphane.document.lane import Lane
from epiphane.document.project import find
from epiphane.edits.keying.spans import add_span, clear_spans
from epiphane.facts.form import parts_of
from epiphane.facts.grid import bar_at, bars_of
from epiphane.keying.spans import spans_of
from epiphane.timing import frame_start
from epiphane.wording import tr

_MOST_TOLD = 4


class SpanRows(Rows[Lane]):
    """Over which spans a lane is on: all of the song, parts of it, or stretches drawn on its row."""

    def __init__(self, editor: Editor, lane: LaneId) -> None:
        super().__init__(spacing=5)
        self._editor, self._lane_id = editor, lane
        tips = (
            tr("Let it be on over the bar under the playhead too"),
            tr("Let it be on over the section under the playhead too"),
            tr("Let it be on all the time, or in the parts chosen below"),
        )
        bar = button(tr("This bar"), tips[0], partial(self._add, "bar"))
        section = button(tr("This section"), tips[1], partial(self._add, "section"))
        whole = button(tr("All of it"), tips[2], self._clear)
        self.add(self.told(self._told), in_a_row(label(tr("on over")), bar, section, whole, spacing=6))

    def _told(self, lane: Lane) -> str:
        """Return over which spans the lane is on."""
        bars = bars_of(self._editor.project)
        spans = spans_of(self._editor.project, lane)
        shown = spans[:_MOST_TOLD]
        ends = [[bars[bar_at(bars, at)].number for at in (one.start + 1e-3, one.end - 1e-3)] for one in shown]
        told = [
            tr("bar {first}", first=first)
            if first == last
            else tr("bars {first} to {last}", first=first, last=last)
            for first, last in ends
        ]
        more = tr(" and {count} more", count=len(spans) - _MOST_TOLD) if len(spans) > _MOST_TOLD else ""
        text = (
            tr("On over {names}{more}", names=", ".join(told), more=more)
            if spans
            else tr("On over no part of the song")
        )
        return tr("{words}. Drag along its row for another span, by its ends to change it.", words=text)

    def _add(self, what: str) -> None:
        project = self._editor.project
        here = frame_start(self._editor.playhead + 1, project.rate) - 1e-6
        if what == "bar":
            bars = bars_of(project)
            bar = bars[bar_at(bars, here)]
            start, end = bar.start, bar.end
        else:
            found = next((one for one in parts_of(project.song) if one.start <= here < one.end), None)
            if found is None:
                self._editor.said.emit(tr("There is no section under the playhead."), True)
                return
            start, end = found.start, found.end
        self._editor.apply(lambda p: add_span(p, self._lane_id, start, end), tr("span of a lane"))

    def _clear(self) -> None:
        lane = find(self._editor.project.lanes, self._lane_id, "lane")
        if lane.spans:
            self._editor.apply(lambda p: clear_spans(p, self._lane_id), tr("spans of a lane"))
