"""Shapes in beats, shapes with points of their own, and single cues that are shaped otherwise."""

import numpy as np
import pytest
from helpers import a_project, a_song
from hypothesis import assume, given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import CurvePoint, Ease, Envelope, LengthUnit
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Overlap, Override, Setting
from epiphane.document.pick import Pattern, Pick
from epiphane.document.project import with_lanes
from epiphane.document.pulse import Pulse, TappedSource
from epiphane.document.song import Beat, Hit
from epiphane.edits.keying.lanes import change_envelope, change_lane
from epiphane.errors import EditError
from epiphane.keying.envelope import envelope_level
from epiphane.keying.schedule import schedule
from epiphane.render.plan import plan_frame
from epiphane.timing import COMMON_RATES, frame_at

FLASH, ZOOM = LaneId(20), LaneId(21)
points = st.lists(st.tuples(st.integers(1, 99), st.floats(0, 1)), max_size=5, unique_by=lambda p: p[0]).map(
    lambda found: tuple(CurvePoint(at / 100, level) for at, level in sorted(found))
)
envelopes = st.builds(
    Envelope,
    rise=st.integers(0, 9),
    hold=st.integers(0, 5),
    fall=st.integers(0, 20),
    rise_ease=st.sampled_from(Ease),
    fall_ease=st.sampled_from(Ease),
    lead=st.integers(0, 4),
    rise_curve=points,
    fall_curve=points,
)


def lane_of(project, lane=FLASH):
    return schedule(project).lane(lane)


@given(points, points, st.integers(1, 40), st.integers(1, 40))
def test_a_free_curve_goes_through_its_points_and_turns_nowhere_else(rise, fall, n_rise, n_fall):
    envelope = Envelope(n_rise, 0, n_fall, Ease.FREE, Ease.FREE, rise_curve=rise, fall_curve=fall)
    for curve, start, length, ends in ((rise, -n_rise, n_rise, (0, 1)), (fall, 0, n_fall, (1, 0))):
        places = np.array([0.0, *(point.at for point in curve), 1.0])
        heights = np.array([ends[0], *(point.level for point in curve), ends[1]])
        found = envelope_level(envelope, start + places[:-1] * length)
        assert found == pytest.approx(heights[:-1], abs=1e-6)
        for left, right, low, high in zip(places, places[1:], heights, heights[1:], strict=False):
            between = envelope_level(envelope, start + np.linspace(left, right, 9)[:-1] * length)
            assert between.min() >= min(low, high) - 1e-6
            assert between.max() <= max(low, high) + 1e-6


def test_points_that_do_not_go_on_are_refused():
    for wrong in ((CurvePoint(0.5, 1), CurvePoint(0.5, 0)), (CurvePoint(0.0, 1),), (CurvePoint(1.0, 1),)):
        with pytest.raises(EditError, match="points of a curve"):
            change_envelope(a_project(), FLASH, rise_curve=wrong)


@given(st.sampled_from(COMMON_RATES), st.floats(60, 200), st.sampled_from([0.25, 0.5, 1 / 3, 1.0, 2.0]))
def test_sides_in_beats_last_as_long_as_the_beats_at_their_hit(rate, tempo, part):
    steady = a_song(tempo=tempo, start=0.31)
    half = len(steady.beats) // 2
    middle = steady.beats[half].time
    slower = tuple(  # after the middle every beat is half as long again
        beat if n < half else Beat(round(middle + 1.5 * (beat.time - middle), 6), beat.place)
        for n, beat in enumerate(steady.beats)
    )
    song = replace(steady, beats=slower, duration=slower[-1].time + 1)
    project = replace(a_project(), rate=rate, song=song)
    project = change_envelope(project, FLASH, rise=part / 2, hold=0, fall=part, unit=LengthUnit.BEATS)
    cues = lane_of(project).cues
    for number, factor in ((3, 1.0), (half + 3, 1.5)):
        assert cues[number].frame == frame_at(slower[number].time, rate)
        frames = factor * 60 / tempo * float(rate)
        assert cues[number].envelope.fall == pytest.approx(part * frames, abs=0.51)
        assert cues[number].envelope.rise == pytest.approx(part / 2 * frames, abs=0.51)
        assert cues[number].envelope.unit is LengthUnit.FRAMES
    moved = replace(project, song=replace(song, beats=steady.beats))
    assert schedule(moved, schedule(project)).lane(FLASH).cues == lane_of(moved).cues


@given(
    st.dictionaries(st.integers(0, 31), envelopes, max_size=6),
    st.sampled_from(Overlap),
    st.sampled_from(COMMON_RATES),
)
def test_levels_of_cues_that_are_shaped_otherwise_are_those_of_a_slow_sum(own, overlap, rate):
    project = replace(change_lane(a_project(), FLASH, overlap=overlap, depth=0.7), rate=rate)
    overrides = tuple(Override(n / 2, envelope=envelope, nudge=n % 3) for n, envelope in sorted(own.items()))
    project = change_lane(project, FLASH, overrides=overrides)
    found = lane_of(project)
    for number, cue in enumerate(found.cues):
        lead, nudge = (own[number].lead, number % 3) if number in own else (0, 0)
        assert cue.frame == frame_at(number / 2, rate) - lead + nudge
    for frame in range(0, project.n_frames, 11):
        reached = []
        for number, cue in enumerate(found.cues):
            envelope, off = own.get(number, Envelope()), frame - cue.frame
            if -envelope.rise <= off <= envelope.hold + envelope.fall:
                reached.append(0.7 * float(envelope_level(envelope, np.array([float(off)]))[0]))
        wanted = 0.0 if not reached else sum(reached) if overlap is Overlap.ADD else max(reached)
        assert found.levels[frame] == pytest.approx(min(wanted, 2.0), abs=1e-9)


def effects_on(project, frame):
    return plan_frame(project, schedule(project), frame).root.effects


def test_a_cue_has_values_of_its_own_or_another_effect_and_its_neighbours_do_not():
    project = with_lanes(a_project(), lanes=a_project().lanes[1:])
    own = Override(2.0, settings=(Setting("scale", 150.0, 100.0),))
    other = Override(4.0, effect="flash", settings=(Setting("colour", "#ff0000"),))
    gone = Override(6.0, effect="no such effect")
    project = change_lane(project, ZOOM, overrides=(own, other, gone))
    plain = change_lane(project, ZOOM, overrides=())
    assert dict(effects_on(project, 60)[0].values)["scale"] == 150.0
    assert [effect.key for effect in effects_on(project, 120)] == ["flash"]
    assert dict(effects_on(project, 120)[0].values)["colour"] == "#ff0000"
    assert effects_on(project, 180) == ()  # kept, and it does nothing
    for frame in (0, 30, 90, 150):
        assert effects_on(project, frame) == effects_on(plain, frame)


@given(st.sets(st.integers(0, 31), max_size=5), st.integers(1, 4))
def test_what_is_taken_by_hand_fires_beside_what_the_pick_takes(taken, every):
    project = change_lane(a_project(), FLASH, pick=Pick(every=every, pattern=Pattern((1.0, 0.0, 0.5, 0.0))))
    by_pick = {cue.hit.time for cue in lane_of(project).cues}
    overrides = tuple(Override(n / 2, taken=True) for n in sorted(taken))
    found = lane_of(change_lane(project, FLASH, overrides=overrides))
    times = [cue.hit.time for cue in found.cues]
    assert times == sorted(by_pick | {n / 2 for n in taken})
    assert all(cue.strength == 1.0 for cue in found.cues if cue.hit.time not in by_pick)
    assert found.orphaned_overrides == ()


@given(st.sets(st.integers(0, 3), min_size=1), st.integers(0, 12), st.integers(0, 40))
def test_a_lane_on_chosen_shots_does_nothing_on_others(chosen, rise, fall):
    project = a_project()
    assume(max(chosen) < len(project.shots))
    shots = [project.shots[n] for n in sorted(chosen)]
    free = change_envelope(project, FLASH, rise=rise, fall=fall)
    project = change_lane(free, FLASH, shots=tuple(shot.id for shot in shots))
    found, whole = lane_of(project), lane_of(free)
    inside = np.zeros(project.n_frames, bool)
    for shot in shots:
        inside[shot.start : shot.start + shot.n_frames] = True
    assert (found.levels[~inside] == 0).all()
    assert [cue for cue in whole.cues if cue.frame < len(inside) and inside[cue.frame]] == list(found.cues)
    peaks = [cue.frame for cue in found.cues]
    assert (found.levels[peaks] == 1.0).all()
    gone = change_lane(project, FLASH, shots=(max(s.id for s in project.shots) + 50,))
    assert lane_of(gone).levels.max() == 0
    shorter = replace(project, shots=(replace(shots[0], n_frames=3),))
    again = schedule(shorter, schedule(project)).lane(FLASH)
    assert (again.levels == lane_of(shorter).levels).all()


def test_ten_thousand_cues_that_all_overlap_are_held_within_their_bounds():
    hits = tuple(Hit(round(n * 0.0015 + 0.1, 6), 0.5 + 0.5 * (n % 7 == 0)) for n in range(10_000))
    project = replace(a_project(), pulses=(Pulse(PulseId(10), "many", TappedSource(hits)),))
    lane = replace(project.lanes[0], pulse=PulseId(10), by_strength=1.0)
    for overlap, highest in ((Overlap.STRONGER, 1.0), (Overlap.ADD, 2.0)):
        long = replace(lane, envelope=Envelope(rise=600, hold=600, fall=600), overlap=overlap)
        found = lane_of(with_lanes(project, lanes=(long,)))
        assert len(found.cues) == 10_000
        assert found.levels.max() == highest
        assert found.levels.min() >= 0
