"""Recipes on the shelf: tiles that show what they do while they are pointed at."""

from msgspec import Struct
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QAbstractItemView, QVBoxLayout, QWidget

from epiphane.desk.carry import carry_recipe
from epiphane.desk.editor import Editor, Kind, Selection
from epiphane.desk.recipes import RecipeDesk
from epiphane.desk.score.paint import family_colour, lane_label
from epiphane.desk.shelf.tiles import Tile, Tiles
from epiphane.desk.skim import Skimmed, Skimmer
from epiphane.desk.thumbs import THUMB_SIZE, Thumbnails, image_of
from epiphane.document.model import Footage, FootageKind, Project
from epiphane.document.recipe import KeptRecipe, Recipe
from epiphane.edits.recipes import sampled
from epiphane.keying.schedule import Schedule, schedule
from epiphane.render.plan import FramePlan, plan_frame

_FRAME_MILLISECONDS = 33


class _Sample(Struct, frozen=True, eq=False):
    """What a recipe does to some footage, and the frame on which it does most."""

    project: Project
    cues: Schedule
    fullest: int

    def plan(self, frame: int) -> FramePlan:
        """Return what to draw on a frame; it goes round."""
        return plan_frame(self.project, self.cues, frame % self.project.n_frames)


class RecipePage(QWidget):
    """All recipes, those of the editor first.

    Signals
    -------
    taken(paths: list of str)
        To be laid below the lanes.
    removed(paths: list of str)
        To be thrown away.
    """

    taken = pyqtSignal(object)
    removed = pyqtSignal(object)

    def __init__(self, editor: Editor, desk: RecipeDesk, thumbnails: Thumbnails, skimmer: Skimmer) -> None:
        super().__init__()
        self._editor = editor
        self._desk = desk
        self._thumbnails = thumbnails
        self._skimmer = skimmer
        self._search = ""
        self._samples: dict[tuple[Recipe, str], _Sample] = {}
        self._pointed: KeptRecipe | None = None
        self._frame = 0
        self.tiles = Tiles("Recipes", lambda keys: carry_recipe(str(keys[0])))
        self.tiles.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.tiles.taken.connect(self.taken)
        self.tiles.removed.connect(self.removed)
        self.tiles.pointed.connect(self._point)
        self.tiles.itemSelectionChanged.connect(self._on_chosen)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.tiles)
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME_MILLISECONDS)
        self._timer.timeout.connect(self._move)
        skimmer.drawn.connect(self._on_drawn)
        desk.changed.connect(self.refresh)
        thumbnails.ready.connect(self.refresh_pictures)
        editor.selection_changed.connect(self._on_selection)

    def search(self, text: str) -> None:
        """Show the recipes with some words in their name, in what they do, or in their effects."""
        self._search = text
        self.refresh()

    def refresh(self) -> None:
        """Show the recipes."""
        self.tiles.show_tiles([_tile(kept) for kept in self._shown()])
        self.refresh_pictures()

    def refresh_pictures(self) -> None:
        """Show the pictures that are ready: each recipe where it does most."""
        footage = self._footage()
        if footage is None or not self.isVisible():
            return
        pictures: dict[object, QImage | None] = {}
        for kept in self._shown():
            sample = self._sample(kept.recipe, footage)
            pictures[str(kept.path)] = self._thumbnails.of_plan(sample.plan(sample.fullest))
        self.tiles.show_pictures(pictures)

    def showEvent(self, event: object) -> None:
        self.refresh_pictures()

    def _footage(self) -> Footage | None:
        footage = self._editor.project.footage
        return next((one for one in footage if one.kind is not FootageKind.SOUND), None)

    def _sample(self, recipe: Recipe, footage: Footage) -> _Sample:
        key = (recipe, footage.path)
        if key not in self._samples:
            project = sampled(recipe, footage)
            cues = schedule(project)
            fullest = sum(abs(lane.levels) for lane in cues.lanes).argmax()  # type: ignore[union-attr]
            self._samples[key] = _Sample(project, cues, int(fullest))
        return self._samples[key]

    def _shown(self) -> list[KeptRecipe]:
        words = self._search.casefold().split()
        return [one for one in self._desk.kept if all(word in _searched(one.recipe) for word in words)]

    def _on_chosen(self) -> None:
        chosen = self.tiles.chosen()
        if chosen and self._editor.selection.recipe != chosen[0]:
            self._editor.select(Selection(Kind.RECIPE, recipe=str(chosen[0])))

    def _on_selection(self) -> None:
        """Have the tile chosen of what is selected, so that it can be chosen again."""
        self.tiles.choose(self._editor.selection.recipe)

    def _point(self, key: object, _share: float) -> None:
        kept = None if key is None else self._desk.find(str(key))
        if kept is not self._pointed:
            self._pointed, self._frame = kept, 0
        if kept is None:
            self._timer.stop()
        elif not self._timer.isActive():
            self._timer.start()

    def _move(self) -> None:
        footage = self._footage()
        if self._pointed is None or footage is None:
            return
        self._frame += 1
        plan = self._sample(self._pointed.recipe, footage).plan(self._frame)
        self._skimmer.ask_plan(str(self._pointed.path), float(self._frame), plan, THUMB_SIZE)

    def _on_drawn(self, frame: Skimmed) -> None:
        if self._pointed is not None and frame.key == str(self._pointed.path):
            self.tiles.show_peek(frame.key, image_of(frame.picture).copy(), None)


def _tile(kept: KeptRecipe) -> Tile:
    recipe = kept.recipe
    names = ", ".join(lane_label(lane) for lane in recipe.lanes)
    tip = f"{recipe.name}: {recipe.about or names}\n{names}" if recipe.about else f"{recipe.name}: {names}"
    line = tuple(family_colour(lane.effect) for lane in recipe.lanes)
    return Tile(str(kept.path), recipe.name, "" if kept.is_shipped else "own", line, tip)


def _searched(recipe: Recipe) -> str:
    effects = " ".join(f"{lane_label(lane)} {lane.effect}" for lane in recipe.lanes)
    pulses = " ".join(pulse.name for pulse in recipe.pulses)
    return f"{recipe.name} {recipe.about} {effects} {pulses}".casefold()
