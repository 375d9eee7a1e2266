"""The rows of the bench that shape a cue: the picture of its envelope, its sides, how they bend."""

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QWidget

from epiphane.desk.bench.keying.envelope import EnvelopePicture
from epiphane.desk.bench.page import Rows
from epiphane.desk.bench.struct_fields import limited_field
from epiphane.desk.look.fields import NumberField, in_a_row, label
from epiphane.document.envelope import CurvePoint, Ease, Envelope, LengthUnit
from epiphane.keying.envelope import eased
from epiphane.lane_kinds import is_transition
from epiphane.wording import tr

_EASES = tuple((ease.value, tr(ease.value)) for ease in Ease)
_UNITS = ((LengthUnit.FRAMES.value, tr("frames")), (LengthUnit.BEATS.value, tr("beats")))
_SIDES = ("rise", "hold", "fall")
_WORDS = {"rise": tr("rise"), "hold": tr("hold"), "fall": tr("fall")}
_TRANSITION_WORDS = {"rise": tr("before"), "hold": tr("hold"), "fall": tr("after")}
"""What the sides of a transition are called: the frames on either side of its cut."""
_FIRST_POINTS = (1 / 3, 2 / 3)


class EnvelopeRows(Rows[Envelope]):
    """An envelope, to be dragged and typed.

    Signals
    -------
    changed(changes: dict, gesture: str or None)
        Fields of the envelope have other values; a drag goes on as long as the gesture is the same.
    released()
        A drag has ended.
    """

    changed = pyqtSignal(object, object)
    released = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(spacing=5)
        self._envelope = Envelope()
        self._beat_frames = 15.0
        self.picture = EnvelopePicture()
        self.picture.changed.connect(self.changed)
        self.picture.released.connect(self.released)
        self.add(self.picture, self._side_row(), self._ease_row())

    def speak_of(self, effect: str) -> None:
        """Use the words of cuts where an effect is a transition, else those of hits."""
        is_at_cuts = is_transition(effect)
        for side, word in (_TRANSITION_WORDS if is_at_cuts else _WORDS).items():
            self._side_labels[side].setText(word)
            self._sides[side].setAccessibleName(word.capitalize())
        self.picture.set_origin(tr("cut") if is_at_cuts else tr("hit"))

    def show_envelope(self, envelope: Envelope, colour: QColor, beat_frames: float) -> None:
        """Show an envelope; `beat_frames` is how long a beat is where it is seen."""
        self._envelope, self._beat_frames = envelope, beat_frames
        self.picture.show_envelope(envelope, colour, beat_frames)
        is_frames = envelope.unit is LengthUnit.FRAMES
        for side, field in self._sides.items():
            field.blockSignals(True)  # fewer decimals would round what is there, and say so
            field.setDecimals(0 if is_frames else 3)
            field.blockSignals(False)
            field.setSingleStep(1 if is_frames else 0.125)
            field.show_value(getattr(envelope, side))
        self.show_thing(envelope)

    def _side_row(self) -> QWidget:
        self._sides: dict[str, NumberField] = {}
        self._side_labels = {side: label(word) for side, word in _WORDS.items()}
        shown: list[QWidget] = []
        for side in _SIDES:
            field = limited_field(Envelope, side, _WORDS[side].capitalize())
            field.setFixedWidth(60)
            field.edited.connect(lambda value, side=side: self.changed.emit({side: value}, None))
            self._sides[side] = field
            shown += [self._side_labels[side], field]
        unit = self.choice(
            tr("Unit of rise, hold and fall"), _UNITS, lambda one: one.unit.value, self._set_unit
        )
        return in_a_row(*shown, right=(unit,), spacing=6)

    def _ease_row(self) -> QWidget:
        rise = self.choice(
            tr("Ease of the rise"),
            _EASES,
            lambda one: one.rise_ease.value,
            lambda key: self._set_ease("rise", key),
        )
        fall = self.choice(
            tr("Ease of the fall"),
            _EASES,
            lambda one: one.fall_ease.value,
            lambda key: self._set_ease("fall", key),
        )
        lead = self.number(
            tr("Lead"),
            lambda one: one.lead,
            lambda value: self.changed.emit({"lead": round(value)}, None),
            limits=(Envelope, "lead"),
            unit="f",
            width=50,
        )
        lead.setToolTip(tr("How many frames before its hit the peak comes; below 0 after it"))
        return in_a_row(
            label(tr("eases")), rise, label("to"), fall, right=(label(tr("lead")), lead), spacing=6
        )

    def _set_unit(self, key: str) -> None:
        """Measure in another unit; the shape stays, as far as frames allow."""
        unit = LengthUnit(key)
        if unit is self._envelope.unit:
            return
        sides = {side: float(getattr(self._envelope, side)) for side in _SIDES}
        if unit is LengthUnit.BEATS:
            sides = {side: round(length / self._beat_frames, 3) for side, length in sides.items()}
        else:
            sides = {
                side: float(min(round(length * self._beat_frames), 600)) for side, length in sides.items()
            }
        self.changed.emit({"unit": unit, **sides}, None)

    def _set_ease(self, side: str, key: str) -> None:
        """Let a side bend otherwise; a free one begins as it was, with points to drag."""
        ease, old = Ease(key), getattr(self._envelope, f"{side}_ease")
        changes: dict[str, object] = {f"{side}_ease": ease}
        if ease is Ease.FREE and not getattr(self._envelope, f"{side}_curve"):
            levels = np.clip(eased(np.array(_FIRST_POINTS), old), 0, 1)
            levels = levels if side == "rise" else 1 - levels
            points = zip(_FIRST_POINTS, levels.tolist(), strict=True)
            changes[f"{side}_curve"] = tuple(CurvePoint(round(at, 3), round(one, 3)) for at, one in points)
        self.changed.emit(changes, None)
