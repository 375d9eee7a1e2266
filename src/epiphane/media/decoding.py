"""Opening a file of footage and decoding its frames in a row."""

from __future__ import annotations

import contextlib
from collections import deque
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import av

from epiphane.disk import short_name, why_unreadable
from epiphane.errors import DiskError, MediaError
from epiphane.media.opening import open_media
from epiphane.wording import tr

if TYPE_CHECKING:
    import av.filter

# WebM keeps alpha beside the picture, where only these decoders look for it.
_ALPHA_DECODERS = {"vp8": "libvpx", "vp9": "libvpx-vp9"}


def open_container(path: Path) -> av.container.InputContainer:
    """Open a file.

    Raises
    ------
    MediaError
        If it is missing, or nothing that can be decoded.
    """
    if reason := why_unreadable(path):
        raise MediaError(
            tr(
                "{name} {reason}; put it back or replace it.",
                name=short_name(path),
                reason=reason,
            )
        )
    try:
        return open_media(path)
    except DiskError as error:
        raise MediaError(str(error)) from None
    except (av.FFmpegError, ValueError):
        raise MediaError(
            tr("{name} is damaged or no video; convert it or leave it out.", name=path.name)
        ) from None


def picture_stream(container: av.container.InputContainer, path: Path) -> av.VideoStream:
    """Return the first stream of moving pictures that can be decoded; a cover is none.

    Raises
    ------
    MediaError
        If there is none; the container is closed then.
    """
    moving = [s for s in container.streams.video if not s.disposition & av.stream.Disposition.attached_pic]
    for stream in moving:
        if stream.codec_context is not None:
            return stream
    container.close()
    if moving:
        raise MediaError(
            tr("{name}: its pictures cannot be decoded; convert it or leave it out.", name=path.name)
        )
    raise MediaError(tr("{name} has no picture in it; it can be a song, but not footage.", name=path.name))


def pixel_aspect(stream: av.VideoStream) -> float:
    """Return the width of a pixel by its height."""
    return float(stream.sample_aspect_ratio or 1) or 1.0


def decoded_frames(
    container: av.container.InputContainer, stream: av.VideoStream, *, deinterlaced: bool = False
) -> Iterator[av.VideoFrame]:
    """Decode on over broken packets, and give out what the decoder holds at the end.

    Frames that are `deinterlaced` lack what comes before the first one; all others are whole.
    """
    frames = _frames(container, stream)
    return _deinterlaced(frames) if deinterlaced else frames


def _frames(container: av.container.InputContainer, stream: av.VideoStream) -> Iterator[av.VideoFrame]:
    decoder = _alpha_decoder(stream) or stream.codec_context
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets)
        except (StopIteration, EOFError):
            return
        except av.FFmpegError:
            return
        try:
            yield from decoder.decode(packet)
        except av.FFmpegError:
            continue


def _alpha_decoder(stream: av.VideoStream) -> av.VideoCodecContext | None:
    """Return a decoder that gives alpha too, or None where the usual one does or there is none."""
    context = stream.codec_context
    says_so = any(key.lower() == "alpha_mode" and value == "1" for key, value in stream.metadata.items())
    if not says_so or context.name not in _ALPHA_DECODERS:
        return None
    decoder = av.CodecContext.create(_ALPHA_DECODERS[context.name], "r")
    assert isinstance(decoder, av.VideoCodecContext)
    decoder.extradata = context.extradata
    decoder.thread_count = context.thread_count
    return decoder


def _deinterlaced(frames: Iterable[av.VideoFrame]) -> Iterator[av.VideoFrame]:
    """Yield a progressive frame for each; those that are progressive already stay as they are.

    The filter looks at the frames before and after ("Bob Weaver", of the decoder's library).
    """
    graph: av.filter.Graph | None = None
    waiting: deque[int | None] = deque()  # the filter counts time by its own clock
    shape: tuple[int, int, str] | None = None
    for frame in frames:
        here = frame.width, frame.height, frame.format.name
        if here != shape:
            yield from _flushed(graph, waiting)
            graph, shape = _deinterlacer(frame), here
        assert graph is not None
        waiting.append(frame.pts)
        graph.push(frame)
        yield from _pulled(graph, waiting)
    yield from _flushed(graph, waiting)


def _deinterlacer(frame: av.VideoFrame) -> av.filter.Graph:
    import av.filter  # loads the whole library

    graph = av.filter.Graph()
    source = graph.add_buffer(
        width=frame.width, height=frame.height, format=frame.format, time_base=frame.time_base
    )
    graph.link_nodes(
        source,
        graph.add("bwdif", "mode=send_frame:deint=interlaced"),
        graph.add("buffersink"),
    ).configure()
    return graph


def _pulled(graph: av.filter.Graph, waiting: deque[int | None]) -> Iterator[av.VideoFrame]:
    with contextlib.suppress(av.BlockingIOError, EOFError):
        while waiting:
            frame = graph.pull()
            assert isinstance(frame, av.VideoFrame)
            frame.pts = waiting.popleft()
            yield frame


def _flushed(graph: av.filter.Graph | None, waiting: deque[int | None]) -> Iterator[av.VideoFrame]:
    if graph is not None:
        graph.push(None)
        yield from _pulled(graph, waiting)
        waiting.clear()
