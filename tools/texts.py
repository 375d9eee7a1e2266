"""Gather the texts of the window for who translates them: ``make texts`` writes build/epiphane.pot.

Texts in the code stand in calls of `tr` and `plural`; others are taken from what is declared, such as
effects, actions and choices.
"""

import re
from collections.abc import Iterator
from enum import Enum
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_file
from babel.messages.pofile import write_po

from epiphane.declare.parameters import ChoiceParameter, Parameter
from epiphane.desk.control.overlays import FILLS, ON_HITS
from epiphane.desk.shell.actions import ACTIONS
from epiphane.document import envelope, filling, footage, lane, matte, pulse, recipe, song, timeline, titles
from epiphane.edits.keying.sources import unit_words
from epiphane.effects.declare import EFFECTS
from epiphane.lane_kinds import OVERLAY, WORDS, LaneKind
from epiphane.media.shipped import shipped_overlays
from epiphane.titles.motions.declare import MOTIONS
from epiphane.transitions.declare import TRANSITIONS

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "build" / "epiphane.pot"
_UNITS = ("BPM", "Hz", "dB", "f", "ms", "s", "/s", "%", "°")
_KEYWORDS = {"tr": None, "plural": (2, 3)}
_CALLS = re.compile(rf"\b({'|'.join(_KEYWORDS)})\(")


def declared() -> Iterator[str]:
    """Yield the texts that are declared: of actions, effects, transitions, motions and choices."""
    for spec in ACTIONS:
        yield from (spec.group, spec.text)
    kinds: list[LaneKind] = [*EFFECTS.all(), *TRANSITIONS.all(), OVERLAY, WORDS]
    for kind in kinds:
        yield from (kind.label, kind.summary, kind.family.value)
        for parameter in kind.parameters:
            yield from (parameter.label, parameter.help)
            if isinstance(parameter, Parameter):
                yield parameter.unit
            if isinstance(parameter, ChoiceParameter):
                yield from parameter.options
    for effect in EFFECTS.all():
        yield from (effect.group, *(section for section, _ in effect.sections))
    yield from (transition.group for transition in TRANSITIONS.all())
    for motion in MOTIONS.all():
        yield from (motion.label, motion.summary)
    yield from (unit_words(unit) for unit in pulse.PulseUnit)
    yield from (*song.DRUMS, *song.PART_KINDS, *FILLS, ON_HITS, *_UNITS, "Mouse")
    yield from (overlay.name for overlay in shipped_overlays())
    for module in (envelope, filling, footage, lane, matte, pulse, recipe, timeline, titles):
        for one in vars(module).values():
            if isinstance(one, type) and issubclass(one, Enum) and one.__module__ == module.__name__:
                yield from (str(choice.value) for choice in one)


def gathered() -> Catalog:
    """Return all texts, each with where it stands."""
    made = Catalog(project="Epiphane", copyright_holder="the developers of Epiphane", charset="utf-8")
    source = ROOT / "src" / "epiphane"
    for path in sorted(source.rglob("*.py")):
        if not _CALLS.search(path.read_text(encoding="utf-8")):
            continue  # to read one through takes long
        for line, text, remarks, context in extract_from_file("python", path, keywords=_KEYWORDS):
            made.add(
                text, None, [(str(path.relative_to(ROOT)), line)], auto_comments=remarks, context=context
            )
    for text in declared():
        if text and text not in made:
            made.add(text)
    return made


def main() -> None:
    """Write the catalogue, and say how many texts it has."""
    TARGET.parent.mkdir(exist_ok=True)
    found = gathered()
    with TARGET.open("wb") as file:
        write_po(file, found, width=100)
    print(f"{len(found)} texts in {TARGET.relative_to(ROOT)}")


if __name__ == "__main__":
    main()
