"""Words on hits, and captions from files: which text is over the picture on which frame."""

from itertools import pairwise

import numpy as np
import pytest
from helpers import a_project, read_lumas, write_sound
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.ids import PulseId
from epiphane.document.lane import Setting
from epiphane.document.project import with_lanes
from epiphane.document.titles import TextMotion
from epiphane.edits.items.captions import put_captions
from epiphane.edits.keying.words import add_words_lane, change_words
from epiphane.errors import EditError, MediaError
from epiphane.exporting.export import export
from epiphane.facts.titles import TitleClock
from epiphane.files.captions import read_captions
from epiphane.files.project import load_project, named_files, save_project
from epiphane.keying.schedule import schedule
from epiphane.keying.words import words_at
from epiphane.media.faces import shipped_faces

SRT = """1
00:00:01,000 --> 00:00:02,500
<i>Roll</i> &amp; turn
on the beat

2
00:00:02,000 --> 00:00:03,000
Drop

three
00:00:xx --> 00:00:09
lost

4
00:00:05,000 --> 00:00:04,000
backwards
"""


def with_words(text="ROLL TURN\nDROP", **fields):
    project = add_words_lane(replace(a_project(n_lanes=0, n_shots=0), footage=()), PulseId(5))
    return change_words(project, project.lanes[-1].id, text=text, **fields)


# Words on hits


def test_each_hit_shows_the_next_word_or_line_and_begins_again():
    project = with_words()
    lane = project.lanes[-1]
    cues = schedule(project)

    def seen(row, made):
        return [words_at(project, made, row, cue.frame).fill.text for cue in made.lane(row.id).cues[:5]]

    assert seen(lane, cues) == ["ROLL", "TURN", "DROP", "ROLL", "TURN"]
    lines = replace(lane, settings=(Setting("by", "line"),))
    by_line = with_lanes(project, (lines,))
    assert seen(lines, schedule(by_line))[:3] == ["ROLL TURN", "DROP", "ROLL TURN"]
    for by, shown in (
        ("number", ["1", "2", "3"]),
        ("tempo", 3 * ["120"]),
        ("time code", ["0:00.00", "0:00.15"]),
    ):
        telling = replace(lane, settings=(Setting("by", by),), words=replace(lane.words, text="AT #"))
        assert seen(telling, schedule(with_lanes(project, (telling,))))[: len(shown)] == [
            f"AT {one}" for one in shown
        ]
    on_bars = with_lanes(project, (replace(lane, pulse=PulseId(6)),))
    assert words_at(on_bars, schedule(on_bars), on_bars.lanes[0], 30) is None  # between its hits


def test_a_word_arrives_in_the_rise_and_leaves_in_the_fall_of_its_envelope():
    project = with_words(arrive=TextMotion("rise"), leave=TextMotion("fade"))
    lane = project.lanes[-1]
    cues = schedule(project)
    hit = cues.lane(lane.id).cues[2].frame
    clocks = {frame: words_at(project, cues, lane, hit + frame).clock for frame in range(-1, 14)}
    assert 0 < clocks[-1].arrived < 1
    assert all(clocks[frame] == TitleClock() for frame in range(11))
    assert 0 < clocks[11].left < clocks[13].left < 1


def test_in_the_exported_film_words_stand_from_their_hits(tmp_path):
    project = replace(with_words(), song=replace(a_project().song, path=str(tmp_path / "song.wav")))
    write_sound(tmp_path / "song.wav", np.zeros(48_000 * 16, np.float32))
    project = replace(project, width=320, height=180)
    export(project, tmp_path / "film.mp4", frames=range(45))
    lumas = [luma.astype(float) for luma in read_lumas(tmp_path / "film.mp4")[0]]
    first, second = (cue.frame for cue in schedule(project).lane(project.lanes[-1].id).cues[:2])
    lit = [luma.max() > 150 for luma in lumas]
    assert lit[first] and lit[first + 10] and lit[second] and not lit[second - 1]
    assert np.abs(lumas[first] - lumas[second]).mean() > 5  # another word


def test_a_lane_of_words_keeps_its_face_file_and_says_what_is_wrong(tmp_path):
    face = tmp_path / "faces" / "own.ttf"
    face.parent.mkdir()
    face.write_bytes(shipped_faces()["Bungee"].read_bytes())
    project = replace(with_words(face="own", file=str(face)), song=None)
    assert face in named_files(project)
    save_project(project, tmp_path / "edit.epiphane")
    assert "faces/own.ttf" in (tmp_path / "edit.epiphane").read_text()
    assert load_project(tmp_path / "edit.epiphane").lanes[-1].words.file == str(face)
    silent = with_words("  \n ")
    cues = schedule(silent)
    assert all(words_at(silent, cues, silent.lanes[-1], frame) is None for frame in range(60))
    flash = a_project(n_lanes=1)
    with pytest.raises(EditError, match="shows no words"):
        change_words(flash, flash.lanes[0].id, text="ROLL")


# Captions


def test_captions_are_read_without_marks_and_what_is_bad_is_said(tmp_path):
    file = tmp_path / "song.srt"
    for encoding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
        file.write_bytes(SRT.replace("Drop", "Dröp").replace("\n", "\r\n").encode(encoding))
        read = read_captions(file)
        assert [(one.start, one.end, one.text) for one in read.captions] == [
            (1.0, 2.0, "Roll & turn\non the beat"),
            (2.0, 3.0, "Dröp"),
        ]
        assert len(read.remarks) == 2 + (encoding == "cp1252")
        assert "2 of its captions have no good times" in read.remarks[-2]
        assert "overlap" in read.remarks[-1]
        assert ("not in UTF-8" in read.remarks[0]) == (encoding == "cp1252")
    twice = "1\n00:00:01,000 --> 00:00:02,000\nRoll\n\n2\n00:00:01,000 --> 00:00:03,000\nTurn\n"
    file.write_text(twice)
    (both,) = read_captions(file).captions
    assert (both.end, both.text) == (3.0, "Roll\nTurn") and "begin together" in read_captions(file).remarks[0]
    file.write_bytes(
        twice.replace("Roll", "Шарик катится по жёлобу вниз")
        .replace("Turn", "и падает в ведро")
        .encode("cp1251")
    )
    assert "Шарик" in read_captions(file).captions[0].text
    vtt = tmp_path / "song.vtt"
    vtt.write_text("WEBVTT\n\nNOTE x\n\nintro\n01:02.500 --> 01:04.000 align:start\n<v Ann>Roll</v>\n")
    (caption,) = read_captions(vtt).captions
    assert (caption.start, caption.end, caption.text) == (62.5, 64.0, "Roll")
    (tmp_path / "none.srt").write_text("nothing here")
    for name, words in (("none.srt", "has no captions"), ("gone.srt", "gone.srt")):
        with pytest.raises(MediaError, match=words):
            read_captions(tmp_path / name)


@given(st.binary(max_size=400))
def test_no_file_of_captions_breaks_the_reader(tmp_path_factory, noise):
    file = tmp_path_factory.getbasetemp() / "noise.srt"
    file.write_bytes(b"1\n00:00:01,000 --> 00:00:02,000\nRoll\n\n" + noise)
    found = read_captions(file).captions
    assert all(one.start < one.end for one in found)
    assert all(a.end <= b.start for a, b in pairwise(found))


TIMES = st.lists(st.tuples(st.integers(0, 1500), st.integers(1, 300)), min_size=1, max_size=30)


@given(TIMES, st.lists(st.integers(0, 1600), max_size=30, unique=True))
def test_captions_lie_in_order_and_on_the_hits_that_are_nearest(times, hits):
    starts = sorted({start / 100 for start, _ in times})
    ends = [
        min(start + length / 100, after)
        for (start, (_, length), after) in zip(starts, times, [*starts[1:], 99.0], strict=False)
    ]
    captions = [(start, end, str(start)) for start, end in zip(starts, ends, strict=True) if end > start]
    hits = sorted(hit / 100 for hit in hits)
    project = a_project()
    snapped = put_captions(project, captions, "song", hits=hits)
    items = snapped.tracks[-1].items
    assert all(a.end <= b.start for a, b in pairwise(items))
    assert items[-1].end <= project.n_frames
    own = {str(start): start for start in starts}
    for item in items:
        start = own[item.content.text]
        assert abs(item.start / 30 - start) <= 0.5 + 1 / 30
        near = min((abs(hit - start) for hit in hits), default=9.0)
        if near <= 0.5 and item.start != int(start * 30 + 1e-6):
            assert any(abs(item.start - hit * 30) <= 1 for hit in hits)


def test_captions_beyond_the_film_are_refused():
    with pytest.raises(EditError, match="none of the captions lies within the film"):
        put_captions(a_project(), [(100.0, 101.0, "ROLL")], "late")
