"""Epiphane keys visual effects to the beats of a song."""

import os

__version__ = "0.1.0"

# Read when NumPy is first imported. Frames are drawn beside each other, and matrices are small: the threads
# of linear algebra only wait for a free core, 7 ms for a 3x3 matrix on a busy machine instead of 0.05.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
