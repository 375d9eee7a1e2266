"""What is played: drum patterns by style, in steps of a bar; development and validation share none."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Style:
    """A way of playing.

    Patterns are one bar long: ``x`` loud, ``o`` softer, ``.`` softest, ``-`` nothing. `steps` is the
    number of steps in a beat, so a bar has ``beats * steps`` of them; a style without patterns has no
    drums.
    """

    name: str
    beats: int
    steps: int
    tempo: tuple[float, float]
    kick: str = ""
    snare: str = ""
    hat: str = ""
    bass: str = "long"
    is_electronic: bool = False
    swing: float = 0.0

    @property
    def has_drums(self) -> bool:
        """Whether anything is struck."""
        return bool(self.kick)


DEVELOPMENT = (
    Style("backbeat", 4, 4, (85, 150), "x-------x-x-----", "----x-------x---", "o-o-o-o-o-o-o-o-", "eighth"),
    Style("ballad", 4, 4, (66, 90), "x-----x-x-------", "----x-------x---", "o-o-o-o-o-o-o-o-"),
    Style("floor", 4, 4, (118, 132), "x---x---x---x---", "----x-------x---", "--x---x---x---x-", "off", True),
    Style("half", 4, 4, (120, 160), "x-----x---x-----", "--------x-------", "o-o-o-o-o-o-o-o-"),
    Style(
        "fast break",
        4,
        4,
        (160, 178),
        "x---------x-----",
        "----x-------x---",
        "o-o-o-o-o-o-o-o-",
        "long",
        True,
    ),
    Style("shuffle", 4, 3, (80, 135), "x--x-ox--x--", "---x-----x--", "o-oo-oo-oo-o", "quarter"),
    Style("waltz", 3, 2, (95, 170), "x-----", "--o-o-", "o-o-o-", "quarter"),
    Style("compound", 2, 6, (48, 85), "x---o-----o-", "------x-----", "o-o-o-o-o-o-"),
    Style("five", 5, 2, (105, 170), "x-----x---", "----x---x-", "o-o-o-o-o-"),
    Style("no drums", 4, 4, (70, 120)),
)

VALIDATION = (
    Style(
        "syncopated", 4, 4, (78, 145), "x--x--x---x-----", "----x-------x---", "ooooooooo-o-o-o-", "eighth"
    ),
    Style("driving", 4, 4, (150, 190), "x-----x-x-----x-", "----x-------x---", "x---x---x---x---", "eighth"),
    Style("bright floor", 4, 4, (124, 140), "x---x---x---x---", "", "o.x.o.x.o.x.o.x.", "off", True),
    Style(
        "slow half",
        4,
        4,
        (128, 152),
        "x--------x-x----",
        "--------x-------",
        "o-o-ooo-o-o-oooo",
        "long",
        True,
    ),
    Style("broken", 4, 4, (96, 132), "x-x-------xx----", "----x--x-x--x--x", "o-o-o-o-o-o-o-o-", "quarter"),
    Style(
        "swung",
        4,
        4,
        (84, 104),
        "x------x--x-----",
        "----x-------x---",
        "o-o-o-o-o-o-o-o-",
        "long",
        True,
        0.3,
    ),
    Style("three", 3, 2, (100, 160), "x--x--", "----x-", "oooooo", "eighth"),
    Style("six eight", 2, 6, (50, 80), "x---------o-", "------x-----", "o---o-o---o-", "quarter"),
    Style("seven", 7, 2, (160, 230), "x---x---x-----", "--------x---x-", "o-o-o-o-o-o-o-"),
    Style("strings alone", 4, 4, (66, 112), bass="quarter"),
)
