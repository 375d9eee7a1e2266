"""Stills come in upright, in 8 bits, with their alpha; broken ones say why."""

import struct
import zlib
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from epiphane.document.footage import FootageKind
from epiphane.errors import MediaError
from epiphane.media.clip import Clip
from epiphane.media.kind import kind_of
from epiphane.media.probe import probe_footage
from epiphane.media.still import MOST_SIDE, Still
from epiphane.render.nodes import SourceFrame
from epiphane.render.sources import OpenFootage

RED, BLUE = (200, 30, 30), (20, 40, 210)
SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30">'
    '<rect width="20" height="30" fill="rgb(200,30,30)"/></svg>'
)


def two_halves(size=(48, 32), mode="RGB"):
    """Return a picture red on its left and blue on its right."""
    picture = np.full((size[1], size[0], 3), BLUE, np.uint8)
    picture[:, : size[0] // 2] = RED
    return Image.fromarray(picture).convert(mode)


@pytest.mark.parametrize("suffix", [".png", ".jpg", ".webp", ".tif", ".bmp"])
def test_every_kind_of_still_shows_its_colours(tmp_path, suffix):
    path = tmp_path / f"Kugelbahn λ 彈珠{suffix}"
    two_halves().save(path, quality=95)
    assert kind_of(path) is FootageKind.STILL
    facts = probe_footage(path)
    assert (facts.kind, facts.width, facts.height, facts.duration) == (FootageKind.STILL, 48, 32, 0.0)
    (picture,) = Still(path).read().planes
    assert picture.shape == (32, 48, 3)
    assert picture[16, 8].tolist() == pytest.approx(RED[::-1], abs=8)
    assert picture[16, 40].tolist() == pytest.approx(BLUE[::-1], abs=8)


def test_a_drawing_is_drawn_large_and_can_be_seen_through(tmp_path):
    path = tmp_path / "track.svg"
    path.write_text(SVG)
    still = Still(path)
    (picture,) = still.read().planes
    assert still.display_size == (2880, 2160)
    assert picture[1000, 700].tolist() == [30, 30, 200, 255]
    assert picture[1000, 2000].tolist() == [0, 0, 0, 0]


def test_a_drawing_whose_face_is_not_installed_shows_its_text_in_another_and_says_so(tmp_path):
    path = tmp_path / "words.svg"
    text = '<text x="1" y="8" font-size="8" font-family="Nonesuch Grotesk" fill="#f00">ROLL</text>'
    path.write_text(f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 10">{text}</svg>')
    footage = OpenFootage(None)
    (picture,) = footage.picture(SourceFrame(str(path), "0" * 32, 0.0)).planes
    assert (picture[..., 3] > 200).mean() > 0.05
    assert "Nonesuch Grotesk" in footage.faults()[0] and "words.svg" in footage.faults()[0]
    footage.close()


def test_alpha_is_kept_and_multiplied_in(tmp_path):
    levels = np.zeros((4, 4, 4), np.uint8)
    levels[:, :2] = (100, 200, 40, 128)
    Image.fromarray(levels).save(tmp_path / "glass.png")
    (picture,) = Still(tmp_path / "glass.png").read().planes
    assert picture[0, 0].tolist() == pytest.approx(
        [40 * 128 / 255, 200 * 128 / 255, 100 * 128 / 255, 128], abs=1
    )
    palette = two_halves(mode="P")
    palette.save(tmp_path / "drawn.png", transparency=0)
    assert Still(tmp_path / "drawn.png").read().planes[0].shape == (32, 48, 4)


def test_a_film_that_can_be_seen_through_is_premultiplied_too(tmp_path):
    import av

    path = tmp_path / "smoke.mov"
    levels = np.full((32, 48, 4), (100, 200, 40, 128), np.uint8)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("qtrle", rate=30)
        stream.width, stream.height, stream.pix_fmt = 48, 32, "argb"
        for _ in range(3):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(levels, format="rgba")))
        container.mux(stream.encode(None))
    clip = Clip(path)
    assert clip.has_alpha
    (picture,) = clip.read(1).planes
    assert picture[9, 9].tolist() == pytest.approx([20, 100, 50, 128], abs=1)
    clip.close()


@pytest.mark.parametrize(
    ("mode", "levels", "wanted"),
    [
        ("I;16", np.full((4, 4), 25_700, np.uint16), 100),
        ("F", np.full((4, 4), 0.5, np.float32), 128),
        ("L", np.full((4, 4), 77, np.uint8), 77),
    ],
)
def test_grey_and_deep_pictures_keep_their_levels(tmp_path, mode, levels, wanted):
    path = tmp_path / "scan.tif"
    Image.fromarray(levels).save(path)
    assert np.asarray(Still(path).read().planes[0])[1, 1].tolist() == pytest.approx([wanted] * 3, abs=1)


def test_a_photograph_held_sideways_is_upright(tmp_path):
    exif = Image.Exif()
    exif[0x0112] = 6  # turn a quarter to the right
    path = tmp_path / "phone.jpg"
    two_halves().save(path, exif=exif, quality=95)
    still = Still(path)
    (picture,) = still.read().planes
    assert still.display_size == (32, 48)
    assert picture.shape == (48, 32, 3)
    assert picture[4, 16].tolist() == pytest.approx(RED[::-1], abs=8)


def test_a_still_of_12000_pixels_is_brought_to_what_a_frame_can_show(tmp_path):
    path = tmp_path / "wide.png"
    two_halves((12_000, 300)).save(path, compress_level=1)
    facts = probe_footage(path)
    assert (facts.width, facts.height) == (12_000, 300)
    (picture,) = Still(path).read().planes
    assert picture.shape[:2] == (round(300 * MOST_SIDE / 12_000), MOST_SIDE)
    assert picture[40, MOST_SIDE // 2 - 9].tolist() == list(RED[::-1])


def png_of(width: int, height: int) -> bytes:
    """Return the head of a PNG that says it is of a size."""
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    chunk = b"IHDR" + head
    whole = struct.pack(">I", 13) + chunk + struct.pack(">I", zlib.crc32(chunk))
    return b"\x89PNG\r\n\x1a\n" + whole + b"\0\0\0\x09IDAT"


def half_a_photograph(path: Path) -> None:
    generator = np.random.default_rng(0)
    Image.fromarray(generator.integers(0, 255, (200, 200, 3), np.uint8)).save(path)
    path.write_bytes(path.read_bytes()[:9000])


@pytest.mark.parametrize(
    ("name", "make", "words"),
    [
        ("half.png", half_a_photograph, "is damaged; convert it or leave it out"),
        (
            "huge.png",
            lambda path: path.write_bytes(png_of(40_000, 30_000)),
            "40000 × 30000 pixels, too large",
        ),
        ("no.jpg", lambda path: path.write_bytes(b"\xff\xd8\xff nothing"), "damaged or no picture"),
        ("no.svg", lambda path: path.write_text("<svg"), "damaged, .* or no drawing"),
        ("gone.png", lambda path: None, "not there any more"),
    ],
)
def test_a_broken_still_says_why(tmp_path, name, make, words):
    make(tmp_path / name)
    with pytest.raises(MediaError, match=rf"^{name}.*{words}"):
        probe_footage(tmp_path / name)


def test_one_pixel_is_a_still(tmp_path):
    two_halves((1, 1)).save(tmp_path / "dot.png")
    assert Still(tmp_path / "dot.png").read().planes[0].shape == (1, 1, 3)
