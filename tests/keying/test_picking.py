"""Which hits a lane takes: every rule against a slow reading of what it says, and their order."""

import numpy as np
import pytest
from helpers import a_project, a_song
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import Ease, Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Overlap
from epiphane.document.pick import CELL_COUNTS, Pattern, Pick
from epiphane.document.project import with_lanes
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit, TappedSource
from epiphane.document.song import Hit, Section
from epiphane.edits.keying.cues import set_cue_strength, toggle_cues
from epiphane.edits.keying.lanes import change_envelope, change_lane, copy_lane, fire_by
from epiphane.edits.song.trim import trim_song
from epiphane.facts.grid import bars_of
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.files.project import load_project, save_project
from epiphane.keying.envelope import envelope_level
from epiphane.keying.picking import bar_places, picked_hits
from epiphane.keying.schedule import schedule
from epiphane.timing import frame_at

FLASH, ZOOM = LaneId(20), LaneId(21)
BEATS = 32  # of four bars of four, at 120 BPM: one every half second, from 0


def hits_at_random(seed=3, n=60):
    rng = np.random.default_rng(seed)
    times = (
        np.sort(rng.choice(np.arange(1, 640), n, replace=False)) / 40 + 0.003
    )  # never half way between two cells
    return tuple(
        Hit(float(time), round(float(strength), 3))
        for time, strength in zip(times, rng.random(n), strict=True)
    )


def project_with(pick, *, hits=None, **changes):
    """Return a project whose flash takes by a pick what some taps offer, or every beat."""
    project = a_project()
    sections = (
        Section(0.0, 4.0, "A", "calm", 0.3),
        Section(4.0, 10.0, "B", "full", 0.9),
        Section(10.0, 16.0, "A", "calm", 0.3),
    )
    project = replace(project, song=replace(project.song, sections=sections))
    source = HeardSource(PulseUnit.BEAT) if hits is None else TappedSource(hits=hits)
    pulse = Pulse(PulseId(90), "offered", source)
    project = replace(project, pulses=(*project.pulses, pulse), next_id=200)
    return change_lane(fire_by(project, FLASH, PulseId(90)), FLASH, pick=pick, **changes)


def taken(project, lane=FLASH):
    return [cue.hit for cue in schedule(project).lane(lane).cues]


def offered(project):
    lane = project.lanes[0]
    pulse = next(pulse for pulse in project.pulses if pulse.id == lane.pulse)
    return list(hits_of(pulse, hit_context_of(project)))


picks = st.builds(
    Pick,
    sections=st.sampled_from([(), ("A calm",), ("B full",), ("A calm", "B full"), ("C",)]),
    start=st.none() | st.floats(0, 16),
    end=st.none() | st.floats(0, 16),
    every=st.integers(1, 5),
    first=st.integers(0, 4),
    pattern=st.none()
    | st.builds(
        Pattern,
        cells=st.sampled_from(CELL_COUNTS).flatmap(
            lambda n: st.lists(st.sampled_from([0.0, 0.4, 1.0]), min_size=n, max_size=n).map(tuple)
        ),
        n_bars=st.sampled_from([1, 2, 4]),
    ),
    above=st.sampled_from([0.0, 0.3, 0.7]),
    strongest=st.none() | st.integers(1, 3),
)


def slowly(project, pick):
    """Do what the docstring of `Pick` says, hit by hit; bars are two seconds long."""
    left = [hit for hit in offered(project) if pick.start is None or hit.time >= pick.start]
    left = [hit for hit in left if pick.end is None or hit.time < pick.end]
    if pick.sections:
        labels = {hit: s.label for hit in left for s in project.song.sections if s.start <= hit.time < s.end}
        left = [hit for hit in left if labels.get(hit) in pick.sections]
    left = [hit for n, hit in enumerate(left) if n >= pick.first and (n - pick.first) % pick.every == 0]
    strengths = dict.fromkeys(left, 1.0)
    if pick.pattern is not None:
        n_cells, length = len(pick.pattern.cells), 2.0 * pick.pattern.n_bars
        for hit in left:
            cell = min(range(n_cells + 1), key=lambda c: abs(hit.time % length - c * length / n_cells))
            strengths[hit] = pick.pattern.cells[cell % n_cells]
        left = [hit for hit in left if strengths[hit] > 0]
    left = [hit for hit in left if hit.strength >= pick.above]
    if pick.strongest is not None:
        bars = {}
        for hit in left:
            bars.setdefault(min(int((hit.time + 0.05) // 2), 7), []).append(hit)
        best = [
            sorted(bar, key=lambda h: -h.strength * strengths[h])[: pick.strongest] for bar in bars.values()
        ]
        left = [hit for hit in left if any(hit in bar for bar in best)]
    return left, [strengths[hit] for hit in left]


@settings(max_examples=100)
@given(picks, st.integers(0, 20))
def test_a_pick_takes_what_its_rules_say_in_their_order(pick, seed):
    project = project_with(pick, hits=hits_at_random(seed))
    hits, strengths = slowly(project, pick)
    context = hit_context_of(project)
    found = picked_hits(project, project.lanes[0], tuple(offered(project)), context)
    assert list(found.hits) == hits
    assert list(found.strengths) == pytest.approx(strengths)


def test_by_chance_about_so_many_fire_and_always_the_same():
    hits = tuple(Hit(n / 50) for n in range(1, 790))
    project = project_with(Pick(chance=0.3), hits=hits)
    first = taken(project)
    assert taken(project) == first
    assert 0.2 < len(first) / len(hits) < 0.4
    assert taken(change_lane(project, FLASH, seed=77)) != first
    copied = copy_lane(project, FLASH, effect="zoom")
    assert taken(copied, copied.lanes[1].id) == first  # another effect, on the very same hits
    more = taken(change_lane(project, FLASH, pick=Pick(chance=0.6)))
    assert set(first) < set(more)  # a greater chance takes none away


def test_a_lane_keeps_off_what_another_fires_on():
    project = project_with(Pick(without=ZOOM))
    project = change_lane(project, ZOOM, pick=Pick(pattern=Pattern((1.0, 0.0, 0.0, 0.0)), without=FLASH))
    downbeats = {round(bar.start, 6) for bar in bars_of(project)}
    assert not {round(hit.time, 6) for hit in taken(project)} & downbeats
    assert len(taken(project)) == BEATS * 3 // 4
    project = toggle_cues(project, [(ZOOM, 4.0)])  # one of theirs is off, so this one is free
    assert 4.0 in {hit.time for hit in taken(project)}
    gone = with_lanes(project, lanes=project.lanes[:1])
    assert len(taken(gone)) == BEATS


@given(st.floats(0, 1), st.floats(0, 1))
def test_the_strength_of_a_hit_scales_its_cue_as_far_as_it_is_told(share, strength):
    project = project_with(Pick(), hits=(Hit(2.0, strength),), by_strength=share, depth=0.8)
    cue = schedule(project).lane(FLASH).cues[0]
    assert cue.strength == pytest.approx(0.8 * (1 - share + share * strength))


def test_the_strength_of_a_cell_scales_its_cue():
    project = project_with(Pick(pattern=Pattern((1.0, 0.25, 0.0, 0.5))))
    cues = schedule(project).lane(FLASH).cues
    assert [cue.strength for cue in cues[:6]] == [1.0, 0.25, 0.5, 1.0, 0.25, 0.5]


@given(
    st.lists(st.integers(1, 400), min_size=1, max_size=30, unique=True),
    st.sampled_from(Overlap),
    st.integers(0, 9),
)
def test_levels_are_those_of_a_slow_sum_of_cues(places, overlap, lead):
    hits = tuple(Hit(n / 30) for n in sorted(places))
    envelope = Envelope(rise=4, hold=2, fall=13, fall_ease=Ease.OVERSHOOT, lead=lead)
    project = project_with(Pick(), hits=hits, envelope=envelope, overlap=overlap)
    found = schedule(project).lane(FLASH)
    assert [cue.frame for cue in found.cues] == [frame_at(hit.time, project.rate) - lead for hit in hits]

    for frame in range(0, project.n_frames, 7):
        reached = [
            float(envelope_level(envelope, np.array([float(frame - cue.frame)]))[0])
            for cue in found.cues
            if -envelope.rise <= frame - cue.frame <= envelope.hold + envelope.fall
        ]
        wanted = 0.0 if not reached else sum(reached) if overlap is Overlap.ADD else max(reached)
        assert found.levels[frame] == pytest.approx(min(wanted, 2.0), abs=1e-9)


@given(picks, picks)
def test_changes_to_single_cues_wait_for_their_hits_and_come_back(one, other):
    project = project_with(Pick())
    project = set_cue_strength(project, [(FLASH, 1.0), (FLASH, 6.5)], 0.3)
    changed = change_lane(change_lane(project, FLASH, pick=one), FLASH, pick=other)
    found = schedule(changed).lane(FLASH)
    there = {cue.hit.time for cue in found.cues if cue.override is not None}
    assert there | {override.hit for override in found.orphaned_overrides} == {1.0, 6.5}
    assert not there & {override.hit for override in found.orphaned_overrides}
    back = change_lane(changed, FLASH, pick=Pick())
    assert schedule(back).lane(FLASH).cues == schedule(project).lane(FLASH).cues


@given(picks)
def test_a_pick_survives_the_file_and_is_asked_again_when_the_bars_move(tmp_path_factory, pick):
    project = project_with(pick)
    path = tmp_path_factory.mktemp("pick") / "a.epiphane"
    save_project(project, path)
    assert load_project(path).lanes[0].pick == pick
    later = replace(project, song=replace(project.song, beats=project.song.beats[1:]))
    assert taken(later) == [cue.hit for cue in schedule(later, schedule(project)).lane(FLASH).cues]


def test_a_range_stays_on_its_sound_when_the_song_is_trimmed():
    project = project_with(Pick(start=4.0, end=8.0))
    assert [hit.time for hit in taken(project)] == [4 + n / 2 for n in range(8)]
    trimmed = trim_song(project, 2.0, 12.0)
    assert [hit.time for hit in taken(trimmed)] == [2 + n / 2 for n in range(8)]


def test_places_go_on_evenly_where_the_ends_cut_a_bar_short():
    song = a_song(n_beats=14, start=0.75)
    song = replace(song, beats=song.beats[2:])  # two beats of a pick-up, and half a beat before them
    project = replace(a_project(), song=song)
    times = np.array([beat.time for beat in song.beats])
    places = bar_places(bars_of(project), times)
    assert np.diff(places) == pytest.approx(0.25)
    assert places[[beat.place for beat in song.beats].index(1)] == pytest.approx(round(places[2]))


def test_an_envelope_overshoots_its_rest_but_never_its_peak():
    for ease in (Ease.OVERSHOOT, Ease.BOUNCE):
        envelope = Envelope(rise=20, fall=40, rise_ease=ease, fall_ease=ease)
        project = change_envelope(
            project_with(Pick(), hits=(Hit(4.0),)),
            FLASH,
            **{name: getattr(envelope, name) for name in ("rise", "fall", "rise_ease", "fall_ease")},
        )
        levels = schedule(project).lane(FLASH).levels
        assert levels.max() == pytest.approx(1.0)
        assert levels.argmax() == 120
        assert (levels.min() < -0.05) == (ease is Ease.OVERSHOOT)
        assert levels.min() > -0.11
