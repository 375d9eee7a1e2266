"""Packages that load when something of them is first asked for, not when they are imported."""

import sys
from collections.abc import Iterable
from importlib import import_module
from importlib.util import find_spec
from threading import RLock
from types import ModuleType
from typing import Any

HEAVY = (
    *("av", "cv2", "soxr", "uharfbuzz", "bidi.algorithm", "zipfile"),
    *("PIL.Image", "PIL.ImageDraw", "PIL.ImageFont", "PIL.ImageOps"),
)
"""What takes a fifth of a start to load (measured in `benchmarks`, start), and nobody asks for meanwhile."""


def defer(names: Iterable[str] = HEAVY) -> None:
    """Let packages load at their first use; those that are loaded already stay as they are."""
    for name in names:
        if name not in sys.modules and find_spec(name) is not None:
            parent, _, last = name.rpartition(".")
            sys.modules[name] = stand_in = _StandIn(name)
            if parent:
                setattr(import_module(parent), last, stand_in)


class _StandIn(ModuleType):
    """What stands for a module that is not loaded yet, and passes on what is asked of it.

    The standard library's `LazyLoader` runs a module without the lock of its import, and so twice or halfway
    where several threads ask first; here the module is imported as any other is.
    """

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.__dict__["_lock"] = RLock()

    def __getattr__(self, name: str) -> Any:  # of what is not kept here yet
        if name == "_lock":
            raise AttributeError(name)
        found = self.__dict__[name] = getattr(self._loaded(), name)
        return found

    def __setattr__(self, name: str, value: object) -> None:
        self.__dict__.pop(name, None)
        setattr(self._loaded(), name, value)

    def _loaded(self) -> ModuleType:
        name = self.__name__
        with self._lock:
            if sys.modules.get(name) is self:
                del sys.modules[name]
            return import_module(name)
