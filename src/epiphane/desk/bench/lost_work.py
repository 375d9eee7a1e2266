"""The bench of unsaved work that lost sessions have left behind."""

from datetime import datetime

from PyQt6.QtWidgets import QWidget

from epiphane.desk.bench.page import BenchPage, Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.recovery import RecoveryDesk
from epiphane.desk.look.fields import button, in_a_row, label, rule, wrapped
from epiphane.files.journal import LostWork
from epiphane.wording import plural, tr


class LostWorkBench(BenchPage[tuple[LostWork, ...]]):
    """A row for each piece of lost work: what it is of, from when, and what is to become of it."""

    def __init__(self, editor: Editor, recovery: RecoveryDesk) -> None:
        super().__init__(editor, spacing=6)
        self._recovery = recovery
        self._shown: tuple[LostWork, ...] = ()
        self._rows = Rows[LostWork](spacing=6)
        self.add(wrapped(tr("It stays here until you recover or delete it.")), self._rows)
        self.shows(self._show)
        self.end()

    def thing(self) -> tuple[LostWork, ...]:
        """Return all lost work that there is."""
        return self._recovery.works

    def _show(self, works: tuple[LostWork, ...]) -> None:
        if works == self._shown:
            return
        self._shown = works
        rows = Rows[LostWork](spacing=6)
        for work in works:
            rows.add(*self._row(work))
        self.column.replaceWidget(self._rows, rows)
        rows.show()
        self._rows.deleteLater()
        self._rows = rows

    def _row(self, work: LostWork) -> list[QWidget]:
        path = work.project_path
        name = label(path.stem if path is not None else work.project.name, is_quiet=False)
        where = tr("never saved") if path is None else f"in {path.parent}"
        when = datetime.fromtimestamp(work.ended).strftime("%d %B, %H:%M")
        edits = plural(work.n_edits, "1 edit", "{} edits")
        about = wrapped(f"{when}, {edits}, {where}")
        back, away = self._recovery.bring_back, self._recovery.throw_away
        buttons = (
            button(tr("Recover"), tr("Open this work in the window"), lambda: back(work)),
            button(tr("Delete"), tr("Delete this work for good"), lambda: away(work)),
        )
        return [name, about, in_a_row(*buttons), rule()]
