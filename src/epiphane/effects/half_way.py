"""What effects that turn a picture into something else are at part strength."""

from epiphane.declare.parameters import ChoiceParameter

TURNED, MIXED = "turned in part", "mixed"


def half_way_parameter(
    own: str = TURNED, help: str = "Bright parts turn first; mixed is grey half way"
) -> ChoiceParameter:
    """Return the choice of what is seen at part strength: its `own` way, or a mixture with the picture."""
    return ChoiceParameter("half_way", "At part strength", (own, MIXED), own, help=help)
