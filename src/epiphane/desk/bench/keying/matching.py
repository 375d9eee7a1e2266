"""With what the controls of a grade are worked out: colours that are picked, a picture that was kept."""

from functools import partial

from PyQt6.QtWidgets import QPushButton

from epiphane.desk.bench.page import Rows
from epiphane.desk.control.grading import GradeDesk
from epiphane.desk.control.shown_picture import ShownPicture
from epiphane.desk.look.fields import button, in_a_row, label, switch
from epiphane.document.lane import Lane
from epiphane.render.matching import Neutral
from epiphane.wording import tr

_LABELS = {Neutral.GREY: tr("Grey"), Neutral.WHITE: tr("White"), Neutral.BLACK: tr("Black")}


class MatchingRows(Rows[Lane]):
    """A row of what is to be picked in the picture, and the match to the one that was kept."""

    def __init__(self, grading: GradeDesk, shown: ShownPicture) -> None:
        super().__init__()
        self._grading = grading
        self.picks: dict[Neutral, QPushButton] = {}
        for neutral, text in _LABELS.items():
            tip = tr("Click something in the picture that is to come out so")
            self.picks[neutral] = switch(text, tip, partial(self._pick, neutral), is_quiet=False)
        tip = tr("Give the picture the light and colour of the one that was kept (Shift+K keeps it)")
        self.match = button(tr("As the kept one"), tip, grading.match)
        self.add(in_a_row(label(tr("Pick")), *self.picks.values(), right=(self.match,), spacing=6))
        tip = tr("Set the controls by a slope, offset, power and saturation (.cdl, .ccc, .cc)")
        self.decision = button(tr("Colour decision…"), tip, grading.read_decision)
        self.add(in_a_row(label(tr("Read")), self.decision, spacing=6))
        grading.picking_changed.connect(self._refresh)
        shown.kept_changed.connect(self._refresh)
        self._refresh()

    def _pick(self, neutral: Neutral, is_on: bool) -> None:
        self._grading.pick(neutral if is_on else None)

    def _refresh(self) -> None:
        for neutral, pick in self.picks.items():
            pick.setChecked(self._grading.picked is neutral)
        self.match.setEnabled(self._grading.can_match)
