"""What edits do with each kind of source of a pulse: its name, what a trim and a recipe make of it."""

from typing import assert_never

import numpy as np
from msgspec.structs import replace

from epiphane.document.ids import PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import (
    BandSource,
    Combination,
    CombinedSource,
    HeardSource,
    PulseUnit,
    Source,
    TappedSource,
    TempoSource,
)
from epiphane.document.song import Hit
from epiphane.wording import tr

_PLURALS = {
    PulseUnit.HALF: "halves",
    PulseUnit.LOW: "low hits",
    PulseUnit.MID: "mid hits",
    PulseUnit.HIGH: "high hits",
}
_BEATS = HeardSource(PulseUnit.BEAT)
_JOINS = {Combination.EITHER: tr("and"), Combination.WITHOUT: tr("without"), Combination.BOTH: tr("with")}


def source_name(project: Project, source: Source) -> str:
    """Return what a pulse with this source is called if nobody calls it otherwise."""
    match source:
        case HeardSource(unit=unit):
            return pulse_name(unit, 1)
        case BandSource(low=low, high=high):
            return tr("band {low:.0f}-{high:.0f} Hz", low=low, high=high)
        case TappedSource():
            return tr("taps")
        case TempoSource(tempo=tempo):
            return tr("{tempo:g} BPM", tempo=tempo)
        case CombinedSource(how=how, one=one, other=other):
            names = {pulse.id: pulse.name for pulse in project.pulses}
            return f"{names.get(one, '?')} {_JOINS[how]} {names.get(other, '?')}"
        case _:
            assert_never(source)


def unit_words(unit: PulseUnit) -> str:
    """Return what hits of a unit are called on the command line, and in the language of the source."""
    return _PLURALS.get(unit, f"{unit.value}s")


def pulse_name(unit: PulseUnit, every: int) -> str:
    """Return what a pulse from the grid is called: ``beats``, ``every 3rd beat``."""
    if every == 1:
        return tr(unit_words(unit))
    ending = {1: "st", 2: "nd", 3: "rd"}.get(every % 10 if every % 100 not in (11, 12, 13) else 0, "th")
    return tr("every {every}{ending} {unit}", every=every, ending=ending, unit=tr(unit.value))


def source_moved(source: Source, later: float, duration: float) -> Source:
    """Return a source whose hits come later, by seconds; those that leave a song so long go.

    What follows the song, or other pulses, moves with those.
    """
    match source:
        case BandSource(hits=hits) | TappedSource(hits=hits):
            moved = tuple(
                Hit(round(max(hit.time + later, 0.0), 6), hit.strength)
                for hit in hits
                if -1e-6 < hit.time + later <= duration
            )
            return replace(source, hits=moved)
        case TempoSource(start=start, tempo=tempo):
            period = 60 / tempo
            n_earlier = max(0, int(np.ceil(-(start + later) / period)))
            return replace(source, start=round(start + later + n_earlier * period, 6))
        case HeardSource() | CombinedSource():
            return source
        case _:
            assert_never(source)


def source_of_no_song(source: Source, known: set[PulseId]) -> Source:
    """Return a source without what belongs to one song; beats, where nothing would be left of it.

    `known` are the pulses of which others may be made.
    """
    match source:
        case TappedSource() | TempoSource():
            return _BEATS
        case BandSource():
            return replace(source, hits=())
        case CombinedSource(one=one, other=other):
            return source if {one, other} <= known else _BEATS
        case HeardSource():
            return source
        case _:
            assert_never(source)


def parts_of_source(source: Source) -> tuple[PulseId, ...]:
    """Return the pulses that a source is made of."""
    return (source.one, source.other) if isinstance(source, CombinedSource) else ()
