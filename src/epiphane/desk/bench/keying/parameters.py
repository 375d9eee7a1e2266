"""A row for each parameter of an effect, of a lane or of single cues."""

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QWidget

from epiphane.declare.parameters import (
    AnyParameter,
    ChoiceParameter,
    ColourParameter,
    Parameter,
    rest_and_peak,
    setting_of,
    text_value,
)
from epiphane.desk.bench.keying.vary import VaryRow
from epiphane.desk.bench.page import Rows
from epiphane.desk.look.fields import NumberField, RangeBar, label
from epiphane.document.lane import Setting, Settings
from epiphane.lane_kinds import lane_kind
from epiphane.wording import tr

# Parameters with a smaller range are typed with a decimal.
_WHOLE_RANGE = 90
_SHORT_UNITS = {"% of width": "%", "% of height": "%", "a second": "/s", "° a second": "°/s", "stops": ""}


class ParameterRows(Rows[Settings]):
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
        super().__init__(spacing=5)
        self._effect, self._colour, self._can_vary = lane_kind(effect), colour, can_vary
        self._settings: Settings = ()
        self.vary: dict[str, VaryRow] = {}
        self.shows(self._keep)
        if self._effect is None:
            self.add(
                label(
                    tr(
                        "This version does not know the effect “{effect}”. It is kept as it is.",
                        effect=effect,
                    )
                )
            )
        if any(isinstance(parameter, Parameter) for parameter in self._parameters()):
            self.row(tr("Values"), label(tr("drag the ring: at rest; the disc: at the peak")))
        for parameter in self._parameters():
            self._add_rows(parameter)

    def _keep(self, settings: Settings) -> None:
        self._settings = settings

    def _parameters(self) -> tuple[AnyParameter, ...]:
        return () if self._effect is None else self._effect.parameters

    def _add_rows(self, parameter: AnyParameter) -> None:
        """Add the fields of a parameter, and below them how it changes from cue to cue."""
        fields: tuple[QWidget, ...]
        if isinstance(parameter, Parameter):
            fields = self._number_fields(parameter)
        elif isinstance(parameter, ColourParameter):
            text_of, changed = partial(_text_of, parameter), partial(self._set_text, parameter)
            fields = (self.colour(parameter.label, text_of, changed),)
        else:
            options = tuple((option, tr(option)) for option in parameter.options)
            text_of, changed = partial(_text_of, parameter), partial(self._set_text, parameter)
            fields = (self.choice(parameter.label, options, text_of, changed),)
        if not self._can_vary:
            self.row(parameter.label, *fields)
            return
        vary = VaryRow(parameter, partial(self._set_with, parameter), self.refused.emit)
        self.vary[parameter.name] = vary
        self.row(parameter.label, *fields, vary.opener)
        self.add(vary)
        self.shows(lambda settings: vary.refresh(setting_of(parameter, settings)))

    def _number_fields(self, parameter: Parameter) -> tuple[RangeBar, NumberField]:
        bar = RangeBar(parameter.label, low=parameter.low, high=parameter.high, colour=self._colour)
        bar.changed.connect(lambda rest, peak: self._set_number(parameter, rest, peak, parameter.name))
        bar.released.connect(self.released)
        self.shows(lambda settings: bar.set_values(*_ends_of(parameter, settings)))
        decimals = 0 if parameter.is_whole or parameter.high - parameter.low >= _WHOLE_RANGE else 1
        field = self.number(
            tr("{label} at the peak", label=parameter.label),
            lambda settings: _ends_of(parameter, settings)[1],
            lambda peak: self._set_number(parameter, None, peak, None),
            limits=(parameter.low, parameter.high),
            unit=_SHORT_UNITS.get(parameter.unit, parameter.unit),
            decimals=decimals,
            step=10**-decimals,
        )
        field.setToolTip(
            tr(
                "{label}: {low:g} to {high:g} {unit}",
                label=parameter.label,
                low=parameter.low,
                high=parameter.high,
                unit=tr(parameter.unit),
            )
        )
        return bar, field

    def _set_number(self, parameter: Parameter, rest: float | None, peak: float, gesture: str | None) -> None:
        old = setting_of(parameter, self._settings)
        rest = rest_and_peak(parameter, old)[0] if rest is None else rest
        self.changed.emit(replace(old, peak=float(peak), rest=float(rest)), gesture)

    def _set_text(self, parameter: AnyParameter, text: str) -> None:
        self.changed.emit(replace(setting_of(parameter, self._settings), peak=text), None)

    def _set_with(self, parameter: AnyParameter, change: Callable[[Setting], Setting]) -> None:
        self.changed.emit(change(setting_of(parameter, self._settings)), None)


def _setting(parameter: AnyParameter, settings: Settings) -> Setting | None:
    return next((one for one in settings if one.name == parameter.name), None)


def _ends_of(parameter: Parameter, settings: Settings) -> tuple[float, float]:
    return rest_and_peak(parameter, _setting(parameter, settings))


def _text_of(parameter: ColourParameter | ChoiceParameter, settings: Settings) -> str:
    return text_value(parameter, _setting(parameter, settings))
