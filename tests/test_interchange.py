"""Edits that go out in open formats and come back, read by libraries that have not written them."""

import csv
import io
import json
from fractions import Fraction
from pathlib import Path

import mido
import numpy as np
import opentimelineio as otio
import pytest
from helpers import a_project, a_song, grey_clip, numbered_picture, write_clip
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.demo.project import open_demo
from epiphane.document.laws import broken_laws
from epiphane.document.project import Project
from epiphane.document.pulse import Pulse, TappedSource
from epiphane.document.song import Beat, Hit
from epiphane.document.timeline import cut_of, footage_item
from epiphane.document.titles import TextFill
from epiphane.edits.footage import add_footage
from epiphane.edits.items.titles import put_title
from epiphane.edits.shots.shots import lay_in_row
from epiphane.edits.shots.speed import change_speed
from epiphane.errors import EditError, MediaError, ParameterError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.interchange.declare import INTERCHANGES, reader_for, writer_for
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.timing import frame_at


def written(project, path, key=""):
    path.write_bytes(writer_for(path, key).write(project))
    return path


def read_back(path, project):
    found = reader_for(path).read(path)
    return found.apply(project), found.remarks


def test_a_timeline_has_the_shots_and_the_whole_project_comes_back(tmp_path):
    demo = open_demo()
    path = written(demo, tmp_path / "demo.otio")
    timeline = otio.adapters.read_from_file(str(path))
    clips = list(timeline.video_tracks()[0].find_clips())
    assert [round(one.duration().value) for one in clips] == [shot.n_frames for shot in demo.shots]
    assert [Path(one.media_reference.target_url).stem for one in clips][:2] == ["rails", "tower"]
    starts = [round(one.trimmed_range_in_parent().start_time.value) for one in clips]
    assert starts == [shot.start for shot in demo.shots]
    kinds = [
        one.transition_type for one in timeline.video_tracks()[0] if isinstance(one, otio.schema.Transition)
    ]
    assert len(kinds) == len(schedule(demo).transitions) and "SMPTE_Dissolve" in kinds
    markers = next(iter(timeline.audio_tracks()[0].find_clips())).markers
    beats = [one for one in markers if one.name == "beats"]
    assert [one.metadata["epiphane"]["time"] for one in beats] == [beat.time for beat in demo.song.beats]
    assert read_back(path, Project()) == (demo, ())
    assert read_back(path, Project(song=demo.song))[0] == demo
    # Where somebody has cut the film otherwise, the shots are theirs.
    clips[0].source_range = otio.opentime.TimeRange(
        clips[0].source_range.start_time, clips[0].source_range.duration - otio.opentime.RationalTime(20, 30)
    )
    otio.adapters.write_to_file(timeline, str(tmp_path / "recut.otio"))
    recut, _ = read_back(tmp_path / "recut.otio", Project(rate=demo.rate, song=demo.song))
    assert recut.shots[0].n_frames == demo.shots[0].n_frames - 20
    assert [one.n_frames for one in recut.shots[1:]] == [one.n_frames for one in demo.shots[1:]]
    assert list(broken_laws(recut)) == []


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(30000, 1001), Fraction(50)], ids=str)
def test_shots_of_a_timeline_made_elsewhere_are_where_it_says_and_show_what_it_says(tmp_path, rate):
    clip = write_clip(tmp_path / "clip.mp4", [numbered_picture(n) for n in range(120)])
    other = grey_clip(tmp_path / "other clip.mp4")
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)

    def at(frames):
        return otio.opentime.RationalTime(frames, float(rate))

    cut = [("clip.mp4", 12, 20, 1), (None, 0, 7, 1), ("other%20clip.mp4", 4, 9, -2)]
    for name, first, length, speed in [*cut, ("gone.mp4", 0, 5, 1), ("clip.mp4", 30, 11, 0)]:
        span = otio.opentime.TimeRange(at(first), at(length))
        if name is None:
            track.append(otio.schema.Gap(source_range=span))
            continue
        made = otio.schema.Clip(name, otio.schema.ExternalReference(name), span)
        if speed != 1:
            made.effects.append(
                otio.schema.LinearTimeWarp(time_scalar=speed) if speed else otio.schema.FreezeFrame()
            )
        track.append(made)
    timeline = otio.schema.Timeline("elsewhere")
    timeline.tracks.append(track)
    otio.adapters.write_to_file(timeline, str(tmp_path / "cut.otio"))
    project, remarks = read_back(tmp_path / "cut.otio", Project(rate=rate, is_shape_chosen=True))
    assert [(one.start, one.n_frames) for one in project.shots] == [(0, 20), (27, 9), (41, 11)]
    assert [cut_of(one).speed for one in project.shots] == [1, -2, 0]
    assert [cut_of(one).source_start for one in project.shots] == pytest.approx(
        [12 / float(rate), 4 / float(rate), 30 / float(rate)], abs=1e-6
    )
    paths = {one.id: Path(one.path).name for one in project.footage}
    assert [paths[one.footage] for one in project.shots] == [clip.name, other.name, clip.name]
    assert len(remarks) == 1 and "gone.mp4" in remarks[0]
    # Out again and back: the same.
    again = written(project, tmp_path / "again.otio")
    assert read_back(again, Project())[0] == project


@pytest.fixture(scope="module")
def two_clips(tmp_path_factory):
    """Two clips on a shelf, of which only the names are told in a cut list."""
    folder = tmp_path_factory.mktemp("clips")
    for name, first in (("marbles one.mp4", 0), ("steps.mp4", 50)):
        write_clip(folder / name, [numbered_picture(first + n) for n in range(40)])
    return add_footage(Project(), [probe_footage(one) for one in sorted(folder.iterdir())])


@given(
    st.lists(
        st.tuples(st.integers(0, 1), st.integers(0, 30), st.integers(1, 40), st.sampled_from([0, 0, 5])),
        min_size=1, max_size=12,
    ),
    st.sampled_from([Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(30), Fraction(60)]),
)  # fmt: skip
def test_cuts_come_back_from_a_cut_list(tmp_path_factory, two_clips, cuts, rate):
    at, shots = 0, []
    for number, (which, source, length, gap) in enumerate(cuts, start=100):
        footage = two_clips.footage[which].id
        shots.append(footage_item(number, footage, at + gap, length, source_start=float(source / rate)))
        at += gap + length
    project = replace(two_clips, rate=rate, is_shape_chosen=True, shots=tuple(shots), next_id=200)
    path = written(project, tmp_path_factory.mktemp("edl") / "cut.edl")
    # By the names of the clips alone, as lists from elsewhere have them.
    lines = [line for line in path.read_text().splitlines() if "FROM CLIP:" not in line]
    path.write_text("\n".join(lines))
    back, _ = read_back(path, replace(project, shots=()))
    told = [(one.start, one.n_frames, one.footage) for one in back.shots]
    assert told == [(one.start, one.n_frames, one.footage) for one in shots]
    first = [cut_of(one).source_start * rate for one in back.shots]
    assert first == pytest.approx([source for _, source, _, _ in cuts], abs=1e-3)


def test_a_cut_list_has_rates_that_time_code_counts_alone():
    with pytest.raises(EditError, match=r"edit decision list has 24, 25, .* fps, got 12"):
        written(replace(open_demo(), rate=Fraction(12)), Path("x.edl"))


def test_speeds_go_through_a_timeline(tmp_path):
    clip = write_clip(tmp_path / "clip.mp4", [numbered_picture(n) for n in range(200)])
    project = add_footage(Project(), [probe_footage(clip)])
    project = lay_in_row(project, [project.footage[0].id])
    project = change_speed(project, project.shots[0].id, 1.5)
    timeline = otio.adapters.read_from_file(str(written(project, tmp_path / "x.otio")))
    (made,) = timeline.find_clips()
    assert [one.time_scalar for one in made.effects] == [1.5]


hits = st.lists(
    st.tuples(st.floats(0.05, 90).map(lambda t: round(t, 3)), st.floats(0.01, 1).map(lambda s: round(s, 2))),
    min_size=1, max_size=40, unique_by=lambda one: one[0],
)  # fmt: skip


def sung(beat_times, found, place=1):
    beats = tuple(Beat(time, (number + place - 1) % 4 + 1) for number, time in enumerate(beat_times))
    song = replace(a_song(), duration=100.0, beats=beats, sections=(), drops=())
    source = TappedSource(tuple(Hit(*one) for one in sorted(found)))
    return Project(song=song, pulses=(Pulse(1, "käse & taps", source),), next_id=2)


@given(hits, st.floats(0.0, 20.0), st.lists(st.floats(0.25, 2.0), min_size=4, max_size=60), st.integers(1, 4))
def test_beats_and_hits_come_back_from_midi(tmp_path_factory, found, first, periods, place):
    times = np.round(first + np.cumsum([0.0, *periods]), 6)
    times = times[times < 99].tolist()
    project = sung(times, found, place)
    path = written(project, tmp_path_factory.mktemp("midi") / "x.mid")
    back, _ = read_back(path, replace(project, pulses=()))
    assert [one.time for one in back.song.beats] == pytest.approx(times, abs=2e-6)
    assert [one.place for one in back.song.beats] == [one.place for one in project.song.beats]
    (pulse,) = [one for one in back.pulses if one.name == "käse & taps"]
    # Half a tick of the slowest beat.
    assert [hit.time for hit in pulse.source.hits] == pytest.approx(
        sorted(one[0] for one in found), abs=0.51 * max([*periods, first, 0.5]) / 960
    )
    file = mido.MidiFile(str(path), charset="utf-8")
    assert file.length >= times[-1] - 1e-3 and [track.name for track in file.tracks] == [
        "tempo",
        "käse & taps",
    ]


@given(hits)
def test_hits_come_back_from_a_table(tmp_path_factory, found):
    project = sung([1.0, 1.5, 2.0], found)
    path = written(project, tmp_path_factory.mktemp("csv") / "x.csv")
    back, _ = read_back(path, replace(project, pulses=()))
    assert [(one.time, one.strength) for one in back.pulses[0].source.hits] == sorted(found)


def test_a_table_has_every_hit_cue_and_cut():
    project = a_project(n_lanes=2, n_shots=4)
    rows = list(csv.DictReader(io.StringIO(writer_for(Path("x.csv")).write(project).decode())))
    context = hit_context_of(project)
    kinds = [row["kind"] for row in rows]
    assert kinds.count("hit") == sum(len(hits_of(pulse, context)) for pulse in project.pulses)
    assert kinds.count("cut") == 4
    cues = [(row["effect"], int(row["frame"])) for row in rows if row["kind"] == "cue"]
    assert cues == [(one.lane.effect, cue.frame) for one in schedule(project).lanes for cue in one.cues]
    assert all(
        int(row["frame"]) == frame_at(float(row["time"]), project.rate)
        for row in rows
        if row["kind"] == "hit"
    )


def test_values_are_those_of_every_frame():
    demo = open_demo()
    content = json.loads(INTERCHANGES.named("values").write(demo))
    flash = content["lanes"][0]
    levels = schedule(demo).lanes[0].levels[: demo.n_frames]
    assert flash["level"] == pytest.approx(levels.tolist(), abs=1e-6)
    is_on = [value is not None for value in flash["values"]["stops"]]
    assert is_on == [level != 0 for level in levels]
    table = list(csv.reader(io.StringIO(INTERCHANGES.named("values-csv").write(demo).decode())))
    assert len(table) == 1 + demo.n_frames
    column = table[0].index("1 flash stops")
    assert [float(row[column] or "nan") for row in table[1:]] == pytest.approx(
        [np.nan if one is None else one for one in flash["values"]["stops"]], nan_ok=True
    )


@pytest.mark.parametrize("name", ["x.srt", "x.vtt"])
def test_texts_come_back_from_captions(tmp_path, name):
    project = a_project()
    first = "roll & <stop>" if name.endswith("vtt") else "roll & stop"  # in the other one it is markup
    for start, text in ((30, f"{first}\nthe second line"), (90, "on -> and on")):
        project, _ = put_title(project, TextFill(text), start)
    path = written(project, tmp_path / name)
    back, _ = read_back(path, a_project())
    texts = [(item.start, item.content.text) for track in back.tracks for item in track.items]
    wanted = [(item.start, item.content.text) for track in project.tracks for item in track.items]
    assert sorted(texts) == sorted(wanted)
    with pytest.raises(EditError, match="no text"):
        written(a_project(), tmp_path / name)


BROKEN = [
    b"",
    b"{}",
    b"\xff\xfe\x00garbage",
    b"MThd\x00\x00\x00\x06\x00\x01\xff\xff\xff\xff",
    b"[" * 20_000,
    b'{"OTIO_SCHEMA": "Timeline.1", "tracks": 3}',
]


@pytest.mark.parametrize("name", ["x.otio", "x.edl", "x.mid", "x.csv", "x.srt"])
@pytest.mark.parametrize("content", BROKEN, ids=range(len(BROKEN)))
def test_a_broken_file_is_told(tmp_path, name, content):
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(MediaError, match=name):
        reader_for(path).read(path)


def test_a_format_that_nobody_knows_is_told():
    with pytest.raises(
        ParameterError, match=r"'\.doc' is no format of interchange; these endings are:.*\.otio"
    ):
        writer_for(Path("x.doc"))
