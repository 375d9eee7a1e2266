"""One mix of the song and the sound of shots, for playing and for export alike, exact to the sample."""

import math
from collections.abc import Mapping
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType

import numpy as np

from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.audio.song_gain import fade_curve
from epiphane.document.footage import Footage
from epiphane.document.project import Project
from epiphane.document.timeline import Item, ItemSound, cut_of
from epiphane.errors import MediaError
from epiphane.facts.heard import heard_footage, heard_items
from epiphane.facts.source_time import anchor_frame, start_for
from epiphane.facts.speed import runs_of
from epiphane.timing import frame_at, frame_start, seconds_to_sample
from epiphane.types import Float32Array, FloatArray, Progress, ignore_progress

_ACCENT_LEAD = 2
"""Frames before the hit of which an accent lets hear something."""
_CLIPS = 1.0005
"""Over what can be written, and over the rounding of a song that is as loud as it can be."""
_STILL = 1e-9
_BLOCK = 1 << 20
_EDGE_SECONDS = 0.002
"""In which a sound that is cut off comes and goes, so that it does not click."""


def mixed_with_shots(
    song: Float32Array, project: Project, sounds: Mapping[str, Float32Array], rate: int
) -> Float32Array:
    """Return the song with the sound of shots in its place.

    Parameters
    ----------
    song : float32, shape (n_samples, 2)
        As it is played, with its own fades and gain; it is not changed.
    sounds : from the fingerprint of footage to float32, shape (n, 2)
        From the first picture of the footage on; what is not there is silent.
    rate : int, samples / second, of all of them

    Returns
    -------
    float32, shape (n_samples, 2)
        The very song where no shot is heard; it may go beyond 1, and clips then.
    """
    made: Float32Array | None = None
    for item, footage in heard_items(project):
        sound = sounds.get(footage.fingerprint)
        if sound is None or item.sound is None:
            continue
        first, end = (seconds_to_sample(frame_start(n, project.rate), rate) for n in (item.start, item.end))
        end = min(end, len(song))
        if end <= first:
            continue
        made = song.copy() if made is None else made
        made[first:end] += _heard(item, item.sound, footage, sound, project.rate, rate, first, end)
    return song if made is None else made


def read_sounds(
    project: Project,
    rate: int,
    *,
    kept: Mapping[str, Float32Array] = MappingProxyType({}),
    progress: Progress = ignore_progress,
) -> dict[str, Float32Array]:
    """Return the sound of all footage that is heard, by its fingerprint; what cannot be read is silent.

    Parameters
    ----------
    rate : int, samples / second
    kept : what was read before, by fingerprint
    """
    heard = {footage.fingerprint: footage for footage in heard_footage(project)}
    made: dict[str, Float32Array] = {}
    for number, (fingerprint, footage) in enumerate(heard.items(), start=1):
        found = kept.get(fingerprint)
        try:
            made[fingerprint] = _read(footage, rate) if found is None else found
        except MediaError:  # its picture is a placeholder that says why
            made[fingerprint] = np.zeros((0, 2), np.float32)
        progress(number / len(heard))
    return made


def _read(footage: Footage, rate: int) -> Float32Array:
    return resampled_stereo(read_samples(Path(footage.path)), rate)


def decibels_too_loud(peak: float) -> float:
    """Return by how much a largest level is over what can be written, in dB; 0 where it does not clip."""
    return 20 * math.log10(peak) if peak > _CLIPS else 0.0


def peak_of(sound: Float32Array) -> float:
    """Return the largest level of a sound, 1 where it is as loud as it can be written."""
    return max(
        (float(np.abs(sound[at : at + _BLOCK]).max()) for at in range(0, len(sound), _BLOCK)), default=0
    )


_BLOCK = 1 << 20


def _heard(
    item: Item,
    how: ItemSound,
    footage: Footage,
    sound: Float32Array,
    rate: Fraction,
    sample_rate: int,
    first: int,
    end: int,
) -> Float32Array:
    """Return what is heard of an item between two samples of the song."""
    cut = cut_of(item)
    start = cut.source_start
    if item.pin is not None:
        start = start_for(item.pin, start=item.start, speed=cut.speed, rate=rate)
    offset = first / sample_rate - frame_start(item.start, rate)
    used = seconds_to_sample(footage.used_from, sample_rate), seconds_to_sample(footage.end, sample_rate)
    if cut.speed == 1:  # sample by sample, nothing in between
        made = _slice(sound, used, seconds_to_sample(start + offset, sample_rate), end - first)
    else:
        seconds = np.arange(first, end) / sample_rate - frame_start(item.start, rate)
        lead = item.start - anchor_frame(item, rate)
        frames = seconds * float(rate)
        run = runs_of(cut.speed, frames + lead) - runs_of(cut.speed, np.array([float(lead)]))
        made = _between(sound, used, (start + run / float(rate)) * sample_rate)
    level = 10 ** (how.gain / 20) * _envelope(item, how, rate, sample_rate, first, end)
    return np.asarray(made * level[:, None], np.float32)


def _slice(sound: Float32Array, used: tuple[int, int], first: int, n_samples: int) -> Float32Array:
    """Return a part of a sound, silent outside of the samples that are used."""
    made = np.zeros((n_samples, 2), np.float32)
    begin, end = max(first, used[0]), min(first + n_samples, used[1], len(sound))
    if end > begin:
        made[begin - first : end - first] = sound[begin:end]
    return made


def _between(sound: Float32Array, used: tuple[int, int], places: FloatArray) -> Float32Array:
    """Return a sound at some samples, straight from one to the next; what stands still is silent."""
    moves = np.abs(np.gradient(places)) > _STILL if len(places) > 1 else np.ones(len(places), bool)
    inside = (places >= used[0]) & (places <= min(used[1], len(sound)) - 1) & moves
    if not inside.any():
        return np.zeros((len(places), 2), np.float32)
    index = np.where(inside, places, 0).astype(int)
    share = (np.where(inside, places, 0) - index)[:, None].astype(np.float32)
    made = sound[index] * (1 - share) + sound[np.minimum(index + 1, len(sound) - 1)] * share
    return np.asarray(np.where(inside[:, None], made, 0), np.float32)


def _envelope(
    item: Item, how: ItemSound, rate: Fraction, sample_rate: int, first: int, end: int
) -> Float32Array:
    """Return how loud each sample of an item is, 0 to 1: its fades, or its accent."""
    level = np.ones(end - first, np.float32)
    if how.accent is not None and item.pin is not None:
        hit = frame_at(item.pin.hit, rate)
        inside = [
            min(max(seconds_to_sample(frame_start(n, rate), sample_rate) - first, 0), len(level))
            for n in (hit - _ACCENT_LEAD, hit + how.accent)
        ]
        level[: inside[0]] = level[inside[1] :] = 0
        part = level[inside[0] : inside[1]]
    else:
        part = level
    edge = round(_EDGE_SECONDS * sample_rate)
    for n_frames, side in ((how.fade_in, part), (how.fade_out, part[::-1])):
        n_fade = max(seconds_to_sample(frame_start(n_frames, rate), sample_rate), edge)
        n_fade = min(n_fade, len(side))
        if n_fade:
            side[:n_fade] *= fade_curve(n_fade, 0.0)
    return level
