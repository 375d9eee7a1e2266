"""Recovery of unsaved work that crashed sessions have left: offer, recover, delete."""

from PyQt6.QtCore import QObject, pyqtSignal

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.files import Files
from epiphane.desk.control.selection import LostWorkSelection, SongSelection
from epiphane.desk.look.asking import CANCEL
from epiphane.document.project import new_project
from epiphane.files.journal import LostWork
from epiphane.wording import plural, tr


class RecoveryDesk(QObject):
    """Looks after lost work; it stays where it is until somebody has answered.

    Signals
    -------
    offered(text: str, action: str)
        Something is there to be brought back by `act`.
    changed()
        There is less of it, or more.
    """

    offered = pyqtSignal(str, str)
    changed = pyqtSignal()

    def __init__(self, editor: Editor, files: Files) -> None:
        super().__init__(editor)
        self._editor = editor
        self._files = files
        self._offered: LostWork | None = None
        self.works: tuple[LostWork, ...] = ()
        files.opened.connect(self.look)

    def look(self) -> None:
        """Look for lost work, and offer that of the open project, or any where none is open."""
        self._find()
        own = self._editor.lost_work_of_project()
        found = own or [work for work in self.works if work.project_path is None]
        self._offered = found[0] if len(found) == 1 else None
        if own:
            self.offered.emit(
                tr("The last session ended with {edits} of this project.", edits=_edits(own[0])),
                tr("Recover") if self._offered else tr("Look at it…"),
            )
        elif self._offered is not None:
            what = f"“{self._offered.project.name}”, {_edits(self._offered)}"
            self.offered.emit(tr("A session ended without saving {what}.", what=what), tr("Recover"))
        elif found:
            self.offered.emit(
                tr("Sessions ended without saving {count} projects.", count=len(found)), tr("Look at it…")
            )

    def act(self) -> None:
        """Bring back what was offered, or show all there is."""
        if self._offered is None:
            self.show()
        else:
            self.bring_back(self._offered)

    def show(self) -> None:
        """Show all lost work on the bench."""
        self._find()
        if self.works:
            self._editor.select(LostWorkSelection())
        else:
            self._editor.said.emit(tr("No session has left unsaved work behind."), False)

    def bring_back(self, work: LostWork) -> None:
        """Have lost work in the window, as one edit of its project that can be undone."""
        if not self._is_open(work) and not self._open_for(work):
            return
        is_done = self._editor.apply(lambda _: work.project, "recovery")
        if is_done and not self._editor.is_journal_failing:
            self._forget(work)
            self._files.hear()
        self._editor.select(SongSelection())

    def throw_away(self, work: LostWork) -> None:
        """Remove lost work for good, if that is meant: no undo brings it back."""
        text = tr(
            "{edits} of “{name}” would be gone for good.",
            edits=_edits(work).capitalize(),
            name=work.project.name,
        )
        if self._files.ask(tr("Throw away unsaved work"), text, (tr("Delete"), CANCEL)) == CANCEL:
            return
        self._forget(work)
        if not self.works:
            self._editor.select(SongSelection())

    def _is_open(self, work: LostWork) -> bool:
        return work in self._editor.lost_work_of_project()

    def _open_for(self, work: LostWork) -> bool:
        """Open the project that lost work belongs to, or an empty one where that is gone."""
        path = work.project_path
        if path is not None and path.exists():
            return self._files.may_leave() and self._files.open_path(path)
        if not self._files.may_leave():
            return False
        self._editor.open(new_project(work.project.name), None)
        return True

    def _forget(self, work: LostWork) -> None:
        # By what it holds: opening its project has given its file another name.
        for one in self._editor.lost_work():
            if one.project == work.project:
                self._editor.forget_lost(one)
        self._find()

    def _find(self) -> None:
        for work in self._editor.lost_work():
            if work.project == self._editor.project:  # the machine went down after it had been saved
                self._editor.forget_lost(work)
        self.works = tuple(self._editor.lost_work())
        self.changed.emit()


def _edits(work: LostWork) -> str:
    return plural(work.n_edits, "one unsaved edit", "{} unsaved edits")
