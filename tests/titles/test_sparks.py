"""What a landing throws, how its letters shine, and that its shock bends what lies below for a moment."""

import cv2
import numpy as np
import pytest
from helpers import a_project
from msgspec.structs import replace

from epiphane.document.timeline import Transform
from epiphane.document.titles import Impact, TextFill
from epiphane.edits.items.titles import put_title
from epiphane.facts.titles import TitleClock, landing_frame
from epiphane.keying.schedule import schedule
from epiphane.render.nodes import Stacked
from epiphane.render.plan import plan_frame
from epiphane.titles.picture import text_picture
from epiphane.titles.sparks import dust_of, sparks_of

PLACE = np.array([[60.0, 0, 320], [0, 60.0, 180], [0, 0, 1]])
ANGLES = np.linspace(0, 2 * np.pi, 200)
OUTLINE = np.stack([2.5 * np.cos(ANGLES), 0.5 * np.sin(ANGLES)], axis=1)


def thrown(seconds, size=(640, 360), place=PLACE, number=140):
    return sparks_of(OUTLINE, place, seconds, size, number=number, seed=3)


def test_sparks_fly_outwards_cool_and_are_gone():
    spread, heads = [], []
    for seconds in (0.02, 0.15, 0.4):
        tails, white, box = thrown(seconds)
        rows, columns = np.nonzero(tails > 60)
        spread.append(float(np.hypot(columns - 320, rows - 180).mean()))
        heads.append(int(white.astype(int).sum()))
        assert tails[: box.y0].max(initial=0) == tails[:, : box.x0].max(initial=0) == 0
        assert ((tails > 0) | (white == 0)).all()  # what is white has its glow about it
    assert spread == sorted(spread) and heads[0] > heads[1] > heads[2]
    gone, white, _ = thrown(1.59)
    assert gone.max() == white.max() == 0
    assert all(
        np.array_equal(one, other) for one, other in zip(thrown(0.2)[:2], thrown(0.2)[:2], strict=True)
    )


def test_sparks_of_a_preview_are_those_of_the_film():
    large = thrown(0.2, (1280, 720), np.diag([2.0, 2.0, 1.0]) @ PLACE)[0]
    small = thrown(0.2)[0].astype(float)
    halved = cv2.resize(large, (640, 360), interpolation=cv2.INTER_AREA).astype(float)
    soft = [cv2.GaussianBlur(one, (0, 0), 3) for one in (halved, small)]
    assert np.abs(soft[0] - soft[1]).mean() < 1.5
    assert halved.sum() == pytest.approx(small.sum(), rel=0.6)  # a thin one is a pixel wide at least


def test_dust_lies_along_the_foot_and_thins():
    dust = [dust_of(OUTLINE, PLACE, share, (640, 360), thickness=1.0, seed=1)[0] for share in (0.1, 0.4, 0.9)]
    foot = round(180 + 0.5 * 60)
    for one in dust[:2]:
        assert one[foot - 30 : foot + 10].max() > 40 and one[: foot - 90].max() < 12
    assert dust[1].sum() > dust[2].sum()
    assert np.count_nonzero(dust[1][foot]) > np.count_nonzero(dust[0][foot])  # it runs out


def test_letters_shine_from_behind_as_they_land_and_no_longer_half_a_second_later():
    plain = TextFill("ROLL", size=0.3, impact=Impact(particles=0, dust=0, light=0))
    lit = replace(plain, impact=Impact(particles=0, dust=0, light=1))
    for since, is_lit in ((0.0, True), (0.2, True), (0.8, False)):
        one, other = (
            text_picture(fill, Transform(), TitleClock(since=since), (320, 180)) for fill in (plain, lit)
        )
        assert (other[..., :3] <= other[..., 3:]).all()
        assert np.array_equal(one, other) != is_lit


def test_a_shock_bends_what_is_below_for_a_moment_and_nothing_where_there_is_none():
    project = a_project(n_lanes=0)
    fill = TextFill("ROLL ON", impact=Impact(shock=1.0))
    project, title = put_title(project, fill, 0, hit=2.0)
    item = next(one for track in project.tracks for one in track.items if one.id == title)
    landed = landing_frame(item, project.rate)
    cues = schedule(project)

    def bent(frame, p=project):
        root = plan_frame(p, cues, frame).root
        below = root.content.nodes[0] if isinstance(root.content, Stacked) else root
        return {one.key: dict(one.values)["height"] for one in below.effects}

    heights = [bent(landed + later).get("ripple", 0.0) for later in (-1, 0, 6, 12, 30)]
    assert heights[0] == heights[4] == 0 and heights[1] > heights[2] > heights[3] > 0
    still = replace(fill, impact=Impact(shock=0.0))
    calm, _ = put_title(a_project(n_lanes=0), still, 0, hit=2.0)
    assert bent(landed, calm) == {}
