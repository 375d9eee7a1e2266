"""The bench of a pulse: where its hits come from, and which of them are kept."""

from collections.abc import Callable
from typing import assert_never

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox

from epiphane.audio.in_project import hits_in_band
from epiphane.desk.bench.options import pulse_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.struct_fields import limits_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, label, wrapped
from epiphane.document.ids import PulseId
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
from epiphane.edits.keying.pulses import change_pulse, remove_pulse, users_of
from epiphane.plurals import plural

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
_COMBINED_WORDS = {
    Combination.EITHER: "and also",
    Combination.WITHOUT: "without",
    Combination.BOTH: "only where also",
}


class PulseBench(BenchPage[Pulse]):
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
        super().__init__(editor, spacing=6)
        self.pulse_id: PulseId = pulse.id
        self.kind = type(pulse.source)
        self.delay_note = label("")
        tip = "What the pulse is called; Enter takes what you typed"
        name = self.text_field("Name of the pulse", tip, lambda pulse: pulse.name, self._rename)
        ticks = self.switch(
            "Tick",
            "Hear a tick on every hit while it plays, never in the export (Shift + T)",
            lambda pulse: pulse.id in editor.ticking,
            lambda _: self.toggle_ticks(),
            is_quiet=False,
        )
        self.row("Name", name, ticks)
        self._add_source_rows(pulse.source)
        self.rule()
        self._add_every_row()
        kept = self.fields(Pulse, self._change, lambda pulse: pulse, released=editor.end_gesture)
        share = kept.number("keep", "Share that is kept", "%", factor=100)
        self.row("Density", kept.bar("keep", "Density", theme.TEXT), share)
        self.add(self.told(self._told))
        self.row("", button("Delete", "Delete the pulse (Delete); undo brings it back", self.remove))
        self.end()
        editor.ticking_changed.connect(self.refresh)
        self.refresh()

    def thing(self) -> Pulse | None:
        """Return the pulse as it is now, while it has the kind of source that this page is for."""
        found = next((one for one in self.editor.project.pulses if one.id == self.pulse_id), None)
        return found if found is not None and type(found.source) is self.kind else None

    def _told(self, pulse: Pulse) -> str:
        """Return how many hits a pulse has, and what it fires."""
        project = self.editor.project
        n_lanes, n_pulses = users_of(project, pulse.id)
        lanes = {0: "no lane", 1: "one lane"}.get(n_lanes, f"{n_lanes} lanes")
        part = f", is part of {n_pulses} other" if n_pulses else ""
        is_endless = isinstance(pulse.source, TempoSource) and project.n_frames == 0
        hits = f"{len(self.editor.hits_of(pulse))} hits"
        if is_endless:
            hits = "no hits yet: without a song or shots there is no length"
        return f"{hits}, fires {lanes}{part}{self._stand_in_text(pulse)}"

    def _stand_in_text(self, pulse: Pulse) -> str:
        """Return what is to be known of a drum that is not heard surely."""
        song = self.editor.project.song
        band = song.drums.stand_in(pulse.unit.value) if song is not None and pulse.unit is not None else ""
        return (
            f". No {pulse.unit.value} is heard surely: the {band} hits stand in for it"
            if band and pulse.unit
            else ""
        )

    def remove(self) -> None:
        """Take the pulse away, and say what that silences."""
        n_lanes, n_pulses = users_of(self.editor.project, self.pulse_id)
        pulse = self.thing()
        name = "" if pulse is None else pulse.name
        if self.editor.apply(lambda p: remove_pulse(p, self.pulse_id), "removal of a pulse"):
            lanes = plural(n_lanes, "One lane fires", "{} lanes fire")
            if n_lanes:
                text = (
                    f"{name} is gone. {lanes} nothing until another pulse is chosen; Ctrl+Z brings it back."
                )
                self.editor.said.emit(text, False)
            else:
                missing = ", and missing in pulses made of it" if n_pulses else ""
                self.editor.said.emit(f"{name} is gone{missing}; Ctrl+Z brings it back.", False)

    def toggle_ticks(self) -> None:
        """Have its hits heard as ticks, or no longer."""
        self.editor.set_ticking(self.editor.ticking ^ {self.pulse_id})

    # Where hits come from

    def _add_source_rows(self, source: Source) -> None:
        match source:
            case HeardSource():
                self._add_heard_rows()
            case BandSource():
                self._add_band_rows()
            case TappedSource():
                self._add_tapped_rows()
            case TempoSource():
                self._add_tempo_rows()
            case CombinedSource():
                self._add_combined_rows()
            case _:
                assert_never(source)

    def _add_heard_rows(self) -> None:
        options = [(unit.value, words) for unit, words in _UNIT_WORDS.items()]

        def unit_of(pulse: Pulse) -> str:
            assert isinstance(pulse.source, HeardSource)
            return pulse.source.unit.value

        counts = self.choice(
            "Counts",
            options,
            unit_of,
            lambda key: self._change_source(lambda _: HeardSource(PulseUnit(key))),
        )
        self.row("Counts", counts)

    def _add_band_rows(self) -> None:
        fields = self.fields(
            BandSource, self._change_band, lambda pulse: pulse.source, released=self.editor.end_gesture
        )
        number = fields.number
        self.row("Band", number("low", "From", "Hz", step=5), label("to"), number("high", "To", "Hz", step=5))
        self.row(
            "Threshold",
            fields.bar("threshold", "Threshold", theme.TEXT),
            number("threshold", "Threshold", "%", factor=100, decimals=1),
        )
        self.row("Minimum gap", number("gap", "Minimum gap", "ms", factor=1000, step=10))
        hint = (
            "Drag over the spectrum in the score: up and down for a band, the dashed line for the threshold."
        )
        self.add(wrapped(hint))

    def _add_tapped_rows(self) -> None:
        tip = "Play, and take every press of T as a hit; Space ends it"
        tap = button("Tap along", tip, self.tap_asked.emit)
        to_attacks, to_beats, clear = (
            button(
                "To attacks",
                "Move each tap onto the nearest attack of the sound",
                lambda: self.snap_asked.emit("attacks"),
            ),
            button(
                "To beats",
                "Move each tap onto the nearest quarter of a beat",
                lambda: self.snap_asked.emit("beats"),
            ),
            button(
                "Clear",
                "Forget all taps; undo brings them back",
                lambda: self._change_source(lambda _: TappedSource()),
            ),
        )
        tip = "Tap along to a click, so that the time from ear to key is taken off every tap"
        measure = button("Measure my delay…", tip, self.delay_asked.emit)
        self.enabled(_has_taps, to_attacks, to_beats, clear)
        self.row("Taps", tap, clear)
        self.row("Snap", to_attacks, to_beats)
        self.row("Delay", measure, self.delay_note)

    def _add_tempo_rows(self) -> None:
        fields = self.fields(TempoSource, self._change_fields, lambda pulse: pulse.source)
        tempo = fields.number("tempo", "Tempo", "BPM", decimals=2, step=0.5)
        start = fields.number("start", "First hit", "s", decimals=3, step=0.01)
        for field in (tempo, start):
            field.setFixedWidth(104)
        self.row("Tempo", tempo)
        self.row("First hit", start)

    def _add_combined_rows(self) -> None:
        fields = self.fields(CombinedSource, self._change_fields, lambda pulse: pulse.source)
        how = fields.choice("how", "How they are combined", list(_COMBINED_WORDS.items()))
        tolerance = fields.number("tolerance", "The same hit within", "ms", factor=1000, step=5)
        self.row("Hits of", self._pulse_field("One pulse", "one"))
        self.row("", how, self._pulse_field("The other pulse", "other"))
        self.row("Tolerance", tolerance)

    def _pulse_field(self, name: str, field: str) -> QComboBox:
        """Return the field for one of the two pulses that are combined."""
        return self.choice(
            name,
            lambda pulse: [one for one in pulse_options(self.editor.project) if one[0] != str(pulse.id)],
            lambda pulse: str(getattr(pulse.source, field)),
            lambda key: self._change_fields(**{field: PulseId(int(key))}),
        )

    def _add_every_row(self) -> None:
        every = self.number(
            "Every Nth hit",
            lambda pulse: pulse.every,
            lambda value: self._set_every(round(value)),
            limits=(Pulse, "every"),
            width=48,
        )
        first = self.number(
            "From the",
            lambda pulse: pulse.first + 1,
            lambda value: self._change(first=round(value) - 1),
            limits=(1, limits_of(Pulse, "first")[1] + 1),
            width=48,
        )
        self.shows(lambda pulse: first.show_limits(1, pulse.every))
        self.row("Every", every, label("from number"), first)

    # What is changed

    def _change(self, *, gesture: str | None = None, **changes: object) -> None:
        self.editor.apply(
            lambda p: change_pulse(p, self.pulse_id, **changes), "change of a pulse", gesture=gesture
        )
        self.refresh()

    def _change_source(self, change: Callable[[Source], Source], *, gesture: str | None = None) -> None:
        pulse = self.thing()
        if pulse is not None:
            self._change(gesture=gesture, source=change(pulse.source))

    def _change_fields(self, **changes: object) -> None:
        self._change_source(lambda old: replace(old, **changes))

    def _change_band(self, *, gesture: str | None = None, **changes: float) -> None:
        heard = self.editor.heard
        levels = None if heard is None else heard.listening.levels

        def changed(old: Source) -> Source:
            assert isinstance(old, BandSource)
            new = replace(old, **changes)
            return new if levels is None or new.high <= new.low else hits_in_band(levels, new)

        self._change_source(changed, gesture=gesture)

    def _set_every(self, every: int) -> None:
        pulse = self.thing()
        if pulse is not None:
            self._change(every=every, first=min(pulse.first, every - 1))

    def _rename(self, name: str) -> None:
        if name:
            self.apply(lambda p, pulse: change_pulse(p, pulse.id, name=name), "renaming of a pulse")
        self.refresh()


def _has_taps(pulse: Pulse) -> bool:
    return isinstance(pulse.source, TappedSource) and bool(pulse.source.hits)
