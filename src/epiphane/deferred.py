"""Packages that load when something of them is first asked for, not when they are imported."""

import sys
from collections.abc import Iterable
from importlib import import_module
from importlib.util import find_spec, module_from_spec
from threading import RLock
from types import ModuleType
from typing import Any

HEAVY = ("av", "cv2", "uharfbuzz", "PIL.Image", "PIL.ImageDraw", "PIL.ImageFont", "PIL.ImageOps")
"""What takes a fifth of a start to load (measured in `benchmarks`, start), and is not asked for meanwhile."""


def defer(names: Iterable[str] = HEAVY) -> None:
    """Let packages load at their first use; those that are loaded already stay as they are.

    Like the standard library's `LazyLoader`, but safe where several threads ask first
    (which that became in Python 3.12).
    """
    for name in names:
        spec = None if name in sys.modules else find_spec(name)
        if spec is None or spec.loader is None:
            continue
        module = module_from_spec(spec)
        module.__class__ = _Deferred
        module.__dict__["_lock"] = RLock()
        sys.modules[name] = module
        parent, _, last = name.rpartition(".")
        if parent:
            setattr(import_module(parent), last, module)


class _Deferred(ModuleType):
    """A module that has not run yet."""

    def __getattr__(self, name: str) -> Any:  # asked for only what is not there
        state = self.__dict__
        with state["_lock"]:
            if type(self) is _Deferred and "_is_loading" not in state:
                state["_is_loading"] = True
                try:
                    self.__spec__.loader.exec_module(self)  # type: ignore[union-attr]
                    self.__class__ = ModuleType  # type: ignore[assignment]
                finally:
                    del state["_is_loading"]
            if name in state:
                return state[name]
        if type(self) is ModuleType:
            return getattr(self, name)  # what the module itself makes when asked for
        raise AttributeError(f"module {self.__name__!r} has no attribute {name!r}")
