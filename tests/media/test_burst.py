"""The moment of an overlay is where it bursts, or else where it is brightest; shipped ones travel by name."""

import json

import numpy as np
import pytest
from helpers import a_project, write_clip
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.edits.footage import add_footage
from epiphane.files.project import load_project, save_project
from epiphane.files.trust import TrustedFolders
from epiphane.media.burst import find_burst
from epiphane.media.probe import probe_footage
from epiphane.media.shipped import shipped_overlays

RATE = 30


def ink(at, n):
    """Pictures of nothing, then of a spot that is there at once and grows on and on, and fades."""
    across, down = np.meshgrid(np.arange(96) - 48, np.arange(54) - 27)
    pictures = []
    for number in range(n):
        age = number - at
        radius = 0 if age < 0 else 9 + 2.2 * age**0.6
        level = 230 * min(1.0, max(0.0, 1 - (age - 20) / 12))
        pictures.append(np.where(np.hypot(across, down) < radius, level, 0).astype(np.uint8))
    return [np.dstack([one] * 3) for one in pictures]


@given(at=st.integers(4, 24))
def test_ink_bursts_where_it_is_first_seen(tmp_path_factory, at):
    path = write_clip(tmp_path_factory.mktemp("ink") / "ink.mp4", ink(at, 60))
    assert find_burst(path) == pytest.approx(at / RATE, abs=1.01 / RATE)


def test_a_leak_has_its_moment_where_it_is_brightest_and_a_texture_at_its_start(tmp_path):
    hump = [np.full((54, 96, 3), round(180 * np.exp(-(((n - 33) / 9) ** 2))), np.uint8) for n in range(60)]
    assert find_burst(write_clip(tmp_path / "leak.mp4", hump)) == pytest.approx(33 / RATE, abs=1.01 / RATE)
    rng = np.random.default_rng(5)
    grain = [rng.integers(118, 138, (54, 96, 3), np.uint8) for _ in range(40)]
    assert find_burst(write_clip(tmp_path / "grain.mp4", grain)) == 0


def test_what_is_shipped_is_found_by_name_wherever_it_lies_and_has_a_moment_of_its_kind(tmp_path):
    overlays = {one.name: one for one in shipped_overlays()}
    assert len(overlays) == 20
    bursts = {name: one.moment for name, one in overlays.items()}
    assert all(bursts[name] > 0.1 for name in ("ink white", "smoke", "leak rose", "sparks", "gleam"))
    assert {bursts[name] for name in ("paper sheets", "dust and hairs", "rain", "bokeh")} == {None}
    for name in ("sparks", "burning edge"):  # as it is found: about there
        assert abs(find_burst(overlays[name].path) - bursts[name]) < 0.3
    project = add_footage(a_project(), [probe_footage(one.path) for one in overlays.values()])
    saved = tmp_path / "away" / "edit.epiphane"
    saved.parent.mkdir()
    save_project(project, saved)
    paths = [one["path"] for one in json.loads(saved.read_text())["footage"]]
    assert paths[-20:] == [f"shipped:{one.path.name}" for one in overlays.values()]
    read = load_project(saved)
    assert [one.path for one in read.footage[-20:]] == [str(one.path) for one in overlays.values()]
    alone = replace(read, footage=read.footage[-20:], song=None)
    assert TrustedFolders(tmp_path).strange_to(alone, saved.parent) == []
