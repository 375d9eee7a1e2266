"""Nothing of the document is dropped in silence: what makes a film reads a field, or it is listed why not.

By the names alone: a field that is called like one of another structure is taken as read with it.
"""

import ast
from pathlib import Path

from msgspec import inspect as kinds

import epiphane
from epiphane.document.project import Project

ROOMS = (
    "facts",
    "keying",
    "render",
    "audio",
    "titles",
    "media/mattes.py",
    "media/tracing.py",
    "edits/shapes.py",
)
"""What makes pictures, cues and sounds of a document."""

OTHERS = {
    "is what filling and dressing are told: what they lay is in the film": (
        *("Project.filling", "Project.dressing", "Filling.pace", "Filling.lands", "Filling.stills"),
        *("Pace.is_by_section", "Pace.calm", "Pace.build", "Dressing.density", "Dressing.calm"),
        *("Dressing.build", "Dressing.drop", "Dressing.has_transitions", "Lane.is_dressed"),
    ),
    "says what of a clip filling and its marks choose": (
        *("Footage.used_to", "Footage.takes", "Take.is_used", "Passage.flaw"),
        *("Passage.sharpness", "Moment.cause", "Moment.is_accepted"),
    ),
    "is told in the window": ("Footage.fault", "Footage.group", "Footage.damaged", "Footage.treatments"),
    "keeps what must not change, or says what was looked at or set by hand": (
        *("Song.is_locked", "Item.is_locked", "Lane.is_locked", "Track.is_locked", "Song.has_own_drops"),
        *("Project.is_shape_chosen", "Project.next_id", "Footage.is_searched", "TappedSource.played_on"),
    ),
    "is how rows stand in the score": ("Lane.is_folded", "Track.is_folded"),
    "is read by its name, as `DRUMS` and `BANDS` have it": ("Drums.hat", "Drums.mid"),
}


def fields_of(kind, found):
    """Gather the fields of every structure that a type is made of."""
    if isinstance(kind, kinds.StructType) and kind.cls not in found:
        found[kind.cls] = [field.name for field in kind.fields]
        for field in kind.fields:
            fields_of(field.type, found)
    inner = [getattr(kind, name, None) for name in ("type", "item_type", "key_type", "value_type")]
    for one in (*inner, *getattr(kind, "types", ()), *getattr(kind, "item_types", ())):
        if one is not None:
            fields_of(one, found)
    return found


def names_read():
    source, found = Path(epiphane.__file__).parent, set()
    for room in ROOMS:
        for path in [source / room] if room.endswith(".py") else (source / room).rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.Attribute):
                    found.add(node.attr)
                elif isinstance(node, ast.MatchClass):
                    found |= set(node.kwd_attrs)
    return found


def test_every_field_of_the_document_is_read_by_what_makes_a_film_or_listed():
    read = names_read()
    structures = fields_of(kinds.type_info(Project), {})
    assert len(structures) > 50
    idle = {
        f"{kind.__name__}.{name}" for kind, names in structures.items() for name in names if name not in read
    }
    listed = [name for names in OTHERS.values() for name in names]
    assert sorted(listed) == sorted(set(listed))
    assert idle - set(listed) == set(), "no film would show it: have it read, or say here why not"
    assert set(listed) - idle == set(), "it is read by now"
