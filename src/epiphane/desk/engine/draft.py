"""When playing draws its pictures smaller, so that they come on time, and when sharp again."""

from collections import deque

_LOOKED_BACK, _MOST_LATE = 15, 3
"""Pictures that are looked at, and how many of them may be late."""
_CALM_SECONDS, _MOST_CALM_SECONDS = 1.5, 24.0


class DraftChoice:
    """Whether pictures are drafts for now: smaller than they are seen.

    They are from when several of the last ones were late, until everything that is wanted ahead has been
    drawn for a while. Each time that was too early it takes twice as long, so that nothing flickers.
    """

    def __init__(self) -> None:
        self.is_draft = False
        self._late: deque[bool] = deque(maxlen=_LOOKED_BACK)
        self._calm_since: float | None = None
        self._patience = _CALM_SECONDS / 2

    def note(self, *, is_late: bool, is_ahead: bool, now: float) -> bool:
        """Take note of a picture that has come due, and return whether those to come are drafts.

        Parameters
        ----------
        is_late : bool
            Whether it was not there, or one before it has been passed over.
        is_ahead : bool
            Whether all that is wanted after it is there.
        now : float
            Seconds of any clock.
        """
        self._late.append(is_late)
        if not self.is_draft:
            if sum(self._late) >= _MOST_LATE:
                self._turn(is_draft=True)
                self._patience = min(2 * self._patience, _MOST_CALM_SECONDS)
        elif is_late or not is_ahead:
            self._calm_since = None
        elif self._calm_since is None:
            self._calm_since = now
        elif now - self._calm_since >= self._patience:
            self._turn(is_draft=False)
        return self.is_draft

    def _turn(self, *, is_draft: bool) -> None:
        self.is_draft, self._calm_since = is_draft, None
        self._late.clear()
