"""A pool of open footage files, and decoding of their pictures."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path

from epiphane.disk import why_unreadable
from epiphane.document.timeline import Between
from epiphane.errors import CancelledError, MediaError
from epiphane.lru import SharedCache
from epiphane.media.clip import Clip
from epiphane.media.in_between import STEPS, Movement, mixed, moved_between, movement_between
from epiphane.media.placeholder import placeholder
from epiphane.media.proxy import ProxyStore
from epiphane.media.raw import RawPicture
from epiphane.media.still import Still, is_still
from epiphane.render.nodes import SourceFrame

_MOST_OPEN = 16
# Stills and the pictures kept of clips; a still of 4096 pixels a side takes 48 MB.
_MOST_BYTES = 320 << 20
# Of pairs of pictures, between which others are looked for: 1 MB each, or 4 for an export.
_MOST_MOVEMENTS = 12

_Opened = Clip | Still | MediaError


class OpenFootage:
    """The clips and stills that a project draws from; may be used from several threads.

    Parameters
    ----------
    proxies : ProxyStore or None
        With it, footage that has a proxy is read from there: for previews.
    most_open : int
        Files that are open at once; the longest unused is closed.
    most_bytes : int
        Of the pictures that they keep.
    next_use : from a path to a number, or None
        When a file is wanted next, if that is known: the one wanted last of all is closed first. Clips that
        come in turn would all be closed just before their turn otherwise.
    """

    def __init__(
        self,
        proxies: ProxyStore | None = None,
        *,
        most_open: int = _MOST_OPEN,
        most_bytes: int = _MOST_BYTES,
        next_use: Callable[[str], float] | None = None,
    ) -> None:
        self._proxies = proxies
        self._most_open, self._most_bytes = most_open, most_bytes
        self._next_use = next_use
        self._is_stopped = False
        self._lock = threading.Lock()
        self._files: OrderedDict[tuple[str, str], _Opened] = OrderedDict()
        self._opening: dict[tuple[str, str], threading.Lock] = {}
        self._faults: dict[str, str] = {}
        self._movements: SharedCache[tuple[str, str, int], Movement] = SharedCache(_MOST_MOVEMENTS)

    def picture(self, source: SourceFrame) -> RawPicture:
        """Return a picture, or a placeholder that says why there is none.

        Raises
        ------
        CancelledError
            Once it is stopped.
        """
        if self._is_stopped:
            raise CancelledError("stopped")
        opened = self._open(source.path, source.fingerprint)
        if isinstance(opened, MediaError):
            return placeholder(str(opened))
        try:
            picture = self._read(opened, source)
        except MediaError as error:
            if self._proxies is not None and opened.path != Path(source.path):
                self._proxies.discard(source.fingerprint)  # the proxy is damaged, not the footage
                self.forget(source.fingerprint)
                return self.picture(source)
            self._faults[source.path] = str(error)
            return placeholder(str(error))
        if isinstance(opened, Clip) and opened.n_missing and opened.path == Path(source.path):
            text = f"{opened.path.name} is damaged in places; the picture before them is held."
            self._faults.setdefault(source.path, text)
        elif isinstance(opened, Still) and opened.remark:
            self._faults.setdefault(source.path, opened.remark)
        self._make_room()
        return picture

    def _read(self, opened: Clip | Still, source: SourceFrame) -> RawPicture:
        """Return the picture that is meant: one of the file, or what is between two of them."""
        index = opened.index_at(source.seconds)
        if source.between is Between.NEAREST or isinstance(opened, Still):
            return opened.read(index)
        step = round(STEPS * opened.share_at(source.seconds, index))
        if step in (0, STEPS):
            return opened.read(index + (step == STEPS))
        first, second = opened.read(index), opened.read(index + 1)
        share = step / STEPS
        if source.between is Between.BLEND or first.shape != second.shape:
            return mixed(first, second, share)
        key = str(opened.path), source.fingerprint, index
        movement = self._movements.get(key, lambda: self._movement(first, second))
        return moved_between(first, second, movement, share, is_preview=self._proxies is not None)

    def _movement(self, first: RawPicture, second: RawPicture) -> Movement:
        return movement_between(first, second, is_preview=self._proxies is not None)

    def pair(self, source: SourceFrame) -> tuple[RawPicture, RawPicture] | None:
        """Return the pictures before and after an instant of a clip, or None where there are not two.

        Raises
        ------
        MediaError
            If they cannot be decoded.
        """
        opened = self._open(source.path, source.fingerprint)
        if not isinstance(opened, Clip):
            return None
        index = min(opened.index_at(source.seconds), opened.n_pictures - 2)
        return None if index < 0 else (opened.read(index), opened.read(index + 1))

    def faults(self) -> list[str]:
        """Return what went wrong so far, a sentence for each file."""
        return list(self._faults.values())

    def faults_by_path(self) -> dict[str, str]:
        """Return what went wrong so far, by the path of the file."""
        return dict(self._faults)

    def forget_faults(self) -> None:
        """Try files again that could not be opened: they may have been put back."""
        with self._lock:
            self._faults.clear()
            for key in [key for key, found in self._files.items() if isinstance(found, MediaError)]:
                del self._files[key]

    def forget(self, fingerprint: str) -> None:
        """Open some footage anew when it is next wanted: there is a proxy of it now."""
        # Not closed: another thread may be reading it, and its last holder closes it.
        with self._lock:
            for key in [key for key in self._files if key[1] == fingerprint]:
                del self._files[key]

    def stop(self) -> None:
        """Have what reads a picture, in whichever thread, raise `CancelledError` soon; there are no more."""
        self._is_stopped = True
        with self._lock:
            clips = [found for found in self._files.values() if isinstance(found, Clip)]
        for clip in clips:
            clip.stop()

    def close(self) -> None:
        """Close every file."""
        with self._lock:
            files = list(self._files.values())
            self._files.clear()
        for found in files:
            if not isinstance(found, MediaError):
                found.close()

    def _open(self, path: str, fingerprint: str) -> _Opened:
        key = (path, fingerprint)
        with self._lock:
            found = self._files.get(key)
            if found is not None:
                self._files.move_to_end(key)
                return found
            opening = self._opening.setdefault(key, threading.Lock())
        with opening:  # others go on with files that are open
            with self._lock:
                found = self._files.get(key)
            if found is None:
                found = self._opened(path, fingerprint)
                with self._lock:
                    self._files[key] = found
                    self._opening.pop(key, None)
                self._make_room()
            return found

    def _make_room(self) -> None:
        """Let go of what was unused for longest, as far as there are too many files or too much in memory."""
        with self._lock:
            n_files = len(self._files)
            while n_files > 1 and (n_files > self._most_open or self._n_bytes() > self._most_bytes):
                del self._files[self._least_wanted()]
                n_files -= 1

    def _least_wanted(self) -> tuple[str, str]:
        """Return the file to be closed first; never the one used just now."""
        idle = list(self._files)[:-1]
        next_use = self._next_use
        return idle[0] if next_use is None else max(idle, key=lambda key: next_use(key[0]))

    def _n_bytes(self) -> int:
        return sum(found.n_bytes for found in self._files.values() if not isinstance(found, MediaError))

    def _opened(self, path: str, fingerprint: str) -> _Opened:
        try:
            return self._proxy(path, fingerprint) or _file(Path(path))
        except MediaError as error:
            self._faults[path] = str(error)
            return error

    def _proxy(self, path: str, fingerprint: str) -> Clip | Still | None:
        """Return the open proxy of footage that may be read; one that is damaged is discarded."""
        proxy = None if self._proxies is None else self._proxies.find(fingerprint)
        if self._proxies is None or proxy is None or why_unreadable(Path(path)):
            return None
        try:
            return _file(proxy)
        except MediaError:
            self._proxies.discard(fingerprint)
            return None


def _file(path: Path) -> Clip | Still:
    return Still(path) if is_still(path) else Clip(path)
