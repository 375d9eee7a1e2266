"""Tracks: their items lie over the shots, rows act in their order, and their laws hold."""

import json
import re

import numpy as np
import pytest
from click.testing import CliRunner
from helpers import a_project, some_footage, some_still, write_clip
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.cli import commands
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId, TrackId
from epiphane.document.lane import Lane
from epiphane.document.laws import broken_laws
from epiphane.document.project import Project, with_lanes
from epiphane.document.timeline import (
    BlendMode,
    Fit,
    Item,
    SolidFill,
    Track,
    Transform,
    footage_item,
)
from epiphane.exporting.export import export
from epiphane.files.project import load_project, save_project
from epiphane.keying.schedule import schedule
from epiphane.render.draw import draw
from epiphane.render.nodes import Shown, Solid, Stacked
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

SIZE = (96, 54)
HALF = Item(ItemId(30), 10, 20, SolidFill("#ff0000"), opacity=0.5)


def track(*items, number=40, **changes):
    return replace(Track(TrackId(number), items=items), **changes)


def layered(*rows):
    """Return a project of two flashed shots of footage with rows over its lane."""
    project = a_project(n_lanes=1)
    return replace(project, width=SIZE[0], height=SIZE[1], stack=(*project.stack, *rows))


def root_of(project, frame):
    return plan_frame(project, schedule(project), frame).root


def test_an_item_lies_over_the_shots_while_it_lasts_and_what_stands_before_it_acts_below():
    project = layered(track(HALF), Lane(LaneId(21), "negative", PulseId(5)))
    plain = root_of(a_project(n_lanes=1), 15)
    over = root_of(project, 15)  # on a beat
    assert isinstance(over.content, Stacked)
    below, layer = over.content.nodes
    assert ([one.key for one in below.effects], layer.effects) == ([one.key for one in plain.effects], ())
    assert (layer.content, layer.opacity) == (Solid((0, 0, 255)), 0.5)
    assert [one.key for one in over.effects] == ["negative"]
    for frame in (9, 30):  # before its first frame, and after its last
        assert isinstance(root_of(project, frame).content, Shown)
    assert isinstance(root_of(layered(track(HALF, is_muted=True)), 15).content, Shown)


def test_what_is_covered_is_not_in_the_plan():
    solid = replace(HALF, opacity=1.0)
    assert root_of(layered(track(solid)), 15).content == Solid((0, 0, 255))
    assert root_of(layered(track(replace(HALF, opacity=0.0))), 15) == root_of(layered(), 15)


def test_a_track_is_drawn_exported_and_kept_in_the_file(tmp_path):
    grey = write_clip(tmp_path / "grey.mp4", [np.full((54, 96, 3), 80, np.uint8)] * 40)
    footage = replace(some_footage(1, path=str(grey)), duration=40 / 30, width=96, height=54)
    logo = footage_item(ItemId(3), FootageId(1), 5, 20, transform=Transform(Fit.WHOLE, 0.5, x=0.2))
    bright = replace(logo, blend=BlendMode.ADD)
    project = Project(
        width=96,
        height=54,
        footage=(footage,),
        shots=(footage_item(ItemId(2), FootageId(1), 0, 40),),
        stack=(track(bright),),
        next_id=50,
    )
    save_project(project, tmp_path / "edit.epiphane")
    assert load_project(tmp_path / "edit.epiphane") == project
    out = tmp_path / "plan.json"
    CliRunner().invoke(commands, ["plan", str(tmp_path / "edit.epiphane"), "--json", str(out)])
    (item,) = json.loads(out.read_text())["items"]
    assert item == {"track": 40, "frame": 5, "n_frames": 20, "content": "footage", "landing_frame": None}
    footage_files, cues = OpenFootage(), schedule(project)
    seen = {frame: draw(plan_frame(project, cues, frame), footage_files, SIZE) for frame in (2, 10)}
    footage_files.close()
    assert np.abs(seen[2].astype(int) - 80).max() <= 3  # as the codec has it
    assert np.array_equal(seen[10][16:38, 46:90], 2 * seen[2][16:38, 46:90])
    assert np.array_equal(seen[10][:, :40], seen[2][:, :40])
    assert export(project, tmp_path / "film.mp4") == []


@given(st.permutations([0, 1, 2, 3]), st.sets(st.integers(0, 3)), st.integers(0, 4))
def test_tracks_stay_over_their_lane_whatever_becomes_of_the_lanes(order, gone, at):
    lanes = [Lane(LaneId(number), "flash", PulseId(5)) for number in range(4)]
    rows = [*lanes[:at], track(number=9), *lanes[at:]]
    new = [lanes[number] for number in order if number not in gone]
    made = with_lanes(Project(stack=tuple(rows)), new)
    assert made.lanes == tuple(new)
    assert [one.id for one in made.tracks] == [9]
    below = [lane.id for lane in lanes[:at] if lane.id not in gone]
    place = made.stack.index(made.tracks[0])
    assert (made.stack[place - 1].id if place else None) == (below[-1] if below else None)


@pytest.mark.parametrize(
    ("rows", "fault"),
    [
        (
            (track(HALF, replace(HALF, id=ItemId(31), start=29)),),
            r"\[1\]\.items\[1\]\.start: must be 30",
        ),
        ((track(replace(HALF, id=ItemId(10))),), "2 have the number 10"),
        ((track(footage_item(ItemId(30), FootageId(77), 0, 9)),), "there is no footage 77"),
        ((track(number=20),), r"\$\.stack: 2 have the number 20"),
    ],
)
def test_laws_hold_on_every_track(rows, fault):
    faults = list(broken_laws(layered(*rows)))
    assert len(faults) == 1
    assert re.search(fault, faults[0])
    assert list(broken_laws(layered(track(HALF)))) == []


def test_a_still_of_any_shape_may_lie_over_a_shot():
    project = layered()
    project = replace(project, footage=(*project.footage, some_still(3)))
    over = replace(project, stack=(*project.stack, track(footage_item(ItemId(30), FootageId(3), 0, 99))))
    assert list(broken_laws(over)) == []
    assert [type(one.content) for one in root_of(over, 7).content.nodes] == [Shown, Shown]
