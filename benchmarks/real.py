"""Whether any song has hits: music of games in Debian's packages, fetched by name while measuring.

Nobody knows what is true of these songs. What is asked is that none is empty: that there are hits to
fire effects on, as many as a listener would count, on the grid or where they come again in every bar, and
that it is said how sure a drum is.
"""

import subprocess
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import scipy.ndimage as ndi

from benchmarks.result import Result, at_least, at_most
from epiphane.audio.heard import Listening
from epiphane.audio.listening import listen
from epiphane.audio.samples import read_samples
from epiphane.document.song import BANDS, DRUMS
from epiphane.errors import MediaError

# Chips, techno and breakbeat; then orchestra, folk, pop, metal.
PACKAGES = (
    "a7xpg-data",
    "gunroar-data",
    "mu-cade-data",
    "noiz2sa-data",
    "parsec47-data",
    "rrootage-data",
    "titanion-data",
    "torus-trooper-data",
    "tumiki-fighters-data",
    "extremetuxracer-data",
    "fretsonfire-songs-muldjord",
    "fretsonfire-songs-sectoid",
    "lincity-ng-data",
    "neverball-data",
)
_SUFFIXES = (".ogg", ".mp3", ".flac", ".wav", ".opus")
_LEAST_BYTES, _MOST_SONGS = 400_000, 2  # of a package
_PARTS = ("guitar", "rhythm", "drums")  # recordings of one player of a song
_ON_GRID_SECONDS = 0.03
# Hits this far from a place of the bar that comes again bar by bar are beside it: nearer they are on it,
# farther they are another one's.
_BESIDE_SECONDS, _STEP_SECONDS, _MOST_BESIDE = (0.025, 0.06), 0.005, 0.1
_LEAST_COMING_AGAIN = 0.3  # of the bars
_FEWEST_A_MINUTE = 20


def measure_real(folder: Path) -> Iterator[Result]:
    """Listen to some songs of each package; say hits a minute, share on quarters of a beat, confidence."""
    least: list[float] = []
    beside: list[float] = []
    for path in real_songs(folder):
        try:
            found = listen(read_samples(path), name=path.name)
        except MediaError as error:
            yield Result(f"  {path.stem}", str(error))
            continue
        rates = {name: _rate(found, name) for name in (*DRUMS, *BANDS)}
        texts = [
            f"{name} {rates[name]:.0f}" + (f" ({sure:.0%}{_stand_in(found, name)})")
            for name, sure in zip(DRUMS, found.drums.confidence, strict=True)
        ]
        texts += [f"{band} {rates[band]:.0f}, {_lie(found, band)}" for band in BANDS]
        beside.append(max(_beside(found, name) for name in (*DRUMS, *BANDS)))
        least.append(min(_rate_fired(found, drum) for drum in DRUMS))
        yield Result(f"  {path.stem}", f"{found.tempo:.1f} BPM, {found.confidence:.0%}; " + "; ".join(texts))
    yield Result("real songs", str(len(least)))
    n_beside = sum(share > _MOST_BESIDE for share in beside)
    yield at_most("songs with hits beside a place that comes again in each bar", n_beside, 0, "")
    yield at_least(
        "share of them with hits for every drum", float(np.mean(np.array(least) >= _FEWEST_A_MINUTE)), 0.9, ""
    )


def real_songs(folder: Path) -> Iterator[Path]:
    """Fetch the packages into a folder and yield the first songs of each."""
    for package in PACKAGES:
        into = folder / package
        if not into.exists():
            into.mkdir(parents=True)
            subprocess.run(["apt-get", "download", "-qq", package], cwd=into, check=True, capture_output=True)
            archive = next(into.glob("*.deb"))
            subprocess.run(["dpkg-deb", "-x", archive.name, "."], cwd=into, check=True)
        songs = [
            path
            for path in sorted(into.rglob("*"))
            if path.suffix in _SUFFIXES and path.stem not in _PARTS and path.is_file()
        ]
        yield from [path for path in songs if path.stat().st_size > _LEAST_BYTES][:_MOST_SONGS]


def _rate(found: Listening, name: str) -> float:
    return 60 * len(found.drums.heard(name)) / found.duration


def _rate_fired(found: Listening, drum: str) -> float:
    """Return how many cues a minute a lane on a drum has."""
    return 60 * len(found.drums.hits(drum)) / found.duration


def _stand_in(found: Listening, drum: str) -> str:
    band = found.drums.stand_in(drum)
    return f", {band} instead" if band else ""


def _lie(found: Listening, name: str) -> str:
    return f"{_on_grid(found, name):.0%} on grid, {_beside(found, name):.0%} beside"


def _on_grid(found: Listening, name: str) -> float:
    """Return the share of hits within 30 ms of a quarter or a third of a beat."""
    beats = np.array([beat.time for beat in found.beats])
    times = np.array([hit.time for hit in found.drums.heard(name)])
    if len(beats) < 2 or len(times) == 0:
        return 0.0
    phase = np.interp(times, beats, np.arange(len(beats)))
    off = np.min([np.abs(phase * parts - np.round(phase * parts)) / parts for parts in (4, 3)], axis=0)
    return float(np.mean(off * np.median(np.diff(beats)) < _ON_GRID_SECONDS))


def _beside(found: Listening, name: str) -> float:
    """Return the share of hits 25 to 60 ms beside the nearest place that comes again bar by bar.

    Such a place is a peak of the hits folded to the bar, met in three bars of ten; 0 where there is none.
    """
    downbeats = np.array([beat.time for beat in found.beats if beat.place == 1])
    times = np.array([hit.time for hit in found.drums.heard(name)])
    if len(downbeats) < 8 or len(times) == 0:
        return 0.0
    bar = float(np.median(np.diff(downbeats)))
    phases = np.interp(times, downbeats, np.arange(len(downbeats))) % 1
    n_steps = max(8, round(bar / _STEP_SECONDS))
    counts = np.bincount((phases * n_steps).astype(int) % n_steps, minlength=n_steps)
    met = np.sum([np.roll(counts, turn) for turn in range(-2, 3)], axis=0)
    is_peak = met == ndi.maximum_filter1d(met, 9, mode="wrap")
    is_peak &= met > _LEAST_COMING_AGAIN * len(downbeats)
    if not is_peak.any():
        return 0.0
    places = (np.flatnonzero(is_peak) + 0.5) / n_steps
    off = np.abs(phases[:, None] - places)
    seconds = bar * np.minimum(off, 1 - off).min(axis=1)
    least, most = _BESIDE_SECONDS
    return float(np.mean((seconds > least) & (seconds < most)))
