"""Audio output, and the playback clock read from it."""

import os
import socket
import threading
import time
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QEventLoop, QThread
from PyQt6.QtMultimedia import QAudio, QAudioFormat, QAudioSink, QMediaDevices

from epiphane.types import Float32Array

SOUND_RATE = 48_000
_POLL_SECONDS = 0.008
# A window that is being built holds Python for up to 0.2 s; stopping throws away what is buffered.
_BUFFER_SECONDS = 0.3
_BYTES_PER_SAMPLE = 8  # two float32
# A device that has begun and takes nothing for so long has gone.
_STALL_SECONDS = 1.0
_SERVER_SECONDS = 0.2


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
    """The default sound device, fed from a thread of its own so that a busy window never starves it.

    The device's own count of what it has played is the clock; between its updates it is carried on
    by the system's, and drawn gently towards the device's, whose steps are some milliseconds.
    """

    def __init__(self) -> None:
        self._feeder: _Feeder | None = None

    def start(self, reel: PlayBuffer) -> None:
        """Open the device and play."""
        self.stop()
        self._feeder = _Feeder(reel)
        self._feeder.start(QThread.Priority.TimeCriticalPriority)

    def stop(self) -> None:
        """Fall silent and close the device."""
        if self._feeder is not None:
            self._feeder.halt()
            self._feeder = None

    def close(self) -> None:
        """Let go of the device."""
        self.stop()

    def heard_seconds(self) -> float | None:
        """Return what the device says it has played."""
        return None if self._feeder is None else self._feeder.heard_seconds()

    @property
    def has_failed(self) -> bool:
        """Whether the device could not be opened or has gone."""
        return self._feeder is not None and self._feeder.has_failed


def open_sound() -> "DeviceSound | SimulatedSound":
    """Return the default device, or the simulated one where there is none."""
    if sound_server.has_died() or QMediaDevices.defaultAudioOutput().isNull():
        return SimulatedSound()
    sound_server.note()
    return DeviceSound()


class SoundServer:
    """Whether the sound server that was there is there still.

    Its client library ends the whole process by an assertion when it is used after the server has died, so
    this is asked before it is.
    """

    def __init__(self) -> None:
        self._address: str | None = None

    def note(self) -> None:
        """Know the server that is there now, if sound goes through one."""
        self._address = next((one for one in _server_addresses() if _answers(one)), None)

    def has_died(self) -> bool:
        """Whether there was one, and it does not answer any more."""
        return self._address is not None and not _answers(self._address)


sound_server = SoundServer()


def _server_addresses() -> list[str]:
    """Return where a sound server of this user may listen, after the protocol's own rules."""
    named = os.environ.get("PULSE_SERVER", "")
    if named:
        return [one.removeprefix("unix:") for one in named.split() if one.startswith(("unix:", "/"))]
    folder = os.environ.get("PULSE_RUNTIME_PATH") or f"{os.environ.get('XDG_RUNTIME_DIR', '')}/pulse"
    return [f"{folder}/native", "/var/run/pulse/native"]


def _answers(address: str) -> bool:
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as caller:
        caller.settimeout(_SERVER_SECONDS)
        try:
            caller.connect(address)
        except OSError:
            return False
        return True


class _Feeder(QThread):
    def __init__(self, reel: PlayBuffer) -> None:
        super().__init__()
        self._reel = reel
        self._halt = threading.Event()
        self._origin: float | None = None
        self._played, self._played_at = 0.0, 0.0
        self.has_failed = False

    def halt(self) -> None:
        """Stop and wait."""
        self._halt.set()
        self.wait()

    def heard_seconds(self) -> float | None:
        """Return the seconds played by now; while the device does not go on, neither do they."""
        origin = self._origin
        if origin is None:
            return None
        return max(0.0, min(time.monotonic() - origin, self._played + _BUFFER_SECONDS))

    def run(self) -> None:
        if sound_server.has_died():
            self.has_failed = True
            return
        form = QAudioFormat()
        form.setSampleRate(SOUND_RATE)
        form.setChannelCount(2)
        form.setSampleFormat(QAudioFormat.SampleFormat.Float)
        sink = QAudioSink(QMediaDevices.defaultAudioOutput(), form)
        sink.setBufferSize(int(_BUFFER_SECONDS * SOUND_RATE) * _BYTES_PER_SAMPLE)
        device = sink.start()
        if device is None or _is_broken(sink):
            self.has_failed = True
            return
        n_written = 0
        while not self._halt.is_set():
            n_free = sink.bytesFree() // _BYTES_PER_SAMPLE
            if n_free > 0:
                block = self._reel.take(n_written, n_free)
                n_written += max(0, device.write(block.tobytes())) // _BYTES_PER_SAMPLE
            self._note(sink.processedUSecs() / 1e6)
            dispatcher = self.eventDispatcher()
            if dispatcher is not None:
                dispatcher.processEvents(QEventLoop.ProcessEventsFlag.AllEvents)
            if _is_broken(sink) or self._has_stalled():
                self.has_failed = True
                break
            self._halt.wait(_POLL_SECONDS)
        if sound_server.has_died():
            _left_sinks.append(sink)  # its end would ask the library too
        else:
            sink.stop()

    def _note(self, played: float) -> None:
        """Take up a reading of the device's count."""
        if played <= 0:
            return
        now = time.monotonic()
        if played != self._played:
            self._played, self._played_at = played, now
        elif now - self._played_at > _BUFFER_SECONDS:
            return  # it has stopped: time does not go back with it
        origin = now - played
        if self._origin is None or abs(origin - self._origin) > 0.05:
            self._origin = origin
        else:
            self._origin += 0.1 * (origin - self._origin)

    def _has_stalled(self) -> bool:
        """Whether a device that played takes nothing any more."""
        return self._origin is not None and time.monotonic() - self._played_at > _STALL_SECONDS


_left_sinks: list[QAudioSink] = []
"""Sinks of a server that has died."""


def _is_broken(sink: QAudioSink) -> bool:
    return sink.error() not in (QAudio.Error.NoError, QAudio.Error.UnderrunError)
