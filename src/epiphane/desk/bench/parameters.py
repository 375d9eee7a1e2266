"""A row for each parameter of an effect, of a lane or of single cues."""

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from epiphane.declare.parameters import (
    AnyParameter,
    ColourParameter,
    Parameter,
    rest_and_peak,
    setting_of,
    text_value,
)
from epiphane.desk.bench.vary import VaryRow
from epiphane.desk.look.fields import (
    ColourButton,
    NumberField,
    RangeBar,
    choice_field,
    label,
    number_field,
    row,
    show_choice,
)
from epiphane.document.lane import Setting, Settings
from epiphane.lane_kinds import lane_kind

# Parameters with a smaller range are typed with a decimal.
_WHOLE_RANGE = 90
_SHORT_UNITS = {"% of width": "%", "% of height": "%", "a second": "/s", "° a second": "°/s", "stops": ""}


class ParameterRows(QWidget):
    """The values of an effect's parameters; where they `can_vary`, also how they change from cue to cue.

    Signals
    -------
    changed(setting: Setting, gesture: str or None)
        A parameter is to be set so; a drag goes on as long as the gesture is the same.
    released()
        A drag has ended.
    refused(text: str)
        What was written is no value.
    """

    changed = pyqtSignal(object, object)
    released = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, effect: str, colour: QColor, *, can_vary: bool = True) -> None:
        super().__init__()
        self._effect = lane_kind(effect)
        self._colour = colour
        self._can_vary = can_vary
        self._settings: Settings = ()
        self._bars: dict[str, tuple[RangeBar, NumberField]] = {}
        self._texts: dict[str, ColourButton | QComboBox] = {}
        self.vary: dict[str, VaryRow] = {}
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        if self._effect is None:
            box.addWidget(label(f"This version does not know the effect “{effect}”. It is kept as it is."))
        if any(isinstance(parameter, Parameter) for parameter in self._parameters()):
            box.addWidget(row("Values", label("drag the ring: at rest; the disc: at the peak")))
        for parameter in self._parameters():
            if can_vary:
                self.vary[parameter.name] = VaryRow(
                    parameter, partial(self._set_with, parameter), self.refused.emit
                )
            box.addWidget(self._row(parameter))
            if can_vary:
                box.addWidget(self.vary[parameter.name])

    def show_values(self, settings: Settings) -> None:
        """Show the values that a lane has, or would have with the changes to one of its cues."""
        self._settings = settings
        by_name = {setting.name: setting for setting in settings}
        for parameter in self._parameters():
            setting = by_name.get(parameter.name)
            if self._can_vary:
                self.vary[parameter.name].refresh(setting_of(parameter, settings))
            if isinstance(parameter, Parameter):
                rest, peak = rest_and_peak(parameter, setting)
                bar, field = self._bars[parameter.name]
                bar.set_values(rest, peak)
                field.show_value(peak)
                continue
            field_or_button = self._texts[parameter.name]
            text = text_value(parameter, setting)
            if isinstance(field_or_button, ColourButton):
                field_or_button.set_colour(text)
            else:
                show_choice(field_or_button, text)

    def _parameters(self) -> tuple[AnyParameter, ...]:
        return () if self._effect is None else self._effect.parameters

    def _row(self, parameter: AnyParameter) -> QWidget:
        openers = (self.vary[parameter.name].opener,) if self._can_vary else ()
        if isinstance(parameter, Parameter):
            return row(parameter.label, *self._number(parameter), *openers)
        if isinstance(parameter, ColourParameter):
            button = ColourButton(parameter.label)
            button.picked.connect(partial(self._set_text, parameter))
            self._texts[parameter.name] = button
            return row(parameter.label, button, *openers)
        options = tuple((option, option) for option in parameter.options)
        field = choice_field(parameter.label, options, partial(self._set_text, parameter))
        self._texts[parameter.name] = field
        return row(parameter.label, field, *openers)

    def _number(self, parameter: Parameter) -> tuple[RangeBar, NumberField]:
        bar = RangeBar(parameter.label, low=parameter.low, high=parameter.high, colour=self._colour)
        decimals = 0 if parameter.is_whole or parameter.high - parameter.low >= _WHOLE_RANGE else 1
        field = number_field(
            f"{parameter.label} at the peak",
            low=parameter.low,
            high=parameter.high,
            unit=_SHORT_UNITS.get(parameter.unit, parameter.unit),
            decimals=decimals,
            step=10**-decimals,
        )
        field.setToolTip(f"{parameter.label}: {parameter.low:g} to {parameter.high:g} {parameter.unit}")
        bar.changed.connect(lambda rest, peak: self._set_number(parameter, rest, peak, parameter.name))
        bar.released.connect(self.released)
        field.edited.connect(lambda peak: self._set_number(parameter, None, peak, None))
        self._bars[parameter.name] = (bar, field)
        return bar, field

    def _set_number(self, parameter: Parameter, rest: float | None, peak: float, gesture: str | None) -> None:
        old = setting_of(parameter, self._settings)
        rest = rest_and_peak(parameter, old)[0] if rest is None else rest
        self.changed.emit(replace(old, peak=float(peak), rest=float(rest)), gesture)

    def _set_text(self, parameter: AnyParameter, text: str) -> None:
        self.changed.emit(replace(setting_of(parameter, self._settings), peak=text), None)

    def _set_with(self, parameter: AnyParameter, change: Callable[[Setting], Setting]) -> None:
        self.changed.emit(change(setting_of(parameter, self._settings)), None)
