"""Beat tracking of a part of a song again, near a given tempo."""

import numpy as np

from epiphane.audio.beat_tracking import analyse, on_attacks
from epiphane.audio.beats import follow_beats
from epiphane.audio.beats_and_bars import strengths_at
from epiphane.audio.listening import usual_sound
from epiphane.audio.samples import Samples
from epiphane.audio.tempo import TempoCurve
from epiphane.document.song import Beat
from epiphane.errors import MediaError
from epiphane.wording import tr

_MARGIN_SECONDS = 4.0
_LEAST_SECONDS = 1.5
_CONFIDENCE = 0.6
# A beat this little before the start of a part is its first, before its end the first of what follows.
_EDGE_SECONDS = 0.03


def beats_between(samples: Samples, start: float, end: float, *, tempo: float) -> tuple[Beat, ...]:
    """Return the beats of a part of a song, on their attacks; their places in the bar are not known.

    Parameters
    ----------
    start, end : float, seconds of the samples
    tempo : float, BPM
        What is followed stays within a factor of 1.4 of it.

    Raises
    ------
    MediaError
        If the part is too short, or nothing is heard in it.
    """
    if end - start < _LEAST_SECONDS:
        raise MediaError(
            tr(
                "a part of at least {least} s is needed to listen to it again.",
                least=_LEAST_SECONDS,
            )
        )
    first = max(0.0, start - _MARGIN_SECONDS)
    rows = slice(round(first * samples.rate), round((end + _MARGIN_SECONDS) * samples.rate))
    mono, rate = usual_sound(Samples(samples.data[rows], samples.rate))
    analysis = analyse(mono, rate)
    if not analysis.onsets.has_contrast:
        raise MediaError(tr("nothing is struck in this part: its beats stay as they are."))
    rough = follow_beats(analysis.onsets, TempoCurve(analysis.tempo.fit, tempo))
    times = on_attacks(rough, analysis.attacks)
    strengths = strengths_at(times, analysis.onsets)
    return tuple(
        Beat(round(float(time) + first, 6), 1, round(float(strength), 3), _CONFIDENCE)
        for time, strength in zip(times, np.asarray(strengths), strict=True)
        if start <= time + first + _EDGE_SECONDS < end
    )
