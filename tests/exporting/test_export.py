"""Exported films decoded again: flashes on the right frames, footage exact, sound in its place."""

import os
import threading
from fractions import Fraction

import numpy as np
import pytest
from helpers import (
    SOUND_RATE,
    click_track,
    grey_clip,
    number_of,
    numbered_picture,
    read_lumas,
    write_clip,
    write_sound,
)
from msgspec.structs import replace

from epiphane.audio.cache import hear_song
from epiphane.audio.samples import read_samples
from epiphane.demo.project import open_basic_demo
from epiphane.document.filling import Pace
from epiphane.document.ids import FootageId
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import cut_of
from epiphane.edits.footage import add_footage
from epiphane.edits.keying.lanes import add_lane, change_envelope
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.shots.shots import lay_in_row
from epiphane.edits.song.song import set_song
from epiphane.edits.song.trim import shape_song, trim_song
from epiphane.errors import CancelledError, DiskError, MediaError
from epiphane.exporting.export import export
from epiphane.exporting.progress import ExportProgress
from epiphane.exporting.target import unused_name
from epiphane.files.project import save_project
from epiphane.media.clip import Clip
from epiphane.media.probe import probe_footage
from epiphane.render.sources import OpenFootage
from epiphane.timing import COMMON_RATES, frame_at

SIZE = (160, 90)


@pytest.fixture(scope="module")
def clicks(tmp_path_factory):
    """A click track of 120 BPM, 12 s long, that begins off the frame grid of every rate."""
    folder = tmp_path_factory.mktemp("clicks")
    times = np.arange(0.337, 12, 0.5)
    return write_sound(folder / "clicks.wav", click_track(times, duration=12)), times


def edit_of(song_path, clip_path, *, rate=Fraction(30)):
    project = set_song(Project(), hear_song(song_path).as_song())
    project = replace(add_footage(project, [probe_footage(clip_path)]), rate=rate)
    project = fill_song(project)
    project, beats = ensure_pulse(project, PulseUnit.BEAT)
    return add_lane(project, "flash", beats)


@pytest.mark.parametrize("rate", [r for r in COMMON_RATES if r != Fraction(50)], ids=str)
def test_flashes_peak_on_exactly_the_frames_of_the_beats(tmp_path, clicks, rate):
    song, times = clicks
    project = edit_of(
        song, grey_clip(tmp_path / "grey.mp4", rate=rate, n_pictures=round(2 * rate)), rate=rate
    )
    project = change_envelope(project, project.lanes[0].id, rise=2, hold=0, fall=4)
    film, n_frames = tmp_path / "film.mp4", round(6 * rate)
    assert export(project, film, frames=range(n_frames)) == []
    lumas, shown_at = read_lumas(film)
    brightness = np.array([luma.mean() for luma in lumas])
    assert len(lumas) == n_frames
    assert shown_at == pytest.approx(np.arange(len(lumas)) / float(rate), abs=1e-4)
    peaks = (
        np.flatnonzero((brightness[1:-1] > brightness[:-2] + 5) & (brightness[1:-1] >= brightness[2:] + 5))
        + 1
    )
    # The frame of a click is the one on screen at its first sample: closed form, not our own function.
    assert peaks.tolist() == [int(Fraction(round(t * 1000), 1000) * rate) for t in times if t < 5.9]
    assert brightness[peaks].min() > 150
    assert np.median(brightness) < 110


def test_the_sound_of_the_film_is_the_song_at_its_place(tmp_path, clicks):
    song, _ = clicks
    project = edit_of(song, grey_clip(tmp_path / "grey.mp4"))
    whole, part = tmp_path / "whole.mp4", tmp_path / "part.mp4"
    export(project, whole)
    export(project, part, frames=range(90, 240))
    original = read_samples(song).mono()
    for film, start in ((whole, 0.0), (part, 3.0)):
        sound = read_samples(film).mono()
        reference = original[round(start * SOUND_RATE) :][: len(sound)]
        offset = best_offset(reference, sound[: len(reference)])
        assert abs(offset) / SOUND_RATE < 0.001


def test_a_trimmed_song_begins_where_it_was_trimmed_and_flashes_stay_on_its_clicks(tmp_path, clicks):
    song, times = clicks
    project = edit_of(song, grey_clip(tmp_path / "grey.mp4", n_pictures=60))
    project = change_envelope(project, project.lanes[0].id, rise=2, hold=0, fall=4)
    project = shape_song(trim_song(project, 3.1, 9.3), gain=-6.0, fade_out=1.0)
    film = tmp_path / "film.mp4"
    export(project, film)
    sound, original = read_samples(film).mono(), read_samples(song).mono()
    reference = original[round(3.1 * SOUND_RATE) :][: 4 * SOUND_RATE]
    assert abs(best_offset(reference, sound[: len(reference)])) / SOUND_RATE < 0.001
    loud = np.abs(reference).max() * 10 ** (-6 / 20)
    assert np.abs(sound[: 4 * SOUND_RATE]).max() == pytest.approx(loud, rel=0.1)
    assert np.abs(sound[-SOUND_RATE // 10 :]).max() < 0.1 * loud
    brightness = np.array([luma.mean() for luma in read_lumas(film)[0]])
    peaks = np.flatnonzero(brightness[1:-1] > np.maximum(brightness[:-2], brightness[2:]) + 5) + 1
    heard = [t - 3.1 for t in times if 3.1 <= t < 9.3]
    assert peaks.tolist() == [int(round(t, 6) * 30) for t in heard]


def best_offset(reference, sound):
    """Return the shift, in samples, at which two sounds are most alike."""
    n_fft = 2 * len(reference)
    product = np.fft.irfft(np.fft.rfft(sound, n_fft) * np.conj(np.fft.rfft(reference, n_fft)), n_fft)
    best = int(product.argmax())
    return best if best < n_fft // 2 else best - n_fft


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(30000, 1001), Fraction(60)], ids=str)
def test_every_frame_of_the_film_shows_the_right_picture(tmp_path, clicks, rate):
    clip = write_clip(tmp_path / "a.mp4", [numbered_picture(n) for n in range(120)], rate=Fraction(30))
    project = edit_of(clicks[0], clip, rate=rate)
    project = with_lanes(project, lanes=())
    film = tmp_path / "film.mp4"
    export(project, film, frames=range(0, round(6 * rate)))
    numbers = [number_of(luma) for luma in read_lumas(film)[0]]
    expected = []
    for frame in range(len(numbers)):
        shot = next(s for s in project.shots if s.start <= frame < s.start + s.n_frames)
        seconds = cut_of(shot).source_start + (frame - shot.start) / rate
        expected.append(min(frame_at(float(seconds), Fraction(30)), 119))
    assert numbers == expected


def test_size_and_rate_can_be_chosen(tmp_path, clicks):
    project = edit_of(clicks[0], grey_clip(tmp_path / "grey.mp4"))
    film = tmp_path / "film.mp4"
    seen: list[ExportProgress] = []
    export(project, film, size=(96, 54), rate=Fraction(25), frames=range(20, 45), report=seen.append)
    lumas, _ = read_lumas(film)
    assert len(lumas) == 25
    assert lumas[0].shape == (54, 96)
    assert [progress.n_done for progress in seen] == list(range(1, 26))
    assert seen[0].remaining is None
    assert seen[-1].remaining == 0
    assert probe_footage(film).rate == 25


def test_stopping_leaves_what_was_there(tmp_path, clicks, monkeypatch):
    project = edit_of(clicks[0], grey_clip(tmp_path / "grey.mp4"))
    film = tmp_path / "film.mp4"
    film.write_bytes(b"the film of yesterday")

    def stop(progress):
        if progress.n_done == 30:
            raise CancelledError("stopped by the editor")

    before, at_close = set(threading.enumerate()), []
    close = OpenFootage.close
    monkeypatch.setattr(
        OpenFootage, "close", lambda self: at_close.extend(set(threading.enumerate()) - before) or close(self)
    )
    with pytest.raises(CancelledError):
        export(project, film, may_replace=True, report=stop)
    assert at_close == [], "clips are closed while threads may still be decoding them"
    assert film.read_bytes() == b"the film of yesterday"
    assert sorted(path.name for path in tmp_path.iterdir()) == ["film.mp4", "grey.mp4"]


def test_what_cannot_be_exported_says_why(tmp_path, clicks):
    project = edit_of(clicks[0], grey_clip(tmp_path / "grey.mp4"))
    with pytest.raises(MediaError, match="nothing to export"):
        export(Project(), tmp_path / "film.mp4")
    with pytest.raises(MediaError, match="even numbers of pixels, got 161x90"):
        export(project, tmp_path / "film.mp4", size=(161, 90))
    with pytest.raises(DiskError, match="cannot be written"):
        export(project, tmp_path / "no folder" / "film.mp4")
    gone = replace(project, song=replace(project.song, path=str(tmp_path / "gone.wav")))
    with pytest.raises(MediaError, match=r"gone\.wav is not there any more"):
        export(gone, tmp_path / "film.mp4")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["grey.mp4"]


def test_a_lost_clip_is_said_and_the_film_is_made(tmp_path, clicks):
    clip = grey_clip(tmp_path / "grey.mp4")
    project = edit_of(clicks[0], clip)
    clip.unlink()
    faults = export(project, tmp_path / "film.mp4", frames=range(10))
    assert faults == ["grey.mp4 is not there any more; put it back or replace it."]
    assert len(read_lumas(tmp_path / "film.mp4")[0]) == 10


@pytest.mark.parametrize("harm", ["cut", "emptied", "overwritten", "removed"])
@pytest.mark.parametrize("suffix", [".mp4", ".mkv", ".avi"])
def test_a_clip_that_is_harmed_meanwhile_does_not_end_the_export(tmp_path, suffix, harm):
    noise = np.random.default_rng(1).integers(0, 255, (36, 90, 160, 3), np.uint8)
    codec = {".avi": "mpeg4"}.get(suffix, "libx264")
    clip = write_clip(tmp_path / f"clip{suffix}", list(noise), codec=codec, options={"g": "12"})
    project = lay_in_row(add_footage(Project(), [probe_footage(clip)]), [FootageId(1)])

    def strike(progress):
        if progress.n_done == 10:
            {
                "cut": lambda: os.truncate(clip, clip.stat().st_size // 3),
                "emptied": lambda: os.truncate(clip, 0),
                "overwritten": lambda: clip.write_bytes(bytes(clip.stat().st_size)),
                "removed": clip.unlink,
            }[harm]()

    faults = export(project, tmp_path / "film.mp4", size=SIZE, frames=range(36), report=strike)
    assert len(read_lumas(tmp_path / "film.mp4")[0]) == 36
    assert all(fault.startswith("clip.") and fault.endswith(".") for fault in faults)
    assert len(faults) <= 1


def test_the_same_project_gives_the_same_film_to_the_byte(tmp_path):
    project = open_basic_demo()
    films = [tmp_path / f"{number}.mp4" for number in range(2)]
    for film in films:
        export(project, film, size=(640, 360), frames=range(240, 420))
    first = films[0].read_bytes()
    assert all(film.read_bytes() == first for film in films)


def test_a_film_is_written_over_nothing_that_is_read_and_nothing_unasked(tmp_path, clicks):
    song = tmp_path / "song.wav"
    song.write_bytes(clicks[0].read_bytes())
    clip = grey_clip(tmp_path / "clip.mp4")
    project = edit_of(song, clip)
    own = tmp_path / "edit.epiphane"
    save_project(project, own)
    (tmp_path / "link.mp4").symlink_to(clip)
    os.link(song, tmp_path / "hard.mp4")
    os.mkfifo(tmp_path / "pipe.mp4")
    (tmp_path / "there.mp4").write_bytes(b"yesterday's")
    (tmp_path / "locked.mp4").write_bytes(b"kept")
    (tmp_path / "locked.mp4").chmod(0o444)
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir() if path.name != "pipe.mp4"}
    for name, words in (
        ("clip.mp4", "read by the project itself"),
        ("link.mp4", "read by the project itself"),
        ("hard.mp4", "read by the project itself"),
        ("pipe.mp4", "it is a pipe or a device"),
        ("locked.mp4", "it is read-only"),
        ("film.webm", r"written as \.mp4, not \.webm: name it film\.mp4"),
        ("film.gif", r"written as \.mp4, not \.gif"),
        ("film", r"name it film\.mp4"),
    ):
        with pytest.raises(MediaError, match=words):
            export(project, tmp_path / name, may_replace=True)
    with pytest.raises(MediaError, match=r"there\.mp4 is there already"):
        export(project, tmp_path / "there.mp4")
    assert before == {path.name: path.read_bytes() for path in tmp_path.iterdir() if path.name != "pipe.mp4"}
    export(project, tmp_path / "there.mp4", frames=range(3), may_replace=True)
    assert len(read_lumas(tmp_path / "there.mp4")[0]) == 3
    assert unused_name(clip) == tmp_path / "clip 2.mp4"


def test_two_exports_to_one_name_do_not_meet(tmp_path):
    project = lay_in_row(
        add_footage(Project(), [probe_footage(grey_clip(tmp_path / "a.mp4"))]), [FootageId(1)]
    )
    film = tmp_path / "film.mp4"
    inner = []

    def another(progress):
        if progress.n_done == 20:
            inner.append(export(project, film, size=SIZE, frames=range(30)))

    export(project, film, size=SIZE, report=another)
    assert inner == [[]]
    assert len(read_lumas(film)[0]) == 60
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a.mp4", "film.mp4"]


def test_clips_that_come_in_turn_are_not_all_opened_at_every_turn(tmp_path, clicks, monkeypatch):
    project = set_song(Project(), hear_song(clicks[0]).as_song())
    for number in range(8):
        path = grey_clip(tmp_path / f"{number}.mp4", n_pictures=90, level=20 * number + 10, size=(64, 36))
        project = add_footage(project, [probe_footage(path)])
    project = fill_song(project, pace=Pace(every=1))
    opened = []

    def counted(path):
        opened.append(path)
        return Clip(path)

    monkeypatch.setattr("epiphane.render.sources._file", counted)
    monkeypatch.setattr("epiphane.exporting.drawn_frames._MOST_OPEN", 5)
    export(project, tmp_path / "film.mp4")
    lumas, _ = read_lumas(tmp_path / "film.mp4")
    # Closing the one unused for longest would open a clip for every shot.
    assert len(opened) < 0.8 * len(project.shots)
    for shot in project.shots:
        level = 20 * (shot.footage - project.footage[0].id) + 10
        assert abs(float(lumas[shot.start + 1].mean()) - level) < 5
