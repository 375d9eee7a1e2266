"""The ground of the window: what everything else stands on, with notices over its foot."""

from collections.abc import Sequence

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QWidget

from epiphane.desk.control.exports import ExportDesk
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.shell.notices import JobStrip, LeftOutStrip, NoticeStrip


class Ground(QWidget):
    """Lays what is said over its own foot, above a job that is shown there: nothing else moves for it."""

    def __init__(
        self,
        strips: Sequence[NoticeStrip | LeftOutStrip],
        job_strip: JobStrip,
        jobs: Jobs,
        exports: ExportDesk,
    ) -> None:
        super().__init__()
        self._strips, self._job_strip = strips, job_strip
        for strip in strips:
            strip.setParent(self)
            strip.changed.connect(self._place_strips)
        jobs.changed.connect(self._place_strips)
        exports.changed.connect(self._place_strips)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_strips()

    def _place_strips(self) -> None:
        bottom = self.height() - (0 if self._job_strip.is_idle else self._job_strip.height())
        for strip in self._strips:
            if not strip.isHidden():
                height = strip.height_at(self.width())
                strip.setGeometry(0, bottom - height, self.width(), height)
                strip.raise_()
                bottom -= height
