"""A cache of listening results, by the content of the song."""

import hashlib
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np
import platformdirs

from epiphane.audio.heard import HeardSong, Listening
from epiphane.audio.samples import read_samples
from epiphane.disk import read_file, remove_abandoned, write_atomically
from epiphane.errors import DiskError
from epiphane.media.fingerprint import content_hash
from epiphane.types import Progress, ignore_progress

# Part of the cache's key: raise it whenever listening hears differently, or its weights are new.
LISTENING_VERSION = 15
_DIGEST_BYTES = 16
_MOST_BYTES = 1 << 30


def hear_song(
    path: Path,
    *,
    progress: Progress = ignore_progress,
    sketched: Callable[[HeardSong], None] = lambda _: None,
) -> HeardSong:
    """Read a song and listen to it, or remember what was heard when it was listened to before.

    Where listening takes its time, `sketched` is called before it with the song as far as it can be
    drawn: its sound and waveform, without beats.

    Raises
    ------
    MediaError
        If the song cannot be read.
    """
    samples = read_samples(path, progress=lambda share: progress(0.3 * share))
    digest = content_hash(path)
    kept = cache_folder() / f"{digest}-{LISTENING_VERSION}.msgpack"
    listening = _remembered(kept)
    if listening is None:
        # Late: they load most of SciPy.
        from epiphane.audio.listening import listen
        from epiphane.audio.waveform import waveform_columns

        waveform = waveform_columns(samples.mono(), samples.rate)
        sketch = Listening(samples.duration, 0.0, False, (), waveform)
        sketched(HeardSong(str(path.absolute()), digest, samples, sketch))
        listening = listen(
            samples, name=path.name, waveform=waveform, progress=lambda share: progress(0.3 + 0.7 * share)
        )
        _remember(kept, listening)
    return HeardSong(str(path.absolute()), digest, samples, listening)


def cache_folder() -> Path:
    """Return the folder where listening results are kept."""
    return Path(platformdirs.user_cache_dir("epiphane")) / "listening"


def _remembered(path: Path) -> Listening | None:
    try:
        content = read_file(path, most_bytes=_MOST_BYTES)
        if content[:_DIGEST_BYTES] != _digest(content[_DIGEST_BYTES:]):
            return None
        return msgspec.msgpack.decode(content[_DIGEST_BYTES:], type=Listening, dec_hook=_array_from_bytes)
    except (DiskError, msgspec.MsgspecError, ValueError, TypeError):
        return None


def _digest(content: bytes) -> bytes:
    return hashlib.blake2b(content, digest_size=_DIGEST_BYTES).digest()


def _remember(path: Path, listening: Listening) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        remove_abandoned(path.parent)
        content = msgspec.msgpack.encode(listening, enc_hook=_array_to_bytes)
        write_atomically(path, _digest(content) + content)
    except (OSError, DiskError):
        return  # a full or read-only disk costs time, not the result


def _array_to_bytes(value: object) -> tuple[str, tuple[int, ...], bytes]:
    if not isinstance(value, np.ndarray):
        raise NotImplementedError(type(value))
    kept = value.astype(np.float16) if value.dtype == np.float32 else value  # finer than a drawn pixel
    return kept.dtype.str, kept.shape, kept.tobytes()


def _array_from_bytes(_kind: type, value: object) -> np.ndarray:
    if not isinstance(value, list) or len(value) != 3:
        raise ValueError("expected type, shape and bytes")
    kind, shape, content = value
    found = np.frombuffer(content, kind).reshape(shape)
    return found.astype(np.float32) if found.dtype == np.float16 else found
