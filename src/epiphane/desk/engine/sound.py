"""Audio output, and the playback clock read from it."""

import contextlib
import os
import subprocess
import sys
import threading
import time
from typing import Protocol

import numpy as np

from epiphane.desk.engine.sound_process import (
    BUFFER_SECONDS,
    BYTES_A_SAMPLE,
    DATA,
    FAILED,
    MESSAGE,
    MISSING,
    PLAY,
    PLAYING,
    REPORT,
    SILENCE,
)
from epiphane.types import Float32Array
from epiphane.wording import tr

_POLL_SECONDS = 0.004
# A device that has begun and takes nothing for so long has gone; so has a process that says nothing.
_STALL_SECONDS = 1.0
# Its libraries are loaded meanwhile, which takes long on a busy machine.
_START_SECONDS = 8.0
_END_SECONDS = 0.3
_MODULE = "epiphane.desk.engine.sound_process"


class PlayBuffer:
    """The song from a place on, at a speed, going round in a loop if there is one.

    Parameters
    ----------
    sound : float32, shape (n_samples, 2), at `SOUND_RATE`
    start : int, sample
    loop : (first, end) samples, or None
    speed : float
        Samples of the song for each that is heard: 2 is twice as fast, and higher; below 0 backwards.
    """

    def __init__(
        self,
        sound: Float32Array,
        start: int,
        loop: tuple[int, int] | None = None,
        *,
        speed: float = 1.0,
    ) -> None:
        self._sound = sound
        self._start, self._speed = start, speed
        is_ahead = loop is not None and (start < loop[1] if speed > 0 else start >= loop[0])
        self._loop = loop if loop is not None and loop[1] > loop[0] and is_ahead else None

    def place(self, n_played: float) -> float:
        """Return the sample of the song that is heard after `n_played` samples."""
        at = self._start + self._speed * n_played
        if self._loop is None:
            return at
        first, end = self._loop
        is_beyond = at >= end if self._speed > 0 else at < first
        return first + (at - first) % (end - first) if is_beyond else at

    def exchange(self, sound: Float32Array) -> None:
        """Go on with another sound of the same length."""
        self._sound = sound

    def take(self, n_written: int, n_samples: int) -> Float32Array:
        """Return the samples to write after `n_written`; silence beyond both ends of the song."""
        if self._speed != 1:
            return self._between(n_written, n_samples)
        block = np.zeros((n_samples, 2), np.float32)
        done = 0
        while done < n_samples:
            at = int(self.place(n_written + done))
            end = self._loop[1] if self._loop is not None else len(self._sound)
            part = self._sound[at : min(end, at + n_samples - done)]
            if len(part) == 0:
                break
            block[done : done + len(part)] = part
            done += len(part)
        return block

    def _between(self, n_written: int, n_samples: int) -> Float32Array:
        """Return samples looked at between those of the song, straight from one to the next."""
        places = self._start + self._speed * np.arange(n_written, n_written + n_samples, dtype=np.float64)
        if self._loop is not None:
            first, end = self._loop
            is_beyond = places >= end if self._speed > 0 else places < first
            places = np.where(is_beyond, first + (places - first) % (end - first), places)
        is_inside = (places >= 0) & (places < len(self._sound) - 1)
        index = np.where(is_inside, places, 0).astype(int)
        share = (np.where(is_inside, places, 0) - index)[:, None]
        following = np.minimum(index + 1, len(self._sound) - 1)
        made = self._sound[index] * (1 - share) + self._sound[following] * share
        return np.asarray(np.where(is_inside[:, None], made, 0), np.float32)


class SoundOut(Protocol):
    """A device that plays a reel and says how much of it has been heard."""

    def start(self, reel: PlayBuffer) -> None:
        """Play a reel from its beginning."""

    def stop(self) -> None:
        """Fall silent at once."""

    def close(self) -> None:
        """Let go of the device."""

    def heard_seconds(self) -> float | None:
        """Return how much of the reel has been heard, or None before the first sample is."""


class SimulatedSound:
    """Takes the place of a device where there is none: silent, at the pace of real time."""

    def __init__(self) -> None:
        self._started: float | None = None

    def start(self, reel: PlayBuffer) -> None:
        """Begin to count."""
        self._started = time.monotonic()

    def stop(self) -> None:
        """Stop counting."""
        self._started = None

    def close(self) -> None:
        """Nothing to let go of."""

    def heard_seconds(self) -> float | None:
        """Return the time since the start."""
        return None if self._started is None else time.monotonic() - self._started


class DeviceSound:
    """The default sound device, in a process of its own that is fed by a thread of this one.

    A sound server that hangs or dies takes that process with it and not the window. The device's own count of
    what it has played is the clock; between its reports it is carried on by the system's, and drawn gently
    towards the device's, whose steps are some milliseconds. Where there is no device, the system's clock
    alone counts.
    """

    def __init__(self) -> None:
        self._process = _SoundProcess()
        self._feeder: _Feeder | None = None

    def start(self, reel: PlayBuffer) -> None:
        """Open the device and play."""
        self._end_feeding()
        self._feeder = _Feeder(reel, self._process, self._process.begin())
        self._feeder.start()

    def stop(self) -> None:
        """Fall silent and close the device."""
        if self._feeder is not None:
            self._end_feeding()
            self._process.send(SILENCE, 0)

    def close(self) -> None:
        """Let go of the device."""
        self._end_feeding()
        self._process.end()

    def heard_seconds(self) -> float | None:
        """Return what the device says it has played."""
        return None if self._feeder is None else self._process.heard_seconds()

    @property
    def has_failed(self) -> bool:
        """Whether the device could not be opened, has gone, or does not answer."""
        return self._feeder is not None and self._process.has_failed

    def _end_feeding(self) -> None:
        if self._feeder is not None:
            self._feeder.halt()
            self._feeder = None


def open_sound() -> "DeviceSound | SimulatedSound":
    """Return the default device, which counts in silence where there is none."""
    return DeviceSound()


class _SoundProcess:
    """The process with the device, as this one sees it."""

    def __init__(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", _MODULE],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,  # what libraries of sound say there; what matters is in the reports
        )
        assert self._process.stdin is not None
        self._inbox = self._process.stdin.fileno()
        os.set_blocking(self._inbox, False)
        self._lock = threading.Lock()
        self._unsent = bytearray()
        self._number = 0
        self._state, self._n_wanted = PLAYING, 0
        self._has_begun_by = time.monotonic() + _START_SECONDS
        self._said_at = self._began_at = time.monotonic()
        self._origin: float | None = None
        self._played, self._played_at = 0.0, 0.0
        self._reader = threading.Thread(target=self._read, name=tr("sound reports"), daemon=True)
        self._reader.start()

    def begin(self) -> int:
        """Begin a new sound, and return its number."""
        with self._lock:
            self._number += 1
            self._state, self._n_wanted = PLAYING, 0
            self._origin, self._played, self._played_at = None, 0.0, 0.0
            self._began_at = time.monotonic()
            self._unsent.clear()
        self.send(PLAY, self._number)
        return self._number

    def send(self, kind: bytes, length: int, content: bytes = b"") -> None:
        """Tell the process something; what does not go through its pipe at once is kept."""
        with self._lock:
            self._unsent += MESSAGE.pack(kind, length) + content
            self._flush()

    def n_wanted(self, number: int) -> int:
        """Return how many samples of a sound may have been sent by now."""
        with self._lock:
            self._flush()
            is_clear = number == self._number and not self._unsent
            return self._n_wanted if is_clear else 0

    def heard_seconds(self) -> float | None:
        """Return the seconds played by now; while the device does not go on, neither do they."""
        with self._lock:
            if self._state == MISSING:
                return time.monotonic() - self._began_at
            if self._origin is None:
                return None
            return max(0.0, min(time.monotonic() - self._origin, self._played + BUFFER_SECONDS))

    @property
    def has_failed(self) -> bool:
        """Whether it has ended, says nothing any more, or its device takes nothing any more."""
        now = time.monotonic()
        with self._lock:
            is_starting = now < self._has_begun_by and self._said_at <= self._began_at
            is_mute = not is_starting and now - max(self._said_at, self._began_at) > _STALL_SECONDS
            has_stalled = self._origin is not None and now - self._played_at > _STALL_SECONDS
            has_ended = self._process.poll() is not None
            return self._state == FAILED or is_mute or has_stalled or has_ended

    def end(self) -> None:
        """End the process, gently if it listens."""
        assert self._process.stdin is not None and self._process.stdout is not None
        with contextlib.suppress(OSError):  # it may have gone already
            self._process.stdin.close()
        try:
            self._process.wait(_END_SECONDS)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        self._reader.join()
        self._process.stdout.close()

    def _flush(self) -> None:
        try:
            while self._unsent:
                del self._unsent[: os.write(self._inbox, self._unsent)]
        except (BlockingIOError, BrokenPipeError):
            pass  # it is taken later, or it has gone, which `has_failed` tells

    def _read(self) -> None:
        assert self._process.stdout is not None
        while report := self._process.stdout.read(REPORT.size):
            if len(report) < REPORT.size:
                return
            state, number, n_wanted, played, at = REPORT.unpack(report)
            with self._lock:
                self._said_at = time.monotonic()
                self._has_begun_by = 0.0
                if number == self._number:
                    self._state, self._n_wanted = state, n_wanted
                    self._note(played, at)

    def _note(self, played: float, at: float) -> None:
        """Take up a reading of the device's count; the clock of both processes is one."""
        if played <= 0:
            return
        if played != self._played:
            self._played, self._played_at = played, at
        elif at - self._played_at > BUFFER_SECONDS:
            return  # it has stopped: time does not go back with it
        origin = at - played
        if self._origin is None or abs(origin - self._origin) > 0.05:
            self._origin = origin
        else:
            self._origin += 0.1 * (origin - self._origin)


class _Feeder(threading.Thread):
    """Sends a sound to the process as it is wanted."""

    def __init__(self, reel: PlayBuffer, process: _SoundProcess, number: int) -> None:
        super().__init__(name="sound", daemon=True)
        self._reel, self._process, self._number = reel, process, number
        self._halt = threading.Event()

    def halt(self) -> None:
        """Stop and wait."""
        self._halt.set()
        self.join()

    def run(self) -> None:
        n_sent = 0
        while not self._halt.is_set():
            n_samples = self._process.n_wanted(self._number) - n_sent
            if n_samples > 0:
                block = self._reel.take(n_sent, n_samples).tobytes()
                self._process.send(DATA, len(block), block)
                n_sent += len(block) // BYTES_A_SAMPLE
            self._halt.wait(_POLL_SECONDS)
