"""Places of shots are the music's: what one gives up its neighbour takes, and moments stay on hits."""

import pytest
from helpers import a_project, a_song, some_footage, some_still
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.footage import FootageKind, Moment
from epiphane.document.ids import FootageId, ItemId
from epiphane.document.project import Project
from epiphane.document.timeline import Extend, Fit, Move, Pin, cut_of, footage_item
from epiphane.edits.picture import even_size, set_rate, set_size
from epiphane.edits.shots.cutting import TrimMode, end_shot, stretch_shot
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.shots.shots import (
    beats_of_shot,
    exchange_shots,
    frame_shots,
    lay_in_row,
    move_shot,
    pin_shot,
    slip_shot,
    take_out,
)
from epiphane.edits.shots.speed import change_speed
from epiphane.edits.song.beats import set_tempo
from epiphane.edits.song.song import set_song
from epiphane.edits.song.trim import trim_song
from epiphane.errors import EditError
from epiphane.facts.grid import bar_frames, bars_of
from epiphane.facts.source_time import source_seconds
from epiphane.timing import COMMON_RATES, frame_at

A, B = FootageId(1), FootageId(2)


def empty(**changes):
    return replace(a_project(n_shots=0, n_lanes=0), **changes)


def full(**changes):
    """Return eight shots of a bar each (60 frames), A and B in turn."""
    return fill_song(empty(**changes))


def cuts(project):
    return [(shot.footage, shot.start, shot.n_frames) for shot in project.shots]


def shown(project, frame):
    shot = next(s for s in project.shots if s.start <= frame < s.start + s.n_frames)
    footage = next(f for f in project.footage if f.id == shot.footage)
    return footage.id, source_seconds(shot, footage, frame, project.rate)


def test_clips_are_laid_to_the_next_bar_line_until_the_song_is_full():
    project = stretch_shot(lay_in_row(empty(), [A]), ItemId(100), n_beats=3)
    project = lay_in_row(project, [B, A])
    assert cuts(project) == [(A, 0, 45), (B, 45, 15), (A, 60, 60)]
    project = lay_in_row(project, [B] * 20)
    assert project.shots[-1].start + project.shots[-1].n_frames == project.n_frames
    with pytest.raises(EditError, match="the song is full"):
        lay_in_row(project, [B])
    sound = replace(some_footage(3), kind=FootageKind.SOUND)
    with pytest.raises(EditError, match="clip3 is a sound"):
        lay_in_row(empty(footage=(sound,)), [sound.id])


def test_a_clip_used_again_goes_on_where_it_stopped_and_begins_anew_at_its_end():
    project = lay_in_row(empty(footage=(some_footage(1, duration=5.0),)), [A] * 5)
    assert [cut_of(shot).source_start for shot in project.shots] == [0.0, 2.0, 0.0, 2.0, 0.0]


def test_clips_dropped_on_a_shot_take_its_place_and_those_after_it():
    project = full()
    changed = exchange_shots(project, project.shots[6].id, [A, B, A])
    assert [(s.start, s.n_frames) for s in changed.shots] == [(s.start, s.n_frames) for s in project.shots]
    assert [s.footage for s in changed.shots[5:]] == [B, A, B]
    short = lay_in_row(empty(), [A])
    assert cuts(exchange_shots(short, short.shots[0].id, [B, A])) == [(B, 0, 60), (A, 60, 60)]


def test_an_exchanged_shot_hands_its_hit_to_the_best_moment():
    moment = Moment(3.0, 0.9)
    project = full(footage=(some_footage(1), replace(some_footage(2), moments=(moment,))))
    pinned = pin_shot(project, project.shots[0].id, Pin(2.0, 0.5))
    changed = exchange_shots(pinned, pinned.shots[0].id, [B])
    assert changed.shots[0].pin == Pin(3.0, 0.5)
    assert shown(changed, 15) == (B, pytest.approx(3.0))


def test_what_is_taken_out_is_taken_over():
    project = full()
    first, third, fourth = (project.shots[n].id for n in (0, 2, 3))
    without = take_out(project, [first, third, fourth])
    assert cuts(without)[:2] == [(B, 0, 240), (A, 240, 60)]
    for frame in (60, 100, 119):  # what was seen of the neighbours is seen as before
        assert shown(without, frame) == (B, pytest.approx(shown(project, frame)[1]))
    last = take_out(without, [without.shots[-1].id])
    assert last.shots[-1].start + last.shots[-1].n_frames == project.n_frames
    part = lay_in_row(empty(), [A, B])
    assert cuts(take_out(part, [part.shots[1].id])) == [(A, 0, 60)]
    assert take_out(part, [shot.id for shot in part.shots]).shots == ()


def test_an_end_that_moves_takes_from_the_next_shot_or_gives_to_it():
    project = full()
    second = project.shots[1].id
    longer = stretch_shot(project, second, n_beats=10, mode=TrimMode.OVERWRITE)
    assert cuts(longer)[1:4] == [(B, 60, 150), (B, 210, 30), (A, 240, 60)]
    assert beats_of_shot(longer, second) == 10
    shorter = stretch_shot(longer, second, n_beats=1)
    assert cuts(shorter)[1:3] == [(B, 60, 15), (B, 75, 165)]
    for frame in (215, 239, 250):
        for changed in (longer, shorter):
            assert shown(changed, frame) == pytest.approx(shown(project, frame))
    with pytest.raises(EditError, match="1 beat or more, got 0"):
        stretch_shot(project, second, n_beats=0)
    with pytest.raises(EditError, match=r"clip2 must end on frame 61\.\.480, got 500"):
        end_shot(project, second, 500)


def test_a_shot_moves_by_hits_with_its_moment_and_back_again():
    project = full()
    second = project.shots[1].id
    project = pin_shot(project, second, Pin(1.25, 3.0))
    assert shown(project, 90)[1] == pytest.approx(1.25)
    moved = move_shot(project, second, 1)
    assert cuts(moved)[:3] == [(A, 0, 75), (B, 75, 60), (A, 135, 45)]
    assert moved.shots[1].pin == Pin(1.25, 3.5)
    assert shown(moved, 105)[1] == pytest.approx(1.25)
    assert cuts(move_shot(moved, second, -1)) == cuts(project)
    with pytest.raises(EditError, match="no hit to move"):
        move_shot(project, project.shots[-1].id, 1)
    moved = move_shot(move_shot(moved, second, 1), second, 1)
    assert cuts(moved)[2] == (A, 165, 15)
    with pytest.raises(EditError, match="the shot after would have nothing left"):
        move_shot(moved, second, 1)


def test_slipping_stays_within_the_footage_and_lets_go_of_the_hit():
    project = pin_shot(full(), ItemId(100), Pin(1.0, 0.5))
    shot = project.shots[0].id
    assert cut_of(slip_shot(project, shot, source_start=-1).shots[0]).source_start == 0
    late = slip_shot(project, shot, source_start=99).shots[0]
    assert (cut_of(late).source_start, late.pin) == (pytest.approx(8 - 1 / 30), None)
    with pytest.raises(EditError, match="the hit is not within the shot"):
        pin_shot(project, shot, Pin(1.0, 5.0))
    with pytest.raises(EditError, match="not in the used part of clip1"):
        pin_shot(project, shot, Pin(9.0, 0.5))


@given(
    st.floats(0.05, 6),
    st.floats(0.1, 3),
    st.sampled_from(COMMON_RATES),
    st.sampled_from(COMMON_RATES),
    st.integers(0, 3),
)
def test_a_moment_stays_on_its_hit_whatever_is_done_to_the_song(moment, speed, rate, other_rate, beat):
    project = fill_song(empty(song=a_song(tempo=113, start=0.4), rate=rate))
    shot = project.shots[2]
    inside = [b.time for b in project.song.beats if shot.start <= frame_at(b.time, rate) < _end(shot)]
    project = change_speed(pin_shot(project, shot.id, Pin(moment, inside[beat])), shot.id, speed)
    changes = (
        lambda p: set_rate(p, other_rate),
        lambda p: set_tempo(p, 101.0),
        lambda p: trim_song(p, p.song.beats[1].time, p.song.duration),
        lambda p: set_song(p, a_song(tempo=97, start=0.2)),
    )
    for change in changes:
        changed = change(project)
        now = next(s for s in changed.shots if s.id == shot.id)
        assert now.pin is not None
        assert min(abs(b.time - now.pin.hit) for b in changed.song.beats) < 1e-5
        assert shown(changed, frame_at(now.pin.hit, changed.rate))[1] == pytest.approx(moment, abs=1e-6)


def _end(shot):
    return shot.start + shot.n_frames


@given(
    st.floats(-30, 30),
    st.floats(0.05, 8),
    st.sampled_from(Extend),
    st.floats(0, 3),
    st.floats(0.02, 5),
    st.sampled_from([*COMMON_RATES[:3], 7]),
)
def test_a_shot_never_asks_for_what_is_not_there(source_start, speed, beyond, used_from, length, rate):
    footage = replace(some_footage(1), used_from=used_from, used_to=used_from + length, rate=rate * 1)
    shot = footage_item(ItemId(1), A, 0, 200, source_start=source_start, speed=speed, extend=beyond)
    seen = [source_seconds(shot, footage, frame, COMMON_RATES[4]) for frame in range(200)]
    assert min(seen) >= used_from
    assert max(seen) < used_from + length


def test_beyond_its_ends_a_clip_goes_back_or_begins_again():
    clip = replace(some_footage(1, duration=1.0), rate=COMMON_RATES[4])
    pictures = {
        beyond: [
            int(
                source_seconds(footage_item(ItemId(1), A, 0, 70, extend=beyond), clip, n, COMMON_RATES[4])
                * 30
                + 0.01
            )
            for n in range(70)
        ]
        for beyond in (Extend.MIRROR, Extend.REPEAT)
    }
    there, back = list(range(30)), list(range(29, -1, -1))
    assert pictures[Extend.MIRROR] == (there + back + there)[:70]
    assert pictures[Extend.REPEAT] == (there * 3)[:70]


def test_framing_is_checked_and_stills_are_pushed_in_on():
    project = lay_in_row(empty(footage=(some_still(1),)), [A])
    assert project.shots[0].transform.move is Move.PUSH
    framed = frame_shots(project, [project.shots[0].id], fit=Fit.WHOLE, scale=1.5)
    assert (framed.shots[0].transform.fit, framed.shots[0].transform.scale) == (Fit.WHOLE, 1.5)
    with pytest.raises(EditError, match=r"transform: .*<= 20.*scale"):
        frame_shots(project, [project.shots[0].id], scale=99.0)
    with pytest.raises(EditError, match="a still has no moment"):
        pin_shot(project, project.shots[0].id, Pin(0.0, 0.5))


@given(st.sampled_from(COMMON_RATES), st.sampled_from(COMMON_RATES))
def test_cuts_stay_on_their_bars_at_another_rate(first, second):
    project = fill_song(empty(rate=first, song=a_song(tempo=113, start=0.9)))
    other = set_rate(project, second)
    assert [shot.start for shot in other.shots] == bar_frames(bars_of(project), second)[:-1]
    assert set_rate(other, first).shots == project.shots


def test_cuts_stay_on_their_bars_with_another_song():
    project = full()
    other = set_song(project, a_song(tempo=100, n_beats=32, start=0.3))
    lines = bar_frames(bars_of(other), other.rate)
    assert all(shot.start in lines for shot in other.shots)
    shorter = set_song(project, a_song(tempo=120, n_beats=8))
    assert sum(shot.n_frames for shot in shorter.shots) == shorter.n_frames


@given(st.integers(1, 20_000), st.integers(1, 20_000))
def test_any_size_becomes_one_that_can_be_written(width, height):
    size = even_size(width, height)
    project = set_size(Project(), width=size[0], height=size[1])
    assert (project.width, project.height) == size


@pytest.mark.parametrize(("width", "height"), [(1281, 720), (0, 720), (1280, 9000)])
def test_a_size_that_cannot_be_written_is_refused(width, height):
    with pytest.raises(EditError, match="must be an even number of pixels"):
        set_size(Project(), width=width, height=height)
