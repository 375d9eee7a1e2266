"""Corrections of the beats: half and double, another one, another tempo, single beats."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from epiphane.document.project import Project
from epiphane.document.song import Beat
from epiphane.edits.song.regrid import regrid, song_of
from epiphane.errors import EditError
from epiphane.wording import tr

_SLOWEST, _FASTEST = 20.0, 400.0
_LEAST_APART_SECONDS = 0.05
_SAME_COUNT = 0.1
_FEWEST_FOR_TEMPO = 4
_ADDED_STRENGTH = 0.5
_EDGE_SECONDS = 0.03


def halve_beats(project: Project) -> Project:
    """Return `project` with every other beat, counted from the first downbeat; bars get twice as long."""
    beats = _beats(project)
    first = _first_downbeat(beats)
    kept = [beat for index, beat in enumerate(beats) if (index - first) % 2 == 0]
    return _counted_anew(project, kept, anchor=beats[first].time, matched=_unmoved(beats))


def double_beats(project: Project) -> Project:
    """Return `project` with a beat between every two; bars get half as long."""
    beats = _beats(project)
    times = [beat.time for beat in beats]
    if min(after - before for before, after in pairwise(times)) < 2 * _LEAST_APART_SECONDS:
        raise EditError(tr("the beats are too close together to be doubled."))
    made: list[Beat] = []
    for beat, after in pairwise(beats):
        between = Beat(
            round((beat.time + after.time) / 2, 6),
            1,
            0.7 * beat.strength,
            min(beat.confidence, after.confidence),
        )
        made += [beat, between]
    return _counted_anew(
        project, [*made, beats[-1]], anchor=beats[_first_downbeat(beats)].time, matched=_unmoved(beats)
    )


def shift_one(project: Project, by: int = 1) -> Project:
    """Return `project` with its bars beginning some beats later; before it did so, they are counted back."""
    beats = _beats(project)
    metre = _metre(beats)
    places = [beat.place for beat in beats]
    shifted = [
        places[index - by] if 0 <= index - by < len(places) else (place - 1 - by) % metre + 1
        for index, place in enumerate(places)
    ]
    made = [replace(beat, place=place) for beat, place in zip(beats, shifted, strict=True)]
    return regrid(project, made, matched=_unmoved(beats), is_steady=song_of(project).is_steady)


def set_beats_per_bar(project: Project, n_beats: int, *, start: float = 0.0) -> Project:
    """Return `project` with bars of so many beats from the beat at or after an instant (seconds) on.

    From the start of the song, bars are counted from the first downbeat, both ways.

    Raises
    ------
    EditError
        If the number is not within 1..32, or no beat follows.
    """
    if not 1 <= n_beats <= 32:
        raise EditError(tr("a bar has 1 to 32 beats, got {n_beats}", n_beats=n_beats))
    beats = _beats(project)
    first = next((index for index, beat in enumerate(beats) if beat.time >= start - 0.02), None)
    if first is None:
        raise EditError(tr("there is no beat from here on."))
    origin = _first_downbeat(beats) if first == 0 else first
    made = [
        replace(beat, place=(index - origin) % n_beats + 1) if index >= first else beat
        for index, beat in enumerate(beats)
    ]
    return regrid(project, made, matched=_unmoved(beats), is_steady=song_of(project).is_steady)


def set_tempo(project: Project, tempo: float, *, anchor: float | None = None) -> Project:
    """Return `project` on one constant tempo in BPM, through the beat nearest to an instant (seconds).

    Without an anchor it goes through the first downbeat. A song without beats gets bars of four from the
    anchor, or from its beginning.

    Raises
    ------
    EditError
        If the tempo is not within 20..400.
    """
    if not _SLOWEST <= tempo <= _FASTEST:
        raise EditError(
            tr(
                "a tempo must be {slowest:g} to {fastest:g} BPM, got {tempo:g}",
                slowest=_SLOWEST,
                fastest=_FASTEST,
                tempo=tempo,
            )
        )
    song = song_of(project)
    period = 60 / tempo
    if len(song.beats) < 2:
        start = anchor or 0.0
        times = _row(start, period, song.duration)
        origin = round((start - times[0]) / period)
        made = [Beat(float(time), (index - origin) % 4 + 1, 0.5) for index, time in enumerate(times)]
        return regrid(project, made, matched=(), is_steady=True)
    beats = song.beats
    fixed = _first_downbeat(beats) if anchor is None else _nearest(beats, anchor)
    times = _row(beats[fixed].time, period, song.duration)
    here = int(np.abs(times - beats[fixed].time).argmin())
    is_same_count = abs(tempo / song.tempo - 1) < _SAME_COUNT if song.tempo else False
    matched = (
        [
            (beat.time, float(times[here + index - fixed]))
            for index, beat in enumerate(beats)
            if 0 <= here + index - fixed < len(times)
        ]
        if is_same_count
        else _nearest_pairs(beats, times, period)
    )
    metre, place = _metre(beats), beats[fixed].place
    old = np.array([beat.time for beat in beats])
    made = [
        Beat(
            float(time),
            (index - here + place - 1) % metre + 1,
            beats[int(np.abs(old - time).argmin())].strength,
        )
        for index, time in enumerate(times)
    ]
    return regrid(project, made, matched=matched, is_steady=True)


def take_reading(project: Project, beats: Sequence[Beat]) -> Project:
    """Return `project` on other beats and bars of the same song; what is cut and keyed stays where it is.

    Parameters
    ----------
    beats : Beat, in seconds of the song's file
        Those within the part of it that is used are taken.

    Raises
    ------
    EditError
        If fewer than two of them are.
    """
    song = song_of(project)
    inside = [
        replace(beat, time=round(beat.time - song.start, 6))
        for beat in beats
        if song.start <= beat.time < song.start + song.duration
    ]
    if len(inside) < 2:
        raise EditError(tr("this reading has no beats in the part of the song that is used."))
    return regrid(project, inside, matched=_unmoved(song.beats), is_steady=song.is_steady)


def hold_tempo(project: Project) -> Project:
    """Return `project` with its beats in one exactly even row: the straight line that fits them best.

    Beats that lie far off it are left out of the fit (least squares, repeated on the nearer three quarters);
    those that would come before the song are gone.
    """
    beats = _beats(project)
    if len(beats) < _FEWEST_FOR_TEMPO:
        raise EditError(
            tr(
                "a constant tempo needs {fewest} beats, there are {count}.",
                fewest=_FEWEST_FOR_TEMPO,
                count=len(beats),
            )
        )
    numbers, times = np.arange(len(beats)), np.array([beat.time for beat in beats])
    kept = np.ones(len(beats), bool)
    for _ in range(5):
        period, start = np.polyfit(numbers[kept], times[kept], 1)
        off = np.abs(times - start - period * numbers)
        kept = off <= max(float(np.quantile(off, 0.75)), 1e-6)
    even = np.round(start + period * numbers, 6)
    is_there = even > -_LEAST_APART_SECONDS
    pairs = list(zip(times[is_there].tolist(), np.maximum(even[is_there], 0.0).tolist(), strict=True))
    left = beats[len(beats) - len(pairs) :]
    made = [replace(beat, time=time, confidence=1.0) for beat, (_, time) in zip(left, pairs, strict=True)]
    return regrid(project, made, matched=pairs, is_steady=True)


def move_beat(project: Project, index: int, time: float, *, n_following: int = 0) -> Project:
    """Return `project` with one beat at another time; neighbours on both sides follow, less the farther.

    Raises
    ------
    EditError
        If the beat would come within 50 ms of another, or leave the song.
    """
    beats = _beats(project)
    _check_index(beats, index)
    old = np.array([beat.time for beat in beats])
    distance = np.abs(np.arange(len(beats)) - index)
    share = np.where(distance <= n_following, 0.5 + 0.5 * np.cos(np.pi * distance / (n_following + 1)), 0.0)
    new = np.round(old + (time - old[index]) * share, 6)
    if new[0] < 0 or new[-1] > song_of(project).duration:
        raise EditError(tr("a beat must stay within the song."))
    if len(new) > 1 and np.diff(new).min() < _LEAST_APART_SECONDS:
        raise EditError(tr("a beat cannot pass its neighbour."))
    made = list(beats)
    for number in np.flatnonzero(share).tolist():
        made[number] = replace(made[number], time=float(new[number]))
    made[index] = replace(made[index], confidence=1.0)
    # Extend the beats beside those that move everything stays where it is.
    near = slice(max(index - n_following - 1, 0), index + n_following + 2)
    return regrid(project, made, matched=list(zip(old[near].tolist(), new[near].tolist(), strict=True)))


def add_beat(project: Project, time: float) -> Project:
    """Return `project` with a further beat; later beats of its bar are counted on.

    Raises
    ------
    EditError
        If there is a beat within 50 ms, or the time is outside the song.
    """
    song = song_of(project)
    if not 0 <= time <= song.duration:
        raise EditError(tr("a beat must lie within the song."))
    beats = list(song.beats)
    if beats and min(abs(beat.time - time) for beat in beats) < _LEAST_APART_SECONDS:
        raise EditError(tr("there is a beat here already."))
    index = sum(beat.time < time for beat in beats)
    place = beats[index - 1].place + 1 if index else 1
    made = [*beats[:index], Beat(round(time, 6), min(place, 32), _ADDED_STRENGTH), *beats[index:]]
    return regrid(project, _bar_counted_on(made, index), matched=_unmoved(beats))


def remove_beat(project: Project, index: int) -> Project:
    """Return `project` without a beat; later beats of its bar are counted back."""
    beats = list(_beats(project))
    _check_index(beats, index)
    place = beats[index].place
    made = beats[:index] + beats[index + 1 :]
    if index < len(made) and made[index].place != 1:
        made[index] = replace(made[index], place=place)
        made = _bar_counted_on(made, index)
    return regrid(project, made, matched=_unmoved(beats))


def accept_beat(project: Project, index: int) -> Project:
    """Return `project` with one beat taken as right."""
    song = song_of(project)
    _check_index(song.beats, index)
    beats = tuple(
        replace(beat, confidence=1.0) if number == index else beat for number, beat in enumerate(song.beats)
    )
    return replace(project, song=replace(song, beats=beats))


def replace_beats(project: Project, start: float, end: float, found: Sequence[Beat]) -> Project:
    """Return `project` with other beats from `start` to `end`, seconds; bars are counted on through them.

    Beats that lie a little before an end are taken to be on it.

    Raises
    ------
    EditError
        If the range is empty, or nothing was found in it.
    """
    if end <= start:
        raise EditError(tr("choose a stretch of the song first."))
    beats = _beats(project)
    start, end = start - _EDGE_SECONDS, end - _EDGE_SECONDS
    inside = [beat for beat in found if start <= beat.time < end]
    if not inside:
        raise EditError(tr("no beat was heard there; what was there stays."))
    before = [beat for beat in beats if beat.time < min(start, inside[0].time - _LEAST_APART_SECONDS)]
    after = [beat for beat in beats if beat.time >= max(end, inside[-1].time + _LEAST_APART_SECONDS)]
    metre = _metre(beats)
    made = list(before)
    for beat in inside:
        place = made[-1].place % metre + 1 if made else beat.place
        made.append(replace(beat, place=place))
    matched = [(beat.time, beat.time) for beat in before]
    matched += _nearest_pairs(
        [beat for beat in beats if start <= beat.time < end],
        np.array([beat.time for beat in inside]),
        60 / max(project.song.tempo if project.song else 0.0, _SLOWEST),
    )
    matched += [(beat.time, beat.time) for beat in after]
    return regrid(project, [*made, *after], matched=matched)


def _beats(project: Project) -> tuple[Beat, ...]:
    beats = song_of(project).beats
    if len(beats) < 2:
        raise EditError(tr("the song has no beats; set its tempo by hand first."))
    return beats


def _counted_anew(
    project: Project, beats: Sequence[Beat], *, anchor: float, matched: Sequence[tuple[float, float]]
) -> Project:
    """Return `project` on these beats, in bars of as many as before from the one at `anchor`."""
    song = song_of(project)
    metre = _metre(song.beats)
    origin = _nearest(beats, anchor)
    made = [replace(beat, place=(index - origin) % metre + 1) for index, beat in enumerate(beats)]
    return regrid(project, made, matched=matched, is_steady=song.is_steady)


def _bar_counted_on(beats: list[Beat], index: int) -> list[Beat]:
    """Return beats of which those after `index`, up to the next downbeat, are counted on from it."""
    made, place = list(beats), beats[index].place
    for later in range(index + 1, len(beats)):
        if beats[later].place == 1:
            break
        place += 1
        made[later] = replace(beats[later], place=min(place, 32))
    return made


def _row(through: float, period: float, duration: float) -> np.ndarray:
    """Return all instants a period apart within a song, one of them `through`."""
    first, last = np.ceil((-1e-9 - through) / period), np.floor((duration - through) / period)
    return np.asarray(np.maximum(np.round(through + np.arange(first, last + 1) * period, 6), 0.0))


def _nearest_pairs(beats: Sequence[Beat], times: np.ndarray, period: float) -> list[tuple[float, float]]:
    """Return old beats with the new one nearest to them, each used once, within half a beat."""
    pairs: dict[int, tuple[float, float]] = {}
    for beat in beats:
        nearest = int(np.abs(times - beat.time).argmin())
        off = abs(float(times[nearest]) - beat.time)
        if off < period / 2 and (nearest not in pairs or off < abs(pairs[nearest][0] - pairs[nearest][1])):
            pairs[nearest] = (beat.time, float(times[nearest]))
    return [pairs[nearest] for nearest in sorted(pairs)]


def _unmoved(beats: Sequence[Beat]) -> list[tuple[float, float]]:
    return [(beat.time, beat.time) for beat in beats]


def _metre(beats: Sequence[Beat]) -> int:
    """Return how many beats most bars have."""
    downbeats = [index for index, beat in enumerate(beats) if beat.place == 1]
    lengths = [after - before for before, after in pairwise(downbeats)]
    return max(set(lengths), key=lengths.count) if lengths else max(beat.place for beat in beats)


def _first_downbeat(beats: Sequence[Beat]) -> int:
    return next((index for index, beat in enumerate(beats) if beat.place == 1), 0)


def _nearest(beats: Sequence[Beat], time: float) -> int:
    return min(range(len(beats)), key=lambda index: abs(beats[index].time - time))


def _check_index(beats: Sequence[Beat], index: int) -> None:
    if not 0 <= index < len(beats):
        raise EditError(tr("there is no such beat."))
