"""Names for the array types that cross module borders."""

from collections.abc import Callable
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

FloatArray: TypeAlias = NDArray[np.float64]
Float32Array: TypeAlias = NDArray[np.float32]
IntArray: TypeAlias = NDArray[np.int64]
BoolArray: TypeAlias = NDArray[np.bool_]

ByteArray: TypeAlias = NDArray[np.uint8]

Picture: TypeAlias = NDArray[np.uint8]
"""uint8, (height, width, 3), BGR, full range, contiguous."""

Pixels: TypeAlias = NDArray[np.integer[Any] | np.floating[Any]]
"""A picture or one component of it, while it is being made: uint8, or float32 in the same levels."""

Plane: TypeAlias = NDArray[np.uint8]
"""uint8, (height, width), one component of a picture."""

Size: TypeAlias = tuple[int, int]
"""(width, height) in pixels."""

Progress: TypeAlias = Callable[[float], None]
"""Called with the share of the work that is done, 0 to 1; raises CancelledError to stop it."""


def ignore_progress(share: float) -> None:
    """Do nothing: the default where progress is not shown."""
