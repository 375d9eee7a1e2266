"""Recipe files, and the folder in which the user keeps them."""

import re
from pathlib import Path

import msgspec
import platformdirs
from msgspec import Struct

from epiphane.assets import RECIPES
from epiphane.disk import read_file, short_name, write_atomically
from epiphane.document.recipe import RECIPE_VERSION, Recipe
from epiphane.errors import DiskError, RecipeError
from epiphane.files.earlier_defaults import with_defaults_before
from epiphane.files.upgrades import (
    with_combination,
    with_edge_pulls,
    with_landings_before_12,
    with_trembling,
    with_trigger,
)
from epiphane.wording import tr

RECIPE_SUFFIX = ".epiphane-recipe"
MOST_RECIPE_BYTES = 4 << 20
_FAULT_LENGTH = 200
_WITHOUT_TREMBLING = 5
_BOLDER, _LIT_EDGES = 6, 7
"""The first version with the names of now for two looks, see `epiphane.files.project`."""


class KeptRecipe(Struct, frozen=True):
    """A recipe and the file that it is in; one that is shipped cannot be removed."""

    recipe: Recipe
    path: Path
    is_shipped: bool = False


def encode_recipe(recipe: Recipe) -> bytes:
    """Return a recipe as indented UTF-8 JSON."""
    return msgspec.json.format(msgspec.json.encode(recipe), indent=1) + b"\n"


def decode_recipe(text: bytes, *, where: str) -> Recipe:
    """Read a recipe from JSON.

    Raises
    ------
    RecipeError
        If the text is not whole JSON, is no recipe or of a newer version, or breaks the format.
    """
    try:
        raw = msgspec.json.decode(text)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        raise RecipeError(
            tr("{where} is damaged or cut short and cannot be read; take another copy.", where=where)
        ) from None
    if not isinstance(raw, dict) or not isinstance(raw.get("lanes"), list) or "name" not in raw:
        raise RecipeError(tr("{where} is not a recipe of Epiphane.", where=where))
    version = raw.get("version", RECIPE_VERSION)
    if type(version) is int and version > RECIPE_VERSION:
        raise RecipeError(
            tr(
                "{where} is a recipe of a newer Epiphane (format {version}, this one reads up to"
                " {newest}); open it with a newer version.",
                where=where,
                version=version,
                newest=RECIPE_VERSION,
            )
        )
    if version == 1 and isinstance(raw.get("pulses"), list):
        raw = raw | {
            "version": 2,
            "pulses": [with_combination(pulse) for pulse in raw["pulses"]],
            "lanes": [with_trigger(lane) for lane in raw["lanes"]],
        }
    if type(version) is int and version < _WITHOUT_TREMBLING:
        raw = raw | {"lanes": [with_edge_pulls(lane) for lane in raw["lanes"]]}
        if isinstance(raw.get("items"), list):
            raw = raw | {"items": [with_trembling(item) for item in raw["items"]]}
        raw = raw | {"version": _WITHOUT_TREMBLING}
    if type(version) is int and version < _BOLDER:
        lanes = [with_defaults_before(11, lane) for lane in raw["lanes"]]
        raw = raw | {"version": _BOLDER, "lanes": lanes}
    if type(version) is int and version < _LIT_EDGES:
        lanes = [with_defaults_before(12, lane) for lane in raw["lanes"]]
        raw = with_landings_before_12(raw | {"version": _LIT_EDGES, "lanes": lanes})
    try:
        return msgspec.convert(raw, Recipe)
    except (ValueError, RecursionError) as error:
        raise RecipeError(
            tr(
                "{where} breaks the format of recipes: {error}.",
                where=where,
                error=str(error)[:_FAULT_LENGTH],
            )
        ) from None


def load_recipe(path: Path) -> Recipe:
    """Read the recipe at `path`.

    Raises
    ------
    RecipeError
        If the file is missing, unreadable, damaged, too new or breaks the format.
    """
    try:
        text = read_file(path, most_bytes=MOST_RECIPE_BYTES)
    except DiskError as error:
        raise RecipeError(str(error)) from None
    return decode_recipe(text, where=short_name(path))


def save_recipe(recipe: Recipe, path: Path) -> None:
    """Write a recipe to `path`, whole or not at all.

    Raises
    ------
    RecipeError
        If the file cannot be written.
    """
    try:
        write_atomically(path, encode_recipe(recipe))
    except DiskError as error:
        raise RecipeError(str(error)) from None


def recipe_folder() -> Path:
    """Return where the recipes of the user are kept."""
    return Path(platformdirs.user_data_dir("epiphane")) / "recipes"


class RecipeBook:
    """The recipes that are shipped, and those that the user keeps in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def read(self) -> tuple[tuple[KeptRecipe, ...], tuple[str, ...]]:
        """Return all recipes, those of the user first, each by name, and what is wrong with some files."""
        kept, faults = [], []
        for folder, is_shipped in ((self.folder, False), (RECIPES, True)):
            found = []
            for path in sorted(folder.glob(f"*{RECIPE_SUFFIX}")):
                try:
                    found.append(KeptRecipe(load_recipe(path), path, is_shipped))
                except RecipeError as error:
                    faults.append(str(error))
            kept += sorted(found, key=lambda one: one.recipe.name.casefold())
        return tuple(kept), tuple(faults)

    def find(self, name: str) -> Recipe:
        """Return the recipe of a name.

        Raises
        ------
        RecipeError
            If there is none; the message lists those there are.
        """
        kept, _ = self.read()
        for one in kept:
            if one.recipe.name.casefold() == name.casefold():
                return one.recipe
        known = ", ".join(one.recipe.name for one in kept)
        raise RecipeError(tr("there is no recipe {name!r}; there are: {known}", name=name, known=known))

    def keep(self, recipe: Recipe) -> KeptRecipe:
        """Put a recipe in the folder.

        Raises
        ------
        RecipeError
            If another one has its name, or the folder cannot be written to.
        """
        if any(one.recipe.name.casefold() == recipe.name.casefold() for one in self.read()[0]):
            raise RecipeError(
                tr("there is a recipe called {name} already; give this one another name.", name=recipe.name)
            )
        words = re.sub(r"[^a-z0-9]+", "-", recipe.name.casefold()).strip("-") or "recipe"
        names = [words, *(f"{words}-{number}" for number in range(2, 1000))]
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise RecipeError(
                tr("{folder} cannot be written to: {reason}.", folder=self.folder, reason=error.strerror)
            ) from None
        paths = (self.folder / f"{name}{RECIPE_SUFFIX}" for name in names)
        path = next(path for path in paths if not path.exists())
        save_recipe(recipe, path)
        return KeptRecipe(recipe, path)

    def remove(self, kept: KeptRecipe) -> None:
        """Throw a recipe of the user away.

        Raises
        ------
        RecipeError
            If it is a shipped one, or its folder cannot be written to.
        """
        if kept.is_shipped:
            raise RecipeError(tr("{name} comes with Epiphane and cannot be removed.", name=kept.recipe.name))
        try:
            kept.path.unlink(missing_ok=True)
        except OSError as error:
            raise RecipeError(
                tr("{name} cannot be removed: {reason}.", name=kept.path.name, reason=error.strerror)
            ) from None
