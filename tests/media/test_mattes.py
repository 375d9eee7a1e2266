"""Mattes: a subject is told apart and followed, and what stands behind it is hidden by it."""

from fractions import Fraction

import cv2
import numpy as np
import pytest
from helpers import a_project, a_song, read_lumas, some_still, write_clip
from msgspec.structs import replace

from epiphane.demo import MEDIA
from epiphane.demo.scenes import rails
from epiphane.document.envelope import Envelope
from epiphane.document.ids import ItemId, LaneId, PulseId
from epiphane.document.lane import Lane
from epiphane.document.matte import Matte, MatteKind, MatteMark, MatteStroke
from epiphane.document.project import Project
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.song import Beat
from epiphane.document.timeline import footage_item
from epiphane.document.titles import TextFill
from epiphane.edits.footage import add_footage
from epiphane.edits.items.titles import put_title
from epiphane.edits.items.tracks import change_track
from epiphane.edits.shots.mattes import (
    begin_matte,
    box_subject,
    change_matte,
    clear_marks,
    dab,
    remove_matte,
    shows_more,
)
from epiphane.errors import EditError, MediaError
from epiphane.exporting.export import export
from epiphane.keying.schedule import schedule
from epiphane.media.clip import Clip
from epiphane.media.mattes import find_matte, made_mattes, make_matte, matte_key
from epiphane.media.probe import probe_footage
from epiphane.render.draw import draw
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.transitions.declare import TRANSITIONS

RATE = Fraction(30)
NAME = "0" * 32


def overlap(one, other):
    one, other = one > 127, other > 127
    return (one & other).sum() / (one | other).sum()


def levels_of(film):
    clip = Clip(film)
    found = [clip.read(index).planes[0] for index in range(clip.n_pictures)]
    clip.close()
    return [one if one.ndim == 2 else one[..., 0] for one in found]


def box_about(mask, margin):
    rows, columns = np.nonzero(mask > 127)
    height, width = mask.shape
    left, right, top, bottom = columns.min(), columns.max(), rows.min(), rows.max()
    sides = (
        (left - margin) / width,
        (top - margin) / height,
        (right + margin) / width,
        (bottom + margin) / height,
    )
    return tuple(float(side) for side in sides), float(columns.mean() / width), float(rows.mean() / height)


def test_the_marble_of_the_demo_is_followed_for_a_second(monkeypatch):
    ways = []
    monkeypatch.setattr(rails, "put_marble", lambda _canvas, run, time, _glass: ways.append(run.at(time)))
    scene = rails.make()

    def truth(time):
        time += 0.25 / 30  # the middle of the shutter
        scene.paint(scene.backdrop.copy(), time)
        (x, y, _), (at_x, at_y, zoom) = ways[-1], scene.camera(time)
        at_x = np.clip(at_x, 640 / zoom, 1280 - 640 / zoom)
        at_y = np.clip(at_y, 360 / zoom, 720 - 360 / zoom)
        disc = np.zeros((720, 1280), np.uint8)
        middle = round((x - at_x) * zoom + 640), round((y - at_y) * zoom + 360)
        cv2.circle(disc, middle, round(34 * zoom), 255, -1)
        return cv2.resize(disc, (960, 540), interpolation=cv2.INTER_AREA)

    box, x, y = box_about(truth(3.0), 6)
    mark = MatteMark(3.0, box, (MatteStroke(x, y, 0.03),))
    film = make_matte(MEDIA / "rails.mp4", NAME, Matte(start=3.0, end=4.0, marks=(mark,)), RATE)
    masks = levels_of(film)
    assert len(masks) == 30
    overlaps = [overlap(mask, truth(3.0 + number / 30)) for number, mask in enumerate(masks)]
    assert min(overlaps) > 0.9


def a_ball(n_pictures=24):
    """Pictures of a bright ball that crosses a textured wall, and the truth."""
    wall = cv2.GaussianBlur(
        np.random.default_rng(3).integers(0, 110, (180, 320, 3)).astype(np.uint8), (0, 0), 2
    )
    pictures, truth = [], []
    for number in range(n_pictures):
        mask = np.zeros((180, 320), np.uint8)
        cv2.circle(mask, (60 + 7 * number, 90 + 2 * number), 24, 255, -1)
        picture = wall.copy()
        picture[mask > 0] = (60, 210, 240)
        pictures.append(picture)
        truth.append(mask)
    return [wall, *pictures], [np.zeros_like(truth[0]), *truth]


@pytest.fixture
def ball(tmp_path):
    pictures, truth = a_ball()
    return write_clip(tmp_path / "ball.mp4", pictures, options={"crf": "4"}), truth


@pytest.mark.parametrize(
    "matte",
    [
        Matte(MatteKind.LUMA, low=0.55, high=0.65),
        Matte(MatteKind.COLOUR, colour="#2d2d2d", low=0.15, high=0.2),
        Matte(MatteKind.DIFFERENCE, clean=0.0, low=0.45, high=0.6),
        Matte(MatteKind.TRACED),
    ],
    ids=lambda matte: matte.kind.value,
)
def test_a_subject_is_told_by_each_of_its_ways(ball, matte):
    path, truth = ball
    box, x, y = box_about(truth[12], 4)
    marks = (MatteMark(12 / 30, box, (MatteStroke(x, y, 0.05),)),)  # in the middle: it is carried both ways
    film = make_matte(path, NAME, replace(matte, start=1 / 30, end=25 / 30, marks=marks), RATE)
    overlaps = [overlap(mask, truth[number + 1]) for number, mask in enumerate(levels_of(film))]
    assert len(overlaps) == 24 and min(overlaps) > 0.9


def test_a_matte_is_made_once_and_what_cannot_be_made_is_said(ball, tmp_path):
    path, _ = ball
    matte = Matte(MatteKind.LUMA, start=0.0, end=0.3, low=0.5, high=0.6)
    film = make_matte(path, NAME, matte, RATE)
    before = film.stat().st_mtime_ns
    softer = replace(matte, feather=0.05, grow=0.02, is_inverted=True)
    assert make_matte(path, NAME, softer, RATE) == film and film.stat().st_mtime_ns == before
    assert matte_key(NAME, matte) != matte_key("1" * 32, matte) != matte_key(NAME, replace(matte, low=0.4))
    with pytest.raises(MediaError, match="nothing is marked"):
        make_matte(path, NAME, Matte(end=0.3), RATE)
    with pytest.raises(MediaError, match="60 seconds at most"):
        make_matte(path, NAME, replace(matte, end=90.0), RATE)
    with pytest.raises(MediaError, match="not there"):
        make_matte(tmp_path / "gone.mp4", NAME, replace(matte, end=0.31), RATE)
    empty = MatteMark(0.0, (0.9, 0.9, 0.95, 0.95))  # where there is no subject
    assert make_matte(path, NAME, Matte(end=0.2, marks=(empty,)), RATE).is_file()


# Standing behind


def behind(path, fill, matte):
    project = add_footage(Project(width=320, height=180), [probe_footage(path)])
    shot = footage_item(ItemId(10), project.footage[0].id, 0, 24)
    project = replace(project, shots=(shot,), next_id=50)
    project = begin_matte(project, shot.id, matte.kind)
    changes = {"low": matte.low, "high": matte.high, "feather": 0.0}
    project = change_matte(project, shot.id, **changes)
    project, _ = put_title(project, fill, 0)
    return change_track(project, project.tracks[0].id, is_behind=True)


WORD = TextFill("WWWW", size=0.9, colour="#ff0000")
BRIGHT = Matte(MatteKind.LUMA, low=0.55, high=0.6)


def drawn(project, frame):
    sources = OpenFootage(None)
    picture = draw(
        plan_frame(project, schedule(project), frame, made_mattes(project)), sources, (320, 180)
    ).astype(int)
    sources.close()
    return picture


def test_a_title_is_hidden_by_the_subject_and_by_nothing_else(ball, tmp_path):
    path, truth = ball
    project = behind(path, WORD, BRIGHT)
    in_front = drawn(project, 10)
    footage = project.footage[0]
    assert find_matte(matte_key(footage.fingerprint, project.shots[0].matte)) is None
    assert export(project, tmp_path / "film.mp4") == []  # which makes the matte
    hidden, plain = drawn(project, 10), drawn(replace(project, stack=()), 10)
    inside = cv2.erode(truth[10], np.ones((7, 7), np.uint8)) > 0
    outside = cv2.dilate(truth[10], np.ones((9, 9), np.uint8)) == 0
    assert np.abs(hidden - plain)[inside].max() <= 2
    assert np.array_equal(hidden[outside], in_front[outside])
    assert (np.abs(in_front - plain)[inside].max(axis=-1) > 100).mean() > 0.3
    lumas = read_lumas(tmp_path / "film.mp4")[0]
    yellow = np.median(lumas[10][inside])
    assert yellow > 170  # it is the ball, not the letters
    inverted = change_matte(project, project.shots[0].id, is_inverted=True)
    assert np.abs(drawn(inverted, 10) - plain)[outside].max() <= 2


def test_a_matte_that_was_damaged_or_exchanged_is_made_anew(ball):
    path, _ = ball
    matte = Matte(MatteKind.LUMA, start=0.0, end=0.3, low=0.5, high=0.6)
    film = make_matte(path, NAME, matte, RATE)
    whole = film.read_bytes()
    for content in (whole[: len(whole) // 2], whole[:-40] + b"x" * 40, b""):
        film.write_bytes(content)
        assert find_matte(matte_key(NAME, matte)) is None
        assert [one.tobytes() for one in levels_of(make_matte(path, NAME, matte, RATE))]
        assert find_matte(matte_key(NAME, matte)) == film


def test_effects_move_the_matte_along_with_the_shot(ball):
    path, _ = ball
    project = behind(path, WORD, BRIGHT)
    footage = project.footage[0]
    make_matte(path, footage.fingerprint, project.shots[0].matte, footage.rate)
    beats = replace(a_project(n_lanes=0), shots=(), footage=())
    lanes = (Lane(LaneId(80), "zoom", PulseId(5)), Lane(LaneId(81), "invert", PulseId(5)))
    project = replace(project, song=beats.song, pulses=beats.pulses, stack=(*lanes, *project.stack))
    zoomed, plain = drawn(project, 15), drawn(replace(project, stack=lanes), 15)
    ball_now = plain[..., 1] < 100  # inverted: its green was high, that of the wall low
    core = cv2.erode(ball_now.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    assert core.sum() > 800
    assert np.abs(zoomed - plain)[core].max() <= 4


@pytest.mark.parametrize("key", [one.key for one in TRANSITIONS.all()])
def test_a_title_stays_behind_its_subject_through_any_transition(ball, key):
    path, truth = ball
    project = behind(path, TextFill("W", size=0.6, colour="#ff0000", plate="#ff0000", plate_edge=2.0), BRIGHT)
    footage, first = project.footage[0], project.shots[0]
    cut_at = replace(first, n_frames=12), replace(first, id=ItemId(11), start=12, n_frames=12)
    other = replace(cut_at[1], content=replace(first.content, source_start=12 / 30))
    song = replace(a_song(), beats=(Beat(0.4, 1),))  # on the cut
    project = replace(
        project,
        shots=(cut_at[0], other),
        song=song,
        pulses=(Pulse(PulseId(5), "cuts", HeardSource(PulseUnit.CUT)),),
    )
    lane = Lane(LaneId(80), key, PulseId(5), envelope=Envelope(rise=4, fall=4))
    project = replace(project, stack=(lane, *project.stack))
    make_matte(path, footage.fingerprint, first.matte, footage.rate)
    going_on = schedule(project).transitions[0]
    hidden, plain, in_front = (
        [drawn(replace(project, stack=stack), frame) for frame in (going_on.first, 12, going_on.end - 1)]
        for stack in (
            project.stack,
            (lane,),
            (lane, replace(project.stack[-1], is_behind=False)),
        )
    )
    for number, frame in ((0, going_on.first), (2, going_on.end - 1)):
        inside = cv2.erode(truth[frame], np.ones((21, 21), np.uint8)) > 0
        # At its ends a transition shows nearly one shot: what is in front of the letters is the subject.
        covered = np.abs(in_front[number] - plain[number])[inside].max(axis=-1) > 60
        is_seen = np.abs(hidden[number] - plain[number])[inside].max(axis=-1) > 60
        assert covered.sum() > 150 and is_seen.sum() < 0.5 * covered.sum()


def falling(radius=30, size=(960, 540)):
    """Pictures of a ball that falls ever faster past a textured wall, and where its middle is."""
    noise = np.random.default_rng(3).integers(0, 140, (size[1], size[0], 3)).astype(np.uint8)
    wall = cv2.GaussianBlur(noise, (0, 0), 3)
    pictures, middles = [], []
    for number in range(13):
        y = 60 + 3.0 * number**2
        picture = wall.copy()
        cv2.circle(picture, (400 + 3 * number, round(y)), radius, (60, 190, 230), -1, cv2.LINE_AA)
        pictures.append(picture)
        middles.append(y)
    return pictures, middles


def test_a_traced_subject_is_followed_however_fast_it_falls(tmp_path):
    pictures, middles = falling()
    path = write_clip(tmp_path / "fall.mp4", pictures, options={"crf": "8"})
    box = (370 / 960, 30 / 540, 430 / 960, 90 / 540)
    mark = MatteMark(0.0, box, (MatteStroke(400 / 960, 60 / 540, 0.03),))
    matte = Matte(MatteKind.TRACED, start=0.0, end=len(pictures) / 30, marks=(mark,))
    found = [np.nonzero(mask > 127)[0].mean() for mask in levels_of(make_matte(path, NAME, matte, RATE))]
    assert found == pytest.approx(middles, abs=3)


def test_marks_are_gathered_by_picture_and_refused_where_there_is_no_clip():
    project = a_project(n_lanes=0)
    shot = project.shots[0]
    project = begin_matte(project, shot.id, MatteKind.TRACED)
    assert project.shots[0].matte.end == pytest.approx(2.35, abs=0.1)
    project = box_subject(project, shot.id, 0.5, (0.6, 0.7, 0.2, 0.3))
    project = dab(project, shot.id, 0.5 + 0.004, (MatteStroke(0.4, 0.5),))
    project = dab(project, shot.id, 1.0, (MatteStroke(0.4, 0.5, is_subject=False),))
    one, other = project.shots[0].matte.marks
    assert one.box == (0.2, 0.3, 0.6, 0.7) and len(one.strokes) == 1 and other.box is None
    with pytest.raises(EditError, match="too small"):
        box_subject(project, shot.id, 0.5, (0.5, 0.5, 0.501, 0.9))
    assert not shows_more(project, project.shots[0])
    longer = replace(project.shots[0], n_frames=90)
    assert shows_more(replace(project, shots=(longer,)), longer)
    assert clear_marks(project, shot.id).shots[0].matte.marks == ()
    assert remove_matte(project, shot.id).shots[0].matte is None
    with pytest.raises(EditError, match="no matte"):
        change_matte(remove_matte(project, shot.id), shot.id, feather=0.1)
    still = replace(project, footage=(some_still(1), some_still(2)))
    with pytest.raises(EditError, match="only a shot of a clip"):
        begin_matte(still, shot.id, MatteKind.LUMA)
