"""Joining the chunks of a film to one file: packets are copied, their times counted anew, sound encoded once.

A chunk is a file without sound whose first picture is a key picture and whose groups of pictures are closed.
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType

import av
import numpy as np
from msgspec import Struct
from PIL import Image

from epiphane.errors import MediaError
from epiphane.media.codecs import AAC, SoundCodec, VideoCodec
from epiphane.media.opening import open_media
from epiphane.media.writer import SOUND_RATE, FilmFile, SoundTrack
from epiphane.types import Float32Array
from epiphane.wording import tr

_NOTHING: Mapping[str, str] = MappingProxyType({})


class Chapter(Struct, frozen=True):
    """A chapter of a film: where it begins, seconds, and its title; it ends where the next one begins."""

    start: float
    title: str


class FilmFacts(Struct, frozen=True):
    """What a film says of itself: title, chapters, and the picture that stands for it, JPEG or none."""

    title: str = ""
    chapters: tuple[Chapter, ...] = ()
    poster: bytes = b""


_NO_FACTS = FilmFacts()


class Chunk(Struct, frozen=True):
    """A part of a film that is ready: its file, and how many pictures are to be in it."""

    path: Path
    n_pictures: int


def join_chunks(
    chunks: Sequence[Chunk],
    path: Path,
    *,
    rate: Fraction,
    codec: VideoCodec,
    container: str,
    options: Mapping[str, str] = _NOTHING,
    sound: Float32Array | None = None,
    audio: SoundCodec = AAC,
    facts: FilmFacts = _NO_FACTS,
) -> None:
    """Write chunks as one film, whole or not at all.

    Parameters
    ----------
    chunks : in their order, made with `codec`
    rate : Fraction, frames / second
    sound : float32, shape (n_samples, 2), at `SOUND_RATE`, or None

    Raises
    ------
    MediaError
        If the film cannot be written, or a chunk is not what is expected: it has to be made again.
    """
    with FilmFile(path, container, options) as film, open_media(chunks[0].path) as first:
        template = first.streams.video[0]
        video = film.container.add_stream_from_template(template, opaque=True)
        video.time_base = 1 / rate
        extradata = bytes(template.codec_context.extradata or b"")
        track = None if sound is None else SoundTrack(film, sound, audio)
        n_pictures = sum(chunk.n_pictures for chunk in chunks)
        _describe(film, facts, float(n_pictures / rate))
        n_before = 0
        for chunk in chunks:
            for number, (place, packet) in enumerate(_packets(chunk, extradata)):
                if number - place > codec.delay:
                    raise _unfit(chunk.path)
                _mux(film, video, packet, 1 / rate, (n_before + place, n_before + number - codec.delay))
                if track is not None:
                    track.write(until=round((n_before + number + 1) / rate * SOUND_RATE))
            n_before += chunk.n_pictures
        if track is not None:
            track.finish(until=round(n_before / rate * SOUND_RATE))


def packet_sizes(film: Path) -> list[int]:
    """Return the bytes of each picture of a film as it is coded, in the order of decoding.

    Raises
    ------
    av.FFmpegError
        If it is none.
    """
    with open_media(film) as container:
        return [packet.size for packet in container.demux(container.streams.video[0]) if packet.size]


def _mux(
    film: FilmFile,
    stream: av.VideoStream,
    old: av.Packet[av.VideoStream],
    base: Fraction,
    times: tuple[int, int],
) -> None:
    """Write a packet with other times: when it is shown and decoded, in pictures."""
    packet = av.Packet(bytes(old))
    packet.stream, packet.time_base = stream, base
    packet.pts, packet.dts = times
    packet.duration = 1
    packet.is_keyframe = old.is_keyframe
    for extra in old.iter_sidedata():
        packet.set_sidedata(extra)  # the alpha of VP9 is one
    film.mux(packet)


def _packets(chunk: Chunk, extradata: bytes) -> list[tuple[int, av.Packet[av.VideoStream]]]:
    """Return the packets of a chunk in the order of decoding, each with its place in the order of showing."""
    try:
        with open_media(chunk.path) as container:
            stream = container.streams.video[0]
            packets = [packet for packet in container.demux(stream) if packet.size]
            found = bytes(stream.codec_context.extradata or b"")
    except (av.FFmpegError, OSError, IndexError):
        raise _unfit(chunk.path) from None
    shown_at = np.array([-1 if packet.pts is None else packet.pts for packet in packets])
    order = np.argsort(np.argsort(shown_at))
    is_whole = len(packets) == chunk.n_pictures and len(np.unique(shown_at)) == len(packets)
    if not is_whole or not packets[0].is_keyframe or order[0] != 0 or found != extradata:
        raise _unfit(chunk.path)
    return [(int(place), packet) for place, packet in zip(order, packets, strict=True)]


def _unfit(path: Path) -> MediaError:
    return MediaError(
        tr("a chunk of the film ({name}) is damaged or of another version; export it anew.", name=path.name)
    )


def _describe(film: FilmFile, facts: FilmFacts, seconds: float) -> None:
    """Give a film its title, its chapters and its poster, before its first packet."""
    container = film.container
    if facts.title:
        container.metadata["title"] = facts.title
    ends = [*(one.start for one in facts.chapters[1:]), seconds]
    if facts.chapters:
        container.set_chapters(
            [
                {
                    "id": number,
                    "start": round(1000 * one.start),
                    "end": round(1000 * end),
                    "time_base": Fraction(1, 1000),
                    "metadata": {"title": one.title},
                }
                for number, (one, end) in enumerate(zip(facts.chapters, ends, strict=True), start=1)
            ]
        )
    if facts.poster:
        with Image.open(io.BytesIO(facts.poster)) as picture:
            width, height = picture.size
        stream = container.add_mux_stream("mjpeg", rate=1, width=width, height=height)
        stream.disposition = av.stream.Disposition.attached_pic
        container.start_encoding()
        packet = av.Packet(facts.poster)
        packet.stream, packet.pts, packet.dts, packet.time_base = stream, 0, 0, Fraction(1, 1)
        film.mux(packet)
