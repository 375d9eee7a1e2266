"""Sets of colours that go together, for effects that map brightness to colour."""

from epiphane.declare.parameters import ChoiceParameter

_OWN = "its own"
_SETS = {
    "dusk": ("#101a3a", "#b5567a", "#ffd8a6"),
    "moss": ("#0c1f1a", "#4f8a5b", "#f0efc2"),
    "rust": ("#1b0f0d", "#b3532b", "#f7dfb8"),
    "ice": ("#06122b", "#3f8fc4", "#eefaff"),
    "candy": ("#2a0a4a", "#f2479a", "#fff3a8"),
}
"""Colours that go together: of shadows, the middle and lights."""


def colours_parameter() -> ChoiceParameter:
    """Return the choice of a set of colours, or those that are set."""
    return ChoiceParameter("colours", "Colours", (_OWN, *_SETS), _OWN, help="A set, or those above")


def colours_of(name: str, own: tuple[str, str, str]) -> tuple[str, str, str]:
    """Return the colours of shadows, the middle and lights of a set by its name, or a lane's own."""
    return _SETS.get(name, own)
