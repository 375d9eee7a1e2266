"""Transitions: their ends, their middles, their places, and that they stay with their cuts."""

from fractions import Fraction
from itertools import pairwise

import cv2
import numpy as np
import pytest
from helpers import a_project, read_lumas, some_footage, write_clip
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.declare.parameters import ChoiceParameter, Parameter
from epiphane.document.envelope import Ease, Envelope
from epiphane.document.footage import Passage
from epiphane.document.ids import FootageId, ItemId, LaneId, PulseId
from epiphane.document.lane import Lane, Override, Setting
from epiphane.document.project import Project
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.timeline import footage_item
from epiphane.edits.picture import set_rate
from epiphane.edits.shots.cutting import delete_shots, roll_cut, split_at
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.song.regrid import regrid
from epiphane.edits.song.trim import trim_song
from epiphane.exporting.export import export
from epiphane.facts.cuts import cut_hit_time, cuts_of
from epiphane.keying.schedule import schedule
from epiphane.media.fingerprint import fingerprint
from epiphane.media.probe import probe_footage
from epiphane.media.raw import raw_from_bgr
from epiphane.render.draw import draw
from epiphane.render.nodes import FramePlan, Joined, Node, Shown, SourceFrame
from epiphane.render.plan import plan_frame
from epiphane.transitions.declare import DIRECTION, DIRECTIONS, TRANSITIONS, Progress

SIZE = (160, 90)
CUTS = Pulse(PulseId(7), "cuts", HeardSource(PulseUnit.CUT))
KEYS = [one.key for one in TRANSITIONS.all()]


class Pair:
    """Two pictures of footage, by the letters of their paths."""

    def __init__(self):
        rng = np.random.default_rng(4)
        large = rng.uniform(20, 235, (2, 9, 16, 3)).astype(np.float32)
        self.pictures = {
            name: np.clip(cv2.resize(one, SIZE, interpolation=cv2.INTER_CUBIC), 0, 255).astype(np.uint8)
            for name, one in zip("ab", large, strict=True)
        }

    def picture(self, source):
        return raw_from_bgr(self.pictures[source.path])


PAIR = Pair()
A, B = (PAIR.pictures[name].astype(float) for name in "ab")


def drawn(key, share, step=0.0, **values):
    transition = TRANSITIONS.named(key)
    named = tuple((values | dict(transition.values_at(())) | values).items())
    sides = (Node(Shown(SourceFrame(name, name, 0.0))) for name in "ab")
    progress = Progress(share, step, round(SIZE[0] / SIZE[1], 6))
    plan = FramePlan(SIZE, Node(Joined(key, 1, named, progress, *sides)))
    return draw(plan, PAIR, SIZE).astype(float)


FOUR = Envelope(4, 0, 4)


def on_cuts(project, key="dissolve", envelope=FOUR, **fields):
    lane = Lane(LaneId(50), key, CUTS.id, envelope, **fields)
    return replace(project, pulses=(*project.pulses, CUTS), stack=(lane,))


@pytest.mark.parametrize("key", KEYS)
def test_every_transition_goes_from_one_picture_to_the_other_and_never_writes_into_them(key):
    before = {name: one.copy() for name, one in PAIR.pictures.items()}
    transition = TRANSITIONS.named(key)
    assert np.array_equal(drawn(key, 0.0), A)
    assert np.array_equal(drawn(key, 1.0), B)
    for share in (0.3, 0.7):
        one = drawn(key, share, 0.05)
        assert np.array_equal(one, drawn(key, share, 0.05))
        assert one.shape == A.shape
        assert min(np.abs(one - A).mean(), np.abs(one - B).mean()) > 1
    assert all(np.array_equal(before[name], one) for name, one in PAIR.pictures.items())
    # A picture of one pixel, and every choice and both ends of every number.
    for parameter in transition.parameters:
        ends = (
            (parameter.low, parameter.high)
            if isinstance(parameter, Parameter)
            else (parameter.options if isinstance(parameter, ChoiceParameter) else ("#123456",))
        )
        for value in ends:
            if value in ("in turn", "by chance", "with the movement"):
                continue
            assert drawn(key, 0.4, 0.1, **{parameter.name: value}).shape == A.shape
    sides = (Node(Shown(SourceFrame(name, name, 0.0))) for name in "ab")
    tiny = FramePlan((1, 1), Node(Joined(key, 1, transition.values_at(()), Progress(0.5), *sides)))
    assert draw(tiny, PAIR, (1, 1)).shape == (1, 1, 3)


def moved_left(share):
    gone = round(share * SIZE[0])
    return np.hstack([A[:, gone:], B[:, :gone]])


def light_of(picture):
    """Return the light of levels by the curve of IEC 61966-2-1."""
    return np.where(picture <= 10.31, picture / 255 / 12.92, ((picture / 255 + 0.055) / 1.055) ** 2.4)


def encoded(light):
    return 255 * np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


def in_light(share):
    """Return what a dissolve of light comes to."""
    return encoded((1 - share) * light_of(A) + share * light_of(B))


def rolled_off(one, other):
    """Return the sum of the light of both pictures, each times a weight, bent above .8 to stay below 1."""
    light = one * light_of(A) + other * light_of(B)
    over = np.maximum(light - 0.8, 0) / 0.2
    return encoded(np.where(light <= 0.8, light, 0.8 + 0.2 * over / (1 + over)))


@pytest.mark.parametrize(
    ("key", "share", "values", "wanted"),
    [
        ("dissolve", 0.3, {}, lambda t: 0.7 * A + 0.3 * B),
        ("dissolve", 0.3, {"mixes": "light"}, lambda t: in_light(0.3)),
        ("additive", 0.5, {"adds": "levels"}, lambda t: np.minimum(255, A + B)),
        ("additive", 0.75, {"adds": "levels"}, lambda t: np.minimum(255, 0.5 * A + B)),
        ("additive", 0.75, {}, lambda t: rolled_off(0.5, 1.0)),
        ("lighten", 0.25, {}, lambda t: np.maximum(A, 0.5 * B)),
        ("darken", 0.25, {}, lambda t: np.minimum(A, 255 - 0.5 * (255 - B))),
        (
            "dip",
            0.25,
            {"colour": "#ff8000", "takes": "levels"},
            lambda t: 0.5 * A + 0.5 * np.array([0, 128, 255]),
        ),
        ("dip", 0.2, {}, lambda t: encoded(light_of(A) * 2**-3.2)),
        ("dip", 0.5, {"colour": "#102030"}, lambda t: np.broadcast_to([48.0, 32, 16], A.shape)),
        ("push", 0.25, {DIRECTION: "left", "shutter": 0.0, "seam": 0.0}, lambda t: moved_left(0.25)),
        ("blur-through", 0.5, {"radius": 0.0}, lambda t: (A + B) / 2),
        ("slide-over", 0.5, {"dim": 50.0, "shadow": 0.0}, lambda t: np.hstack([0.75 * A[:, :80], B[:, :80]])),
        (
            "parting",
            0.5,
            {"scale": 100.0, "shadow": 0.0},
            lambda t: np.hstack([A[:, 40:80], B[:, 40:120], A[:, 80:120]]),
        ),
        (
            "edge-pull",
            0.5,
            {"shutter": 0.0, "seam": 0.0, "column": 0.0},
            lambda t: np.hstack([B[:, :80], np.repeat(A[:, 80:81], 80, axis=1)]),
        ),
        ("zoom-through", 0.5, {"scale": 100.0}, lambda t: (A + B) / 2),
    ],
)
def test_the_middle_of_a_transition_is_its_formula(key, share, values, wanted):
    assert np.abs(drawn(key, share, **values) - wanted(share)).max() <= 2


@pytest.mark.parametrize("key", ["push", "edge-pull"])
@pytest.mark.parametrize("share", [0.25, 0.5, 0.7])
def test_what_is_pushed_meets_in_a_soft_seam_and_nothing_else_is_touched(key, share):
    dark, light = np.zeros((90, 160, 3), np.uint8), np.full((90, 160, 3), 200, np.uint8)
    transition = TRANSITIONS.named(key)

    def levels(seam):
        settings = (Setting("seam", seam, seam), Setting("shutter", 0.0, 0.0), Setting("direction", "left"))
        join = transition.join(transition.values_at(settings), Progress(share, 0.06))
        return join.mixture.apply(dark, light).astype(int).mean(axis=(0, 2))

    hard, soft = levels(0.0), levels(10.0)
    assert np.abs(np.diff(hard)).max() == 200 and np.abs(np.diff(soft)).max() < 30
    assert 0 < (np.abs(hard - soft) > 2).sum() <= 0.1 * 160


@pytest.mark.parametrize("key", ["wipe", "iris", "clock", "blinds", "matte", "luma"])
def test_a_wipe_shows_one_picture_or_the_other_beside_its_edge_and_goes_on(key):
    shown = []
    for share in (0.2, 0.5, 0.8):
        picture = drawn(key, share, softness=2.0, edge=0.0)
        is_a, is_b = (np.abs(picture - one).max(axis=2) <= 2 for one in (A, B))
        assert (is_a | is_b).mean() > 0.85
        shown.append(is_b & ~is_a)
    assert all((later | ~earlier).mean() > 0.97 for earlier, later in pairwise(shown))
    assert shown[0].mean() < shown[1].mean() < shown[2].mean()


@pytest.mark.parametrize("key", ["wipe", "iris", "clock", "matte", "ripple-through"])
def test_light_along_an_edge_is_along_it_alone_and_nowhere_at_the_ends(key):
    plain, lit = (drawn(key, 0.5, softness=2.0, edge=edge, height=0.0) for edge in (0.0, 200.0))
    more = (lit - plain).max(axis=2)
    assert more.max() > 40 and more.min() >= -2
    assert (more < 6).mean() > 0.45
    for share, end in ((1e-4, A), (1 - 1e-4, B)):
        assert np.abs(drawn(key, share, softness=2.0, edge=200.0, height=0.0) - end).mean() < 2


def test_a_matte_wipe_goes_by_the_brightness_of_a_clip():
    lane = {"settings": (Setting("matte", "clip"), Setting("softness", 4.0, 4.0))}
    project = on_cuts(a_project(), "matte", clips=(FootageId(2),), **lane)
    content = plan_frame(project, schedule(project), 60).root.content
    assert content.matte.path == "/clip2.mp4"
    sides = [Node(Shown(SourceFrame(name, name, 0.0))) for name in "ab"]
    matte = SourceFrame("b", "b", 0.0)
    joined = Joined("matte", 1, content.values, Progress(0.5), *sides, matte)
    picture = draw(FramePlan(SIZE, Node(joined)), PAIR, SIZE).astype(float)
    brightness = cv2.cvtColor(B.astype(np.uint8), cv2.COLOR_BGR2GRAY)
    is_new = np.abs(picture - B).max(axis=2) <= 2
    assert is_new[brightness > 140].all()
    assert (np.abs(picture - A).max(axis=2) <= 2)[brightness < 115].all()
    plain = replace(project, stack=(replace(project.lanes[0], clips=()),))
    assert plan_frame(plain, schedule(plain), 60).root.content.matte is None


@pytest.mark.parametrize("key", ["push", "slide-over", "whip", "edge-pull"])
def test_what_moves_in_a_direction_is_what_moves_left_turned(key):
    for direction, turn in (
        ("right", lambda one: one[:, ::-1]),
        ("up", lambda one: one.swapaxes(0, 1)),
        ("down", lambda one: one.swapaxes(0, 1)[:, ::-1]),
    ):
        square = {name: one[:, :90] for name, one in PAIR.pictures.items()}
        join = TRANSITIONS.named(key).join
        values = tuple(dict(TRANSITIONS.named(key).values_at(())).items())

        def made(pictures, direction, values=values, join=join):
            named = tuple((name, direction if name == DIRECTION else value) for name, value in values)
            return join(named, Progress(0.4, 0.06)).mixture.apply(*pictures)

        turned = [np.ascontiguousarray(turn(one)) for one in square.values()]
        left = made(turned, "left")
        assert np.array_equal(np.ascontiguousarray(turn(made(list(square.values()), direction))), left)


def test_progress_is_half_on_the_cut_and_the_frames_outside_are_untouched():
    project = on_cuts(a_project())
    plain = replace(project, stack=())
    cues, none = schedule(project), schedule(plain)
    for frame in range(60 - 12, 60 + 12):
        plan = plan_frame(project, cues, frame)
        joined = plan.root.content
        if 57 <= frame <= 63:
            assert isinstance(joined, Joined)
            gone = (frame - 56) / 4
            share = gone**2 / 2 if frame <= 60 else 1 - ((64 - frame) / 4) ** 2 / 2
            assert joined.progress.share == pytest.approx(share)
        else:
            assert plan == plan_frame(plain, none, frame)
    assert plan_frame(project, cues, 60).root.content.progress.share == 0.5
    # All of it before the cut, or after it.
    for envelope, frames in ((Envelope(4, 0, 0), range(57, 60)), (Envelope(0, 0, 4), range(60, 64))):
        one_sided = on_cuts(a_project(), envelope=envelope)
        found = schedule(one_sided)
        shares = []
        for frame in range(48, 72):
            content = plan_frame(one_sided, found, frame).root.content
            if isinstance(content, Joined):
                assert frame in frames
                shares.append(content.progress.share)
        assert len(shares) == len(frames)
        assert 0 < min(shares) == shares[0] < shares[-1] == max(shares) < 1
    # Without any length, and moved off its cut: the next picture is there from its own frame on.
    at_once = on_cuts(a_project(), envelope=Envelope(0, 0, 0), overrides=(Override(2.0, nudge=-3),))
    one = schedule(at_once).transitions[0]
    assert (one.first, one.peak, one.end) == (57, 57, 60)
    assert [one.progress_at(frame, 1.0).share for frame in range(55, 60)] == [0, 0, 1, 1, 1]


def test_a_cut_may_have_another_transition_another_direction_or_none():
    project = on_cuts(
        a_project(n_shots=4),
        "push",
        settings=(Setting(DIRECTION, "in turn"),),
        overrides=(Override(2.0, effect="iris"), Override(6.0, off=True)),
    )
    found = schedule(project).transitions
    assert [(one.cut.frame, one.transition.key) for one in found] == [
        (60, "iris"),
        (120, "push"),
        (240, "push"),
    ]
    directions = [dict(one.values).get(DIRECTION) for one in found]
    assert directions[1:] == ["right", "left"]
    # To black at the end of the shots: the incoming side is none.
    assert found[-1].cut.incoming is None
    by_chance = on_cuts(a_project(n_shots=8), "whip", settings=(Setting(DIRECTION, "by chance"),))
    drawn_ones = [dict(one.values)[DIRECTION] for one in schedule(by_chance).transitions]
    assert set(drawn_ones) <= set(DIRECTIONS)
    assert len(set(drawn_ones)) > 1
    assert drawn_ones == [dict(one.values)[DIRECTION] for one in schedule(by_chance).transitions]


@pytest.mark.parametrize(
    ("outgoing", "incoming", "way"),
    [
        ((0.3, 0.1), (0.0, 0.0), "right"),
        ((-0.3, 0.1), (-0.1, 0.2), "left"),
        ((0.1, 0.4), (0.1, -0.1), "down"),
        ((0.0, -0.3), (0.1, -0.2), "up"),
        ((0.0, 0.0), (0.0, 0.0), "left"),
    ],
)
def test_a_transition_goes_with_the_movement_of_its_two_shots(outgoing, incoming, way):
    footage = tuple(
        replace(some_footage(number), passages=(Passage(0.0, None, 2.0, 5.0, (80, 128, 128), drift),))
        for number, drift in ((1, outgoing), (2, incoming))
    )
    project = replace(a_project(n_shots=2), footage=footage)
    project = on_cuts(project, "whip", settings=(Setting(DIRECTION, "with the movement"),))
    first = schedule(project).transitions[0]
    assert dict(first.values)[DIRECTION] == way


@st.composite
def edits_of_shots(draw_one):
    lengths = draw_one(st.lists(st.integers(1, 70), min_size=1, max_size=8))
    gaps = draw_one(st.lists(st.integers(0, 20), min_size=len(lengths), max_size=len(lengths)))
    at, shots = 0, []
    for number, (length, gap) in enumerate(zip(lengths, gaps, strict=True)):
        shots.append(footage_item(ItemId(10 + number), FootageId(1 + number % 2), at + gap, length))
        at += gap + length
    return replace(a_project(), shots=tuple(shots))


LENGTHS = st.integers(0, 90)


@given(
    edits_of_shots(),
    st.builds(
        Envelope,
        LENGTHS,
        LENGTHS,
        LENGTHS,
        st.sampled_from([Ease.LINEAR, Ease.OVERSHOOT]),
        st.just(Ease.OUT),
        st.integers(-30, 30),
    ),
    st.lists(st.tuples(st.integers(0, 7), st.integers(-40, 40)), max_size=3),
)
@settings(max_examples=40)
def test_transitions_never_overlap_nor_reach_past_their_shots(project, envelope, nudges):
    times = [cut_hit_time(cut.frame, project.rate) for cut in cuts_of(project)]
    overrides = {times[n % len(times)]: nudge for n, nudge in nudges if times}
    project = on_cuts(
        project,
        envelope=envelope,
        overrides=tuple(Override(t, nudge=n) for t, n in sorted(overrides.items())),
    )
    cues = schedule(project)
    edges = [0, *(cut.frame for cut in cuts_of(project)), project.n_frames]
    before = 0
    for one in cues.transitions:
        assert before <= one.first <= one.cut.frame <= one.end
        index = edges.index(one.cut.frame)
        assert edges[index - 1] <= one.first
        assert one.end <= edges[index + 1]
        before = one.end
        shares = [one.progress_at(frame, 1.0).share for frame in range(one.first - 1, one.end + 1)]
        assert all(0 <= share <= 1 for share in shares)
        assert shares[-1] == 1
    for frame in range(0, project.n_frames, 7):
        assert plan_frame(project, cues, frame) == plan_frame(project, schedule(project), frame)


def test_two_transitions_that_meet_in_a_shot_share_it_in_proportion():
    shots = tuple(footage_item(ItemId(10 + n), FootageId(1 + n % 2), 40 * n, 40) for n in range(3))
    cues = schedule(on_cuts(replace(a_project(), shots=shots), envelope=Envelope(rise=20, hold=0, fall=60)))
    first, second = (one for one in cues.transitions if one.cut.frame in (40, 80))
    assert (first.end - 40, 80 - second.first) == (30, 10)  # of 60 and 20 that they would have


def named_overrides(project):
    """Which changed cues of cuts a project has: the shot that begins on each, and how strong it is."""
    there = {round(cut_hit_time(cut.frame, project.rate), 6): cut.name for cut in cuts_of(project)}
    return {(there.get(round(one.hit, 6)), one.strength) for one in project.lanes[0].overrides}


def slower(project):
    beats = [replace(beat, time=round(beat.time * 1.07 + 0.05, 6)) for beat in project.song.beats]
    pairs = [(old.time, new.time) for old, new in zip(project.song.beats, beats, strict=True)]
    return regrid(project, [one for one in beats if one.time < project.song.duration], matched=pairs)


@pytest.mark.parametrize(
    "edit",
    [
        slower,
        lambda p: set_rate(p, Fraction(24)),
        lambda p: trim_song(p, start=0.5, end=15.0),
        lambda p: roll_cut(p, p.shots[2].id, 7),
        lambda p: delete_shots(p, [p.shots[0].id], ripple=True),
        lambda p: split_at(p, [77]),
        fill_song,
    ],
)
def test_a_changed_cue_of_a_cut_stays_with_its_cut(edit):
    project = on_cuts(a_project(n_shots=6))
    names = {cut.name: cut_hit_time(cut.frame, project.rate) for cut in cuts_of(project)}
    chosen = [("start", 12), ("start", 13), ("start", 14)]
    overrides = tuple(Override(names[name], strength=0.1 * (n + 1)) for n, name in enumerate(chosen))
    project = replace(project, stack=(replace(project.lanes[0], overrides=overrides),))
    assert named_overrides(edit(project)) == named_overrides(project)


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(30_000, 1001), Fraction(60)])
def test_an_exported_dissolve_has_its_formula_on_every_frame(tmp_path, rate):
    footage = []
    for number, level in ((1, 60), (2, 200)):
        pictures = [np.full((90, 160, 3), level, np.uint8)] * 90
        path = write_clip(tmp_path / f"{number}.mp4", pictures, rate=rate, options={"crf": "0"})
        facts = probe_footage(path)
        footage.append(
            replace(
                some_footage(number, path=str(path), duration=facts.duration),
                rate=rate,
                fingerprint=fingerprint(path),
                width=160,
                height=90,
            )
        )
    shots = tuple(footage_item(ItemId(10 + n), FootageId(1 + n % 2), 20 * n, 20) for n in range(3))
    project = on_cuts(
        Project(width=160, height=90, rate=rate, footage=tuple(footage), shots=shots, next_id=100)
    )
    out = tmp_path / "out.mp4"
    export(project, out)
    lumas, _ = read_lumas(out)
    levels = np.array([luma.mean() for luma in lumas])
    first, second = levels[5], levels[30]
    shares = np.zeros(60)
    cues = schedule(project)
    for frame in range(60):
        content = plan_frame(project, cues, frame).root.content
        if isinstance(content, Joined):
            share = content.progress.share
            shares[frame] = share if frame < 30 else 1 - share
        else:
            shares[frame] = 20 <= frame < 40
    assert ((shares > 0) & (shares < 1)).sum() == 14
    assert np.abs(levels - (first + shares * (second - first))).max() <= 2
