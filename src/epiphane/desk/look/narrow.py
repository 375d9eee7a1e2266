"""What gives way where a row has less room than it needs: small screens, and large text."""

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QLayout


def fit_across(row: QLayout, room: int, ways: Sequence[Callable[[bool], object]]) -> None:
    """Have a row fit into `room` pixels: each way is taken (True), in turn, until it does.

    Those that need not be taken are undone (False).
    """
    for way in ways:
        way(False)
    for way in ways:
        row.invalidate()  # a row in another is told of its widgets' coming and going only later
        if row.minimumSize().width() <= room:
            return
        way(True)
