"""Where things lie on the score and what lies under a point, told without a window and without Qt."""

import subprocess
import sys
from types import SimpleNamespace

import pytest
from any_edit import a_rich_project
from helpers import a_project
from hypothesis import given, settings
from hypothesis import strategies as st

from epiphane.desk.control.selection import CuesSelection, SongSelection
from epiphane.desk.score.hit_testing import Band, CueGrip, cue_under, cues_within, shot_under, shots_within
from epiphane.desk.score.layout import LaneRows, ScoreLayout, Strip
from epiphane.edits.keying.lanes import change_envelope
from epiphane.facts.grid import bars_of
from epiphane.keying.schedule import schedule

widths = st.floats(400, 3000)
rows = st.sampled_from(LaneRows)


def laid_out(project, width, kind=LaneRows.TALL, bars_per_line=4):
    return ScoreLayout(project, bars_of(project), bars_per_line=bars_per_line, width=width, rows=kind)


@given(widths, rows, st.sampled_from([1, 2, 4, 8]), st.floats(0, 0.9999))
def test_every_instant_has_a_place_and_every_place_its_instant(width, kind, bars_per_line, share):
    project = a_rich_project()
    layout = laid_out(project, width, kind, bars_per_line)
    seconds = share * project.song.duration
    stave = layout.stave_at(seconds)
    x = layout.x_at(stave, seconds)
    assert layout.left(stave) - 1e-6 <= x <= layout.right(stave) + 1e-6
    assert layout.seconds_at(stave, x) == pytest.approx(seconds, abs=1e-6)
    assert layout.xs_of(stave, [seconds])[0] == pytest.approx(x)
    for row in layout.rows:
        place = layout.locate(x, stave.top + (row.top + row.bottom) / 2)
        assert (place.stave, place.strip, place.lane) == (stave, row.strip, row.lane)
        assert place.seconds == pytest.approx(seconds, abs=1e-6)


@given(widths, st.integers(1, 5), st.integers(0, 3), st.integers(1, 9))
@settings(max_examples=15)
def test_a_cue_is_found_at_its_peak_and_held_by_its_feet_once_it_is_selected(width, rise, hold, fall):
    project = a_project()
    lane = project.lanes[0].id
    project = change_envelope(project, lane, rise=rise, hold=hold, fall=fall)
    shown = SimpleNamespace(project=project, cues=schedule(project), selection=SongSelection())
    layout, found = laid_out(project, width), shown.cues.lane(lane)
    row = next(row for row in layout.rows if row.strip is Strip.LANE and row.lane == lane)
    for cue in found.cues[1:-1]:
        at = cue.frame / float(project.rate)
        stave = layout.stave_at(at)
        x, y = layout.x_at(stave, at), stave.top + (row.top + row.bottom) / 2
        place = layout.locate(x, y)
        assert cue_under(shown, layout, place, found.lane, x) == (cue, CueGrip.BODY)
        chosen = CuesSelection(lane, frozenset({(lane, cue.hit.time)}))
        selected = SimpleNamespace(project=project, cues=shown.cues, selection=chosen)
        frame = layout.pixels_per_second(stave, at) / float(project.rate)
        for side, grip in ((-rise, CueGrip.RISE), (hold + fall, CueGrip.FALL)):
            foot = x + side * frame
            if layout.left(stave) < foot < layout.right(stave):
                assert cue_under(selected, layout, place, found.lane, foot) == (cue, grip)


@given(widths, st.floats(0, 1), st.floats(0, 1))
def test_a_band_holds_what_it_is_drawn_over(width, one, other):
    project = a_project()
    shown = SimpleNamespace(project=project, cues=schedule(project), selection=SongSelection())
    layout = laid_out(project, width)
    stave = layout.staves[0]
    left, right = sorted(
        layout.left(stave) + share * (layout.right(stave) - layout.left(stave)) for share in (one, other)
    )
    band = Band(left, stave.top, right, stave.top + stave.height)
    first, last = (layout.seconds_at(stave, x) for x in (left, right))
    wanted = {
        (lane.lane.id, cue.hit.time)
        for lane in shown.cues.lanes
        for cue in lane.cues
        if first <= cue.hit.time <= last and cue.hit.time < stave.end
    }
    assert cues_within(shown, layout, band) == wanted
    touched = {shot_under(project, first + share * (last - first)) for share in (0, 0.25, 0.5, 0.75)}
    assert {shot.id for shot in touched if shot is not None} <= shots_within(project, layout, band)


def test_no_window_is_needed_to_know_where_things_lie():
    loads = "import sys, epiphane.desk.score.hit_testing as _; print('PyQt6' in sys.modules)"
    run = subprocess.run([sys.executable, "-c", loads], capture_output=True, text=True, check=True)
    assert run.stdout.strip() == "False"
