"""Whether sixty clips are on the music at once, and going anywhere among them shows its frame at once."""

import os
import random
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from statistics import median

import av
import numpy as np

from benchmarks.clips import make_grainy
from benchmarks.result import Result, at_least, at_most
from benchmarks.window import wait
from epiphane.audio.cache import hear_song
from epiphane.demo import MEDIA, SONG_FILE
from epiphane.document.filling import Order
from epiphane.document.project import Project
from epiphane.edits.footage import add_footage, learn_of_footage
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.song.song import set_song
from epiphane.media.fingerprint import fingerprint
from epiphane.media.gather import gather_files
from epiphane.media.proxy import ProxyStore
from epiphane.media.search import search_clip

N_CLIPS = 60
_N_JUMPS, _N_SKIMS = 60, 80


def measure_footage(folder: Path) -> Iterator[Result]:
    """Gather sixty clips of 720p made of the demo's, fill a song of a minute, jump about in it and skim."""
    clips = folder / "clips"
    clips.mkdir()
    make_clips(clips)
    minute = folder / "minute.mp4"
    _join(sorted(MEDIA.glob("*.mp4")), minute, seconds=60)
    started = time.perf_counter()
    found = search_clip(minute)
    yield at_most("a minute of 720p looked through", time.perf_counter() - started, 6, "s")
    yield Result("  found", f"{len(found.moments)} moments, {len(found.takes)} takes")
    grainy = folder / "grain.mp4"
    make_grainy(grainy, n_pictures=240)
    started = time.perf_counter()
    search_clip(grainy)
    yield Result("  with film grain, a minute", f"{(time.perf_counter() - started) * 1800 / 240:.1f} s")
    store = ProxyStore(folder / "proxies")
    for name, path, n_pictures in (("720p", minute, 1800), ("1080p with film grain", grainy, 240)):
        started = time.process_time()
        store.make(path, fingerprint(path))
        seconds = time.process_time() - started
        yield at_least(f"proxies of {name} a second of one core", n_pictures / seconds, 40, "frames")
        yield Result("  / decoding it alone", f"{seconds / _seconds_of_decoding(path):.2f}")
    started = time.perf_counter()
    gathered = gather_files([clips])
    yield Result(f"{N_CLIPS} clips gathered", f"{time.perf_counter() - started:.1f} s")
    project = add_footage(set_song(Project(), hear_song(_long_song(folder)).as_song()), gathered.found)
    for one in project.footage:
        project = learn_of_footage(project, one.fingerprint, found)
        store.make(Path(one.path), one.fingerprint)
    started = time.perf_counter()
    project = fill_song(project, order=Order.MOMENTS)
    yield at_most(f"{N_CLIPS} clips filled into a minute", time.perf_counter() - started, 1, "s")
    yield Result("  shots", f"{len(project.shots)}")
    yield from _window(folder, project, store)


def _window(folder: Path, project: Project, store: ProxyStore) -> Iterator[Result]:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

    from epiphane.desk.shell.app import make_application
    from epiphane.desk.shell.window import Window

    app = make_application(["bench"])
    window = Window(journal_folder=folder, proxies=store)
    window.footage.prepares = False
    window.resize(1280, 800)
    window.show()
    window.editor.open(project, None)
    wait(4000)  # thumbnails
    shown: list[tuple[int, float]] = []
    window.playback.shown.connect(lambda _picture, frame: shown.append((frame, time.perf_counter())))
    generator, took = random.Random(1), []
    for _ in range(_N_JUMPS):
        frame = generator.randrange(project.n_frames)
        started = time.perf_counter()
        window.editor.go_to(frame)
        while not (shown and shown[-1][0] == frame):
            wait(1)
        took.append(1000 * (shown[-1][1] - started))
    yield at_most("going anywhere to its frame, worst of 60", max(took), 100, "ms")
    yield Result("  median", f"{median(took):.0f} ms")
    seen: list[float] = []
    window.skimmer.drawn.connect(lambda _frame: seen.append(time.perf_counter()))
    skims = []
    for number in range(_N_SKIMS):
        footage = project.footage[number // 8 % N_CLIPS]
        started, n_before = time.perf_counter(), len(seen)
        window.clip_player.peek(footage, number % 8 / 8 * footage.duration)
        while len(seen) == n_before:
            wait(1)
        skims.append(1000 * (seen[-1] - started))
    yield at_most("skimming to a frame, 95 of 100", float(np.percentile(skims, 95)), 40, "ms")
    yield Result("  median", f"{median(skims):.0f} ms")
    window.shut_down()
    app.processEvents()


def _seconds_of_decoding(path: Path) -> float:
    started = time.process_time()
    with av.open(str(path)) as container:
        container.streams.video[0].codec_context.thread_count = 1
        for _ in container.decode(video=0):
            pass
    return time.process_time() - started


def make_clips(folder: Path) -> None:
    """Make clips that differ: parts of the demo's, remuxed, each with another end."""
    sources = sorted(MEDIA.glob("*.mp4"))
    for number in range(N_CLIPS):
        path = folder / f"run {number:02d}.mp4"
        _join([sources[number % len(sources)]], path, seconds=2.5 + 0.05 * number)


def _join(sources: list[Path], path: Path, *, seconds: float) -> None:
    """Write a clip of some length from others, one after the other and again, without decoding them."""
    with av.open(str(path), "w") as out:
        first = av.open(str(sources[0]))
        stream = out.add_stream_from_template(first.streams.video[0])
        first.close()
        offset, n = Fraction(0), 0
        while offset < seconds:
            with av.open(str(sources[n % len(sources)])) as container:
                video = container.streams.video[0]
                base = video.time_base or Fraction(1, 15360)
                for packet in container.demux(video):
                    if packet.pts is None or packet.dts is None or offset + packet.dts * base >= seconds:
                        continue
                    shift = int(offset / base)
                    packet.pts, packet.dts = packet.pts + shift, packet.dts + shift
                    packet.stream = stream
                    out.mux(packet)
                offset += (video.duration or 1) * base
            n += 1


def _long_song(folder: Path) -> Path:
    """Return the demo's song twice over: a minute."""
    from epiphane.audio.samples import read_samples

    song = read_samples(SONG_FILE)
    path = folder / "minute.wav"
    data = np.tile(song.data, (2, 1))[: 60 * song.rate]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=song.rate)
        stream.codec_context.layout = "stereo"
        block = np.ascontiguousarray((np.clip(data, -1, 1) * 32767).astype(np.int16).reshape(1, -1))
        frame = av.AudioFrame.from_ndarray(block, format="s16", layout="stereo")
        frame.sample_rate = song.rate
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path
