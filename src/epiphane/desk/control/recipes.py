"""Recipe commands: use, save, import, export, delete."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from epiphane.audio.in_project import with_heard_bands
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.lanes import Target
from epiphane.desk.control.selection import LaneSelection, NewRecipeSelection, RecipeSelection, SongSelection
from epiphane.desk.look import asking
from epiphane.document.ids import LaneId
from epiphane.document.project import Project
from epiphane.document.recipe import Recipe
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.recipes import recipe_of, use_recipe
from epiphane.errors import EditError, EpiphaneError
from epiphane.facts.hits import stand_in_remark
from epiphane.files.recipes import RECIPE_SUFFIX, KeptRecipe, RecipeBook, load_recipe, save_recipe
from epiphane.files.settings import folder_of, note_folder
from epiphane.lane_kinds import lane_kind
from epiphane.wording import tr

_RECIPES = tr("Epiphane recipes (*{suffix})", suffix=RECIPE_SUFFIX)


class RecipeDesk(QObject):
    """The recipes that there are, shipped or kept by the editor.

    Signals
    -------
    changed()
        There are others.
    """

    changed = pyqtSignal()

    def __init__(self, editor: Editor, book: RecipeBook, window: QWidget) -> None:
        super().__init__(window)
        self._editor = editor
        self._book = book
        self._window = window
        self.kept: tuple[KeptRecipe, ...] = ()
        self._told: set[str] = set()

    def read(self) -> None:
        """Look for the recipes anew; a file that is broken is told once."""
        self.kept, faults = self._book.read()
        for fault in faults:
            if fault not in self._told:
                self._told.add(fault)
                self._editor.said.emit(fault, True)
        self.changed.emit()

    def find(self, path: str) -> KeptRecipe | None:
        """Return the recipe of a file."""
        return next((one for one in self.kept if str(one.path) == path), None)

    def use(self, path: str, target: Target | None = None) -> None:
        """Lay a recipe below the lanes, fired by what it fell on or as it is; select its first lane."""
        kept = self.find(path)
        if kept is None:
            return
        lanes, target = self._editor.project.lanes, target or Target()
        of_lane = next((lane.pulse for lane in lanes if lane.id == target.lane), None)
        recipe, n_before = kept.recipe, len(lanes)

        def edit(project: Project) -> Project:
            has_beats = project.song is not None and bool(project.song.beats)
            pulse = target.pulse if of_lane is None else of_lane
            if pulse is None and target.unit is not None:
                project, pulse = ensure_pulse(project, target.unit)
            if pulse is None and not has_beats:
                raise EditError(tr("a recipe fires on the beats of a song: open a song first."))
            whole, used = self._editor.heard_file, self._editor.heard
            return with_heard_bands(
                use_recipe(project, recipe, pulse),
                None if used is None else used.listening.levels,
                None if whole is None else whole.listening.levels,
                only_new=True,
            )

        if self._editor.apply(edit, tr("recipe {name}", name=recipe.name)):
            self._editor.select(LaneSelection(self._editor.project.lanes[n_before].id))
            if stand_in_remark(self._editor.project):
                self._editor.said.emit(stand_in_remark(self._editor.project), False)
            self._tell_unknown(recipe)

    def begin(self) -> None:
        """Let the user choose the lanes of a new recipe."""
        if not self._editor.project.lanes:
            self._editor.said.emit(tr("there are no lanes to take as a recipe yet."), False)
            return
        self._editor.select(NewRecipeSelection(self._editor.selection.lane))

    def keep(self, lanes: Sequence[LaneId], name: str, about: str, *, has_items: bool = False) -> bool:
        """Keep some lanes of the project as a recipe, perhaps with titles, solids and shapes.

        Returns False if that failed, which the user is told.
        """
        project = self._editor.project
        return self._put(lambda: recipe_of(project, lanes, name, about=about, has_items=has_items))

    def ask_import(self) -> None:
        """Ask for recipes of others and keep them."""
        usual = str(folder_of("recipe", Path.home()))
        names, _ = QFileDialog.getOpenFileNames(self._window, tr("Bring in recipes"), usual, _RECIPES)
        if names:
            note_folder("recipe", Path(names[0]).parent)
        for name in names:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> bool:
        """Keep the recipe of a file; False if that failed, which the user is told."""
        return self._put(lambda: load_recipe(path))

    def ask_export(self, kept: KeptRecipe) -> None:
        """Ask where to, and write a recipe there."""
        proposed = folder_of("recipe", Path.home()) / kept.path.name
        path = asking.ask_new_file(self._window, tr("Export the recipe"), proposed, _RECIPES, RECIPE_SUFFIX)
        if path is not None:
            note_folder("recipe", path.parent)
            self.export(kept, path)

    def export(self, kept: KeptRecipe, path: Path) -> None:
        """Write a recipe to a file."""
        try:
            save_recipe(kept.recipe, path)
        except EpiphaneError as error:
            self._editor.said.emit(str(error), True)
        else:
            self._editor.said.emit(tr("{name} is in {other}", name=kept.recipe.name, other=path.name), False)

    def remove(self, kept: KeptRecipe) -> bool:
        """Throw a recipe away, the lanes that were made by it stay; False if that cannot be."""
        try:
            self._book.remove(kept)
        except EpiphaneError as error:
            self._editor.said.emit(str(error), True)
            return False
        self._editor.select(SongSelection())
        self.read()
        return True

    def put_back(self, kept: KeptRecipe) -> None:
        """Keep a recipe again that was thrown away."""
        self._put(lambda: kept.recipe)

    def _put(self, made: Callable[[], Recipe]) -> bool:
        try:
            kept = self._book.keep(made())
        except EpiphaneError as error:
            self._editor.said.emit(str(error), True)
            return False
        self.read()
        self._editor.select(RecipeSelection(str(kept.path)))
        self._tell_unknown(kept.recipe)
        return True

    def _tell_unknown(self, recipe: Recipe) -> None:
        unknown = [lane.effect for lane in recipe.lanes if lane_kind(lane.effect) is None]
        if unknown:
            names = ", ".join(unknown)
            text = tr(
                "{name}: this version does not know {names}; such lanes are kept and do nothing.",
                name=recipe.name,
                names=names,
            )
            self._editor.said.emit(text, True)
