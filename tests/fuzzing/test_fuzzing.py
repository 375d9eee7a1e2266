"""Whatever is done to a file, it is opened or refused in a sentence: no fault, no crash, no endless work.

A few fixed seeds run with the tests; ``make fuzz`` tries many new ones.
"""

import os
import signal
import subprocess
import sys
from pathlib import Path

import av
import numpy as np
import pytest
from fuzzing.mutations import ROUNDS, mutated_bytes, mutated_json, seeds
from helpers import a_project, click_track, numbered_picture, write_clip, write_sound
from msgspec.structs import replace
from PIL import Image

from epiphane.assets import RECIPES
from epiphane.demo.project import open_basic_demo
from epiphane.document.pulse import Combination, CombinedSource, Pulse
from epiphane.edits.keying.cues import toggle_cues
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.recipes import use_recipe
from epiphane.errors import EditError, EpiphaneError, ProjectFileError, RecipeError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.files.journal import Journals
from epiphane.files.project import decode_project, encode_project
from epiphane.files.recipes import decode_recipe
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.media.still import Still
from epiphane.render.plan import plan_frame

TESTS = Path(__file__).parents[1]
SECONDS = 30


@pytest.fixture(autouse=True)
def is_not_endless():
    """End what takes longer than anything should."""

    def end(*_):
        raise AssertionError(f"not done after {SECONDS} s")

    before = signal.signal(signal.SIGALRM, end)
    yield lambda: signal.alarm(SECONDS)
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)


def use(project):
    """Do with a project what a window does when it opens one."""
    assert decode_project(encode_project(project), where="it") == project
    context = hit_context_of(project)
    for pulse in project.pulses:
        times = [hit.time for hit in hits_of(pulse, context)]
        assert all(np.isfinite(times))
    cues = schedule(project)
    for frame in {0, project.n_frames // 2, max(0, project.n_frames - 1)}:
        plan_frame(project, cues, frame)


def rich_project():
    """Return the demo with a lane of every recipe, pulses of all kinds and cues that differ."""
    project = open_basic_demo()
    for path in sorted(RECIPES.glob("*.epiphane-recipe")):
        project = use_recipe(project, decode_recipe(path.read_bytes(), where=path.name))
    one, other = (pulse.id for pulse in project.pulses[:2])
    blend = Pulse(project.next_id, "both", CombinedSource(Combination.BOTH, one, other))
    project = replace(project, pulses=(*project.pulses, blend), next_id=project.next_id + 1)
    project = add_lane(project, "glow", blend.id)
    return toggle_cues(project, [(project.lanes[0].id, project.song.beats[8].time)])


def test_a_harmed_project_is_opened_or_refused(is_not_endless):
    text, n_opened = encode_project(rich_project()), 0
    for seed in seeds(250):
        is_not_endless()
        harmed = mutated_bytes(text, seed) if seed % 5 == 0 else mutated_json(text, seed)
        try:
            project = decode_project(harmed, where="edit.epiphane")
        except ProjectFileError as error:
            assert str(error).startswith("edit.epiphane"), seed
            assert len(str(error)) < 1500, seed
            continue
        n_opened += 1
        try:
            use(project)
        except Exception as error:
            raise AssertionError(f"seed {seed}") from error
    assert n_opened > 10  # some harm is none: then the rest of the road is tried


def test_a_harmed_recipe_is_used_or_refused(is_not_endless):
    texts = [path.read_bytes() for path in sorted(RECIPES.glob("*.epiphane-recipe"))]
    project = a_project()
    for seed in seeds(200):
        is_not_endless()
        text = texts[seed % len(texts)]
        harmed = mutated_bytes(text, seed) if seed % 5 == 0 else mutated_json(text, seed)
        try:
            use(use_recipe(project, decode_recipe(harmed, where="it")))
        except (RecipeError, EditError) as error:
            assert len(str(error)) < 600, seed
        except Exception as error:
            raise AssertionError(f"seed {seed}") from error


def test_a_harmed_journal_gives_a_state_that_was_or_nothing(tmp_path, is_not_endless):
    journals = Journals(tmp_path / "journals")
    journal = journals.claim(None)
    states = [replace(a_project(), name=f"state {n}") for n in range(5)]
    for state in states:
        journal.append(state)
    file = journal.folder / "journal"
    content = file.read_bytes()
    journal.abandon()
    mine = journals.claim(None)
    for seed in seeds(200):
        is_not_endless()
        file.write_bytes(mutated_bytes(content, seed))
        found = journals.lost(mine)
        assert all(work.project in states for work in found), seed
        assert len(found) <= 1


def test_a_project_whose_pulses_are_made_of_one_another_is_bounded(is_not_endless):
    is_not_endless()

    def ladder(n_rungs):
        first = a_project().pulses
        rungs = [
            Pulse(100 + n, f"rung {n}", CombinedSource(Combination.EITHER, *(2 * [99 + n if n else 5])))
            for n in range(n_rungs)
        ]
        return replace(a_project(), pulses=(*first, *rungs), next_id=9000)

    high = decode_project(encode_project(ladder(30)), where="it")
    assert len(hits_of(high.pulses[-1], hit_context_of(high))) == len(
        hits_of(high.pulses[0], hit_context_of(high))
    )
    for n_rungs in (60, 900):
        with pytest.raises(ProjectFileError, match="more than 32 pulses are made of one another"):
            decode_project(encode_project(ladder(n_rungs)), where="it")
    with pytest.raises(ProjectFileError, match=r"length <= 1000"):
        decode_project(encode_project(ladder(3000)), where="it")
    circle = replace(ladder(2), pulses=ladder(2).pulses[:-2] + ladder(2).pulses[-1:])
    round_and_round = replace(circle.pulses[-1], source=CombinedSource(Combination.BOTH, 101, 5))
    with pytest.raises(ProjectFileError, match="made of itself"):
        decode_project(
            encode_project(replace(circle, pulses=(*circle.pulses[:-1], round_and_round))), where="it"
        )


def media(folder):
    """Write a small file of each of many kinds."""
    pictures = [numbered_picture(n, (96, 64)) for n in range(12)]
    sound = click_track([0.1, 0.3], duration=0.5)
    write_clip(folder / "a.mp4", pictures, sound=sound)
    write_clip(folder / "b.mkv", pictures, options={"bf": "2"})
    write_clip(folder / "c.avi", pictures, codec="mpeg4")
    write_clip(folder / "d.ts", pictures)
    write_clip(folder / "e.webm", pictures, codec="libvpx-vp9")
    write_clip(folder / "f.mov", pictures, codec="prores_ks", pixels="yuv422p10le")
    with av.open(str(folder / "g.gif"), "w") as container:
        stream = container.add_stream("gif", rate=10)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "rgb8"
        for picture in pictures:
            container.mux(
                stream.encode(av.VideoFrame.from_ndarray(picture, format="bgr24").reformat(format="rgb8"))
            )
        container.mux(stream.encode(None))
    for suffix in (".wav", ".flac", ".mp3", ".ogg", ".m4a"):
        write_sound(folder / f"s{suffix}", sound)
    for suffix in (".png", ".jpg", ".webp", ".tif", ".bmp"):
        Image.fromarray(pictures[5]).save(folder / f"p{suffix}")
    (folder / "v.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30"><g opacity=".5">'
        '<rect width="20" height="30" fill="red"/></g></svg>'
    )
    return folder


def test_harmed_media_are_read_or_refused(tmp_path):
    folder = media(tmp_path)
    runs = [(0, 150)] if not ROUNDS else [(start, 300) for start in list(seeds(0))[::300]]
    for first, number in runs:
        done = subprocess.run(
            [sys.executable, TESTS / "fuzzing" / "harm_media.py", folder, str(first), str(number)],
            capture_output=True,
            text=True,
            env=os.environ | {"PYTHONPATH": str(TESTS)},
            check=False,
        )
        last = done.stdout.splitlines()[-1] if done.stdout else "nothing"
        assert done.returncode == 0, f"seed and file {last}: {done.returncode}, {done.stderr[-1500:]}"


PLAYLIST = "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n{}\n#EXT-X-ENDLIST\n"
REFERRING = {
    "list.m3u8": PLAYLIST,
    "list.ffconcat": "ffconcat version 1.0\nfile '{}'\n",
    "list.mp4": PLAYLIST,
    "picture%02d.jpg": "",
    "stream.sdp": "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nm=video 5004 RTP/AVP 96\n",
}


@pytest.mark.parametrize("name", REFERRING)
def test_a_file_pulls_in_no_other(tmp_path, name):
    secret = write_clip(tmp_path / "secret.mp4", [numbered_picture(n) for n in range(5)])
    Image.fromarray(numbered_picture(1)).save(tmp_path / "picture01.jpg")
    path = tmp_path / name
    path.write_text(REFERRING[name].format(secret))
    with pytest.raises(EpiphaneError, match=r"damaged|empty|no video|neither|still being|cannot be"):
        probe_footage(path)


def test_a_drawing_pulls_in_no_other_and_cannot_take_the_process_along(tmp_path, is_not_endless):
    is_not_endless()
    Image.new("RGB", (10, 10), (255, 0, 0)).save(tmp_path / "secret.png")
    head = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:x="http://www.w3.org/1999/xlink" {}>'
    place = tmp_path / "secret.png"
    drawing = tmp_path / "a.svg"
    drawing.write_text(
        head.format('width="10" height="10"')
        + f'<image x:href="{place}" width="10" height="10"/>'
        + '<image href="secret.png" width="10" height="10"/></svg>'
    )
    assert Still(drawing).read().planes[0].max() == 0
    deep = "<g>" * 90_000 + "</g>" * 90_000
    bombs = {
        "deep": head.format("") + deep + "</svg>",
        "huge": head.format('width="1e9" height="1e-9"') + '<rect width="1" height="1"/></svg>',
        "swelling": '<!DOCTYPE svg [<!ENTITY a "'
        + "x" * 9999
        + '">'
        + "".join(f'<!ENTITY a{n} "{"&a%s;" % (n - 1 or "") * 30}">' for n in range(1, 8))
        + "]>"
        + head.format("")
        + "<text>&a7;</text></svg>",
        "no drawing": "<html/>",
    }
    for name, text in bombs.items():
        drawing.write_text(text)
        try:
            assert max(Still(drawing).read().planes[0].shape) <= 4096, name
        except EpiphaneError as error:
            assert "too complicated" in str(error), name
