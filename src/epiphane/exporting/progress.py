"""How far an export is."""

from collections.abc import Callable

from msgspec import Struct


class ExportProgress(Struct, frozen=True):
    """How far an export is: frames done and in all, and the seconds it has taken.

    Of the frames that are done some may have been ready before: `n_ready`.
    """

    n_done: int
    n_frames: int
    elapsed: float
    n_ready: int = 0

    @property
    def remaining(self) -> float | None:
        """Seconds still to go at the pace so far, or None before there is one."""
        n_drawn = self.n_done - self.n_ready
        if n_drawn < 3:
            return None
        return self.elapsed / n_drawn * (self.n_frames - self.n_done)


Report = Callable[[ExportProgress], None]
