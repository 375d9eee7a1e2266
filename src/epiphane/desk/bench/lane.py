"""The bench of a lane: which hits fire it, its shape, its effect's parameters."""

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from epiphane.desk import theme
from epiphane.desk.bench.envelope import EnvelopePicture
from epiphane.desk.bench.fields import (
    ColourButton,
    RangeBar,
    choice_field,
    label,
    number_field,
    row,
    rule,
    show_choice,
    show_number,
    show_options,
)
from epiphane.desk.bench.pick import PickRows
from epiphane.desk.bench.vary import VaryRow
from epiphane.desk.editor import Editor
from epiphane.desk.score.paint import lane_colour
from epiphane.document.envelope import Ease
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Setting, Way
from epiphane.document.model import Project, PulseUnit, find
from epiphane.edits.lanes import (
    change_envelope,
    change_lane,
    fire_by,
    remove_lane,
    set_setting,
)
from epiphane.edits.pulses import ensure_pulse, pulse_name
from epiphane.effects.declare import ColourParameter, Parameter, rest_and_peak, setting_of, text_value
from epiphane.effects.registry import effect_named, find_effect

_WAYS = (
    (Way.FIRE.value, "fires the shape"),
    (Way.STEP.value, "goes a notch on"),
    (Way.TOGGLE.value, "switches on or off"),
)
_EASES = tuple((ease.value, ease.value) for ease in Ease)

# Parameters with a smaller range are typed with a decimal.
_WHOLE_RANGE = 90
_SHORT_UNITS = {"% of width": "%", "a second": "/s", "° a second": "°/s", "stops": ""}


class LaneBench(QWidget):
    """Everything about one lane. Made anew for another lane, kept current while it stays."""

    def __init__(self, editor: Editor, lane: Lane) -> None:
        super().__init__()
        self._editor = editor
        self.lane_id: LaneId = lane.id
        self.effect_key = lane.effect
        self._bars: dict[str, tuple[RangeBar, QDoubleSpinBox]] = {}
        self._texts: dict[str, ColourButton | QComboBox] = {}
        self.vary: dict[str, VaryRow] = {}
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(self._pulse_row())
        box.addWidget(self._way_row())
        self.pick = PickRows(editor, lane)
        box.addWidget(self.pick)
        box.addWidget(self._envelope_picture())
        box.addWidget(self._envelope_row())
        box.addWidget(self._ease_row())
        for widget in self._parameter_rows(lane):
            box.addWidget(widget)
        box.addWidget(rule())
        box.addWidget(self._depth_row(lane))
        box.addWidget(self._wander_row(lane))
        box.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        """Show the lane as it is now."""
        lane = self._lane()
        if lane is None:
            return
        show_choice(self._way, lane.way.value)
        show_number(self._steps, lane.n_steps)
        self._steps.setVisible(lane.way is Way.STEP)
        self._steps_words.setVisible(lane.way is Way.STEP)
        cues = self._editor.cues.lane(lane.id)
        if cues is not None:
            self.pick.refresh(lane, cues)
        self.picture.show_envelope(lane.envelope, lane_colour(lane))
        for side, field in self._sides.items():
            show_number(field, getattr(lane.envelope, side))
        show_choice(self._rise_ease, lane.envelope.rise_ease.value)
        show_choice(self._fall_ease, lane.envelope.fall_ease.value)
        pulse = next((p for p in self._editor.project.pulses if p.id == lane.pulse), None)
        if pulse is not None:
            show_number(self._every, pulse.every)
        show_options(self._unit, _pulse_options(self._editor.project))
        show_choice(self._unit, str(pulse.id) if pulse is not None else "")
        self._every.setVisible(pulse is not None and pulse.unit is not None)
        self._depth_bar.set_values(0, lane.depth * 100)
        show_number(self._depth, lane.depth * 100)
        self._wander_bar.set_values(0, lane.wander * 100)
        show_number(self._wander, lane.wander * 100)
        show_number(self._seed, lane.seed)
        self._mute.setChecked(lane.muted)
        self._solo.setChecked(lane.is_solo)
        self._refresh_parameters(lane)

    def _refresh_parameters(self, lane: Lane) -> None:
        effect = find_effect(lane.effect)
        settings = {setting.name: setting for setting in lane.settings}
        for parameter in effect.parameters if effect is not None else ():
            setting = settings.get(parameter.name)
            self.vary[parameter.name].refresh(setting_of(parameter, lane))
            if isinstance(parameter, Parameter):
                rest, peak = rest_and_peak(parameter, setting)
                bar, field = self._bars[parameter.name]
                bar.set_values(rest, peak)
                show_number(field, peak)
                continue
            field_or_button = self._texts[parameter.name]
            text = text_value(parameter, setting)
            if isinstance(field_or_button, ColourButton):
                field_or_button.set_colour(text)
            else:
                show_choice(field_or_button, text)

    def _pulse_row(self) -> QWidget:
        self._unit = choice_field("Fired by", (), self._fire_by)
        self._every = number_field("Every Nth hit", low=1, high=64, unit="", step=1)
        self._every.setFixedWidth(48)
        self._every.valueChanged.connect(lambda value: self._fire_every(round(value)))
        self._mute = QPushButton("Mute")
        self._mute.setCheckable(True)
        self._mute.setProperty("quiet", True)
        self._mute.setToolTip("Let the lane fire nothing (M)")
        self._mute.clicked.connect(lambda on: self._apply(partial(change_lane, muted=on), "mute"))
        self._solo = QPushButton("Solo")
        self._solo.setCheckable(True)
        self._solo.setProperty("quiet", True)
        self._solo.setToolTip("Let only this lane fire, and others that are solo (S)")
        self._solo.clicked.connect(lambda on: self._apply(partial(change_lane, is_solo=on), "solo"))
        remove = QPushButton(theme.icon("trash-2", theme.QUIET, 15), "")
        remove.setProperty("quiet", True)
        remove.setAccessibleName("Remove lane")
        remove.setToolTip("Remove the lane (Delete); undo brings it back")
        remove.clicked.connect(lambda: self._apply(remove_lane, "removal of lane"))
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(label("fired by"))
        box.addWidget(self._unit)
        box.addWidget(self._every)
        box.addStretch(1)
        box.addWidget(self._mute)
        box.addWidget(self._solo)
        box.addWidget(remove)
        return made

    def _way_row(self) -> QWidget:
        self._way = choice_field(
            "What a hit does",
            _WAYS,
            lambda key: self._apply(partial(change_lane, way=Way(key)), "change of what a hit does"),
        )
        self._steps = number_field("Notches until it begins again", low=1, high=32, unit="")
        self._steps.setFixedWidth(48)
        self._steps.valueChanged.connect(
            lambda value: self._apply(partial(change_lane, n_steps=round(value)), "number of notches")
        )
        self._steps_words = label("notches, then back")
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        for widget in (label("each hit"), self._way, self._steps, self._steps_words):
            box.addWidget(widget)
        box.addStretch(1)
        return made

    def _envelope_picture(self) -> QWidget:
        self.picture = EnvelopePicture()
        self.picture.changed.connect(
            lambda side, n: self._apply(
                partial(change_envelope, **{side: n}), f"change of {side}", gesture=side
            )
        )
        self.picture.released.connect(self._editor.end_gesture)
        return self.picture

    def _envelope_row(self) -> QWidget:
        self._sides: dict[str, QDoubleSpinBox] = {}
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.setSpacing(6)
        for side, high in (("rise", 600), ("hold", 600), ("fall", 600), ("lead", 240)):
            field = number_field(side.capitalize(), low=0, high=high, unit="f")
            field.setFixedWidth(56)
            field.valueChanged.connect(
                lambda value, side=side: self._apply(
                    partial(change_envelope, **{side: round(value)}), f"change of {side}"
                )
            )
            self._sides[side] = field
            box.addWidget(label(side))
            box.addWidget(field)
            box.addStretch(1)
        return made

    def _ease_row(self) -> QWidget:
        self._rise_ease = choice_field("Ease of the rise", _EASES, partial(self._set_ease, "rise_ease"))
        self._fall_ease = choice_field("Ease of the fall", _EASES, partial(self._set_ease, "fall_ease"))
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        for text, field in (("rise eases", self._rise_ease), ("fall eases", self._fall_ease)):
            box.addWidget(label(text))
            box.addWidget(field)
            box.addStretch(1)
        return made

    def _parameter_rows(self, lane: Lane) -> list[QWidget]:
        effect = find_effect(lane.effect)
        if effect is None:
            return [label(f"This version does not know the effect “{lane.effect}”. It is kept as it is.")]
        rows = []
        for parameter in effect.parameters:
            vary = VaryRow(
                parameter,
                partial(self._set_with, parameter.name),
                lambda text: self._editor.said.emit(text, True),
            )
            self.vary[parameter.name] = vary
            if isinstance(parameter, Parameter):
                rows.append(self._number_row(parameter, lane))
            elif isinstance(parameter, ColourParameter):
                button = ColourButton(parameter.label)
                button.picked.connect(partial(self._set_text, parameter.name))
                self._texts[parameter.name] = button
                rows.append(row(parameter.label, button, vary.opener))
            else:
                options = tuple((option, option) for option in parameter.options)
                field = choice_field(parameter.label, options, partial(self._set_text, parameter.name))
                self._texts[parameter.name] = field
                rows.append(row(parameter.label, field, vary.opener))
            rows.append(vary)
        return rows

    def _number_row(self, parameter: Parameter, lane: Lane) -> QWidget:
        bar = RangeBar(parameter.label, low=parameter.low, high=parameter.high, colour=lane_colour(lane))
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
        bar.changed.connect(
            lambda rest, peak: self._set_number(parameter.name, rest, peak, gesture=parameter.name)
        )
        bar.released.connect(self._editor.end_gesture)
        field.valueChanged.connect(
            lambda peak: self._set_number(parameter.name, self._rest_of(parameter), peak)
        )
        self._bars[parameter.name] = (bar, field)
        return row(parameter.label, bar, field, self.vary[parameter.name].opener)

    def _depth_row(self, lane: Lane) -> QWidget:
        self._depth_bar = RangeBar("Depth", low=0, high=100, colour=lane_colour(lane), has_rest=False)
        self._depth = number_field("Depth", low=0, high=100, unit="%")
        self._depth_bar.changed.connect(lambda _rest, value: self._set_share("depth", value, gesture="depth"))
        self._depth_bar.released.connect(self._editor.end_gesture)
        self._depth.valueChanged.connect(lambda value: self._set_share("depth", value))
        return row("Depth", self._depth_bar, self._depth)

    def _wander_row(self, lane: Lane) -> QWidget:
        self._wander_bar = RangeBar("Wander", low=0, high=100, colour=lane_colour(lane), has_rest=False)
        self._wander_bar.setToolTip("Wander: how much weaker a cue may be, by chance")
        self._wander = number_field("Wander", low=0, high=100, unit="%")
        self._wander_bar.changed.connect(
            lambda _rest, value: self._set_share("wander", value, gesture="wander")
        )
        self._wander_bar.released.connect(self._editor.end_gesture)
        self._wander.valueChanged.connect(lambda value: self._set_share("wander", value))
        self._seed = number_field("Seed", low=0, high=999_999, unit="")
        self._seed.setFixedWidth(54)
        self._seed.setToolTip("Seed of the chance: the same seed gives the same strengths every time")
        self._seed.valueChanged.connect(
            lambda value: self._apply(partial(change_lane, seed=round(value)), "change of seed")
        )
        return row("Wander", self._wander_bar, self._wander, label("seed"), self._seed)

    def _lane(self) -> Lane | None:
        return next((lane for lane in self._editor.project.lanes if lane.id == self.lane_id), None)

    def _rest_of(self, parameter: Parameter) -> float:
        lane = self._lane()
        setting = next((s for s in lane.settings if s.name == parameter.name), None) if lane else None
        return rest_and_peak(parameter, setting)[0]

    def _apply(
        self, edit: Callable[[Project, LaneId], Project], text: str, *, gesture: str | None = None
    ) -> None:
        self._editor.apply(lambda p: edit(p, self.lane_id), text, gesture=gesture)
        self.refresh()

    def _set_number(self, name: str, rest: float, peak: float, *, gesture: str | None = None) -> None:
        setting = replace(self._setting(name), peak=float(peak), rest=float(rest))
        self._editor.apply(
            lambda p: set_setting(p, self.lane_id, setting), f"change of {name}", gesture=gesture
        )

    def _set_text(self, name: str, text: str) -> None:
        setting = replace(self._setting(name), peak=text)
        self._editor.apply(lambda p: set_setting(p, self.lane_id, setting), f"change of {name}")

    def _set_with(self, name: str, change: Callable[[Setting], Setting]) -> None:
        changed = change(self._setting(name))
        self._apply(lambda p, lane: set_setting(p, lane, changed), f"change of {name}")

    def _setting(self, name: str) -> Setting:
        """Return what is set of a parameter, or what is declared."""
        lane = find(self._editor.project.lanes, self.lane_id, "lane")
        return setting_of(effect_named(lane.effect).parameter(name), lane)

    def _set_share(self, name: str, percent: float, *, gesture: str | None = None) -> None:
        value = round(percent / 100, 4)
        self._apply(
            lambda p, lane: change_lane(p, lane, **{name: value}), f"change of {name}", gesture=gesture
        )

    def _set_ease(self, side: str, ease: str) -> None:
        self._apply(lambda p, lane: change_envelope(p, lane, **{side: Ease(ease)}), "change of ease")

    def _fire_by(self, key: str) -> None:
        if key.isdigit():
            pulse = PulseId(int(key))
            self._apply(lambda p, lane: fire_by(p, lane, pulse), "change of pulse")
        elif key:
            self._fire(PulseUnit(key), 1)
        self.refresh()

    def _fire_every(self, every: int) -> None:
        lane = self._lane()
        pulse = next((p for p in self._editor.project.pulses if lane and p.id == lane.pulse), None)
        if pulse is not None and pulse.unit is not None:
            self._fire(pulse.unit, every)

    def _fire(self, unit: PulseUnit, every: int) -> None:
        def edit(project: Project) -> Project:
            project, pulse = ensure_pulse(project, unit, every=every)
            return fire_by(project, self.lane_id, pulse)

        self._editor.apply(edit, "change of pulse")
        self.refresh()


def _pulse_options(project: Project) -> list[tuple[str, str]]:
    """Return the pulses of a project by number, and what else can be counted by its name."""
    options = [(str(pulse.id), pulse.name) for pulse in project.pulses]
    plain = {pulse.unit for pulse in project.pulses if (pulse.every, pulse.keep) == (1, 1.0)}
    options += [(unit.value, pulse_name(unit, 1)) for unit in PulseUnit if unit not in plain]
    has_all = {pulse.id for pulse in project.pulses} >= {lane.pulse for lane in project.lanes}
    return options if has_all else [("", "no pulse"), *options]
