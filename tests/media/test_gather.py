"""Folders are taken in: the good files come, each of the others is told with its reason."""

import shutil
import struct
import threading
import time

import numpy as np
import pytest
from helpers import click_track, grey_clip, write_sound
from PIL import Image

from epiphane.document.footage import FootageKind
from epiphane.media.gather import find_again, gather_files
from epiphane.types import ignore_progress


@pytest.fixture
def folder(tmp_path):
    """A folder with a good file of each kind and broken ones of each kind, one of them below it."""
    below = tmp_path / "shots" / "Kugeln & Bahnen — 弹珠 №1"
    below.mkdir(parents=True)
    grey_clip(below / "a clip.mp4", n_pictures=20)
    Image.new("RGB", (30, 20), (9, 9, 9)).save(tmp_path / "still.png")
    write_sound(tmp_path / "knock.wav", click_track([0.1], duration=0.5))
    (tmp_path / "words.txt").write_text("not a film")
    (tmp_path / "half.mp4").write_bytes((below / "a clip.mp4").read_bytes()[:400])
    (tmp_path / "half.png").write_bytes((tmp_path / "still.png").read_bytes()[:60])
    (tmp_path / "half.wav").write_bytes(b"RIFF\x10\0\0\0WAVE")
    (tmp_path / "empty.mov").touch()
    (tmp_path / ".hidden.mp4").write_bytes(b"x")
    return tmp_path


def test_good_files_come_in_and_the_others_are_listed_with_their_reason(folder):
    gathered = gather_files([folder])
    assert {facts.path.rsplit("/", 1)[-1]: facts.kind for facts in gathered.found} == {
        "a clip.mp4": FootageKind.VIDEO,
        "still.png": FootageKind.STILL,
        "knock.wav": FootageKind.SOUND,
    }
    assert len(gathered.faults) == 5
    for name, reason in (
        ("empty.mov", "is empty"),
        ("half.mp4", "damaged"),
        ("half.png", "damaged"),
        ("half.wav", "damaged"),
        ("words.txt", "neither picture nor sound"),
    ):
        assert any(fault.startswith(name) and reason in fault for fault in gathered.faults)


def test_the_same_content_comes_once_whatever_it_is_called(folder):
    clip = folder / "shots" / "Kugeln & Bahnen — 弹珠 №1" / "a clip.mp4"
    shutil.copy(clip, folder / "copy.mp4")
    gathered = gather_files([clip, clip, folder / "copy.mp4"])
    assert len(gathered.found) == 1
    assert gathered.faults == ("copy.mp4 is the same as a clip.mp4 and comes once.",)


def test_a_file_that_is_still_being_written_waits(folder):
    path = folder / "recording.mp4"
    path.write_bytes(b"\0" * 1000)
    is_done = threading.Event()

    def record():
        while not is_done.is_set():
            with path.open("ab") as file:
                file.write(b"\0" * 1000)
            time.sleep(0.02)

    thread = threading.Thread(target=record)
    thread.start()
    gathered = gather_files([path])
    is_done.set()
    thread.join()
    assert gathered.faults == ("recording.mp4 is still being written; gather it again when it is complete.",)


def test_a_duration_that_the_header_makes_up_is_not_believed(tmp_path):
    path = grey_clip(tmp_path / "long.mkv", n_pictures=45)
    content = path.read_bytes()
    at = content.index(b"\x44\x89\x88") + 3  # Matroska's element of the duration, a float of 8 bytes
    path.write_bytes(content[:at] + struct.pack(">d", 3_600_000.0) + content[at + 8 :])
    (facts,) = gather_files([path]).found
    assert facts.duration == pytest.approx(1.5, abs=0.002)


def test_a_read_only_folder_can_be_gathered_from(folder):
    folder.chmod(0o555)
    try:
        assert len(gather_files([folder]).found) == 3
    finally:
        folder.chmod(0o755)


def test_missing_files_are_found_by_their_content_or_else_their_name(folder):
    found = {facts.path: facts.fingerprint for facts in gather_files([folder]).found}
    moved = folder / "elsewhere"
    moved.mkdir()
    wanted = sorted(found.items())
    for path, _ in wanted:
        name = path.rsplit("/", 1)[-1]
        shutil.move(path, moved / ("renamed.png" if name == "still.png" else name))
    grey_clip(moved / "a clip.mp4", n_pictures=9)  # another version of it
    places = find_again(wanted, moved, progress=ignore_progress)
    assert {path.rsplit("/", 1)[-1]: place.name for path, place in places.items()} == {
        "a clip.mp4": "a clip.mp4",
        "still.png": "renamed.png",
        "knock.wav": "knock.wav",
    }
    assert find_again([("/gone/other.mp4", "0" * 32)], moved, progress=ignore_progress) == {}


def test_a_name_with_anything_in_it_is_read(tmp_path):
    path = tmp_path / "a 'b' \"c\" %d [x] ü.mp4"
    grey_clip(path, n_pictures=5)
    (facts,) = gather_files([path]).found
    assert np.isclose(facts.duration, 5 / 30)
