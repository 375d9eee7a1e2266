"""Clips that were shot differently are evened out, on the very frames of their shots."""

import numpy as np
import pytest
from helpers import a_song, write_clip
from msgspec.structs import replace

from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import Section
from epiphane.edits.footage import add_footage
from epiphane.edits.keying.lanes import put_first
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.shots.arranging import put_footage
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.render.draw import draw
from epiphane.render.evening import even_lanes, without_evened
from epiphane.render.matching import few_levels, statistics_of
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

ODD = 1


def film(folder):
    """Return a film of three clips of one scene, of which the second was shot darker and bluer."""
    rng = np.random.default_rng(5)
    scene = np.repeat(np.repeat(rng.integers(60, 180, (9, 16, 3)), 10, axis=0), 10, axis=1).astype(np.uint8)
    dark = np.rint(scene * np.array([0.8, 0.6, 0.5])).astype(np.uint8)
    project = Project()
    for number, picture in enumerate((scene, dark, scene[:, ::-1])):
        path = write_clip(folder / f"{number}.mp4", [picture] * 30)
        project = add_footage(project, [probe_footage(path)])
    for one in project.footage:
        project = put_footage(project, [one.id], project.n_frames, covers=False)
    return project


def statistics(project, frame):
    footage = OpenFootage()
    picture = draw(plan_frame(project, schedule(project), frame), footage, (160, 90))
    footage.close()
    return statistics_of(few_levels(picture))


def test_the_odd_clip_alone_is_brought_to_the_others_on_its_own_frames(tmp_path):
    project = film(tmp_path)
    footage = OpenFootage()
    lanes = even_lanes(project, footage)
    footage.close()
    assert len(lanes) == 1 and lanes[0].name.endswith("1")
    project, pulse = ensure_pulse(project, PulseUnit.BEAT)
    evened = put_first(project, lanes, pulse)
    odd = project.shots[ODD]
    usual, before = statistics(project, 5), statistics(project, odd.start)
    after = statistics(evened, odd.start)
    assert np.abs(after.light - usual.light).max() < 0.25 * np.abs(before.light - usual.light).max()
    for frame in (odd.start - 1, odd.end):
        assert np.array_equal(statistics(evened, frame).light, statistics(project, frame).light)
    assert np.array_equal(statistics(evened, odd.end - 1).light, after.light)
    again = put_first(evened, lanes, pulse)
    assert len(again.lanes) == 1 and with_lanes(again, ()).shots == project.shots


def test_each_part_of_the_song_is_evened_out_within_itself_and_all_may_be_brought_to_one_picture(tmp_path):
    project = film(tmp_path)
    first, odd, last = project.shots
    seconds = [float(shot.start / project.rate) for shot in (first, last)]
    calm = Section(0.0, seconds[1], "A", "calm", 0.2)
    full = Section(seconds[1], seconds[1] + 1, "B", "full", 0.9)
    footage = OpenFootage()
    parted = replace(project, song=replace(a_song(), sections=(calm, full)))
    lanes = even_lanes(parted, footage, by_part=True)
    # Of the two clips of the first part each goes half of the way; the second has one clip.
    assert {one.name for one in lanes} == {"Evened: 0, A calm", "Evened: 1, A calm"}
    wanted = statistics_of(few_levels(np.full((90, 160, 3), (85, 95, 110), np.uint8)))
    all_of_them = even_lanes(project, footage, wanted=wanted)
    footage.close()
    project, pulse = ensure_pulse(project, PulseUnit.BEAT)
    brought = put_first(without_evened(put_first(project, lanes, pulse)), all_of_them, pulse)
    assert len(brought.lanes) == len(project.shots)
    for shot in (first, odd, last):
        assert statistics(brought, shot.start).light == pytest.approx(wanted.light, abs=0.01)


def test_alike_clips_or_a_single_one_are_left_as_they_are(tmp_path):
    project = film(tmp_path)
    footage = OpenFootage()
    alone = Project(footage=project.footage, shots=project.shots[:1])
    assert even_lanes(alone, footage) == even_lanes(Project(), footage) == ()
    alike = Project(footage=project.footage, shots=(project.shots[0], project.shots[2]))
    assert even_lanes(alike, footage) == ()
    footage.close()
