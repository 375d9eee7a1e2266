"""Handing the edit over to other programs, and taking what they made."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.jobs import Jobs
from epiphane.disk import write_atomically
from epiphane.interchange.declare import INTERCHANGES, Interchange, Reading, reader_for
from epiphane.wording import tr


def is_taken(path: Path) -> bool:
    """Whether a file is of a format of interchange that is read."""
    return any(path.suffix.lower() in one.endings for one in INTERCHANGES.all() if one.read is not None)


class ExchangeDesk(QObject):
    """What the user hands over to other programs, and takes from them."""

    def __init__(self, editor: Editor, jobs: Jobs) -> None:
        super().__init__()
        self._editor, self._jobs = editor, jobs

    def take(self, paths: list[Path]) -> None:
        """Put what files say into the project: shots, beats, hits; each is one step to undo."""
        for path in paths:
            form = reader_for(path)
            assert form.read is not None
            self._jobs.start(
                f"taking {path}",
                tr("Reading {name}", name=path.name),
                lambda _progress, read=form.read, path=path: read(path),
                done=partial(self._put, path),
            )

    def _put(self, path: Path, read: Reading) -> None:
        if self._editor.apply(read.apply, tr("what {name} says", name=path.name)):
            said = " ".join([tr("{name} is taken in.", name=path.name), *read.remarks])
            self._editor.said.emit(said, bool(read.remarks))

    def hand_over(self, form: Interchange, path: Path) -> None:
        """Write the project to a file of a format of interchange."""
        project, write = self._editor.project, form.write
        assert write is not None
        self._jobs.start(
            f"handing over {path}",
            tr("Writing {name}", name=path.name),
            lambda _progress: write_atomically(path, write(project)),
            done=lambda _: self._editor.said.emit(
                tr("{name} is ready, in {folder}.", name=path.name, folder=path.parent), False
            ),
        )
