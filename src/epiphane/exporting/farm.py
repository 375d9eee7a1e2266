"""Chunks of a film made by the workers of a Dask cluster (the extra ``farm``).

Each chunk is a task; its bytes come back and are put into the film's chunk folder, so the film is the same
to the byte as one that was made here. Workers read the footage themselves, under the same paths.
"""

from __future__ import annotations

import contextlib
import socket
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import uuid4

from msgspec import Struct
from msgspec.structs import replace

from epiphane.disk import is_file, read_file, write_atomically
from epiphane.document.matte import Matte
from epiphane.errors import CancelledError, DiskError, MediaError
from epiphane.exporting.chunks import makers
from epiphane.exporting.film import Drawing, Film, film_of, film_output
from epiphane.exporting.film_file import make_chunks
from epiphane.exporting.order import ExportOrder, decode_order, encode_order
from epiphane.exporting.progress import ExportProgress
from epiphane.facts.mattes import needed_mattes
from epiphane.files.project import named_files
from epiphane.heap import tune_heap
from epiphane.media.mattes import MOST_MATTE_BYTES, find_matte, keep_matte, make_matte, matte_key
from epiphane.wording import tr

if TYPE_CHECKING:
    from distributed import Client, Future

_CONNECTING_SECONDS, _WORKERS_SECONDS, _LOST_SECONDS = 10.0, 15.0, 20.0
_MOST_CHUNK_BYTES = 8 << 30
_LOOK_SECONDS, _TELL_SECONDS = 0.2, 0.5


class FarmError(MediaError):
    """A farm cannot be reached, has gone away, or its machines cannot make the film."""


class _MadeChunk(Struct, frozen=True):
    """What comes back of a chunk: the bytes of its film, and what is to be said."""

    content: bytes
    remarks: list[str]
    faults: list[str]


class _Lack(Struct, frozen=True):
    """What a machine lacks to make a film: other versions than here, and files that it does not see."""

    machine: str
    versions: dict[str, str]
    files: list[str]


def make_chunks_on(
    address: str, film: Film, drawing: Drawing, numbers: Sequence[int], place: Callable[[int], Path]
) -> list[str]:
    """Have the chunks of some numbers made by a farm, each put at its place; return what is to be said.

    Parameters
    ----------
    address : str
        Of the scheduler: ``tcp://HOST:PORT`` or ``tls://HOST:PORT``, whose certificates Dask's own
        configuration names.
    drawing
        Told of the frames as they are done; faults are added to its own.

    Raises
    ------
    FarmError
        If the farm cannot be reached or goes away, a machine has other versions or does not see a file, or
        a chunk ends each worker that makes it.
    CancelledError
        Whatever `drawing` raises stops the workers too.
    """
    with _connected(address) as client:
        order = _order_of(film)
        files = _sizes(order)
        _check_machines(client, files)
        return _Rendering(client, film, order, files).run(drawing, numbers, place)


def _order_of(film: Film) -> ExportOrder:
    settings = replace(film.settings, size=film.size, rate=film.project.rate)
    return ExportOrder(film.project, film.path, settings, (film.frames.start, film.frames.stop))


@contextlib.contextmanager
def _connected(address: str) -> Iterator[Client]:
    """Give a client of a farm that has workers."""
    try:
        from distributed import Client
        from distributed.security import Security
    except ImportError:
        raise FarmError(
            tr('rendering on a farm needs more packages: install them with  pip install "epiphane[farm]"')
        ) from None

    def connect() -> Client:
        return Client(address, timeout=_CONNECTING_SECONDS, set_as_default=False, security=Security())

    try:
        try:
            client = connect()
        except AssertionError:  # its thread has not begun in ten seconds, as on a machine that is stalled
            client = connect()
    except (OSError, ValueError, TypeError) as error:
        raise FarmError(
            tr(
                "there is no farm at {address} ({reason}); start one with  epiphane farm  or  dask scheduler",
                address=address,
                reason=str(error).split("\n", 1)[0][:120] or type(error).__name__,
            )
        ) from None
    try:
        try:
            client.wait_for_workers(1, timeout=_WORKERS_SECONDS)
        except TimeoutError:
            raise FarmError(
                tr(
                    "the farm at {address} has no workers; start some with  dask worker {address}",
                    address=address,
                )
            ) from None
        yield client
    finally:
        client.close(timeout=_CONNECTING_SECONDS)


def _check_machines(client: Client, files: dict[str, int]) -> None:
    """Check that each worker has the versions and the files of here."""
    try:
        found = client.run(_lack, makers(), files)
    except Exception as error:  # whatever a worker says that has no Epiphane, or one that is too old
        raise FarmError(
            tr(
                "a machine of the farm cannot run Epiphane {version}: {error}",
                version=makers()["epiphane"],
                error=error,
            )
        ) from None
    _raise_lack([lack for lack in found.values() if lack is not None])


def _sizes(order: ExportOrder) -> dict[str, int]:
    """Return the files that the project reads and that are there, with their bytes."""
    return {str(path): path.stat().st_size for path in named_files(order.project) if is_file(path)}


def _lack(versions: dict[str, str], files: dict[str, int]) -> _Lack | None:
    """Return what this machine lacks, or None."""
    own = makers()
    other = {name: own.get(name, "") for name in versions if own.get(name) != versions[name]}
    unseen = [path for path, n_bytes in files.items() if not _is_seen(Path(path), n_bytes)]
    return _Lack(socket.gethostname(), other, unseen) if other or unseen else None


def _is_seen(path: Path, n_bytes: int) -> bool:
    return is_file(path) and path.stat().st_size == n_bytes


def _raise_lack(lacks: Sequence[_Lack]) -> None:
    if not lacks:
        return
    first, own = lacks[0], makers()
    if first.versions:
        words = ", ".join(f"{name} {there} ({own[name]} here)" for name, there in first.versions.items())
        raise FarmError(
            tr(
                "{machine} has other versions, whose pictures may differ: {words}; install the same ones",
                machine=first.machine,
                words=words,
            )
        )
    raise FarmError(
        tr(
            "{machine} does not see {name}{more}; footage must lie under the same path on every machine",
            machine=first.machine,
            name=first.files[0],
            more="" if len(first.files) == 1 else tr(" and {count} more files", count=len(first.files) - 1),
        )
    )


class _Rendering:
    """The tasks of one film: mattes, then the chunks that stand on them."""

    def __init__(self, client: Client, film: Film, order: ExportOrder, files: dict[str, int]) -> None:
        from distributed import Event

        self._client, self._film = client, film
        self._content, self._files = encode_order(order), files
        self._id = uuid4().hex[:12]
        self._topic = f"epiphane-{self._id}"
        self._stop = Event(f"stop-{self._id}", client=client)
        self._n_drawn: dict[int, int] = {}

    def run(self, drawing: Drawing, numbers: Sequence[int], place: Callable[[int], Path]) -> list[str]:
        """Submit the tasks, and put each chunk at its place as it comes."""
        self._client.subscribe_topic(self._topic, self._note)
        waiting = self._submitted(numbers)
        remarks: list[str] = []
        n_told = 0
        last_seen = time.monotonic()
        try:
            while waiting:
                time.sleep(_LOOK_SECONDS)
                if self._client.status == "running":
                    last_seen = time.monotonic()
                elif time.monotonic() - last_seen > _LOST_SECONDS:
                    raise self._gone()
                for future in [one for one in waiting if one.status != "pending"]:
                    number = waiting.pop(future)
                    made = self._result(future, number)
                    write_atomically(place(number), made.content)
                    self._n_drawn[number] = len(self._film.chunks[number])
                    remarks += made.remarks
                    drawing.faults = list(dict.fromkeys([*drawing.faults, *made.faults]))
                    future.release()  # so that the workers keep it no longer
                n_drawn = sum(self._n_drawn.values())
                drawing.tell(max(0, n_drawn - n_told))
                n_told = max(n_told, n_drawn)
        except BaseException:
            self._give_up(list(waiting))
            raise
        finally:
            with contextlib.suppress(Exception):  # of a farm that is gone
                self._client.unsubscribe_topic(self._topic)
        return list(dict.fromkeys(remarks))

    def _submitted(self, numbers: Sequence[int]) -> dict[Future[_MadeChunk], int]:
        mattes = [
            self._client.submit(
                _made_matte,
                footage.path,
                footage.fingerprint,
                matte,
                footage.rate,
                key=f"{self._id}-matte-{matte_key(footage.fingerprint, matte)}",
                pure=False,
            )
            for footage, matte in needed_mattes(self._film.project)
        ]
        # A task, for what is scattered is lost with the worker that has it.
        content = self._client.submit(bytes, self._content, key=f"{self._id}-order", pure=False)
        return {
            self._client.submit(
                _made_chunk,
                content,
                number,
                mattes,
                makers(),
                self._files,
                self._id,
                key=f"{self._id}-chunk-{number:05d}",
                pure=False,
                priority=-number,
            ): number
            for number in numbers
        }

    def _note(self, event: tuple[float, dict[str, int]]) -> None:
        """Take note of how many frames of a chunk a worker has drawn."""
        number, n_drawn = event[1]["chunk"], event[1]["n_drawn"]
        self._n_drawn[number] = max(self._n_drawn.get(number, 0), n_drawn)

    def _result(self, future: Future[_MadeChunk], number: int) -> _MadeChunk:
        """Return a chunk that is made, or raise why it is not."""
        from distributed.scheduler import KilledWorker

        if future.status in ("cancelled", "lost"):
            raise self._gone()
        try:
            made: _MadeChunk = future.result(timeout=_LOST_SECONDS * 3)
        except KilledWorker:
            raise FarmError(
                tr(
                    "chunk {number} ended each worker that made it: look whether they have too little memory",
                    number=number + 1,
                )
            ) from None
        except (OSError, TimeoutError):
            raise self._gone() from None
        return made

    def _gone(self) -> FarmError:
        return FarmError(tr("the farm is gone; the chunks that are ready stay: export again to take them up"))

    def _give_up(self, futures: list[Future[_MadeChunk]]) -> None:
        if self._client.status != "running":
            return
        with contextlib.suppress(Exception):  # of a farm that goes away now
            self._stop.set()
            self._client.cancel(futures, force=True)


# What runs on workers.


def _made_matte(path: str, fingerprint: str, matte: Matte, rate: Fraction) -> tuple[str, bytes | str]:
    """Return the key of a matte and the bytes of its film, or why it cannot be made."""
    key = matte_key(fingerprint, matte)
    try:
        film = make_matte(Path(path), fingerprint, matte, rate)
        return key, read_file(film, most_bytes=MOST_MATTE_BYTES)
    except (MediaError, DiskError) as error:
        return key, str(error)


def _made_chunk(
    content: bytes,
    number: int,
    mattes: list[tuple[str, bytes | str]],
    versions: dict[str, str],
    files: dict[str, int],
    film_id: str,
) -> _MadeChunk:
    """Return a chunk of a film, made by this worker."""
    from distributed import Event, get_worker

    tune_heap()  # Dask's workers give each picture's memory back, which costs as much as to draw it
    if (lack := _lack(versions, files)) is not None:  # of a worker that came later
        _raise_lack([lack])
    for key, made in mattes:
        if isinstance(made, bytes) and find_matte(key) is None:
            keep_matte(key, made)
    order = decode_order(content)
    worker, stop = get_worker(), Event(f"stop-{film_id}")
    last = [time.monotonic()]

    def report(progress: ExportProgress) -> None:
        if time.monotonic() - last[0] < _TELL_SECONDS:
            return
        last[0] = time.monotonic()
        if stop.is_set():
            raise CancelledError("stopped by who asked for it")
        worker.log_event(f"epiphane-{film_id}", {"chunk": number, "n_drawn": progress.n_done})

    film = film_of(order.project, order.path, order.settings, frames=order.range)
    drawing = Drawing(film, report, n_threads=1)  # a machine has a worker for each core
    with tempfile.TemporaryDirectory(prefix="epiphane-") as folder:
        path = Path(folder) / f"chunk{film.form.endings[0]}"
        remarks = make_chunks(film, film_output(film.form), drawing, [number], lambda _: path)
        return _MadeChunk(read_file(path, most_bytes=_MOST_CHUNK_BYTES), remarks, drawing.faults)
