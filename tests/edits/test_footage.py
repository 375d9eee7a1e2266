"""What is gathered comes once, shapes the film unless that was chosen, and keeps what is said of it."""

from fractions import Fraction

import pytest
from helpers import a_project, some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.footage import FootageKind, Moment, MomentCause
from epiphane.document.ids import FootageId
from epiphane.document.project import Project
from epiphane.document.timeline import Pin, cut_of
from epiphane.edits.footage import (
    accept_moment,
    add_footage,
    add_moment,
    change_footage,
    known_already,
    learn_of_footage,
    move_moment,
    put_in_group,
    relink,
    remove_footage,
    remove_moment,
    rename_group,
    shape_by_footage,
)
from epiphane.edits.history import History
from epiphane.edits.picture import choose_shape
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.shots.shots import lay_in_row, pin_shot
from epiphane.errors import EditError
from epiphane.media.probe import FootageFacts
from epiphane.media.search import FoundInClip

A, B = FootageId(1), FootageId(2)
CLIP = FootageFacts("/a.mp4", "fa", 4.0, 1081, 1921, Fraction(25))
STILL = FootageFacts("/s.png", "fs", 0.0, 4000, 3000, Fraction(1), FootageKind.STILL)


def test_most_of_the_footage_shapes_the_film_and_no_file_comes_twice():
    copy = replace(CLIP, path="/copy.mp4")
    other = replace(CLIP, path="/b.mp4", fingerprint="fb", width=64, height=64)
    project = add_footage(Project(), [STILL, CLIP, CLIP, copy, other])
    assert (project.width, project.height, project.rate) == (1080, 1920, 25)
    assert [one.path for one in project.footage] == ["/s.png", "/a.mp4", "/b.mp4"]
    assert known_already(project, [copy, replace(CLIP, path="/c.mp4", fingerprint="fc")]) == ["/copy.mp4"]
    wide = [replace(CLIP, path=f"/w{n}.mp4", fingerprint=f"w{n}", width=1920, height=1080) for n in range(3)]
    odd = replace(CLIP, path="/a-first.mp4", fingerprint="odd", rate=Fraction(60))
    most = add_footage(Project(), [odd, *wide])
    assert (most.width, most.height, most.rate) == (1920, 1080, 25)
    assert add_footage(add_footage(Project(), [odd]), wide).width == 1920  # nothing was made of it yet
    used = lay_in_row(add_footage(Project(), [odd]), [FootageId(1)])
    assert add_footage(used, wide).width == 1080
    over = [replace(one, has_alpha=True) for one in wide]
    assert add_footage(Project(), [odd, *over]).width == 1080
    tiny = add_footage(Project(), [replace(CLIP, width=1, height=1)])
    assert (tiny.width, tiny.height) == (1280, 720)
    assert add_footage(Project(), [STILL]).width == 1280


def test_a_shape_that_was_chosen_stays_whatever_comes():
    chosen = choose_shape(Project(), width=1080, height=1080, rate=Fraction(60))
    project = add_footage(chosen, [CLIP])
    assert (project.width, project.height, project.rate) == (1080, 1080, 60)
    by_footage = shape_by_footage(project)
    assert (by_footage.width, by_footage.height, by_footage.rate) == (1080, 1920, 25)
    assert not by_footage.is_shape_chosen


def test_footage_taken_away_takes_its_shots_along_and_leaves_no_hole():
    project = replace(fill_song(a_project(n_shots=0)), filling=replace(a_project().filling, footage=(A, B)))
    without = remove_footage(project, [A])
    assert {shot.footage for shot in without.shots} == {B}
    assert sum(shot.n_frames for shot in without.shots) == without.n_frames
    assert [one.id for one in without.footage] == [B]
    assert without.filling.footage == (B,)


def test_a_part_of_a_clip_can_be_used_but_not_none():
    project = change_footage(a_project(), A, used_from=2.0, used_to=5.0)
    assert (project.footage[0].used_from, project.footage[0].end) == (2.0, 5.0)
    for changes in ({"used_from": 8.0}, {"used_to": 2.0}, {"used_from": -1.0}):
        with pytest.raises(EditError, match="at least a frame of clip1 must be used"):
            change_footage(project, A, **changes)


def test_groups_are_made_by_use_renamed_and_dissolved():
    project = put_in_group(put_in_group(a_project(), [A, B], " bridges "), [B], "loops")
    assert project.groups == ("bridges", "loops")
    assert [one.group for one in project.footage] == ["bridges", "loops"]
    joined = rename_group(project, "loops", "bridges")
    assert (joined.groups, {one.group for one in joined.footage}) == (("bridges",), {"bridges"})
    assert {one.group for one in rename_group(joined, "bridges", "").footage} == {""}


proposals = st.lists(
    st.builds(Moment, st.integers(0, 239).map(lambda n: n / 30), st.floats(0.1, 1)), max_size=6
)


@given(proposals, proposals, st.integers(0, 239))
def test_what_the_editor_said_outlives_what_is_found(first, second, frame):
    project = learn_of_footage(a_project(), some_footage(1).fingerprint, FoundInClip(tuple(first)))
    project = add_moment(project, A, frame / 30)
    project = learn_of_footage(project, some_footage(1).fingerprint, FoundInClip(tuple(second)))
    footage = project.footage[0]
    times = [moment.time for moment in footage.moments]
    assert times == sorted(times)
    assert footage.is_searched
    (accepted,) = [moment for moment in footage.moments if moment.is_accepted]
    assert accepted.time == pytest.approx(frame / 30, abs=1e-6)
    assert footage.best_moment == accepted
    assert project.footage[1] == a_project().footage[1]


def test_moments_are_accepted_moved_and_removed():
    found = FoundInClip((Moment(1.0, 0.4), Moment(2.0, 0.9)))
    project = learn_of_footage(a_project(), some_footage(1).fingerprint, found)
    project = accept_moment(project, A, 1.0, is_accepted=True)
    assert project.footage[0].best_moment.time == 1.0
    project = move_moment(project, A, 1.0, to=2.0)  # onto the other: it is that one now
    assert [(m.time, m.is_accepted) for m in project.footage[0].moments] == [(2.0, True)]
    assert remove_moment(project, A, 2.0).footage[0].moments == ()
    with pytest.raises(EditError, match=r"clip1 has no moment at 1\.00 s"):
        remove_moment(project, A, 1.0)
    assert add_moment(project, A, 99.0).footage[0].moments[-1].time == pytest.approx(8 - 1 / 30, abs=1e-6)
    still = replace(some_footage(1), kind=FootageKind.STILL)
    with pytest.raises(EditError, match="does not move"):
        add_moment(replace(project, footage=(still,)), A, 0.0)


def test_a_moved_moment_takes_its_shots_along():
    project = add_moment(fill_song(a_project(n_shots=0)), A, 2.0)
    shot = project.shots[2]
    project = pin_shot(project, shot.id, Pin(2.0, 4.5))
    moved = move_moment(project, A, 2.0, to=2.5)
    assert moved.shots[2].pin == Pin(2.5, 4.5)
    assert cut_of(moved.shots[2]).source_start == pytest.approx(cut_of(project.shots[2]).source_start + 0.5)


def test_missing_footage_is_put_in_its_new_place_with_all_that_was_said_of_it():
    project = add_moment(change_footage(a_project(), A, used_from=1.0, name="loop"), A, 6.0)
    old = project.footage[0]
    same = FootageFacts("/new/clip1.mp4", old.fingerprint, 8.0, 1280, 720, Fraction(30))
    found = relink(project, {old.path: same}).footage[0]
    assert found == replace(old, path="/new/clip1.mp4")
    shorter = replace(same, fingerprint="other", duration=3.0)
    found = relink(project, {old.path: shorter}).footage[0]
    assert (found.duration, found.name, found.moments, found.is_searched) == (3.0, "loop", (), False)
    sound = replace(same, kind=FootageKind.SOUND)
    assert relink(project, {old.path: sound}) == project


def test_what_is_learnt_is_known_at_every_step_of_undo():
    history = History(a_project())
    history.record(change_footage(history.present, A, name="one"), "name")
    history.record(change_footage(history.present, A, name="two"), "name")
    history.undo()
    moment = Moment(1.5, 0.8, MomentCause.SOUND)
    history.apply_everywhere(
        lambda p: learn_of_footage(p, some_footage(1).fingerprint, FoundInClip((moment,)))
    )
    for step, name in ((history.redo, "two"), (history.undo, "one"), (history.undo, "")):
        step()
        assert (history.present.footage[0].name, history.present.footage[0].moments) == (name, (moment,))


@pytest.mark.parametrize(
    ("rate", "film"),
    [
        (Fraction(3012, 100), 30),
        (Fraction(27019, 1000), 25),
        (15, 30),
        (12, 24),
        (120, 60),
        (Fraction(30000, 1001), Fraction(30000, 1001)),
    ],
)
def test_the_film_has_a_usual_rate_whatever_its_first_clip_has(rate, film):
    assert add_footage(Project(), [replace(CLIP, rate=Fraction(rate))]).rate == film


@pytest.mark.parametrize("change", [{"path": "/a.GIF"}, {"duration": 0.3}, {"kind": FootageKind.STILL}])
def test_what_is_no_clip_does_not_shape_the_film(change):
    project = add_footage(Project(), [replace(CLIP, width=244, height=244, **change)])
    assert (project.width, project.height, project.rate) == (1280, 720, 30)
    shaped = add_footage(project, [replace(CLIP, path="/real.mp4", fingerprint="1" * 32)])
    assert (shaped.width, shaped.height) == (1080, 1920)
