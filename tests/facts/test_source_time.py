import pytest
from helpers import a_project, some_footage
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.facts.source_time import gaps_between, shown_span


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(1, 5)), max_size=8), st.integers(0, 30))
def test_gaps_are_what_no_shot_covers(lengths, first):
    project, frame = a_project(n_shots=1), 0
    shots = []
    for gap, n_frames in lengths:
        shots.append(replace(project.shots[0], id=len(shots) + 1, start=frame + gap, n_frames=n_frames))
        frame += gap + n_frames
    project = replace(project, shots=tuple(shots))
    covered = {n for shot in shots for n in range(shot.start, shot.end)}
    found = gaps_between(project, first, first + 6)
    assert all(not covered & set(range(*gap)) for gap in found)
    black = set(range(first, min(first + 6, project.n_frames))) - covered if shots else set()
    assert black <= {n for gap in found for n in range(*gap)}


@pytest.mark.parametrize(
    ("bounds", "shown"),
    [
        (None, (1, 6)),
        ((2, 4), (2, 4)),
        ((0, 9), (1, 6)),
        ((6, 8), (1, 6)),
        ((0, 1), (1, 6)),
        ((7, 9), (1, 6)),
    ],
)
def test_bounds_count_as_far_as_they_lie_in_the_part_that_is_used(bounds, shown):
    footage = replace(some_footage(1), used_from=1.0, used_to=6.0)
    shot = a_project(n_shots=1).shots[0]
    assert shown_span(replace(shot, content=replace(shot.content, bounds=bounds)), footage) == shown
