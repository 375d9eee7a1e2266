"""The files of films: chunks are made, then joined with the sound, chapters and a poster."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import closing
from pathlib import Path

from epiphane.exporting.chunks import ChunkFolder
from epiphane.exporting.drawn_frames import as_picture, as_planes
from epiphane.exporting.film import Drawing, Film
from epiphane.exporting.film_sound import FilmSound, film_sound
from epiphane.facts.form import part_words, parts_of
from epiphane.formats.declare import Depth, FilmOutput
from epiphane.media.joining import Chapter, Chunk, FilmFacts, join_chunks
from epiphane.media.picture_files import encoded_jpeg
from epiphane.media.writer import MovieWriter
from epiphane.timing import frame_at

_EDGE = 1e-3


def make_chunks(
    film: Film, output: FilmOutput, drawing: Drawing, numbers: Sequence[int], place: Callable[[int], Path]
) -> list[str]:
    """Make the chunks of some numbers, each at its place, and return what is to be said."""
    codec, chunks = output.video(film.coding), film.chunks
    frames = [frame for number in numbers for frame in chunks[number]]
    with closing(drawing.drawn(frames, as_planes(codec.layout))) as drawn:
        for number in numbers:
            with MovieWriter(
                place(number),
                size=film.size,
                rate=film.project.rate,
                video=codec,
                container=output.container,
                options={},
            ) as writer:
                for _ in chunks[number]:
                    writer.write(next(drawn))
        for _ in drawn:  # on to its end: there it tells of faults
            pass
    return drawing.remarks


def sound_of(film: Film) -> FilmSound | None:
    """Return the sound of a film, or None where it has none."""
    if film.settings.is_silent:
        return None
    return film_sound(film.project, film.frames, film.settings.loudness)


def join(film: Film, output: FilmOutput, folder: ChunkFolder, sound: FilmSound | None) -> list[str]:
    """Write the film of chunks that are all there, and return what is to be said."""
    chunks = [Chunk(folder.path(number), len(part)) for number, part in enumerate(film.chunks)]
    join_chunks(
        chunks,
        film.path,
        rate=film.project.rate,
        codec=output.video(film.coding),
        container=output.container,
        options=output.options,
        sound=None if sound is None else sound.samples,
        audio=output.sound,
        facts=_facts(film, output),
    )
    return [] if sound is None else list(sound.remarks)


def _facts(film: Film, output: FilmOutput) -> FilmFacts:
    """Return what a film says of itself: its title, its parts as chapters, its poster."""
    settings, rate = film.settings, film.project.rate
    chapters = _chapters(film) if settings.has_chapters else ()
    poster = b""
    if settings.poster is not None and output.has_poster:
        frame = min(max(frame_at(settings.poster, rate), 0), film.project.n_frames - 1)
        (picture,) = Drawing(film, lambda _: None).drawn([frame], as_picture(Depth.LEVELS_8))
        poster = encoded_jpeg(picture)
    return FilmFacts(film.project.name, chapters, poster)


def _chapters(film: Film) -> tuple[Chapter, ...]:
    """Return the parts of the song as chapters: of the first one the film's beginning is the start."""
    start, end = (float(frame / film.project.rate) for frame in (film.frames.start, film.frames.stop))
    parts = [
        one for one in parts_of(film.project.song) if one.start < end - _EDGE and one.end > start + _EDGE
    ]
    starts = [max(0.0, one.start - start) if number else 0.0 for number, one in enumerate(parts)]
    return tuple(Chapter(at, part_words(one)) for at, one in zip(starts, parts, strict=True))
