"""A farm: the same film to the byte, whatever becomes of its workers, and what is said where it cannot be."""

import hashlib
import os
import signal
import threading

import pytest
from click.testing import CliRunner
from msgspec.structs import replace

from epiphane.cli import commands
from epiphane.document.matte import Matte, MatteKind
from epiphane.document.timeline import ShapeFill
from epiphane.edits.items.tracks import put_fill_on_track
from epiphane.errors import CancelledError, MediaError
from epiphane.exporting.export import export
from epiphane.exporting.farm import FarmError
from epiphane.exporting.local_farm import local_farm
from epiphane.files.project import save_project
from epiphane.formats.settings import ExportSettings

SETTINGS = ExportSettings(size=(64, 36))


@pytest.fixture(scope="module")
def farm():
    with local_farm(2) as running:
        yield running


@pytest.fixture(scope="module")
def whole(edit, tmp_path_factory):
    """Return the hash of the film as one process makes it."""
    film = tmp_path_factory.mktemp("whole") / "film.mp4"
    export(edit, film, settings=SETTINGS)
    return content(film)


def content(path):
    return hashlib.sha256(path.read_bytes()).hexdigest()


def pids(farm):
    return [worker.pid for worker in farm._cluster.workers.values()]


def test_a_farm_makes_the_same_film_and_one_bar_tells_how_far_it_is(farm, edit, whole, tmp_path):
    seen = []
    assert export(edit, tmp_path / "film.mp4", settings=SETTINGS, farm=farm.address, report=seen.append) == []
    assert content(tmp_path / "film.mp4") == whole
    done = [progress.n_done for progress in seen]
    assert done == sorted(done) and done[-1] == seen[0].n_frames == edit.n_frames
    assert [one.name for one in tmp_path.iterdir()] == ["film.mp4"]


def test_the_film_is_whole_where_a_worker_is_killed_in_the_middle(farm, edit, whole, tmp_path):
    killed = []

    def kill(progress):
        if progress.n_done >= 10 and not killed:
            killed.extend(pids(farm)[:1])
            os.kill(killed[0], signal.SIGKILL)

    export(edit, tmp_path / "film.mp4", settings=SETTINGS, farm=farm.address, report=kill)
    assert killed and content(tmp_path / "film.mp4") == whole


def test_mattes_come_with_the_chunks(farm, edit, tmp_path, monkeypatch):
    matte = Matte(kind=MatteKind.LUMA, end=2.0)
    shots = tuple(replace(shot, matte=matte) for shot in edit.shots[:1])
    behind, _ = put_fill_on_track(replace(edit, shots=shots + edit.shots[1:]), ShapeFill(), 0)
    behind = replace(behind, stack=tuple(replace(one, is_behind=True) for one in behind.stack))
    films = []
    for number, address in enumerate((farm.address, "")):
        monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / f"cache{number}"))
        films.append(tmp_path / f"film{number}.mp4")
        export(behind, films[-1], settings=SETTINGS, frames=range(40), farm=address)
    assert content(films[0]) == content(films[1])
    plain = replace(behind, stack=tuple(replace(one, is_behind=False) for one in behind.stack))
    export(plain, tmp_path / "plain.mp4", settings=SETTINGS, frames=range(40))
    assert content(tmp_path / "plain.mp4") != content(films[0]), "the matte would show nothing"


def test_stopping_stops_the_workers_too(farm, edit, tmp_path):
    def stop(progress):
        if progress.n_done:
            raise CancelledError("enough")

    with pytest.raises(CancelledError):
        export(edit, tmp_path / "film.mp4", settings=SETTINGS, farm=farm.address, report=stop)
    assert list(tmp_path.iterdir()) == []
    until_idle(farm)


def until_idle(farm):
    for _ in range(200):
        if not farm._cluster.scheduler.tasks:
            return
        threading.Event().wait(0.1)
    raise AssertionError("tasks are left")


def test_what_is_in_the_way_is_said_by_name_and_machine(farm, edit, tmp_path, monkeypatch):
    film = tmp_path / "film.mp4"
    with pytest.raises(FarmError, match=r"no farm at tcp://127\.0\.0\.1:9"):
        monkeypatch.setattr("epiphane.exporting.farm._CONNECTING_SECONDS", 1.0)
        export(edit, film, settings=SETTINGS, farm="tcp://127.0.0.1:9")
    with pytest.raises(FarmError, match="no farm at nowhere"):
        export(edit, film, settings=SETTINGS, farm="nowhere at all")
    monkeypatch.undo()
    with pytest.raises(MediaError, match="not made in chunks"):
        export(edit, tmp_path / "film.gif", settings=ExportSettings("gif"), farm=farm.address)
    with monkeypatch.context() as patched:
        own = {"epiphane": "0.1.0", "av": "9", "cv2": "9", "numpy": "9"}
        patched.setattr("epiphane.exporting.farm.makers", lambda: own)
        with pytest.raises(FarmError, match=r"has other versions, .*numpy .* \(9 here\)"):
            export(edit, film, settings=SETTINGS, farm=farm.address)
    with monkeypatch.context() as patched:
        patched.setattr("epiphane.exporting.farm._sizes", lambda _order: {"/nowhere/marbles.mp4": 1, "/b": 2})
        with pytest.raises(FarmError, match=r"does not see /nowhere/marbles.mp4 and 1 more files"):
            export(edit, film, settings=SETTINGS, farm=farm.address)
    assert list(tmp_path.iterdir()) == []


def test_what_a_farm_has_made_stays_when_it_goes_away(edit, whole, tmp_path, monkeypatch):
    monkeypatch.setattr("epiphane.exporting.farm._LOST_SECONDS", 1.0)
    film = tmp_path / "film.mp4"
    with local_farm(1) as farm:
        ending = threading.Thread(target=farm._cluster.close)

        def end(_progress):
            if list(tmp_path.glob(".film.mp4.chunks/*.mp4")) and ending.ident is None:
                ending.start()

        with pytest.raises(FarmError, match="the farm is gone"):
            export(edit, film, settings=SETTINGS, farm=farm.address, report=end)
        ending.join()
    seen = []
    export(edit, film, settings=SETTINGS, report=seen.append)
    assert seen[0].n_ready > 0 and content(film) == whole


def test_many_projects_are_made_on_a_farm_by_one_command(farm, edit, tmp_path):
    projects = [tmp_path / f"{name}.epiphane" for name in ("one", "two")]
    for path in projects:
        save_project(edit, path)
    words = ["render", *map(str, projects), "--on", farm.address, "--size", "64x36", "--range", "0:1"]
    run = CliRunner().invoke(commands, words, catch_exceptions=False)
    assert run.exit_code == 0, run.output
    assert content(tmp_path / "one.mp4") == content(tmp_path / "two.mp4")
