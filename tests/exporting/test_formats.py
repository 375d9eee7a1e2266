"""Every format: what is written is read by another road than ours, and is what was drawn and mixed."""

import hashlib
import math

import av
import numpy as np
import pytest
from exporting_edit import FIRST_CLICK, RATE, SIZE
from helpers import SOUND_RATE, click_track, number_of
from msgspec.structs import replace
from PIL import Image

from epiphane.audio.loudness import loudness_of
from epiphane.document.timeline import ShapeFill
from epiphane.edits.items.tracks import change_item, put_fill_on_track
from epiphane.edits.song.form import SaidPart, say_form
from epiphane.errors import CancelledError, MediaError, ParameterError
from epiphane.exporting.chunks import chunks_of
from epiphane.exporting.export import Share, export, export_chunks, join_film
from epiphane.formats.declare import (
    FORMATS,
    FilmOutput,
    PictureOutput,
    QualityWord,
    SoundOutput,
)
from epiphane.formats.settings import ExportSettings
from epiphane.scripting import picture_at

N_FRAMES = 24
FILMS = [one for one in FORMATS.all() if isinstance(one.output, FilmOutput)]
CLEAR = [one for one in FORMATS.all() if one.has_alpha]
LOSSLESS = {"ffv1", "png-sequence", "tiff-sequence", "png", "tiff", "exr-sequence"}


def film_frames(path, *, alpha_decoder=""):
    """Return what FFmpeg reads of a film: its pictures, BGR or straight BGRA, and their seconds."""
    pictures, times = [], []
    with av.open(str(path)) as container:
        stream = next(one for one in container.streams.video if not one.disposition & 1024)
        decoder = stream.codec_context
        if alpha_decoder:
            decoder = av.CodecContext.create(alpha_decoder, "r")
            decoder.extradata = stream.codec_context.extradata
        for packet in container.demux(stream):
            for frame in decoder.decode(packet if packet.size else None):
                form = "bgra" if any(one.is_alpha for one in frame.format.components) else "bgr24"
                pictures.append(frame.to_ndarray(format=form))
                times.append(float(frame.pts * stream.time_base))
    return pictures, times


def read_pictures(path, form):
    """Return the pictures of a file or folder, by a library that has not written them where there is one."""
    if isinstance(form.output, FilmOutput):
        return film_frames(path, alpha_decoder="libvpx-vp9" if form.key == "vp9-webm" else "")[0]
    files = sorted(path.iterdir()) if path.is_dir() else [path]
    if form.key == "exr-sequence":
        return [as_levels(exr_light(file)) for file in files]
    pictures = []
    for file in files:
        with Image.open(file) as image:
            for number in range(getattr(image, "n_frames", 1)):
                image.seek(number)
                mode = "RGBA" if image.has_transparency_data else "RGB"
                pictures.append(np.asarray(image.convert(mode))[..., [2, 1, 0, 3][: len(mode)]])
    return pictures


def exr_light(path):
    """Return the light of an OpenEXR file of halves: BGR, or premultiplied BGRA."""
    with av.open(str(path)) as container:
        frame = next(container.decode(video=0))
    planes = [np.frombuffer(memoryview(one), np.float16).reshape(frame.height, -1) for one in frame.planes]
    planes = [one[:, : frame.width] for one in planes]
    return np.dstack([planes[1], planes[0], planes[2], *planes[3:]]).astype(float)


def as_levels(light):
    """Return linear light as levels, by the formula of IEC 61966-2-1; with alpha, straight."""
    alpha = light[..., 3:]
    colours = light[..., :3] / np.maximum(alpha, 1e-6) if alpha.shape[2] else light
    levels = np.where(
        colours <= 0.0031308, 12.92 * colours, 1.055 * np.maximum(colours, 0) ** (1 / 2.4) - 0.055
    )
    return np.rint(255 * np.dstack([np.clip(levels, 0, 1), *([alpha] if alpha.shape[2] else [])]))


def a_name(tmp_path, form):
    return tmp_path / f"film{form.endings[0] if form.endings else ''}"


@pytest.mark.parametrize("form", [one for one in FORMATS.all() if not isinstance(one.output, SoundOutput)],
                         ids=lambda one: one.key)  # fmt: skip
def test_every_picture_of_every_format_is_what_was_drawn(tmp_path, edit, form):
    for bits in form.bits:
        path = a_name(tmp_path / str(bits), form)
        path.parent.mkdir()
        settings = ExportSettings(form.key, bits=bits)
        assert export(edit, path, settings=settings, frames=range(3, 3 + N_FRAMES)) == []
        found = read_pictures(path, form)
        rate = max((one for one in form.rates if one <= RATE), default=RATE)
        is_still = isinstance(form.output, PictureOutput) and not form.output.is_sequence
        shown = [3] if is_still else [3 + int(n / rate * RATE) for n in range(round(N_FRAMES / RATE * rate))]
        assert [number_of(one[..., :3]) for one in found] == [edit_number(edit, frame) for frame in shown]
        wanted = drawn(edit, shown[0])
        flat = (slice(84, 136), np.flatnonzero(np.abs(np.arange(SIZE[0]) % 43 - 21) < 12))
        apart = np.abs(found[0][..., :3].astype(float) - wanted)[flat]
        # Those that lose nothing are off where a library rounds levels another way.
        assert apart.mean() < (0.6 if form.key in LOSSLESS else 2.0), form.key
        if isinstance(form.output, FilmOutput):
            _, times = film_frames(path)
            assert times == pytest.approx(np.arange(N_FRAMES) / float(RATE), abs=1.1e-3)
            with av.open(str(path)) as container:
                depth = max(one.bits for one in container.streams.video[0].format.components)
                assert (
                    depth >= bits
                    and container.metadata.get("title", container.metadata.get("TITLE")) == "Numbers"
                )


def edit_number(project, frame):
    return number_of(drawn(project, frame))


def drawn(project, frame):
    return picture_at(project, frame)


@pytest.mark.parametrize("form", [one for one in FORMATS.all() if one.has_sound], ids=lambda one: one.key)
def test_the_sound_of_every_format_is_in_its_place_and_as_loud_as_was_asked(tmp_path, edit, form):
    path = a_name(tmp_path, form)
    n_frames = 90
    plain = ExportSettings(form.key, size=form.least_size if form.least_size > (64, 36) else (64, 36))
    assert export(edit, path, settings=plain, frames=range(n_frames)) == []
    sound = decoded_sound(path)
    assert abs(len(sound) - n_frames / RATE * SOUND_RATE) <= 1024
    song = click_track(np.arange(FIRST_CLICK, 12, 0.5), duration=12)[: len(sound)]
    likeness = np.correlate(sound[: 2 * SOUND_RATE], song[480 : 2 * SOUND_RATE - 480], "valid")
    assert abs(int(likeness.argmax()) - 480) <= 48  # a thousandth of a second
    export(edit, path, settings=replace(plain, loudness=-30.0), frames=range(n_frames), may_replace=True)
    assert loudness_by_ffmpeg(path) == pytest.approx(-30, abs=0.3)


def decoded_sound(path):
    with av.open(str(path)) as container:
        resampler = av.AudioResampler("fltp", "mono", SOUND_RATE)
        frames = [one for frame in container.decode(audio=0) for one in resampler.resample(frame)]
    return np.concatenate([one.to_ndarray()[0] for one in frames])


def loudness_by_ffmpeg(path):
    """Return the integrated loudness of a file, LUFS, by FFmpeg's own measurement."""
    with av.open(str(path)) as container:
        stream = container.streams.audio[0]
        graph = av.filter.Graph()
        source = graph.add_abuffer(template=stream)
        meter, sink = graph.add("ebur128", "metadata=1:framelog=quiet"), graph.add("abuffersink")
        source.link_to(meter)
        meter.link_to(sink)
        graph.configure()
        level = -math.inf
        for frame in [*container.decode(stream), None]:
            source.push(frame)
            while True:
                try:
                    level = float(sink.pull().metadata.get("lavfi.r128.I", level))
                except (av.BlockingIOError, av.EOFError):
                    break
    return level


def with_layers(project):
    """Return an edit with a half covering patch of red over its middle, and a soft one above."""
    red = ShapeFill(colour="#c83c28", width=0.5, height=0.5)
    project, item = put_fill_on_track(project, red, 0)
    project = change_item(project, item, opacity=0.5)
    soft = ShapeFill(colour="#3cb43c", width=0.2, height=0.9, feather=0.2)
    return put_fill_on_track(project, soft, 0)[0]


@pytest.mark.parametrize("form", CLEAR, ids=lambda one: one.key)
def test_a_clear_film_has_what_lies_over_the_picture_and_its_alpha(tmp_path, edit, form):
    path = a_name(tmp_path, form)
    project = with_layers(edit)
    export(project, path, settings=ExportSettings(form.key, is_clear=True), frames=range(4))
    found = read_pictures(path, form)[0].astype(float)
    assert found.shape[2] == 4
    lossy = form.key in ("vp9-webm", "webp", "avif")
    assert found[2, 2, 3] <= (2 if lossy else 0)
    assert found[72, 72, 3] == pytest.approx(128, abs=2 if lossy else 1)
    if form.key not in LOSSLESS:
        return
    assert found[72, 72, :3] == pytest.approx([40, 60, 200], abs=3)
    # Laid over the film without them, it is the film with them.
    alpha = found[..., 3:] / 255
    over = drawn(edit, 0) * (1 - alpha) + found[..., :3] * alpha
    assert np.abs(over - drawn(project, 0)).max() <= 3


def test_a_film_in_chunks_is_the_same_however_they_are_made(tmp_path, edit):
    settings = ExportSettings(size=(64, 36), quality=QualityWord.SMALL)
    whole = tmp_path / "whole.mp4"
    assert len(chunks_of(edit, range(edit.n_frames))) >= 2
    export(edit, whole, settings=settings)
    shared = tmp_path / "shared.mp4"
    for part in (2, 1):
        with pytest.raises(MediaError, match=r"chunks are not there: 1"):
            join_film(edit, shared, settings=settings)
        export_chunks(edit, shared, Share(part, 2), settings=settings)
    join_film(edit, shared, settings=settings)
    assert digest(shared) == digest(whole)
    # One that is stopped keeps what is ready, and goes on from there.
    broken, reports = tmp_path / "broken.mp4", []

    def stop(progress):
        reports.append(progress)
        if len(reports) == 200:
            raise CancelledError("enough")

    with pytest.raises(CancelledError):
        export(edit, broken, settings=settings, report=stop, keeps_chunks=lambda: True)
    assert not broken.exists()
    reports.clear()
    export(edit, broken, settings=settings, report=reports.append)
    assert reports[0].n_ready >= 100 and reports[-1].n_done == edit.n_frames
    assert digest(broken) == digest(whole)
    assert sorted(one.name for one in tmp_path.iterdir()) == ["broken.mp4", "shared.mp4", "whole.mp4"]


def digest(path):
    return hashlib.sha256(path.read_bytes()).hexdigest()


def test_chapters_title_and_poster_are_in_the_film(tmp_path, edit):
    edit = say_form(edit, [SaidPart(0.0, 4.0, "calm"), SaidPart(4.0, 12.0, "full")], [4.0])
    film = tmp_path / "film.mp4"
    settings = ExportSettings(has_chapters=True, poster=2.0)
    export(edit, film, settings=settings, frames=range(30, 240))
    with av.open(str(film)) as container:
        chapters = container.chapters()
        posters = [one for one in container.streams.video if one.disposition & 1024]
        poster = next(container.decode(posters[0])).to_ndarray(format="bgr24")
    spans = [
        (float(one["start"] * one["time_base"]), float(one["end"] * one["time_base"])) for one in chapters
    ]
    assert spans == [(0.0, 3.0), (3.0, 7.0)]
    assert [one["metadata"]["title"].split()[-1] for one in chapters] == ["calm", "full"]
    assert number_of(poster) == edit_number(edit, 60)
    assert len(film_frames(film)[0]) == 210


def test_loudness_is_that_of_the_standard():
    seconds = np.arange(20 * SOUND_RATE) / SOUND_RATE

    def sine(frequency, decibels, phase=0.0):
        wave = 10 ** (decibels / 20) * np.sin(2 * np.pi * frequency * seconds + phase)
        return np.repeat(wave[:, None], 2, axis=1).astype(np.float32)

    # EBU Tech 3341, cases 1, 2, 3 and 15: a sine of both channels, a gate, a peak between samples.
    assert loudness_of(sine(1000, -23), SOUND_RATE).integrated == pytest.approx(-23, abs=0.1)
    assert loudness_of(sine(1000, -33), SOUND_RATE).integrated == pytest.approx(-33, abs=0.1)
    gated = np.concatenate([sine(1000, -36)[: 10 * SOUND_RATE], *[sine(1000, -23)] * 3,
                            sine(1000, -36)[: 10 * SOUND_RATE]])  # fmt: skip
    assert loudness_of(gated, SOUND_RATE).integrated == pytest.approx(-23, abs=0.1)
    assert loudness_of(sine(12_000, -6, np.pi / 4), SOUND_RATE).peak == pytest.approx(-6, abs=0.2)
    silent = loudness_of(np.zeros((SOUND_RATE, 2), np.float32), SOUND_RATE)
    assert silent.integrated == -math.inf and silent.gain_to(-14) == (0.0, False)
    # One whose peaks leave no room stays below its target, and says so.
    assert loudness_of(sine(1000, -3), SOUND_RATE).gain_to(-0.5) == (pytest.approx(2.0, abs=0.1), True)


def test_what_a_format_cannot_do_is_said(tmp_path, edit):
    cases = [
        (ExportSettings("h264-mp4", is_clear=True), "keeps no transparency; these do:.*prores-4444"),
        (ExportSettings("h264-mp4", quality=77.0), r"CRF must be 0\.\.40, got 77"),
        (ExportSettings("prores-422", bits=8), "has 10 bits, got 8"),
        (ExportSettings("ffv1", quality=3.0), "has no quality to choose"),
        (ExportSettings("of-tomorrow"), "there is no format 'of-tomorrow'; there are: h264-mp4"),
    ]
    for settings, sentence in cases:
        with pytest.raises(ParameterError, match=sentence):
            export(edit, tmp_path / "film.mp4", settings=settings)
    with pytest.raises(MediaError, match=r"ProRes 422 HQ is written as \.mov, not \.mp4: name it film\.mov"):
        export(edit, tmp_path / "film.mp4", settings=ExportSettings("prores-422"))
    folder = tmp_path / "pictures"
    folder.mkdir()
    (folder / "letter.txt").write_text("mine")
    for may_replace in (False, True):
        with pytest.raises(MediaError, match="pictures is a folder with something in it"):
            export(edit, folder, settings=ExportSettings("png-sequence"), may_replace=may_replace)
    assert [one.name for one in tmp_path.iterdir()] == ["pictures"]
    without_song = replace(edit, song=None)
    with pytest.raises(MediaError, match="there is no sound to export"):
        export(without_song, tmp_path / "sound.wav", settings=ExportSettings("wav"))
