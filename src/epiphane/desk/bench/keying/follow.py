"""The rows of the bench of a lane that follows a band of the song."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from epiphane.audio.in_project import heard_in_band
from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import label
from epiphane.desk.look.lanes import lane_colour
from epiphane.document.ids import LaneId
from epiphane.document.lane import Follow, Lane
from epiphane.document.project import Project, find
from epiphane.edits.keying.lanes import change_lane
from epiphane.errors import EditError
from epiphane.keying.envelope_follower import HEARD_PER_SECOND
from epiphane.timing import frame_start
from epiphane.wording import tr

_SHOWN_SECONDS = 4.0


class FollowRows(Rows[Lane]):
    """Which band a lane follows, from which level to which, and how fast."""

    def __init__(self, editor: Editor, lane: LaneId) -> None:
        super().__init__(spacing=5)
        self._editor, self._lane_id = editor, lane
        self.curve = FollowCurve(editor)
        self.shows(self.curve.show_lane)
        number = self.fields(Follow, self._change, lambda lane: lane.follow).number
        self.add(self.curve)
        self.row(
            tr("Band"),
            number("low", tr("Lower edge of the band"), "Hz"),
            label("to"),
            number("high", tr("Upper edge of the band"), "Hz"),
        )
        self.row(
            tr("Level in"),
            number("quiet", tr("At this level it is at rest"), "%", factor=100),
            label("to"),
            number("loud", tr("At this level it is at its peak"), "%", factor=100),
        )
        self.row(
            tr("Attack"),
            number("attack", tr("How slowly it goes up"), "ms"),
            label(tr("release")),
            number("release", tr("How slowly it goes down"), "ms"),
        )

    def _change(self, **changes: float) -> None:
        self._editor.apply(
            following(self._editor, self._lane_id, **changes), tr("change of what is followed")
        )


def following(editor: Editor, lane_id: LaneId, **changes: float) -> Callable[[Project], Project]:
    """Return the edit that lets a lane follow a band, listened to again where the band is another."""

    def edit(project: Project) -> Project:
        old = find(project.lanes, lane_id, "lane").follow
        new = replace(old, **changes)
        if new.low >= new.high:
            raise EditError(tr("the lower edge of the band must be below the upper one."))
        if new.quiet >= new.loud:
            raise EditError(tr("the level at rest must be below that at the peak."))
        levels = editor.heard_file.listening.levels if editor.heard_file is not None else None
        is_heard = bool(old.heard) and (old.low, old.high) == (new.low, new.high)
        if not is_heard and levels is None:
            raise EditError(tr("a lane follows a song that sounds: open a song first."))
        if not is_heard and levels is not None:
            new = heard_in_band(levels, new)
        return change_lane(project, lane_id, follow=new)

    return edit


class FollowCurve(QWidget):
    """The level of the band around the playhead, what it is mapped from, and what becomes of it."""

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._lane: Lane | None = None
        self.setMinimumHeight(84)
        self.setAccessibleName(tr("Level of the band"))
        self.setToolTip(
            tr(
                "Thin: the level of the band, four seconds around the playhead, and the two levels it is "
                "mapped from. Filled: what becomes of it"
            )
        )
        editor.playhead_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(400, 84)

    def show_lane(self, lane: Lane) -> None:
        """Show what a lane follows."""
        self._lane = lane
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.GROUND)
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        lane, project = self._lane, self._editor.project
        found = None if lane is None else self._editor.cues.lane(lane.id)
        if lane is None or found is None or project.song is None:
            return
        here = frame_start(self._editor.playhead, project.rate)
        first = here - _SHOWN_SECONDS / 2
        colour, rate = lane_colour(lane), float(project.rate)
        filled = QPainterPath(QPointF(0, self._y(0)))
        thin = QPainterPath()
        for pixel in range(self.width()):
            seconds = first + pixel / self.width() * _SHOWN_SECONDS
            frame = int(seconds * rate)
            level = float(found.levels[frame]) if 0 <= frame < len(found.levels) else 0.0
            filled.lineTo(pixel, self._y(level))
            hop = int((seconds + project.song.start) * HEARD_PER_SECOND)
            if 0 <= hop < len(lane.follow.heard) and seconds >= 0:
                point = QPointF(pixel, self._y(lane.follow.heard[hop] / 255))
                (thin.lineTo if thin.elementCount() else thin.moveTo)(point)
        filled.lineTo(self.width(), self._y(0))
        tint = QColor(colour)
        tint.setAlpha(120)
        painter.fillPath(filled, tint)
        painter.setPen(QPen(theme.QUIET, 1, Qt.PenStyle.DotLine))
        for level in (lane.follow.quiet, lane.follow.loud):
            painter.drawLine(QPointF(0, self._y(level)), QPointF(self.width(), self._y(level)))
        painter.setPen(QPen(theme.TEXT, 1.2))
        painter.drawPath(thin)
        painter.setPen(QPen(theme.TEXT, 1))
        painter.drawLine(QPointF(self.width() / 2, 4), QPointF(self.width() / 2, self.height() - 4))

    def _y(self, level: float) -> float:
        return self.height() - 8 - level * (self.height() - 16)
