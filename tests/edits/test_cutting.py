"""Cutting by hand: what an edit does not mean stays, to the picture; what cannot be done is said."""

import pytest
from helpers import a_project, some_footage, some_still
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, ItemId
from epiphane.document.timeline import Pin, Ramp, SpeedKey, cut_of
from epiphane.edits.shots.arranging import move_shots, paste_shots, put_footage, shots_every, swap_shots
from epiphane.edits.shots.cutting import (
    TrimMode,
    close_gap,
    delete_shots,
    end_shot,
    join_shots,
    roll_cut,
    slide_shots,
    slip_shots,
    split_at,
    stretch_shot,
    trim_end,
    trim_start,
)
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.shots.shots import change_shot, pin_shot
from epiphane.edits.shots.speed import (
    SHAPES,
    add_key,
    change_speed,
    curve_of,
    freeze_at,
    move_key,
    remove_key,
    reverse_shot,
    shape_speed,
    stretch_to_fit,
)
from epiphane.errors import EditError
from epiphane.facts.source_time import running_seconds, shot_at
from epiphane.files.project import decode_project, encode_project
from epiphane.timing import frame_at

FRAMES = st.integers(0, 479)
A, B, C = (ItemId(100 + n) for n in range(3))


def row(**changes):
    """Return eight shots of a bar each (60 frames) of two clips in turn, in a song of 480 frames."""
    return fill_song(replace(a_project(n_shots=0, n_lanes=0), **changes))


def seen(project):
    """Return what every frame shows: the footage and its instant, or None where there is no shot."""
    made = []
    for frame in range(project.n_frames):
        shot = shot_at(project, frame)
        made.append(shot and (shot.footage, round(running_seconds(shot, frame, project.rate), 6)))
    return made


def places(project):
    return [(shot.start, shot.end) for shot in project.shots]


@given(st.integers(0, 6), FRAMES)
def test_a_rolled_cut_changes_only_which_of_both_shots_is_seen(number, frame):
    project = row()
    rolled = roll_cut(project, project.shots[number].id, frame)
    at, cut = rolled.shots[number].end, project.shots[number].end
    assert at == min(max(frame, 60 * number + 1), 60 * number + 119)
    before, after = seen(project), seen(rolled)
    low, high = sorted((at, cut))
    assert (before[:low], before[high:]) == (after[:low], after[high:])


@given(st.integers(0, 7), FRAMES)
def test_a_split_shows_what_was_seen_and_joining_gives_it_back(number, frame):
    project = change_speed(row(), row().shots[number].id, (SpeedKey(5, 2.0, Ramp.IN), SpeedKey(40, -1.0)))
    if frame % 60 == 0:
        with pytest.raises(EditError, match="no shot to be split"):
            split_at(project, [frame])
        return
    split = split_at(project, [frame])
    assert len(split.shots) == 9
    assert close(seen(split), seen(project))
    chosen = [shot.id for shot in split.shots if shot.start // 60 == frame // 60]
    assert close(seen(join_shots(split, chosen)), seen(project))


def close(one, other):
    return all(
        a == b or (a is not None and b is not None and a[0] == b[0] and abs(a[1] - b[1]) < 1e-5)
        for a, b in zip(one, other, strict=True)
    )


def test_a_ripple_moves_all_that_follows_and_a_trim_alone_leaves_or_takes_a_gap():
    project = row()
    shorter = trim_end(project, B, 100, ripple=True)
    assert places(shorter)[1:3] == [(60, 100), (100, 160)]
    assert seen(shorter)[100:400] == seen(project)[120:420]
    assert shot_at(shorter, 470) is None  # the row ends earlier: nothing is made up
    alone = trim_end(project, B, 100, ripple=False)
    assert places(alone)[1:3] == [(60, 100), (120, 180)]
    assert trim_end(alone, B, 150, ripple=False) == project  # up to the next one and no further
    late = trim_start(project, B, 80, ripple=False)
    assert (places(late)[1], seen(late)[80:]) == ((80, 120), seen(project)[80:])
    rippled = trim_start(project, B, 80, ripple=True)
    assert (places(rippled)[1], seen(rippled)[60:400]) == ((60, 100), seen(project)[80:420])
    assert close_gap(alone, 110) == replace(shorter, next_id=alone.next_id)
    with pytest.raises(EditError, match="no gap between shots here"):
        close_gap(project, 110)


def test_what_is_pushed_over_the_end_of_the_song_is_cut_off_there():
    longer = stretch_shot(row(), A, n_beats=6, mode=TrimMode.RIPPLE)
    assert places(longer)[0] == (0, 90)
    assert places(longer)[-1] == (450, 480)
    assert len(stretch_shot(row(), A, n_beats=32, mode=TrimMode.RIPPLE).shots) == 1


def test_a_longer_shot_takes_pushes_or_covers_as_is_said_and_never_swallows():
    project = row()
    assert places(end_shot(project, A, 100))[:2] == [(0, 100), (100, 120)]
    with pytest.raises(EditError, match="clip2 after it has 60 frames and cannot give 70: push the rest"):
        end_shot(project, A, 130)
    assert places(end_shot(project, A, 130, TrimMode.RIPPLE))[:2] == [(0, 130), (130, 190)]
    assert places(end_shot(project, A, 130, TrimMode.OVERWRITE))[:2] == [(0, 130), (130, 180)]


def test_shots_slide_between_their_neighbours_and_slip_within_their_place():
    project = row()
    slid = slide_shots(project, [B, C], 20)
    assert places(slid)[:4] == [(0, 80), (80, 140), (140, 200), (200, 240)]
    assert seen(slid)[80:200] == seen(project)[60:180]
    assert places(slide_shots(project, [B], -500))[:2] == [(0, 1), (1, 61)]
    assert places(slide_shots(project, [B], 500))[:3] == [(0, 119), (119, 179), (179, 180)]
    slipped = slip_shots(project, [B], 15)
    assert places(slipped) == places(project)
    assert close(seen(slipped)[60:100], seen(project)[75:115])


def test_deleted_shots_leave_a_gap_or_are_closed_up():
    project = row()
    assert seen(delete_shots(project, [B, C], ripple=False))[60:180] == [None] * 120
    closed = delete_shots(project, [B, C], ripple=True)
    assert (len(closed.shots), seen(closed)[60:360]) == (6, seen(project)[180:480])


def test_clips_are_put_between_shots_or_over_them():
    project = row()
    inserted = put_footage(project, [FootageId(1), FootageId(2)], 60, covers=False)
    assert places(inserted)[:4] == [(0, 60), (60, 120), (120, 180), (180, 240)]
    assert seen(inserted)[180:] == seen(project)[60:360]
    over = put_footage(project, [FootageId(2)], 90, covers=True)
    assert places(over)[1:4] == [(60, 90), (90, 150), (150, 180)]
    assert (seen(over)[:90], seen(over)[150:]) == (seen(project)[:90], seen(project)[150:])
    with pytest.raises(EditError, match="the song ends here"):
        put_footage(project, [FootageId(1)], 480, covers=True)
    sound = replace(some_footage(9), kind=FootageKind.SOUND)
    with pytest.raises(EditError, match="clip9 is a sound"):
        put_footage(row(footage=(some_footage(1), sound)), [sound.id], 0, covers=True)


@given(st.sets(st.integers(0, 7), min_size=1), st.integers(0, 8))
def test_moved_shots_stand_in_their_order_before_the_place_and_nothing_is_lost(chosen, place):
    project = row()
    ids = [project.shots[number].id for number in chosen]
    moved = move_shots(project, ids, 60 * place)
    order = [shot.id for shot in project.shots]
    rest = [one for one in order if one not in ids]
    before = [one for one in order[:place] if one not in ids]
    in_order = [one for one in order if one in ids]
    assert [shot.id for shot in moved.shots] == [*before, *in_order, *rest[len(before) :]]
    assert places(moved) == places(project)


def test_copies_are_pasted_between_or_over_and_two_shots_swap_what_they_show():
    project = pin_shot(row(), B, Pin(1.25, 3.0))
    copied = project.shots[1:3]
    between = paste_shots(project, copied, 0, covers=False)
    assert [shot.footage for shot in between.shots] == [2, 1, 1, 2, 1, 2, 1, 2]
    assert between.shots[0].pin == Pin(1.25, 1.0)  # its moment is on the hit that is there
    assert seen(between)[:120] == seen(project)[60:180]
    over = paste_shots(project, copied, 390, covers=True)  # a part of it lies beyond the song
    assert places(over)[-3:] == [(360, 390), (390, 450), (450, 480)]
    # Where the nearest hit is up to two frames away the footage slips by that; else the moment is free.
    slid = [slide_shots(project, [B], 30 + off).shots[1].pin for off in range(4)]
    assert slid == [Pin(1.25, 4.0)] * 3 + [None]
    swapped = swap_shots(project, A, C)
    assert (seen(swapped)[:60], seen(swapped)[120:180]) == (seen(project)[120:180], seen(project)[:60])
    with pytest.raises(EditError, match="nothing is copied"):
        paste_shots(project, (), 0, covers=True)
    with pytest.raises(EditError, match="footage of what was copied is not in this project"):
        paste_shots(row(footage=(some_footage(1),)), copied, 0, covers=True)


def test_shots_of_so_many_beats_from_one_on_to_the_end():
    made = shots_every(row(), C, n_beats=2)
    assert places(made)[:2] == [(0, 60), (60, 120)]
    assert places(made)[2:] == [(start, start + 30) for start in range(120, 480, 30)]
    assert [shot.footage for shot in made.shots[2:]] == [1, 2] * 6
    assert seen(made)[120:150] == seen(row())[120:150]
    stills = replace(row(), footage=(some_still(1), some_still(2)))
    assert len(shots_every(stills, A, n_beats=1).shots) == 32


@pytest.mark.parametrize(
    "edit",
    [
        lambda p: roll_cut(p, B, 140),
        lambda p: trim_end(p, A, 40, ripple=True),
        lambda p: delete_shots(p, [C], ripple=False),
        lambda p: slide_shots(p, [B], 10),
        lambda p: put_footage(p, [FootageId(1)], 60, covers=False),
        lambda p: shots_every(p, A, n_beats=1),
        lambda p: move_shots(p, [A], 480),
        lambda p: split_at(p, [140]),
    ],
)
def test_a_locked_shot_stays_where_it_is_and_it_is_said(edit):
    locked = change_shot(row(), C, is_locked=True)
    with pytest.raises(EditError, match=r"clip1 at frame 120 is locked.*unlock it first"):
        edit(locked)
    assert places(roll_cut(locked, A, 50))[0] == (0, 50)


# Speed


def test_the_moment_stays_on_its_hit_whatever_is_done_to_speed():
    project = pin_shot(row(), B, Pin(1.25, 3.0))
    hit = frame_at(3.0, project.rate)
    for number in range(40):
        edits = [
            lambda p, n: change_speed(p, B, -2 + n / 10),
            lambda p, n: reverse_shot(p, B),
            lambda p, n: freeze_at(p, B, 60 + 3 * n % 60, 1 + n),
            lambda p, n: shape_speed(p, B, SHAPES[n % len(SHAPES)].key, 0, beat=15, n_frames=1 + n % 7),
            lambda p, n: stretch_to_fit(p, B, 100 + n % 19, TrimMode.ROLL),
            lambda p, n: add_key(p, B, n - 20),
        ]
        project = edits[number * 7 % 6](project, number)
        assert running_seconds(project.shots[1], hit, project.rate) == pytest.approx(1.25, abs=1e-7)
        assert decode_project(encode_project(project), where="it") == project


@given(st.integers(60, 119), st.integers(1, 40), st.booleans(), st.booleans())
def test_a_freeze_frame_holds_its_picture_and_the_rest_is_as_it_was(frame, length, is_pinned, is_curve):
    project = pin_shot(row(), B, Pin(1.25, 3.0)) if is_pinned else row()
    if is_curve:
        project = change_speed(project, B, (SpeedKey(-10, 2.0), SpeedKey(20, 0.5), SpeedKey(45, 3.0)))
    before = seen(project)[60:120]
    after = seen(freeze_at(project, B, frame, length))[60:120]
    at = frame - 60
    is_before = is_pinned and frame < 90
    held = after[max(at - length, 0) : at + 1] if is_before else after[at : at + length]
    assert close(held, [before[at]] * len(held))
    assert is_before or close(after[:at], before[:at])
    moved = before[at:] if is_before else before[at : max(60 - length, at)]
    assert close(after[60 - len(moved) :], moved)


def test_a_reversed_shot_shows_its_frames_from_the_last_to_the_first():
    project = row()
    back = reverse_shot(project, B)
    assert close(seen(back)[60:120], seen(project)[60:120][::-1])
    assert close(seen(reverse_shot(back, B)), seen(project))
    fitted = stretch_to_fit(project, A, 30, TrimMode.RIPPLE)
    assert (cut_of(fitted.shots[0]).speed, places(fitted)[:2]) == (2.0, [(0, 30), (30, 90)])


def test_points_of_a_curve_are_added_moved_between_their_neighbours_and_removed():
    project = row()
    for frame in (0, 20, 40):
        project = add_key(project, A, frame)
    project = move_key(project, A, 1, frame=90, speed=99.0)
    assert [(key.frame, key.speed) for key in curve_of(project.shots[0])] == [(0, 1.0), (39, 10.0), (40, 1.0)]
    for _ in range(3):
        project = remove_key(project, A, 0)
    assert cut_of(project.shots[0]).speed == 1.0


def test_speeds_that_cannot_be_are_refused_in_a_sentence():
    stills = replace(row(), footage=(some_still(1), some_still(2)))
    for edit in (
        lambda p: change_speed(p, A, 2.0),
        lambda p: freeze_at(p, A, 3, 3),
        lambda p: reverse_shot(p, A),
    ):
        with pytest.raises(EditError, match="a still has no speed"):
            edit(stills)
    for edit, words in (
        (lambda p: change_speed(p, A, 21.0), "speed"),
        (lambda p: change_speed(p, A, (SpeedKey(3, 1.0), SpeedKey(3, 2.0))), "must ascend"),
        (lambda p: freeze_at(p, A, 300, 3), "put the playhead within the shot"),
        (lambda p: freeze_at(p, A, 3, 0), "1 frame or more"),
        (lambda p: shape_speed(p, A, "none", 3, beat=15, n_frames=1), "no speed shape 'none'"),
        (lambda p: stretch_to_fit(p, A, 1, TrimMode.RIPPLE), "speed"),
    ):
        with pytest.raises(EditError, match=words):
            edit(row())
    assert places(freeze_at(row(), A, 3, 9999)) == places(row())  # never longer than the shot
