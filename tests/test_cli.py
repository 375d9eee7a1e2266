"""The command line, run as a program: its words are kept stable."""

import contextlib
import io
import json
import subprocess
import sys
from fractions import Fraction

import numpy as np
import opentimelineio as otio
import pytest
from helpers import click_track, grey_clip, read_lumas, write_clip, write_sound

from epiphane.cli import main
from epiphane.demo import MEDIA, PROJECT_FILE, SONG_FILE, TRUTH_FILE
from epiphane.files.project import load_project
from epiphane.files.trust import TrustedFolders, data_folder
from training.scores import onset_f


def epiphane(*words, folder, is_apart=False):
    """Run a command: in this process, which loads everything once, or in one of its own."""
    words = [str(word) for word in words]
    if is_apart:
        return subprocess.run(
            [sys.executable, "-m", "epiphane", *words],
            cwd=folder,
            capture_output=True,
            text=True,
            check=False,
            timeout=120,
        )
    out, err, code = io.StringIO(), io.StringIO(), 0
    with (
        contextlib.chdir(folder),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
        pytest.MonkeyPatch.context() as patched,
    ):
        patched.setattr("sys.argv", ["epiphane", *words])
        patched.setattr("epiphane.cli.start_log", lambda: None)
        patched.setattr("epiphane.cli.tune_heap", lambda: None)
        try:
            main()
        except SystemExit as ended:
            code = ended.code or 0
    return subprocess.CompletedProcess(words, code, out.getvalue(), err.getvalue())


@pytest.fixture(autouse=True)
def no_log(monkeypatch):
    """Leave the streams of the tests as they are where commands run in their process."""
    monkeypatch.setattr("epiphane.cli.start_log", lambda: None)


@pytest.fixture(scope="module")
def media(tmp_path_factory):
    folder = tmp_path_factory.mktemp("media")
    write_sound(folder / "song.wav", click_track(np.arange(0.5, 9, 0.5), duration=9))
    grey_clip(folder / "grey.mp4", n_pictures=90)
    return folder


def test_parts_and_drops_are_said_and_the_song_is_dressed(media):
    def made(*words):
        return epiphane("new", "song.wav", "grey.mp4", "-o", "said.epiphane", *words, folder=media)

    done = made("--part", "0.5:4.5=build", "--drop", "4.5", "--dress", "--title", "ROLL@drop")
    assert (done.returncode, done.stderr) == (0, "")
    project = load_project(media / "said.epiphane")
    assert project.song.drops == (4.5,) and any(one.is_own for one in project.song.sections)
    assert any(lane.is_dressed for lane in project.lanes)
    assert epiphane("plan", "said.epiphane", folder=media).stdout.count('"landing_frame": 135') == 1
    done = made("--length", "6", "--dress", "--overwrite")
    shorter = load_project(media / "said.epiphane").song
    assert (done.returncode, shorter.duration, shorter.fade_out > 0) == (0, pytest.approx(6, abs=1), True)
    assert made("--length", "3", "--overwrite").returncode == 2
    without = made("--title", "ROLL@drop", "--overwrite")
    assert without.returncode == 0 and "no drop was heard" in without.stderr and "--drop" in without.stderr
    for words, told, code in (
        (("--part", "1:2"), "A:B=KIND", 2),
        (("--part", "1:1.1=full"), "shorter than a beat", 1),
        (("--part", "1:3=full", "--part", "2:4=calm"), "overlaps", 1),
        (("--drop", "99"), "lies in the song", 1),
    ):
        refused = made(*words, "--overwrite")
        assert refused.returncode == code and told in refused.stderr, refused.stderr


def test_from_a_song_and_a_clip_to_a_film(media):
    made = epiphane(
        "new",
        "song.wav",
        "grey.mp4",
        "-o",
        "edit.epiphane",
        "--lane",
        "flash:bars",
        "--lane",
        "zoom:beats/2",
        folder=media,
        is_apart=True,
    )
    assert (made.returncode, made.stderr) == (0, "")
    planned = epiphane("plan", "edit.epiphane", "--json", "plan.json", folder=media)
    assert planned.returncode == 0
    (media / "grey-copy.mp4").write_bytes((media / "grey.mp4").read_bytes())
    for out, more, code in (
        ("plan.json", (), 1),
        ("plan.json", ("--overwrite",), 0),
        ("grey-copy.mp4", (), 1),
        ("grey.mp4", ("--overwrite",), 1),
        ("song.wav", ("--overwrite",), 1),
    ):
        before = (media / out).read_bytes()
        again = epiphane("plan", "edit.epiphane", "--json", out, *more, folder=media)
        assert again.returncode == code and (media / out).read_bytes() == before
    plan = json.loads((media / "plan.json").read_text())
    assert [(lane["effect"], lane["pulse"]) for lane in plan["lanes"]] == [
        ("flash", "bars"),
        ("zoom", "every 2nd beat"),
    ]
    assert [cue["frame"] for cue in plan["lanes"][0]["cues"]] == [15, 75, 135, 195, 255]
    assert plan["lanes"][0]["cues"][0] == {"hit": 0.5, "frame": 15, "strength": 1.0, "override": None}
    assert [cut["frame"] for cut in plan["cuts"]] == [0, 15, 75, 135, 195, 255]
    rendered = epiphane(
        "render",
        "edit.epiphane",
        "film.mp4",
        "--size",
        "96x54",
        "--fps",
        "30000/1001",
        "--range",
        "0:1.5",
        folder=media,
    )
    assert (rendered.returncode, rendered.stderr) == (0, "")
    lumas, _ = read_lumas(media / "film.mp4")
    assert len(lumas) == 44
    brightness = [float(luma.mean()) for luma in lumas]
    assert brightness.index(max(brightness)) == 14


def test_a_folder_is_cut_to_the_beats_with_moments_on_hits(media, tmp_path):
    shots = tmp_path / "shots"
    shots.mkdir()
    for name, at in (("a", 40), ("b", 70)):
        pictures = [np.full((54, 96, 3), 60 + 90 * (n >= at), np.uint8) for n in range(100)]
        write_clip(shots / f"{name}.mp4", pictures)
    (shots / "notes.txt").write_text("no film")
    words = ("--every", "2", "--order", "moments", "--moments")
    words += ("--shape", "54x96", "--speed", "80", "--between", "blend")
    made = epiphane("new", media / "song.wav", shots, "-o", "cut.epiphane", *words, folder=tmp_path)
    assert made.returncode == 0
    assert "notes.txt is damaged, or neither picture nor sound" in made.stderr
    plan = json.loads(epiphane("plan", "cut.epiphane", folder=tmp_path).stdout)
    beats = {round(30 * (0.5 + n / 2)) for n in range(17)}
    assert {cut["frame"] for cut in plan["cuts"]} <= {0, *beats}
    assert sum(cut["n_frames"] for cut in plan["cuts"]) == plan["n_frames"]
    assert (plan["size"], {cut["speed"] for cut in plan["cuts"]}) == ([54, 96], {0.8})
    assert plan["cuts"][0]["moment"] is None  # there is no hit before the first beat
    landed = [cut for cut in plan["cuts"] if cut["moment"]]
    assert {cut["footage"] for cut in landed} == {"a.mp4", "b.mp4"}  # others show what is still unused
    for cut in landed:
        moment = {"a.mp4": 40, "b.mp4": 70}[cut["footage"]] / 30
        assert cut["moment"]["source"] == pytest.approx(moment, abs=1e-5)
        assert cut["moment"]["frame"] in beats
        shown = cut["source"] + cut["speed"] * (cut["moment"]["frame"] - cut["frame"]) / 30
        assert shown == pytest.approx(moment, abs=1e-5)


def test_a_look_is_put_on_in_part_and_the_grade_goes_out_again(media):
    rows = "\n".join(f"{1 - r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    (media / "own.cube").write_text(f"LUT_3D_SIZE 2\n{rows}\n")

    def made(look):
        return epiphane(
            "new", "song.wav", "grey.mp4", "-o", "look.epiphane", "--look", look, "--overwrite", folder=media
        )

    done = made("own.cube:40")
    assert (done.returncode, done.stderr) == (0, "")
    assert (
        '"file:' in (media / "look.epiphane").read_text()
        and ":own.cube" in (media / "look.epiphane").read_text()
    )
    done = epiphane("export", "look.epiphane", "out.cube", folder=media)
    assert (done.returncode, done.stderr) == (0, "")
    red = np.loadtxt((media / "out.cube").read_text().splitlines()[3:])[:33, 0]
    assert red == pytest.approx(
        np.linspace(0.4, 0.6, 33), abs=1e-4
    )  # six tenths of it, and four of what is left
    for words, code, told in (
        (("export", "look.epiphane", "out.cube"), 1, "--overwrite"),
        (("export", "look.epiphane", "out.cdl"), 2, ".cube"),
        (("new", "song.wav", "-o", "no.epiphane", "--look", "own.cube:140"), 2, "PERCENT"),
        (("new", "song.wav", "-o", "no.epiphane", "--look", "none.cube"), 1, "none.cube"),
    ):
        refused = epiphane(*words, folder=media)
        assert refused.returncode == code and told in refused.stderr, refused.stderr


def test_listening_prints_the_words_of_the_format(media):
    heard = epiphane("listen", "song.wav", folder=media)
    found = json.loads(heard.stdout)
    assert set(found) == {
        "duration",
        "tempo",
        "beats_per_bar",
        "beats",
        "downbeats",
        "sureness",
        "is_steady",
        "pulses",
        "drum_sureness",
        "sections",
        "drops",
    }
    assert found["beats"] == pytest.approx(np.arange(0.5, 9, 0.5).tolist(), abs=0.001)
    assert (found["tempo"], found["beats_per_bar"], found["duration"]) == (120, 4, 9)
    assert set(found["pulses"]) == {"kick", "snare", "hat", "low", "mid", "high"}
    assert set(found["drum_sureness"]) == {"kick", "snare", "hat"}
    assert len(found["sureness"]) == len(found["beats"])


def test_a_lane_is_fired_by_the_drums_that_are_heard(tmp_path):
    made = epiphane("new", SONG_FILE, "-o", "drums.epiphane", "--lane", "flash:kick/2", folder=tmp_path)
    assert (made.returncode, made.stderr) == (0, "")
    heard = json.loads(epiphane("listen", SONG_FILE, folder=tmp_path).stdout)
    kicks = [hit["time"] for hit in heard["pulses"]["kick"]]
    truth = json.loads(TRUTH_FILE.read_text())["pulses"]["kick"]
    assert onset_f(np.array(truth), np.array(kicks)) > 0.9
    assert heard["drops"]
    assert [section["start"] for section in heard["sections"]] == sorted(
        section["start"] for section in heard["sections"]
    )
    plan = json.loads(epiphane("plan", "drums.epiphane", folder=tmp_path).stdout)
    assert [cue["hit"] for cue in plan["lanes"][0]["cues"]] == kicks[::2]


def test_the_demo_can_be_planned(tmp_path):
    plan = json.loads(epiphane("plan", PROJECT_FILE, folder=tmp_path).stdout)
    effects = [lane["effect"] for lane in plan["lanes"]]
    assert effects[:2] == ["flash", "zoom"] and "shatter" in effects
    assert len(plan["cuts"]) == 9


def test_transitions_lie_on_cuts_and_overlays_on_hits_in_the_film(tmp_path):
    write_sound(tmp_path / "song.wav", click_track(np.arange(0.5, 9, 0.5), duration=9))
    for name, level in (("dark.mp4", 60), ("light.mp4", 180)):
        grey_clip(tmp_path / name, n_pictures=150, level=level)
    flash = [np.full((54, 96, 3), 120 if n == 12 else 0, np.uint8) for n in range(25)]
    write_clip(tmp_path / "spark.mov", flash, rate=Fraction(30), options={"crf": "4"})
    made = epiphane(
        *("new", "song.wav", "dark.mp4", "light.mp4", "-o", "edit.epiphane"),
        *("--lane", "dissolve:cuts", "--overlay", "spark.mov:bars:add", "--shape", "160x90"),
        *("--title", r"a\nb@last", "--title", "c", "--title", "d@3.25"),
        *("--logo", str(MEDIA / "emblem.svg"), "--logo", f"{MEDIA / 'emblem.svg'}@1.75"),
        folder=tmp_path,
    )
    assert (made.returncode, made.stderr) == (0, "")
    plan = json.loads(epiphane("plan", "edit.epiphane", folder=tmp_path).stdout)
    assert epiphane("render", "edit.epiphane", "film.mp4", folder=tmp_path).returncode == 0
    levels = [float(np.median(luma)) for luma in read_lumas(tmp_path / "film.mp4")[0]]
    hits = [cue["frame"] for cue in plan["lanes"][1]["cues"]]
    cuts = plan["transitions"]
    assert [item["landing_frame"] for item in plan["items"]] == [255, 15, 97, 255, 52]
    assert [item["content"] for item in plan["items"]] == 3 * ["text"] + 2 * ["logo"]
    assert len(hits) > 3 and len(cuts) > 3
    assert all(levels[hit] > max(levels[hit - 1], levels[hit + 1]) + 60 for hit in hits if hit > 0)
    largest_steps = []
    for cut in cuts:
        assert cut["first"] < cut["cut"] < cut["end"]
        over = [n for n in range(cut["first"] - 1, cut["end"] + 1) if n not in hits]
        largest_steps.append(np.abs(np.diff([levels[n] for n in over if n < len(levels)])).max())
    assert max(largest_steps) < 45  # a cut would be one step of 103
    assert sum(step > 8 for step in largest_steps) >= 2


def test_what_only_an_imported_timeline_names_is_told_and_not_trusted(media, tmp_path):
    for name in ("private", "stranger"):
        (tmp_path / name).mkdir()
    clip = grey_clip(tmp_path / "private/clip.mp4", n_pictures=30)
    length = otio.opentime.TimeRange(otio.opentime.RationalTime(0, 30), otio.opentime.RationalTime(20, 30))
    track = otio.schema.Track(
        children=[otio.schema.Clip("clip", otio.schema.ExternalReference(f"file://{clip}"), length)]
    )
    timeline = otio.schema.Timeline(tracks=[track])
    otio.adapters.write_to_file(timeline, str(tmp_path / "stranger/cut.otio"))
    words = (
        "new",
        media / "song.wav",
        media / "grey.mp4",
        "-o",
        "x.epiphane",
        "--import",
        "stranger/cut.otio",
    )
    done = epiphane(*words, folder=tmp_path)
    assert done.returncode == 0, done.stderr
    assert f"cut.otio reads files in {clip.parent}" in done.stderr
    project = load_project(tmp_path / "x.epiphane")
    assert [one.path for one in project.footage] == [str(media / "grey.mp4"), str(clip)]
    assert TrustedFolders(data_folder()).strange_to(project, tmp_path / "stranger") == [clip.parent]


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (("listen", "gone.wav"), 1, "epiphane: gone.wav is not there any more"),
        (("listen", "grey.mp4"), 1, "epiphane: grey.mp4 has no sound in it"),
        (("plan", "gone.epiphane"), 1, "epiphane: gone.epiphane is not there any more"),
        (("plan", "song.wav"), 1, "song.wav is damaged or cut short"),
        (("render", "gone.epiphane", "film.mp4"), 1, "gone.epiphane is not there any more"),
        (("new", "song.wav", "song.wav", "-o", "x.epiphane"), 1, "song.wav has no picture in it"),
        (("new", "song.wav", "-o", "x.json"), 2, "a project's name ends in .epiphane"),
        (("new", "song.wav", "-o", "x.epiphane", "--lane", "flash"), 2, "a lane is EFFECT:PULSE"),
        (
            ("new", "song.wav", "-o", "x.epiphane", "--lane", "marble:beats"),
            2,
            "there is no effect or transition 'marble'",
        ),
        (
            ("new", "song.wav", "-o", "x.epiphane", "--overlay", "grey.mp4"),
            2,
            "an overlay is FILE:PULSE[:BLEND]",
        ),
        (("new", "song.wav", "-o", "x.epiphane", "--overlay", "grey.mp4:beats:fog"), 2, "a blend mode"),
        (("new", "song.wav", "-o", "x.epiphane", "--overlay", "gone.mov:beats"), 1, "gone.mov is not there"),
        (("new", "song.wav", "-o", "x.epiphane", "--overlay", "song.wav:beats"), 1, "has no picture in it"),
        (("new", "song.wav", "-o", "x.epiphane", "--title", "@drop"), 2, "a title is TEXT[@HIT]"),
        (("new", "song.wav", "-o", "x.epiphane", "--title", "ROLL@soon"), 2, "lands on first, drop, last"),
        (("new", "song.wav", "-o", "x.epiphane", "--logo", "song.wav"), 2, "song.wav cannot be a logo"),
        (("new", "song.wav", "-o", "x.epiphane", "--logo", "gone.svg@drop"), 1, "gone.svg is not there"),
        (("new", "song.wav", "-o", "x.epiphane", "--shape", "3x3"), 2, "must be even"),
        (("new", "song.wav", "grey.mp4", "-o", "x.epiphane", "--speed", "5000"), 1, "speed"),
        (("render", "{demo}", "x.mp4", "--size", "3x3"), 2, "must be even"),
        (("render", "{demo}", "x.mp4", "--fps", "fast"), 2, "a frame rate is written as"),
        (("render", "{demo}", "x.mp4", "--range", "5:2"), 2, "a range is A:B"),
        (("render", "{demo}", "nowhere/x.mp4"), 1, "cannot be written"),
        (("render", "{demo}", "x.mp4", "--range", "900:901"), 1, "nothing to export"),
        (("render", "{demo}", "x.doc"), 2, "no format has the ending '.doc'"),
        (("render", "{demo}", "x.mp4", "--format", "ffv1"), 1, "FFV1 in Matroska is written as .mkv"),
        (("render", "{demo}", "x.mp4", "--quality", "best"), 2, "a quality is one of small, good, fine"),
        (("render", "{demo}", "x.mp4", "--bits", "12"), 2, "has 8, 10 bits, got 12"),
        (("render", "{demo}", "x.mp4", "--chunk", "3/2"), 2, "a share of the chunks is K/N"),
        (("render", "{demo}", "x.gif", "--chunk", "1/2"), 1, "is not made in chunks"),
        (
            ("render", "{demo}", "x.mp4", "--preset", "none"),
            2,
            "there is no preset 'none'; there are: To show",
        ),
        (("join", "{demo}", "x.mp4"), 1, "chunks are not there: 1, 2"),
        (("export", "{demo}", "x.doc"), 2, "no format of interchange"),
        (
            ("new", "song.wav", "-o", "x.epiphane", "--import", "gone.otio"),
            1,
            "gone.otio is not there any more",
        ),
        (("dance",), 2, "No such command"),
    ],
)
def test_a_fault_is_one_sentence_and_a_code(media, monkeypatch, capsys, words, code, said):
    words = [str(PROJECT_FILE) if word == "{demo}" else word for word in words]
    monkeypatch.chdir(media)
    monkeypatch.setattr(sys, "argv", ["epiphane", *words])
    with pytest.raises(SystemExit) as ended:
        main()
    assert ended.value.code == code
    assert said in capsys.readouterr().err
    assert not (media / "x.mp4").exists()
    assert not (media / "x.epiphane").exists()


def test_a_film_is_shared_joined_and_written_in_the_format_that_was_asked_for(media, tmp_path):
    words = ("new", media / "song.wav", media / "grey.mp4", "-o", "cut.epiphane", "--title", "ROLL@first")
    words = (*words, "--lane", "zoom:beats/2")
    assert epiphane(*words, "--part", "0:4=calm", "--part", "4:9=full", folder=tmp_path).returncode == 0
    small = ("--size", "64x36", "--quality", "small")
    for part in ("2/2", "1/2"):
        made = epiphane("render", "cut.epiphane", "film.mp4", *small, "--chunk", part, folder=tmp_path)
        assert (made.returncode, made.stdout) == (0, ""), made.stderr
    assert not (tmp_path / "film.mp4").exists()
    assert epiphane("join", "cut.epiphane", "film.mp4", *small, folder=tmp_path).returncode == 0
    assert epiphane("render", "cut.epiphane", "whole.mp4", *small, folder=tmp_path).returncode == 0
    assert (tmp_path / "film.mp4").read_bytes() == (tmp_path / "whole.mp4").read_bytes()
    made = epiphane(
        "render", "cut.epiphane", "part.webm", *small, "--each", "part", "--silent", folder=tmp_path
    )
    assert made.returncode == 0, made.stderr
    parts = sorted(tmp_path.glob("part *.webm"))
    assert [round(len(read_lumas(path)[0]) / 30) for path in parts] == [4, 5]
    made = epiphane("render", "cut.epiphane", "title.mov", "--clear", "--range", "0.4:0.6", folder=tmp_path)
    assert made.returncode == 0, made.stderr
    listed = epiphane("formats", folder=tmp_path).stdout
    assert "prores-4444" in listed and "aac" in listed
    made = epiphane("export", "cut.epiphane", "cut.mid", folder=tmp_path)
    assert made.returncode == 0, made.stderr
    words = ("new", media / "song.wav", media / "grey.mp4", "-o", "again.epiphane", "--import", "cut.mid")
    assert epiphane(*words, folder=tmp_path).returncode == 0
    before, again = (load_project(tmp_path / name) for name in ("cut.epiphane", "again.epiphane"))
    assert [beat.time for beat in again.song.beats] == pytest.approx(
        [beat.time for beat in before.song.beats], abs=1e-5
    )
    assert [one.name for one in again.pulses] == [one.name for one in before.pulses]


def test_a_song_without_a_beat_is_told_and_still_makes_a_project(media):
    write_sound(media / "silence.wav", np.zeros(48_000 * 3, np.float32))
    made = epiphane("new", "silence.wav", "grey.mp4", "-o", "quiet.epiphane", folder=media)
    assert made.returncode == 0
    assert "silence.wav is silent" in made.stderr
    assert json.loads(epiphane("listen", "silence.wav", folder=media).stdout)["beats"] == []
