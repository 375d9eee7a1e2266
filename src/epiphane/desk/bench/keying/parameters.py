"""A row for each parameter of an effect, of a lane or of single cues."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from epiphane.declare.parameters import (
    AnyParameter,
    ChoiceParameter,
    ColourParameter,
    CurveParameter,
    FileParameter,
    Parameter,
    TextParameter,
    rest_and_peak,
    setting_of,
    text_value,
)
from epiphane.desk.bench.keying.hue_disc import HueDisc, Tint
from epiphane.desk.bench.keying.level_curve import CurveRows
from epiphane.desk.bench.keying.vary import VaryRow
from epiphane.desk.bench.page import Rows
from epiphane.desk.control.look_files import ask_look
from epiphane.desk.look import theme
from epiphane.desk.look.fields import NumberField, RangeBar, button, label, switch
from epiphane.document.lane import Setting, Settings
from epiphane.document.named_file import named_file
from epiphane.effects.declare import Effect
from epiphane.lane_kinds import lane_kind
from epiphane.media.look_files import look_fault
from epiphane.wording import tr

# Parameters with a smaller range are typed with a decimal.
_WHOLE_RANGE = 90
_LONGEST_NAME = 26
_FOLDED: dict[tuple[str, str], bool] = {}
"""Which sections of an effect the user has folded, until the program ends."""
_SHORT_UNITS = {"a second": "/s", "° a second": "°/s", "frames": "f"}


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
        self.curves: CurveRows | None = None
        self.wheels: dict[str, HueDisc] = {}
        self.sections: dict[str, QPushButton] = {}
        if any(isinstance(parameter, Parameter) for parameter in self._parameters()):
            self.row(tr("Values"), label(tr("drag the ring: at rest; the disc: at the peak")))
        sections = self._effect.sections if isinstance(self._effect, Effect) else ()
        named = {one.name: one for one in self._parameters()}
        listed = {name for _, names in sections for name in names}
        self._add_all([one for one in self._parameters() if one.name not in listed])
        for title, names in sections:
            self._add_section(title, [named[name] for name in names], is_first=title == sections[0][0])

    def _keep(self, settings: Settings) -> None:
        self._settings = settings

    def _parameters(self) -> tuple[AnyParameter, ...]:
        return () if self._effect is None else self._effect.parameters

    def _add_section(self, title: str, parameters: Sequence[AnyParameter], *, is_first: bool) -> None:
        """Add the rows of some parameters below a title that folds them; it has a mark where some are set."""
        key = (self._effect.key if self._effect is not None else "", title)
        head = switch(title, tr("Show or hide these values"), lambda is_open: unfold(is_open=is_open))
        head.setStyleSheet("text-align: left; padding: 4px 0;")
        body = QWidget()
        outer, self.column = self.column, QVBoxLayout(body)
        self.column.setContentsMargins(0, 0, 0, 4)
        self.column.setSpacing(outer.spacing())
        self._add_all(parameters)
        self.column = outer
        self.add(head, body)
        self.sections[title] = head

        def unfold(*, is_open: bool) -> None:
            _FOLDED[key] = not is_open
            body.setVisible(is_open)
            show(self._settings)

        def show(settings: Settings) -> None:
            is_set = any(setting_of(one, settings) != setting_of(one, ()) for one in parameters)
            name = "chevron-up" if head.isChecked() else "chevron-down"
            theme.put_icon(head, name, theme.TEXT if is_set else theme.QUIET, 13)
            head.setText(f"{title} •" if is_set else title)

        head.setChecked(not _FOLDED.get(key, not is_first))
        body.setVisible(head.isChecked())
        self.shows(show)

    def _add_all(self, parameters: Sequence[AnyParameter]) -> None:
        """Add rows of parameters; a level, its hue and amount of colour are a wheel, curves one row."""
        names = {one.name for one in parameters}
        levels = [one for one in parameters if {f"{one.name}_hue", f"{one.name}_colour"} <= names]
        of_wheels = {f"{one.name}{part}" for one in levels for part in ("", "_hue", "_colour")}
        curves = [one for one in parameters if isinstance(one, CurveParameter)]
        if levels:
            wheels = QWidget()
            beside = QHBoxLayout(wheels)
            beside.setContentsMargins(0, 0, 0, 0)
            beside.setSpacing(10)
            for level in levels:
                beside.addWidget(self._wheel(level, {one.name: one for one in parameters}))
            self.add(wheels)
        for parameter in parameters:
            if not isinstance(parameter, CurveParameter) and parameter.name not in of_wheels:
                self._add_rows(parameter)
        if curves:
            self.curves = CurveRows(curves, self._colour)
            self.curves.changed.connect(self._set_curve)
            self.curves.released.connect(self.released)
            self.part(self.curves, lambda settings: settings)

    def _wheel(self, level: AnyParameter, named: Mapping[str, AnyParameter]) -> QWidget:
        """Return the disc of hues of a range of levels, and below it the bar of its level."""
        hue, amount = named[f"{level.name}_hue"], named[f"{level.name}_colour"]
        assert isinstance(level, Parameter) and isinstance(hue, Parameter) and isinstance(amount, Parameter)
        disc = HueDisc(level.label, self._colour)
        self.wheels[level.name] = disc

        def change(rest: Tint, peak: Tint) -> None:
            self._set_number(hue, rest.hue, peak.hue, level.name)
            self._set_number(amount, rest.amount, peak.amount, level.name)

        def show(settings: Settings) -> None:
            ends = zip(_ends_of(hue, settings), _ends_of(amount, settings), strict=True)
            disc.show_tints(*(Tint(*one) for one in ends))

        disc.changed.connect(change)
        disc.released.connect(self.released)
        self.shows(show)
        made = QWidget()
        below = QVBoxLayout(made)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(2)
        title = label(level.label)
        title.setAlignment(Qt.AlignmentFlag.AlignCenter)
        bar, field = self._number_fields(level)
        for widget in (title, disc, bar):
            below.addWidget(widget)
        below.addWidget(field, alignment=Qt.AlignmentFlag.AlignHCenter)
        return made

    def _set_curve(self, parameter: CurveParameter, text: str, gesture: str | None) -> None:
        self.changed.emit(replace(setting_of(parameter, self._settings), peak=text), gesture)

    def _add_file(self, parameter: FileParameter) -> None:
        """Add the name of a file, with which another is asked for, and what is wrong with it."""

        def choose() -> None:
            text = ask_look(self.refused.emit)
            if text:
                self._set_text(parameter, text)

        ask = button(tr("Choose a file…"), parameter.help, choose)

        def show(settings: Settings) -> None:
            file = named_file(_text_of(parameter, settings))
            name = "" if file is None else Path(file.path).name
            shown = name if len(name) <= _LONGEST_NAME else f"{name[: _LONGEST_NAME - 1]}…"
            ask.setText(shown or tr("Choose a file…"))
            ask.setToolTip(parameter.help if file is None else theme.plain(file.path))

        def fault(settings: Settings) -> str:
            file = named_file(_text_of(parameter, settings))
            found = "" if file is None else look_fault(file)
            return tr("{fault}. Nothing is done to the picture.", fault=found) if found else ""

        self.shows(show)
        remove = button(tr("Without"), tr("Do without the file"), lambda: self._set_text(parameter, ""))
        self.shows(lambda settings: remove.setVisible(bool(_text_of(parameter, settings))))
        self.row(parameter.label, ask, remove)
        self.add(self.told(fault, hides=True))

    def _add_rows(self, parameter: Parameter | ColourParameter | ChoiceParameter | FileParameter) -> None:
        """Add the fields of a parameter, and below them how it changes from cue to cue."""
        if isinstance(parameter, FileParameter):
            self._add_file(parameter)
            return
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
            unit=_short_unit(parameter.unit),
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


def _short_unit(unit: str) -> str:
    """Return what a field shows of a unit: its sign, where it has one; the tooltip says it in full."""
    return "%" if unit.startswith("%") else _SHORT_UNITS.get(unit, unit if len(unit) == 1 else "")


def _setting(parameter: AnyParameter, settings: Settings) -> Setting | None:
    return next((one for one in settings if one.name == parameter.name), None)


def _ends_of(parameter: Parameter, settings: Settings) -> tuple[float, float]:
    return rest_and_peak(parameter, _setting(parameter, settings))


def _text_of(parameter: TextParameter, settings: Settings) -> str:
    return text_value(parameter, _setting(parameter, settings))
