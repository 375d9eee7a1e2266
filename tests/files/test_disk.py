"""Disks that are full, files that are none, names that cannot be: said in a sentence, and nothing is lost."""

import ast
import contextlib
import os
import resource
from pathlib import Path

import pytest
from helpers import grey_clip, numbered_picture, write_clip

import epiphane
from epiphane.audio.samples import read_samples
from epiphane.document.ids import FootageId
from epiphane.document.project import Project
from epiphane.edits.footage import add_footage
from epiphane.edits.shots.shots import lay_in_row
from epiphane.errors import EpiphaneError
from epiphane.exporting.export import export
from epiphane.files.project import load_project, save_project
from epiphane.media.probe import probe_footage
from epiphane.media.proxy import ProxyStore
from epiphane.media.still import is_still
from epiphane.render.nodes import SourceFrame
from epiphane.render.sources import OpenFootage


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


OWN_FILES = {
    "disk.py": "the gate itself",
    "log.py": "the log, in a folder that the application chooses",
    "demo/project.py": "of the demo, which is shipped",
    "desk/engine/memory.py": "what the system says of this process",
    "desk/look/theme.py": "icons, which are shipped",
    "audio/network.py": "weights, which are shipped",
    "files/desktop_entry.py": "menu entry and icon, which are shipped",
    "media/shipped.py": "the index of overlays, which are shipped",
}
OPENING = {"open", "read_bytes", "read_text", "imread", "VideoCapture"}
NO_FILES = {"self", "track", "zipfile", "editor", "_editor", "opening", "webbrowser"}


def test_whatever_is_read_by_a_name_goes_through_the_gate():
    """What opens files otherwise is listed here with its reason, or only writes."""
    strays = []
    source = Path(epiphane.__file__).parent
    for path in sorted(source.rglob("*.py")):
        name = path.relative_to(source).as_posix()
        for call in (one for one in ast.walk(ast.parse(path.read_text())) if isinstance(one, ast.Call)):
            opens = call.func.id if isinstance(call.func, ast.Name) else getattr(call.func, "attr", "")
            holder = getattr(call.func, "value", None)
            owner = getattr(holder, "id", getattr(holder, "attr", ""))
            if opens not in OPENING or owner in NO_FILES or name in OWN_FILES:
                continue
            values = [one.value for one in call.args if isinstance(one, ast.Constant)]
            text = ast.unparse(call)
            is_safe = "w" in values or "io.BytesIO(" in text or "Image.open(file)" in text
            if not is_safe:
                strays.append(f"{name}: {text}")
    assert strays == [OPENED]


OPENED = "media/opening.py: av.open(f'file:{path.absolute()}', metadata_errors='replace', options=_OPTIONS)"
"""After it has been through the gate."""


def test_pipes_devices_and_impossible_names_are_refused_at_once(tmp_path):
    os.mkfifo(tmp_path / "pipe.mp4")
    footage = OpenFootage(None)
    for name in ("pipe.mp4", "pipe.png"):
        path = tmp_path / name
        if not path.exists():
            os.mkfifo(path)
        assert not is_still(path) and footage.picture(SourceFrame(str(path), "0" * 32, 0.0)) is not None
    assert all("is a pipe" in fault for fault in footage.faults())
    footage.close()
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
