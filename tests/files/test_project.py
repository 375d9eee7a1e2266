"""What is saved comes back equal, whatever has happened to the file is said, and nothing is lost."""

import json
from fractions import Fraction

import pytest
from helpers import a_project
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import CurvePoint, Ease, Envelope, LengthUnit
from epiphane.document.ids import ItemId, LaneId, PulseId
from epiphane.document.lane import Follow, Lane, Override, Setting, Trigger
from epiphane.document.project import Project, with_lanes
from epiphane.errors import DiskError, ProjectFileError
from epiphane.files.project import (
    decode_project,
    encode_project,
    json_schema,
    load_project,
    missing_files,
    save_project,
)

shares = st.floats(0, 1)
overrides = st.builds(
    Override,
    hit=st.floats(0, 1000),
    off=st.booleans(),
    strength=st.none() | st.floats(0, 2),
    nudge=st.integers(-240, 240),
    taken=st.booleans(),
    envelope=st.none() | st.builds(Envelope, hold=st.floats(0, 600)),
    effect=st.none() | st.text(),
    settings=st.sampled_from([(), (Setting("scale", 140.0),)]),
)
curves = st.sampled_from([(), (CurvePoint(0.25, 0.5),), (CurvePoint(0.1, 1.0), CurvePoint(0.6, 0.0))])
lanes = st.builds(
    Lane,
    id=st.integers(1, 99).map(LaneId),
    effect=st.sampled_from(["flash", "zoom", "an effect of tomorrow"]),
    pulse=st.integers(1, 9).map(PulseId),
    envelope=st.builds(
        Envelope,
        rise=st.floats(0, 600),
        fall=st.integers(0, 600),
        unit=st.sampled_from(LengthUnit),
        fall_ease=st.sampled_from(Ease),
        fall_curve=curves,
    ),
    trigger=st.sampled_from(Trigger),
    follow=st.builds(Follow, low=st.floats(20, 20_000), heard=st.binary(max_size=20)),
    shots=st.lists(st.integers(1, 9).map(ItemId), max_size=3).map(tuple),
    depth=shares,
    wander=shares,
    is_muted=st.booleans(),
    settings=st.lists(
        st.builds(Setting, name=st.text(), peak=st.floats(-1e6, 1e6) | st.text()), max_size=3
    ).map(tuple),
    overrides=st.lists(overrides, max_size=4).map(tuple),
)


@given(
    st.lists(lanes, max_size=4, unique_by=lambda lane: lane.id),
    st.text(),
    st.fractions(1, 240, max_denominator=1001),
)
@settings(max_examples=50)
def test_what_is_written_is_read_equal(some, name, rate):
    project = with_lanes(a_project(), lanes=tuple(some), name=name, rate=rate)
    assert decode_project(encode_project(project), where="it") == project


def test_a_moved_folder_still_opens(tmp_path):
    old, new = tmp_path / "old", tmp_path / "new"
    (old / "clips").mkdir(parents=True)
    project = a_project()
    files = [old / "song.wav", old / "clips" / "a.mp4", old / "clips" / "b.mp4"]
    for file in files:
        file.write_bytes(b"x")
    project = replace(
        project,
        song=replace(project.song, path=str(files[0])),
        footage=tuple(replace(f, path=str(p)) for f, p in zip(project.footage, files[1:], strict=True)),
    )
    save_project(project, old / "edit.epiphane")
    assert load_project(old / "edit.epiphane") == project
    assert str(tmp_path) not in (old / "edit.epiphane").read_text()
    old.rename(new)
    moved = load_project(new / "edit.epiphane")
    assert moved.song.path == str(new / "song.wav")
    assert missing_files(moved) == []
    (new / "clips" / "b.mp4").unlink()
    assert missing_files(moved) == [str(new / "clips" / "b.mp4")]


def test_the_file_can_be_read_in_a_text_editor(tmp_path):
    save_project(a_project(), tmp_path / "edit.epiphane")
    text = (tmp_path / "edit.epiphane").read_text()
    assert text.count("\n") > 50
    assert json.loads(text)["rate"] == "30"


@settings(max_examples=40)
@given(st.integers(0, 4000))
def test_a_file_cut_anywhere_is_refused_in_a_sentence(n_bytes):
    text = encode_project(a_project())
    with pytest.raises(ProjectFileError, match=r"^edit (is damaged or cut short|is not an Epiphane)"):
        decode_project(text[: min(n_bytes, len(text) - 3)], where="edit")


def _broken(*path_and_value):
    *path, value = path_and_value
    raw = json.loads(encode_project(a_project()))
    place = raw
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    return json.dumps(raw).encode()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (b"[1, 2]", "not an Epiphane project"),
        (b'{"name": "x"}', "not an Epiphane project"),
        (_broken("version", 99), r"newer Epiphane \(format 99, this one reads up to 12\)"),
        (_broken("version", 0), r"\$\.version: must be 1 or more"),
        (_broken("colour", 3), r"\$\.colour: unknown field"),
        (_broken("stack", 0, "depth", 7), r"\$\.stack\[0\]\.depth: .*1\.0"),
        (_broken("stack", 0, "envelope", "rise", -1), r"\$\.stack\[0\]\.envelope\.rise"),
        (_broken("song", "beats", 3, [-1, 1]), r"\$\.song\.beats\[3\]\[0\]"),
        (_broken("rate", "0"), r"\$\.rate: must be a rate"),
        (_broken("rate", "1/0"), r"\$\.rate: must be a rate"),
        (_broken("rate", "1/999999999"), r"\$\.rate: must be a rate"),
        (_broken("rate", "1e99999999"), r"\$\.rate: Expected a text such as 30000/1001"),
        (_broken("rate", "1" * 5000), r"\$\.rate: Expected a text such as 30000/1001, got .{1,60}$"),
        (_broken("song", "duration", 1e7), r"\$\.song\.duration: .*86400"),
        (_broken("song", "path", "a\0b.wav"), r"\$\.song\.path"),
        (_broken("footage", 0, "fingerprint", "../../proxy"), r"\$\.footage\[0\]\.fingerprint"),
        (_broken("stack", 0, "envelope", "rise", 10**400), r"\$\.stack\[0\]\.envelope\.rise: .*out of range"),
        (
            _broken("shots", 1, "content", "footage", 99),
            r"\[1\]\.content\.footage: there is no footage 99",
        ),
        (_broken("shots", 2, "n_frames", 10**9), r"is 10000\d+ frames long"),
        (_broken("shots", 0, "n_frames", 61), r"\$\.shots\[1\]\.start: must be 61 or more, got 60"),
        (_broken("shots", 1, "pin", {"moment": 1, "hit": 9}), r"\$\.shots\[1\]\.pin\.hit: must be within"),
        (_broken("stack", 0, "type", "row"), r"\$\.stack\[0\]\.type: .*row"),
        (_broken("next_id", 2), r"\$\.next_id: must be over \d+"),
        (
            _broken("stack", 1, "id", json.loads(encode_project(a_project()))["stack"][0]["id"]),
            "have the number",
        ),
        (b"[" * 100_000, "damaged or cut short"),
        (b'{"version": 5, "name": "\xff"}', "damaged or cut short"),
        (b'{"version": true}', "not an Epiphane project"),
        (_broken("rate", "ten"), r"\$\.rate"),
        (_broken("rate", 30), r"\$\.rate: Expected a text"),
        (_broken("stack", 0, "envelope", "fall_ease", "wobbly"), r"\$\.stack\[0\]\.envelope\.fall_ease"),
    ],
)
def test_what_breaks_the_format_is_named_with_its_place(text, words):
    with pytest.raises(ProjectFileError, match=words):
        decode_project(text, where="edit.epiphane")


def test_every_fault_is_named():
    raw = json.loads(encode_project(a_project()))
    raw["stack"][0]["depth"], raw["stack"][1]["seed"], raw["shots"][2]["n_frames"] = 7, -1, 0
    with pytest.raises(ProjectFileError) as caught:
        decode_project(json.dumps(raw).encode(), where="edit.epiphane")
    for place in ("$.stack[0].depth", "$.stack[1].seed", "$.shots[2].n_frames"):
        assert place in str(caught.value)


def test_saving_where_nothing_can_be_written_leaves_what_was_there(tmp_path):
    path = tmp_path / "edit.epiphane"
    save_project(a_project(), path)
    before = path.read_bytes()
    blocked = tmp_path / "folder.epiphane"
    blocked.mkdir()
    with pytest.raises(DiskError, match="cannot be written"):
        save_project(Project(), blocked)
    with pytest.raises(DiskError, match="cannot be written"):
        save_project(Project(), tmp_path / "no such folder" / "edit.epiphane")
    assert path.read_bytes() == before
    assert sorted(file.name for file in tmp_path.iterdir()) == ["edit.epiphane", "folder.epiphane"]


def test_the_schema_describes_what_is_written():
    schema = json_schema()
    written = json.loads(encode_project(a_project()))
    described = schema["$defs"]["Project"]["properties"]
    assert written.keys() == described.keys()
    assert schema["$defs"]["Lane"]["properties"]["depth"]["maximum"] == 1


def test_rates_keep_their_exact_value():
    project = replace(a_project(), rate=Fraction(30000, 1001))
    assert b'"30000/1001"' in encode_project(project)
