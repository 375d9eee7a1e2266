"""Project files of every format open, and the format does not change without its version."""

import hashlib
import json
from pathlib import Path

import msgspec
import pytest

from epiphane.document.project import FORMAT_VERSION
from epiphane.document.timeline import COVERING, Move, cut_of
from epiphane.errors import ProjectFileError
from epiphane.files.project import decode_project, json_schema, load_project, save_project
from epiphane.keying.schedule import schedule

DEFAULTS = {"source_start": 0.0, "speed": 1.0, "beyond": "mirror"}
KEPT = Path(__file__).parents[1] / "kept"
FILES = sorted(KEPT.glob("*.epiphane"))
# Of the JSON Schema of each version since they are kept. A change of the schema is a new version: raise
# FORMAT_VERSION, write its upgrade, keep a file of the version before, and add the new hash here.
SCHEMAS = {
    12: "85c8ad9d0eab6ba8",
    11: "ed1f814de767a899",
    10: "4f4817d5b14eca57",
    9: "b269f34568cc9441",
    8: "5c5b9204ef709216",
    7: "77ef313b307756d6",
    6: "2f7b11f20c83933a",
    5: "d4d0d86e48b68468",
    4: "452f53bc83aa05cd",
}


def without_descriptions(schema):
    """The schema without the docstrings in it: to word one anew does not change the format."""
    if isinstance(schema, list):
        return [without_descriptions(one) for one in schema]
    if not isinstance(schema, dict):
        return schema
    return {
        name: without_descriptions(one)
        for name, one in schema.items()
        if name != "description" or not isinstance(one, str)
    }


def digest_of_schema():
    text = msgspec.json.encode(without_descriptions(json_schema()), order="sorted")
    return hashlib.blake2b(text, digest_size=8).hexdigest()


def test_the_format_does_not_change_without_its_version():
    assert digest_of_schema() == SCHEMAS[FORMAT_VERSION]


def test_a_file_of_every_version_is_kept():
    versions = {json.loads(file.read_bytes())["version"] for file in FILES}
    assert versions >= set(range(1, FORMAT_VERSION))


def as_before(shot):
    """A shot of any version under the names of version 4."""
    content = shot.get("content", {})
    names = {"extend": "beyond"}
    flat = {names.get(name, name): value for name, value in content.items()}
    transform = shot.get("transform", {})
    framing = {"travel": transform["move"]} if "move" in transform else {}
    return flat | {"framing": framing | transform} | shot


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.stem)
def test_a_kept_file_opens_with_all_that_it_says_and_is_saved_in_the_newest_format(file, tmp_path):
    said, opened = json.loads(file.read_bytes()), load_project(file)
    assert opened.version == FORMAT_VERSION
    assert (opened.width, opened.height, opened.name) == (said["width"], said["height"], said["name"])
    stack = said.get("stack", said.get("lanes"))
    for there, rows in (
        (opened.footage, said["footage"]),
        (opened.shots, said["shots"]),
        (opened.pulses, said["pulses"]),
        (opened.stack, stack),
    ):
        assert [one.id for one in there] == [row["id"] for row in rows]
    for item, shot in zip(opened.shots, map(as_before, said["shots"]), strict=True):
        cut, framing = cut_of(item), shot.get("framing", {})
        speed = json.loads(msgspec.json.encode(cut.speed))
        places = (item.start, item.n_frames, cut.footage, cut.source_start, speed, cut.extend.value)
        keys = ("start", "n_frames", "footage", "source_start", "speed", "beyond")
        assert places == tuple((DEFAULTS | shot)[key] for key in keys)
        assert (item.pin and [item.pin.moment, item.pin.hit]) == (shot.get("pin") and [*shot["pin"].values()])
        assert item.transform.scale == framing.get("scale", 1)
        assert item.transform.move is Move(framing.get("travel", "none").replace("rest", "none"))
        assert item.transform.amount == framing.get("reach", framing.get("amount", COVERING.amount))
    assert [beat.time for beat in opened.song.beats] == [beat[0] for beat in said["song"]["beats"]]
    if said["version"] < 5 and (drums := said["song"].get("drums")):
        drums["sureness"] = [0.2, 0.9, 0.4]
        told = decode_project(json.dumps(said).encode(), where=file.name)
        assert told.song.drums.confidence == (0.2, 0.9, 0.4)
    cues = schedule(opened)
    assert all(one.cues or one.lane.trigger.value == "follow" for one in cues.lanes)
    again = tmp_path / "again.epiphane"
    save_project(opened, again)
    assert load_project(again) == opened


def test_two_looks_of_version_7_have_other_names_and_look_as_they_did():
    file = KEPT / "version-7.epiphane"
    opened, said = load_project(file), file.read_text()
    assert '"wiggle"' in said and '"smear"' in said
    items = [item for row in opened.tracks for item in row.items]
    stands = [one.content.stand for one in items if hasattr(one.content, "stand")]
    assert any(one is not None and one.tremble > 0 for one in stands)
    pushed, pulled = opened.lanes[:2]
    assert (pushed.effect, pulled.effect) == ("push", "edge-pull")
    unblurred = {"shutter": 0.0, "seam": 0.0}
    assert {one.name: one.peak for one in pushed.instance.settings} == unblurred
    for instance in (pulled.instance, pulled.alternatives[0]):
        assert {one.name: one.peak for one in instance.settings} == unblurred | {"column": 0.0}
    other = {one.name: one.peak for one in pulled.alternatives[1].settings}
    assert other == {"shutter": 90.0, "seam": 0.0}
    assert pushed.overrides[0].effect == "edge-pull"


@pytest.mark.parametrize(
    ("effect", "name", "before"),
    [("wipe", "edge", 0.0), ("blur", "shape", "a Gaussian"), ("tile-flip", "behind", "black")],
)
def test_what_transitions_of_version_11_left_unsaid_is_as_it_was(effect, name, before):
    said = json.loads((KEPT / "version-11.epiphane").read_bytes())
    lane = next(row for row in said["stack"] if row.get("effect") == "bloom")
    for settings, expected in (([], before), ([{"name": name, "peak": before}], before)):
        lane |= {"effect": effect, "settings": settings}
        opened = decode_project(json.dumps(said).encode(), where="here")
        (found,) = (one for one in opened.lanes if one.effect == effect)
        assert [one.peak for one in found.settings if one.name == name] == [expected]
    said["version"] = FORMAT_VERSION
    lane["settings"] = []
    newest = decode_project(json.dumps(said).encode(), where="here")
    assert not next(one for one in newest.lanes if one.effect == effect).settings


def test_what_parts_of_version_8_are_like_is_read_from_their_labels_or_their_energy():
    opened = load_project(KEPT / "version-8.epiphane")
    assert [(part.name, part.kind, part.is_own) for part in opened.song.sections] == [
        ("A", "calm", False),
        ("B", "full", False),  # they were heard as between both
        ("B", "calm", False),
        ("my drop", "full", True),
        ("hook", "full", True),
    ]
    assert opened.lanes[0].pick.sections == ("B full", "B calm", "my drop full", "hook full")
    assert {part.kind for part in opened.song.after.sections} == {"full", "calm"}


@pytest.mark.parametrize("key", ["before", "name"])
@pytest.mark.parametrize("depth", [300, 900, 5000])
@pytest.mark.parametrize("version", range(1, FORMAT_VERSION + 1))
def test_what_is_nested_without_end_is_refused_in_a_sentence(version, depth, key):
    text = f'{{"version": {version}, "song": ' + f'{{"{key}": ' * depth + "1" + "}" * depth + "}"
    with pytest.raises(ProjectFileError, match=r"^deep (breaks the format|is damaged)"):
        decode_project(text.encode(), where="deep")
