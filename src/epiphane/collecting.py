"""When Python looks for garbage: not while modules load or the window is made."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def collection_paused() -> Iterator[None]:
    """Look for no garbage inside, and never for any in what is made there: it is there to the end.

    Looking takes a fifth of a start (measured in `benchmarks`, start), and finds nothing.
    """
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        if was_on:
            gc.enable()
