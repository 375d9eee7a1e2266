"""Titles that land with weight, stand in motion and arrive on hits; logos; faces with axes."""

import cv2
import numpy as np
import pytest
from helpers import a_project, grey_clip, some_still
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.ids import FootageId, ItemId, PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import Item, SolidFill, Transform
from epiphane.document.titles import (
    FaceAxis,
    Impact,
    LogoFill,
    Shadow,
    Standing,
    TextFill,
    TextMotion,
    TextOrder,
    TextUnit,
)
from epiphane.edits.footage import add_footage, remove_footage
from epiphane.edits.items.titles import land_title, put_title, set_as_logo, strike_below
from epiphane.edits.items.tracks import find_item, put_on_track
from epiphane.errors import EditError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.facts.titles import IMPACT_SECONDS, TitleClock, landing_frame, title_clock
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.render.draw import draw
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.timing import frame_at
from epiphane.titles.faces import axes_of, usual_axes
from epiphane.titles.motions.declare import MOTIONS
from epiphane.titles.picture import logo_picture, text_picture

SIZE = (320, 180)
REST = TitleClock()
ROLL = TextFill("ROLL", size=0.3)
OUTFIT = TextFill("ROLL", face="Outfit")


def drawn(fill, clock=REST, **placed):
    return text_picture(fill, Transform(**placed), clock, SIZE)


def alphas(fill, *seconds):
    return [drawn(fill, TitleClock(since=since))[..., 3].astype(int) for since in seconds]


# Landing and standing


def test_a_landing_shakes_throws_and_then_it_is_still_to_the_pixel():
    heavy = replace(ROLL, impact=Impact(frames=9))
    rest = drawn(ROLL)[..., 3].astype(int)
    struck, shaken, thrown, gone = alphas(heavy, 0.0, 0.1, 0.5, IMPACT_SECONDS)
    assert np.abs(struck - rest).mean() > 2 and np.abs(shaken - rest).mean() > 2
    body = rest == 255
    assert np.array_equal(thrown[body], rest[body])  # still, while particles fly and dust rises
    assert (thrown[rest == 0] > 0).sum() > 200
    assert np.array_equal(gone, rest)
    project, number = put_title(a_project(n_lanes=0), heavy, 0, hit=2.0)
    _, item = find_item(project, number)
    clocks = [title_clock(item, heavy, frame, project.rate) for frame in range(60, 120)]
    assert clocks[0].since == 0 and clocks[15].since == pytest.approx(0.5) and clocks[-1] == REST


def test_what_is_thrown_is_the_same_at_every_size_and_goes_by_its_seed():
    heavy = replace(ROLL, impact=Impact(dust=0.0, lines=0))
    clock = TitleClock(since=0.4)
    small = drawn(heavy, clock)[..., 3]
    large = text_picture(heavy, Transform(), clock, (960, 540))[..., 3]
    shrunk = cv2.resize(large, SIZE, interpolation=cv2.INTER_AREA)
    assert np.corrcoef(small.ravel(), shrunk.ravel())[0, 1] > 0.97
    other = drawn(replace(heavy, impact=Impact(dust=0.0, lines=0, seed=2)), clock)[..., 3]
    assert np.abs(other.astype(int) - small).mean() > 1


def test_while_it_stands_it_drifts_grows_trembles_and_breathes():
    def middle(alpha):
        return np.array([np.average(axis, weights=alpha) for axis in np.indices(alpha.shape)[::-1]])

    first, later = alphas(replace(ROLL, stand=Standing(x=0.5)), 0.01, 1.01)
    assert middle(later) - middle(first) == pytest.approx((0.5 * 0.3 * 180, 0.0), abs=0.3)
    first, later = alphas(replace(ROLL, stand=Standing(grow=0.2)), 0.01, 1.01)
    assert later.sum() / first.sum() == pytest.approx(1.2**2, rel=0.02)
    still, wide = alphas(replace(ROLL, stand=Standing(breathe=0.2, breath=2.0)), 2.0, 1.0)
    assert wide.sum() / still.sum() == pytest.approx(1.2**2, rel=0.02)
    trembling = replace(ROLL, stand=Standing(tremble=0.2))
    trembled = [middle(one) for one in alphas(trembling, 1.0, 1.02, 1.3, 1.7)]
    steps = [float(np.abs(trembled[n] - trembled[0]).max()) for n in (1, 2, 3)]
    assert 0 < steps[0] < 1.5 < max(steps[1:]) < 0.4 * 0.3 * 180 + 1


def test_flips_are_in_depth_wipes_uncover_and_glitches_tear():
    def moving(key, share, unit=TextUnit.BLOCK):
        fill = replace(TextFill("HHHH", size=0.4), arrive=TextMotion(key, 12, unit))
        return drawn(fill, TitleClock(share, step=1 / 12))[..., 3]

    flipping = moving("flip", 0.3) > 100
    rows = np.flatnonzero(flipping.any(axis=1))
    upper, lower = (np.ptp(np.flatnonzero(flipping[row])) for row in (rows[1], rows[-2]))
    assert upper > lower * 1.1  # its upper edge is nearer
    whole, half = moving("wipe-on", 1.0) > 100, moving("wipe-on", 0.25) > 100
    ends = [np.flatnonzero(one.any(axis=0))[[0, -1]] for one in (whole, half)]
    assert ends[1][0] <= ends[0][0] and ends[1][1] < 0.8 * ends[0][1]
    torn = moving("glitch-on", 0.42)
    edges = {int(np.flatnonzero(row > 100)[0]) for row in torn if (row > 100).any()}
    assert len(edges) > 3


@pytest.mark.parametrize("key", ["fade", "slam"])  # a slam is smeared, as by an open shutter
def test_parts_arrive_one_on_each_hit(key):
    fill = TextFill("ONE TWO SIX", size=0.2, arrive=TextMotion(key, 6, TextUnit.WORD, pulse=PulseId(5)))
    project, number = put_title(a_project(n_lanes=0, n_shots=0), fill, 0, hit=2.0)
    _, item = find_item(project, number)
    assert landing_frame(item, project.rate) == 60

    def words_seen(frame):
        node = plan_frame(project, schedule(project), frame).root
        picture = draw(plan_frame(project, schedule(project), frame), None, SIZE) if node else None
        columns = (picture.max(axis=2) > 180).any(axis=0)
        gaps = np.diff(np.flatnonzero(columns))
        return 0 if not columns.any() else 1 + int((gaps > 9).sum())

    assert [words_seen(frame) for frame in (53, 60, 68, 75, 83, 90, 120)] == [0, 1, 1, 2, 2, 3, 3]


def test_lanes_on_landings_shake_what_lies_below_and_not_the_title():
    ground = Item(ItemId(5), 0, 200, SolidFill("#203040"))
    project = Project(width=320, height=180, shots=(ground,), next_id=10)
    project, number = put_title(
        project, replace(ROLL, arrive=TextMotion("slam", 9, TextUnit.BLOCK)), 0, hit=2.0
    )
    struck = strike_below(project, number)
    pulse = next(one for one in struck.pulses if one.unit is PulseUnit.LANDING)
    assert [hit.time for hit in hits_of(pulse, hit_context_of(struck))] == [2.0]
    twice, _ = put_title(struck, ROLL, 0, hit=4.0)  # another title that lands: nothing is struck there
    for lane in struck.lanes:
        found = schedule(twice).lane(lane.id)
        assert [cue.hit.time for cue in found.cues] == [2.0]
        assert [hit.time for hit in found.hits] == [2.0, 4.0] and found.levels[frame_at(4.0, twice.rate)] == 0
    moved = land_title(twice, number, 1.0)
    assert [cue.hit.time for cue in schedule(moved).lane(lane.id).cues] == [1.0]
    assert [lane.effect for lane in struck.lanes] == ["shake", "flash"]
    assert struck.stack[-1].id == find_item(struck, number)[0].id  # the title lies over them

    def pictures(one, frame):
        return draw(plan_frame(one, schedule(one), frame), None, SIZE).astype(int)

    before, after = pictures(project, 60), pictures(struck, 60)
    letters = drawn(ROLL)[..., 3] == 255
    assert np.abs(after - before)[letters].max() <= 1
    assert (after - before)[:30].mean() > 20
    assert np.array_equal(pictures(project, 150), pictures(struck, 150))


# Letters


def test_an_inner_line_lies_within_and_footage_is_seen_through_letters(tmp_path):
    lined = drawn(replace(ROLL, colour="#ffffff", inline=0.03, inline_colour="#ff0000"))
    plain = drawn(replace(ROLL, colour="#ffffff"))
    assert np.abs(lined[..., 3].astype(int) - plain[..., 3]).max() <= 2
    red = (lined[..., 2] > 150) & (lined[..., 0] < 60)
    assert red.sum() > 300 and not (red & (plain[..., 3] < 200)).any()
    clip = grey_clip(tmp_path / "grey.mp4", n_pictures=30, level=180)
    project = add_footage(replace(a_project(n_lanes=0, n_shots=0), footage=()), [probe_footage(clip)])
    fill = replace(ROLL, colour="#ff0000", footage=project.footage[0].id)
    project, number = put_title(project, fill, 0)
    sources = OpenFootage(None)
    picture = draw(plan_frame(project, schedule(project), 5), sources, SIZE)
    inside = drawn(ROLL)[..., 3] == 255
    assert np.abs(picture[inside].astype(int) - 180).max() < 12
    sources.close()
    without = remove_footage(project, [fill.footage])
    assert find_item(without, number)[1].content == replace(fill, footage=None)


def test_a_variable_face_has_axes_and_is_bold_unless_told_otherwise():
    (weight,) = axes_of(OUTFIT)
    assert (weight.tag, weight.low, weight.high) == ("wght", 100, 900)
    assert usual_axes(OUTFIT) == (FaceAxis("wght", 700.0),) and usual_axes(ROLL) == ()
    areas = [
        int(drawn(TextFill("ROLL", face="Outfit", size=0.3, axes=(FaceAxis("wght", value),)))[..., 3].sum())
        for value in (100.0, 400.0, 900.0)
    ]
    assert areas[0] < areas[1] * 0.8 and areas[1] < areas[2] * 0.8


colours = st.integers(0, 0xFFFFFF).map(lambda value: f"#{value:06x}")
motions = st.builds(
    TextMotion,
    st.sampled_from([one.key for one in MOTIONS.all()]),
    st.integers(1, 60),
    st.sampled_from(TextUnit),
    st.floats(0, 1),
    st.sampled_from(TextOrder),
    st.floats(0, 4),
)
shadows = st.builds(Shadow, colours, st.floats(0, 1), st.floats(0, 2), st.floats(-2, 2), st.floats(-2, 2))
looks = st.fixed_dictionaries(
    {
        "outline": st.floats(0, 0.3),
        "inline": st.floats(0, 0.1),
        "shadow": st.none() | shadows,
        "glow": st.none() | shadows,
        "plate": st.none() | colours,
        "arrive": st.none() | motions,
        "leave": st.none() | motions,
        "impact": st.none() | st.builds(Impact, squash=st.floats(0, 0.6), shake=st.floats(0, 1)),
        "stand": st.none() | st.builds(Standing, grow=st.floats(-0.5, 0.5), tremble=st.floats(0, 1)),
    }
)
clocks = st.one_of(
    st.builds(TitleClock, since=st.floats(0, 20)),
    st.builds(TitleClock, st.floats(0, 1), step=st.floats(0, 1), shares=st.lists(st.floats(0, 1)).map(tuple)),
    st.builds(TitleClock, left=st.floats(0, 1), step=st.floats(0, 1), since=st.floats(0, 5)),
)
places = st.builds(
    Transform, scale=st.floats(0.05, 8), x=st.floats(-2, 2), y=st.floats(-2, 2), rotation=st.floats(-180, 180)
)
texts = st.sampled_from(["", "ROLL ON\nIT", "سلام 12", "👍🏽x"])


@given(looks, clocks, places, texts, st.floats(0.005, 2), st.sampled_from([(1, 1), (160, 90), (90, 160)]))
@settings(max_examples=45, deadline=None)
def test_any_look_is_drawn_and_no_colour_is_more_than_its_alpha(look, clock, place, text, height, size):
    for picture in (
        text_picture(TextFill(text, size=height, **look), place, clock, size),
        logo_picture(LogoFill(FootageId(1), height, **look), an_image(), place, clock, size),
    ):
        assert picture.shape == (size[1], size[0], 4)
        assert (picture[..., :3] <= picture[..., 3:]).all()


# Logos


def an_image(width=200, height=100):
    image = np.zeros((height, width, 4), np.uint8)
    cv2.circle(image, (width // 2, height // 2), height // 3, (40, 80, 200, 255), -1, cv2.LINE_AA)
    return cv2.merge(
        [*(cv2.multiply(image[..., n], image[..., 3], scale=1 / 255) for n in range(3)), image[..., 3]]
    )


def logo(clock=REST, image=None, **fields):
    fill = LogoFill(FootageId(1), fields.pop("height", 0.5), **fields)
    return logo_picture(fill, an_image() if image is None else image, Transform(), clock, SIZE)


def test_a_logo_has_its_colours_or_one_and_what_text_has_around_it():
    own = logo()
    inside = own[..., 3] == 255
    assert np.abs(own[inside][:, :3].astype(int) - (40, 80, 200)).max() <= 1
    radius = 0.5 * 180 / 3
    assert own[..., 3].sum() / 255 == pytest.approx(np.pi * radius**2, rel=0.02)
    red = logo(colour="#ff0000")
    assert np.array_equal(red[..., 3], own[..., 3]) and (red[inside][:, 2] == 255).all()
    for around in ({"outline": 0.1}, {"shadow": Shadow()}, {"glow": Shadow("#ffffff", 1, 0.2)}):
        assert (logo(**around)[..., 3] > 0).sum() > 1.1 * (own[..., 3] > 0).sum()
    moved = logo(TitleClock(0.4, step=1 / 9), arrive=TextMotion("slam", 9, TextUnit.BLOCK))
    assert moved[..., 3].astype(int).sum() > own[..., 3].astype(int).sum()
    assert np.abs(moved.astype(int) - own).mean() > 5
    assert np.array_equal(logo(arrive=TextMotion("slam", 9, TextUnit.BLOCK)), own)


@pytest.mark.parametrize("image", [an_image(4000, 3000), an_image(1, 1), np.full((1, 900, 4), 255, np.uint8)])
@pytest.mark.parametrize("height", [0.01, 4.0])
def test_logos_of_any_size_are_drawn(image, height):
    picture = logo(image=image, height=height, outline=0.05, shadow=Shadow())
    assert picture.shape == (180, 320, 4)
    assert (picture[..., :3] <= picture[..., 3:]).all()


def test_a_still_on_a_track_is_set_as_a_logo_and_back_and_a_clip_is_not():
    project = a_project(n_lanes=0)
    still = some_still(9)
    project = replace(project, footage=(*project.footage, still))
    project, number = put_on_track(project, still.id, 30, None)
    made = set_as_logo(project, number, hit=2.0)
    assert landing_frame(find_item(made, number)[1], project.rate) == 60
    assert find_item(made, number)[1].content.arrive is not None
    content = find_item(made, number)[1].content
    assert isinstance(content, LogoFill) and content.footage == still.id
    assert find_item(set_as_logo(made, number), number)[1].footage == still.id
    assert not remove_footage(made, [still.id]).tracks[0].items
    project, clip = put_on_track(project, project.footage[0].id, 200, None)
    with pytest.raises(EditError, match="only a still or a drawing"):
        set_as_logo(project, clip)
