"""Measuring in the background how well optical flow does in the selected shots."""

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.jobs import Jobs
from epiphane.document.timeline import Between, FootageCut
from epiphane.render.flow_quality import FlowQuality, flow_quality
from epiphane.render.sources import OpenFootage
from epiphane.types import Progress
from epiphane.wording import tr

_REST_MILLISECONDS = 500


class FlowCheck(QObject):
    """Looks at the selected shots where they are shown with optical flow.

    Signals
    -------
    told(text: str)
        How well it does and what it costs; nothing where it is not used.
    """

    told = pyqtSignal(str)

    def __init__(self, editor: Editor, jobs: Jobs) -> None:
        super().__init__()
        self._editor, self._jobs = editor, jobs
        self._looked_at: object = None
        self._is_closed = False
        self._timer = debounced(self, _REST_MILLISECONDS, self._look)
        editor.selection_changed.connect(self._on_change)
        editor.project_changed.connect(self._on_change)

    def close(self) -> None:
        """Look at nothing any more."""
        self._timer.stop()
        self._is_closed = True

    def _on_change(self) -> None:
        if not self._is_closed:
            self._timer.start()

    def _look(self) -> None:
        project = self._editor.project
        shots = [
            shot
            for shot in self._editor.chosen.shots
            if isinstance(shot.content, FootageCut) and shot.content.between is Between.FLOW
        ][:4]
        key = tuple((shot.content, shot.start, shot.n_frames, shot.pin) for shot in shots)
        if key == self._looked_at:
            return
        self._looked_at = key
        self.told.emit("")
        if not shots:
            return

        def work(progress: Progress) -> FlowQuality | None:
            files = OpenFootage(most_open=4)
            try:
                return flow_quality(project, shots, files, progress=progress)
            finally:
                files.close()

        def done(found: FlowQuality | None) -> None:
            if key == self._looked_at and found is not None:
                self.told.emit(found.words)

        self._jobs.start("flow", tr("Looking how well optical flow does"), work, done=done)
