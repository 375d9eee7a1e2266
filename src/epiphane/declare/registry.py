"""Registries of what there are several kinds of, each declared in a module of its own and found by key."""

import importlib
import pkgutil
from collections.abc import Callable
from typing import Any, Generic, Protocol, TypeVar

from epiphane.errors import ParameterError
from epiphane.log import logger, told


class Declared(Protocol):
    """What can be registered: it has a key, which is written into files and never renamed."""

    @property
    def key(self) -> str:
        """Return the key."""


T = TypeVar("T", bound=Declared)


class Registry(Generic[T]):
    """All declarations of one kind: every module of a package is imported once, and registers its own.

    Parameters
    ----------
    kind : str
        What messages call one of them.
    package : str
        Where they are declared.
    order : from one of them to what it is sorted by

    Installed packages add to them by an entry point of the group that is called as the package is: loading it
    registers what they declare. One that fails is logged and left out.
    """

    def __init__(self, kind: str, package: str, *, order: Callable[[T], Any]) -> None:
        self._kind, self._package, self._order = kind, package, order
        self._by_key: dict[str, T] = {}
        self._ordered: tuple[T, ...] = ()
        self._is_read = False

    def register(self, declared: T) -> None:
        """Add a declaration; ValueError if its key is taken."""
        if declared.key in self._by_key:
            raise ValueError(f"{self._kind} {declared.key!r}: this key is taken")
        self._by_key[declared.key] = declared
        self._ordered = tuple(sorted(self._by_key.values(), key=self._order))

    def all(self) -> tuple[T, ...]:
        """Return every declaration, in order."""
        self._read()
        return self._ordered

    def find(self, key: str) -> T | None:
        """Return the declaration of a key, or None for one that this version does not know."""
        self._read()
        return self._by_key.get(key)

    def named(self, key: str) -> T:
        """Return the declaration of a key.

        Raises
        ------
        ParameterError
            If there is none; the message lists those there are.
        """
        found = self.find(key)
        if found is None:
            known = ", ".join(declared.key for declared in self.all())
            raise ParameterError(f"there is no {self._kind} {key!r}; there are: {known}")
        return found

    def _read(self) -> None:
        if not self._is_read:
            package = importlib.import_module(self._package)
            for module in pkgutil.walk_packages(package.__path__, f"{self._package}."):
                importlib.import_module(module.name)
            self._is_read = True
            self._read_installed()

    def _read_installed(self) -> None:
        from importlib.metadata import entry_points  # late: it takes a fortieth of a second

        for entry in entry_points(group=self._package):
            try:
                entry.load()
            except Exception as error:
                logger.error("%s of an installed package left out: %s", self._kind, told(error))
