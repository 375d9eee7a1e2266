"""Cues that are like others, and bars that are made as others."""

from itertools import pairwise

import pytest
from helpers import a_project
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.ids import FootageId, LaneId
from epiphane.document.lane import Accent, AccentSound, Override, Setting
from epiphane.document.pick import Pattern, Pick
from epiphane.document.pulse import HeardSource, PulseUnit
from epiphane.document.song import Section
from epiphane.edits.keying.cues import (
    change_cue_envelope,
    lay_look,
    lay_overrides,
    look_of,
    nudge_cues,
    override_of,
    reset_cue_envelope,
    reset_cue_settings,
    reset_cues,
    set_cue_effect,
    set_cue_nudge,
    set_cue_setting,
    take_cues,
    toggle_cues,
)
from epiphane.edits.keying.lanes import change_lane
from epiphane.edits.keying.pulses import change_pulse
from epiphane.errors import EditError
from epiphane.keying.copying import copied_bars, in_same_section, on_same_beat, pasted_bars
from epiphane.keying.neighbours import nudge_within
from epiphane.keying.schedule import schedule

FLASH, ZOOM = LaneId(20), LaneId(21)
BAR = 2.0  # seconds, four beats

overrides = st.lists(
    st.builds(
        Override,
        hit=st.integers(0, 31).map(lambda n: n / 2),
        off=st.booleans(),
        taken=st.booleans(),
        strength=st.none() | st.floats(0.1, 1.3).map(lambda value: round(value, 2)),
        nudge=st.integers(-5, 5),
        envelope=st.none() | st.builds(Envelope, rise=st.integers(0, 5), fall=st.integers(0, 9)),
        effect=st.sampled_from([None, "blur"]),
        settings=st.sampled_from([(), (Setting("scale", 140.0, 100.0),)]),
        clip=st.sampled_from([None, FootageId(1)]),
        accent=st.sampled_from([None, Accent(AccentSound.THUMP)]),
    ),
    max_size=9,
    unique_by=lambda one: one.hit,
).map(lambda found: tuple(sorted((o for o in found if not o.says_nothing), key=lambda one: one.hit)))


def fired(project, lane, first_bar, n_bars):
    """Return what fires in some bars, with times from the first of them."""
    start = first_bar * BAR
    return [
        (
            pytest.approx(cue.hit.time - start, abs=1e-5),
            cue.frame - round(start * 30),
            pytest.approx(cue.strength, rel=0.01),
            cue.envelope,
            [getattr(cue.override, name, None) for name in ("effect", "clip", "accent")],
            cue.override.settings if cue.override else (),
        )
        for cue in schedule(project).lane(lane).cues
        if start - 1e-6 <= cue.hit.time < start + n_bars * BAR - 1e-6 and not cue.is_off
    ]


@given(overrides, st.sets(st.integers(0, 31), min_size=1, max_size=8), st.integers(-80, 80))
def test_no_cue_passes_its_neighbour_however_far_some_are_nudged(changes, chosen, by):
    project = change_lane(a_project(), FLASH, overrides=changes)
    cues = schedule(project)
    keys = [(FLASH, cue.hit.time) for n, cue in enumerate(cues.lane(FLASH).cues) if n in chosen]
    firing = [cue.frame for cue in cues.lane(FLASH).cues if not cue.is_off]
    step = nudge_within(cues, keys, by)
    assert step == 0 or (step > 0) == (by > 0)
    after = schedule(nudge_cues(project, keys, step)).lane(FLASH).cues
    moved = [cue.frame for cue in after if not cue.is_off]
    crossed = {n for n, (a, b) in enumerate(pairwise(firing)) if a >= b}  # they stood so before
    assert all(a < b for n, (a, b) in enumerate(pairwise(moved)) if n not in crossed)


@given(overrides, st.sampled_from([FLASH, ZOOM]))
def test_what_a_cue_is_is_copied_onto_others_of_any_lane(changes, lane):
    project = change_lane(a_project(), FLASH, overrides=changes)
    source = override_of(project, (FLASH, 1.0))
    look = look_of(project.lanes[0], source)
    keys = [(lane, 2.0), (lane, 4.5)]
    made = lay_look(project, keys, look, lambda one, other: True)
    scheduled = schedule(made).lane(lane)
    wanted = (
        schedule(project)
        .lane(FLASH)
        .instance_of(next(cue for cue in schedule(project).lane(FLASH).cues if cue.hit.time == 1.0), 0)
    )
    for key in keys:
        cue = next(cue for cue in scheduled.cues if cue.hit.time == key[1])
        found = scheduled.instance_of(cue, 0)
        assert (found.effect, set(found.settings)) == (wanted.effect, set(wanted.settings))
        own = override_of(made, key)
        assert (own.envelope, own.clip, own.accent) == (source.envelope, source.clip, source.accent)
        before = override_of(project, key)
        assert (own.strength, own.nudge, own.off) == (before.strength, before.nudge, before.off)


@given(
    overrides,
    st.sampled_from([Pick(), Pick(pattern=Pattern((1.0, 0.0, 0.5, 0.0))), Pick(every=3), Pick(chance=0.6)]),
    st.integers(0, 3),
    st.integers(1, 2),
    st.integers(4, 6),
)
def test_bars_that_are_copied_do_there_what_they_did_here(changes, pick, first, n_bars, to):
    project = change_lane(a_project(), FLASH, overrides=changes, pick=pick, wander=0.3)
    cues = schedule(project)
    span = (first * BAR - 1e-6, (first + n_bars) * BAR - 1e-6)
    keys = {(FLASH, cue.hit.time) for cue in cues.lane(FLASH).cues if span[0] <= cue.hit.time < span[1]}
    copied = copied_bars(cues, keys)
    if copied is None:
        assert not keys
        return
    bars = sorted({int((time + 1e-6) // BAR) for _, time in keys})
    first, n_bars = bars[0], bars[-1] - bars[0] + 1
    pasted = pasted_bars(project, copied, to * BAR + 0.7)
    done = lay_overrides(project, pasted.overrides)
    assert pasted.n_missing == 0
    assert fired(done, FLASH, to, n_bars) == fired(project, FLASH, first, n_bars)
    elsewhere = [n for n in range(8) if not to <= n < to + n_bars]
    for bar in elsewhere:
        assert fired(done, FLASH, bar, 1) == fired(project, FLASH, bar, 1)
    assert done.lanes[1] == project.lanes[1]


def test_what_has_no_hit_there_is_counted():
    project = change_pulse(a_project(), a_project().lanes[0].pulse, source=HeardSource(PulseUnit.KICK))
    song = replace(
        project.song,
        drums=replace(
            project.song.drums, kick=tuple(hit for hit in project.song.drums.kick if hit.time < 3.9)
        ),
    )
    project = replace(project, song=song)
    cues = schedule(project)
    keys = {(FLASH, cue.hit.time) for cue in cues.lane(FLASH).cues if cue.hit.time < 1.9}
    pasted = pasted_bars(project, copied_bars(cues, keys), 9.0)
    assert pasted.n_missing == len(keys) > 0
    assert pasted.overrides == {FLASH: ()}
    assert copied_bars(cues, {(FLASH, 99.0)}) is None


@given(st.sets(st.integers(0, 31), min_size=1, max_size=3))
def test_the_same_beat_of_the_bar_and_the_same_section(chosen):
    project = a_project()
    sections = (
        Section(0.0, 6.0, "A", "calm", 0.3),
        Section(6.0, 10.0, "B", "full", 0.9),
        Section(10.0, 16.0, "A", "calm", 0.3),
    )
    project = replace(project, song=replace(project.song, sections=sections))
    cues = schedule(project)
    keys = {(FLASH, n / 2) for n in chosen}
    beats = {n % 4 for n in chosen}
    assert on_same_beat(cues, keys) == {(FLASH, n / 2) for n in range(32) if n % 4 in beats}
    parts = {sum(n / 2 >= part.start for part in sections) for n in chosen}
    inside = {n for n in range(32) if sum(n / 2 >= part.start for part in sections) in parts}
    assert in_same_section(cues, keys) == {(FLASH, n / 2) for n in inside}
    nowhere = replace(project, song=replace(project.song, sections=()))
    assert len(in_same_section(schedule(nowhere), keys)) == 32


@given(overrides, st.sets(st.integers(0, 31).map(lambda n: (FLASH, n / 2)), min_size=1))
def test_one_step_clears_everything_that_was_changed(changes, keys):
    plain = change_lane(a_project(), FLASH, overrides=changes)
    keys = keys - {(FLASH, one.hit) for one in changes}
    project = take_cues(toggle_cues(plain, keys), keys)
    project = change_cue_envelope(set_cue_nudge(project, keys, 7), keys, rise=4, fall=3)
    project = set_cue_setting(set_cue_effect(project, keys, "blur"), keys, Setting("radius", 2.0))
    changed = {one.hit: one for one in project.lanes[0].overrides}
    assert all(changed[hit].envelope.rise == 4 and changed[hit].nudge == 7 for _, hit in keys)
    back = reset_cue_settings(reset_cue_envelope(project, keys), keys)
    assert all(
        one.envelope is None and one.settings == ()
        for one in back.lanes[0].overrides
        if (FLASH, one.hit) in keys
    )
    assert set_cue_effect(project, keys, "flash") == set_cue_effect(project, keys, None)
    assert reset_cues(project, keys) == plain


def test_values_out_of_range_are_refused():
    for wrong in (
        lambda p: change_cue_envelope(p, [(FLASH, 1.0)], rise=-1),
        lambda p: set_cue_setting(p, [(FLASH, 1.0)], Setting("scale", 1.0, wander=-2.0)),
    ):
        with pytest.raises(EditError):
            wrong(a_project())
    assert nudge_cues(a_project(), [(FLASH, 1.0)], 999).lanes[0].overrides[0].nudge == 240
