"""Open footage, kept open while it is in use."""

import threading
from collections import OrderedDict
from pathlib import Path

from epiphane.errors import MediaError
from epiphane.media.clip import Clip
from epiphane.media.placeholder import placeholder
from epiphane.media.raw import RawPicture
from epiphane.render.plan import SourceFrame

_MOST_OPEN = 16


class OpenFootage:
    """The clips that a project draws from; may be used from several threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._clips: OrderedDict[tuple[str, str], Clip | MediaError] = OrderedDict()
        self._faults: dict[str, str] = {}

    def picture(self, source: SourceFrame) -> RawPicture:
        """Return a picture, or a placeholder that says why there is none."""
        clip = self._clip(source.path, source.fingerprint)
        if isinstance(clip, MediaError):
            return placeholder(str(clip))
        try:
            return clip.read(clip.index_at(source.seconds))
        except MediaError as error:
            self._faults[source.path] = str(error)
            return placeholder(str(error))

    def faults(self) -> list[str]:
        """Return what went wrong so far, a sentence for each file."""
        return list(self._faults.values())

    def forget_faults(self) -> None:
        """Try files again that could not be opened: they may have been put back."""
        with self._lock:
            self._faults.clear()
            for key in [key for key, clip in self._clips.items() if isinstance(clip, MediaError)]:
                del self._clips[key]

    def close(self) -> None:
        """Close every file."""
        with self._lock:
            clips = list(self._clips.values())
            self._clips.clear()
        for clip in clips:
            if isinstance(clip, Clip):
                clip.close()

    def _clip(self, path: str, fingerprint: str) -> Clip | MediaError:
        with self._lock:
            found = self._clips.get((path, fingerprint))
            if found is None:
                found = self._opened(path)
                self._clips[path, fingerprint] = found
                while len(self._clips) > _MOST_OPEN:
                    _, old = self._clips.popitem(last=False)
                    if isinstance(old, Clip):
                        old.close()
            else:
                self._clips.move_to_end((path, fingerprint))
            return found

    def _opened(self, path: str) -> Clip | MediaError:
        try:
            return Clip(Path(path))
        except MediaError as error:
            self._faults[path] = str(error)
            return error
