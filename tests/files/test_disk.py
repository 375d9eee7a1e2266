"""Disks that are full, files that are none, names that cannot be: said in a sentence, and nothing is lost."""

import contextlib
import os
import resource
from pathlib import Path

import pytest
from helpers import grey_clip, numbered_picture, write_clip

from epiphane.audio.samples import read_samples
from epiphane.document.ids import FootageId
from epiphane.document.project import Project
from epiphane.edits.footage import add_footage
from epiphane.edits.shots import lay_in_row
from epiphane.errors import EpiphaneError
from epiphane.files.project import load_project, save_project
from epiphane.media.probe import probe_footage
from epiphane.media.proxy import ProxyStore
from epiphane.render.export import export


@contextlib.contextmanager
def full_disk(n_bytes):
    """Let no file grow beyond some bytes, as on a disk that is full."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (n_bytes, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


def test_a_full_disk_is_said_and_what_was_there_stays(tmp_path):
    clip = write_clip(tmp_path / "a.mp4", [numbered_picture(n, (1280, 720)) for n in range(30)])
    project = lay_in_row(add_footage(Project(name="old"), [probe_footage(clip)]), [FootageId(1)])
    edit, film = tmp_path / "edit.epiphane", tmp_path / "film.mp4"
    save_project(project, edit)
    export(project, film, size=(64, 36))
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir()}
    with full_disk(300):
        for write in (
            lambda: save_project(project, edit),
            lambda: export(project, film, may_replace=True),
            lambda: ProxyStore(tmp_path / "proxies").make(clip, "0" * 32),
        ):
            with pytest.raises(EpiphaneError, match="cannot be written"):
                write()
    assert list((tmp_path / "proxies").iterdir()) == []
    (tmp_path / "proxies").rmdir()
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == before


def test_what_the_dead_have_left_is_cleaned_up(tmp_path):
    clip = grey_clip(tmp_path / "a.mp4")
    project = lay_in_row(add_footage(Project(), [probe_footage(clip)]), [FootageId(1)])
    left = [tmp_path / f".{name}.0123456789ab.part" for name in ("edit.epiphane", "film.mp4")]
    other = tmp_path / ".another.mp4.0123456789ab.part"
    for path in (*left, other):
        path.write_bytes(b"half of it")
    save_project(project, tmp_path / "edit.epiphane")
    export(project, tmp_path / "film.mp4", size=(64, 36))
    assert not any(path.exists() for path in left)
    assert other.exists()  # another one's: whoever writes that name cleans up behind it


def test_pipes_devices_and_impossible_names_are_refused_at_once(tmp_path):
    os.mkfifo(tmp_path / "pipe.mp4")
    for path in (tmp_path / "pipe.mp4", Path("/dev/zero"), tmp_path, Path("a\0b"), tmp_path / ("x" * 4000)):
        for read in (probe_footage, read_samples, load_project):
            with pytest.raises(EpiphaneError) as caught:
                read(path)
            assert len(str(caught.value)) < 300
    odd = Path(os.fsdecode(os.fsencode(tmp_path) + b"/\xff\xfe.mp4"))
    odd.write_bytes(write_clip(tmp_path / "a.mp4", [numbered_picture(0)] * 3).read_bytes())
    with pytest.raises(EpiphaneError, match="rename the file"):
        probe_footage(odd)


@pytest.mark.parametrize("mode", [0o600, 0o640, 0o444])
def test_saving_keeps_modes_and_links_and_respects_read_only(tmp_path, mode):
    path, link = tmp_path / "edit.epiphane", tmp_path / "link.epiphane"
    save_project(Project(name="old"), path)
    path.chmod(mode)
    link.symlink_to(path)
    if mode == 0o444:
        with pytest.raises(EpiphaneError, match="read-only"):
            save_project(Project(name="new"), link)
        assert b"old" in path.read_bytes()
        return
    save_project(Project(name="new"), link)
    assert link.is_symlink()
    assert path.stat().st_mode & 0o777 == mode
    assert b"new" in path.read_bytes()
    assert [one.name for one in tmp_path.iterdir() if one.name.startswith(".")] == []
