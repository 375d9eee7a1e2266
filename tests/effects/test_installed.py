"""Effects of other packages are found where those are installed, and missed in words where they are not."""

import os
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

from helpers import a_project
from msgspec.structs import replace

from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane
from epiphane.files.project import load_project, save_project
from epiphane.keying.schedule import schedule
from epiphane.lane_kinds import lane_kind
from epiphane.render.plan import plan_frame

EXAMPLE = Path(__file__).parents[2] / "docs" / "example-effects"
KEY = "example.dusk"

LOOK = f"""
import sys
from pathlib import Path
import numpy as np
from epiphane.effects.declare import EFFECTS
from epiphane.files.project import load_project
from epiphane.keying.schedule import schedule
from epiphane.render.plan import plan_frame
project = load_project(Path(sys.argv[1]))
assert EFFECTS.find({KEY!r}).label == "Dusk" and EFFECTS.find("flash") and not EFFECTS.find("broken")
cues = schedule(project)
assert {KEY!r} in repr(plan_frame(project, cues, 15))
"""


def install(folder, name, module, points):
    """Lay a package into a folder as an installer does (PyPA, recording installed projects)."""
    shutil.copy(module, folder)
    info = folder / f"{name.replace('-', '_')}-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text(f"Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n")
    lines = [f"[{group}]\n" + "\n".join(f"{key} = {one[key]}" for key in one) for group, one in points]
    (info / "entry_points.txt").write_text("\n".join(lines))


def test_the_example_package_is_found_where_it_is_installed_and_missed_where_it_is_not(tmp_path):
    project = a_project(n_lanes=0)
    dusk = Lane(LaneId(50), KEY, PulseId(5))
    path = tmp_path / "edit.epiphane"
    save_project(replace(project, stack=(dusk,)), path)
    opened = load_project(path)
    assert opened.lanes == (dusk,) and lane_kind(KEY) is None
    assert plan_frame(opened, schedule(opened), 15) == plan_frame(project, schedule(project), 15)
    told = tomllib.loads((EXAMPLE / "pyproject.toml").read_text())["project"]
    install(tmp_path, told["name"], EXAMPLE / "epiphane_example_effects.py", told["entry-points"].items())
    broken = tmp_path / "broken" / "broken_effects.py"
    broken.parent.mkdir()
    broken.write_text("raise RuntimeError('no')")
    install(tmp_path, "broken-effects", broken, [("epiphane.effects", {"broken": "broken_effects"})])
    environment = os.environ | {"PYTHONPATH": str(tmp_path)}
    subprocess.run([sys.executable, "-c", LOOK, str(path)], env=environment, check=True)
