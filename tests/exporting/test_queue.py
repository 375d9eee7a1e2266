"""The queue of exports: its own process, pauses, order, crashes, what is damaged in it."""

import hashlib
import os
import signal
import time
from pathlib import Path

import pytest
from msgspec.structs import replace

from epiphane.errors import MediaError
from epiphane.exporting.export import export
from epiphane.exporting.order import ExportOrder, decode_order, encode_order
from epiphane.exporting.queue import ExportQueue, Stage
from epiphane.exporting.queue_process import start_detached
from epiphane.exporting.target import unused_name
from epiphane.formats.settings import ExportSettings

SETTINGS = ExportSettings("ffv1", is_silent=True)


@pytest.fixture
def queue(tmp_path, monkeypatch):
    """Return the queue that `epiphane queue` works through."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    return ExportQueue.of_user()


def order_of(edit, path, *, settings=SETTINGS, **more):
    return ExportOrder(edit, path, settings, **more)


def until(is_so, seconds=60.0):
    end = time.monotonic() + seconds
    while not is_so():
        assert time.monotonic() < end, "it never came"
        time.sleep(0.05)


def stages(queue):
    return {entry.path.name: entry.stage for entry in queue.entries()}


def content(path):
    return hashlib.sha256(path.read_bytes()).hexdigest()


def test_an_order_comes_back_as_it_was_written(edit, tmp_path):
    order = order_of(
        edit,
        tmp_path / "film.mkv",
        frames=(3, 50),
        reads=(tmp_path / "a",),
        withheld=(tmp_path,),
        farm="tcp://x:1",
    )
    order = replace(order, settings=replace(SETTINGS, rate=edit.rate, size=(64, 36)), may_replace=True)
    assert decode_order(encode_order(order)) == order


def test_a_process_makes_what_waits_in_order_and_says_what_went_wrong(edit, tmp_path, queue):
    there = tmp_path / "there.mkv"
    there.write_bytes(b"mine")
    names = {
        path.name: queue.add(order_of(edit, path, frames=(0, 20)))
        for path in (tmp_path / "a.mkv", there, tmp_path / "b.mkv")
    }
    queue.put_first(names["b.mkv"])
    assert [entry.path.name for entry in queue.entries()] == ["b.mkv", "a.mkv", "there.mkv"]
    (tmp_path / "state/epiphane/exports" / names["a.mkv"] / "order.json").write_bytes(b"{nonsense")
    told = []
    assert queue.work(told.append)
    assert [entry.path.name for entry in told] == ["b.mkv", "a.mkv", "there.mkv"]
    assert stages(queue) == {"b.mkv": Stage.DONE, "a.mkv": Stage.FAILED, "there.mkv": Stage.FAILED}
    words = {entry.path.name: " ".join(entry.words) for entry in queue.entries()}
    assert "damaged" in words["a.mkv"] and "is there already" in words["there.mkv"] and words["b.mkv"] == ""
    assert there.read_bytes() == b"mine"
    export(edit, tmp_path / "here.mkv", settings=SETTINGS, frames=range(20))
    assert content(tmp_path / "b.mkv") == content(tmp_path / "here.mkv")
    there.unlink()
    queue.try_again(names["there.mkv"])
    assert queue.has_work() and queue.work() and there.exists() and not queue.has_work()
    queue.forget(names["b.mkv"])
    assert "b.mkv" not in stages(queue)
    assert unused_name(tmp_path / "c.mkv", [tmp_path / "c.mkv"]).name == "c 2.mkv"
    # Those that are ready are not kept for ever.
    for number in range(9):
        queue.add(
            order_of(edit, tmp_path / f"still {number}.png", frames=(0, 1), settings=ExportSettings("png"))
        )
        queue.work()
    assert [name for name in stages(queue) if name.startswith("still")] == [
        f"still {n}.png" for n in range(2, 9)
    ]


def test_a_pause_keeps_whole_chunks_and_a_stop_keeps_nothing(edit, tmp_path, queue):
    film = tmp_path / "film.mkv"
    name = queue.add(order_of(edit, film))
    process = start_detached("queue", "--run")
    chunks = tmp_path / ".film.mkv.chunks"
    until(lambda: list(chunks.glob("*.mkv")))
    queue.pause(name)
    assert process.wait(30) == 0
    assert list(chunks.glob("*.mkv")) and stages(queue) == {"film.mkv": Stage.PAUSED} and not film.exists()
    assert 0 < queue.entries()[0].share < 1
    queue.pause(name, False)
    assert queue.work()
    export(edit, tmp_path / "whole.mkv", settings=SETTINGS)
    assert content(film) == content(tmp_path / "whole.mkv") and not chunks.exists()
    # Stopped while it waits: the paused one's chunks go too.
    again = queue.add(order_of(edit, tmp_path / "again.mkv"))
    process = start_detached("queue", "--run")
    until(lambda: list((tmp_path / ".again.mkv.chunks").glob("*.mkv")))
    queue.pause(again)
    process.wait(30)
    queue.stop(again)
    assert "again.mkv" not in stages(queue) and queue.work()
    assert not list(tmp_path.glob(".again*")) and not (tmp_path / "again.mkv").exists()


def test_what_a_killed_process_leaves_is_taken_up_from_its_last_whole_chunk(edit, tmp_path, queue):
    film = tmp_path / "film.mkv"
    queue.add(order_of(edit, film))
    process = start_detached("queue", "--run")
    chunks = tmp_path / ".film.mkv.chunks"
    until(lambda: list(chunks.glob("*.mkv")))
    os.kill(process.pid, signal.SIGKILL)
    process.wait(30)
    first = {path.name: path.stat().st_mtime_ns for path in chunks.glob("*.mkv")}
    assert stages(queue) == {"film.mkv": Stage.WAITING} and not queue.is_at_work()
    seen = []
    process = start_detached("queue", "--run")
    until(lambda: seen.extend(path.stat().st_mtime_ns for path in chunks.glob(next(iter(first)))) or seen)
    assert process.wait(60) == 0
    assert set(seen) == {next(iter(first.values()))}, "a chunk that was whole was made again"
    export(edit, tmp_path / "whole.mkv", settings=SETTINGS)
    assert content(film) == content(tmp_path / "whole.mkv")


def test_an_export_that_ends_the_process_each_time_is_given_up(edit, tmp_path, queue, monkeypatch):
    queue.add(order_of(edit, tmp_path / "film.mkv"))

    class _Ended(BaseException):
        pass

    def end(*_args, **_more):
        raise _Ended

    monkeypatch.setattr("epiphane.exporting.export.export", end)
    for _ in range(3):
        with pytest.raises(_Ended):
            queue.work()
        assert stages(queue) == {"film.mkv": Stage.WAITING}
    assert queue.work()
    assert stages(queue) == {"film.mkv": Stage.FAILED}
    assert "each time" in queue.entries()[0].words[0]


def test_files_in_folders_that_are_withheld_are_not_read(edit, tmp_path, queue):
    folder = Path(edit.footage[0].path).parent
    queue.add(order_of(edit, tmp_path / "film.mkv", frames=(0, 5), withheld=(folder,)))
    queue.work()
    assert any("not allowed to read" in words for words in queue.entries()[0].words)


def test_a_second_process_leaves_the_first_alone(edit, tmp_path, queue):
    queue.add(order_of(edit, tmp_path / "film.mkv"))
    process = start_detached("queue", "--run")
    until(queue.is_at_work)
    assert not queue.work()
    queue.stop(queue.entries()[0].id)
    assert process.wait(30) == 0
    assert not list(tmp_path.glob("*film*"))


def test_the_queue_of_the_command_line(edit, tmp_path, queue, monkeypatch):
    from click.testing import CliRunner

    from epiphane.cli import commands
    from epiphane.files.project import save_project

    monkeypatch.setattr("epiphane.cli_export.start_process", lambda: None)
    for name in ("one", "two"):
        save_project(edit, tmp_path / f"{name}.epiphane")
    projects = [str(tmp_path / f"{name}.epiphane") for name in ("one", "two")]
    run = CliRunner().invoke(
        commands,
        ["render", *projects, "--queue", "--format", "ffv1", "--range", "0:0.3"],
        catch_exceptions=False,
    )
    assert run.exit_code == 0, run.output
    assert stages(queue) == {"one.mkv": Stage.WAITING, "two.mkv": Stage.WAITING}
    assert CliRunner().invoke(commands, ["queue", "--run"], catch_exceptions=False).exit_code == 0
    listed = CliRunner().invoke(commands, ["queue"]).output.splitlines()
    assert [line.split()[0] for line in listed] == ["done", "done"]
    assert (tmp_path / "one.mkv").exists() and (tmp_path / "two.mkv").exists()
    failed = CliRunner().invoke(
        commands, ["render", *projects, "--format", "ffv1", "--overwrite", "--size", "3x4"]
    )
    assert failed.exit_code == 1 and isinstance(failed.exception, MediaError)
