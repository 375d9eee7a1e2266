"""Styles that nobody wrote down: every song gets one of its own, so that none is learned by heart."""

import numpy as np

from training.styles import Pattern, Style

# Share of songs, beats to the bar, steps to the beat.
_METRES = (
    (0.36, 4, 4),
    (0.09, 4, 3),
    (0.09, 3, 2),
    (0.05, 3, 4),
    (0.03, 3, 3),
    (0.05, 2, 4),
    (0.07, 5, 2),
    (0.05, 6, 2),
    (0.08, 7, 2),
    (0.11, 2, 6),
    (0.08, 4, 6),
)
_WITHOUT_DRUMS = 0.18
_BASSES = ("long", "quarter", "walk", "syncopated", "none")
_EVEN_BASSES = ("eighth", "octave", "off", "off and root", "roll", "gallop")
_CHORDS = ("long", "arpeggio", "strum", "block", "off")
_EVEN_CHORDS = ("arpeggio 16", "stab", "stabs", "chug", "chug 16")


def invent_style(rng: np.random.Generator, name: str) -> Style:
    """Return a style made up by chance, within what is played."""
    shares = np.array([share for share, _, _ in _METRES])
    _, beats, steps = _METRES[int(rng.choice(len(_METRES), p=shares / shares.sum()))]
    is_even = steps in (2, 4)
    basses = [*_BASSES, *(_EVEN_BASSES if is_even else ("triplet",))]
    chords = [*_CHORDS, *(_EVEN_CHORDS if is_even else ("comping",))]
    if beats in (5, 7):
        basses, chords = [*basses, "two parts"], [*chords, "two parts"]
    if beats == 3:
        chords.append("after beats")
    has_drums = rng.random() >= _WITHOUT_DRUMS
    feel = _feel(rng, beats, steps)
    # Some play their refrain at half or at twice the time.
    feels = [feel, str(rng.choice(["half", "double"])) if feel == "back" and rng.random() < 0.15 else feel]
    patterns = tuple(_pattern(rng, beats, steps, one) for one in feels) if has_drums else ()
    is_loud = bool(patterns) and rng.random() < 0.16
    bass = str(
        rng.choice(["off", "off and root", "roll"] if feel == "floor" and rng.random() < 0.4 else basses)
    )
    if is_loud and is_even and rng.random() < 0.5:
        chords = ["chug", "chug 16"]
    if not patterns and bass == "none":
        bass = "long"
    return Style(
        name,
        beats,
        steps,
        _tempo(beats, steps, feel if has_drums else "none"),
        patterns,
        (bass,),
        (str(rng.choice(chords)), str(rng.choice(chords))),
        swing=0.5 if steps == 4 and rng.random() < 0.12 else 0.0,
        is_dance=feel == "floor" and rng.random() < 0.8,
        is_distorted=is_loud,
        has_toms=bool(patterns) and rng.random() < 0.08,
        percussion=_percussion(rng, beats, steps) if patterns and rng.random() < 0.2 else "",
    )


def _feel(rng: np.random.Generator, beats: int, steps: int) -> str:
    """Return where the snare is: on two and four, on three (with the kick or after it), between beats, or
    where a group turns."""
    if beats != 4:
        return "groups"
    if steps == 6:
        return str(rng.choice(["back", "half"], p=[0.8, 0.2]))
    if steps == 3:
        return str(rng.choice(["back", "half", "floor"], p=[0.7, 0.15, 0.15]))
    feels = ["back", "half", "double", "floor", "drop", "woven"]
    return str(rng.choice(feels, p=[0.4, 0.14, 0.09, 0.21, 0.05, 0.11]))


def _tempo(beats: int, steps: int, feel: str) -> tuple[float, float]:
    if steps == 6:
        return (44, 92)
    if beats in (6, 7):
        return (135, 255)
    if beats == 5:
        return (95, 190)
    if beats == 3:
        return (80, 190) if steps == 2 else (66, 120)
    tempi = {
        "back": (62, 178) if steps != 3 else (66, 230),
        "half": (112, 165),
        "double": (140, 215),
        "floor": (104, 152),
        "drop": (60, 100),
        "woven": (80, 132),
        "none": (58, 140),
    }
    return tempi.get(feel, (84, 150))


def _pattern(rng: np.random.Generator, beats: int, steps: int, feel: str) -> Pattern:
    n_steps = beats * steps
    kick, snare = _woven(rng, n_steps) if feel == "woven" else _stresses(rng, beats, steps, feel)
    half = max(1, steps // 2) if steps != 3 else 1
    density, fine = rng.uniform(0.0, 0.45), rng.uniform(0.0, 0.25)
    if feel not in ("floor", "woven"):
        for step in range(1, n_steps):
            is_free = kick[step] == "-" and snare[step] == "-"
            chance = density if step % half == 0 else fine * density * 2
            if is_free and rng.random() < chance * (0.6 if step % steps == 0 else 1.0):
                kick[step] = str(rng.choice(["x", "o"]))
    if rng.random() < 0.35:
        for step in range(n_steps):
            if snare[step] == "-" and kick[step] == "-" and rng.random() < 0.15:
                snare[step] = "."
    hat, cymbal = _time_keeper(rng, beats, steps, feel)
    return Pattern("".join(kick), "".join(snare), hat, cymbal)


def _woven(rng: np.random.Generator, n_steps: int) -> tuple[list[str], list[str]]:
    """Return a kick and a snare that each go round in strokes spread as evenly as can be, off the beats too.

    Such rhythms are Euclidean (Toussaint, BRIDGES 2005).
    """
    kick = _spread(n_steps, int(rng.choice([2, 3, 3, 4, 5, 5, 6])), 0)
    turn = int(rng.integers(1, n_steps // 2))
    snare = _spread(n_steps, int(rng.choice([1, 2, 3, 3, 4, 5])), turn)
    if rng.random() < 0.3:  # one half of the bar is plain
        kick[n_steps // 2 :] = ["x", *"-" * (n_steps // 2 - 1)]
    return kick, [mark if kick[step] == "-" or rng.random() < 0.5 else "-" for step, mark in enumerate(snare)]


def _spread(n_steps: int, n_strokes: int, first: int) -> list[str]:
    struck = {(first + step * n_steps // n_strokes) % n_steps for step in range(n_strokes)}
    return ["x" if step in struck else "-" for step in range(n_steps)]


def _percussion(rng: np.random.Generator, beats: int, steps: int) -> str:
    """Return what a bell or a block plays: strokes spread over the bar, or over each beat."""
    n_steps = beats * steps
    if rng.random() < 0.3:
        inside = _spread(steps, int(rng.integers(1, max(2, steps))), int(rng.integers(steps)))
        return "".join(inside * beats).replace("x", "o")
    n_strokes = int(rng.integers(3, max(4, n_steps // 2)))
    return "".join(_spread(n_steps, n_strokes, int(rng.choice([0, 0, 1, 2])))).replace("x", "o")


def _stresses(rng: np.random.Generator, beats: int, steps: int, feel: str) -> tuple[list[str], list[str]]:
    n_steps = beats * steps
    kick, snare = ["-"] * n_steps, ["-"] * n_steps
    if feel == "floor":
        kick[::steps] = ["x"] * beats
        back = rng.random()
        if back < 0.6:
            snare[steps], snare[3 * steps] = "x", "x"
        elif back < 0.7:
            snare[2 * steps] = "x"
        return kick, snare
    if feel == "drop":
        kick[2 * steps] = snare[2 * steps] = "x"
        return kick, snare
    if rng.random() < 0.95:
        kick[0] = "x"
    if feel == "back":
        snare[steps], snare[3 * steps] = "x", "x"
    elif feel == "half":
        snare[2 * steps] = "x"
    elif feel == "double":
        kick[::steps] = ["x"] * beats
        for beat in range(beats):
            snare[beat * steps + steps // 2] = "x"
    else:
        _stress_groups(rng, beats, steps, kick, snare)
    return kick, snare


def _stress_groups(
    rng: np.random.Generator, beats: int, steps: int, kick: list[str], snare: list[str]
) -> None:
    """Put kicks where groups of two and three beats begin, and snares within or at the turn."""
    if steps == 6:  # two slow beats of three: the snare turns on the second
        snare[6] = "x"
        return
    options = {
        2: ((2,), (1, 1)),
        3: ((3,), (3,), (2, 1)),
        5: ((3, 2), (2, 3), (5,)),
        6: ((3, 3), (4, 2), (2, 2, 2), (6,)),
        7: ((4, 3), (3, 4), (2, 2, 3), (3, 2, 2)),
    }[beats]
    first = 0
    for length in options[int(rng.integers(len(options)))]:
        if first == 0 or rng.random() < 0.7:
            kick[first * steps] = "x"
        turn = first + (length + 1) // 2 if rng.random() < 0.7 else first + length - 1
        if length > 1 and turn < beats and rng.random() < 0.9:
            snare[turn * steps] = "x"
            if length == 3 and rng.random() < 0.4:
                snare[(first + 1) * steps] = snare[(first + 2) * steps] = "o"
        first += length
    for step in range(len(kick)):
        if snare[step] != "-" and kick[step] != "-":
            kick[step] = "-" if step else "x"


def _time_keeper(rng: np.random.Generator, beats: int, steps: int, feel: str) -> tuple[str, str]:
    """Return the pattern of the hat, and which cymbal plays it."""
    n_steps = beats * steps
    cymbal = str(rng.choice(["hat", "hat", "hat", "open", "ride"]))
    kinds = ["beats", "halves", "halves", "all", "accented", "none"]
    if feel == "floor":
        kinds = ["off", "off", "off", "halves", "all", "accented"]
    if steps == 3:
        kinds = ["beats", "all", "shuffled", "shuffled", "ride"]
    if steps == 6:
        kinds = ["eighths", "eighths", "accented eighths", "long and short", "all"]
    kind = str(rng.choice(kinds))
    half = max(1, steps // 2)
    made = []
    for step in range(n_steps):
        place = step % steps
        made.append(
            {
                "beats": "x" if place == 0 else "-",
                "halves": "o" if place % half == 0 else "-",
                "all": "o",
                "accented": "x" if place == 0 else "." if place % half else "o",
                "off": "x" if place == half else "-",
                "shuffled": "o" if place in (0, 2) else "-",
                "ride": "x" if place == 0 else "o" if place == 2 and (step // steps) % 2 else "-",
                "eighths": "o" if place % 2 == 0 else "-",
                "accented eighths": "x" if place == 0 else "o" if place % 2 == 0 else "-",
                "long and short": "o" if place in (0, 4) else "-",
                "none": "-",
            }[kind]
        )
    return "".join(made), cymbal
