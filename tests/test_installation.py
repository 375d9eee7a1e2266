"""What is built installs without the repository: the command, its media, and films without a window."""

import os
import re
import subprocess
import sys
import sysconfig
import tomllib
from pathlib import Path

import pytest
from helpers import click_track, grey_clip, write_sound
from packaging.requirements import Requirement

ROOT = Path(__file__).parents[1]
WITHOUT_QT = "import sys; sys.modules['PyQt6'] = None; from epiphane.__main__ import main; main()"


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """Return the Python of an environment with the built wheel; its dependencies are those of this one."""
    folder = tmp_path_factory.mktemp("installed")
    pip = [sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check"]
    run([*pip, "wheel", str(ROOT), "--no-deps", "--wheel-dir", str(folder)])
    (wheel,) = folder.glob("*.whl")
    run([sys.executable, "-m", "venv", "--without-pip", str(folder / "venv")])
    python = folder / "venv/bin/python"
    run([*pip, "--python", str(python), "install", "--no-deps", str(wheel)])
    (own,) = (folder / "venv/lib").glob("*/site-packages")
    (own / "dependencies.pth").write_text(sysconfig.get_path("purelib"))  # its own .pth files are not read
    return python


def run(command, *, code=0):
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
    done = subprocess.run(command, check=False, capture_output=True, text=True, cwd="/", env=environment)
    assert done.returncode == code, done.stderr
    return done.stdout + done.stderr


def test_the_built_package_makes_a_film_without_a_window_and_without_the_repository(installed, tmp_path):
    song = write_sound(tmp_path / "song.wav", click_track([0.5, 1.0, 1.5, 2.0, 2.5], duration=4))
    clip, project = grey_clip(tmp_path / "clip.mp4"), tmp_path / "cut.epiphane"
    made = f"new {song} {clip} -o {project} --lane flash:beats".split()
    run([installed, "-c", WITHOUT_QT, *made, "--overlay", "ink white:bars"])
    film = tmp_path / "film.mp4"
    run([installed, "-c", WITHOUT_QT, *f"render {project} {film} --range 0:0.5 --size 64x36".split()])
    assert film.exists()
    said = run([installed, "-c", WITHOUT_QT, project], code=2)
    assert 'the window needs PyQt6: install it with  pip install "epiphane[window]"' in said
    where = run([installed, "-c", "import epiphane; print(epiphane.__file__)"]).strip()
    assert Path(where).is_relative_to(installed.parents[1])
    assert "h264-mp4" in run([installed.parent / "epiphane", "formats"])


def test_the_media_of_the_demo_and_all_icons_are_in_it(installed):
    told = run(
        [
            installed,
            "-c",
            "from epiphane.demo.project import open_demo; from epiphane.files.project import missing_files;"
            "from epiphane import assets;"
            "print(missing_files(open_demo()), len(list(assets.ICONS.glob('*.svg'))))",
        ]
    )
    n_icons = len(list((ROOT / "src/epiphane/assets/icons").glob("*.svg")))
    assert told.strip() == f"[] {n_icons}"


def test_the_locked_versions_are_such_as_the_project_allows_each_with_its_hashes():
    locked = dict(
        re.findall(
            r"^([\w.-]+)==(\S+) \\\n    --hash=sha256:", (ROOT / "requirements.lock").read_text(), re.M
        )
    )
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    wanted = [
        *project["dependencies"],
        *(one for key in ("window", "farm") for one in project["optional-dependencies"][key]),
    ]
    for requirement in map(Requirement, wanted):
        name = requirement.name.lower().replace("_", "-")
        assert requirement.specifier.contains(locked[name]), requirement


def test_the_debian_package_needs_what_the_window_loads_and_has_the_version_of_the_project():
    control = (ROOT / "packages/debian/control").read_text()
    needed = control.partition("Depends: ${misc:Depends}")[2].partition("Description:")[0]
    script = (ROOT / "tools/install-system-libraries").read_text()
    libraries = set(re.search(r'LIBRARIES="([^"]+)"', script)[1].split()) - {"python3-venv"}
    assert libraries == set(re.findall(r"\blib[\w.+-]+", needed)) - {"libc6", "libstdc++6"}
    version = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"]
    assert (ROOT / "packages/debian/changelog").read_text().startswith(f"epiphane ({version}) ")
