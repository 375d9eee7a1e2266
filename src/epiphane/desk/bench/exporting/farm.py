"""The field for who makes a film: this machine alone, or a farm by its address."""

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.look.fields import button
from epiphane.errors import MediaError
from epiphane.exporting.queue_process import start_detached
from epiphane.files.settings import keep_farm, read_settings
from epiphane.wording import tr

_TOPIC = "farm"
_IDLE_SECONDS = 900
"""After which a farm that was started here ends by itself."""


class FarmField(QWidget):
    """The address of a farm, empty for this machine alone, and a button that starts one on this machine."""

    def __init__(self, jobs: Jobs, failed: Callable[[str], None]) -> None:
        super().__init__()
        self._jobs, self._failed = jobs, failed
        self._field = QLineEdit(read_settings().farm)
        self._field.setAccessibleName(tr("Address of a farm"))
        self._field.setPlaceholderText(tr("this machine alone"))
        self._field.setToolTip(tr("tcp://HOST:PORT of a farm that makes the film; empty: this machine"))
        self._field.editingFinished.connect(lambda: keep_farm(self.address))
        start = button(
            tr("Start a farm here"), tr("Start workers on this machine, one for each core"), self._start
        )
        start.setProperty("quiet", True)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self._field, 1)
        box.addWidget(start)

    @property
    def address(self) -> str:
        """What is in the field."""
        return self._field.text().strip()

    def _start(self) -> None:
        self._jobs.start(
            _TOPIC,
            tr("Starting a farm"),
            lambda _progress: _started_farm(),
            done=self._field.setText,
            failed=self._failed,
        )


def _started_farm() -> str:
    """Start a farm that outlives the window for a while, and return its address."""
    process = start_detached("farm", "--port", "0", "--idle", str(_IDLE_SECONDS), is_heard=True)
    assert process.stdout is not None
    with process.stdout:
        address = process.stdout.readline().strip()
    if not address:
        process.wait()
        raise MediaError(tr('no farm could be started: install it with  pip install "epiphane[farm]"'))
    return address
