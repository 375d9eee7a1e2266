"""How a parameter changes from cue to cue: the values it goes through, and how far chance takes it."""

from collections.abc import Callable
from typing import TypeAlias

from msgspec.structs import replace
from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from epiphane.declare.parameters import ChoiceParameter, ColourParameter, Parameter, is_colour
from epiphane.desk.bench.struct_fields import limited_field
from epiphane.desk.look import theme
from epiphane.desk.look.fields import LABEL_WIDTH, TextField, label
from epiphane.document.lane import Setting
from epiphane.wording import tr

VaryingParameter: TypeAlias = Parameter | ColourParameter | ChoiceParameter
"""What may have another value at each cue: a number, a colour, a choice."""


class VaryRow(QWidget):
    """What comes after the value above at the next cues; hidden until it is wanted or there is something.

    `changed` is called with what is to become of the parameter's setting, `refused` with a sentence.
    """

    def __init__(
        self,
        parameter: VaryingParameter,
        changed: Callable[[Callable[[Setting], Setting]], None],
        refused: Callable[[str], None],
    ) -> None:
        super().__init__()
        self._parameter = parameter
        self._changed = changed
        self._refused = refused
        self._is_wanted = False
        self.then = TextField(
            tr("{label} at the cues that follow", label=parameter.label),
            tr(
                "{label} at the next cues, with commas between them; then the first again",
                label=parameter.label,
            ),
            longest=600,
        )
        self.then.setPlaceholderText(tr("the same"))
        self.then.editingFinished.connect(self._set_then)
        self.wander = limited_field(
            Setting, "wander", tr("{label} by chance", label=parameter.label), decimals=1
        )
        self.wander.setFixedWidth(58)
        self.wander.setToolTip(
            tr("How far chance takes {label} at each cue, up or down", label=parameter.label.lower())
        )
        self.wander.edited.connect(self._set_wander)
        self.opener = QPushButton(theme.icon("repeat", theme.QUIET, 13), "")
        self.opener.setProperty("quiet", True)
        self.opener.setIconSize(QSize(13, 13))
        self.opener.setFixedSize(24, 24)
        self.opener.setAccessibleName(tr("Vary {label}", label=parameter.label.lower()))
        self.opener.setToolTip(tr("Let {label} change from cue to cue", label=parameter.label.lower()))
        self.opener.clicked.connect(self._toggle)
        box = QHBoxLayout(self)
        box.setContentsMargins(LABEL_WIDTH - 26, 0, 0, 0)
        box.setSpacing(10)
        box.addWidget(label(tr("then")))
        box.addWidget(self.then, 1)
        if isinstance(parameter, Parameter):
            box.addWidget(label("±"))
            box.addWidget(self.wander)
        self.setVisible(False)

    def refresh(self, setting: Setting) -> None:
        """Show how the parameter changes."""
        self.then.show_text(", ".join(_written(one) for one in setting.then))
        self.wander.show_value(setting.wander)
        self.setVisible(self._is_wanted or setting.is_varied)
        colour = theme.TEXT if setting.is_varied else theme.QUIET
        self.opener.setIcon(theme.icon("repeat", colour, 13))

    def _toggle(self) -> None:
        self._is_wanted = not self.isVisible()
        if self._is_wanted:
            self.setVisible(True)
            self.then.setFocus()
        else:  # put away: the same at every cue again
            self.then.clear()
            self._changed(lambda setting: replace(setting, then=(), wander=0.0))

    def _set_wander(self, value: float) -> None:
        self._changed(lambda setting: replace(setting, wander=value))

    def _set_then(self) -> None:
        words = [word.strip() for word in self.then.text().replace(";", ",").split(",")]
        values = [self._value(word) for word in words if word]
        wrong = [word for word, value in zip(filter(None, words), values, strict=True) if value is None]
        if wrong:
            self._refused(
                tr(
                    "“{wrong}” is no value of {label}: {range}.",
                    wrong=wrong[0],
                    label=self._parameter.label.lower(),
                    range=self._range(),
                )
            )
            return
        then = tuple(value for value in values if value is not None)
        self._changed(lambda setting: replace(setting, then=then))

    def _value(self, word: str) -> float | str | None:
        parameter = self._parameter
        if isinstance(parameter, Parameter):
            try:
                value = float(word)
            except ValueError:
                return None
            return value if parameter.low <= value <= parameter.high else None
        if isinstance(parameter, ColourParameter):
            return word if is_colour(word) else None
        return word if word in parameter.options else None

    def _range(self) -> str:
        parameter = self._parameter
        if isinstance(parameter, Parameter):
            return tr(
                "write numbers from {low:g} to {high:g} with commas between them",
                low=parameter.low,
                high=parameter.high,
            )
        if isinstance(parameter, ColourParameter):
            return tr("write colours as #rrggbb with commas between them")
        return tr("write some of ") + ", ".join(parameter.options)


def _written(value: float | str) -> str:
    return value if isinstance(value, str) else f"{value:g}"
