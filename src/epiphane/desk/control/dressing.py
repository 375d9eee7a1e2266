"""Dressing the song with lanes and transitions, and again with another seed."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.recipes import RecipeDesk
from epiphane.desk.control.selection import DressingSelection
from epiphane.document.dressing import Dressing, Mood
from epiphane.edits.keying.dressing import dress, undressed
from epiphane.keying.dressing_styles import transition_styles
from epiphane.lane_kinds import is_transition
from epiphane.wording import tr


class DressingDesk(QObject):
    """What the user does to have the song dressed."""

    def __init__(self, editor: Editor, recipes: RecipeDesk) -> None:
        super().__init__()
        self._editor, self._recipes = editor, recipes

    def again(self) -> None:
        """Dress the song; where it is dressed already, with another seed."""
        dressing = self._editor.project.dressing
        if any(lane.is_dressed for lane in self._editor.project.lanes):
            dressing = replace(dressing, seed=(dressing.seed + 1) % 1_000_000)
        self._dress(dressing, tr("dressing of the song"))
        self._editor.select(DressingSelection())

    def change(self, *, gesture: str | None = None, **changes: Any) -> None:
        """Dress the song otherwise, e.g. with ``density=0.8``."""
        self._dress(replace(self._editor.project.dressing, **changes), tr("change of the dressing"), gesture)

    def choose(self, mood: Mood, names: tuple[str, ...]) -> None:
        """Dress the parts of a mood from other recipes."""
        made = replace(self._editor.project.dressing, **{mood.value: names})
        self._dress(made, tr("recipes of the dressing"))

    def undress(self) -> None:
        """Take the lanes of the dressing away, but for those that are locked."""
        self._editor.apply(undressed, tr("taking the dressing away"))

    @property
    def recipe_names(self) -> list[str]:
        """The names of the recipes there are."""
        return sorted({kept.recipe.name for kept in self._recipes.kept})

    def _dress(self, dressing: Dressing, text: str, gesture: str | None = None) -> None:
        recipes = {kept.recipe.name: kept.recipe for kept in self._recipes.kept}
        styles = transition_styles()
        self._editor.apply(
            lambda p: dress(p, dressing, recipes, styles, is_transition), text, gesture=gesture
        )
