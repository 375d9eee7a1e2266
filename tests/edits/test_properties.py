"""Whatever is done can be undone, and every state in between can be saved and opened."""

from fractions import Fraction
from typing import get_args

import numpy as np
import pytest
from any_edit import a_rich_project, all_edits, applied
from helpers import a_project
from hypothesis import given, settings
from hypothesis import strategies as st

from epiphane.document.footage import FootageKind
from epiphane.document.lane import Trigger
from epiphane.document.laws import broken_laws
from epiphane.document.pulse import Source
from epiphane.document.timeline import Content
from epiphane.edits.history import History
from epiphane.edits.keying.lanes import change_lane
from epiphane.edits.picture import set_rate
from epiphane.errors import EditError
from epiphane.facts.source_time import source_seconds
from epiphane.files.changes import changes_between, with_changes_done
from epiphane.files.project import decode_json, decode_project, encode_compactly, encode_project
from epiphane.keying.schedule import schedule
from epiphane.render.plan import plan_frame
from epiphane.timing import frame_at

EDITS = st.tuples(st.sampled_from(sorted(all_edits())), st.integers(0, 1 << 30))
"""An edit, and the chance by which its arguments are chosen."""


def _row_is_whole(project):
    """Shots never overlap, ask only for frames that exist, and show their moment on its hit's frame."""
    for shot in project.shots:
        if shot.footage is None:
            continue  # a split screen
        footage = next(one for one in project.footage if one.id == shot.footage)
        for frame in {shot.start, shot.start + shot.n_frames // 2, shot.start + shot.n_frames - 1}:
            shown = source_seconds(shot, footage, frame, project.rate)
            assert 0 <= shown < footage.duration or (shown == 0 and footage.kind is FootageKind.STILL)
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


def test_every_edit_can_be_done():
    project = a_rich_project()

    def changes(name, seed):
        try:
            return applied(project, name, seed) != project
        except EditError:
            return False

    assert [name for name in all_edits() if not any(changes(name, seed) for seed in range(400))] == []


@settings(max_examples=120)
@given(st.lists(EDITS, max_size=14))
def test_any_edits_undone_give_back_the_first_project(some):
    first = a_rich_project()
    history = History(first)
    states = [first]
    for edit in some:
        before = encode_project(history.present)
        try:
            after = applied(history.present, *edit)
        except EditError:  # it cannot be done, or there is nothing to do it with
            continue
        assert encode_project(history.present) == before  # the input was not written into
        assert decode_project(encode_project(after), where="it") == after
        written = decode_json(encode_compactly(changes_between(history.present, after)))
        recovered = with_changes_done(decode_json(before), written)
        assert decode_project(encode_compactly(recovered), where="its journal") == after
        assert _row_is_whole(after)
        assert list(broken_laws(after)) == []
        if after != history.present:
            history.record(after, "edit")
            states.append(after)
    for state in reversed(states[:-1]):
        history.undo()
        assert history.present == state
    assert history.present is first
    for state in states[1:]:
        history.redo()
        assert history.present == state
    assert history.redo_label is None


@settings(max_examples=60)
@given(st.lists(EDITS, min_size=1, max_size=8))
def test_a_schedule_carried_along_equals_a_fresh_one(some):
    project = a_rich_project()
    carried = schedule(project)
    for edit in some:
        try:
            project = applied(project, *edit)
        except EditError:
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


def test_the_project_that_edits_are_tried_on_has_every_kind_of_thing():
    """So each edit, save and plan meets each member of each union of the document, also one that is new."""
    project = a_rich_project()
    items = [*project.shots, *(item for track in project.tracks for item in track.items)]
    assert {type(pulse.source) for pulse in project.pulses} == set(get_args(Source))
    assert {type(item.content) for item in items} == set(get_args(Content))
    assert {lane.trigger for lane in project.lanes} == set(Trigger)
