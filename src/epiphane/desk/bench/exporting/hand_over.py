"""Rows of the export's page that hand the edit over to other programs."""

from pathlib import Path

from PyQt6.QtWidgets import QComboBox

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.exchange import ExchangeDesk
from epiphane.desk.look import asking
from epiphane.desk.look.fields import button, choice_field, wrapped
from epiphane.document.project import Project
from epiphane.exporting.target import unused_name
from epiphane.files.settings import folder_of, note_folder
from epiphane.interchange.declare import INTERCHANGES
from epiphane.wording import tr


class HandOverRows(Rows[Project]):
    """What other programs can read, and a button to write it; what they made is imported as footage is."""

    def __init__(self, editor: Editor, exchange: ExchangeDesk) -> None:
        super().__init__()
        self._editor, self._exchange = editor, exchange
        forms = [one for one in INTERCHANGES.all() if one.write is not None]
        chosen = choice_field(
            tr("Format of interchange"), [(one.key, one.label) for one in forms], self._say_holds
        )
        write = button(
            tr("Write…"), tr("Write the edit for another program"), lambda: self._hand_over(chosen)
        )
        self.row(tr("Hand over"), chosen, write)
        self._holds = wrapped("")
        self.add(self._holds)
        self._say_holds(forms[0].key)

    def _say_holds(self, key: str) -> None:
        form = INTERCHANGES.named(key)
        back = "" if form.read is None else tr("Import it to take it back.")
        self._holds.setText(f"{form.holds[:1].upper()}{form.holds[1:]}. {back}".strip())

    def _hand_over(self, chosen: QComboBox) -> None:
        form = INTERCHANGES.named(str(chosen.currentData()))
        own = self._editor.path.parent if self._editor.path else Path.home()
        ending = form.endings[0]
        proposed = unused_name(folder_of("export", own) / f"{self._editor.title}{ending}")
        path = asking.ask_new_file(self, tr("Hand over to"), proposed, f"{form.label} (*{ending})", ending)
        if path is not None:
            note_folder("export", path.parent)
            self._exchange.hand_over(form, path)
