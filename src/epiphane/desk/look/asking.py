"""Modal questions and file dialogs."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QPushButton, QWidget

from epiphane.disk import short_name
from epiphane.wording import tr

CANCEL = tr("Cancel")
_MOST_LISTED = 8


def ask(parent: QWidget, title: str, text: str, answers: Sequence[str]) -> str:
    """Return one of the answers; the first is that of Enter, the last that of Escape.

    The text is shown as it is: names of files in it are never taken for markup.
    """
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    buttons: list[QPushButton] = []
    for answer in answers:
        # The roles keep the order in which they are given, whatever the desktop prefers.
        button = box.addButton(answer, QMessageBox.ButtonRole.ActionRole)
        assert button is not None
        buttons.append(button)
    box.setDefaultButton(buttons[0])
    box.setEscapeButton(buttons[-1])
    box.exec()
    pressed = box.clickedButton()
    return next((button.text() for button in buttons if button is pressed), answers[-1])


def listed(folders: Sequence[Path]) -> str:
    """Return folders for a question, a line each, the first few of many."""
    lines = [str(folder) for folder in folders[:_MOST_LISTED]]
    if len(folders) > _MOST_LISTED:
        lines.append(tr("and {count} more", count=len(folders) - _MOST_LISTED))
    return "\n".join(lines)


def ask_new_file(parent: QWidget, title: str, proposed: Path, kinds: str, suffix: str) -> Path | None:
    """Return where a file is to be written, or None; one that is there is only named if that is confirmed.

    `kinds` is what the dialog shows, as in ``MP4 (*.mp4)``; `suffix` is added to a name that has none, before
    the dialog looks whether there is a file of that name.
    """
    dialog = QFileDialog(parent, title, str(proposed.parent), kinds)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    dialog.setDefaultSuffix(suffix)
    dialog.selectFile(proposed.name)
    if not dialog.exec():
        return None
    path = Path(dialog.selectedFiles()[0])
    if path.suffix.lower() == suffix:
        return path
    return may_replace(parent, path.with_name(path.name + suffix))  # of a name with a dot in it


def ask_text(parent: QWidget, title: str, text: str, proposed: str) -> str:
    """Return what is typed as the answer to a question; nothing where it is given up."""
    answer, is_given = QInputDialog.getText(parent, title, text, text=proposed)
    return answer.strip() if is_given else ""


def may_replace(parent: QWidget, path: Path) -> Path | None:
    """Return a path if there is no file yet, or it may be written over."""
    text = tr("There is a file {name} in {folder} already.", name=short_name(path), folder=path.parent)
    if not path.exists() or ask(parent, tr("A file is there"), text, (tr("Write over it"), CANCEL)) != CANCEL:
        return path
    return None
