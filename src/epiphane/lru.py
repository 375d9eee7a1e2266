"""A bounded cache that forgets what was used longest ago."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


class LruCache(Generic[Key, Value]):
    """Values by key, up to a total size. Not for several threads at once.

    Parameters
    ----------
    most : int
        Of the sizes of all values together.
    size_of : from a value to an int
        One for each value unless given, so that `most` is how many there may be.
    n_least : int
        So many are kept however large they are.
    """

    def __init__(self, most: int, *, size_of: Callable[[Value], int] = lambda _: 1, n_least: int = 0) -> None:
        self._values: OrderedDict[Key, Value] = OrderedDict()
        self._most, self._size_of, self._n_least = most, size_of, n_least
        self._size = 0

    def __contains__(self, key: Key) -> bool:
        return key in self._values

    def __len__(self) -> int:
        return len(self._values)

    def get(self, key: Key) -> Value | None:
        """Return a value, which is then the one used last, or None."""
        found = self._values.get(key)
        if found is not None:
            self._values.move_to_end(key)
        return found

    def put(self, key: Key, value: Value) -> list[tuple[Key, Value]]:
        """Keep a value; return what had to go for it, the longest unused first."""
        old = self._values.pop(key, None)
        self._size += self._size_of(value) - (self._size_of(old) if old is not None else 0)
        self._values[key] = value
        gone = []
        while self._size > self._most and len(self._values) > self._n_least:
            gone.append(self._values.popitem(last=False))
            self._size -= self._size_of(gone[-1][1])
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
