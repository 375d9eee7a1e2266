"""The sound of a film: song, shots and accents in one mix, brought to a loudness."""

from pathlib import Path

import numpy as np
from msgspec import Struct

from epiphane.audio.accents import with_accents
from epiphane.audio.loudness import Loudness, loudness_of
from epiphane.audio.mix import decibels_too_loud, mixed_with_shots, peak_of, read_sounds
from epiphane.audio.samples import read_samples, resampled_stereo
from epiphane.audio.song_gain import shaped_song
from epiphane.document.project import Project
from epiphane.facts.heard import heard_items
from epiphane.keying.accent_hits import accent_hits
from epiphane.keying.schedule import schedule
from epiphane.media.writer import SOUND_RATE
from epiphane.timing import frame_start, seconds_to_sample
from epiphane.types import Float32Array
from epiphane.wording import tr


class FilmSound(Struct, frozen=True, eq=False):
    """The sound of a film, float32, shape (n_samples, 2), at `SOUND_RATE`, and what is to be said of it."""

    samples: Float32Array
    remarks: tuple[str, ...] = ()


def film_sound(project: Project, frames: range, target: float | None = None) -> FilmSound | None:
    """Return the mix under some frames, silence where the song is over; None without a song.

    Parameters
    ----------
    target : float, LUFS, or None
        The integrated loudness that it is brought to, by one gain and no further than true peaks of -1 dBTP
        allow; without it nothing is changed.

    Raises
    ------
    MediaError
        If the song cannot be read.
    """
    mix = _mix(project, frames)
    if mix is None:
        return None
    remarks: list[str] = []
    if target is not None:
        gain, is_held = loudness_of(mix, SOUND_RATE).gain_to(target)
        mix = mix * np.float32(10 ** (gain / 20))
        if is_held:
            reached = loudness_of(mix, SOUND_RATE).integrated
            remarks.append(
                tr(
                    "The sound is {reached:.1f} LUFS loud and not {target:g}: its peaks reach -1 dB.",
                    reached=reached,
                    target=target,
                )
            )
    elif over := _over(project, mix):
        remarks.append(
            f"The sound is {over:.1f} dB too loud and clips; take gain of shots or of the song away."
        )
    return FilmSound(np.clip(mix, -1.0, 1.0), tuple(remarks))


def film_loudness(project: Project, frames: range) -> Loudness | None:
    """Return how loud the mix under some frames is; None without a song."""
    mix = _mix(project, frames)
    return None if mix is None else loudness_of(mix, SOUND_RATE)


def _mix(project: Project, frames: range) -> Float32Array | None:
    if project.song is None:
        return None
    whole = resampled_stereo(read_samples(Path(project.song.path)), SOUND_RATE)
    sounds = read_sounds(project, SOUND_RATE)
    song = mixed_with_shots(shaped_song(whole, SOUND_RATE, project.song), project, sounds, SOUND_RATE)
    song = with_accents(song, accent_hits(project, schedule(project)), SOUND_RATE, sounds)
    first, last = (
        seconds_to_sample(frame_start(frame, project.rate), SOUND_RATE)
        for frame in (frames.start, frames.stop)
    )
    mix = song[first:last]
    if len(mix) < last - first:
        mix = np.concatenate([mix, np.zeros((last - first - len(mix), 2), np.float32)])
    return mix


def _over(project: Project, mix: Float32Array) -> float:
    """Return by how many decibels a mix is too loud; a song alone is as it was made."""
    has_more = bool(accent_hits(project, schedule(project))) or next(heard_items(project), None) is not None
    return decibels_too_loud(peak_of(mix)) if has_more else 0.0
