"""Whatever happens to a window, its machine or its disk, the last finished edit can be brought back."""

import os
import resource
import shutil
import subprocess
import sys
import zlib
from pathlib import Path

import pytest
from helpers import a_project
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.disk import PartFile, read_file, remove_abandoned
from epiphane.document.lane import Override, Setting
from epiphane.document.laws import broken_laws
from epiphane.document.project import Project, with_lanes
from epiphane.document.song import Drums, Hit
from epiphane.document.timeline import with_cut
from epiphane.errors import DiskError, InUseError, ProjectFileError
from epiphane.files import journal as journal_module
from epiphane.files.changes import changes_between, with_changes_done
from epiphane.files.journal import Journals
from epiphane.files.project import (
    convert_part,
    decode_json,
    decode_project,
    encode_compactly,
    load_project,
    save_project,
)

TESTS = Path(__file__).parents[1]


def states(number, *, size=0):
    """Return a project and what becomes of it, edit by edit."""
    made = replace(a_project(), song=replace(a_project().song, path="/songs/song.wav"))
    hits = tuple(Hit(n / 10) for n in range(size))
    made = replace(made, song=replace(made.song, drums=Drums(hat=hits)))
    return [replace(made, name=f"state {n}") for n in range(number)]


def file_of(journal):
    return journal.folder / "journal"


def the_lost(journals, path):
    """Return what is offered to a window that opens a project now."""
    held = journals.claim(path)
    found = journals.lost_of(held, None)
    held.abandon()
    return found


def test_a_dead_window_leaves_its_last_edit_and_it_stays_until_it_is_answered(tmp_path):
    journals, path = Journals(tmp_path / "journals"), tmp_path / "edit.epiphane"
    journal = journals.claim(path)
    for state in (made := states(4)):
        journal.append(state)
    journal.abandon()
    for _ in range(2):  # a window that dies before anybody answered offers it again
        (found,) = the_lost(journals, path)
        assert (found.project, found.n_edits, found.project_path) == (made[-1], 4, path)
    second = journals.claim(path)
    second.append(made[1])
    assert [work.project for work in journals.lost_of(second, None)] == [made[-1]]
    journals.forget(found)
    second.close()
    assert list((tmp_path / "journals").iterdir()) == []


def test_a_project_of_two_names_is_open_in_one_window(tmp_path):
    journals, path, other = Journals(tmp_path / "journals"), tmp_path / "a.epiphane", tmp_path / "b.epiphane"
    digest = save_project(states(1)[0], path)
    os.link(path, other)
    first = journals.claim(path, digest)
    with pytest.raises(InUseError, match=r"b\.epiphane is open in another window"):
        journals.claim(other)
    first.clear(save_project(states(2)[1], path))  # saved: it is another file now, and held like the first
    journals.claim(other).close()
    other.unlink()
    os.link(path, other)
    with pytest.raises(InUseError):
        journals.claim(other)
    first.close()
    journals.claim(other).close()


def test_edits_outlast_the_folder_in_which_they_were_kept(tmp_path):
    journals, path = Journals(tmp_path / "data" / "journals"), tmp_path / "edit.epiphane"
    journal, made = journals.claim(path), states(4)
    journal.append(made[0])
    journal.append(made[1])
    shutil.rmtree(tmp_path / "data")
    journal.append(made[2])
    journal.append(made[3])
    journal.abandon()
    (found,) = the_lost(journals, path)
    assert found.project == made[3]
    again = journals.claim(path)
    shutil.rmtree(tmp_path / "data")
    (tmp_path / "data").write_text("something else")  # and no folder can be made
    with pytest.raises(DiskError):
        again.append(made[0])
    again.abandon()


def test_two_windows_never_share_a_journal(tmp_path):
    journals, path = Journals(tmp_path / "journals"), tmp_path / "edit.epiphane"
    first, untitled, other = journals.claim(path), journals.claim(None), journals.claim(None)
    with pytest.raises(InUseError, match=r"edit\.epiphane is open in another window"):
        journals.claim(path)
    (tmp_path / "link.epiphane").symlink_to(path)
    with pytest.raises(InUseError):
        journals.claim(tmp_path / "link.epiphane")
    for journal, state in zip((first, untitled, other), states(3), strict=True):
        journal.append(state)
    assert journals.lost(other) == []  # all live
    untitled.abandon()
    assert [work.project.name for work in journals.lost(other)] == ["state 1"]
    first.close()
    journals.claim(path).close()


def test_killed_at_any_instant_nothing_finished_is_lost(tmp_path):
    run = subprocess.run(
        [sys.executable, Path(__file__).with_name("dying.py"), tmp_path, "100"],
        capture_output=True,
        text=True,
        env=os.environ | {"PYTHONPATH": str(TESTS)},
        check=False,
    )
    assert run.returncode == 0, run.stderr
    assert int(run.stdout) > 100  # it did work between its deaths
    remove_abandoned(tmp_path, "edit.epiphane")
    assert [path.name for path in tmp_path.iterdir() if path.name.endswith(".part")] == []


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(cut=st.integers(1, 4000), flip=st.integers(0, 10**6))
def test_a_torn_or_spoilt_journal_gives_the_edits_before(tmp_path_factory, cut, flip):
    folder = tmp_path_factory.mktemp("torn")
    journals, path = Journals(folder / "journals"), folder / "edit.epiphane"
    journal = journals.claim(path)
    made = states(6)
    ends = []
    for state in made:
        journal.append(state)
        ends.append(file_of(journal).stat().st_size)
    content = bytearray(file_of(journal).read_bytes())
    if flip % 2:
        content[flip % len(content)] ^= 1 << flip % 8
        sound = flip % len(content)
    else:
        content = content[: max(0, len(content) - cut)]
        sound = len(content)
    journal.abandon()
    file_of(journal).write_bytes(bytes(content))
    whole = [state for state, end in zip(made, ends, strict=True) if end <= sound]
    assert [work.project for work in the_lost(journals, path)] == whole[-1:]


def test_a_full_disk_is_said_and_the_next_edit_is_whole_again(tmp_path):
    journals, path = Journals(tmp_path / "journals"), tmp_path / "edit.epiphane"
    journal = journals.claim(path)
    made = states(6)
    journal.append(made[0])
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    # No file may become larger than this one nearly is: writing stops in the middle of a line.
    resource.setrlimit(resource.RLIMIT_FSIZE, (file_of(journal).stat().st_size + 20, before[1]))
    try:
        with pytest.raises(DiskError, match="cannot be written to"):
            journal.append(made[1])
        resource.setrlimit(resource.RLIMIT_FSIZE, (100, before[1]))
        with pytest.raises(DiskError):  # nor is there room for the whole of it
            journal.append(made[2])
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)
    journal.append(made[3])
    journal.append(made[4])
    journal.abandon()
    assert [work.project for work in the_lost(journals, path)] == [made[4]]


def test_an_edit_of_a_large_project_costs_what_it_changed_and_journals_stay_small(tmp_path):
    journals = Journals(tmp_path / "journals")
    journal = journals.claim(None)
    made = states(2000, size=50_000)
    journal.append(made[0])
    whole = file_of(journal).stat().st_size
    assert whole > 500_000
    for number, state in enumerate(made[1:300]):
        lane = replace(state.lanes[0], overrides=(Override(number / 10, strength=0.5),))
        journal.append(with_lanes(state, lanes=(lane, *state.lanes[1:])))
    assert file_of(journal).stat().st_size < whole + 300 * 200
    small = journals.claim(None)
    for state in states(12_000):
        small.append(state)
    n_bytes = len(encode_compactly(a_project()))
    assert file_of(small).stat().st_size < 3 * n_bytes + journal_module._SLACK_BYTES + 2 * n_bytes
    small.abandon()
    (lost,) = journals.lost(journal)
    assert (lost.project.name, lost.n_edits) == ("state 11999", 12_000)
    journal.close()


def test_lost_work_is_found_when_its_folder_has_been_moved(tmp_path):
    old, new = tmp_path / "old", tmp_path / "new"
    old.mkdir()
    project = a_project()
    project = replace(
        project,
        song=replace(project.song, path=str(old / "song.wav")),
        footage=tuple(replace(one, path=str(old / f"{one.id}.mp4")) for one in project.footage),
    )
    journals = Journals(tmp_path / "journals")
    digest = save_project(project, old / "edit.epiphane")
    journal = journals.claim(old / "edit.epiphane", digest)
    journal.append(replace(project, name="unsaved"))
    journal.abandon()
    assert str(old).encode() not in file_of(journal).read_bytes().partition(b"\n")[2]
    old.rename(new)
    held = journals.claim(new / "edit.epiphane", digest)
    (found,) = journals.lost_of(held, digest)
    assert found.project.name == "unsaved"
    held.close()


def test_nothing_is_written_or_read_through_a_link_or_into_what_is_no_file(tmp_path):
    journals, path = Journals(tmp_path / "journals"), tmp_path / "edit.epiphane"
    target = tmp_path / "target"
    target.write_text("mine")
    journal = journals.claim(path)
    journal.append(states(1)[0])
    journal.abandon()
    file_of(journal).unlink()
    for name in ("journal", "journal.new"):
        (journal.folder / name).symlink_to(target)
    again = journals.claim(path)
    again.append(states(1)[0])
    assert journals.lost_of(again, None) == []
    again.close()
    (tmp_path / ".edit.epiphane.part").symlink_to(target)
    with PartFile(path) as part:
        assert part.path.stat().st_mode & 0o077 == part.path.stat().st_mode & 0o077 & ~os.umask(
            os.umask(0o022)
        )
        remove_abandoned(tmp_path)
        assert part.path.exists()  # its writer lives
    assert target.read_text() == "mine"
    os.mkfifo(tmp_path / "pipe")
    for odd in (tmp_path / "pipe", Path("/dev/zero"), tmp_path):
        with pytest.raises(DiskError, match=r"is a (pipe or a device|folder)"):
            read_file(odd, most_bytes=100)
    with pytest.raises(DiskError, match="more than the"):
        read_file(target, most_bytes=2)


changes = st.sampled_from(
    [
        lambda p, n: replace(p, name=f"n{n}"),
        lambda p, n: with_lanes(p, lanes=p.lanes[::-1]),
        lambda p, n: with_lanes(p, lanes=p.lanes[:-1]) if len(p.lanes) > 1 else p,
        lambda p, n: replace(p, shots=tuple(replace(s, n_frames=s.n_frames + n) for s in p.shots)),
        lambda p, n: replace(p, shots=p.shots[: n % 4] + p.shots[n % 3 :]),
        lambda p, n: replace(p, song=None) if n % 5 == 0 else replace(p, width=100 + 2 * n),
        lambda p, n: with_lanes(
            p, lanes=(replace(p.lanes[0], settings=(Setting("scale", float(n)),)), *p.lanes[1:])
        ),
        lambda p, n: with_lanes(
            p,
            lanes=(
                replace(p.lanes[0], overrides=(*p.lanes[0].overrides, Override(float(n), off=True))),
                *p.lanes[1:],
            ),
        ),
    ]
)


@given(st.lists(st.tuples(changes, st.integers(0, 50)), max_size=8))
def test_changes_make_the_new_project_of_the_old(edits):
    project = a_project()
    for edit, number in edits:
        changed = edit(project, number)
        kept = decode_json(encode_compactly(changes_between(project, changed)))
        raw = with_changes_done(decode_json(encode_compactly(project)), kept)
        assert convert_part(raw, Project) == changed
        project = changed


@given(
    st.lists(
        st.one_of(
            st.none(),
            st.tuples(
                st.lists(st.sampled_from(["stack", "song", "shots", "id", "__class__", 0, 99]), max_size=4),
                st.one_of(st.none(), st.integers(-5, 99), st.lists(st.integers(), max_size=3)),
            ).map(list),
            st.tuples(
                st.lists(st.sampled_from(["stack", "shots", 0]), max_size=2),
                st.integers(-3, 9),
                st.integers(-3, 9),
                st.lists(st.none(), max_size=2),
            ).map(list),
        ),
        max_size=3,
    )
)
def test_changes_that_fit_nowhere_are_refused(kept):
    raw = decode_json(encode_compactly(a_project()))
    try:
        made = decode_project(encode_compactly(with_changes_done(raw, kept)), where="it")
    except (ValueError, ProjectFileError):
        return
    assert list(broken_laws(made)) == []


def test_lost_work_of_an_earlier_format_comes_back_with_its_edits(tmp_path):
    journals, path = Journals(tmp_path / "journals"), tmp_path / "edit.epiphane"
    journal = journals.claim(path)
    journal.append(a_project())
    whole = decode_json((TESTS / "kept" / "stacks.epiphane").read_bytes())
    edits = [
        [["shots", 3, "speed"], 1.5],
        [["lanes", 0, "depth"], 0.5],
        [["shots", 2, "framing", "scale"], 2],
    ]
    records = [decode_json(file_of(journal).read_bytes().splitlines()[0][9:])]
    records += [{"whole": whole, "n_edits": 7}, *({"changes": [edit]} for edit in edits)]
    texts = [encode_compactly(record) for record in records]
    file_of(journal).write_bytes(b"".join(b"%08x %s\n" % (zlib.crc32(text), text) for text in texts))
    journal.abandon()
    (found,) = the_lost(journals, path)
    before = load_project(TESTS / "kept" / "stacks.epiphane")
    assert (found.n_edits, found.project.lanes[0].depth) == (10, 0.5)
    assert found.project.shots[2].transform == replace(before.shots[2].transform, scale=2.0)
    assert found.project.shots[3] == with_cut(before.shots[3], speed=1.5)
