"""Choosing footage for an automatic edit: which stretch of which clip fills a place, at what speed.

No two shots show the same stretch of a clip while there is another one that could be shown, stretches with
cuts or flaws in them are left out where a clip has better ones, and none follows itself.
"""

import random
from collections.abc import Iterable, Sequence
from fractions import Fraction

from msgspec import Struct

from epiphane.document.filling import Filling, Order
from epiphane.document.footage import Footage, FootageKind, Level, Moment, Span, clean_spans, passage_spans
from epiphane.document.timeline import Extend, Item, Pin
from epiphane.facts.source_time import running_span
from epiphane.timing import frame_start

SLOWEST = 0.25
"""The least speed that filling takes; slower is choppy."""
# A moment on the first frame of its shot is seen, but not seen coming.
_UNPREPARED = 0.6
# Levels, of movement and sharpness, that count half; and the difference of looks that counts whole.
_MUCH_MOVEMENT, _MUCH_SHARPNESS, _OTHER_LOOK = 2.0, 4.0, 60.0
_SHARPNESS_WEIGHT, _LOOK_WEIGHT, _SLOWED_WEIGHT = 0.25, 0.35, 0.5
_ROUNDING = 1e-6

Look = tuple[Level, Level, Level]


class Target(Struct, frozen=True):
    """A hit within a place: its frame, its instant, and how important it is, 0 to 1; at a drop 2."""

    frame: int
    time: float
    weight: float


class Place(Struct, frozen=True):
    """A stretch of the song that one shot fills, in frames, and the hits in it."""

    start: int
    end: int
    targets: tuple[Target, ...]

    @property
    def weight(self) -> float:
        """How important its strongest hit is."""
        return max((target.weight for target in self.targets), default=0.0)


class Part(Struct, frozen=True):
    """What of a clip plays in a place.

    `span` is the stretch that it stays within, `start` the instant that its first frame shows, seconds;
    `is_fresh` tells that nothing of it is shown elsewhere, `n_used` how often the clip came before.
    """

    footage: Footage
    span: Span
    start: float
    speed: float
    pin: Pin | None
    is_fresh: bool
    n_used: int


class _Clip:
    """A clip while the song is filled: what of it has not been shown yet."""

    def __init__(self, footage: Footage, filling: Filling, rate: Fraction, handle: float) -> None:
        self.footage, self._handle = footage, handle
        self.n_used = 0
        self.look: Look | None = None
        self._lands = filling.lands
        self._slowest = SLOWEST if filling.extend is Extend.SLOW else 1.0
        self._rate = rate
        self._spans = clean_spans(footage)
        self._free = list(self._spans)
        self._passages = passage_spans(footage)
        moments = [m for m in footage.moments if _holding(self._spans, m.time) is not None]
        self._moments = [m for m in moments if m.is_accepted] or moments

    @property
    def strength(self) -> float:
        """How strong the best moment is that has not been shown; accepted ones come before proposals."""
        unseen = [m for m in self._moments if _holding(self._free, m.time) is not None] or self._moments
        return max((m.strength + m.is_accepted for m in unseen), default=0.0)

    def part(self, place: Place, looks: Sequence[Look]) -> Part:
        """Return what it would show in a place beside shots that look like `looks`."""
        if self.footage.kind is FootageKind.STILL:
            return Part(self.footage, self._spans[0], 0.0, 1.0, None, True, self.n_used)
        if self._lands and self._moments and place.targets:
            landing = self._landing(place)
            if landing.is_fresh:
                return landing
            return self._fresh(place, looks) or landing
        return self._fresh(place, looks) or self._again(place)

    def show(self, part: Part, place: Place) -> None:
        """Take note that a part is shown in a place."""
        self.n_used += 1
        seconds = part.speed * frame_start(place.end - place.start, self._rate)
        self.see(part.start, part.start + seconds)
        middle = part.start + seconds / 2
        self.look = next((p.look for (a, b), p in self._passages if a <= middle < b), None)

    def see(self, first: float, end: float) -> None:
        """Take note that a stretch is shown."""
        least = 2 / float(self.footage.rate)
        cut = [piece for a, b in self._free for piece in ((a, min(b, first)), (max(a, end), b))]
        self._free = [(a, b) for a, b in cut if b - a > least]

    def _landing(self, place: Place) -> Part:
        """Return the part around the best moment that has not been shown, or around each in turn."""
        ranked = sorted(
            (self._pinned(moment, place, self._spans) for moment in self._moments), key=lambda one: -one[0]
        )
        for _, whole, moment in ranked:
            room = _holding(self._free, moment.time)
            if room is None:
                continue
            _, fresh, _ = self._pinned(moment, place, [room])
            if fresh.speed >= whole.speed - _ROUNDING:  # what was shown already costs it nothing
                return Part(fresh.footage, whole.span, fresh.start, fresh.speed, fresh.pin, True, self.n_used)
        return ranked[self.n_used % len(ranked)][1]

    def _pinned(self, moment: Moment, place: Place, spans: Sequence[Span]) -> tuple[float, Part, Moment]:
        """Return the part with a moment on the hit that suits it best, and how good that is."""
        span = _holding(spans, moment.time) or self._spans[0]
        within = span[0] + self._handle, span[1] - self._handle

        def value(target: Target) -> tuple[float, int]:
            is_prepared = target.frame > place.start or target.weight > 1
            importance = (0.5 + 0.5 * target.weight) * (1.0 if is_prepared else _UNPREPARED)
            return round(importance * self._speed(target, place, moment, within), 6), -target.frame

        target = max(place.targets, key=value)
        speed = self._speed(target, place, moment, span)
        if self._slowest == 1:
            speed = 1.0
        start = moment.time - speed * frame_start(target.frame - place.start, self._rate)
        pin = Pin(moment.time, target.time)
        worth = moment.is_accepted + moment.strength * speed
        return worth, Part(self.footage, span, start, speed, pin, False, self.n_used), moment

    def _speed(self, target: Target, place: Place, moment: Moment, span: Span) -> float:
        """Return the speed at which a span is long enough before and after a moment, `SLOWEST` to 1."""
        lead = frame_start(target.frame - place.start, self._rate)
        tail = frame_start(place.end - target.frame, self._rate)
        before = (moment.time - span[0]) / lead if lead else 1.0
        after = (span[1] - moment.time) / tail if tail else 1.0
        return max(SLOWEST, min(1.0, before, after))

    def _fresh(self, place: Place, looks: Sequence[Look]) -> Part | None:
        """Return the best part of what has not been shown, or None where none is as long as it takes."""
        needed = frame_start(place.end - place.start, self._rate)
        longest = max(end - first for first, end in self._spans)
        best: tuple[float, Part] | None = None
        for span in self._free:
            length = span[1] - span[0]
            whole = _holding(self._spans, span[0]) or span
            # A clip too short for the place is slowed, if nothing of it is gone yet.
            is_enough = length >= needed - _ROUNDING
            if not is_enough and length < longest - _ROUNDING:
                continue
            speed = 1.0 if is_enough else max(self._slowest, length / needed)
            for start in self._starts(span, needed, whole) if is_enough else [span[0]]:
                value = self._value(start, start + speed * needed, looks)
                value *= 1.0 if is_enough else _SLOWED_WEIGHT
                if best is None or value > best[0] + _ROUNDING:
                    best = value, Part(self.footage, whole, start, speed, None, True, self.n_used)
        return None if best is None else best[1]

    def _starts(self, span: Span, needed: float, whole: Span) -> list[float]:
        """Return where a part of a free stretch may begin: with it, with a passage, or ending with it.

        Where there is room, handles are left at both ends of the `whole` stretch.
        """
        first, last = span[0], span[1] - needed
        low, high = max(first, whole[0] + self._handle), min(last, whole[1] - self._handle - needed)
        if high >= low:
            first, last = low, high
        elif last > first:
            first = last = min(max((low + high) / 2, first), last)  # as much at one end as at the other
        inside = [begun for (begun, _), _ in self._passages if first < begun < last]
        return [first, *inside, last] if last > first + _ROUNDING else [first]

    def _value(self, first: float, end: float, looks: Sequence[Look]) -> float:
        """Return how good a stretch is: it moves, is sharp, and looks other than its neighbours."""
        middle = (first + end) / 2
        passage = next((one for (a, b), one in self._passages if a <= middle < b), None)
        if passage is None:
            return 0.0
        value = passage.movement / (passage.movement + _MUCH_MOVEMENT)
        value += _SHARPNESS_WEIGHT * passage.sharpness / (passage.sharpness + _MUCH_SHARPNESS)
        nearest = min((_distance(passage.look, look) for look in looks), default=_OTHER_LOOK)
        return value + _LOOK_WEIGHT * min(1.0, nearest / _OTHER_LOOK)

    def _again(self, place: Place) -> Part:
        """Return a part that was shown before: another one each time."""
        needed = frame_start(place.end - place.start, self._rate)
        span = max(self._spans, key=lambda one: one[1] - one[0])
        length = span[1] - span[0]
        if length < needed:
            speed = max(self._slowest, length / needed)
            return Part(self.footage, span, span[0], speed, None, False, self.n_used)
        n_parts = max(1, int(length / needed + _ROUNDING))
        start = span[0] + self.n_used % n_parts * needed
        return Part(self.footage, span, start, 1.0, None, False, self.n_used)


class Casting:
    """Finds what plays in each place.

    Parameters
    ----------
    clips : footage with a picture
    filling : Filling
    rate : Fraction, frames of the project a second
    kept : shots that stay; what they show counts as shown
    handle : float, seconds
        What is left of a clip at both of its ends, where it is long enough: transitions show it.
    """

    def __init__(
        self,
        clips: Sequence[Footage],
        filling: Filling,
        rate: Fraction,
        *,
        kept: Iterable[Item] = (),
        handle: float = 0.0,
    ) -> None:
        self._filling = filling
        self._clips = [_Clip(footage, filling, rate, handle) for footage in clips]
        by_id = {clip.footage.id: clip for clip in self._clips}
        for shot in kept:
            clip = by_id.get(shot.footage) if shot.footage is not None else None
            if clip is not None:
                clip.see(*running_span(shot, rate))

    def cast(self, places: Sequence[Place]) -> list[Part]:
        """Return what plays in each place; no clip follows itself where there is another."""
        if self._filling.order is Order.MOMENTS:
            return self._by_moments(places)
        generator = random.Random(self._filling.seed)
        parts: list[Part] = []
        looks: list[Look | None] = []
        turn: list[_Clip] = []
        last: _Clip | None = None
        for place in places:
            if not turn:
                turn = list(self._clips)
                if self._filling.order is Order.SHUFFLED:
                    generator.shuffle(turn)
                    if turn[0] is last and len(turn) > 1:
                        turn.append(turn.pop(0))
            others = [clip for clip in self._clips if clip not in turn]
            waiting = [clip for clip in (*turn, *others) if clip is not last] or turn
            clip, part = _first_fresh(waiting, place, [look for look in looks[-1:] if look])
            if clip in turn:
                turn.remove(clip)
            clip.show(part, place)
            looks.append(clip.look)
            parts.append(part)
            last = clip
        return parts

    def _by_moments(self, places: Sequence[Place]) -> list[Part]:
        """Return the strongest moments at the strongest hits, every clip once before one comes again."""
        cast: list[Part | None] = [None] * len(places)
        chosen: list[_Clip | None] = [None] * len(places)
        looks: list[Look | None] = [None] * len(places)
        for index in sorted(range(len(places)), key=lambda n: (-places[n].weight, n)):
            beside = [n for n in (index - 1, index + 1) if 0 <= n < len(places)]
            around = [chosen[n] for n in beside]
            free = [clip for clip in self._clips if clip not in around] or self._clips
            free = sorted(free, key=_comes_first)
            clip, part = _first_fresh(free, places[index], [look for n in beside if (look := looks[n])])
            clip.show(part, places[index])
            cast[index], chosen[index], looks[index] = part, clip, clip.look
        return [part for part in cast if part is not None]


def _comes_first(clip: _Clip) -> tuple[int, float]:
    """Return what orders clips: one used less, and of those the one with the stronger moment."""
    return clip.n_used, -clip.strength


def _first_fresh(clips: Sequence[_Clip], place: Place, looks: Sequence[Look]) -> tuple[_Clip, Part]:
    """Return the first clip that has something to show that is not shown elsewhere; else the first."""
    first: tuple[_Clip, Part] | None = None
    for clip in clips:
        part = clip.part(place, looks)
        first = first or (clip, part)
        if part.is_fresh:
            return clip, part
    assert first is not None
    return first


def _holding(spans: Iterable[Span], seconds: float) -> Span | None:
    """Return the span that an instant lies in."""
    return next((span for span in spans if span[0] - _ROUNDING <= seconds < span[1]), None)


def _distance(one: Look, other: Look) -> float:
    return sum(abs(a - b) * weight for a, b, weight in zip(one, other, (1, 2, 2), strict=True))
