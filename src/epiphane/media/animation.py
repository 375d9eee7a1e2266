"""Files of moving pictures without sound: GIF with a palette made for it, animated WebP and AVIF."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import IO, Any, Self

import av
import av.filter
import cv2
import numpy as np
from PIL import Image

from epiphane.disk import PartFile, remove_abandoned
from epiphane.errors import MediaError
from epiphane.media.codecs import Animation
from epiphane.types import Picture, Pixels, Size
from epiphane.wording import tr

_HUNDREDTHS = Fraction(1, 100)
# A palette for what changes, and a dither that does not crawl where nothing does.
_PALETTE, _DITHER = "stats_mode=diff", "dither=bayer:bayer_scale=5:diff_mode=rectangle"


def write_gif(path: Path, moving: Animation) -> None:
    """Write a GIF; its pictures are BGR, its rate one that whole hundredths of a second tell in the mean.

    Raises
    ------
    MediaError
        If it cannot be written.
    """
    with _Spool(moving.pictures) as kept, _whole_file(path) as part:
        palette = _palette_of(kept)
        with av.open(str(part), "w", format="gif", options={"loop": "0"}) as container:
            stream = container.add_stream("gif", rate=moving.rate)
            stream.width, stream.height = kept.size
            stream.pix_fmt = "pal8"
            stream.codec_context.time_base = _HUNDREDTHS
            for number, frame in enumerate(_in_palette(kept, palette)):
                frame.pts, frame.time_base = round(number / moving.rate / _HUNDREDTHS), _HUNDREDTHS
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))


def write_webp(path: Path, moving: Animation, quality: float) -> None:
    """Write an animated WebP; `quality` is 0 to 100.

    Raises
    ------
    MediaError
        If it cannot be written.
    """
    _write_by_pillow(path, moving, "WEBP", quality=round(quality), method=2)


def write_avif(path: Path, moving: Animation, quality: float) -> None:
    """Write an animated AVIF; everything is as with `write_webp`."""
    _write_by_pillow(path, moving, "AVIF", quality=round(quality), speed=8)


def _write_by_pillow(path: Path, moving: Animation, form: str, **options: Any) -> None:
    starts = [round(1000 * number / moving.rate) for number in range(moving.count + 1)]
    durations = np.diff(starts).tolist()
    image = _FramesInTurn(moving)
    with _whole_file(path) as part:
        image.save(part, form, save_all=True, duration=durations, loop=0, **options)


class _FramesInTurn(Image.Image):
    """An image of many frames that are taken one after the other, so that they need not all be in memory."""

    def __init__(self, moving: Animation) -> None:
        super().__init__()
        self.n_frames, self.is_animated = moving.count, moving.count > 1
        self._coming = iter(moving.pictures)
        self._at = -1
        self.seek(0)

    def tell(self) -> int:
        return 0

    def seek(self, frame: int) -> None:
        """Go on to the next frame; EOFError after the last one. What is behind does not come again."""
        if frame <= self._at:
            return
        picture = next(self._coming, None)
        if picture is None:
            raise EOFError
        code = cv2.COLOR_BGRA2RGBA if picture.shape[2] == 4 else cv2.COLOR_BGR2RGB
        image = Image.fromarray(cv2.cvtColor(np.ascontiguousarray(picture, np.uint8), code))
        self.im, self._mode, self._size = image.im, image.mode, image.size
        self._at = frame


class _Spool:
    """Pictures kept in a file without a name, to be gone through several times."""

    def __init__(self, pictures: Iterable[Pixels]) -> None:
        self._file: IO[bytes] = tempfile.TemporaryFile()  # noqa: SIM115  # closed by __exit__
        self.size: Size = (0, 0)
        self._n_bytes = 0
        try:
            for picture in pictures:
                self.size = picture.shape[1], picture.shape[0]
                self._n_bytes = self._file.write(np.ascontiguousarray(picture[..., :3], np.uint8).tobytes())
        except BaseException:
            self._file.close()
            raise

    def __iter__(self) -> Iterator[Picture]:
        self._file.seek(0)
        while data := self._file.read(self._n_bytes):
            yield np.frombuffer(data, np.uint8).reshape(self.size[1], self.size[0], 3)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._file.close()


def _palette_of(kept: _Spool) -> av.VideoFrame:
    """Return the 256 colours that are best for all pictures together, as a frame of them."""
    graph = av.filter.Graph()
    source = _source(graph, kept.size)
    chosen, sink = graph.add("palettegen", _PALETTE), graph.add("buffersink")
    source.link_to(chosen)
    chosen.link_to(sink)
    graph.configure()
    for number, picture in enumerate(kept):
        source.push(_frame(picture, number))
    source.push(None)
    return next(_pulled(sink))


def _in_palette(kept: _Spool, palette: av.VideoFrame) -> Iterator[av.VideoFrame]:
    """Yield each picture in the colours of a palette."""
    graph = av.filter.Graph()
    source, colours = _source(graph, kept.size), _source(graph, (16, 16))
    mapped, sink = graph.add("paletteuse", _DITHER), graph.add("buffersink")
    source.link_to(mapped, 0, 0)
    colours.link_to(mapped, 0, 1)
    mapped.link_to(sink)
    graph.configure()
    colours.push(palette)
    colours.push(None)
    for number, picture in enumerate(kept):
        source.push(_frame(picture, number))
        yield from _pulled(sink)
    source.push(None)
    yield from _pulled(sink)


def _source(graph: av.filter.Graph, size: Size) -> Any:
    form = av.VideoFormat("bgra")
    return graph.add_buffer(width=size[0], height=size[1], format=form, time_base=_HUNDREDTHS)


def _frame(picture: Picture, number: int) -> av.VideoFrame:
    frame = av.VideoFrame.from_ndarray(
        np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGR2BGRA), np.uint8), format="bgra"
    )
    frame.pts, frame.time_base = number, _HUNDREDTHS
    return frame


def _pulled(sink: Any) -> Iterator[av.VideoFrame]:
    while True:
        try:
            yield sink.pull()
        except (av.BlockingIOError, av.EOFError):
            return


@contextmanager
def _whole_file(path: Path) -> Iterator[Path]:
    """Give where to write a file that gets its name only when it is whole."""
    remove_abandoned(path.absolute().parent, path.name)
    try:
        with PartFile(Path(os.path.realpath(path))) as part:
            yield part.path
            part.publish()
    except (av.FFmpegError, OSError, ValueError, KeyError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise MediaError(tr("{path} cannot be written: {reason}.", path=path, reason=reason)) from None
