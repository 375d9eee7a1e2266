"""Smooth noise over an area, the same for the same seeds."""

from collections.abc import Sequence

import cv2
import numpy as np

from epiphane.types import Float32Array, Size


def clouds(seeds: Sequence[int], size: Size, n_across: int, octaves: int = 3) -> Float32Array:
    """Return smooth noise over an area, float32, shape (height, width), mostly 0 to 1, .5 on the mean.

    Lumps, `n_across` of the largest over the width, and others half as large and half as strong each time.
    """
    generator = np.random.default_rng([int(seed) for seed in seeds])
    width, height = size
    field, total = np.zeros((height, width), np.float32), 0.0
    for octave in range(octaves):
        across = n_across * 2**octave
        shape = max(2, round(across * height / width)) + 1, across + 1
        lumps = generator.random(shape).astype(np.float32)
        field += np.float32(0.5**octave) * cv2.resize(lumps, size, interpolation=cv2.INTER_CUBIC)
        total += 0.5**octave
    return field / np.float32(total)
