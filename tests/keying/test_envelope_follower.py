"""A lane that follows a band, against a frame-by-frame reading."""

import math

import numpy as np
import pytest
from helpers import a_project
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.ids import LaneId
from epiphane.document.lane import Follow, Trigger
from epiphane.document.pick import Pick
from epiphane.edits.keying.lanes import change_lane
from epiphane.edits.song.trim import trim_song
from epiphane.files.project import load_project, save_project
from epiphane.keying.schedule import schedule
from epiphane.render.plan import plan_frame
from epiphane.timing import COMMON_RATES, frame_at

FLASH = LaneId(20)


def following(heard, *, rate=None, pick=None, depth=1.0, **changes):
    project = a_project() if rate is None else replace(a_project(), rate=rate)
    follow = Follow(heard=bytes(heard), **changes)
    return change_lane(
        project, FLASH, trigger=Trigger.FOLLOW, follow=follow, pick=pick or Pick(), depth=depth
    )


def levels(project):
    return schedule(project).lane(FLASH).levels


@given(
    st.lists(st.integers(0, 255), min_size=1, max_size=60),
    st.sampled_from(COMMON_RATES),
    st.floats(0, 0.6),
    st.floats(0, 0.4),
    st.sampled_from([0.0, 30.0, 400.0]),
    st.sampled_from([0.0, 80.0, 900.0]),
)
def test_levels_are_those_of_a_slow_reading(heard, rate, quiet, more, attack, release):
    project = following(
        heard, rate=rate, quiet=quiet, loud=quiet + more, attack=attack, release=release, depth=0.6
    )
    found, level, place = levels(project), 0.0, 0
    for frame in range(min(project.n_frames, 2 * len(heard))):
        while frame_at((place + 1) / 100, rate) <= frame:
            place += 1
        here = [n for n in range(place + 1) if frame_at(n / 100, rate) == frame] or [place]
        loudest = max([heard[n] for n in here if n < len(heard)], default=0) / 255
        wanted = min(max((loudest - quiet) / max(more, 1e-3), 0), 1)
        constant = attack if wanted > level else release
        level += (wanted - level) * (1 - math.exp(-1000 / constant / float(rate)) if constant else 1)
        assert found[frame] == pytest.approx(0.6 * level, abs=1e-6)


@given(st.sampled_from(COMMON_RATES), st.integers(0, 1500))
def test_a_stroke_is_seen_on_the_frame_on_which_it_sounds(rate, place):
    heard = np.zeros(1600, np.uint8)
    heard[place] = 255
    found = levels(following(heard, rate=rate))
    assert found.argmax() == frame_at(place / 100, rate)
    assert found.max() == 1.0


def test_it_has_no_cues_and_keeps_to_the_range_of_its_pick_and_to_the_sound_when_trimmed(tmp_path):
    heard = np.full(1600, 255, np.uint8)
    project = following(heard, pick=Pick(start=4.0, end=6.0), release=0.0)
    found = schedule(project).lane(FLASH)
    assert found.cues == found.orphaned_overrides == found.skipped_hits == ()
    assert np.flatnonzero(found.levels).tolist() == list(range(120, 180))
    assert plan_frame(project, schedule(project), 150).root.effects[0].key == "flash"
    path = tmp_path / "follow.epiphane"
    save_project(project, path)
    assert load_project(path).lanes[0].follow == project.lanes[0].follow

    ramp = following((np.arange(1600) // 7).astype(np.uint8), quiet=0.0, loud=1.0, release=0.0)
    trimmed = trim_song(ramp, 2.0, 12.0)
    assert levels(trimmed) == pytest.approx(levels(ramp)[60 : 60 + trimmed.n_frames], abs=0.02)
    assert (schedule(trimmed, schedule(ramp)).lane(FLASH).levels == levels(trimmed)).all()


def test_nothing_heard_or_no_song_is_silence():
    assert levels(following(b"")).max() == 0
    assert levels(replace(following([255] * 1600), song=None)).max() == 0
