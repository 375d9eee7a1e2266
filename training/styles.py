"""What is played: patterns and tempi by style; development and validation share none of them.

A pattern is one bar long: ``x`` loud, ``o`` softer, ``.`` softest, ``-`` nothing.
"""

from typing import NamedTuple


class Pattern(NamedTuple):
    """A bar of drums, and which cymbal keeps the time."""

    kick: str
    snare: str
    hat: str
    cymbal: str = "hat"


class Style(NamedTuple):
    """A way of playing: a bar has ``beats * steps`` steps; a style without patterns has no drums.

    `tempo` is in BPM of the beat that people would tap. `is_dance` pumps the band under the low drum and
    has no fills; `is_distorted` takes distorted guitars. `percussion` is a pattern of cowbells and wood
    blocks, or nothing; `programs` are General MIDI's of bass, chords and lead, and `wave` is that of a
    synthesiser: both are left to chance if they are empty.
    """

    name: str
    beats: int
    steps: int
    tempo: tuple[float, float]
    patterns: tuple[Pattern, ...] = ()
    bass: tuple[str, ...] = ("long",)
    chords: tuple[str, ...] = ("long",)
    swing: float = 0.0
    is_dance: bool = False
    is_distorted: bool = False
    has_toms: bool = False
    percussion: str = ""
    programs: tuple[int, ...] = ()
    wave: str = ""


_P = Pattern
_REST = "-" * 16

DEVELOPMENT = (
    Style(
        "rock",
        4,
        4,
        (80, 165),
        (
            _P("x-------x-x-----", "----x-------x---", "o-o-o-o-o-o-o-o-"),
            _P("x-----x-x-------", "----x-------x---", "o-o-o-o-o-o-o-o-"),
            _P("x--x----x-x---x-", "----x-------x---", "o---o---o---o---", "ride"),
            _P("x-------xx------", "----x--.-.--x---", "o-o-o-o-o-o-o-o-", "open"),
        ),
        ("eighth", "syncopated"),
        ("chug", "strum", "long"),
    ),
    Style(
        "pop",
        4,
        4,
        (85, 130),
        (
            _P("x-----x---x-----", "----x-------x---", "o.o.o.o.o.o.o.o."),
            _P("x---------x-----", "----x-------x---", "o-o-o-o-o-o-o-o-"),
        ),
        ("syncopated", "long"),
        ("long", "strum", "arpeggio"),
    ),
    Style(
        "slow ballad",
        4,
        4,
        (58, 84),
        (
            _P("x-----x-x-------", "----x-------x---", "o-o-o-o-o-o-o-o-"),
            _P("x-------x-x-----", "----x-------x---", "o.o.o.o.o.o.o.o.", "ride"),
        ),
        ("long", "quarter"),
        ("arpeggio", "long", "block"),
    ),
    Style(
        "funk",
        4,
        4,
        (90, 120),
        (
            _P("x-x---x---x--x--", "----x--.-.--x--.", "ooooo-oooooo-ooo"),
            _P("x--x--x---x-----", "----x--.-.--x-.-", "o.o.o.o.o.o.oxo."),
        ),
        ("syncopated",),
        ("stabs",),
    ),
    Style(
        "house",
        4,
        4,
        (112, 132),
        (
            _P("x---x---x---x---", "----x-------x---", "--x---x---x---x-", "open"),
            _P("x---x---x---x---", _REST, "--x---x---x---x-", "open"),
            _P("x---x---x---x---", "----x-------x---", ".-x-.-x-.-x-.-x-"),
        ),
        ("off", "off and root", "syncopated"),
        ("long", "stab"),
        is_dance=True,
    ),
    Style(
        "techno",
        4,
        4,
        (125, 150),
        (
            _P("x---x---x---x---", _REST, "oooooooooooooooo"),
            _P("x---x---x---x---", "----x-------x---", ".o.o.o.o.o.o.o.o"),
            _P("x---x---x---x---", _REST, "--o---o---o---o-"),
            _P("x---x---x---x---", _REST, "--o---o---o---o-", "open"),
        ),
        ("off", "roll"),
        ("long", "arpeggio", "off"),
        is_dance=True,
    ),
    Style(
        "fast break",
        4,
        4,
        (158, 180),
        (
            _P("x---------x-----", "----x-------x---", "o-o-o-o-o-o-o-o-"),
            _P("x-x-------x-----", "----x--.-.--x---", "o-o-oo-oo-o-o-oo"),
            _P("x---------x-----", "----x-------x---", "x---x---x---x---", "ride"),
        ),
        ("long", "syncopated"),
        ("long",),
        is_dance=True,
    ),
    Style(
        "laid back",
        4,
        4,
        (76, 105),
        (
            _P("x------x--x-----", "----x-------x---", "o-o-o-o-o-o-o-o-"),
            _P("x--x------x--x--", "----x-------x---", "o.o.o.o.o.o.o.o."),
        ),
        ("syncopated", "long"),
        ("arpeggio", "long"),
        swing=0.5,
    ),
    Style(
        "shuffle",
        4,
        3,
        (80, 140),
        (
            _P("x--x-ox--x--", "---x-----x--", "o-oo-oo-oo-o"),
            _P("x-----x-o---", "---x-----x--", "o-oo-oo-oo-o", "ride"),
        ),
        ("quarter", "triplet"),
        ("strum", "off"),
    ),
    Style(
        "fast swing",
        4,
        3,
        (130, 230),
        (
            _P("x-----o-----", "---.-----.--", "x--x-xx--x-x", "ride"),
            _P(".--.--.--.--", "-----.------", "x--x-ox--x-o", "ride"),
            _P("x-----------", "---o-----o--", "---x-----x--"),
        ),
        ("walk",),
        ("comping",),
    ),
    Style(
        "waltz",
        3,
        2,
        (90, 185),
        (
            _P("x-----", "--o-o-", "o-o-o-"),
            _P("x-----", "----x-", "o-oooo"),
            _P("x--o--", "--x---", "o-o-o-", "ride"),
        ),
        ("long", "quarter"),
        ("after beats", "arpeggio"),
    ),
    Style(
        "metal",
        4,
        4,
        (130, 215),
        (
            _P("xxxxxxxxxxxxxxxx", "----x-------x---", "x---x---x---x---", "ride"),
            _P("x-xxx-xxx-xxx-xx", "----x-------x---", "x---x---x---x---", "open"),
            _P("xx--x-xx--x-xx--", "--------x-------", "x---x---x---x---", "crash"),
            _P("x-x-x-x-x-x-x-x-", "--x---x---x---x-", "x---x---x---x---", "crash"),
        ),
        ("gallop", "eighth"),
        ("chug", "chug 16"),
        is_distorted=True,
    ),
    Style(
        "half time",
        4,
        4,
        (120, 160),
        (
            _P("x-----x---x-----", "--------x-------", "o-o-o-o-o-o-o-o-"),
            _P("x--x------x-----", "--------x-------", "oooooooooooooooo"),
        ),
        ("long", "syncopated"),
        ("long", "arpeggio"),
    ),
    Style(
        "six eight",
        2,
        6,
        (45, 90),
        (
            _P("x-----------", "------x-----", "o-o-o-o-o-o-"),
            _P("x---o-----o-", "------x-----", "o-o-o-o-o-o-"),
            _P("x-----x-----", "-" * 12, "o-o-o-o-o-o-", "ride"),
        ),
        ("long", "triplet"),
        ("arpeggio", "strum"),
    ),
    Style(
        "twelve eight",
        4,
        6,
        (50, 90),
        (
            _P("x---------o-x-----------", "------x-----------x-----", "o-o-o-o-o-o-o-o-o-o-o-o-"),
            _P("x-----------x---o-------", "------x-----------x-----", "o-o-o-o-o-o-o-o-o-o-o-o-", "ride"),
        ),
        ("triplet", "long"),
        ("arpeggio", "long"),
    ),
    Style(
        "five",
        5,
        2,
        (100, 185),
        (
            _P("x-----x---", "----x---x-", "o-o-o-o-o-"),
            _P("x--x--x---", "----x---x-", "oooooooooo"),
            _P("x-----x---", "--x-----x-", "o-o-o-o-o-", "ride"),
        ),
        ("quarter", "two parts"),
        ("two parts", "arpeggio"),
    ),
    Style(
        "six",
        6,
        2,
        (130, 220),
        (
            _P("x-----x-----", "----x-----x-", "o-o-o-o-o-o-"),
            _P("x-----------", "------x-----", "o-o-o-o-o-o-", "ride"),
        ),
        ("quarter", "long"),
        ("arpeggio", "long"),
    ),
    Style(
        "seven",
        7,
        2,
        (140, 260),
        (
            _P("x---x---x-----", "--x---x---x---", "o-o-o-o-o-o-o-"),
            _P("x-----x---x---", "----x-------x-", "o-o-o-o-o-o-o-"),
            _P("x-------x-----", "----x-------x-", "o-o-o-o-o-o-o-", "ride"),
        ),
        ("quarter", "two parts"),
        ("two parts", "arpeggio"),
    ),
    Style(
        "two",
        2,
        4,
        (90, 140),
        (
            _P("x-------", "----x---", "o-o-o-o-"),
            _P("x---x---", "--o---o-", "--------"),
            _P("x-------", "----x-.-", "x---x---"),
        ),
        ("quarter",),
        ("off",),
    ),
    Style(
        "off-beat",
        4,
        4,
        (66, 96),
        (
            _P("x-------x-------", "----x-------x---", "--o---o---o---o-"),
            _P("--------x-------", "--------o-------", "o.o.o.o.o.o.o.o."),
        ),
        ("syncopated", "quarter"),
        ("off",),
    ),
    Style(
        "toms",
        4,
        4,
        (90, 140),
        (_P("x---x---x---x---", "------------x---", _REST),),
        ("eighth",),
        ("long",),
        has_toms=True,
    ),
    Style("clicks", 4, 2, (60, 180), (_P("-" * 8, "-" * 8, "x-o-o-o-"),), ("none",), ("none",)),
    Style("clicks of three", 3, 2, (60, 180), (_P("-" * 6, "-" * 6, "x-o-o-"),), ("none",), ("none",)),
    Style("piano", 4, 4, (58, 130), (), ("long", "quarter"), ("arpeggio", "block")),
    Style("guitar", 4, 4, (66, 140), (), ("quarter",), ("strum", "arpeggio")),
    Style("strings", 3, 2, (60, 120), (), ("long",), ("long", "arpeggio")),
)

VALIDATION = (
    Style(
        "floor",
        4,
        4,
        (108, 130),
        (
            _P("x---x---x---x---", "----x-------x---", "o-x-o-x-o-x-o-x-", "open"),
            _P("x---x---x---x-o-", "----x--.----x---", "ooxoooxoooxoooxo", "open"),
        ),
        ("octave",),
        ("stabs", "long"),
        is_dance=True,
    ),
    Style(
        "off-beat bass",
        4,
        4,
        (128, 142),
        (
            _P("x---x---x---x---", _REST, "--x---x---x---x-", "open"),
            _P("x---x---x---x---", "----x-------x---", "o.x.o.x.o.x.o.x."),
        ),
        ("off", "off and root"),
        ("arpeggio 16", "long"),
        is_dance=True,
    ),
    Style(
        "breakbeat",
        4,
        4,
        (95, 138),
        (
            _P("x-x-------xx----", "----x--x-x--x--x", "o-o-o-o-o-o-o-o-"),
            _P("x-x-----x-----x-", "----x--.-.--x-.-", "o-o-o-o-o-o-o-o-"),
        ),
        ("syncopated",),
        ("stab",),
    ),
    Style(
        "slow half",
        4,
        4,
        (125, 155),
        (
            _P("x-----x---------", "--------x-------", "o-o-o-o-o-o-oooo"),
            _P("x--------x-x----", "--------x-------", "o-o-ooo-o-o-o-o-"),
        ),
        ("long",),
        ("arpeggio", "long"),
    ),
    Style(
        "swing",
        4,
        3,
        (110, 200),
        (
            _P(".-----------", "------------", "x--x-ox--x-o", "ride"),
            _P("o-----.-----", "-----.------", "x--x-ox--x-o", "ride"),
        ),
        ("walk",),
        ("comping",),
    ),
    Style(
        "rock with fills",
        4,
        4,
        (75, 150),
        (
            _P("x--x--x---------", "----x-------x---", "o-o-o-o-o-o-o-o-"),
            _P("x-x---x--x------", "----x-----.-x---", "o-o-o-o-o-o-o-o-", "ride"),
        ),
        ("eighth", "syncopated"),
        ("strum", "chug"),
    ),
    Style(
        "march",
        2,
        4,
        (100, 130),
        (_P("x---x---", "o.o.x.o.", "--------"), _P("x-------", "----x-oo", "x---x---")),
        ("quarter",),
        ("off",),
    ),
    Style(
        "three",
        3,
        2,
        (100, 170),
        (_P("x-----", "--x---", "oooooo"), _P("x--x--", "----x-", "o-o-o-", "open")),
        ("eighth",),
        ("strum", "long"),
    ),
    Style(
        "jig",
        2,
        6,
        (45, 85),
        (
            _P("x---------o-", "------x-----", "o---o-o---o-"),
            _P("x-----o-o---", "------x-----", "o-o-o-o-o-o-"),
        ),
        ("triplet", "long"),
        ("arpeggio", "strum"),
    ),
    Style(
        "five four",
        5,
        2,
        (110, 180),
        (_P("x--o--x---", "--x---x-o-", "o-o-o-o-o-", "ride"), _P("x---x-----", "------x---", "oooooooooo")),
        ("two parts",),
        ("two parts", "arpeggio"),
    ),
    Style(
        "seven eight",
        7,
        2,
        (150, 250),
        (
            _P("x---x---x-----", "--------x---x-", "o-o-o-o-o-o-o-"),
            _P("x-----x---x---", "--x-----x---x-", "o-o-o-o-o-o-o-", "ride"),
        ),
        ("two parts",),
        ("arpeggio", "two parts"),
    ),
    Style(
        "slow twelve",
        4,
        6,
        (50, 85),
        (_P("x-----------x-o---------", "------x-----------x-----", "o---o-o---o-o---o-o---o-"),),
        ("triplet",),
        ("arpeggio",),
    ),
    Style(
        "driving",
        4,
        4,
        (150, 200),
        (
            _P("x-----x-x-----x-", "----x-------x---", "x---x---x---x---", "open"),
            _P("x---x---x---x---", "--x---x---x---x-", "x---x---x---x---"),
        ),
        ("eighth",),
        ("chug",),
        is_distorted=True,
    ),
    Style(
        "dense",
        4,
        4,
        (100, 140),
        (
            _P("x-xx--x-x-xx--x-", "----x-------x---", "o---o---o---o---"),
            _P("x-----xxx-------", "----x-------x--x", "o-o-o-o-o-o-o-o-"),
        ),
        ("roll",),
        ("chug 16",),
        is_distorted=True,
    ),
    Style(
        "skank",
        4,
        4,
        (66, 92),
        (
            _P("--------x-------", "--------x-------", "o-o-o-o-o-o-o-o-"),
            _P("x---x---x---x---", "--------x-------", "o-o.o-o.o-o.o-o."),
        ),
        ("syncopated",),
        ("off",),
    ),
    Style(
        "clave",
        4,
        4,
        (90, 125),
        (_P("x--xx--xx--xx--x", "---x--x----x-x--", "oooooooooooooooo"),),
        ("syncopated",),
        ("off", "arpeggio"),
        has_toms=True,
    ),
    Style("harp", 4, 4, (60, 120), (), ("long",), ("arpeggio 16", "arpeggio")),
    Style("organ", 4, 4, (60, 120), (), ("walk", "long"), ("block", "long")),
    Style("clavinet", 4, 4, (80, 120), (), ("eighth",), ("stabs",)),
)
