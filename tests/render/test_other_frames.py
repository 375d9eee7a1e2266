"""Effects that need other frames name them in the plan, and show exactly those, in any order of drawing."""

import numpy as np
import pytest
from helpers import a_song, number_of, numbered_picture, read_lumas, write_clip, write_sound
from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane, Setting
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.timeline import cut_of
from epiphane.edits.footage import add_footage
from epiphane.edits.shots.shots import lay_in_row
from epiphane.exporting.export import export
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.render.draw import draw
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

SIZE = (160, 90)


@pytest.fixture(scope="module")
def project(tmp_path_factory):
    """Four seconds of two shots whose frames tell their number; beats every half second."""
    path = write_clip(tmp_path_factory.mktemp("clip") / "a.mp4", [numbered_picture(n) for n in range(120)])
    project = add_footage(Project(song=a_song(n_beats=8)), [probe_footage(path)])
    project = lay_in_row(project, [project.footage[0].id] * 2)
    return replace(project, pulses=(Pulse(PulseId(5), "beats", HeardSource(PulseUnit.BEAT)),))


def fired(project, key, *settings, envelope):
    lane = Lane(LaneId(9), key, PulseId(5), envelope=envelope, settings=settings)
    return with_lanes(project, lanes=(lane,))


def numbers(project, frames):
    footage, cues = OpenFootage(), schedule(project)
    found = {frame: number_of(draw(plan_frame(project, cues, frame), footage, SIZE)) for frame in frames}
    footage.close()
    return found


def test_hold_shows_the_frame_of_the_hit_while_the_cue_lasts(project):
    held = fired(project, "hold", envelope=Envelope(rise=2, hold=3, fall=4))
    wanted = {}
    for frame in range(120):
        since = frame % 15
        wanted[frame] = frame - since if since <= 6 else frame  # the level is 0 on the last frame of the fall
    assert numbers(held, range(120)) == wanted
    assert numbers(held, [33, 31, 36, 30]) == {33: 30, 31: 30, 36: 30, 30: 30}


def test_stutter_repeats_the_first_frames_after_the_hit(project):
    stuttered = fired(project, "stutter", Setting("length", 3.0), envelope=Envelope(rise=0, hold=9, fall=0))
    expected = {30 + n: 30 + n % 3 for n in range(10)} | {40: 40}
    assert numbers(stuttered, range(30, 41)) == expected


def test_a_held_picture_never_comes_from_another_shot(project):
    held = fired(project, "hold", envelope=Envelope(rise=2, hold=20, fall=0))
    moved = replace(
        held, shots=(replace(held.shots[0], n_frames=50), replace(held.shots[1], start=50, n_frames=70))
    )
    plans = [plan_frame(moved, schedule(moved), frame) for frame in (49, 50, 52)]
    first = cut_of(moved.shots[1]).source_start
    seconds = [plan.root.content.source.seconds for plan in plans]
    assert seconds == pytest.approx([45 / 30, first, first])


@pytest.mark.parametrize("key", ["shatter", "melting"])
def test_a_pane_that_breaks_on_a_cut_is_the_last_picture_of_the_shot_before(project, key):
    struck = fired(project, key, envelope=Envelope(rise=0, hold=8, fall=6))
    first, second = struck.shots
    moved = replace(struck, shots=(replace(first, n_frames=45), replace(second, start=45, n_frames=75)))
    cues = schedule(moved)
    for frame, behind in ((45, first), (49, first), (33, first), (64, second)):
        (active,) = plan_frame(moved, cues, frame).root.effects
        hit = frame - frame % 15
        begun = 0 if behind is first else 45
        held = cut_of(behind).source_start + (hit - 1 - begun) / 30
        assert active.others[0].source.seconds == pytest.approx(held, abs=1e-6), (frame, hit)
    footage = OpenFootage()
    assert number_of(draw(plan_frame(moved, cues, 45), footage, SIZE)) == 44  # nothing has moved yet
    footage.close()


def test_trails_lay_the_named_frames_over_the_picture(project, tmp_path):
    path = write_clip(tmp_path / "dot.mp4", [_dot(n) for n in range(60)], options={"crf": "8"})
    write_sound(tmp_path / "song.wav", np.zeros(4 * 48_000, np.float32))
    song = replace(project.song, path=str(tmp_path / "song.wav"))
    dots = add_footage(replace(project, song=song, footage=(), shots=()), [probe_footage(path)])
    dots = lay_in_row(dots, [dots.footage[0].id])
    settings = (Setting("count", 2.0), Setting("apart", 4.0), Setting("amount", 90.0))
    trailed = fired(dots, "trails", *settings, envelope=Envelope(rise=0, hold=14, fall=0))
    plan = plan_frame(trailed, schedule(trailed), 32)
    assert [round(other.source.seconds * 30) for other in plan.root.effects[0].others] == [24, 28]
    footage = OpenFootage()
    seen = draw(plan, footage, SIZE).mean(axis=2)[45]
    footage.close()
    now, recent, older = (seen[2 * n + 10] for n in (32, 28, 24))
    assert now > recent + 40 > older + 60 > 120
    export(trailed, tmp_path / "film.mp4", size=SIZE, frames=range(28, 36))
    lumas, _ = read_lumas(tmp_path / "film.mp4")
    assert abs(float(lumas[4][45, 2 * 28 + 10]) - float(lumas[4][45, 2 * 24 + 10])) > 15  # the same in a film


def _dot(number):
    picture = np.zeros((90, 160, 3), np.uint8)
    picture[35:55, 2 * number + 7 : 2 * number + 14] = 255
    return picture


def test_an_effect_on_other_frames_is_the_same_in_every_order_of_drawing(project):
    both = fired(project, "trails", envelope=Envelope(rise=3, hold=4, fall=6))
    cues, footage = schedule(both), OpenFootage()
    plans = {frame: plan_frame(both, cues, frame) for frame in range(20, 50, 3)}
    forwards = {frame: draw(plan, footage, SIZE) for frame, plan in plans.items()}
    for frame in reversed(plans):
        assert np.array_equal(draw(plans[frame], footage, SIZE), forwards[frame])
    footage.close()


def test_where_the_film_ends_an_open_shutter_sees_its_last_frame_again(project):
    lasting = fired(project, "zoom", Setting("shutter", 180.0, 180.0), envelope=Envelope(hold=240))
    cues = schedule(lasting)
    (inside,), (last,) = (plan_frame(lasting, cues, frame).root.effects for frame in (118, 119))
    assert last.after == last.values == inside.after
