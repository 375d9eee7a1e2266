"""What lies over the picture: overlays on hits, items with keys, shapes, aimed lanes, split screens."""

from fractions import Fraction

import av
import numpy as np
import pytest
from helpers import a_project, number_of, numbered_picture, read_lumas, some_footage, some_still, write_clip
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from PIL import Image

from epiphane.document.envelope import Ease, Envelope
from epiphane.document.footage import Moment
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId, TrackId
from epiphane.document.lane import Lane, Override, Setting
from epiphane.document.project import Project
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit, TappedSource
from epiphane.document.song import Hit
from epiphane.document.timeline import (
    BlendMode,
    FootageCut,
    Framing,
    Item,
    ItemKey,
    Panel,
    PanelLayout,
    Panels,
    Pin,
    Ramp,
    ShapeFill,
    ShapeKind,
    SolidFill,
    Track,
    Transform,
    footage_item,
)
from epiphane.edits.footage import add_footage
from epiphane.edits.keying.overlays import add_overlay_lane, set_clips, set_cue_clip
from epiphane.errors import EditError
from epiphane.exporting.export import export
from epiphane.facts.framing import item_framing, item_opacity
from epiphane.facts.overlays import overlay_envelope
from epiphane.facts.panels import panel_places
from epiphane.keying.schedule import schedule
from epiphane.media.fingerprint import fingerprint
from epiphane.media.probe import probe_footage
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.nodes import Shown, Solid, SplitScreen, Stacked, sources_of
from epiphane.render.plan import plan_frame

SIZE = (160, 90)


class Numbered:
    """Footage whose pictures tell their number, at 30 a second."""

    def picture(self, source):
        level = 60 if "clip1" in source.path else 200
        return raw_from_bgr(np.full((90, 160, 3), level, np.uint8))


def drawn(project, frame, size=SIZE):
    return draw(plan_frame(project, schedule(project), frame), Numbered(), size).astype(float)


def with_item(content, *, blend=BlendMode.NORMAL, rows=(), **fields):
    """A project of black with one item over it, from frame 10 for 40 frames."""
    item = Item(ItemId(70), 10, 40, content, blend=blend, **fields)
    track = Track(TrackId(60), "over", (item,))
    project = replace(a_project(n_lanes=0), width=160, height=90, shots=())
    return replace(project, stack=(track, *rows))


# Overlays on hits


def overlaid(hits, **fields):
    clip = replace(some_footage(2, duration=3.0), moments=(Moment(1.0, is_accepted=True),))
    pulse = Pulse(PulseId(8), "taps", TappedSource(tuple(Hit(time) for time in hits)))
    project = replace(a_project(n_lanes=0), footage=(some_footage(1), clip), pulses=(pulse,), next_id=100)
    project = add_overlay_lane(project, [FootageId(2)], PulseId(8))
    return replace(project, stack=(replace(project.lanes[0], **fields),))


def over_at(project, frame):
    root = plan_frame(project, schedule(project), frame).root
    if not isinstance(root.content, Stacked):
        return None
    return root.content.nodes[-1]


def test_the_moment_of_an_overlay_is_on_its_hit_and_it_is_gone_when_it_has_ended():
    project = overlaid([2.0])
    assert over_at(project, 60).content.source.seconds == pytest.approx(1.0)
    shown = {frame: over_at(project, frame) for frame in range(480)}
    there = [frame for frame, node in shown.items() if node is not None]
    assert there == list(range(30, 120))
    for frame in there:
        assert shown[frame].content.source.seconds == pytest.approx(1.0 + (frame - 60) / 30, abs=1e-6)
        assert (shown[frame].opacity, shown[frame].blend) == (1.0, BlendMode.SCREEN)
    slow = overlaid([2.0], settings=(Setting("speed", 50.0, 50.0), Setting("opacity", 80.0, 0.0)))
    assert over_at(slow, 62).content.source.seconds == pytest.approx(1.0 + 1 / 30)
    assert over_at(slow, 60).opacity == 0.8


def test_cues_play_one_clip_after_the_other_and_single_ones_their_own():
    project = set_clips(overlaid([2.0, 6.0, 10.0]), LaneId(100), [FootageId(2), FootageId(1)])
    project = set_cue_clip(project, [(LaneId(100), 10.0)], FootageId(1))
    paths = [over_at(project, frame).content.source.path for frame in (60, 180, 300)]
    assert paths == ["/clip2.mp4", "/clip1.mp4", "/clip1.mp4"]
    assert project.lanes[0].overrides == (Override(10.0, clip=FootageId(1)),)
    with pytest.raises(EditError, match="no footage 9"):
        set_clips(project, LaneId(100), [FootageId(9)])


@pytest.mark.parametrize(
    ("after", "wanted"), [("repeats", 0.5), ("stands still", 3.0 - 1 / 30), ("is gone", None)]
)
def test_what_is_longer_than_its_overlay_repeats_it_holds_it_or_shows_nothing(after, wanted):
    shape = Envelope(0, 300, 0, Ease.LINEAR, Ease.LINEAR)
    project = overlaid([2.0], envelope=shape, settings=(Setting("after", after),))
    node = over_at(project, 60 + 75)  # 2.5 s after its moment at 1 s of 3
    assert (node.content.source.seconds if node else None) == (wanted and pytest.approx(wanted))


def test_an_overlay_that_is_a_still_has_no_moment_and_a_mode_per_lane():
    project = overlaid([2.0])
    project = replace(project, footage=(*project.footage, some_still(3)))
    project = add_overlay_lane(project, [FootageId(3)], PulseId(8), blend="multiply")
    node = over_at(project, 64)
    assert (node.content.source.seconds, node.blend) == (0.0, BlendMode.MULTIPLY)
    assert overlay_envelope(some_still(3), Fraction(30)).fall == 12


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(30_000, 1001), Fraction(60)])
def test_in_the_exported_film_the_moment_of_an_overlay_is_on_the_frame_of_its_hit(tmp_path, rate):
    path = write_clip(tmp_path / "numbers.mp4", [numbered_picture(n) for n in range(60)], rate=Fraction(25))
    clip = replace(
        some_footage(1, path=str(path), duration=2.4),
        rate=Fraction(25),
        fingerprint=fingerprint(path),
        width=160,
        height=90,
        moments=(Moment(0.8, is_accepted=True),),
    )
    hits = (Hit(0.9), Hit(2.113))
    project = Project(width=160, height=90, rate=rate, footage=(clip,), next_id=10)
    shot = Item(ItemId(5), 0, round(4 * rate), SolidFill("#000000"))
    pulse = Pulse(PulseId(8), "taps", TappedSource(hits))
    project = add_overlay_lane(replace(project, shots=(shot,), pulses=(pulse,)), [FootageId(1)], PulseId(8))
    export(project, tmp_path / "out.mp4")
    lumas, _ = read_lumas(tmp_path / "out.mp4")
    for hit in hits:
        frame = int(hit.time * rate + Fraction(1, 1000))
        assert number_of(lumas[frame]) == 20
        away = int(rate / 25) + 1
        assert number_of(lumas[frame - away]) < 20 < number_of(lumas[frame + away])


# Items


def test_an_item_lies_between_its_keys_and_fades_at_its_ends():
    keys = (
        ItemKey(0, Framing(1.0, -0.4, 0.0), 1.0, Ramp.LINEAR),
        ItemKey(20, Framing(4.0, 0.4, 0.2, 90.0), 0.5, Ramp.HOLD),
        ItemKey(30, Framing(1.0, 0.0, 0.0), 0.0),
    )
    item = Item(ItemId(1), 100, 40, SolidFill(), opacity=0.8, keys=keys, fade_in=3)
    assert item_framing(item, 100) == Framing(1.0, -0.4, 0.0)
    assert item_framing(item, 110) == Framing(2.0, 0.0, 0.1, 45.0)
    assert item_framing(item, 125) == keys[1].framing
    assert item_framing(item, 139) == keys[2].framing
    fades = [0.25, 0.5, 0.75]
    for frame, fade in zip(range(100, 103), fades, strict=True):
        linear = 1 - 0.5 * (frame - 100) / 20
        assert item_opacity(item, frame) == pytest.approx(0.8 * linear * fade)
    assert item_opacity(item, 125) == pytest.approx(0.4)
    assert item_opacity(replace(item, keys=(), fade_in=0, fade_out=4), 139) == pytest.approx(0.8 / 5)


@given(
    st.sampled_from([ShapeKind.RECTANGLE, ShapeKind.ELLIPSE]),
    st.floats(0.1, 0.35),  # so that it never reaches beyond the frame
    st.floats(0.1, 0.5),
    st.floats(-0.15, 0.15),
    st.integers(-90, 90),
)
def test_a_shape_covers_the_area_that_it_should_wherever_it_lies(kind, width, height, moved, turned):
    fill = ShapeFill(kind, "#ffffff", width=width, height=height)
    transform = Transform(scale=0.8, x=moved, y=-moved, rotation=float(turned))
    project = with_item(fill, transform=transform)
    picture = drawn(project, 20)[..., 0] / 255
    share = np.pi / 4 if kind is ShapeKind.ELLIPSE else 1
    area = share * width * height * 0.8**2
    assert picture.mean() == pytest.approx(area, rel=0.04, abs=0.003)
    rows, columns = np.mgrid[0:90, 0:160]
    weight = picture.sum()
    across, down = (picture * columns).sum() / weight, (picture * rows).sum() / weight
    assert across == pytest.approx((0.5 + moved) * 160 - 0.5, abs=0.6)
    assert down == pytest.approx((0.5 - moved) * 90 - 0.5, abs=0.6)


def test_a_gradient_goes_from_one_colour_to_another_or_to_nothing_and_an_edge_is_soft_inwards():
    two = drawn(with_item(ShapeFill(ShapeKind.GRADIENT, "#ff0000", "#0000ff", width=1.0)), 20)
    assert np.allclose(two[45, :, 2], 255 * (1 - (np.arange(160) + 0.5) / 160), atol=2)
    assert np.allclose(two[45, :, 0], 255 * (np.arange(160) + 0.5) / 160, atol=2)
    clear = drawn(with_item(ShapeFill(ShapeKind.GRADIENT, "#ffffff", width=0.5)), 20)
    assert np.allclose(clear[45, :40], 255)
    assert np.allclose(clear[45, 120:], 0)
    soft = drawn(with_item(ShapeFill(colour="#ffffff", width=0.5, height=1.0, feather=0.2)), 20)[45, :, 0]
    assert soft[:39].max() == 0
    assert np.all(np.diff(soft[40:58]) > 0)
    assert soft[60] == 255


def test_a_lane_that_is_aimed_at_a_track_acts_on_that_alone_with_its_alpha():
    lane = Lane(LaneId(50), "invert", PulseId(5), Envelope(0, 30, 0), settings=(), track=TrackId(60))
    flat = ShapeFill(colour="#c8c8c8", width=0.5, height=0.5)
    plain, aimed = with_item(flat), with_item(flat, rows=(lane,))
    project = replace(aimed, shots=(footage_item(ItemId(80), FootageId(1), 0, 300),))
    below = replace(plain, shots=project.shots)
    before, after = drawn(below, 16), drawn(project, 16)
    assert np.array_equal(before[:20], after[:20])  # nothing but the item changes
    assert np.abs(after[45, 80] - (255 - before[45, 80])).max() <= 2
    unaimed = replace(project, stack=(project.stack[0], replace(lane, track=None)))
    assert np.abs(drawn(unaimed, 16)[5, 5] - (255 - before[5, 5])).max() <= 2
    first = replace(project, stack=(replace(lane, track=None), project.stack[0]))
    assert np.abs(drawn(first, 16)[45, 80] - before[45, 80]).max() <= 2  # it stands before the track
    gone = replace(project, stack=(project.stack[0], replace(lane, track=TrackId(99))))
    assert np.array_equal(drawn(gone, 16), before)


# Split screens


def split(layout, number, **fields):
    panels = tuple(Panel(FootageCut(FootageId(1 + n % 2))) for n in range(number))
    shot = Item(ItemId(10), 0, 120, Panels(panels, layout, **fields))
    return replace(a_project(n_lanes=0), width=160, height=90, shots=(shot,))


@pytest.mark.parametrize("layout", PanelLayout)
@given(number=st.integers(1, 12))
def test_panels_share_the_frame_without_overlap_and_cover_it(layout, number):
    panels = Panels(tuple(Panel(FootageCut(FootageId(1))) for _ in range(number)), layout, gap=0.0)
    places = panel_places(panels, 16 / 9)
    assert len(places) == number
    assert sum(one.box[2] * one.box[3] for one in places) == pytest.approx(1)
    picture = drawn(replace(split(layout, number, gap=0.0, colour="#ff00ff")), 10, (320, 180))
    is_ground = np.abs(picture - (255, 0, 255)).max(axis=2) < 40
    assert is_ground.mean() < 0.02


def test_gaps_and_borders_have_their_colours_and_panels_their_framing_and_delay():
    project = split(PanelLayout.COLUMNS, 2, gap=0.1, colour="#00ff00", border=0.04, border_colour="#0000ff")
    picture = drawn(project, 10, (320, 180))
    assert np.abs(picture[90, 159] - (0, 255, 0)).max() <= 4
    assert picture[90, 60].tolist() == [60, 60, 60]
    assert picture[90, 260].tolist() == [200, 200, 200]
    assert picture[1, 100].tolist() == [255, 0, 0]
    content = project.shots[0].content
    late = replace(content.panels[1], delay=6, framing=Framing(2.0, 0.1), pin=Pin(3.0, 1.0))
    changed = replace(content, panels=(content.panels[0], late))
    project = replace(project, shots=(replace(project.shots[0], content=changed),))
    root = plan_frame(project, schedule(project), 36).root.content
    assert isinstance(root, SplitScreen)
    shown = root.panels[1].node.content
    assert isinstance(shown, Shown)
    assert shown.source.seconds == pytest.approx(3.0)  # six frames after its hit
    assert (shown.transform.scale, shown.transform.x) == (2.0, 0.1)
    assert len(list(sources_of(plan_frame(project, schedule(project), 36).root))) == 2


def test_panels_come_in_one_on_each_hit_and_some_may_not_have_their_footage():
    beats = Pulse(PulseId(5), "beats", HeardSource(PulseUnit.BEAT))
    project = replace(split(PanelLayout.GRID, 4, pulse=PulseId(5)), pulses=(beats,))
    counts = [
        len(plan_frame(project, schedule(project), n).root.content.panels) for n in (0, 14, 15, 30, 44, 45)
    ]
    assert counts == [1, 1, 2, 3, 3, 4]
    missing = replace(project, footage=project.footage[:1])
    assert len(plan_frame(missing, schedule(missing), 60).root.content.panels) == 2
    solid = plan_frame(replace(project, shots=()), schedule(project), 60).root.content
    assert isinstance(solid, Solid)


@pytest.mark.parametrize("is_video", [True, False], ids=["video", "still"])
def test_what_can_be_seen_through_lies_over_the_film_by_its_alpha(tmp_path, is_video):
    picture = np.zeros((80, 60, 4), np.uint8)  # straight RGBA of another shape, its left half half there
    picture[..., :3] = 240
    picture[:, :30, 3], picture[20:60, 30:, 3] = 128, 255
    path = tmp_path / ("see.mov" if is_video else "see.png")
    if is_video:
        with av.open(str(path), "w") as container:
            stream = container.add_stream("png", rate=Fraction(24))
            stream.width, stream.height, stream.pix_fmt = 60, 80, "rgba"
            for _ in range(24):
                container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgba")))
            container.mux(stream.encode(None))
    else:
        Image.fromarray(picture).save(path)
    project = Project(width=160, height=90, is_shape_chosen=True, next_id=10)
    project = add_footage(project, [probe_footage(path)])
    shot = Item(ItemId(5), 0, 60, SolidFill("#404040"))
    pulse = Pulse(PulseId(8), "taps", TappedSource((Hit(0.5),)))
    project = replace(project, shots=(shot,), pulses=(pulse,))
    clip = project.footage[0].id
    values = (Setting("fit", "whole"),)
    project = add_overlay_lane(project, [clip], PulseId(8), blend="normal")
    project = replace(
        project, stack=(replace(project.lanes[0], settings=(*project.lanes[0].settings, *values)),)
    )
    export(project, tmp_path / "out.mp4")
    lumas, _ = read_lumas(tmp_path / "out.mp4")
    before, under = lumas[5].mean(), lumas[15]
    assert before == pytest.approx(64, abs=2)
    assert under[45, 100] == pytest.approx(240, abs=4)
    assert under[45, 60] == pytest.approx((64 + 240) / 2, abs=4)
    assert under[5, 100] == pytest.approx(before, abs=3)
    assert under[45, 20] == pytest.approx(before, abs=3)
    path.unlink()
    faults = export(project, tmp_path / "again.mp4")
    assert [fault.split(" is ")[0] for fault in faults] == [path.name]
