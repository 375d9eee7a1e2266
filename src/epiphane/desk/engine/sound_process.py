"""The process that holds the sound device: whatever a sound server does to it, the window lives on.

It is started by `sound.DeviceSound` and is told what to play through its standard input: a kind and a length
(`MESSAGE`), then so many bytes. What it tells of itself goes to its standard output as a `REPORT`.
"""

import os
import select
import sys
import time
from struct import Struct
from typing import TYPE_CHECKING

if TYPE_CHECKING or __name__ == "__main__":  # the window needs its words only
    from PyQt6.QtCore import QCoreApplication, QIODevice
    from PyQt6.QtMultimedia import QAudio, QAudioFormat, QAudioSink, QMediaDevices

SOUND_RATE = 48_000
"""Samples a second of what is played: stereo, float32."""
BUFFER_SECONDS = 0.3
"""How much the device is given ahead: a window that is being built holds Python for up to 0.2 s."""
BYTES_A_SAMPLE = 8  # two float32
MESSAGE = Struct("<ci")
PLAY, DATA, SILENCE = b"p", b"d", b"s"
"""Begin a new sound, whose number is the length; go on with so many bytes; fall silent at once."""
REPORT = Struct("<Biqdd")
"""State, number of the sound, how many samples are taken of it, seconds heard of it, and when that was."""
IDLE, PLAYING, FAILED, MISSING = range(4)
"""States: silent, playing, the device has failed, there is none."""

_POLL_SECONDS = 0.004
_REPORT_SECONDS = 0.02


class _Speaker:
    """The default device, opened anew for each sound."""

    def __init__(self) -> None:
        self._application = QCoreApplication([])
        self._number = 0
        self._n_given = 0
        self._waiting = bytearray()
        self._state = IDLE
        self._sink: QAudioSink | None = None
        self._device: QIODevice | None = None

    def handle(self, kind: bytes, number: int, content: bytes) -> None:
        """Do what a message says."""
        if kind == PLAY:
            self._silence()
            self._number, self._n_given = number, 0
            self._begin()
        elif kind == DATA:
            self._waiting += content
        else:
            self._silence()

    def go_on(self) -> None:
        """Give the device what it takes, and let it tell how it is."""
        self._application.processEvents()
        if self._state != PLAYING:
            return
        assert self._sink is not None
        n_bytes = self._sink.bytesFree() // BYTES_A_SAMPLE * BYTES_A_SAMPLE
        part = bytes(self._waiting[:n_bytes])
        if part:
            n_taken = (
                max(0, self._device.write(part) if self._device is not None else 0)
                // BYTES_A_SAMPLE
                * BYTES_A_SAMPLE
            )
            del self._waiting[:n_taken]
            self._n_given += n_taken // BYTES_A_SAMPLE
        if self._is_broken():
            self._state = FAILED

    def report(self) -> bytes:
        """Return how it is; the samples taken are those that there is room for."""
        n_wanted, heard = 0, 0.0
        if self._state == PLAYING:
            assert self._sink is not None
            n_wanted = self._n_given + self._sink.bytesFree() // BYTES_A_SAMPLE
            heard = self._sink.processedUSecs() / 1e6
        return REPORT.pack(self._state, self._number, n_wanted, heard, time.monotonic())

    def _begin(self) -> None:
        output = QMediaDevices.defaultAudioOutput()
        if output.isNull():
            self._state = MISSING
            return
        form = QAudioFormat()
        form.setSampleRate(SOUND_RATE)
        form.setChannelCount(2)
        form.setSampleFormat(QAudioFormat.SampleFormat.Float)
        sink = QAudioSink(output, form)
        sink.setBufferSize(int(BUFFER_SECONDS * SOUND_RATE) * BYTES_A_SAMPLE)
        self._sink, self._device = sink, sink.start()
        self._state = FAILED if self._device is None or self._is_broken() else PLAYING

    def _silence(self) -> None:
        self._waiting.clear()
        if self._sink is not None:
            self._sink.stop()
            self._sink = None
        self._state = IDLE

    def _is_broken(self) -> bool:
        assert self._sink is not None
        return self._sink.error() not in (QAudio.Error.NoError, QAudio.Error.UnderrunError)


def main() -> None:
    """Play what comes in until nothing can come any more."""
    speaker = _Speaker()
    inbox, outbox = sys.stdin.fileno(), sys.stdout.fileno()
    came = bytearray()
    told_at = 0.0
    while True:
        ready, _, _ = select.select([inbox], [], [], _POLL_SECONDS)
        if ready:
            read = os.read(inbox, 1 << 16)
            if not read:
                return
            came += read
        while len(came) >= MESSAGE.size:
            kind, length = MESSAGE.unpack_from(came)
            end = MESSAGE.size + (length if kind == DATA else 0)
            if len(came) < end:
                break
            speaker.handle(kind, length, bytes(came[MESSAGE.size : end]))
            del came[:end]
            told_at = 0.0
        speaker.go_on()
        if time.monotonic() - told_at >= _REPORT_SECONDS:
            told_at = time.monotonic()
            os.write(outbox, speaker.report())


if __name__ == "__main__":
    main()
