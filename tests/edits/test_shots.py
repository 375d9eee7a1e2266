"""Shots stand on bars, whatever is laid, stretched or taken out."""

import pytest
from helpers import a_project, a_song, some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.grid import bar_frames, bars_of
from epiphane.document.model import FootageId, Project
from epiphane.edits.footage import add_footage, remove_footage
from epiphane.edits.picture import even_size, set_rate, set_size
from epiphane.edits.shots import bars_of_shot, fill_song, lay_in_row, remove_shots, slip_shot, stretch_shot
from epiphane.edits.song import set_song
from epiphane.errors import EditError
from epiphane.media.probe import FootageFacts
from epiphane.timing import COMMON_RATES

A, B = FootageId(1), FootageId(2)


def empty(**changes):
    return replace(a_project(n_shots=0, n_lanes=0), **changes)


def cuts(project):
    return [(shot.footage, shot.start, shot.n_frames) for shot in project.shots]


@given(st.floats(60, 180), st.floats(0, 3), st.sampled_from(COMMON_RATES))
def test_a_filled_song_is_cut_on_every_bar_and_never_black(tempo, start, rate):
    project = empty(song=a_song(tempo=tempo, n_beats=40, start=start), rate=rate)
    filled = fill_song(project, [A, B])
    lines = bar_frames(bars_of(project), rate)
    assert [shot.start for shot in filled.shots] == lines[:-1]
    assert sum(shot.n_frames for shot in filled.shots) == filled.n_frames
    assert {shot.footage for shot in filled.shots} == {A, B}


def test_clips_go_to_the_end_of_the_row_or_before_a_bar():
    project = lay_in_row(lay_in_row(empty(), [A, A]), [B])
    assert cuts(project) == [(A, 0, 60), (A, 60, 60), (B, 120, 60)]
    assert cuts(lay_in_row(project, [B], bar=1)) == [(A, 0, 60), (B, 60, 60), (A, 120, 60), (B, 180, 60)]


def test_a_clip_used_again_goes_on_where_it_stopped_and_begins_anew_at_its_end():
    project = fill_song(empty(footage=(some_footage(1, duration=5.0),)), [A])
    assert [shot.source_start for shot in project.shots[:5]] == [0.0, 2.0, 0.0, 2.0, 0.0]


def test_a_longer_shot_moves_what_follows_and_the_song_cuts_it_off():
    project = fill_song(empty(), [A, B])
    second = project.shots[1].id
    longer = stretch_shot(project, second, n_bars=3)
    assert bars_of_shot(longer, second) == 3
    assert cuts(longer)[1:3] == [(B, 60, 180), (A, 240, 60)]
    assert longer.shots[-1].start + longer.shots[-1].n_frames == longer.n_frames
    fewer = remove_shots(longer, [second])
    assert cuts(fewer)[1] == (A, 60, 60)
    with pytest.raises(EditError, match="1 bar or more, got 0"):
        stretch_shot(project, second, n_bars=0)


def test_a_full_song_says_so():
    with pytest.raises(EditError, match="the song is full"):
        lay_in_row(fill_song(empty(), [A]), [B])


def test_slipping_stays_within_the_footage():
    project = fill_song(empty(), [A])
    shot = project.shots[0].id
    assert slip_shot(project, shot, source_start=-1).shots[0].source_start == 0
    assert slip_shot(project, shot, source_start=99).shots[0].source_start == pytest.approx(8 - 1 / 30)


@given(st.sampled_from(COMMON_RATES), st.sampled_from(COMMON_RATES))
def test_cuts_stay_on_their_bars_at_another_rate(first, second):
    project = fill_song(empty(rate=first, song=a_song(tempo=113, start=0.4)), [A, B])
    other = set_rate(project, second)
    assert [shot.start for shot in other.shots] == bar_frames(bars_of(project), second)[:-1]
    assert set_rate(other, first).shots == project.shots


def test_cuts_stay_on_their_bars_with_another_song():
    project = fill_song(empty(), [A, B])
    other = set_song(project, a_song(tempo=100, n_beats=32, start=0.3))
    lines = bar_frames(bars_of(other), other.rate)
    assert all(shot.start in lines for shot in other.shots)
    shorter = set_song(project, a_song(tempo=120, n_beats=8))
    assert sum(shot.n_frames for shot in shorter.shots) == shorter.n_frames


def test_the_first_footage_shapes_the_project_and_no_file_comes_twice():
    facts = FootageFacts("/a.mp4", "f", 4.0, 1081, 1921, COMMON_RATES[2])
    project = add_footage(Project(), [facts, facts, replace(facts, path="/b.mp4", width=64, height=64)])
    assert (project.width, project.height, project.rate) == (1080, 1920, 25)
    assert [one.path for one in project.footage] == ["/a.mp4", "/b.mp4"]
    tiny = add_footage(Project(), [replace(facts, width=1, height=1)])
    assert (tiny.width, tiny.height) == (1280, 720)


def test_footage_taken_away_takes_its_shots_along():
    project = fill_song(empty(), [A, B])
    without = remove_footage(project, [A])
    assert {shot.footage for shot in without.shots} == {B}
    assert [one.id for one in without.footage] == [B]


@given(st.integers(1, 20_000), st.integers(1, 20_000))
def test_any_size_becomes_one_that_can_be_written(width, height):
    size = even_size(width, height)
    project = set_size(Project(), width=size[0], height=size[1])
    assert (project.width, project.height) == size


@pytest.mark.parametrize(("width", "height"), [(1281, 720), (0, 720), (1280, 9000)])
def test_a_size_that_cannot_be_written_is_refused(width, height):
    with pytest.raises(EditError, match="must be an even number of pixels"):
        set_size(Project(), width=width, height=height)
