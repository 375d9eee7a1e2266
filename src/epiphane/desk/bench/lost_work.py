"""The bench of unsaved work that lost sessions have left behind."""

from datetime import datetime

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.recovery import RecoveryDesk
from epiphane.desk.look.fields import button, in_a_row, label, rule
from epiphane.files.journal import LostWork


class LostWorkBench(BenchPage):
    """A row for each piece of lost work: what it is of, from when, and what is to become of it."""

    def __init__(self, recovery: RecoveryDesk) -> None:
        super().__init__()
        self._recovery = recovery
        self._shown: tuple[LostWork, ...] = ()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(6)
        self._hint = label("It stays here until you recover or delete it.")
        self._hint.setWordWrap(True)
        self._rows = QWidget()
        self._box.addWidget(self._hint)
        self._box.addWidget(self._rows)
        self._box.addStretch(1)

    def refresh(self) -> None:
        """Show what there is now."""
        if self._recovery.works == self._shown:
            return
        self._shown = self._recovery.works
        rows = QWidget()
        box = QVBoxLayout(rows)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        for work in self._shown:
            for widget in self._row(work):
                box.addWidget(widget)
        self._box.replaceWidget(self._rows, rows)
        rows.show()
        self._rows.deleteLater()
        self._rows = rows

    def _row(self, work: LostWork) -> list[QWidget]:
        path = work.project_path
        name = label(path.stem if path is not None else work.project.name, is_quiet=False)
        where = "never saved" if path is None else f"in {path.parent}"
        when = datetime.fromtimestamp(work.ended).strftime("%d %B, %H:%M")
        edits = "1 edit" if work.n_edits == 1 else f"{work.n_edits} edits"
        about = label(f"{when}, {edits}, {where}")
        about.setWordWrap(True)
        back, away = self._recovery.bring_back, self._recovery.throw_away
        buttons = (
            button("Recover", "Open this work in the window", lambda: back(work)),
            button("Delete", "Delete this work for good", lambda: away(work)),
        )
        return [name, about, in_a_row(*buttons), rule()]
