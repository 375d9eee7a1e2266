"""The bench of a pulse: where its hits come from, and which of them are kept."""

from collections.abc import Callable, Sequence
from typing import assert_never

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from epiphane.audio.in_project import hits_in_band
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.rows import StructFields, limited_field, limits_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import (
    TextField,
    choice_field,
    label,
    number_field,
    row,
    rule,
    show_choice,
    show_options,
)
from epiphane.document.ids import PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import (
    BandSource,
    Combination,
    CombinedSource,
    HeardSource,
    Pulse,
    PulseUnit,
    Source,
    TappedSource,
    TempoSource,
)
from epiphane.edits.pulses import change_pulse, remove_pulse, users_of

_UNIT_WORDS = {
    PulseUnit.BEAT: "every beat",
    PulseUnit.BAR: "every bar",
    PulseUnit.OFF_BEAT: "off-beats",
    PulseUnit.HALF: "halves of a beat",
    PulseUnit.THIRD: "thirds of a beat",
    PulseUnit.QUARTER: "quarters of a beat",
    PulseUnit.KICK: "the kick",
    PulseUnit.SNARE: "the snare",
    PulseUnit.HAT: "the hat",
    PulseUnit.LOW: "low hits",
    PulseUnit.MID: "mid hits",
    PulseUnit.HIGH: "high hits",
    PulseUnit.CUT: "every cut",
    PulseUnit.LANDING: "every landing of a title",
}
_BLEND_WORDS = {
    Combination.EITHER: "and also",
    Combination.WITHOUT: "without",
    Combination.BOTH: "only where also",
}


class PulseBench(BenchPage):
    """Everything about one pulse. Made anew for another one, kept current while it stays.

    Signals
    -------
    tap_asked(), snap_asked(to: str), delay_asked()
        Taps are wanted; are to go to "attacks" or "beats"; the keyboard's delay is to be measured.
    """

    tap_asked = pyqtSignal()
    snap_asked = pyqtSignal(str)
    delay_asked = pyqtSignal()

    def __init__(self, editor: Editor, pulse: Pulse) -> None:
        super().__init__()
        self._editor = editor
        self.pulse_id: PulseId = pulse.id
        self.kind = type(pulse.source)
        self.delay_note = label("")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self._name = TextField("Name of the pulse", "What the pulse is called; Enter takes what you typed")
        self._name.editingFinished.connect(self._rename)
        self._ticks = QPushButton("Tick")
        self._ticks.setCheckable(True)
        self._ticks.setToolTip("Hear a tick on every hit while it plays, never in the export (Shift + T)")
        self._ticks.clicked.connect(self.toggle_ticks)
        box.addWidget(row("Name", self._name, self._ticks))
        for widget in self._source_rows(pulse.source):
            box.addWidget(widget)
        box.addWidget(rule())
        box.addWidget(self._every_row())
        kept = self._kept = StructFields(Pulse, self._change, released=editor.end_gesture)
        share = kept.number("keep", "Share that is kept", "%", factor=100)
        box.addWidget(row("Density", kept.bar("keep", "Density", theme.TEXT), share))
        self._count = label("")
        self._count.setWordWrap(True)
        box.addWidget(self._count)
        remove = QPushButton("Delete")
        remove.setToolTip("Delete the pulse (Delete); undo brings it back")
        remove.clicked.connect(self.remove)
        box.addWidget(row("", remove))
        box.addStretch(1)
        editor.ticking_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the pulse as it is now."""
        pulse = next((one for one in self._editor.project.pulses if one.id == self.pulse_id), None)
        if pulse is None or type(pulse.source) is not self.kind:
            return
        self._name.show_text(pulse.name)
        self._ticks.setChecked(pulse.id in self._editor.ticking)
        self._every.show_value(pulse.every)
        self._first.show_limits(1, pulse.every)
        self._first.show_value(pulse.first + 1)
        self._kept.show(pulse)
        self._show_source(pulse.source)
        n_hits = len(self._editor.hits_of(pulse))
        n_lanes, n_pulses = users_of(self._editor.project, pulse.id)
        fires = (
            "fires no lane"
            if n_lanes == 0
            else "fires one lane"
            if n_lanes == 1
            else f"fires {n_lanes} lanes"
        )
        part = f", is part of {n_pulses} other" if n_pulses else ""
        is_endless = isinstance(pulse.source, TempoSource) and self._editor.project.n_frames == 0
        hits = "no hits yet: without a song or shots there is no length" if is_endless else f"{n_hits} hits"
        self._count.setText(f"{hits}, {fires}{part}{self._stand_in_text(pulse)}")

    def _stand_in_text(self, pulse: Pulse) -> str:
        """Return what is to be known of a drum that is not heard surely."""
        song = self._editor.project.song
        band = song.drums.stand_in(pulse.unit.value) if song is not None and pulse.unit is not None else ""
        return (
            f". No {pulse.unit.value} is heard surely: the {band} hits stand in for it"
            if band and pulse.unit
            else ""
        )

    def remove(self) -> None:
        """Take the pulse away, and say what that silences."""
        n_lanes, n_pulses = users_of(self._editor.project, self.pulse_id)
        name = self._name.text()
        if self._editor.apply(lambda p: remove_pulse(p, self.pulse_id), "removal of a pulse"):
            lanes = "One lane fires" if n_lanes == 1 else f"{n_lanes} lanes fire"
            if n_lanes:
                text = (
                    f"{name} is gone. {lanes} nothing until another pulse is chosen; Ctrl+Z brings it back."
                )
                self._editor.said.emit(text, False)
            else:
                missing = ", and missing in pulses made of it" if n_pulses else ""
                self._editor.said.emit(f"{name} is gone{missing}; Ctrl+Z brings it back.", False)

    def toggle_ticks(self) -> None:
        """Have its hits heard as ticks, or no longer."""
        self._editor.set_ticking(self._editor.ticking ^ {self.pulse_id})

    # Where hits come from

    def _source_rows(self, source: Source) -> Sequence[QWidget]:
        match source:
            case HeardSource():
                return self._heard_rows()
            case BandSource():
                return self._band_rows()
            case TappedSource():
                return self._tapped_rows()
            case TempoSource():
                return self._tempo_rows()
            case CombinedSource():
                return self._blend_rows()
            case _:
                assert_never(source)

    def _show_source(self, source: Source) -> None:
        match source:
            case HeardSource(unit=unit):
                show_choice(self._unit, unit.value)
            case BandSource() | TempoSource():
                self._fields.show(source)
            case TappedSource(hits=hits):
                for button in self._tap_buttons:
                    button.setEnabled(bool(hits))
            case CombinedSource(one=one, other=other):
                names = [(str(p.id), p.name) for p in self._editor.project.pulses if p.id != self.pulse_id]
                for field, chosen in ((self._one, one), (self._other, other)):
                    show_options(field, names)
                    show_choice(field, str(chosen))
                self._fields.show(source)
            case _:
                assert_never(source)

    def _heard_rows(self) -> list[QWidget]:
        options = [(unit.value, words) for unit, words in _UNIT_WORDS.items()]
        self._unit = choice_field(
            "Counts", options, lambda key: self._change_source(lambda _: HeardSource(PulseUnit(key)))
        )
        return [row("Counts", self._unit)]

    def _band_rows(self) -> list[QWidget]:
        fields = self._fields = StructFields(BandSource, self._change_band, released=self._editor.end_gesture)
        hint = label(
            "Drag over the spectrum in the score: up and down for a band, the dashed line for the threshold."
        )
        hint.setWordWrap(True)
        return [
            row(
                "Band",
                fields.number("low", "From", "Hz", step=5),
                label("to"),
                fields.number("high", "To", "Hz", step=5),
            ),
            row(
                "Threshold",
                fields.bar("threshold", "Threshold", theme.TEXT),
                fields.number("threshold", "Threshold", "%", factor=100, decimals=1),
            ),
            row("Minimum gap", fields.number("gap", "Minimum gap", "ms", factor=1000, step=10)),
            hint,
        ]

    def _tapped_rows(self) -> list[QWidget]:
        tap = QPushButton("Tap along")
        tap.setToolTip("Play, and take every press of T as a hit; Space ends it")
        tap.clicked.connect(self.tap_asked)
        to_attacks = QPushButton("To attacks")
        to_attacks.setToolTip("Move each tap onto the nearest attack of the sound")
        to_attacks.clicked.connect(lambda: self.snap_asked.emit("attacks"))
        to_beats = QPushButton("To beats")
        to_beats.setToolTip("Move each tap onto the nearest quarter of a beat")
        to_beats.clicked.connect(lambda: self.snap_asked.emit("beats"))
        clear = QPushButton("Clear")
        clear.setToolTip("Forget all taps; undo brings them back")
        clear.clicked.connect(lambda: self._change_source(lambda _: TappedSource()))
        measure = QPushButton("Measure my delay…")
        measure.setToolTip("Tap along to a click, so that the time from ear to key is taken off every tap")
        measure.clicked.connect(self.delay_asked)
        self._tap_buttons = [to_attacks, to_beats, clear]
        return [
            row("Taps", tap, clear),
            row("Snap", to_attacks, to_beats),
            row("Delay", measure, self.delay_note),
        ]

    def _tempo_rows(self) -> list[QWidget]:
        fields = self._fields = StructFields(TempoSource, self._change_fields)
        tempo = fields.number("tempo", "Tempo", "BPM", decimals=2, step=0.5)
        start = fields.number("start", "First hit", "s", decimals=3, step=0.01)
        for field in (tempo, start):
            field.setFixedWidth(104)
        return [row("Tempo", tempo), row("First hit", start)]

    def _blend_rows(self) -> list[QWidget]:
        fields = self._fields = StructFields(CombinedSource, self._change_fields)
        self._one = choice_field("One pulse", (), lambda key: self._change_fields(one=PulseId(int(key))))
        self._other = choice_field(
            "The other pulse", (), lambda key: self._change_fields(other=PulseId(int(key)))
        )
        how = fields.choice("how", "How they are combined", list(_BLEND_WORDS.items()))
        tolerance = fields.number("tolerance", "The same hit within", "ms", factor=1000, step=5)
        return [row("Hits of", self._one), row("", how, self._other), row("Tolerance", tolerance)]

    def _every_row(self) -> QWidget:
        self._every = limited_field(Pulse, "every", "Every Nth hit")
        self._first = number_field("From the", low=1, high=limits_of(Pulse, "first")[1] + 1, unit="")
        for field in (self._every, self._first):
            field.setFixedWidth(48)
        self._every.edited.connect(lambda value: self._set_every(round(value)))
        self._first.edited.connect(lambda value: self._change(first=round(value) - 1))
        return row("Every", self._every, label("from number"), self._first)

    # What is changed

    def _pulse(self) -> Pulse | None:
        return next((one for one in self._editor.project.pulses if one.id == self.pulse_id), None)

    def _change(self, *, gesture: str | None = None, **changes: object) -> None:
        self._editor.apply(
            lambda p: change_pulse(p, self.pulse_id, **changes), "change of a pulse", gesture=gesture
        )
        self.refresh()

    def _change_source(self, change: Callable[[Source], Source], *, gesture: str | None = None) -> None:
        pulse = self._pulse()
        if pulse is not None:
            self._change(gesture=gesture, source=change(pulse.source))

    def _change_fields(self, **changes: object) -> None:
        self._change_source(lambda old: replace(old, **changes))

    def _change_band(self, *, gesture: str | None = None, **changes: float) -> None:
        heard = self._editor.heard
        levels = None if heard is None else heard.listening.levels

        def changed(old: Source) -> Source:
            assert isinstance(old, BandSource)
            new = replace(old, **changes)
            return new if levels is None or new.high <= new.low else hits_in_band(levels, new)

        self._change_source(changed, gesture=gesture)

    def _set_every(self, every: int) -> None:
        pulse = self._pulse()
        if pulse is not None:
            self._change(every=every, first=min(pulse.first, every - 1))

    def _rename(self) -> None:
        pulse, name = self._pulse(), self._name.text().strip()
        if pulse is not None and name and name != pulse.name:

            def edit(project: Project) -> Project:
                return change_pulse(project, self.pulse_id, name=name)

            self._editor.apply(edit, "renaming of a pulse")
        self.refresh()
