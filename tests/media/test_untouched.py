"""Footage that nothing is done to goes into a film of any layout as it is."""

import numpy as np
import pytest

from epiphane.demo.project import open_basic_demo
from epiphane.document.project import with_lanes
from epiphane.keying.schedule import schedule
from epiphane.media.pixel_layouts import YUV420_10, YUV422_10, planes_from_420, planes_in
from epiphane.render.draw import draw_levels, draw_planes, untouched_planes
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

_SIZE = (1280, 720)
_STRUCK = 450
"""A frame that a flash and a zoom strike."""


@pytest.fixture
def footage():
    made = OpenFootage()
    yield made
    made.close()


def plan_of(project):
    return plan_frame(project, schedule(project), _STRUCK)


@pytest.mark.parametrize("layout", [YUV420_10, YUV422_10], ids=lambda one: one.name)
def test_it_is_what_drawing_it_gives_and_no_level_of_it_is_changed(footage, layout):
    plan = plan_of(with_lanes(open_basic_demo(), lanes=()))
    found = untouched_planes(plan, footage, _SIZE)
    for one, other in zip(found, draw_planes(plan, footage, _SIZE), strict=True):
        assert np.array_equal(one, other)
    planes = planes_from_420(layout, found)
    assert np.array_equal(planes[0], found[0].astype(np.uint16) * 4)
    drawn = planes_in(layout, draw_levels(plan, footage, _SIZE))
    for one, other in zip(planes, drawn, strict=True):
        assert one.shape == other.shape and one.dtype == other.dtype
        assert abs(one.astype(float) - other).mean() < 4 * 0.5  # in quarters of a level of 8 bits


def test_what_something_is_done_to_or_is_of_another_size_is_drawn(footage):
    project = open_basic_demo()
    assert untouched_planes(plan_of(project), footage, _SIZE) is None
    assert untouched_planes(plan_of(with_lanes(project, lanes=())), footage, (640, 360)) is None
