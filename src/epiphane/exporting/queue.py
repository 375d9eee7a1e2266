"""The queue of exports: a private folder on disk, and the one process that works through it.

Each export has a folder of its own with three small files: ``order`` is what is to be made, ``wish`` what
the user wants of it now, ``state`` how far it is. Each has one writer (who asks, who asks, who works), so
nobody has to wait for anybody, and what a crash leaves is taken up from its last whole chunk.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import shutil
import time
from collections.abc import Callable
from enum import Enum
from pathlib import Path
from typing import TypeVar

import msgspec
import platformdirs
from msgspec import Struct
from msgspec.structs import replace

from epiphane.disk import is_file, open_own, private_folder, read_file, withhold, write_atomically
from epiphane.errors import CancelledError, DiskError, EpiphaneError
from epiphane.exporting.order import ExportOrder, decode_order, encode_order
from epiphane.exporting.progress import ExportProgress
from epiphane.formats.declare import FilmOutput
from epiphane.log import logger, told
from epiphane.wording import tr

_MOST_ORDER_BYTES, _MOST_BYTES = 80 << 20, 1 << 20
_ORDER, _WISH, _STATE, _LOCK = "order.json", "wish.json", "state.json", "at-work"
_LOOK_SECONDS = 0.25
_N_TRIES, _TRY_SECONDS = 10, 0.03
_MOST_READY = 6
"""Exports that are ready and stay in the list until they are cleared; older ones go when another comes."""
_MOST_STARTS = 3
"""How often an export is begun that ends the process: then it is the export."""


class Stage(Enum):
    """Where an export stands."""

    WAITING = "waiting"
    RUNNING = "running"
    PAUSED = "paused"
    DONE = "done"
    FAILED = "failed"


class _Wish(Struct, frozen=True):
    """What the user wants of an export: its place in the queue, and whether it goes on."""

    path: str
    place: float
    is_paused: bool = False
    is_stopped: bool = False


class _State(Struct, frozen=True):
    """How far an export is, and how it ended: `words` are what is to be said then."""

    n_starts: int = 0
    progress: ExportProgress | None = None
    ended: Stage | None = None
    words: tuple[str, ...] = ()


class QueuedExport(Struct, frozen=True):
    """An export of the queue as it is now; `words` say what went wrong, or is to be known, at its end."""

    id: str
    path: Path
    stage: Stage
    progress: ExportProgress | None = None
    words: tuple[str, ...] = ()

    @property
    def is_open(self) -> bool:
        """Whether it is still to be made, or is being made."""
        return self.stage in (Stage.WAITING, Stage.RUNNING)

    @property
    def share(self) -> float:
        """How much of it is done, 0..1."""
        if self.stage is Stage.DONE:
            return 1.0
        return 0.0 if self.progress is None else self.progress.n_done / max(1, self.progress.n_frames)


Tell = Callable[[QueuedExport], None]


class ExportQueue:
    """The exports of a folder, which is made if need be.

    Raises
    ------
    DiskError
        From every method, if the folder cannot be read or written.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @classmethod
    def of_user(cls) -> ExportQueue:
        """Return that of this user."""
        return cls(Path(platformdirs.user_state_dir("epiphane")) / "exports")

    # For who asks.

    def add(self, order: ExportOrder) -> str:
        """Put an export at the end of the queue, and return its id."""
        ready = [entry.id for entry in self.entries() if entry.stage is Stage.DONE]
        for old in ready[:-_MOST_READY]:
            self.forget(old)
        entries = self._ids()
        name = f"{time.time_ns():020d}-{secrets.token_hex(4)}"
        last = max((wish.place for one in entries if (wish := self._wish(one)) is not None), default=0.0)
        made = private_folder(private_folder(self._folder) / name)
        write_atomically(made / _ORDER, encode_order(order))
        self._write(name, _WISH, _Wish(str(order.path.absolute()), last + 1))  # last: with it, it counts
        return name

    def entries(self) -> list[QueuedExport]:
        """Return all exports: those that have ended, the one at work, and the others in their order."""
        running = self._at_work()
        found = [(self._wish(one), one) for one in self._ids()]
        shown = []
        for wish, one in sorted(((wish, one) for wish, one in found if wish is not None), key=_place):
            if not wish.is_stopped:
                shown.append(self._entry(one, wish, running))
        order = {Stage.DONE: 0, Stage.FAILED: 0, Stage.RUNNING: 1}
        return sorted(shown, key=lambda entry: order.get(entry.stage, 2))

    def pause(self, name: str, is_paused: bool = True) -> None:
        """Have an export wait, what is ready of it kept, or go on."""
        self._wish_changed(name, is_paused=is_paused)

    def stop(self, name: str) -> None:
        """Have an export given up, and what is ready of it thrown away, by the process at work."""
        self._wish_changed(name, is_stopped=True)

    def try_again(self, name: str) -> None:
        """Have an export that failed be made once more; what is ready of it is kept."""
        self._write(name, _STATE, _State())
        self._wish_changed(name, is_paused=False)

    def put_first(self, name: str) -> None:
        """Have an export be made before the others that wait."""
        places = [wish.place for one in self._ids() if (wish := self._wish(one)) is not None]
        self._wish_changed(name, place=min(places, default=0.0) - 1)

    def forget(self, name: str) -> None:
        """Take an export that has ended out of the list."""
        shutil.rmtree(self._folder / name, ignore_errors=True)

    def is_at_work(self) -> bool:
        """Whether a process works through the queue."""
        return self._at_work() is not None

    def _at_work(self) -> str | None:
        """Return the export that the process at work makes now, empty between two; None without a process."""
        with contextlib.suppress(DiskError):
            lock = open_own(self._folder / _LOCK, os.O_RDWR)
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                return os.pread(lock, 100, 0).decode(errors="replace")
            finally:
                os.close(lock)
        return None

    def has_work(self) -> bool:
        """Whether there is something to be done: an export to be made or to be given up."""
        return self._next() is not None

    # For who works.

    def work(self, tell: Tell = lambda entry: None) -> bool:
        """Make every export that waits, one after the other, until there is none.

        Parameters
        ----------
        tell
            Called with each export that has ended.

        Returns
        -------
        Whether this process did so; False where another is at it.
        """
        private_folder(self._folder)
        lock = open_own(self._folder / _LOCK, os.O_RDWR | os.O_CREAT)
        try:
            if not _locked(lock):
                return False
            while (name := self._next()) is not None:
                os.ftruncate(lock, 0)
                os.pwrite(lock, name.encode(), 0)
                wish = self._wish(name)
                if wish is not None and wish.is_stopped:
                    self._discard(name)
                else:
                    self._make(name)
                    if (wish := self._wish(name)) is not None and not wish.is_stopped:
                        entry = self._entry(name, wish)
                        if entry.stage in (Stage.DONE, Stage.FAILED):
                            tell(entry)
        finally:
            os.close(lock)
        return True

    def _next(self) -> str | None:
        """Return what is to be done next: first what is to be given up, then by place."""
        wanted = []
        for one in self._ids():
            wish, state = self._wish(one), self._state(one)
            if wish is not None and (wish.is_stopped or not (wish.is_paused or state.ended)):
                wanted.append((not wish.is_stopped, wish.place, one))
        return min(wanted)[2] if wanted else None

    def _make(self, name: str) -> None:
        """Make an export, and write down how it ended."""
        state = self._state(name)
        state = _State(n_starts=state.n_starts + 1)
        self._write(name, _STATE, state)
        try:
            if state.n_starts > _MOST_STARTS:
                raise DiskError(tr("it has ended the program each time that it was begun: report it, please"))
            order = decode_order(read_file(self._folder / name / _ORDER, most_bytes=_MOST_ORDER_BYTES))
            faults = self._made(name, order)
        except CancelledError:
            wish = self._wish(name)
            if wish is not None and not wish.is_stopped:
                self._write(name, _STATE, _State(progress=self._state(name).progress))
            return
        except EpiphaneError as error:
            logger.info("export: %s", told(error))
            ended = _State(ended=Stage.FAILED, words=(str(error),))
        except Exception as error:
            logger.error("export: %s", told(error))
            words = tr("the export failed: {error}", error=error)
            ended = _State(ended=Stage.FAILED, words=(words,))
        else:
            ended = _State(ended=Stage.DONE, words=tuple(dict.fromkeys(faults)))
        self._write(name, _STATE, replace(ended, progress=self._state(name).progress))

    def _made(self, name: str, order: ExportOrder) -> list[str]:
        """Make an export, looking now and then whether it is still wanted; return what is to be said."""
        state, looked = self._state(name), 0.0

        def report(progress: ExportProgress) -> None:
            nonlocal looked
            if time.monotonic() - looked < _LOOK_SECONDS:
                return
            looked = time.monotonic()
            wish = self._wish(name)
            if wish is None or wish.is_paused or wish.is_stopped:
                raise CancelledError("paused or stopped by the user")
            self._write(name, _STATE, replace(state, progress=progress))

        def keeps_chunks() -> bool:
            wish = self._wish(name)
            return wish is not None and wish.is_paused and not wish.is_stopped

        from epiphane.exporting.export import export

        withhold(order.withheld)
        try:
            return export(
                order.project,
                order.path,
                settings=order.settings,
                frames=order.range,
                may_replace=order.may_replace,
                reads=order.reads,
                report=report,
                keeps_chunks=keeps_chunks,
                farm=order.farm,
            )
        finally:
            withhold(())

    def _discard(self, name: str) -> None:
        """Throw an export away, and the chunks that are ready of it."""
        from epiphane.exporting.film import chunk_folder, film_of

        with contextlib.suppress(EpiphaneError):
            order = decode_order(read_file(self._folder / name / _ORDER, most_bytes=_MOST_ORDER_BYTES))
            if isinstance(order.settings.of_format().output, FilmOutput):
                film = film_of(order.project, order.path, order.settings, frames=order.range)
                with chunk_folder(film, is_shared=False) as chunks:
                    chunks.remove()
        self.forget(name)

    # Files.

    def _ids(self) -> list[str]:
        try:
            return sorted(one.name for one in self._folder.iterdir() if is_file(one / _WISH))
        except FileNotFoundError:
            return []

    def _entry(self, name: str, wish: _Wish, running: str | None = None) -> QueuedExport:
        state = self._state(name)
        stage = state.ended
        if stage is None:
            others = Stage.PAUSED if wish.is_paused else Stage.WAITING
            stage = Stage.RUNNING if name == running else others
        return QueuedExport(name, Path(wish.path), stage, state.progress, state.words)

    def _wish(self, name: str) -> _Wish | None:
        return self._read(name, _WISH, _Wish)

    def _wish_changed(self, name: str, **changes: object) -> None:
        wish = self._wish(name)
        if wish is not None:
            self._write(name, _WISH, replace(wish, **changes))

    def _state(self, name: str) -> _State:
        return self._read(name, _STATE, _State) or _State()

    def _read(self, name: str, file: str, kind: type[_T]) -> _T | None:
        """Return what a file holds, or None where it is not there, or not as it was written."""
        try:
            return msgspec.json.decode(
                read_file(self._folder / name / file, most_bytes=_MOST_BYTES), type=kind
            )
        except (DiskError, ValueError, RecursionError):
            return None

    def _write(self, name: str, file: str, content: Struct) -> None:
        if (self._folder / name).is_dir():
            write_atomically(self._folder / name / file, msgspec.json.encode(content))


def _locked(lock: int) -> bool:
    """Take a lock; False where another process has it for longer than a look at it takes."""
    for _ in range(_N_TRIES):
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            time.sleep(_TRY_SECONDS)
        else:
            return True
    return False


_T = TypeVar("_T")


def _place(found: tuple[_Wish, str]) -> tuple[float, str]:
    return found[0].place, found[1]
