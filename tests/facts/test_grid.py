from itertools import pairwise

import pytest
from helpers import a_song, some_footage
from hypothesis import given
from hypothesis import strategies as st

from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.timeline import footage_item
from epiphane.facts.grid import bar_at, bar_frames, bars_of

songs = st.builds(
    a_song,
    tempo=st.floats(50, 200),
    n_beats=st.integers(0, 60),
    start=st.floats(0, 9),
)


@given(songs)
def test_bars_cover_the_song_without_gaps(song):
    bars = bars_of(Project(song=song))
    assert bars[0].start == 0
    assert bars[-1].end >= min(song.duration, 2.0) - 1e-9
    assert all(one.end == after.start for one, after in pairwise(bars))
    assert all(bar.duration > 0 for bar in bars)
    assert [bar.number for bar in bars] == list(range(bars[0].number, bars[0].number + len(bars)))


@given(songs)
def test_every_beat_is_in_exactly_one_bar(song):
    bars = bars_of(Project(song=song))
    lines = [beat.time for beat in song.beats if beat.place == 1]
    if len(lines) >= 2:
        assert [time for bar in bars for time in bar.beats] == [beat.time for beat in song.beats]
        first = bars[bar_at(bars, lines[0] + 1e-9)]
        assert first.number == 1
        # What is left before it is a bar of its own, unless it is too short to be seen.
        assert first.start == (pytest.approx(lines[0]) if lines[0] > 0.2 else 0)


def test_bars_go_on_beyond_the_first_and_last_beat():
    song = a_song(tempo=120, n_beats=8, start=5.0)  # bars of 2 s: at 5 and 7, the song ends at 9
    bars = bars_of(Project(song=song))
    assert [(bar.number, bar.start) for bar in bars] == [(-2, 0.0), (-1, 1.0), (0, 3.0), (1, 5.0), (2, 7.0)]


def test_without_a_song_time_is_ruled_by_the_shots():
    footage = some_footage(1)
    shots = (footage_item(ItemId(2), footage.id, 0, 150),)
    project = Project(footage=(footage,), shots=shots)
    bars = bars_of(project)
    assert bar_frames(bars, project.rate) == [0, 60, 120, 150]
    assert len(bars_of(Project())) == 1
