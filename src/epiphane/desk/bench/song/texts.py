"""What is told of a song: what was heard in it, and how it could be heard instead."""

from collections.abc import Sequence
from itertools import pairwise
from statistics import median, quantiles

from epiphane.audio.heard import Listening, OtherReading
from epiphane.document.song import DRUMS, Beat, Drums, Song
from epiphane.facts.form import part_words, parts_of
from epiphane.facts.grid import DOUBTFUL
from epiphane.facts.metre import n_clock_jumps
from epiphane.timing import clock_text
from epiphane.wording import plural, tr

MOST_OTHERS = 4
_NO_PARTS = tr("none were heard: split the song where one begins")
_NO_DROP = tr("none: put one on the beat where everything comes in")
_SAME_SECONDS, _SAME_TEMPO, _COMPARED = 0.02, 0.02, 32
# How far off the beats a reading's lie, as shares of a beat, and what it is called.
_LEAST_SHIFT, _SHIFTS = (
    0.1,
    ((0.42, tr("half a beat off")), (0.29, tr("a third off")), (0.0, tr("a quarter off"))),
)


def heard_texts(song: Song) -> dict[str, str]:
    """Return what was heard in a song, by the name of its row."""
    texts = {
        tr("Drums"): _drums_text(song.drums),
        tr("Parts"): " · ".join(part_words(part) for part in parts_of(song)) or _NO_PARTS,
        tr("Drop"): ", ".join(clock_text(drop) for drop in song.drops) or _NO_DROP,
    }
    if not song.beats:
        return texts | {tr("Beats"): tr("no beat was heard: set the tempo by hand")}
    n_doubtful = sum(beat.confidence < DOUBTFUL for beat in song.beats)
    texts[tr("Clock")] = _machine(song) if song.is_steady else _player(song)
    texts[tr("Beats")] = tr(
        "{count}, {n_doubtful} doubtful", count=len(song.beats), n_doubtful=n_doubtful or "none"
    )
    if n_doubtful:
        texts[tr("Beats")] += tr(" (D goes to the next)")
    return texts


def _machine(song: Song) -> str:
    n_jumps = n_clock_jumps(song.beats)
    if not n_jumps:
        return tr("a machine's: one constant tempo")
    return plural(
        n_jumps, "a machine's: one tempo, which jumps once", "a machine's: one tempo, which jumps {} times"
    )


def bars_text(song: Song, listening: Listening | None) -> str:
    """Return how many bars a song has, and how sure that is while it is as it was heard."""
    is_as_heard = listening is not None and listening.beats == song.beats
    sure = listening.metre_confidence if listening is not None and is_as_heard else 0.0
    n_bars = sum(beat.place == 1 for beat in song.beats)
    return tr("{n_bars} bars", n_bars=n_bars) + (tr(", {sure:.0%} sure", sure=sure) if sure else "")


def beats_per_bar(beats: Sequence[Beat]) -> int:
    """Return how many beats the longest bar has."""
    return max((beat.place for beat in beats), default=4)


def other_readings(song: Song, listening: Listening | None) -> list[OtherReading]:
    """Return what the song could be read as instead, the likeliest first: also as it was heard at first."""
    if listening is None or not listening.beats:
        return []
    metre = listening.beats_per_bar
    first = OtherReading(
        listening.beats, listening.tempo, metre, listening.confidence * listening.metre_confidence
    )
    readings = sorted((first, *listening.others), key=lambda one: -one.share)
    return [one for one in readings if not _is_taken(one, song)][:MOST_OTHERS]


def _is_taken(reading: OtherReading, song: Song) -> bool:
    """Whether the song has these beats and bars."""
    n_beats = len(song.beats)
    inside = [beat for beat in reading.beats if song.start <= beat.time < song.start + song.duration]
    return len(inside) == n_beats and all(
        abs(one.time - song.start - other.time) < _SAME_SECONDS and one.place == other.place
        for one, other in zip(inside, song.beats, strict=True)
    )


def difference_text(reading: OtherReading, song: Song) -> str:
    """Return in what a reading differs from the song's beats: tempo, place in the beat, bars."""
    if not song.tempo or abs(reading.tempo / song.tempo - 1) > _SAME_TEMPO:
        return f"{reading.tempo:.0f} BPM in {reading.beats_per_bar}"
    times = [beat.time for beat in song.beats]
    own = [beat for beat in reading.beats if song.start <= beat.time < song.start + song.duration]
    shifts = [min((beat.time - song.start - time for time in times), key=abs) for beat in own[:_COMPARED]]
    share = abs(median(shifts)) * song.tempo / 60 if shifts else 0.0
    if share > _LEAST_SHIFT:
        return next(words for least, words in _SHIFTS if share > least)
    metre = beats_per_bar(song.beats)
    if reading.beats_per_bar != metre:
        return tr("bars of {beats_per_bar}", beats_per_bar=reading.beats_per_bar)
    place = next((beat.place for beat in own), 1) - next((beat.place for beat in song.beats), 1)
    return tr("bars {metre} later", metre=-place % metre)


def _drums_text(drums: Drums) -> str:
    """Return how many hits each drum has and how sure they are, or what stands in for it."""
    texts = []
    for number, drum in enumerate(DRUMS):
        band = drums.stand_in(drum)
        if band:
            hits = plural(len(drums.heard(band)), "1 {band} hit", "{} {band} hits", band=tr(band))
            texts.append(tr("{drum}: not heard surely, {hits} instead", drum=tr(drum), hits=hits))
        elif drums.heard(drum):
            sure = (
                tr(", {confidence:.0%} sure", confidence=drums.confidence[number])
                if drums.confidence[number] < 1
                else ""
            )
            texts.append(plural(len(drums.heard(drum)), "1 {drum}", "{} {drum}s", drum=tr(drum)) + sure)
    return "\n".join(texts) or tr("none were heard")


def _player(song: Song) -> str:
    """Return between which tempi a player wandered, leaving out the oddest beats."""
    gaps = [after.time - before.time for before, after in pairwise(song.beats)]
    if len(gaps) < 8:
        return tr("a player's")
    tenths = quantiles(gaps, n=10)
    return tr("a player's: {slow:.0f} to {fast:.0f} BPM", slow=60 / tenths[-1], fast=60 / tenths[0])
