"""Footage that is not plain BT.709 looks right: its light, its gamut, its fields, its alpha, its turn."""

import itertools
from fractions import Fraction

import av
import numpy as np
import pytest
from helpers import number_of, numbered_picture
from PIL import Image

from epiphane.media.clip import Clip
from epiphane.media.colour import yuv_to_bgr
from epiphane.media.probe import probe_footage
from epiphane.media.still import Still

SIZE = (96, 64)


def write_frames(path, frames, *, codec="ffv1", options=None, prepare=None):
    """Write frames as they are, with the tags that the first one has."""
    first = frames[0]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25, options=options or {})
        stream.width, stream.height, stream.pix_fmt = first.width, first.height, first.format.name
        for tag in ("colorspace", "color_range", "color_primaries", "color_trc"):
            setattr(stream.codec_context, tag, int(getattr(first, tag)))
        if prepare is not None:
            prepare(stream)
        for number, frame in enumerate(frames):
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def flat_frame(code, form, *, primaries, transfer):
    """Return a frame of one colour: `code` is R', G', B' of BT.2020, 0 to 1, to be coded in 10 bits."""
    kr, kb = 0.2627, 0.0593
    red, green, blue = code
    luma = kr * red + (1 - kr - kb) * green + kb * blue
    values = 64 + 876 * luma, 512 + 896 * (blue - luma) / 1.8814, 512 + 896 * (red - luma) / 1.4746
    frame = av.VideoFrame(*SIZE, form)
    for plane, value in zip(frame.planes, values, strict=True):
        plane.update(np.full(plane.buffer_size // 2, round(value), np.uint16).tobytes())
    frame.colorspace, frame.color_range, frame.color_primaries, frame.color_trc = 9, 1, primaries, transfer
    return frame


# BT.2087, equation for the conversion of primaries, as published.
BT709_TO_2020 = np.array([[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]])


def pq_code(nits):
    y = np.maximum(nits, 0) / 10_000
    powered = y ** (2610 / 16384)
    return ((3424 / 4096 + 2413 / 128 * powered) / (1 + 2392 / 128 * powered)) ** (2523 / 32)


def hlg_code(nits):
    luminance = nits @ np.array([0.2627, 0.6780, 0.0593]) / 1000
    scene = nits / 1000 * max(luminance, 1e-9) ** (1 / 1.2 - 1)
    a, b, c = 0.17883277, 0.28466892, 0.55991073
    return np.where(scene <= 1 / 12, np.sqrt(3 * scene), a * np.log(np.maximum(12 * scene - b, 1e-9)) + c)


def shown_colour(path):
    clip = Clip(path)
    (picture,) = clip.read(1).planes
    treatments = clip.treatments
    clip.close()
    return picture[20, 20, ::-1].astype(float), treatments


COLOURS = [(200, 0, 0), (0, 180, 40), (30, 40, 210), (128, 128, 128), (12, 10, 8), (210, 190, 170)]


@pytest.mark.parametrize("form", ["yuv420p10le", "yuv444p10le"])
@pytest.mark.parametrize("rgb", COLOURS)
def test_colours_within_bt709_come_out_as_they_are(tmp_path, rgb, form):
    light = BT709_TO_2020 @ (np.array(rgb) / 255) ** 2.4
    codes = {
        "BT.2020 shown in BT.709": (light ** (1 / 2.4), 14),
        "HDR (PQ) shown in BT.709": (pq_code(203 * light), 16),
        "HDR (HLG) shown in BT.709": (hlg_code(203 * light), 18),
    }
    for words, (code, transfer) in codes.items():
        frames = [flat_frame(code, form, primaries=9, transfer=transfer) for _ in range(3)]
        shown, treatments = shown_colour(write_frames(tmp_path / "a.mkv", frames))
        assert treatments == (words,)
        # Ten bits of code are few where a channel is dark.
        room = np.where(np.array(rgb) < 20, 7, 3.5)
        assert np.all(np.abs(shown - rgb) <= room), words


def test_light_above_white_bends_into_it_and_keeps_its_order(tmp_path):
    shown = []
    for nits in (100, 203, 400, 1000):
        frames = [flat_frame(pq_code(np.full(3, nits)), "yuv444p10le", primaries=9, transfer=16)] * 3
        colour, _ = shown_colour(write_frames(tmp_path / "a.mkv", frames))
        assert np.ptp(colour) <= 1  # grey stays grey
        shown.append(colour[0])
    assert 235 < shown[1] < 250 and shown[3] <= 255
    assert np.all(np.diff(shown) > 0)


def field_clip(path, n=12):
    """Write a bar that moves between the two fields of each frame."""

    def with_bar(at):
        picture = np.full((64, 96, 3), 40, np.uint8)
        picture[:, at : at + 8] = 220
        return picture

    frames = []
    for number in range(n):
        picture = with_bar(4 * (2 * number))
        picture[1::2] = with_bar(4 * (2 * number + 1))[1::2]
        frames.append(av.VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="yuv420p"))
    options = {"x264-params": "interlaced=1:tff=1", "bf": "2", "g": "5", "crf": "10"}
    return write_frames(path, frames, codec="libx264", options=options)


def combing(luma):
    """Return by how much neighbouring lines differ, in levels."""
    return float(np.abs(np.diff(luma.astype(float), axis=0)).mean())


@pytest.mark.parametrize("name", ["a.mp4", "a.ts"])
def test_fields_become_frames_the_same_in_any_order(tmp_path, name):
    path = field_clip(tmp_path / name)
    with av.open(str(path)) as container:
        stored = [frame.to_ndarray(format="gray") for frame in container.decode(video=0)]
    clip = Clip(path)
    assert clip.treatments == ("deinterlaced",)
    assert clip.n_pictures == 12
    forwards = [clip.read(index).planes[0].copy() for index in range(12)]
    for before, after in zip(stored[1:-1], forwards[1:-1], strict=True):
        assert combing(after) < 0.4 * combing(before)
    for index in (7, 2, 11, 4, 5, 0, 9, 10, 1):
        assert np.array_equal(clip.read(index).planes[0], forwards[index]), index
    clip.close()


def see_through(number):
    picture = np.zeros((64, 96, 4), np.uint8)
    picture[..., :3] = numbered_picture(number, SIZE)
    picture[:, 48:, 3] = 255
    return picture


@pytest.mark.parametrize(
    ("codec", "form", "name"),
    [
        ("libvpx-vp9", "yuva420p", "a.webm"),
        ("libvpx", "yuva420p", "b.webm"),
        ("prores_ks", "yuva444p10le", "a.mov"),
    ],
)
def test_what_can_be_seen_through_stays_so(tmp_path, codec, form, name):
    frames = [
        av.VideoFrame.from_ndarray(see_through(n), format="bgra").reformat(format=form) for n in range(9)
    ]
    path = write_frames(
        tmp_path / name,
        frames,
        codec=codec,
        options={"auto-alt-ref": "0"} if codec == "libvpx" else {},
        prepare=lambda stream: stream.metadata.update(alpha_mode="1"),
    )
    clip = Clip(path)
    assert clip.has_alpha
    for index in (0, 5, 8, 2):
        (picture,) = clip.read(index).planes
        assert picture[:, :44, 3].max() < 10 and picture[:, 52:, 3].min() > 245
        assert not picture[:, :40, :3].any() or picture[:, :40, :3].max() < 10  # premultiplied
        whole = np.array(numbered_picture(index, SIZE)[:, 52:], float)
        assert np.abs(picture[:, 52:, :3] - whole).mean() < 12
    clip.close()


def test_grey_video_has_the_range_that_it_says_or_that_its_codec_has(tmp_path):
    def shown(codec, color_range, name):
        frame = av.VideoFrame.from_ndarray(np.full((64, 96), 16, np.uint8), format="gray")
        other = av.VideoFrame.from_ndarray(np.full((64, 96), 235, np.uint8), format="gray")
        for one in (frame, other):
            one.color_range = color_range
        path = write_frames(tmp_path / name, [frame, other], codec=codec, options={"qp": "0"})
        clip = Clip(path)
        levels = []
        for index in (0, 1):
            raw = clip.read(index)
            pixel = np.array([plane[10, 10] for plane in raw.planes], float)
            matrix = yuv_to_bgr(raw.spec)
            levels.append(
                float(pixel[0][0] if len(raw.planes) == 1 else (matrix[:, :3] @ pixel + matrix[:, 3])[0])
            )
        clip.close()
        return levels

    assert shown("libx264", 0, "untagged.mp4") == pytest.approx([0, 255], abs=1.5)
    assert shown("libx264", 1, "limited.mp4") == pytest.approx([0, 255], abs=1.5)
    assert shown("libx264", 2, "full.mp4") == pytest.approx([16, 235], abs=1.5)
    assert shown("ffv1", 0, "untagged.mkv") == pytest.approx([16, 235], abs=1.5)


@pytest.mark.parametrize(("turn", "is_mirrored"), list(itertools.product((0, 90, 180, 270), (False, True))))
def test_a_display_matrix_turns_and_mirrors(tmp_path, turn, is_mirrored):
    # By definition the picture is turned counter-clockwise and then mirrored: undo both before it is stored.
    seen = numbered_picture(37, (96, 96))
    stored = np.rot90(seen[:, ::-1] if is_mirrored else seen, -turn // 90)
    frames = [
        av.VideoFrame.from_ndarray(np.ascontiguousarray(stored), format="bgr24").reformat(format="yuv420p")
    ] * 5
    path = write_frames(
        tmp_path / "a.mp4",
        frames,
        codec="libx264",
        prepare=lambda stream: stream.set_display_rotation(turn, hflip=is_mirrored),
    )
    clip = Clip(path)
    assert number_of(clip.read(3).planes[0]) == 37
    assert bool(clip.treatments) == bool(turn or is_mirrored)
    clip.close()


def soft_disc(number, *, level, is_premultiplied, least=0):
    """A disc that grows and fades out at its edge: BGRA."""
    across, down = np.meshgrid(np.arange(96) - 48, np.arange(64) - 32)
    alpha = np.clip((14 + number - np.hypot(across, down)) / 16, least / 255, 1)
    colours = level * (alpha if is_premultiplied else np.ones_like(alpha))
    return np.rint(np.dstack([colours, colours * 0.8, colours * 0.6, 255 * alpha])).astype(np.uint8)


@pytest.mark.parametrize(
    ("codec", "form", "name"),
    [("png", "rgba", "a.mov"), ("libvpx-vp9", "yuva420p", "a.webm"), ("prores_ks", "yuva444p10le", "b.mov")],
)
def test_premultiplied_colours_are_told_from_straight_ones(tmp_path, codec, form, name):
    shown = []
    for is_premultiplied in (False, True):
        frames = [
            av.VideoFrame.from_ndarray(
                soft_disc(n, level=230, is_premultiplied=is_premultiplied), format="bgra"
            ).reformat(format=form)
            for n in range(12)
        ]
        path = write_frames(
            tmp_path / f"{is_premultiplied} {name}",
            frames,
            codec=codec,
            prepare=lambda stream: stream.metadata.update(alpha_mode="1"),
        )
        clip = Clip(path)
        assert ("premultiplied alpha" in clip.treatments) is is_premultiplied
        shown.append([clip.read(n).planes[0].astype(float) for n in (0, 6, 11, 3)])
        clip.close()
    for straight, multiplied, number in zip(*shown, (0, 6, 11, 3), strict=True):
        assert np.abs(straight - multiplied).mean() < 4
        wanted = soft_disc(number, level=230, is_premultiplied=True)
        assert np.abs(multiplied - wanted).mean() < 4


def test_a_veil_that_does_not_tell_is_straight(tmp_path):
    veil = np.full((64, 96, 4), 100, np.uint8)
    path = write_frames(
        tmp_path / "veil.mov",
        [av.VideoFrame.from_ndarray(veil, format="bgra").reformat(format="rgba")] * 4,
        codec="png",
    )
    clip = Clip(path)
    assert clip.treatments == ()
    assert np.abs(clip.read(2).planes[0][5, 5].astype(int) - (39, 39, 39, 100)).max() <= 1
    clip.close()


def test_stills_keep_their_alpha_whatever_its_depth(tmp_path):
    deep = np.linspace(0, 65535, 64 * 96).reshape(64, 96).astype(np.uint16)
    alpha = np.zeros((64, 96), np.uint8)
    alpha[:, 48:] = 255
    Image.merge("LA", [Image.fromarray((deep >> 8).astype(np.uint8)), Image.fromarray(alpha)]).save(
        tmp_path / "a.avif"
    )
    Image.fromarray(deep).save(tmp_path / "key.png", transparency=int(deep[5, 7]))
    frame = av.VideoFrame(96, 64, "ya16le")
    both = np.stack([deep, alpha.astype(np.uint16) * 257], axis=-1)
    frame.planes[0].update(both.tobytes())
    path = tmp_path / "deep.png"
    path.write_bytes(_png_of(frame))
    for name in ("a.avif", "deep.png"):
        picture = Still(tmp_path / name).read().planes[0]
        assert picture.shape == (64, 96, 4)
        assert not picture[:, :44].any()
        assert np.abs(picture[:, 52:, 0].astype(float) - deep[:, 52:] / 257).max() < (
            8 if name == "a.avif" else 1.1
        )
    keyed = Still(tmp_path / "key.png").read().planes[0]
    assert not keyed[5, 7].any()
    assert keyed[40, 40].tolist() == [round(deep[40, 40] / 257)] * 3 + [255]
    assert probe_footage(tmp_path / "key.png").width == 96


def _png_of(frame):
    context = av.CodecContext.create("png", "w")
    context.width, context.height, context.pix_fmt = frame.width, frame.height, "ya16be"
    context.time_base = Fraction(1, 25)
    return b"".join(
        bytes(p) for p in [*context.encode(frame.reformat(format="ya16be")), *context.encode(None)]
    )
