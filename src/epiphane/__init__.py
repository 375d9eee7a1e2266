"""Epiphane keys visual effects to the beats of a song.

Scripts and notebooks use what is named in `__all__`; see docs/scripting.md.
"""

import os
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from epiphane.scripting import export, listen, load, picture_at, plan

__version__ = "0.1.0"
__all__ = ["export", "listen", "load", "picture_at", "plan"]

# Read when NumPy and OpenCV are first imported. Frames are drawn beside each other, and matrices are small:
# threads of theirs only wait for a free core, 7 ms for a 3x3 matrix on a busy machine instead of 0.05.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OPENCV_FOR_THREADS_NUM", "1")
os.environ.setdefault("OPENCV_OPENCL_DEVICE", "disabled")


def __getattr__(name: str) -> object:
    """Return what scripts use; it is loaded when it is first asked for, so that the window need not."""
    if name in __all__:
        from epiphane import scripting

        return getattr(scripting, name)
    raise AttributeError(f"module 'epiphane' has no attribute {name!r}")
