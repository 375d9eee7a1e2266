"""The colours and names of lanes and effects."""

from PyQt6.QtGui import QColor

from epiphane.desk.look import theme
from epiphane.document.lane import Lane
from epiphane.effects.declare import Family
from epiphane.lane_kinds import lane_kind
from epiphane.wording import tr


def lane_colour(lane: Lane) -> QColor:
    """Return the colour of a lane's family."""
    return family_colour(lane.effect)


def family_colour(key: str) -> QColor:
    """Return the colour of an effect's family."""
    effect = lane_kind(key)
    return theme.UNKNOWN_COLOUR if effect is None else theme.FAMILY_COLOURS[effect.family]


def lane_family(lane: Lane) -> Family | None:
    """Return the family of a lane, or None where its effect is missing."""
    effect = lane_kind(lane.effect)
    return None if effect is None else effect.family


def lane_label(lane: Lane) -> str:
    """Return what a lane is called: by the editor, else by its effect, and in a dressing by both."""
    if lane.name and not lane.is_dressed:
        return lane.name
    effect = lane_kind(lane.effect)
    label = tr("{effect} (missing)", effect=lane.effect) if effect is None else effect.label
    return f"{label} · {lane.name}" if lane.name else label
