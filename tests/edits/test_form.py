"""The form of a song as the user has it: parts and drops, and that they stand whatever becomes of it."""

from itertools import pairwise

import numpy as np
import pytest
from helpers import a_project, a_song
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.pick import Pick
from epiphane.document.project import with_lanes
from epiphane.document.song import PART_KINDS, Section
from epiphane.edits.song.beats import double_beats, halve_beats, shift_one
from epiphane.edits.song.form import (
    SaidPart,
    as_heard,
    join_part,
    move_drop,
    move_part,
    put_drop,
    remove_drop,
    rename_part,
    say_form,
    set_part_kind,
    split_part,
)
from epiphane.edits.song.song import set_song
from epiphane.edits.song.trim import trim_song
from epiphane.errors import EditError
from epiphane.facts.form import part_at, parts_of

HEARD = (
    *(Section(0.0, 4.0, "A", "calm", 0.2), Section(4.0, 6.0, "A", "calm", 0.4)),
    *(Section(6.0, 8.0, "B", "build", 0.5), Section(8.0, 16.0, "C", "full", 0.9)),
)


def heard_project():
    project = a_project()
    return replace(project, song=replace(project.song, sections=HEARD, drops=(8.0,)))


def edges(project):
    return [part.start for part in parts_of(project.song)]


def test_neighbours_that_are_alike_read_as_one():
    project = heard_project()
    assert [(one.start, one.end, one.label) for one in parts_of(project.song)] == [
        *((0.0, 6.0, "A calm"), (6.0, 8.0, "B build"), (8.0, 16.0, "C full")),
    ]
    assert parts_of(project.song)[0].energy == pytest.approx(0.267, abs=1e-3)
    assert part_at(project.song, 5.0) == 0 and part_at(None, 1.0) is None


EDITS = st.lists(
    st.one_of(
        st.tuples(st.just("move"), st.integers(0, 6), st.integers(0, 32)),
        st.tuples(st.just("split"), st.integers(0, 32), st.none()),
        st.tuples(st.just("join"), st.integers(0, 6), st.none()),
        st.tuples(st.just("name"), st.integers(0, 6), st.sampled_from(["Verse", "A", " ", "x" * 60])),
        st.tuples(st.just("kind"), st.integers(0, 6), st.sampled_from([*PART_KINDS, "loud"])),
    ),
    max_size=8,
)


@given(EDITS)
def test_parts_always_cover_the_song_each_a_beat_long_at_least(steps):
    project = heard_project()
    for what, first, second in steps:
        edit = {
            "move": lambda p, a=first, b=second: move_part(p, a, b / 2),
            "split": lambda p, a=first: split_part(p, a / 2),
            "join": lambda p, a=first: join_part(p, a),
            "name": lambda p, a=first, b=second: rename_part(p, a, b),
            "kind": lambda p, a=first, b=second: set_part_kind(p, a, b),
        }[what]
        try:
            project = edit(project)
        except EditError:
            continue
        parts = parts_of(project.song)
        assert parts[0].start == 0 and parts[-1].end == 16
        assert all(one.end == other.start for one, other in pairwise(parts))
        assert min(one.end - one.start for one in parts) >= 0.5 - 1e-6
        assert any(one.is_own for one in parts)


def test_what_was_picked_in_a_part_stays_in_it_when_it_is_called_otherwise():
    project = heard_project()
    lane = replace(project.lanes[0], pick=Pick(sections=("B build", "C full")))
    project = set_part_kind(rename_part(with_lanes(project, (lane,)), 1, "Rise"), 1, "break")
    assert project.lanes[0].pick.sections == ("Rise break", "C full")
    part = parts_of(project.song)[1]
    assert (part.name, part.kind, part.is_own, part.energy < 0.3) == ("Rise", "break", True, True)


def own_project():
    project = put_drop(remove_drop(move_part(heard_project(), 1, 5.0), 0), 12.0)
    return set_part_kind(project, 2, "break")


@pytest.mark.parametrize("edit", [halve_beats, double_beats, shift_one])
def test_what_the_user_set_stands_when_beats_are_corrected(edit):
    project = own_project()
    after = edit(project).song
    assert after.sections == project.song.sections
    assert (after.drops, after.has_own_drops) == ((12.0,), True)


def test_what_the_user_set_stands_through_trims_listening_again_and_another_song():
    project = own_project()
    trimmed = trim_song(project, 2.0, 14.0)
    assert edges(trimmed) == [0.0, 3.0, 6.0] and trimmed.song.drops == (10.0,)
    assert edges(trim_song(trimmed, 0.0, 16.0)) == edges(project)
    # Listened to again: other parts were heard, and those of the user stand among them.
    parts = (Section(0.0, 3.0, "X", "full", 0.9), Section(3.0, 16.0, "Y", "calm", 0.1))
    again = replace(a_song(), sections=parts, drops=(3.0,))
    heard = set_song(project, again)
    assert edges(heard) == edges(project) and heard.song.drops == (12.0,)
    untouched = set_song(heard_project(), again)
    assert edges(untouched) == [0.0, 3.0] and untouched.song.drops == (3.0,)
    # Another song at another tempo: bar by bar.
    faster = set_song(project, replace(a_song(tempo=160, n_beats=48), fingerprint="e" * 32))
    np.testing.assert_allclose(edges(faster)[1:3], np.array([5.0, 8.0]) * 0.75, atol=1e-3)
    assert faster.song.drops == (pytest.approx(9.0, abs=1e-3),)
    assert as_heard(own_project(), HEARD, (8.0,)).song == heard_project().song


def test_drops_are_put_moved_and_taken_away_anywhere_in_the_song():
    project = put_drop(heard_project(), 2.0)
    assert project.song.drops == (2.0, 8.0)
    assert move_drop(project, 0, 11.0).song.drops == (8.0, 11.0)
    assert move_drop(project, 0, 99.0).song.drops[-1] < 16.0
    for seconds in (-1.0, 16.0):
        with pytest.raises(EditError, match="lies in the song"):
            put_drop(project, seconds)


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        ([SaidPart(0.0, 4.0, "calm"), SaidPart(3.0, 8.0, "full")], "overlaps"),
        ([SaidPart(1.0, 1.2, "calm")], "shorter than a beat"),
        ([SaidPart(8.0, 20.0, "full")], "reaches beyond"),
        ([SaidPart(8.0, 12.0, "loud")], "one of calm, build, full, break"),
    ],
)
def test_parts_that_cannot_be_are_refused_in_a_sentence(parts, words):
    with pytest.raises(EditError, match=words):
        say_form(heard_project(), parts, ())


def test_what_is_said_of_some_parts_leaves_the_others_as_they_were_heard():
    project = say_form(heard_project(), [SaidPart(5.0, 9.0, "break")], [3.0, 9.0])
    assert [(one.start, one.end, one.kind, one.is_own) for one in parts_of(project.song)] == [
        (0.0, 5.0, "calm", False),
        (5.0, 9.0, "break", True),
        (9.0, 16.0, "full", False),
    ]
    assert project.song.drops == (3.0, 9.0)
