"""The demo's own promises: its size, its truth, and that it can be made again."""

import json
from fractions import Fraction

import numpy as np
import pytest

from epiphane.audio.samples import read_samples
from epiphane.demo import MEDIA, SONG_FILE, TRUTH_FILE
from epiphane.demo.motion import Motion
from epiphane.demo.project import CLIPS_FILE, make_demo_project, open_basic_demo, open_demo
from epiphane.demo.scenes import tower
from epiphane.demo.song import RATE, Composition
from epiphane.demo.stage import frames
from epiphane.demo.titles import RECIPE_FILE, make_recipe, make_titles_project, open_titles_demo
from epiphane.document.timeline import cut_of
from epiphane.document.titles import TitleLook
from epiphane.facts.titles import landing_frame
from epiphane.files.project import missing_files
from epiphane.files.recipes import load_recipe
from epiphane.keying.schedule import schedule
from epiphane.lane_kinds import is_transition
from epiphane.media.clip import Clip
from epiphane.media.probe import probe_footage
from epiphane.timing import frame_at


def test_the_media_are_small_enough_to_ship():
    sizes = [path.stat().st_size for path in MEDIA.iterdir()]
    assert sum(sizes) < 12e6
    assert max(sizes) < 4e6


def test_the_song_is_the_one_composed_in_code():
    made = Composition()
    shipped = read_samples(SONG_FILE)
    assert shipped.rate == RATE
    assert np.abs(shipped.data - made.sound).max() < 2 / 32767  # 16 bits, and a scale of 32767 or 32768
    assert json.loads(TRUTH_FILE.read_text()) == json.loads(json.dumps(made.truth()))


def test_every_clip_is_what_it_says():
    clips = json.loads(CLIPS_FILE.read_text())
    assert len(clips) >= 6
    for name, clip in clips.items():
        facts = probe_footage(MEDIA / f"{name}.mp4")
        assert (facts.width, facts.height, facts.rate) == (1280, 720, Fraction(30))
        assert 4 <= facts.duration <= 8
        assert frame_at(clip["impact"], Fraction(30)) == clip["impact_frame"]
        sound = read_samples(MEDIA / f"{name}.mp4").mono()
        around = sound[round((clip["impact"] - 0.02) * 48_000) : round((clip["impact"] + 0.1) * 48_000)]
        assert np.abs(around).max() > 0.3 * np.abs(sound).max()  # the impact is heard


def test_a_scene_draws_the_pictures_that_are_shipped():
    scene = tower.make()
    shipped = Clip(MEDIA / "tower.mp4")
    assert shipped.n_pictures == scene.n_frames
    first = next(iter(frames(scene)))
    luma = shipped.read(0).planes[0].astype(float)
    drawn = 16 + 219 / 255 * (first @ np.array([0.0722, 0.7152, 0.2126]))
    assert np.abs(luma - drawn).mean() < 3  # what the encoder took away
    shipped.close()


def test_every_impact_of_the_demo_falls_on_a_beat():
    project = open_demo()
    impacts = json.loads(CLIPS_FILE.read_text())
    names = {one.id: one.path.rsplit("/", 1)[1].removesuffix(".mp4") for one in project.footage}
    beats = [beat.time for beat in project.song.beats]
    for shot in project.shots:
        seconds = (
            shot.start / project.rate + impacts[names[shot.footage]]["impact"] - cut_of(shot).source_start
        )
        assert min(abs(float(seconds) - beat) for beat in beats) < 1 / 30
    assert sum(shot.n_frames for shot in project.shots) == project.n_frames
    assert missing_files(project) == []


def test_the_demo_project_is_made_by_the_same_edits(monkeypatch, tmp_path):
    shipped = open_demo()
    monkeypatch.setattr("epiphane.demo.project.PROJECT_FILE", tmp_path / "again.epiphane")
    assert make_demo_project() == shipped


def test_the_demo_is_a_film_whose_lanes_all_fire_and_whose_title_lands_on_the_drop():
    project = open_demo()
    cues = schedule(project)
    quiet = [one.lane.effect for one in cues.lanes if not is_transition(one.lane.effect) and not one.cues]
    assert quiet == []
    used = {one.transition.key for one in cues.transitions}
    assert used == {lane.effect for lane in project.lanes if is_transition(lane.effect)}
    (title,) = (item for track in project.tracks for item in track.items)
    assert landing_frame(title, project.rate) == frame_at(project.song.drops[0], project.rate)
    basic = open_basic_demo()
    assert [lane.effect for lane in basic.lanes] == ["flash", "zoom"] and basic.tracks == ()


def test_the_title_sequence_is_made_by_its_recipe_and_lands_on_hits(monkeypatch, tmp_path):
    shipped, recipe = open_titles_demo(), load_recipe(RECIPE_FILE)
    monkeypatch.setattr("epiphane.demo.titles.TITLES_FILE", tmp_path / "again.epiphane")
    monkeypatch.setattr("epiphane.demo.titles.RECIPE_FILE", tmp_path / "again.epiphane-recipe")
    assert make_titles_project() == shipped and make_recipe() == recipe
    assert float(shipped.n_frames / shipped.rate) == pytest.approx(14.0, abs=0.05)
    titles = [item for track in shipped.tracks for item in track.items if isinstance(item.content, TitleLook)]
    beats = {frame_at(beat.time, shipped.rate) for beat in shipped.song.beats}
    landings = {landing_frame(item, shipped.rate) for item in titles}
    assert landings <= beats and frame_at(shipped.song.drops[0], shipped.rate) in landings
    struck = next(lane for lane in shipped.lanes if lane.effect == "shake")
    assert {cue.frame for cue in schedule(shipped).lane(struck.id).cues} == landings


def test_marbles_fall_and_bounce_as_gravity_has_it():
    motion = Motion(0, 0, 10).fall(until_y=300)
    end = motion.end
    half_way = motion.at(end / 2)[1]
    assert motion.at(end)[1] == pytest.approx(300, abs=1)
    assert half_way == pytest.approx(75, abs=3)  # a quarter of the way in half of the time
    heights = [motion.at(t)[1] for t in np.linspace(0, end, 50)]
    assert (np.diff(heights) >= -1e-9).all()
