"""Edits of the stack, of items and panels, of dressing, and of what is played by hand."""

import numpy as np
import pytest
from helpers import a_project, a_song, some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.dressing import Dressing, Mood
from epiphane.document.envelope import Envelope
from epiphane.document.footage import Passage
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId, TrackId
from epiphane.document.lane import Lane, Setting, Span, Trigger
from epiphane.document.laws import broken_laws
from epiphane.document.pick import Pick
from epiphane.document.project import with_lanes
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit, TappedSource
from epiphane.document.recipe import Recipe
from epiphane.document.song import Section
from epiphane.document.timeline import (
    Framing,
    Item,
    PanelLayout,
    Panels,
    Pin,
    Ramp,
    ShapeFill,
    SolidFill,
    Track,
    Transform,
)
from epiphane.edits.footage import remove_footage
from epiphane.edits.items.keys import frame_item, put_key, remove_key, set_key_ramp
from epiphane.edits.items.tracks import find_item, put_fill_on_track, put_on_track, trim_item
from epiphane.edits.keying.dressing import TransitionStyle, dress
from epiphane.edits.keying.lanes import change_lane
from epiphane.edits.keying.overlays import add_overlay_lane, set_cue_clip
from epiphane.edits.keying.playing import forget_played, hold_hit, play_hit
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.stack import move_row, step_rows
from epiphane.edits.locks import refuse_locked_rows
from epiphane.edits.shots.panels import (
    add_panel,
    change_panel,
    remove_panel,
    set_panel_clip,
    split_screen,
    wall_of,
)
from epiphane.edits.song.regrid import regrid
from epiphane.errors import EditError
from epiphane.facts.cuts import cut_hits, drift_at
from epiphane.facts.cuts import cuts_of as all_cuts
from epiphane.facts.framing import item_framing, item_opacity
from epiphane.keying.schedule import schedule
from epiphane.lane_kinds import is_transition
from epiphane.timing import frame_at

EMPTY = Track(TrackId(60), "over")


def stack_of(project):
    return [row.id for row in project.stack]


@given(st.integers(0, 3), st.integers(-2, 9), st.sets(st.integers(0, 3)), st.sampled_from([-1, 1]))
def test_rows_keep_their_number_and_order_but_for_those_that_are_moved(row, to, chosen, direction):
    project = a_project(n_lanes=3)
    project = replace(project, stack=(*project.stack[:2], EMPTY, project.stack[2]))
    ids = stack_of(project)
    moved = stack_of(move_row(project, ids[row], to=to))
    assert moved[min(max(to, 0), 3)] == ids[row]
    assert [one for one in moved if one != ids[row]] == [one for one in ids if one != ids[row]]
    stepped = stack_of(step_rows(project, {ids[n] for n in chosen}, direction))
    assert sorted(stepped) == sorted(ids)
    still = [one for one in ids if one not in {ids[n] for n in chosen}]
    assert [one for one in stepped if one in still] == still
    for n in chosen:
        assert abs(stepped.index(ids[n]) - n) <= 1


def test_a_locked_row_is_not_changed_but_goes_along_with_the_beats():
    project = a_project()
    lane = replace(project.lanes[0], is_locked=True)
    project = replace(project, stack=(lane, project.lanes[1], replace(EMPTY, is_locked=True)))
    for edited in (
        change_lane(project, lane.id, depth=0.1),
        replace(project, stack=project.stack[1:]),
        replace(project, stack=project.stack[:2]),
    ):
        with pytest.raises(EditError, match="locked: unlock it first"):
            refuse_locked_rows(project, edited)
    refuse_locked_rows(project, change_lane(project, lane.id, is_muted=True, is_folded=True))
    refuse_locked_rows(project, change_lane(project, lane.id, is_locked=False))
    refuse_locked_rows(project, move_row(project, lane.id, to=2))
    beats = [replace(beat, time=beat.time + 0.1) for beat in project.song.beats[:-1]]
    pairs = [(old.time, new.time) for old, new in zip(project.song.beats, beats, strict=False)]
    refuse_locked_rows(project, regrid(project, beats, matched=pairs))


def test_the_cuts_are_hits_by_how_unlike_the_shots_are_and_by_the_place_in_the_bar():
    dark, light = ((Passage(0.0, None, 2.0, 5.0, (level, 128, 128), (0.1, 0.0)),) for level in (20, 120))
    footage = tuple(replace(some_footage(n), passages=one) for n, one in ((1, dark), (2, light)))
    alike = replace(a_project(n_shots=4), footage=(footage[0], replace(footage[1], passages=dark)))
    unlike = replace(alike, footage=footage)
    one, other = cut_hits(alike), cut_hits(unlike)
    assert [hit.time for hit in one] == [hit.time for hit in other] == [2.0, 4.0, 6.0, 8.0]
    assert all(a.strength < b.strength for a, b in zip(one[:3], other[:3], strict=True))
    moved = replace(
        unlike, song=replace(unlike.song, beats=tuple(replace(b, place=2) for b in unlike.song.beats))
    )
    assert all(
        a.strength == pytest.approx(b.strength - 0.2)
        for a, b in zip(cut_hits(moved)[:2], other[:2], strict=True)
    )
    assert drift_at(unlike, all_cuts(unlike)[0]) == pytest.approx((0.2, 0.0))


def keyed():
    project, item = put_fill_on_track(a_project(), ShapeFill(), 100)
    project = put_key(project, item, 100, x=-0.3)
    return put_key(project, item, 140, x=0.3, opacity=0.5), item


def test_keys_are_put_changed_taken_away_and_stay_on_their_frames_when_the_item_is_trimmed():
    project, item = keyed()
    shown = find_item(project, item)[1]
    assert item_framing(shown, 120).x == pytest.approx(0)
    assert item_opacity(shown, 140) == 0.5
    project = set_key_ramp(project, item, 110, Ramp.HOLD)
    assert item_framing(find_item(project, item)[1], 139).x == -0.3
    trimmed = trim_item(project, item, start=115)
    for frame in (115, 139, 140, 150):
        assert item_framing(find_item(trimmed, item)[1], frame) == item_framing(
            find_item(project, item)[1], frame
        )
    framed = frame_item(project, item, 120, scale=2.0)
    assert len(find_item(framed, item)[1].keys) == 3
    for frame in (100, 140):
        project = remove_key(project, item, frame)
    left = find_item(project, item)[1]
    assert (left.keys, left.transform.x) == ((), 0.3)
    assert find_item(frame_item(project, item, 1, x=0.1), item)[1].transform == Transform(x=0.1)
    for edit, words in (
        (lambda: remove_key(project, item, 100), "no key on this frame"),
        (lambda: set_key_ramp(project, item, 100, Ramp.IN), "no key before"),
        (lambda: put_key(project, item, 100, x=99.0), "framing"),
        (
            lambda: put_fill_on_track(project, SolidFill(), 110, find_item(project, item)[0].id),
            "something is",
        ),
    ):
        with pytest.raises(EditError, match=words):
            edit()
    with pytest.raises(ValueError, match="must ascend"):
        Item(ItemId(1), 0, 9, SolidFill(), keys=(left_key := keyed()[0].tracks[0].items[0].keys[1], left_key))


def test_a_shot_shows_panels_with_their_moments_and_loses_those_whose_footage_goes():
    project = a_project(n_shots=3)
    moments = tuple(replace(one, moments=()) for one in project.footage)
    third = some_footage(3)
    project = replace(project, footage=(*moments, third), next_id=100)
    shot = replace(project.shots[1], pin=Pin(1.0, 3.0))
    project = replace(project, shots=(project.shots[0], shot, project.shots[2]))
    made = split_screen(project, shot.id, [FootageId(2), FootageId(1)], layout=PanelLayout.ROWS)
    panels = made.shots[1].content
    assert (panels.layout, panels.panels[0].pin, panels.panels[1].pin) == (
        PanelLayout.ROWS,
        Pin(1.0, 3.0),
        None,
    )
    assert list(broken_laws(made)) == []
    made = add_panel(made, shot.id)
    assert made.shots[1].content.panels[-1].cut.footage == 3
    made = set_panel_clip(made, shot.id, 1, FootageId(3))
    made = change_panel(made, shot.id, 2, delay=7, framing=Framing(1.5))
    assert [one.cut.footage for one in made.shots[1].content.panels] == [2, 3, 3]
    beats = [replace(beat, time=round(beat.time + 0.2, 6)) for beat in made.song.beats[:-1]]
    pairs = [(old.time, new.time) for old, new in zip(made.song.beats, beats, strict=False)]
    later = regrid(made, beats, matched=pairs)
    assert later.shots[1].content.panels[0].pin == Pin(1.0, 3.2)
    assert len(remove_footage(made, [FootageId(3)]).shots[1].content.panels) == 1
    without = remove_footage(made, [FootageId(3), FootageId(2)])
    assert not any(isinstance(one.content, Panels) for one in without.shots)
    assert list(broken_laws(without)) == []
    wall = wall_of(project, project.shots[0].id, 4, delay=3).shots[0].content
    assert [one.delay for one in wall.panels] == [0, 3, 6, 9]
    for edit in (
        lambda: split_screen(project, shot.id, []),
        lambda: wall_of(made, shot.id, 4, delay=1),
        lambda: wall_of(project, shot.id, 99, delay=1),
        lambda: change_panel(made, shot.id, 9, delay=1),
        lambda: change_panel(project, shot.id, 0, delay=1),
        lambda: remove_panel(split_screen(project, shot.id, [FootageId(1)]), shot.id, 0),
    ):
        with pytest.raises(EditError):
            edit()


def test_footage_that_goes_leaves_no_overlay_behind():
    project = replace(a_project(), next_id=100)
    project = add_overlay_lane(project, [FootageId(1), FootageId(2)], PulseId(5))
    lane = project.lanes[-1].id
    project = set_cue_clip(project, [(lane, 1.0)], FootageId(2))
    project, _ = put_on_track(project, FootageId(2), 300)
    left = remove_footage(project, [FootageId(2)])
    assert (left.lanes[-1].clips, left.lanes[-1].overrides, left.tracks) == ((FootageId(1),), (), ())
    assert list(broken_laws(left)) == []
    gone = replace(project, footage=project.footage[:1], shots=(), stack=project.lanes)
    assert any("there is no footage 2" in fault for fault in broken_laws(gone))


def recipe(name, *effects):
    lanes = tuple(
        Lane(LaneId(n), key, PulseId(1), settings=(Setting("opacity", 5.0),)) for n, key in enumerate(effects)
    )
    return Recipe(name, lanes, (Pulse(PulseId(1), "beats", HeardSource(PulseUnit.BEAT)),))


RECIPES = {"soft": recipe("soft", "glow", "zoom"), "hard": recipe("hard", "shake", "split", "zoom")}
STYLES = {
    mood: (TransitionStyle("whip", Envelope(5, 0, 6)), TransitionStyle("push", Envelope())) for mood in Mood
}


@given(st.floats(0, 1), st.integers(0, 999))
def test_a_song_is_dressed_in_all_its_parts_with_lanes_of_their_own_and_the_same_for_a_seed(density, seed):
    song = a_project().song
    parts = (
        Section(0.0, 6.0, "A", "calm", 0.2),
        Section(6.0, 10.0, "B", "build", 0.5),
        Section(10.0, 16.0, "C", "full", 0.9),
    )
    project = replace(a_project(n_shots=8), song=replace(song, sections=parts, drops=(10.0,)))
    dressing = Dressing(
        density, seed, opening=("soft",), build=("hard",), full=("hard", "soft"), drop=("hard", "gone")
    )
    made = dress(project, dressing, RECIPES, STYLES, is_transition)
    assert dress(project, dressing, RECIPES, STYLES, is_transition) == made
    assert list(broken_laws(made)) == []
    dressed = [lane for lane in made.lanes if lane.is_dressed]
    assert [lane for lane in made.lanes if not lane.is_dressed] == list(project.lanes)
    assert {"soft", "hard", "opening cuts", "build cuts", "drop cuts"} <= {lane.name for lane in dressed}
    cues = schedule(made)
    for lane in dressed:
        found = cues.lane(lane.id)
        assert all(any(s.start - 1e-3 <= cue.hit.time < s.end for s in lane.spans) for cue in found.cues)
    # A stretch has one recipe, whole.
    names = {"soft": ["glow", "zoom"], "hard": ["shake", "split", "zoom"]}
    for span in {span for lane in dressed for span in lane.spans if not is_transition(lane.effect)}:
        here = [lane for lane in dressed if span in lane.spans and not is_transition(lane.effect)]
        assert [lane.effect for lane in here] == names[here[0].name]
    again = dress(made, replace(dressing, seed=seed + 1), RECIPES, STYLES, is_transition)
    assert [lane for lane in again.lanes if not lane.is_dressed] == list(project.lanes)
    with pytest.raises(EditError, match="nothing to dress"):
        nothing = Dressing(has_transitions=False)
        dress(project, nothing, {}, {}, is_transition)


def test_a_long_part_changes_its_recipe_on_a_bar_and_what_steps_in_one_is_over_in_the_next():
    song = replace(a_song(n_beats=96), sections=(Section(0.0, 48.0, "A", "full", 0.9),), drops=())
    song = replace(song, duration=48.0)
    project = replace(a_project(n_lanes=0, n_shots=0), song=song)
    stepping = replace(RECIPES["soft"].lanes[0], trigger=Trigger.STEP, n_steps=8)
    recipes = RECIPES | {"soft": replace(RECIPES["soft"], lanes=(stepping,))}
    made = dress(project, Dressing(1.0, 1, full=("soft", "hard"), calm=()), recipes, {}, is_transition)
    bars = [beat.time for beat in song.beats if beat.place == 1]
    spans = {name: [one.spans for one in made.lanes if one.name == name] for name in ("soft", "hard")}
    starts = sorted(span.start for name in spans for span in spans[name][0])
    assert len(starts) == 3 and all(start == 0 or start in bars for start in starts)
    soft = next(one for one in schedule(made).lanes if one.lane.name == "soft")
    ends = [frame_at(span.end, made.rate) for span in soft.lane.spans]
    begins = [frame_at(span.start, made.rate) for span in soft.lane.spans]
    for first, end in zip(begins, ends, strict=True):
        assert soft.levels[first + 1 : end].max() > 0
    assert all(soft.levels[end : end + 20].max(initial=0) == 0 for end in ends if end not in begins)


def test_dressing_leaves_what_is_locked_and_cuts_that_have_a_transition_of_the_users():
    song = replace(a_project().song, sections=(Section(0.0, 16.0, "A", "full", 0.9),), drops=())
    project = replace(a_project(n_lanes=0, n_shots=8), song=song)
    project, cuts = ensure_pulse(project, PulseUnit.CUT)
    own = Lane(LaneId(700), "dissolve", cuts, pick=Pick(every=3))
    locked = Lane(LaneId(701), "glow", PulseId(5), spans=(Span(4.0, 8.0),), is_locked=True)
    project = replace(project, stack=(own, locked))
    dressing = Dressing(1.0, 1, calm=("soft",), build=("hard",), full=("hard",), drop=())
    made = dress(project, dressing, RECIPES, STYLES, is_transition)
    effects = next(one for one in made.lanes if one.is_dressed and not is_transition(one.effect))
    assert [(one.start, one.end) for one in effects.spans] == [(0.0, 4.0), (8.0, 16.0)]
    cues = schedule(made)
    mine = [frame_at(cue.hit.time, made.rate) for cue in cues.lane(own.id).cues]
    keys = {one.cut.frame: one.transition.key for one in cues.transitions}
    assert mine and all(keys[frame] == "dissolve" for frame in mine) and len(set(keys.values())) > 1
    kept = with_lanes(made, [replace(one, is_locked=one.is_dressed or one.is_locked) for one in made.lanes])
    with pytest.raises(EditError, match="nothing to dress"):  # all of it is, and is locked
        dress(kept, dressing, RECIPES, STYLES, is_transition)


def test_what_is_played_is_the_hits_of_a_pulse_of_its_own_and_is_played_anew():
    project = a_project()
    lane = project.lanes[0].id
    for time in (1.0, 2.5, 2.52, 4.0):
        project = play_hit(project, lane, time)
    pulse = next(one for one in project.pulses if one.id == project.lanes[0].pulse)
    assert isinstance(pulse.source, TappedSource)
    assert [hit.time for hit in pulse.source.hits] == [1.0, 2.5, 4.0]  # too near to the one before
    assert pulse.source.played_on == lane
    project = hold_hit(project, lane, 2.5, 20)
    assert project.lanes[0].overrides[0].envelope.hold == 20
    assert hold_hit(project, lane, 1.0, 0) == project
    anew = forget_played(project, lane, 2.0, 3.0)
    assert [cue.hit.time for cue in schedule(anew).lanes[0].cues] == [1.0, 4.0]
    assert anew.lanes[0].overrides == ()
    other = project.lanes[1].id
    assert forget_played(project, other, 0.0, 9.0) == project
    two = play_hit(project, other, 3.0)
    assert len({one.pulse for one in two.lanes}) == 2
    assert np.all(np.diff([one.id for one in two.pulses]) > 0)
