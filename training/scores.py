"""How right what was heard is: scores against the truth, most of them of mir_eval."""

import mir_eval
import numpy as np

from epiphane.types import FloatArray


def beat_f(truth: FloatArray, found: FloatArray, window: float = 0.07) -> float:
    """Return the F measure of beats within `window` seconds; the first five seconds do not count."""
    truth, found = mir_eval.beat.trim_beats(truth), mir_eval.beat.trim_beats(np.asarray(found, float))
    if len(truth) == 0 or len(found) == 0:
        return 0.0
    return float(mir_eval.beat.f_measure(truth, found, f_measure_threshold=window))


def onset_f(truth: FloatArray, found: FloatArray, window: float = 0.05) -> float:
    """Return the F measure of hits within `window` seconds."""
    if len(truth) == 0 or len(found) == 0:
        return float(len(truth) == len(found))
    return float(mir_eval.onset.f_measure(truth, np.sort(found), window=window)[0])
