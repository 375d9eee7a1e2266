"""What every page of the bench is."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from epiphane.desk.look.fields import label


class BenchPage(QWidget):
    """A page that shows one kind of selection."""

    def refresh(self) -> None:
        """Show what is selected as it is now; where nothing is, that is nothing to do."""


class NothingBench(BenchPage):
    """What the bench is for, while there is nothing yet that it could show."""

    def __init__(self) -> None:
        super().__init__()
        words = label("What you select in the score is shown here, to be changed.")
        words.setWordWrap(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(words)
        box.addStretch(1)
