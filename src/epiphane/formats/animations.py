"""Moving pictures without sound: GIF, WebP and AVIF."""

from fractions import Fraction
from pathlib import Path

from epiphane.formats.declare import AnimationOutput, Coding, Format, Quality, declare_format
from epiphane.media.codecs import Animation
from epiphane.wording import tr


def _gif(path: Path, moving: Animation, _coding: Coding) -> None:
    from epiphane.media.animation import write_gif  # late: it loads what nothing else needs

    write_gif(path, moving)


def _webp(path: Path, moving: Animation, coding: Coding) -> None:
    from epiphane.media.animation import write_webp

    write_webp(path, moving, coding.quality)


def _avif(path: Path, moving: Animation, coding: Coding) -> None:
    from epiphane.media.animation import write_avif

    write_avif(path, moving, coding.quality)


declare_format(
    Format(
        "gif",
        tr("GIF"),
        (".gif",),
        AnimationOutput(_gif),
        note=tr("Moves in any message; at most 480 pixels across keep it small."),
        plays=tr("everything"),
        # Its delays are whole hundredths of a second, and players slow down those of one.
        rates=(Fraction(10), Fraction(25, 2), Fraction(20), Fraction(25), Fraction(100, 3), Fraction(50)),
    )
)
declare_format(
    Format(
        "webp",
        tr("Animated WebP"),
        (".webp",),
        AnimationOutput(_webp),
        note=tr("As GIF, a tenth as large, in all colours."),
        plays=tr("browsers and most messengers"),
        quality=Quality(tr("WebP quality"), 0, 100, small=60, good=75, fine=90),
        has_alpha=True,
    )
)
declare_format(
    Format(
        "avif",
        tr("Animated AVIF"),
        (".avif",),
        AnimationOutput(_avif),
        note=tr("Smaller still than WebP, and slow to make."),
        plays=tr("browsers of the last three years"),
        quality=Quality(tr("AVIF quality"), 0, 100, small=50, good=65, fine=80),
        has_alpha=True,
    )
)
