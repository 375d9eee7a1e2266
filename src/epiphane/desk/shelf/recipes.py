"""Recipes on the shelf: tiles that show what they do while they are pointed at."""

from msgspec import Struct
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QImage

from epiphane.desk.control.drag import carry_recipe
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.recipes import RecipeDesk
from epiphane.desk.control.selection import RecipeSelection
from epiphane.desk.engine.skimming import Skimmer
from epiphane.desk.engine.thumbnails import Thumbnails
from epiphane.desk.look.lanes import family_colour, lane_label
from epiphane.desk.shelf.moving import MovingPage
from epiphane.desk.shelf.search import best_first
from epiphane.desk.shelf.tiles import Tile
from epiphane.document.footage import Footage
from epiphane.document.project import Project
from epiphane.document.recipe import Recipe
from epiphane.edits.keying.recipes import sampled
from epiphane.files.recipes import KeptRecipe
from epiphane.keying.schedule import Schedule, schedule
from epiphane.render.nodes import FramePlan
from epiphane.render.plan import plan_frame
from epiphane.wording import tr


class _Sample(Struct, frozen=True, eq=False):
    """What a recipe does to some footage, and the frame on which it does most."""

    project: Project
    cues: Schedule
    fullest: int

    def plan(self, frame: int) -> FramePlan:
        """Return what to draw on a frame; it goes round."""
        return plan_frame(self.project, self.cues, frame % self.project.n_frames)


class RecipePage(MovingPage):
    """All recipes, those of the user first, over the first footage of the project.

    Signals
    -------
    removed(paths: list of str)
        To be thrown away.
    """

    removed = pyqtSignal(object)

    def __init__(self, editor: Editor, desk: RecipeDesk, thumbnails: Thumbnails, skimmer: Skimmer) -> None:
        super().__init__(tr("Recipes"), editor, thumbnails, skimmer, carry_recipe)
        self._desk = desk
        self._samples: dict[tuple[Recipe, str], _Sample] = {}
        self.tiles.removed.connect(self.removed)
        self.tiles.itemSelectionChanged.connect(self._on_chosen)
        desk.changed.connect(self._on_recipes)
        editor.selection_changed.connect(self._on_selection)

    def _on_recipes(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the recipes."""
        self.tiles.show_tiles([_tile(kept) for kept in self._shown()])
        self.refresh_pictures()

    def refresh_pictures(self) -> None:
        """Show the pictures that are ready: each recipe where it does most."""
        footage = self._sample()
        if footage is None or not self.isVisible():
            return
        pictures: dict[object, QImage | None] = {}
        for kept in self._shown():
            sample = self._sample_of(kept.recipe, footage)
            pictures[str(kept.path)] = self._thumbnails.of_plan(sample.plan(sample.fullest))
        self.tiles.show_pictures(pictures)

    def _plan(self, key: str, frame: int) -> FramePlan | None:
        kept, footage = self._desk.find(key), self._sample()
        if kept is None or footage is None:
            return None
        return self._sample_of(kept.recipe, footage).plan(frame)

    def _sample_of(self, recipe: Recipe, footage: Footage) -> _Sample:
        key = (recipe, footage.path)
        if key not in self._samples:
            project = sampled(recipe, footage)
            cues = schedule(project)
            fullest = sum(abs(lane.levels) for lane in cues.lanes).argmax()  # type: ignore[union-attr]
            self._samples[key] = _Sample(project, cues, int(fullest))
        return self._samples[key]

    def _shown(self) -> list[KeptRecipe]:
        return best_first(
            self._desk.kept, self.searched, lambda kept: kept.recipe.name, lambda kept: _told(kept.recipe)
        )

    def _on_chosen(self) -> None:
        chosen = self.tiles.chosen()
        if chosen and self._editor.selection.recipe != chosen[0]:
            self._editor.select(RecipeSelection(str(chosen[0])))

    def _on_selection(self) -> None:
        """Have the tile chosen of what is selected, so that it can be chosen again."""
        self.tiles.choose(self._editor.selection.recipe)


def _tile(kept: KeptRecipe) -> Tile:
    recipe = kept.recipe
    names = ", ".join(lane_label(lane) for lane in recipe.lanes)
    tip = f"{recipe.name}: {recipe.about}\n{names}" if recipe.about else f"{recipe.name}: {names}"
    line = tuple(family_colour(lane.effect) for lane in recipe.lanes)
    return Tile(str(kept.path), recipe.name, "" if kept.is_shipped else "own", line, tip)


def _told(recipe: Recipe) -> str:
    effects = " ".join(f"{lane_label(lane)} {lane.effect}" for lane in recipe.lanes)
    pulses = " ".join(pulse.name for pulse in recipe.pulses)
    return f"{recipe.name} {recipe.about} {effects} {pulses}"
