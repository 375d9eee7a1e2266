"""Handing the edit over to other programs, and taking what they made."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.look import asking
from epiphane.disk import short_name, write_atomically
from epiphane.files.trust import TrustedFolders, folders_of
from epiphane.interchange.declare import INTERCHANGES, Interchange, Reading, reader_for
from epiphane.wording import tr


def is_taken(path: Path) -> bool:
    """Whether a file is of a format of interchange that is read."""
    return any(path.suffix.lower() in one.endings for one in INTERCHANGES.all() if one.read is not None)


class ExchangeDesk:
    """What the user hands over to other programs, and takes from them."""

    def __init__(self, editor: Editor, jobs: Jobs, window: QWidget, trusted: TrustedFolders) -> None:
        self._editor, self._jobs = editor, jobs
        self._window, self._trusted = window, trusted

    def take(self, paths: list[Path]) -> None:
        """Put what files say into the project: shots, beats, hits; each is one step to undo.

        It is asked first whether files that they name, which lie elsewhere, are to be opened.
        """
        for path in paths:
            form = reader_for(path)
            self._jobs.start(
                f"looking into {path}",
                tr("Reading {name}", name=path.name),
                lambda _progress, form=form, path=path: form.files(path),
                done=partial(self._read, form, path),
            )

    def _read(self, form: Interchange, path: Path, files: Sequence[Path]) -> None:
        read = form.read
        assert read is not None
        if self._may_open(files, path):
            self._jobs.start(
                f"taking {path}",
                tr("Reading {name}", name=path.name),
                lambda _progress: read(path),
                done=partial(self._put, path),
            )

    def _may_open(self, files: Sequence[Path], path: Path) -> bool:
        """Whether files that another one names may be opened; asked where they lie where none is read yet."""
        read_already = folders_of(self._editor.project)
        strange = [
            folder
            for folder in self._trusted.strange_among(files, path.absolute().parent)
            if folder not in read_already
        ]
        if not strange:
            return True
        text = tr(
            "{name} shows files that lie outside its own folder, in\n\n{listed}",
            name=short_name(path),
            listed=asking.listed(strange),
        )
        read = tr("Read them")
        may_open = asking.ask(self._window, tr("Files elsewhere"), text, (read, asking.CANCEL)) == read
        if may_open:
            self._trusted.add(strange)
        return may_open

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
