"""Songs in styles, on sounds and through codecs that nothing is learned from or tuned to.

They are for looking at as a whole. Whoever mends listening song by song here learns from them, and then they
are worth nothing: write others.
"""

from training.coding import CODINGS, Coding
from training.kit import Family
from training.library import Order
from training.song import Timing, Wish
from training.styles import Pattern, Style

_P = Pattern
_SEED = 870_000
_REST = "-" * 16
_CHOIR, _STRINGS, _PIANO, _GUITAR, _SQUARE = 52, 48, 0, 24, 80
_HAT_ROLL = "x---o---x---o-o-x---o---x-o-oooo"

UNFAMILIAR = (
    Style(
        "bossa",
        4,
        4,
        (116, 140),
        (_P("x-----x-x-----x-", "x-----x-----x---", "o-o-o-o-o-o-o-o-"),),
        ("quarter",),
        ("comping", "stab"),
        programs=(32, _GUITAR, 73),
    ),
    Style("samba", 2, 4, (92, 110), (_P("o---x---", "x-xx-x-x", "xoox" * 2),), ("syncopated",), ("off",)),
    Style(
        "afrobeats",
        4,
        4,
        (96, 116),
        (_P("x-----x-x-------", "---x--x----x--x-", "o.x.o.x.o.x.o.x."),),
        ("syncopated",),
        ("arpeggio",),
        percussion="--o---o---o--o--",
    ),
    Style(
        "dembow",
        4,
        4,
        (88, 102),
        (_P("x---x---x---x---", "---x--x----x--x-", "--o---o---o---o-"),),
        ("long", "off and root"),
        ("long", "stab"),
        is_dance=True,
    ),
    Style(
        "highlife",
        4,
        4,
        (100, 126),
        (_P("x---x---x---x---", "--x---x---x---x-", "o-o-o-o-o-o-o-o-"),),
        ("walk", "syncopated"),
        ("arpeggio 16",),
        percussion="x--x--x---x-x---",
    ),
    Style(
        "trap",
        4,
        8,
        (130, 150),
        (_P("x-----------x---x-------x-------", "-" * 16 + "x" + "-" * 15, _HAT_ROLL),),
        ("long",),
        ("arpeggio", "long"),
    ),
    Style(
        "drill",
        4,
        4,
        (138, 146),
        (_P("x-----x----x--x-", "------x-------x-", "x--x--x-x--x--x-"),),
        ("long", "syncopated"),
        ("long",),
    ),
    Style(
        "phonk",
        4,
        4,
        (118, 140),
        (_P("x-----x---x-----", "----x-------x---", "o-o-o-o-o-o-o-o-"),),
        ("long",),
        ("long",),
        percussion="x-xx-x-xx-x-x-x-",
        is_distorted=True,
    ),
    Style(
        "chip",
        4,
        4,
        (120, 170),
        (_P("x-----x-x-------", "----x-------x---", "o-o-o-o-o-o-o-o-"),),
        ("octave", "eighth"),
        ("arpeggio 16",),
        wave="pulse",
    ),
    Style(
        "six eight",
        2,
        6,
        (50, 80),
        (_P("x-----------", "------x-----", "o-o-o-o-o-o-"),),
        ("long",),
        ("arpeggio",),
    ),
    Style(
        "slow blues",
        4,
        3,
        (58, 88),
        (_P("x-----x-----", "---x-----x--", "ooo" * 4, "ride"),),
        ("walk",),
        ("block",),
    ),
    Style(
        "five",
        5,
        4,
        (110, 150),
        (_P("x-----x-----x-------", "------------x-------", "o-" * 10, "ride"),),
        ("two parts",),
        ("two parts",),
    ),
    Style(
        "seven, 2 2 3",
        7,
        2,
        (190, 250),
        (_P("x---x---x-----", "--x---x---x---", "o-" * 7),),
        ("long",),
        ("chug",),
    ),
    Style(
        "seven, 3 2 2",
        7,
        2,
        (190, 250),
        (_P("x-----x---x---", "----x---x---x-", "o-" * 7),),
        ("long",),
        ("strum",),
    ),
    Style("free piano", 4, 4, (60, 92), (), ("long",), ("arpeggio", "block"), programs=(0, _PIANO, _PIANO)),
    Style(
        "orchestra", 4, 4, (84, 132), (), ("quarter", "long"), ("block", "stab"), programs=(43, _STRINGS, 56)
    ),
    Style("choir", 4, 4, (76, 116), (), ("quarter",), ("block", "long"), programs=(_CHOIR, _CHOIR, 53)),
    Style(
        "voices and snaps",
        4,
        4,
        (80, 112),
        (_P(_REST, "----o-------o---", _REST),),
        ("quarter",),
        ("block", "long"),
        programs=(_CHOIR, 53, 54),
    ),
    Style(
        "disco",
        4,
        4,
        (112, 126),
        (_P("x---x---x---x---", "----x-------x---", "--x---x---x---x-", "open"),),
        ("octave",),
        ("strum", "stabs"),
    ),
    Style(
        "fast cut",
        4,
        4,
        (160, 176),
        (_P("x-x-------xx----", "----x--.-.--x--.", "o-o-o-o-o-o-o-o-"),),
        ("off", "long"),
        ("long",),
        is_dance=True,
    ),
    Style("train", 4, 4, (100, 128), (_P("x---x---x---x---", "ooxo" * 4, _REST),), ("quarter",), ("strum",)),
    Style("tango", 4, 2, (112, 132), (), ("quarter",), ("block", "chug"), programs=(32, 21, 40)),
    Style(
        "heavy",
        4,
        4,
        (86, 112),
        (_P("xxxxxxxxxxxxxxxx", "----x-------x---", "x---x---x---x---", "ride"),),
        ("eighth",),
        ("chug 16", "chug"),
        is_distorted=True,
    ),
    Style(
        "gospel",
        4,
        6,
        (54, 76),
        (_P("x----xx-----x----x------", "------x-----------x-----", "o-" * 12),),
        ("long",),
        ("block", "arpeggio"),
    ),
    Style(
        "techno, bass between",
        4,
        4,
        (126, 142),
        (_P("x---x---x---x---", "----x-------x---", "oooooooooooooooo"),),
        ("off", "roll"),
        ("off", "long"),
        is_dance=True,
    ),
    Style(
        "worn tape",
        4,
        4,
        (70, 88),
        (_P("x------x--x-----", "----x-------x---", "o-o-o-o-o-o-o-o-"),),
        ("syncopated",),
        ("long", "comping"),
        swing=0.6,
    ),
    Style(
        "jazz waltz",
        3,
        3,
        (120, 180),
        (_P("x--------", "-----o---", "o--o-oo--", "ride"),),
        ("walk",),
        ("comping",),
    ),
    Style(
        "nine eight",
        3,
        6,
        (56, 84),
        (_P("x-----------o-----", "------x-----------", "o-" * 9),),
        ("long",),
        ("arpeggio",),
    ),
)
"""Styles that are neither learned from nor tuned to."""

_RUBATO = ("free piano",)
_LIVE = ("orchestra", "choir", "voices and snaps", "slow blues", "samba", "tango", "gospel", "jazz waltz")
_FILES = (
    None,
    Coding("MP3 at 64 kb/s", codec="libmp3lame", container="mp3", bit_rate=64_000),
    None,
    CODINGS[1],
    CODINGS[4],
)


def unfamiliar_orders() -> list[Order]:
    """Return two songs of every style, two in five of them through a codec or a low-pass."""
    orders = []
    for number, style in enumerate(style for style in UNFAMILIAR for _ in range(2)):
        timing = None if style.name not in _LIVE else Timing.LIVE
        if style.name in _RUBATO:
            timing = Timing.RUBATO
        wish = Wish(timing=timing or Timing.MACHINE, coding=_FILES[number % len(_FILES)])
        orders.append(Order(style, _SEED + number, Family.UNFAMILIAR, wish))
    return orders
