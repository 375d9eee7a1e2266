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
from epiphane.wording import plural, tr

_UNIT_WORDS = {
    PulseUnit.BEAT: tr("every beat"),
    PulseUnit.BAR: tr("every bar"),
    PulseUnit.OFF_BEAT: tr("off-beats"),
    PulseUnit.HALF: tr("halves of a beat"),
    PulseUnit.THIRD: tr("thirds of a beat"),
    PulseUnit.QUARTER: tr("quarters of a beat"),
    PulseUnit.KICK: tr("the kick"),
    PulseUnit.SNARE: tr("the snare"),
    PulseUnit.HAT: tr("the hat"),
    PulseUnit.LOW: tr("low hits"),
    PulseUnit.MID: tr("mid hits"),
    PulseUnit.HIGH: tr("high hits"),
    PulseUnit.PART: tr("first beats of parts"),
    PulseUnit.DROP: tr("drops"),
    PulseUnit.BUILD_BAR: tr("the bars before a drop"),
    PulseUnit.STOP: tr("stops"),
    PulseUnit.CUT: tr("every cut"),
    PulseUnit.LANDING: tr("every landing of a title"),
}
_COMBINED_WORDS = {
    Combination.EITHER: tr("and also"),
    Combination.WITHOUT: tr("without"),
    Combination.BOTH: tr("only where also"),
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
        tip = tr("What the pulse is called; Enter takes what you typed")
        name = self.text_field(tr("Name of the pulse"), tip, lambda pulse: pulse.name, self._rename)
        ticks = self.switch(
            tr("Tick"),
            tr("Hear a tick on every hit while it plays, never in the export (Shift + T)"),
            lambda pulse: pulse.id in editor.ticking,
            lambda _: self.toggle_ticks(),
            is_quiet=False,
        )
        self.row(tr("Name"), name, ticks)
        self._add_source_rows(pulse.source)
        self.rule()
        self._add_every_row()
        kept = self.fields(Pulse, self._change, lambda pulse: pulse, released=editor.end_gesture)
        share = kept.number("keep", tr("Share that is kept"), "%", factor=100)
        self.row(tr("Density"), kept.bar("keep", tr("Density"), theme.TEXT), share)
        self.add(self.told(self._told))
        self.row("", button(tr("Delete"), tr("Delete the pulse (Delete); undo brings it back"), self.remove))
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
        lanes = {0: tr("no lane"), 1: tr("one lane")}.get(n_lanes, tr("{n_lanes} lanes", n_lanes=n_lanes))
        part = tr(", is part of {n_pulses} other", n_pulses=n_pulses) if n_pulses else ""
        is_endless = isinstance(pulse.source, TempoSource) and project.n_frames == 0
        hits = tr("{count} hits", count=len(self.editor.hits_of(pulse)))
        if is_endless:
            hits = tr("no hits yet: without a song or shots there is no length")
        return tr(
            "{hits}, fires {lanes}{part}{stand_in}",
            hits=hits,
            lanes=lanes,
            part=part,
            stand_in=self._stand_in_text(pulse),
        )

    def _stand_in_text(self, pulse: Pulse) -> str:
        """Return what is to be known of a drum that is not heard surely."""
        song = self.editor.project.song
        band = song.drums.stand_in(pulse.unit.value) if song is not None and pulse.unit is not None else ""
        return (
            tr(
                ". No {drum} is heard surely: the {band} hits stand in for it",
                drum=tr(pulse.unit.value),
                band=band,
            )
            if band and pulse.unit
            else ""
        )

    def remove(self) -> None:
        """Take the pulse away, and say what that silences."""
        n_lanes, n_pulses = users_of(self.editor.project, self.pulse_id)
        pulse = self.thing()
        name = "" if pulse is None else pulse.name
        if self.editor.apply(lambda p: remove_pulse(p, self.pulse_id), tr("removal of a pulse")):
            lanes = plural(n_lanes, "One lane fires", "{} lanes fire")
            if n_lanes:
                text = tr(
                    "{name} is gone. {lanes} nothing until another pulse is chosen; Ctrl+Z brings it back.",
                    name=name,
                    lanes=lanes,
                )
                self.editor.said.emit(text, False)
            else:
                missing = tr(", and missing in pulses made of it") if n_pulses else ""
                self.editor.said.emit(
                    tr("{name} is gone{missing}; Ctrl+Z brings it back.", name=name, missing=missing), False
                )

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
            tr("Counts"),
            options,
            unit_of,
            lambda key: self._change_source(lambda _: HeardSource(PulseUnit(key))),
        )
        self.row(tr("Counts"), counts)

    def _add_band_rows(self) -> None:
        fields = self.fields(
            BandSource, self._change_band, lambda pulse: pulse.source, released=self.editor.end_gesture
        )
        number = fields.number
        self.row(
            tr("Band"),
            number("low", tr("From"), "Hz", step=5),
            label("to"),
            number("high", tr("To"), "Hz", step=5),
        )
        self.row(
            tr("Threshold"),
            fields.bar("threshold", tr("Threshold"), theme.TEXT),
            number("threshold", tr("Threshold"), "%", factor=100, decimals=1),
        )
        self.row(tr("Minimum gap"), number("gap", tr("Minimum gap"), "ms", factor=1000, step=10))
        hint = tr(
            "Drag over the spectrum in the score: up and down for a band, the dashed line for the threshold."
        )
        self.add(wrapped(hint))

    def _add_tapped_rows(self) -> None:
        tip = tr("Play, and take every press of T as a hit; Space ends it")
        tap = button(tr("Tap along"), tip, self.tap_asked.emit)
        to_attacks, to_beats, clear = (
            button(
                tr("To attacks"),
                tr("Move each tap onto the nearest attack of the sound"),
                lambda: self.snap_asked.emit("attacks"),
            ),
            button(
                tr("To beats"),
                tr("Move each tap onto the nearest quarter of a beat"),
                lambda: self.snap_asked.emit("beats"),
            ),
            button(
                tr("Clear"),
                tr("Forget all taps; undo brings them back"),
                lambda: self._change_source(lambda _: TappedSource()),
            ),
        )
        tip = tr("Tap along to a click, so that the time from ear to key is taken off every tap")
        measure = button(tr("Measure my delay…"), tip, self.delay_asked.emit)
        self.enabled(_has_taps, to_attacks, to_beats, clear)
        self.row(tr("Taps"), tap, clear)
        self.row(tr("Snap"), to_attacks, to_beats)
        self.row(tr("Delay"), measure, self.delay_note)

    def _add_tempo_rows(self) -> None:
        fields = self.fields(TempoSource, self._change_fields, lambda pulse: pulse.source)
        tempo = fields.number("tempo", tr("Tempo"), "BPM", decimals=2, step=0.5)
        start = fields.number("start", tr("First hit"), "s", decimals=3, step=0.01)
        for field in (tempo, start):
            field.setFixedWidth(104)
        self.row(tr("Tempo"), tempo)
        self.row(tr("First hit"), start)

    def _add_combined_rows(self) -> None:
        fields = self.fields(CombinedSource, self._change_fields, lambda pulse: pulse.source)
        how = fields.choice("how", tr("How they are combined"), list(_COMBINED_WORDS.items()))
        tolerance = fields.number("tolerance", tr("The same hit within"), "ms", factor=1000, step=5)
        self.row(tr("Hits of"), self._pulse_field(tr("One pulse"), "one"))
        self.row("", how, self._pulse_field(tr("The other pulse"), "other"))
        self.row(tr("Tolerance"), tolerance)

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
            tr("Every Nth hit"),
            lambda pulse: pulse.every,
            lambda value: self._set_every(round(value)),
            limits=(Pulse, "every"),
            width=48,
        )
        first = self.number(
            tr("From the"),
            lambda pulse: pulse.first + 1,
            lambda value: self._change(first=round(value) - 1),
            limits=(1, limits_of(Pulse, "first")[1] + 1),
            width=48,
        )
        self.shows(lambda pulse: first.show_limits(1, pulse.every))
        self.row(tr("Every"), every, label(tr("from number")), first)

    # What is changed

    def _change(self, *, gesture: str | None = None, **changes: object) -> None:
        self.editor.apply(
            lambda p: change_pulse(p, self.pulse_id, **changes), tr("change of a pulse"), gesture=gesture
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
            self.apply(lambda p, pulse: change_pulse(p, pulse.id, name=name), tr("renaming of a pulse"))
        self.refresh()


def _has_taps(pulse: Pulse) -> bool:
    return isinstance(pulse.source, TappedSource) and bool(pulse.source.hits)
