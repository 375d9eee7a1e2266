"""Bounded caches that forget what was used longest ago."""

import threading
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

import cachetools

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


class LruCache(cachetools.LRUCache[Key, Value]):
    """Values by key, up to a total size; tells what had to go. Not for several threads at once.

    Parameters
    ----------
    most : int
        Of the sizes of all values together.
    size_of : from a value to an int
        One for each value unless given, so that `most` is how many there may be.
    """

    def __init__(self, most: int, *, size_of: Callable[[Value], int] = lambda _: 1) -> None:
        super().__init__(most, getsizeof=size_of)
        self._gone: list[tuple[Key, Value]] = []

    def put(self, key: Key, value: Value) -> list[tuple[Key, Value]]:
        """Keep a value; return what had to go for it, the longest unused first.

        One that is larger than the whole cache is not kept, and nothing goes for it.
        """
        self._gone = []
        self.pop(key, None)
        if self.getsizeof(value) > self.maxsize:
            return [(key, value)]
        self[key] = value
        return self._gone

    def popitem(self) -> tuple[Key, Value]:
        """Take out the value that was used longest ago, and return it with its key."""
        gone = super().popitem()
        self._gone.append(gone)
        return gone


class SharedCache(Generic[Key, Value]):
    """Values by key for several threads: each is made once, while others that want it wait.

    Parameters
    ----------
    most : int
        How many are kept.
    """

    def __init__(self, most: int) -> None:
        self._lock = threading.Lock()
        self._values: LruCache[Key, Value] = LruCache(most)
        self._making: dict[Key, threading.Lock] = {}

    def get(self, key: Key, make: Callable[[], Value]) -> Value:
        """Return a value, made now unless it is kept."""
        with self._lock:
            found = self._values.get(key)
            if found is not None:
                return found
            making = self._making.setdefault(key, threading.Lock())
        with making:
            with self._lock:
                found = self._values.get(key)
            if found is None:
                found = make()
                with self._lock:
                    self._values.put(key, found)
                    self._making.pop(key, None)
            return found
