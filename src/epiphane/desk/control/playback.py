"""Playback: the sound device is the master clock, late frames are dropped and counted."""

import math
import time

from msgspec import Struct
from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from epiphane.audio.samples import resampled_stereo
from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.debounce import debounced
from epiphane.desk.engine.draft import DraftChoice
from epiphane.desk.engine.frames import FrameServer
from epiphane.desk.engine.sound import DeviceSound, PlayBuffer, SimulatedSound, open_sound
from epiphane.desk.engine.sound_process import SOUND_RATE
from epiphane.desk.engine.ticks import with_ticks
from epiphane.document.song import Hit
from epiphane.timing import frame_at, frame_start, seconds_to_sample
from epiphane.types import Float32Array, Picture
from epiphane.wording import tr

_TICK_MILLISECONDS = 4
# From choosing a picture to having painted it; measured against the recorded sound (`make bench`).
_PAINT_SECONDS = 0.010
_AHEAD = 20
_LEAST_MOVE_SECONDS = 1 / 45
"""Between two places of the playhead: what goes along with it takes the window as long as the picture."""
# Stopped, this many frames around the playhead are prepared; some seconds when nothing has changed for long.
_NEAR, _FAR_SECONDS = 8, 10
_AT_ONCE, _AT_ONCE_MILLISECONDS = 40, 30
_REST_MILLISECONDS = 700
# A device may take its first sample up to two seconds late; after that it is taken as gone.
_PATIENCE_TICKS = 3000 // _TICK_MILLISECONDS
_MIX_MILLISECONDS = 200
_FASTEST = 4.0
_LEVEL_SAMPLES = SOUND_RATE // 20


class Punctuality(Struct):
    """How many pictures were due while playing, and how many were shown while they were."""

    n_due: int = 0
    n_shown: int = 0

    @property
    def share(self) -> float:
        """Share of pictures on time; 1 before any was due."""
        return self.n_shown / self.n_due if self.n_due else 1.0


class Playback(QObject):
    """Plays the project and shows its pictures.

    Signals
    -------
    shown(picture: Picture, frame: int)
        A picture to put on screen.
    state_changed()
        Playing, looping or the count of pictures has changed.
    """

    shown = pyqtSignal(object, int)
    state_changed = pyqtSignal()

    def __init__(self, editor: Editor, frames: FrameServer) -> None:
        super().__init__()
        self._editor = editor
        self._frames = frames
        self._device: DeviceSound | SimulatedSound = open_sound()
        self._sound: Float32Array | None = None
        self._mix: Float32Array | None = None
        self._ticked: Float32Array | None = None
        self._tick_hits: tuple[Hit, ...] = ()
        self._fingerprint = ""
        self._data: Float32Array | None = None
        self._reel: PlayBuffer | None = None
        self._shown_frame = -1
        self._due_frame = -1
        self._moved_at, self._is_moving = -math.inf, False
        self._n_waited = 0
        self.loop: tuple[int, int] | None = None
        self.speed = 1.0
        """At which it plays, or played last; below 0 backwards."""
        self.punctuality = Punctuality()
        self._draft = DraftChoice()
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_TICK_MILLISECONDS)
        self._timer.timeout.connect(self._tick)
        editor.project_changed.connect(self._on_project)
        editor.song_changed.connect(self._on_song)
        editor.opened.connect(self._forget_punctuality)
        editor.playhead_changed.connect(self._on_playhead)
        frames.drawn.connect(self._on_drawn)
        editor.ticking_changed.connect(self._mix_ticks)
        # A drag changes hits many times a second.
        self._mixing = debounced(self, _MIX_MILLISECONDS, self._mix_ticks)
        self._resting = debounced(self, 0, self._want_far)
        self._far: list[int] = []

    @property
    def is_playing(self) -> bool:
        """Whether it plays."""
        return self._reel is not None

    @property
    def device(self) -> DeviceSound | SimulatedSound:
        """What sounds and tells the time; one thing at a time plays on it."""
        return self._device

    @property
    def is_simulated(self) -> bool:
        """Whether no sound device is there."""
        return isinstance(self._device, SimulatedSound)

    def heard_now(self) -> float | None:
        """Return the instant of the song that is heard now, seconds, or None while nothing plays."""
        heard = self._device.heard_seconds()
        if heard is None or self._reel is None:
            return None
        return self._reel.place(heard * SOUND_RATE) / SOUND_RATE

    def toggle(self) -> None:
        """Play, or stop."""
        if self.is_playing:
            self.stop()
        else:
            self.play()

    def play(self, speed: float = 1.0) -> None:
        """Play from the playhead, or from the start if that is at the end; below 0, the other way."""
        project = self._editor.project
        if project.n_frames == 0:
            return
        self.speed = speed
        if speed > 0 and self._editor.playhead >= project.n_frames - 1:
            self._editor.go_to(0)
        elif speed < 0 and self._editor.playhead == 0:
            self._editor.go_to(project.n_frames - 1)
        self.punctuality = Punctuality()
        self._draft = DraftChoice()
        self._due_frame = -1
        if self.is_simulated:  # one may be there by now, or again
            self._device = open_sound()
        self._start_sound(self._editor.playhead)
        self.state_changed.emit()

    def _forget_punctuality(self) -> None:
        """Count anew: what was late was another project."""
        self.punctuality = Punctuality()
        self.state_changed.emit()

    def run(self, direction: int) -> None:
        """Play forwards (1) or backwards (-1); where it does already, twice as fast, up to four times."""
        is_same = self.is_playing and self.speed * direction > 0
        self.play(direction * (min(2 * max(abs(self.speed), 0.5), _FASTEST) if is_same else 1.0))

    def stop(self) -> None:
        """Stop where it is."""
        if not self.is_playing:
            return
        self._timer.stop()
        self._reel = None
        if self._shown_frame >= 0:
            self._editor.go_to(self._shown_frame)
        self._device.stop()
        self._frames.set_draft(False)
        self._frames.set_hurried(False)
        self._shown_frame = -1  # what is shown may be a draft
        self._want_around()
        self._show_playhead()
        self.state_changed.emit()

    def set_loop(self, loop: tuple[int, int] | None) -> None:
        """Go round between two frames (first, end), or no longer."""
        if loop == self.loop:
            return
        self.loop = loop
        if self.is_playing:
            if loop is not None and not loop[0] <= self._editor.playhead < loop[1]:
                self._editor.go_to(loop[0])
            self._start_sound(self._editor.playhead)
        self.state_changed.emit()

    def refresh(self) -> None:
        """Draw the picture under the playhead anew, e.g. at another size."""
        self._shown_frame = -1
        self._want_around()
        self._show_playhead()

    def close(self) -> None:
        """Stop, and let go of the device."""
        self.stop()
        self._resting.stop()
        self._device.close()

    def _start_sound(self, frame: int) -> None:
        rate = self._editor.project.rate
        if self._sound is None:  # without a song the device plays silence, and is the clock all the same
            self._sound = self._silence()

        def sample(n: int) -> int:
            return seconds_to_sample(frame_start(n, rate), SOUND_RATE)

        loop = None if self.loop is None else (sample(self.loop[0]), sample(self.loop[1]))
        self._reel = PlayBuffer(self._heard_sound, sample(frame), loop, speed=self.speed)
        self._n_waited = 0
        self._shown_frame = -1  # what is shown is of where it was before: the playhead does not go back there
        self._frames.set_hurried(True)
        self._frames.want(self._coming(frame))
        self._device.start(self._reel)
        self._timer.start()

    @property
    def song_sound(self) -> Float32Array | None:
        """The song as it is played, at `SOUND_RATE`, or None without one."""
        return None if self._editor.heard is None else self._sound

    def set_mix(self, mix: Float32Array | None) -> None:
        """Play the song with more in it, of the same length; None plays it alone."""
        if mix is not self._mix:
            self._mix, self._ticked = mix, None
            self._mix_ticks()

    def level_decibels(self) -> tuple[float, float] | None:
        """Return how loud both channels are now, in dB of full scale; None where nothing plays."""
        heard = self.heard_now()
        if heard is None or self._sound is None:
            return None
        at = seconds_to_sample(heard, SOUND_RATE)
        part = self._heard_sound[max(at - _LEVEL_SAMPLES, 0) : max(at, 0)]
        if not len(part):
            return None
        left, right = (20 * math.log10(max(float(abs(channel).max()), 1e-6)) for channel in part.T)
        return left, right

    @property
    def _heard_sound(self) -> Float32Array:
        """What plays: the song, with shots and ticks where there are any."""
        assert self._sound is not None
        return next(one for one in (self._ticked, self._mix, self._sound) if one is not None)

    def _mix_ticks(self) -> None:
        """Lay ticks over the sound, where pulses tick; what plays goes on with them."""
        self._mixing.stop()
        project = self._editor.project
        pulses = [pulse for pulse in project.pulses if pulse.id in self._editor.ticking]
        hits = tuple(sorted({hit for pulse in pulses for hit in self._editor.hits_of(pulse)}, key=_time_of))
        if self._sound is None or not hits:
            self._ticked = None
        elif self._ticked is None or hits != self._tick_hits:
            beats = project.song.beats if project.song is not None else ()
            under = self._sound if self._mix is None else self._mix
            self._ticked = with_ticks(under, SOUND_RATE, hits, beats)
        self._tick_hits = hits
        if self._reel is not None and self._sound is not None:
            self._reel.exchange(self._heard_sound)

    def _silence(self) -> Float32Array:
        import numpy as np

        return np.zeros((SOUND_RATE, 2), np.float32)

    def _tick(self) -> None:
        heard = self._device.heard_seconds()
        if heard is None or self._reel is None or self._has_failed:
            self._wait_for_device()
            return
        project = self._editor.project
        seconds = self._reel.place((heard + _PAINT_SECONDS) * SOUND_RATE) / SOUND_RATE
        frame = frame_at(seconds, project.rate)
        if not 0 <= frame < project.n_frames:
            self._shown_frame = -1
            self._editor.go_to(0 if frame < 0 else project.n_frames - 1)
            self.stop()
            return
        if frame != self._due_frame:
            step = self._count(frame)
            self._due_frame = frame
            self._choose_draft(is_late=step > 1 or not self._frames.is_ready(frame))
            self._frames.want(self._coming(frame))
        if frame != self._shown_frame:
            picture = self._frames.picture(frame, may_be_draft=True)
            if picture is not None:
                self._show(picture, frame)
                self.punctuality.n_shown += 1
        self._move_playhead()

    def _move_playhead(self) -> None:
        """Have the playhead and all that goes with it follow the picture; not as often as frames may come."""
        now, shown = time.monotonic(), self._shown_frame
        if shown >= 0 and shown != self._editor.playhead and now - self._moved_at >= _LEAST_MOVE_SECONDS:
            self._moved_at, self._is_moving = now, True
            self._editor.go_to(shown)
            self._is_moving = False

    def _choose_draft(self, *, is_late: bool) -> None:
        """Have pictures be drawn smaller while they are late, or while drawing takes the window's time."""
        is_ahead = self._frames.is_ahead
        self._frames.set_draft(self._draft.note(is_late=is_late, is_ahead=is_ahead, now=time.monotonic()))

    @property
    def _has_failed(self) -> bool:
        return isinstance(self._device, DeviceSound) and self._device.has_failed

    def _count(self, frame: int) -> int:
        """Count the pictures that have come due since the last one, and return their number."""
        step = frame - self._due_frame
        is_counted = self._due_frame >= 0 and 0 < step < 60 and self.speed == 1
        n_due = step if is_counted else 1
        self.punctuality.n_due += n_due
        return n_due

    def _wait_for_device(self) -> None:
        self._n_waited += 1
        if self._reel is not None and (self._has_failed or self._n_waited > _PATIENCE_TICKS):
            self._device.close()
            self._device = SimulatedSound()
            self._editor.said.emit(
                tr("The sound device does not answer: the picture plays on without sound."), True
            )
            self._start_sound(self._editor.playhead)

    def _coming(self, frame: int) -> list[int]:
        """Return the frames that come next, through the loop."""
        end = self._editor.project.n_frames
        if self.speed < 0:
            lowest = -1 if self.loop is None or frame < self.loop[0] else self.loop[0] - 1
            return list(range(frame, max(frame - _AHEAD, lowest), -1))
        if self.loop is not None and frame < self.loop[1]:
            first, loop_end = self.loop
            length = max(1, loop_end - first)
            coming = [
                f if f < loop_end else first + (f - loop_end) % length for f in range(frame, frame + _AHEAD)
            ]
            return list(dict.fromkeys(coming))
        return list(range(frame, min(frame + _AHEAD, end)))

    def _on_playhead(self) -> None:
        if not self.is_playing:
            self._want_around()
            self._show_playhead()
        elif not self._is_moving and abs(self._editor.playhead - self._due_frame) > 1:  # the user has
            self._due_frame = -1
            self._start_sound(self._editor.playhead)

    def show_anew(self) -> None:
        """Draw what is shown as it is now: something that frames are made of is there, or gone."""
        self._on_project(None, None)

    def _on_project(self, new: object, old: object) -> None:
        self._frames.show(self._editor.project, self._editor.cues)
        self._shown_frame = -1
        if self._editor.ticking:
            self._mixing.start()
        if self.is_playing:
            self._frames.want(self._coming(max(self._due_frame, 0)))
        else:
            self._want_around()
            self._show_playhead()

    def _on_song(self) -> None:
        heard = self._editor.heard
        fingerprint = "" if heard is None else heard.fingerprint
        is_same_file = fingerprint != "" and fingerprint == self._fingerprint
        if is_same_file and heard is not None and heard.samples.data is self._data:
            return  # more was heard in the same sound: it plays on
        if not is_same_file:
            self.stop()
        self._fingerprint = fingerprint
        self._data = None if heard is None else heard.samples.data
        self._sound = None if heard is None else resampled_stereo(heard.samples, SOUND_RATE)
        self._mix = self._ticked = None
        self._mix_ticks()

    def _on_drawn(self, frame: int) -> None:
        if not self.is_playing and frame == self._editor.playhead:
            self._show_playhead()

    def _want_far(self) -> None:
        """Want more of what is around, a few frames at a time: planning them takes the window's time."""
        if self.is_playing or not self._far:
            return
        some, self._far = self._far[:_AT_ONCE], self._far[_AT_ONCE:]
        self._frames.want_more(some)
        if self._far:
            self._resting.start(_AT_ONCE_MILLISECONDS)

    def _want_around(self) -> None:
        """Want the frames at the playhead, and those around it a few at a time when the user stops."""
        around = self._frames_around(round(_FAR_SECONDS * self._editor.project.rate))
        self._far = around[_NEAR:]
        if around:
            self._frames.want(around[:_NEAR], is_patient=True)
        self._resting.start(_REST_MILLISECONDS)

    def _frames_around(self, n_frames: int) -> list[int]:
        here, end = self._editor.playhead, self._editor.project.n_frames
        ahead = range(here, min(here + n_frames, end))
        behind = range(max(here - n_frames // 4, 0), min(here, end))
        return [*ahead, *reversed(behind)]

    def _show_playhead(self) -> None:
        frame = self._editor.playhead
        if self._editor.project.n_frames and frame != self._shown_frame:
            picture = self._frames.picture(frame)
            if picture is not None:
                self._show(picture, frame)

    def _show(self, picture: Picture, frame: int) -> None:
        self._shown_frame = frame
        self.shown.emit(picture, frame)


def _time_of(hit: Hit) -> float:
    return hit.time
