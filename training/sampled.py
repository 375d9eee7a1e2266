"""Drum kits and instruments out of Debian's packages of sounds, and how notes are played on them."""

import re
import subprocess
import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from xml.etree import ElementTree

import mido
import numpy as np
import soundfile
import soxr

from epiphane.types import FloatArray
from training.kit import RATE, Drum, Family, Kit, make_kit

_DRUMKITS = Path("/usr/share/hydrogen/data/drumkits")
_LARGE_FONT = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")
_SMALL_FONT = Path("/usr/share/sounds/sf2/TimGM6mb.sf2")
_FULL_FONT = Path("/usr/share/sounds/sf3/MuseScore_General_Full.sf3")
_UNFAMILIAR_FONT = Path("/usr/share/sounds/sf2/sf_GMbank.sf2")
_TICKS_PER_SECOND = 10_000
_DRUM_CHANNEL = 9

_FOLDERS = {
    Family.DEVELOPMENT: (
        "Audiophob",
        "Millo-Drums_v.1",
        "Millo_MultiLayered2",
        "Millo_MultiLayered3",
        "VariBreaks",
        "HardElectro1",
        "ForzeeStereo",
        "rumpf_kit_z01_h2",
    ),
    Family.VALIDATION: ("BJA_Pacific", "ColomboAcousticDrumkit", "ElectricEmpireKit", "The Black Pearl 1.0"),
    Family.UNFAMILIAR: ("Gimme A Hand 1.0",),
}
_FONT_KITS = {
    Family.DEVELOPMENT: (
        (_LARGE_FONT, (0, 5, 8, 12, 16, 18, 24, 25)),
        (_SMALL_FONT, (8, 24)),
        (_FULL_FONT, (2, 14, 17, 24)),
    ),
    Family.VALIDATION: ((_LARGE_FONT, (32, 40)), (_SMALL_FONT, (0, 16, 25))),
    Family.UNFAMILIAR: ((_UNFAMILIAR_FONT, (0, 8, 16, 24, 25, 32, 127)),),
}
_N_SYNTHESISED = {Family.DEVELOPMENT: 64, Family.VALIDATION: 14, Family.UNFAMILIAR: 8}
_FIRST_KIT_SEED = {Family.DEVELOPMENT: 2000, Family.VALIDATION: 4000, Family.UNFAMILIAR: 6000}
# The drum map of General MIDI.
_KEYS = {
    "kick": (35, 36),
    "snare": (38, 40),
    "clap": (39,),
    "hat": (42, 44),
    "open": (46,),
    "ride": (51, 59),
    "crash": (49, 57),
    "tom": (41, 43, 45, 47, 48, 50),
    "perc": (56, 60, 61, 62, 63, 64, 76),
}
_NAMES = (
    ("", r"roll|swish|choke|free|reverse|fx|zap|whistle|click|stick|phaser|side|cross|sample"),
    ("kick", r"kick|bass ?drum|^bd|thump"),
    ("clap", r"clap"),
    ("snare", r"snare|^sd|slap"),
    ("open", r"(hat|hh|hi-hat).*(op|semi)|(op|semi).*(hat|hh)|ohh"),
    ("hat", r"hat|hh\b|maraca|shaker|tambourine"),
    ("ride", r"ride"),
    ("crash", r"crash|china|splash|cymbal"),
    ("tom", r"\btoms?\b|tomhi"),
    ("perc", r"conga|cowbell|agogo|bongo|wood|clave|djembe"),
)


@dataclass(frozen=True)
class Note:
    """A note of a part (a MIDI channel): seconds, MIDI pitch, velocity 1..127."""

    part: int
    start: float
    length: float
    pitch: int
    velocity: int


@dataclass(frozen=True)
class Instruments:
    """The General MIDI programs to choose from."""

    basses: tuple[int, ...]
    chords: tuple[int, ...]
    distorted: tuple[int, ...]
    leads: tuple[int, ...]
    plucked: tuple[int, ...]


INSTRUMENTS = {
    Family.DEVELOPMENT: Instruments(
        basses=(7, 32, 33, 34, 37, 37, 38, 43, 45, 58),
        chords=(
            0,
            3,
            4,
            5,
            7,
            16,
            17,
            19,
            20,
            21,
            22,
            24,
            25,
            27,
            28,
            48,
            49,
            51,
            52,
            54,
            61,
            62,
            63,
            88,
            89,
            91,
        ),
        distorted=(30,),
        leads=(22, 30, 41, 42, 52, 56, 57, 59, 64, 65, 68, 69, 72, 73, 75, 81, 83, 85),
        plucked=(0, 4, 5, 9, 10, 11, 13, 14, 24, 25, 28, 45, 98, 106, 107, 108),
    ),
    Family.UNFAMILIAR: Instruments(
        basses=(32, 33, 36, 38, 39),
        chords=(0, 4, 16, 24, 27, 48, 50, 52, 61, 62, 81, 90),
        distorted=(29, 30),
        leads=(40, 56, 65, 73, 80, 81, 11, 53),
        plucked=(0, 11, 24, 46, 12, 80),
    ),
    Family.VALIDATION: Instruments(
        basses=(35, 36, 39, 87),
        chords=(1, 2, 6, 18, 26, 50, 90),
        distorted=(29,),
        leads=(29, 40, 60, 66, 71, 80),
        plucked=(8, 12, 46, 104),
    ),
}


@cache
def load_kits(family: Family) -> tuple[Kit, ...]:
    """Return the kits of a family: sampled ones, ones out of sound fonts, and synthesised ones."""
    fonts = (_LARGE_FONT, _SMALL_FONT, _FULL_FONT, _UNFAMILIAR_FONT)
    missing = [path for path in (_DRUMKITS, *fonts) if not path.exists()]
    if missing:
        sys.exit(f"{missing[0]} is not there: `make train` and `make bench` install what songs need.")
    kits = [_drumkit(_DRUMKITS / name) for name in _FOLDERS[family]]
    kits += [_font_kit(font, program) for font, programs in _FONT_KITS[family] for program in programs]
    seeds = _FIRST_KIT_SEED[family] + np.arange(_N_SYNTHESISED[family])
    kits += [make_kit(np.random.default_rng(seed), family) for seed in seeds]
    return tuple(kit for kit in kits if kit.is_whole)


def fonts_of(family: Family) -> tuple[Path, Path]:
    """Return the fonts whose instruments a family plays: the usual one, and another."""
    return (_UNFAMILIAR_FONT,) * 2 if family is Family.UNFAMILIAR else (_LARGE_FONT, _SMALL_FONT)


def play_notes(
    notes: Sequence[Note], programs: dict[int, int], seconds: float, *, font: Path = _LARGE_FONT
) -> FloatArray:
    """Return notes played by a sound font, mono, float64, shape (round(seconds * RATE),)."""
    with TemporaryDirectory() as folder:
        song, sound = Path(folder) / "song.mid", Path(folder) / "song.wav"
        _write_midi(song, notes, programs, seconds)
        command = ["fluidsynth", "-ni", "-q", "-r", str(RATE), "-g", "0.5", "-C", "0", "-F", str(sound)]
        subprocess.run(
            [*command, "-T", "wav", "-O", "float", str(font), str(song)], check=True, capture_output=True
        )
        samples, _ = soundfile.read(sound, always_2d=True)
    wanted = round(seconds * RATE)
    mono = samples.mean(axis=1)[:wanted]
    return np.pad(mono, (0, wanted - len(mono)))


def _write_midi(path: Path, notes: Sequence[Note], programs: dict[int, int], seconds: float) -> None:
    events: list[tuple[float, mido.Message]] = [
        (0.0, mido.Message("program_change", channel=part, program=program))
        for part, program in programs.items()
    ]
    for note in notes:
        begin = mido.Message("note_on", channel=note.part, note=note.pitch, velocity=note.velocity)
        events.append((note.start, begin))
        end = mido.Message("note_off", channel=note.part, note=note.pitch)
        events.append((min(note.start + max(note.length, 0.03), seconds), end))
    events.append((seconds + 0.3, mido.Message("note_off", channel=0, note=1)))
    events.sort(key=lambda event: (round(event[0] * _TICKS_PER_SECOND), event[1].type != "note_off"))
    track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=1_000_000)])
    last = 0
    for time, message in events:
        tick = round(time * _TICKS_PER_SECOND)
        track.append(message.copy(time=tick - last))
        last = tick
    mido.MidiFile(ticks_per_beat=_TICKS_PER_SECOND, tracks=[track]).save(path)


def _font_kit(font: Path, program: int) -> Kit:
    """Strike every drum of a sound font's kit at three strengths and cut the strokes apart."""
    strokes = [
        (name, key, velocity) for name, keys in _KEYS.items() for key in keys for velocity in (50, 85, 120)
    ]
    starts = 0.5 + 2.0 * np.arange(len(strokes))
    notes = [
        Note(_DRUM_CHANNEL, float(start), 0.3, key, velocity)
        for start, (_, key, velocity) in zip(starts, strokes, strict=True)
    ]
    sound = play_notes(notes, {_DRUM_CHANNEL: program}, float(starts[-1] + 2), font=font)
    layers: dict[tuple[str, int], list[FloatArray]] = {}
    for start, (name, key, _) in zip(starts, strokes, strict=True):
        first = round((start - 0.02) * RATE)
        layers.setdefault((name, key), []).extend(_one_shots([sound[first : first + round(1.8 * RATE)]]))
    drums: dict[str, tuple[Drum, ...]] = {}
    for (name, _), shots in layers.items():
        if shots:
            drums[name] = (*drums.get(name, ()), Drum(tuple(shots)))
    return Kit(drums)


def _drumkit(folder: Path) -> Kit:
    drums: dict[str, tuple[Drum, ...]] = {}
    for name, files in _instruments(folder / "drumkit.xml"):
        shots = list(_one_shots(_sounds(folder / file for file in files[:6])))
        if shots:
            drums[name] = (*drums.get(name, ()), Drum(tuple(shots)))
    if "hat" not in drums and "open" in drums:
        drums["hat"] = drums["open"]
    return Kit(drums)


def _instruments(description: Path) -> Iterator[tuple[str, list[str]]]:
    for element in ElementTree.parse(description).iter():
        if _tag(element) != "instrument":
            continue
        words = next((child.text or "" for child in element if _tag(child) == "name"), "").lower()
        name = next((name for name, pattern in _NAMES if re.search(pattern, words)), "")
        if name:
            yield name, [child.text for child in element.iter() if _tag(child) == "filename" and child.text]


def _tag(element: ElementTree.Element) -> str:
    return element.tag.rsplit("}", 1)[-1]


def _sounds(paths: Iterator[Path]) -> Iterator[FloatArray]:
    for path in paths:
        try:
            samples, rate = soundfile.read(path, always_2d=True)
        except soundfile.LibsndfileError:
            continue
        yield soxr.resample(samples.mean(axis=1)[: 3 * rate], rate, RATE)


def _one_shots(sounds: Sequence[FloatArray] | Iterator[FloatArray]) -> Iterator[FloatArray]:
    for sound in sounds:
        peak = np.abs(sound).max(initial=0.0)
        if len(sound) < 200 or peak < 1e-3:
            continue
        first = max(0, int(np.argmax(np.abs(sound) > 0.03 * peak)) - 8)
        shot = sound[first : first + round(1.6 * RATE)].copy()
        fade = min(len(shot), 400)
        shot[-fade:] *= np.linspace(1, 0, fade)
        yield shot / np.abs(shot).max()
