"""What scripts use does what the window does: the pages of the documentation are run as they stand."""

import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from helpers import click_track, grey_clip, write_sound

import epiphane
from epiphane.cli import commands
from epiphane.errors import ParameterError
from epiphane.files.project import load_project
from epiphane.keying.schedule import schedule

DOCS = Path(__file__).parent.parent / "docs"


def test_the_page_for_scripts_runs_as_it_stands(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    write_sound(tmp_path / "song.wav", click_track(np.arange(0.5, 12, 0.5), duration=12.5))
    grey_clip(tmp_path / "clip.mp4")
    words = ["new", "song.wav", "clip.mp4", "-o", "edit.epiphane", "--lane", "flash:beats"]
    commands.main(words, standalone_mode=False)
    kept = load_project(tmp_path / "edit.epiphane")
    names = {}
    for block in re.findall(r"```python\n(.*?)```", (DOCS / "scripting.md").read_text(), re.DOTALL):
        exec(block.replace("1920, 1080", "64, 36"), names)
    assert names["heard"].tempo == pytest.approx(120, rel=0.01)
    assert np.array_equal(names["levels"], schedule(kept).lanes[0].levels) and names["levels"].max() == 1
    assert names["picture"].shape == (360, 640, 3)
    assert (tmp_path / "film.mp4").stat().st_size > 1000
    assert len(names["project"].lanes) == 2 and len(kept.lanes) == 1
    with pytest.raises(ParameterError, match="there is no frame 9999"):
        epiphane.picture_at(kept, 9999)


def test_the_package_alone_loads_nothing():
    words = "import sys, epiphane; assert not {'numpy', 'av', 'PyQt6'} & set(sys.modules); epiphane.listen"
    subprocess.run([sys.executable, "-c", words], check=True)
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        _ = epiphane.nothing
