"""Whatever is done can be undone, and every state in between can be saved and opened."""

from fractions import Fraction

import numpy as np
import pytest
from helpers import a_project, a_song
from hypothesis import given, settings
from hypothesis import strategies as st

from epiphane.document.envelope import Ease
from epiphane.document.filling import Order
from epiphane.document.ids import FootageId
from epiphane.document.lane import Setting, Trigger
from epiphane.document.laws import broken_laws
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import Pin, Ramp
from epiphane.edits.arranging import move_shots, paste_shots, put_footage, shots_every, swap_shots
from epiphane.edits.beats import move_beat
from epiphane.edits.cues import (
    change_cue_envelope,
    nudge_cues,
    reset_cues,
    scale_cues,
    set_cue_effect,
    set_cue_setting,
    set_cue_strength,
    take_cues,
    toggle_cues,
)
from epiphane.edits.cutting import (
    TrimMode,
    close_gap,
    delete_shots,
    join_shots,
    roll_cut,
    slide_shots,
    slip_shots,
    split_at,
    stretch_shot,
    trim_end,
    trim_start,
)
from epiphane.edits.filling import fill_song
from epiphane.edits.footage import remove_footage
from epiphane.edits.history import History
from epiphane.edits.lanes import (
    add_lane,
    change_envelope,
    change_lane,
    fire_by,
    move_lane,
    remove_lane,
    reset_setting,
    set_setting,
)
from epiphane.edits.picture import set_rate, set_size
from epiphane.edits.pulses import ensure_pulse
from epiphane.edits.recipes import recipe_of, use_recipe
from epiphane.edits.shots import (
    change_shot,
    exchange_shots,
    lay_in_row,
    move_shot,
    pin_shot,
    slip_shot,
    take_out,
)
from epiphane.edits.song import set_song
from epiphane.edits.speed import (
    SHAPES,
    add_key,
    change_speed,
    curve_of,
    freeze_at,
    move_key,
    remove_key,
    reverse_shot,
    set_ramp,
    shape_speed,
    stretch_to_fit,
)
from epiphane.edits.tracks import delete_items, land_item, move_item, put_on_track, trim_item
from epiphane.errors import EditError
from epiphane.facts.source_time import source_seconds
from epiphane.files.project import decode_project, encode_project
from epiphane.keying.schedule import schedule
from epiphane.render.plan import plan_frame
from epiphane.timing import COMMON_RATES, frame_at

number = st.integers(0, 7)


@st.composite
def edits(draw):
    """Return one edit of any kind, as a function from Project to Project."""
    kind, n, m = draw(st.integers(0, 60)), draw(number), draw(number)
    share = draw(st.floats(0, 1))
    ease = draw(st.sampled_from(Ease))
    rate = draw(st.sampled_from(COMMON_RATES))

    def lane(p):
        return p.lanes[n % len(p.lanes)].id

    def shot(p):
        return p.shots[n % len(p.shots)].id

    def some(p):
        return [one.id for one in p.shots[n : n + m + 1]]

    def item(p):
        items = [one.id for track in p.tracks for one in track.items]
        return items[m % len(items)]

    def frame(p):
        return int(share * p.n_frames)

    def cues(p):
        lane_id = lane(p)
        hits = [cue.hit.time for cue in schedule(p).lane(lane_id).cues]
        return [(lane_id, time) for time in hits[m : m + 1 + n]]

    def pulse(p):
        p, made = ensure_pulse(p, draw_unit, every=m + 1)
        return add_lane(p, "zoom", made)

    draw_unit = draw(st.sampled_from(PulseUnit))
    choices = (
        lambda p: add_lane(p, "flash", p.pulses[n % len(p.pulses)].id),
        pulse,
        lambda p: remove_lane(p, lane(p)),
        lambda p: move_lane(p, lane(p), to=m),
        lambda p: change_lane(p, lane(p), depth=share, muted=n > m, wander=1 - share),
        lambda p: change_envelope(p, lane(p), rise=n, hold=m, fall_ease=ease),
        lambda p: set_setting(p, lane(p), Setting("opacity", 100 * share, 0.0)),
        lambda p: reset_setting(p, lane(p), "opacity"),
        lambda p: fire_by(p, lane(p), p.pulses[m % len(p.pulses)].id),
        lambda p: toggle_cues(p, cues(p)),
        lambda p: scale_cues(p, cues(p), 0.5 + share),
        lambda p: nudge_cues(p, cues(p), n - m),
        lambda p: reset_cues(p, cues(p)),
        lambda p: set_cue_strength(p, cues(p), 2 * share),
        lambda p: take_cues(p, cues(p)),
        lambda p: change_cue_envelope(p, cues(p), rise=m, fall=n, rise_ease=ease),
        lambda p: set_cue_effect(p, cues(p), ["blur", "flash", None][m % 3]),
        lambda p: set_cue_setting(p, cues(p), Setting("opacity", 100 * share)),
        lambda p: change_lane(p, lane(p), shots=(shot(p),), trigger=list(Trigger)[m % 4]),
        lambda p: use_recipe(p, recipe_of(p, [one.id for one in p.lanes[: 1 + m]], "stack")),
        lambda p: lay_in_row(p, [FootageId(1 + n % 2)]),
        lambda p: take_out(p, [shot(p)]),
        lambda p: stretch_shot(p, shot(p), n_beats=1 + m % 3),
        lambda p: move_shot(p, shot(p), 1 if n > m else -1),
        lambda p: exchange_shots(p, shot(p), [FootageId(1 + m % 2)] * (1 + n % 3)),
        lambda p: pin_shot(p, shot(p), Pin(7 * share, p.song.beats[(n + m) % 8].time)),
        lambda p: change_speed(p, shot(p), 0.25 + share),
        lambda p: fill_song(p, order=list(Order)[m % 3], seed=n),
        lambda p: move_beat(p, 1 + n, p.song.beats[1 + n].time + 0.1 * (share - 0.5), n_following=m),
        lambda p: slip_shot(p, shot(p), source_start=9 * share),
        lambda p: set_rate(p, rate),
        lambda p: set_song(set_size(p, width=64, height=2 + 2 * m), a_song(tempo=90 + 10 * n)),
        lambda p: roll_cut(p, shot(p), frame(p)),
        lambda p: trim_end(p, shot(p), frame(p), ripple=n > m),
        lambda p: trim_start(p, shot(p), frame(p), ripple=n > m),
        lambda p: slide_shots(p, some(p), 10 * (n - m)),
        lambda p: slip_shots(p, some(p), 10 * (n - m)),
        lambda p: split_at(p, [frame(p), frame(p) // 2]),
        lambda p: join_shots(p, some(p)),
        lambda p: delete_shots(p, some(p), ripple=n > m),
        lambda p: close_gap(p, frame(p)),
        lambda p: stretch_shot(p, shot(p), n_beats=1 + m, mode=list(TrimMode)[n % 3]),
        lambda p: put_footage(p, [FootageId(1 + n % 2)] * (1 + m % 3), frame(p), covers=n > m),
        lambda p: move_shots(p, some(p), p.shots[m % len(p.shots)].end),
        lambda p: paste_shots(p, p.shots[n : n + m + 1], frame(p), covers=n > m),
        lambda p: swap_shots(p, shot(p), p.shots[m % len(p.shots)].id),
        lambda p: shots_every(p, shot(p), n_beats=1 + m),
        lambda p: change_shot(p, shot(p), is_locked=n > m),
        lambda p: reverse_shot(p, shot(p)),
        lambda p: freeze_at(p, shot(p), frame(p), 1 + 5 * m),
        lambda p: stretch_to_fit(p, shot(p), frame(p), list(TrimMode)[m % 3]),
        lambda p: shape_speed(p, shot(p), SHAPES[n % len(SHAPES)].key, frame(p), beat=15, n_frames=1 + m),
        lambda p: add_key(p, shot(p), 10 * (n - m)),
        lambda p: move_key(p, shot(p), m % len(curve_of(p.shots[n % len(p.shots)])), frame=n, speed=share),
        lambda p: put_on_track(p, FootageId(1 + n % 2), frame(p), p.tracks[m % 3].id if n > 3 else None)[0],
        lambda p: move_item(p, item(p), frame(p)),
        lambda p: trim_item(p, item(p), start=frame(p) if n > m else None, end=frame(p) + 9),
        lambda p: land_item(p, item(p), Pin(2 * share, p.song.beats[(n + m) % 8].time)),
        lambda p: delete_items(p, [item(p)]),
        lambda p: remove_footage(p, [FootageId(1 + n % 2)]) if n == m else p,
        lambda p: set_ramp(remove_key(p, shot(p), 0), shot(p), m % 2, list(Ramp)[n % 5]),
    )
    return choices[kind]


def _row_is_whole(project):
    """Shots never overlap, ask only for frames that exist, and show their moment on its hit's frame."""
    for shot in project.shots:
        footage = next(one for one in project.footage if one.id == shot.footage)
        for frame in {shot.start, shot.start + shot.n_frames // 2, shot.start + shot.n_frames - 1}:
            assert 0 <= source_seconds(shot, footage, frame, project.rate) < footage.duration
        if shot.pin is not None:
            frame = frame_at(shot.pin.hit, project.rate)
            assert shot.start <= frame < shot.start + shot.n_frames
            shown = source_seconds(shot, footage, frame, project.rate)
            assert shown == pytest.approx(shot.pin.moment, abs=1e-6)
    ends = [shot.start + shot.n_frames for shot in project.shots]
    starts = [shot.start for shot in project.shots]
    return all(end <= start for end, start in zip(ends, starts[1:], strict=False)) and (
        not ends or ends[-1] <= project.n_frames
    )


@settings(max_examples=120)
@given(st.lists(edits(), max_size=14))
def test_any_edits_undone_give_back_the_first_project(some):
    first = a_project()
    history = History(first)
    states = [first]
    for edit in some:
        before = encode_project(history.present)
        try:
            after = edit(history.present)
        except (EditError, ZeroDivisionError, IndexError):  # no lane, shot or key to change
            continue
        assert encode_project(history.present) == before  # the input was not written into
        if after != history.present:
            history.record(after, "edit")
            states.append(after)
        assert decode_project(encode_project(after), where="it") == after
        assert _row_is_whole(after)
        assert list(broken_laws(after)) == []
    for state in reversed(states[:-1]):
        history.undo()
        assert history.present == state
    assert history.present is first
    for state in states[1:]:
        history.redo()
        assert history.present == state
    assert history.redo_label is None


@settings(max_examples=60)
@given(st.lists(edits(), min_size=1, max_size=8))
def test_a_schedule_carried_along_equals_a_fresh_one(some):
    project = a_project()
    carried = schedule(project)
    for edit in some:
        try:
            project = edit(project)
        except (EditError, ZeroDivisionError, IndexError):
            continue
        carried = schedule(project, carried)
    fresh = schedule(project)
    assert [one.cues for one in carried.lanes] == [one.cues for one in fresh.lanes]
    for kept, made in zip(carried.lanes, fresh.lanes, strict=True):
        assert np.array_equal(kept.levels, made.levels)
    for frame in (0, 17, project.n_frames - 1):
        assert plan_frame(project, carried, frame) == plan_frame(project, fresh, frame)


def test_edits_of_one_gesture_are_one_step():
    history = History(a_project())
    for depth in (0.9, 0.8, 0.7):
        lane = history.present.lanes[0].id
        history.record(change_lane(history.present, lane, depth=depth), "depth", gesture="depth")
    history.end_gesture()
    history.record(set_rate(history.present, Fraction(24)), "rate", gesture="depth")
    history.undo()
    assert history.present.lanes[0].depth == 0.7
    history.undo()
    assert history.present == a_project()
    assert (history.undo_label, history.redo_label) == (None, "depth")
