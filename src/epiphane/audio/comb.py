"""A constant-tempo grid fitted to attacks: its period and phase."""

import numpy as np
import scipy.fft
import scipy.ndimage as ndi
from msgspec import Struct

from epiphane.audio.attack import BINS_PER_SECOND, exact_attacks, nearest_attacks
from epiphane.audio.spectrum import HOPS_PER_SECOND
from epiphane.types import Float32Array, FloatArray

# Where attacks are known to the millisecond only, a line through them is no better than this.
_MOST_MOVED_SECONDS = 0.004
_PHASE_SECONDS = 0.002


class Comb(Struct, frozen=True):
    """Instants at ``phase + k * step`` seconds for every whole k, `parts` of them to a beat."""

    step: float
    phase: float
    parts: int = 2

    @property
    def tempo(self) -> float:
        """Beats a minute."""
        return 60 / (self.step * self.parts)

    def numbers_of(self, times: FloatArray) -> FloatArray:
        """Return the number of the instant nearest to each time, as whole floats."""
        return np.asarray(np.round((times - self.phase) / self.step))

    def nearest(self, times: FloatArray) -> FloatArray:
        """Return the instant nearest to each time, seconds."""
        return self.phase + self.numbers_of(times) * self.step

    def every_beat(self, beats: FloatArray) -> "Comb":
        """Return the comb of those instants, one to a beat, that most of these beats lie nearest to."""
        number = int(np.bincount(self.numbers_of(beats).astype(np.int64) % self.parts).argmax())
        return Comb(self.step * self.parts, self.phase + number * self.step, 1)

    def between(self, beats: FloatArray) -> FloatArray:
        """Return all instants from that nearest to the first of these beats to that of the last, seconds."""
        numbers = self.numbers_of(beats)
        return np.asarray(self.phase + np.arange(numbers.min(), numbers.max() + 1) * self.step)

    def until(self, duration: float) -> FloatArray:
        """Return all instants from 0 to `duration`, seconds."""
        # A beat on the very first sample is one, though it may be heard a little before it; one in
        # the last hundredths of a second is the beginning of what has been cut off.
        first = np.ceil((-0.005 - self.phase) / self.step)
        last = np.floor((duration - self.phase) / self.step)
        return np.maximum(self.phase + np.arange(first, last + 1) * self.step, 0.0)


def periodogram_fit(strength: Float32Array, tempo: float, *, parts: int = 2) -> Comb:
    """Return the comb near a tempo whose phase and period the onsets repeat with most clearly.

    The period is where the magnitude spectrum of the onset strength, summed at one, two and four times the
    beat rate, is greatest within 3 % of the tempo (a harmonic sum, as in the estimation of pitch); the phase
    is that of the Fourier coefficient there.

    Parameters
    ----------
    strength : float32, shape (n_hops,), from `onset_strength`, at `HOPS_PER_SECOND`
    tempo : float, BPM
    parts : int
        Teeth of the comb to a beat.
    """
    signal = strength - strength.mean()
    seconds = len(signal) / HOPS_PER_SECOND
    n_fft = scipy.fft.next_fast_len(8 * len(signal))
    magnitude = np.abs(scipy.fft.rfft(signal, n_fft))
    frequency = np.arange(len(magnitude)) * HOPS_PER_SECOND / n_fft
    beat = 60 / tempo
    # Steps that move the last beat by 4 ms.
    step = 0.004 * beat / seconds
    periods = beat + np.arange(-int(0.03 * beat / step), int(0.03 * beat / step) + 1) * step
    score = sum(np.interp(n / periods, frequency, magnitude) for n in (1, 2, 4))
    period = float(periods[int(np.argmax(score))])
    times = np.arange(len(signal)) / HOPS_PER_SECOND
    step = period / parts
    turn = np.angle(np.sum(signal * np.exp(-2j * np.pi * times / step)))
    return Comb(step, float(-turn / (2 * np.pi) % 1 * step), parts)


def phased(attacks: Float32Array, comb: Comb) -> Comb:
    """Return the comb at the phase, of all there are, where it meets the most attacks.

    The phase of a periodogram is that of everything that sounds: a bass between the beats pulls it
    farther from the drums than `comb_fit` looks, which would then slant the comb instead.

    Parameters
    ----------
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    comb : Comb
        Its period stays; phases are tried 2 ms apart.
    """
    smooth = ndi.gaussian_filter1d(np.minimum(attacks, 6.0), 4.0)
    teeth = np.arange(0, len(smooth) / BINS_PER_SECOND - comb.step, comb.step)
    shifts = np.arange(0, comb.step, _PHASE_SECONDS)
    met = [_between(smooth, (teeth + shift) * BINS_PER_SECOND).mean() for shift in shifts]
    return Comb(comb.step, float(shifts[int(np.argmax(met))]), comb.parts)


def _between(values: Float32Array, places: FloatArray) -> FloatArray:
    """Return values between whole places, by straight lines; before the first and after the last they stay.

    `numpy.interp` would make float64 copies of a whole song at each call.
    """
    places = np.clip(places, 0, len(values) - 1)
    first = np.minimum(places.astype(np.int64), len(values) - 2)
    low = values[first].astype(np.float64)
    return np.asarray(low + (values[first + 1] - low) * (places - first))


def comb_fit(attacks: Float32Array, comb: Comb, beats: FloatArray) -> Comb:
    """Return the comb moved and stretched a little to where it meets the most attacks.

    A search over period and phase in three passes, each finer: 20, 2.5 and 0.4 ms about the best so far.

    Parameters
    ----------
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    comb : Comb
    beats : float64, shape (n_beats,), seconds, ascending
        The comb is fitted from the first of them to the last.
    """
    smooth = ndi.gaussian_filter1d(np.minimum(attacks, 6.0), 3.0)
    numbers = comb.numbers_of(beats)
    numbers = np.arange(numbers.min(), numbers.max() + 1)
    middle, half = (numbers[0] + numbers[-1]) / 2, max((numbers[-1] - numbers[0]) / 2, 1.0)
    period, centre = comb.step, comb.phase + comb.step * middle
    for reach, n_steps in ((0.020, 21), (0.0025, 21), (0.0004, 9)):
        shifts = np.linspace(-reach, reach, n_steps)
        score = np.empty((n_steps, n_steps))
        for row, change in enumerate(shifts / half):
            times = centre + shifts[:, None] + (period + change) * (numbers - middle)
            score[row] = _between(smooth, times * BINS_PER_SECOND).mean(axis=1)
        best_period, best_shift = np.unravel_index(int(score.argmax()), score.shape)
        period, centre = period + shifts[best_period] / half, centre + shifts[best_shift]
    return Comb(float(period), float(centre - period * middle), comb.parts)


def refined(mono: Float32Array, rate: int, comb: Comb, attacks: Float32Array, beats: FloatArray) -> Comb:
    """Return the comb through those attacks near the beats that are known to the sample.

    A whole number of BPM is taken if the song cannot be told from it.

    Parameters
    ----------
    mono : float32, shape (n_samples,)
    rate : int, samples / second
    comb : Comb
    attacks : float32, shape (n_milliseconds,), from `attack_curve`
    beats : float64, shape (n_beats,), seconds, ascending

    Returns
    -------
    Comb
        A least-squares line through the attacks; as it was, save for a whole tempo, where fewer than a
        quarter of the beats have one.
    """
    numbers, times = _exact_hits(mono, rate, comb, attacks, beats)
    if len(numbers) < max(4, 0.25 * len(beats)):
        return _round_tempo(comb, beats)
    line = _line_fit(numbers, times, comb)
    off = times - line.phase - numbers * line.step
    spread = float(np.median(np.abs(off - np.median(off))))
    fitted = _round_tempo(line, beats, most_moved=min(max(2 * spread, 0.0005), _MOST_MOVED_SECONDS))
    shift = float(np.median(times - fitted.phase - numbers * fitted.step))
    return Comb(fitted.step, fitted.phase + shift, fitted.parts)


def _round_tempo(comb: Comb, beats: FloatArray, *, most_moved: float = _MOST_MOVED_SECONDS) -> Comb:
    """Take the whole number of BPM if the song cannot be told from it: that is what people set.

    It cannot if that moves the first and last beat by `most_moved` seconds at most.
    """
    whole = round(comb.tempo)
    step = 60 / (whole * comb.parts)
    middle = round(((beats[0] + beats[-1]) / 2 - comb.phase) / comb.step)
    moved = abs(step - comb.step) * (beats[-1] - beats[0]) / 2 / comb.step
    if moved > most_moved or abs(comb.tempo - whole) > 0.05:
        return comb
    return Comb(step, comb.phase + middle * (comb.step - step), comb.parts)


def _exact_hits(
    mono: Float32Array, rate: int, comb: Comb, attacks: Float32Array, beats: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Return the instant's number and the time of attacks known to the sample, near the beats."""
    numbers = comb.numbers_of(beats)
    near = nearest_attacks(attacks, comb.nearest(beats), reach=0.020, tendency=0.012)
    known = np.isfinite(near)
    times = exact_attacks(mono, rate, near[known])
    exact = np.isfinite(times)
    return numbers[known][exact], times[exact]


def _line_fit(numbers: FloatArray, times: FloatArray, comb: Comb) -> Comb:
    """Fit period and phase to attack times by least squares, leaving out those that lie apart."""
    period, phase = comb.step, comb.phase
    for _ in range(8):
        off = times - phase - numbers * period
        off -= np.median(off)
        kept = np.abs(off) <= max(0.001, 2.5 * float(np.median(np.abs(off))))
        if np.ptp(numbers[kept]) < 2:
            break
        period, phase = np.polyfit(numbers[kept], times[kept], 1)
    return Comb(float(period), float(phase), comb.parts)
