"""What happens is in the log, what libraries say too, and nothing that is the user's own."""

import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from helpers import grey_clip
from hypothesis import given
from hypothesis import strategies as st

from epiphane.errors import MediaError
from epiphane.log import discreet, told, write_report
from epiphane.media.probe import probe_footage

PROGRAM = """
import logging, os, sys, warnings
from pathlib import Path
from epiphane.log import start_log
start_log(Path(sys.argv[1]))
os.write(2, b"libmarble warning: odd chunk in /home/someone/runs/Long tower's fall.mp4\\n")
warnings.warn("careful")
logging.getLogger("epiphane").info("a lane of flash")
print("for the terminal", file=sys.stderr)
import time; time.sleep(0.3)
"""


def test_what_libraries_say_goes_to_the_log_and_not_to_the_terminal(tmp_path):
    done = subprocess.run(
        [sys.executable, "-c", PROGRAM, str(tmp_path)], capture_output=True, text=True, check=True
    )
    assert done.stderr == "for the terminal\n"
    log = (tmp_path / "epiphane.log").read_text()
    assert "libmarble warning: odd chunk" in log
    assert "careful" in log and "a lane of flash" in log
    assert "someone" not in log and "fall.mp4" not in log
    assert (tmp_path.stat().st_mode & 0o077) == 0


def test_a_log_that_cannot_be_written_is_no_reason_to_stop(tmp_path):
    (tmp_path / "log").write_text("a file where the folder would be")
    program = "import sys; from pathlib import Path; from epiphane.log import start_log;"
    program += "start_log(Path(sys.argv[1])); print('on')"
    command = [sys.executable, "-c", program, str(tmp_path / "log")]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert (done.stdout, done.stderr) == ("on\n", "")


NAMES = st.text(st.characters(categories=["L", "N"]), min_size=3, max_size=12)


@given(NAMES, NAMES, st.sampled_from(["mp4", "wav", "epiphane", "PNG"]))
def test_no_name_or_place_of_a_file_is_left(folder, name, suffix):
    for text in (
        f"/home/{folder}x1/{name}x2.{suffix} is damaged",
        f"[mov @ 0x55] cannot open {name}x2.{suffix}, leaving it",
        f"No such file: '/mnt/{folder}x1/{name}x2'",
        f"file:/media/{folder}x1/{name}x2.{suffix}: broken",
    ):
        assert f"{name}x2" not in discreet(text) and f"{folder}x1" not in discreet(text)
    assert discreet("song: done in 2.41 s (24/25 fps)") == "song: done in 2.41 s (24/25 fps)"


def test_an_error_is_told_by_where_it_came_from(tmp_path):
    path = tmp_path / "tower.mp4"
    path.write_bytes(b"no film")
    with pytest.raises(MediaError) as caught:
        probe_footage(path)
    text = told(caught.value)
    assert "MediaError" in text and "probe.py" in text and "tower" not in text
    assert "division by zero" in told(ZeroDivisionError("division by zero"))


def test_a_report_holds_the_log_and_versions_and_nothing_private(tmp_path):
    logs = tmp_path / "log"
    logs.mkdir()
    clip = grey_clip(tmp_path / "bucket.mp4", n_pictures=2)
    (logs / "epiphane.log").write_text(f"opened {clip}\n")
    (logs / "epiphane.log.1").write_text("older\n")
    write_report(tmp_path / "report.zip", {"shots": "12"}, folder=logs)
    with zipfile.ZipFile(tmp_path / "report.zip") as packed:
        assert packed.namelist() == ["versions.txt", "epiphane.log", "epiphane.log.1"]
        everything = b"".join(packed.read(name) for name in packed.namelist()).decode()
    assert "shots: 12" in everything and "python: " in everything and "older" in everything
    assert "bucket" not in everything and Path.home().name not in everything.split("system")[0]
