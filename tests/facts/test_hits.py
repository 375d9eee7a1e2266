"""Thinning and combining of pulses."""

import numpy as np
import pytest
from helpers import a_project, a_song
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.ids import PulseId
from epiphane.document.pulse import (
    BandSource,
    Combination,
    CombinedSource,
    HeardSource,
    Pulse,
    PulseUnit,
    TappedSource,
    TempoSource,
)
from epiphane.document.song import Drums, Hit
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.pulses import (
    add_pulse,
    add_taps,
    change_pulse,
    ensure_pulse,
    remove_pulse,
    set_band,
    users_of,
)
from epiphane.errors import EditError
from epiphane.facts.hits import (
    FORM_UNITS,
    HitContext,
    combined,
    hit_context_of,
    hits_of,
    is_near,
    stand_in_remark,
)
from epiphane.facts.stops import stops_of

TOLERANCE = 0.05


@st.composite
def streams(draw):
    """Hits that are further apart than the tolerance, as those of one pulse are."""
    steps = draw(st.lists(st.floats(0.12, 2.0), max_size=30))
    strengths = draw(st.lists(st.floats(0, 1), min_size=len(steps), max_size=len(steps)))
    times = np.round(np.cumsum(steps), 3)
    return tuple(Hit(float(time), strength) for time, strength in zip(times, strengths, strict=True))


def times_of(hits):
    return np.array([hit.time for hit in hits])


@given(streams(), streams())
def test_combinations_obey_the_laws_of_sets(a, b):
    def combine(one, other, how):
        return combined(one, other, how, TOLERANCE)

    both, without = combine(a, b, Combination.BOTH), combine(a, b, Combination.WITHOUT)
    either = combine(a, b, Combination.EITHER)
    assert combine(both, without, Combination.EITHER) == a
    assert set(both).isdisjoint(without)
    assert combine(a, a, Combination.EITHER) == combine(a, a, Combination.BOTH) == a
    assert combine(a, a, Combination.WITHOUT) == combine(a, (), Combination.BOTH) == ()
    assert (
        combine(a, (), Combination.WITHOUT)
        == combine(a, (), Combination.EITHER)
        == combine((), a, Combination.EITHER)
        == a
    )
    assert set(a) <= set(either) <= set(a) | set(b)
    assert is_near(times_of(b), times_of(either), TOLERANCE).all()
    # The same places are struck, whichever comes first.
    other_way = combine(b, a, Combination.EITHER)
    assert is_near(times_of(either), times_of(other_way), TOLERANCE).all()
    assert is_near(times_of(both), times_of(combine(b, a, Combination.BOTH)), TOLERANCE).all()


@given(streams(), st.lists(st.floats(0, 1), min_size=2, max_size=5))
def test_thinning_only_removes_and_always_in_the_same_order(hits, keeps):
    pulse = Pulse(PulseId(1), "taps", TappedSource(hits))
    context = HitContext(a_song())
    kept = [hits_of(replace(pulse, keep=keep), context) for keep in sorted(keeps)]
    for fewer, more in zip(kept, [*kept[1:], hits], strict=True):
        assert set(fewer) <= set(more)
        assert list(fewer) == sorted(fewer, key=lambda hit: hit.time)
    assert hits_of(replace(pulse, keep=1.0), context) == hits
    assert hits_of(replace(pulse, keep=0.0), context) == ()


def test_the_few_that_are_left_are_those_that_a_musician_would_keep():
    song = a_song(n_beats=32)
    quarters = Pulse(PulseId(1), "quarters", HeardSource(PulseUnit.QUARTER))
    n_hits = len(hits_of(quarters, HitContext(song)))

    def kept(n):
        return {hit.time for hit in hits_of(replace(quarters, keep=n / n_hits), HitContext(song))}

    assert kept(8) == {beat.time for beat in song.beats if beat.place == 1}
    assert kept(16) == {beat.time for beat in song.beats if beat.place in (1, 3)}
    assert kept(32) == {beat.time for beat in song.beats}


@given(st.sampled_from([(PulseUnit.HALF, 2), (PulseUnit.THIRD, 3), (PulseUnit.QUARTER, 4)]))
def test_beats_are_divided_evenly(unit):
    beats = times_of(a_song(tempo=97).beats)
    hits = times_of(hits_of(Pulse(PulseId(1), "p", HeardSource(unit[0])), HitContext(a_song(tempo=97))))
    assert hits[:: unit[1]].tolist() == beats.tolist()
    assert np.ptp(np.diff(hits)) < 3e-6
    off = times_of(
        hits_of(Pulse(PulseId(1), "p", HeardSource(PulseUnit.OFF_BEAT)), HitContext(a_song(tempo=97)))
    )
    assert np.abs(off - (beats[:-1] + beats[1:]) / 2).max() < 1e-6


def test_a_bare_tempo_fires_to_the_end_without_a_song():
    project = replace(a_project(), song=None)
    project, _ = add_pulse(project, TempoSource(90, 0.5))
    hits = times_of(hits_of(project.pulses[-1], hit_context_of(project)))
    assert hits[0] == 0.5
    assert np.allclose(np.diff(hits), 60 / 90, atol=2e-6)
    assert hits[-1] < project.n_frames / project.rate <= hits[-1] + 60 / 90
    assert project.pulses[-1].name == "90 BPM"


def test_a_pulse_that_is_taken_away_leaves_its_lanes_silent():
    project, kick = add_pulse(a_project(), HeardSource(PulseUnit.KICK))
    project, blend = add_pulse(project, CombinedSource(Combination.WITHOUT, PulseId(5), kick))
    assert users_of(project, kick) == (0, 1)
    assert users_of(project, PulseId(5)) == (2, 1)
    pulse = project.pulses[-1]
    assert pulse.name == "beats without kicks"
    assert times_of(hits_of(pulse, hit_context_of(project))).tolist() == [
        b.time for b in project.song.beats[1::2]
    ]
    left = remove_pulse(project, kick)
    assert hits_of(pulse, hit_context_of(left)) == hits_of(left.pulses[0], hit_context_of(left))
    with pytest.raises(EditError, match="made of itself"):
        change_pulse(project, kick, source=CombinedSource(Combination.BOTH, blend, PulseId(5)))


def test_taps_twice_at_once_or_outside_the_song_are_left_out():
    project, taps = add_pulse(a_project(), TappedSource())
    wild = tuple(Hit(time) for time in (2.0, 2.01, 0.5, 99.0, 3.0, 3.0))
    project = add_taps(project, taps, wild)
    assert [hit.time for hit in project.pulses[-1].source.hits] == [0.5, 2.0, 3.0]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda p, k: set_band(p, k, BandSource(500, 500)), "500 to 500 Hz has none"),
        (lambda p, k: set_band(p, PulseId(5), BandSource(50, 500)), "not taken from a band"),
        (lambda p, k: change_pulse(p, k, keep=1.5), "keep"),
        (lambda p, k: change_pulse(p, k, name=" "), "needs a name"),
        (lambda p, k: change_pulse(p, k, name="beats"), "called beats already"),
        (lambda p, k: change_pulse(p, k, every=4, first=4), r"must be 0\.\.3, got 4"),
        (lambda p, k: add_pulse(p, TempoSource(0)), "20"),
        (lambda p, k: add_pulse(p, TempoSource(10_000)), "400"),
        (lambda p, k: add_pulse(p, CombinedSource(Combination.BOTH, k, PulseId(77))), "no pulse 77"),
        (lambda p, k: add_taps(p, k, (Hit(1.0),)), "not a tapped one"),
    ],
)
def test_what_cannot_be_says_why(change, words):
    project, band = add_pulse(a_project(), BandSource(40, 120))
    with pytest.raises(EditError, match=words):
        change(project, band)


def test_what_stands_in_for_a_drum_that_is_not_heard_surely_is_told_where_a_lane_fires_on_it():
    song = a_song()
    drums = replace(song.drums, low=song.drums.kick, mid=song.drums.snare, confidence=(0.2, 0.3, 1.0))
    project = replace(a_project(n_lanes=0), song=replace(song, drums=drums))
    project, snare = ensure_pulse(project, PulseUnit.SNARE)
    assert stand_in_remark(project) == ""  # nothing fires on it
    fired = add_lane(project, "flash", snare)
    assert stand_in_remark(fired).endswith("the mid hits stand in for the snare.")
    assert stand_in_remark(replace(fired, song=song)) == ""
    assert stand_in_remark(replace(fired, song=None)) == ""


def test_the_form_of_a_song_is_a_pulse_of_its_parts_its_drops_and_what_leads_to_them():
    song = a_song(n_beats=32)
    context = HitContext(song)
    pulse = {unit: Pulse(PulseId(1), "", HeardSource(unit)) for unit in FORM_UNITS}
    parts, drops, bars, stops = (hits_of(pulse[unit], context) for unit in FORM_UNITS)
    assert [hit.time for hit in parts] == [part.start for part in song.sections]
    assert [hit.time for hit in drops] == list(song.drops)
    downbeats = [beat.time for beat in song.beats if beat.place == 1]
    drop = song.drops[0]
    assert [hit.time for hit in bars] == [time for time in downbeats if time < drop][-4:]
    assert [hit.strength for hit in bars] == sorted(hit.strength for hit in bars)
    assert stops == stops_of(song) == ()
    # Two drops that are near each other share the bars between them.
    near = replace(song, drops=(downbeats[5], downbeats[6]))
    assert [hit.time for hit in hits_of(pulse[PulseUnit.BUILD_BAR], HitContext(near))] == downbeats[1:6]
    assert hits_of(pulse[PulseUnit.BUILD_BAR], HitContext(replace(song, drops=()))) == ()


@given(st.integers(6, 20), st.sampled_from([0.0, 0.5, 1.0]), st.floats(2.5, 7.0), st.booleans())
def test_a_stop_is_where_the_beat_breaks_off_for_a_moment_and_comes_again(bar, stroke, n_silent, plays_on):
    song = a_song(n_beats=128)
    beats = np.array([beat.time for beat in song.beats])
    first = (
        4 * bar - 1 + stroke
    )  # the last stroke is on the beat before a bar, half a beat before it, or on it
    halves = np.arange(0, 127, 0.5)
    struck = halves[(halves <= first) | ((halves >= first + n_silent) & plays_on)]
    times = np.interp(struck, np.arange(len(beats)), beats)
    drums = Drums(kick=tuple(Hit(float(time)) for time in times), confidence=(1.0, 1.0, 1.0))
    stops = stops_of(replace(song, drums=drums))
    expected = [beats[4 * bar]] if plays_on else []
    assert [stop.time for stop in stops] == pytest.approx(expected)
