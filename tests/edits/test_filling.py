"""The song is filled from end to end, cuts on hits, moments on hits, the strongest at the drop."""

from itertools import pairwise

import pytest
from helpers import a_project, a_song, some_footage, some_still
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.envelope import Envelope
from epiphane.document.filling import Order, Pace
from epiphane.document.footage import (
    Flaw,
    FootageKind,
    Moment,
    MomentCause,
    Passage,
    Take,
    clean_spans,
)
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import HeardSource, Pulse, PulseUnit
from epiphane.document.timeline import Extend, Move, cut_of
from epiphane.edits.items.tracks import put_on_track
from epiphane.edits.keying.lanes import add_lane
from epiphane.edits.keying.overlays import add_overlay_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.shots.casting import SLOWEST
from epiphane.edits.shots.filling import default_filling, fill_song
from epiphane.edits.shots.shots import change_shot, cutting_hits, exchange_shots, slip_shot
from epiphane.errors import EditError
from epiphane.facts.grid import bar_frames, bars_of
from epiphane.facts.source_time import source_seconds
from epiphane.keying.schedule import schedule
from epiphane.timing import COMMON_RATES, frame_at


def moments(*pairs, is_accepted=False):
    return tuple(Moment(time, strength, MomentCause.MOVEMENT, is_accepted) for time, strength in pairs)


def clips(n, *, duration=8.0):
    """Return clips whose best moments differ in strength: that of the last is the strongest."""
    return tuple(
        replace(some_footage(k, duration=duration), moments=moments((duration / 2, k / (n + 1))))
        for k in range(1, n + 1)
    )


def empty(**changes):
    return replace(a_project(n_shots=0, n_lanes=0), **changes)


def stretch(shot, rate):
    """Return from where to where a shot shows its clip, in seconds; beyond its bounds it is mirrored."""
    cut = cut_of(shot)
    low, high = cut.bounds or (-99.0, 999.0)
    end = cut.source_start + cut.speed * float(shot.n_frames / rate)
    return max(cut.source_start, low), min(end, high)


def overlap(one, other, rate):
    """Return how much of the same clip two shots show, in seconds, if they run within it."""
    (a, b), (c, d) = stretch(one, rate), stretch(other, rate)
    return one.footage == other.footage and max(0.0, min(b, d) - max(a, c)) > 1e-4


@st.composite
def projects(draw):
    kinds = draw(
        st.lists(st.sampled_from(["clip", "short", "still", "tiny", "sound"]), min_size=1, max_size=9)
    )
    footage = []
    for number, kind in enumerate(kinds, start=1):
        if kind == "still":
            footage.append(some_still(number))
            continue
        duration = {"clip": 8.0, "short": 0.4, "tiny": 1 / 30, "sound": 9.0}[kind]
        at = int(draw(st.floats(0, 0.999)) * duration * 30) / 30
        footage.append(
            replace(
                some_footage(number, duration=duration),
                moments=moments((round(at, 6), draw(st.floats(0.1, 1)))),
                kind=FootageKind.SOUND if kind == "sound" else FootageKind.VIDEO,
            )
        )
    song = a_song(
        tempo=draw(st.floats(55, 190)), n_beats=draw(st.integers(3, 40)), start=draw(st.floats(0, 2))
    )
    return empty(song=song, footage=tuple(footage), rate=draw(st.sampled_from(COMMON_RATES)))


@settings(max_examples=80)
@given(
    projects(),
    st.sampled_from(Order),
    st.sampled_from(Extend),
    st.sampled_from([None, PulseUnit.HALF, PulseUnit.KICK, PulseUnit.BAR]),
    st.builds(Pace, every=st.integers(1, 9), is_by_section=st.booleans(), calm=st.integers(1, 9)),
    st.booleans(),
)
def test_whatever_is_gathered_fills_the_song_and_lands(project, order, beyond, unit, pace, lands):
    if unit is not None:
        project = replace(project, pulses=(*project.pulses, Pulse(PulseId(50), "x", HeardSource(unit))))
    changes = {"order": order, "extend": beyond, "pace": pace, "lands": lands}
    changes["pulse"] = None if unit is None else PulseId(50)
    if all(one.kind is FootageKind.SOUND for one in project.footage):
        with pytest.raises(EditError, match="gather some first"):
            fill_song(project, **changes)
        return
    filled, rate = fill_song(project, **changes), project.rate
    ends = [0, *(shot.start + shot.n_frames for shot in filled.shots)]
    assert [shot.start for shot in filled.shots] == ends[:-1]
    assert ends[-1] == project.n_frames
    hits = {frame_at(hit.time, project.rate) for hit in cutting_hits(filled)}
    lines = set(bar_frames(bars_of(project), project.rate))
    has_beats = len(hits) > 1
    outside = {end for end in ends if unit is None and not min(hits) <= end <= max(hits)}  # at their pace
    assert set(ends[1:-1]) <= (hits | outside if has_beats else lines)
    footage = {one.id: one for one in project.footage}
    for shot in filled.shots:
        clip = footage[shot.footage]
        assert SLOWEST <= cut_of(shot).speed <= 1
        for frame in range(shot.start, shot.start + shot.n_frames, 7):
            assert 0 <= source_seconds(shot, clip, frame, project.rate) < max(clip.duration, 1e-9)
        holds_hit = any(shot.start <= hit < shot.start + shot.n_frames for hit in hits)
        must_land = lands and clip.kind is FootageKind.VIDEO and holds_hit
        if must_land and shot.pin is None:  # its moment is seen elsewhere: it shows another stretch
            earlier = filled.shots[: filled.shots.index(shot)] if order is not Order.MOMENTS else ()
            assert not any(overlap(shot, other, rate) for other in earlier)
        else:
            assert (shot.pin is not None) == must_land
        if shot.pin is not None:
            frame = frame_at(shot.pin.hit, project.rate)
            assert frame in hits
            assert source_seconds(shot, clip, frame, project.rate) == pytest.approx(shot.pin.moment, abs=1e-6)
    assert fill_song(project, **changes) == filled  # the same again
    assert fill_song(filled) == filled


@given(st.floats(60, 180), st.floats(0, 3), st.sampled_from(COMMON_RATES))
def test_at_its_default_every_bar_is_another_shot(tempo, start, rate):
    project = empty(song=a_song(tempo=tempo, n_beats=40, start=start), rate=rate)
    filled = fill_song(replace(project, filling=default_filling(project)))
    lines = bar_frames(bars_of(project), rate)
    inner = [shot.start for shot in filled.shots]
    first = frame_at(project.song.beats[0].time, rate)
    # Before the first beat lines are counted backwards in rounded steps.
    exact = {min(lines, key=lambda line: abs(line - cut)) if cut < first else cut for cut in inner}
    assert all(min(abs(line - cut) for line in lines) <= 1 for cut in inner)
    assert exact <= set(lines[:-1])
    assert set(lines[1:-1]) - exact <= {lines[1], lines[-2]}  # a sliver at an end joins its neighbour
    assert {shot.footage for shot in filled.shots} == {1, 2}


def test_sections_set_the_pace_and_begin_with_a_cut():
    pace = Pace(is_by_section=True, calm=8, full=2)
    filled = fill_song(empty(footage=clips(3)), pace=pace)
    assert [shot.n_frames for shot in filled.shots] == [120, 120] + [
        30
    ] * 8  # the song is full from beat 16 on


def test_the_best_moment_is_at_the_drop_and_every_clip_comes_once_before_one_comes_again():
    project = empty(footage=clips(5))
    filled = fill_song(project, order=Order.MOMENTS)
    at_drop = next(
        shot for shot in filled.shots if shot.start == frame_at(project.song.drops[0], project.rate)
    )
    assert (at_drop.footage, at_drop.pin.hit) == (5, project.song.drops[0])
    uses = [sum(shot.footage == clip.id for shot in filled.shots) for clip in project.footage]
    assert max(uses) - min(uses) <= 1
    assert all(one.footage != other.footage for one, other in pairwise(filled.shots))
    chosen = replace(project.footage[0], moments=moments((2.0, 0.1), is_accepted=True))
    accepted = fill_song(replace(project, footage=(chosen, *project.footage[1:])), order=Order.MOMENTS)
    assert next(s for s in accepted.shots if s.start == at_drop.start).footage == chosen.id


def test_shuffling_depends_on_the_seed_alone_and_never_repeats_a_clip_at_once():
    project = empty(footage=clips(4))
    orders = [[s.footage for s in fill_song(project, order=Order.SHUFFLED, seed=n).shots] for n in range(12)]
    assert len({tuple(order) for order in orders}) > 6
    assert orders[3] == [s.footage for s in fill_song(project, order=Order.SHUFFLED, seed=3).shots]
    assert all(one != other for order in orders for one, other in pairwise(order))


def test_what_is_kept_stays_and_all_else_is_filled_again():
    filled = fill_song(empty(footage=clips(4)))
    third = exchange_shots(filled, filled.shots[2].id, [FootageId(4)]).shots[2]
    kept = change_shot(
        replace(filled, shots=(*filled.shots[:2], third, *filled.shots[3:])), third.id, is_locked=True
    )
    again = fill_song(kept, pace=Pace(every=1), order=Order.SHUFFLED)
    assert next(shot for shot in again.shots if shot.id == third.id) == kept.shots[2]
    assert sum(shot.n_frames for shot in again.shots) == kept.n_frames
    assert all(one.start + one.n_frames == other.start for one, other in pairwise(again.shots))
    everything = replace(filled, shots=tuple(replace(shot, is_locked=True) for shot in filled.shots))
    assert fill_song(everything, pace=Pace(every=1)).shots == everything.shots


def test_a_short_clip_is_slowed_as_far_as_it_looks_good_and_then_goes_there_and_back():
    short, tiny = some_footage(1, duration=1.5), some_footage(2, duration=0.2)
    filled = fill_song(empty(footage=(short, tiny)), lands=False)
    assert [cut_of(shot).speed for shot in filled.shots[:2]] == [0.75, SLOWEST]
    repeated = fill_song(filled, extend=Extend.REPEAT)
    assert {(cut_of(shot).speed, cut_of(shot).extend) for shot in repeated.shots} == {(1.0, Extend.REPEAT)}


def test_stills_travel_as_they_are_told_and_drift_back_when_they_come_again():
    project = fill_song(empty(footage=(some_still(1), some_still(2))), stills=Move.DRIFT)
    assert [(s.transform.move, s.transform.amount > 0) for s in project.shots[:4]] == [
        (Move.DRIFT, True),
        (Move.DRIFT, True),
        (Move.DRIFT, False),
        (Move.DRIFT, False),
    ]


def test_some_clips_can_be_chosen():
    filled = fill_song(empty(footage=clips(4)), footage=(FootageId(2), FootageId(3)))
    assert {shot.footage for shot in filled.shots} == {2, 3}


def test_what_cannot_be_filled_says_why():
    with pytest.raises(EditError, match="no song to fill"):
        fill_song(Project(footage=clips(1)))
    with pytest.raises(EditError, match=r"filling: .*<= 128.*pace\.every"):
        fill_song(empty(), pace=Pace(every=999))


def test_a_song_without_a_beat_is_cut_in_steps():
    song = replace(a_song(), beats=(), sections=(), drops=())
    filled = fill_song(empty(song=song, footage=clips(2)))
    assert [shot.n_frames for shot in filled.shots] == [60] * 8


def test_sixty_clips_are_all_used_before_one_comes_again():
    project = empty(song=a_song(tempo=180, n_beats=180), footage=clips(60))
    filled = fill_song(project, order=Order.MOMENTS, pace=Pace(every=1))
    assert len(filled.shots) == 180
    assert {sum(shot.footage == clip.id for shot in filled.shots) for clip in project.footage} == {3}


FLAWS = (None, None, None, *Flaw)


@st.composite
def searched_clips(draw):
    """Return clips with takes and passages, some with flaws, some takes not to be used."""
    made = []
    for number in range(1, draw(st.integers(1, 5)) + 1):
        lengths = draw(st.lists(st.floats(0.3, 4.0), min_size=1, max_size=8))
        starts = [0.0, *(round(sum(lengths[:n]), 6) for n in range(1, len(lengths)))]
        is_take = [True, *(draw(st.booleans()) for _ in starts[1:])]
        made.append(
            replace(
                some_footage(number, duration=round(sum(lengths), 6)),
                takes=tuple(
                    Take(at, draw(st.booleans()))
                    for at, begins in zip(starts, is_take, strict=True)
                    if begins
                ),
                passages=tuple(
                    Passage(at, draw(st.sampled_from(FLAWS)), draw(st.floats(0, 9)), 3.0) for at in starts
                ),
                moments=moments(*((at + 0.1, draw(st.floats(0.1, 1))) for at in starts)),
            )
        )
    return tuple(made)


@settings(max_examples=60)
@given(searched_clips(), st.sampled_from(Order), st.booleans(), st.integers(1, 6))
def test_only_clean_stretches_of_used_takes_are_shown_and_none_twice_while_there_are_others(
    footage, order, lands, every
):
    project = empty(footage=footage)
    filled = fill_song(project, order=order, lands=lands, pace=Pace(every=every))
    free = {clip.id: list(clean_spans(clip)) for clip in footage}
    for number, shot in enumerate(filled.shots):
        clip, needed = footage[shot.footage - 1], float(shot.n_frames / project.rate)
        frames = range(shot.start, shot.start + shot.n_frames)
        seconds = [source_seconds(shot, clip, frame, project.rate) for frame in frames]
        assert any(a - 1e-6 <= min(seconds) and max(seconds) < b for a, b in clean_spans(clip))
        is_again = any(overlap(shot, other, project.rate) for other in filled.shots[:number])
        if is_again and order is not Order.MOMENTS:
            before = filled.shots[number - 1].footage  # a clip never follows itself
            others = [clip.id for clip in footage if clip.id != before]
            assert all(b - a < needed + 1e-6 for other in others for a, b in free[other])
        first, end = stretch(shot, project.rate)
        pieces = [piece for a, b in free[clip.id] for piece in ((a, min(b, first)), (max(a, end), b))]
        free[clip.id] = [(a, b) for a, b in pieces if b > a]


def test_logos_overlays_and_what_can_be_seen_through_do_not_fill():
    clip, see_through, ink, emblem = (some_footage(n) for n in (1, 2, 3, 4))
    project = empty(footage=(replace(see_through, has_alpha=True), clip, ink, emblem))
    project = add_overlay_lane(project, [ink.id], PulseId(5))
    project, _ = put_on_track(project, emblem.id, 30)
    assert {shot.footage for shot in fill_song(project).shots} == {clip.id}
    chosen = fill_song(project, footage=(ink.id,))  # unless it is asked for
    assert {shot.footage for shot in chosen.shots} == {ink.id}
    alone = replace(project, footage=project.footage[:1], stack=())
    assert {shot.footage for shot in fill_song(alone).shots} == {see_through.id}


@given(st.integers(0, 20), st.integers(0, 20), st.integers(-6, 6), st.booleans())
@settings(max_examples=25)
def test_clips_that_are_long_enough_have_frames_for_the_transitions_on_their_cuts(before, after, lead, lands):
    clips = tuple(some_footage(n, duration=30.0) for n in (1, 2))
    project, cuts = ensure_pulse(empty(footage=clips), PulseUnit.CUT)
    envelope = Envelope(rise=before, fall=after, lead=lead)
    project = add_lane(project, "dissolve", cuts, envelope=envelope)
    filled = fill_song(project, lands=lands)
    shown = schedule(filled).transitions
    assert len(shown) == len(filled.shots) - 1 or before + after == 0
    assert [one.n_lacking(filled) for one in shown] == [(0, 0)] * len(shown)


def test_clips_that_are_too_short_for_transitions_lack_as_much_before_as_after():
    project, cuts = ensure_pulse(empty(footage=(some_footage(1, duration=2.6),)), PulseUnit.CUT)
    filled = fill_song(add_lane(project, "dissolve", cuts, envelope=Envelope(rise=30, fall=30)), lands=False)
    first = filled.shots[0]
    assert first.n_frames == 60
    assert cut_of(first).source_start == pytest.approx(0.3)


def test_between_equal_clips_what_moves_and_looks_otherwise_is_shown():
    passages = (
        Passage(0.0, None, 0.2, 3.0, (100, 128, 128)),
        Passage(2.0, None, 6.0, 3.0, (100, 128, 128)),
        Passage(4.0, None, 6.0, 3.0, (200, 90, 160)),
        Passage(6.0, Flaw.BLACK),
    )
    one, other = (replace(some_footage(n), passages=passages) for n in (1, 2))
    filled = fill_song(empty(footage=(one, other)), lands=False)
    starts = [cut_of(shot).source_start for shot in filled.shots]
    # The second is lit otherwise, and leaves a handle for a transition before the black.
    assert starts[:2] == [2.0, pytest.approx(4.0 - 11 / 30)]
    assert sorted(starts[2:4]) == pytest.approx([2.0 - 11 / 30, 4.0])
    assert max(starts) <= 4.0  # what is left, and never black


def test_an_accepted_moment_is_shown_whatever_is_wrong_with_it():
    passages = (Passage(0.0), Passage(3.0, Flaw.SHAKY), Passage(6.0))
    for is_accepted in (False, True):
        found = moments((4.0, 0.9), is_accepted=is_accepted)
        clip = replace(some_footage(1), passages=passages, moments=found)
        shots = fill_song(empty(footage=(clip,))).shots
        assert any(shot.pin is not None and shot.pin.moment == 4.0 for shot in shots) == is_accepted


def test_slipping_a_shot_by_hand_leaves_its_take():
    takes = (Take(0.0), Take(3.0))
    filled = fill_song(empty(footage=(replace(some_footage(1), takes=takes),)), lands=False)
    shot = next(shot for shot in filled.shots if cut_of(shot).bounds is not None)
    assert cut_of(shot).bounds in ((0.0, 3.0), (3.0, 8.0))
    slipped = slip_shot(filled, shot.id, source_start=2.5)
    assert cut_of(next(one for one in slipped.shots if one.id == shot.id)).bounds is None
