"""What the documentation says is what the code does."""

import json
import re
from pathlib import Path

import numpy as np
from effects_sheet import sheet
from make_reference import effects_text, formats_text, schema_text, titles_text, transitions_text
from msgspec.structs import fields
from PIL import Image
from recipes_sheet import recipes_sheet, row_of
from titles_sheet import titles_sheet
from transitions_sheet import transitions_sheet

from epiphane.cli import commands
from epiphane.document.project import FORMAT_VERSION
from epiphane.document.recipe import RECIPE_VERSION, Recipe
from epiphane.files.project import json_schema
from epiphane.files.recipes import RecipeBook

LOOKED_AT = ("Hammer", "Neon", "Torn tape", "Old album", "Staircase")
"""Of the recipes: all of them would take as long as all other sheets."""
ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"


def rows_looked_at():
    """Return which rows of the sheet of recipes are drawn here."""
    shipped = RecipeBook(Path("none of the editor's")).read()[0]
    return [number for number, kept in enumerate(shipped) if kept.recipe.name in LOOKED_AT]


def test_what_is_made_from_the_code_is_current():
    assert (DOCS / "project.schema.json").read_text() == schema_text(), "run make docs"
    assert (DOCS / "effects.md").read_text() == effects_text(), "run make docs"
    assert (DOCS / "formats.md").read_text() == formats_text(), "run make docs"
    assert (DOCS / "transitions.md").read_text() == transitions_text(), "run make docs"
    assert (DOCS / "titles.md").read_text() == titles_text(), "run make docs"
    sheets = {
        "effects": sheet(),
        "recipes": recipes_sheet(LOOKED_AT),
        "transitions": transitions_sheet(),
        "titles": titles_sheet(),
    }
    for name, made in sheets.items():
        with Image.open(DOCS / f"{name}.jpg") as kept:
            assert kept.size == made.size, "run make docs"
            away = np.abs(np.asarray(kept, float) - np.asarray(made, float)).mean(axis=2)
        if name == "recipes":
            away = np.concatenate([away[row_of(number)] for number in rows_looked_at()])
        # In squares of the size of a picture: one effect that has changed is seen among all the others.
        high, wide = (length // size * size for length, size in zip(away.shape, (80, 140), strict=True))
        squares = away[:high, :wide].reshape(high // 80, 80, -1, 140).mean(axis=(1, 3))
        assert squares.max() < 7, "run make docs"


def test_every_field_of_the_file_is_described():
    text, structs = (DOCS / "file-format.md").read_text(), json_schema()["$defs"]
    assert {"Project", "Lane", "Item", "Pulse", "Envelope"} <= structs.keys()
    named = {f"{kind}.{name}": name for kind, one in structs.items() for name in one.get("properties", {})}
    named |= {f"Recipe.{field.name}": field.name for field in fields(Recipe)}
    assert [place for place, name in named.items() if f"`{name}`" not in text] == []


def test_the_formats_that_are_described_are_those_of_now():
    text = (DOCS / "file-format.md").read_text()
    assert f"| `version` | the format, now {FORMAT_VERSION};" in text
    for version in range(1, FORMAT_VERSION):
        assert re.search(rf"\b{version} (no|knew|nothing|did)\b", text), version
    assert f"`version` (now {RECIPE_VERSION})" in text


def test_links_and_pictures_are_there_and_every_picture_is_shown():
    shown = set()
    for page in (ROOT / "README.md", ROOT / "CHANGELOG.md", *DOCS.glob("*.md")):
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            if "://" not in target:
                assert (page.parent / target).exists(), f"{page.name}: {target}"
                shown.add((page.parent / target).resolve())
    pictures = list((DOCS / "screenshots").glob("*.png"))
    assert set(pictures) <= shown
    assert 4 <= len(pictures) < 20
    for picture in pictures:
        with Image.open(picture) as image:
            assert image.size == (1280, 800)


def test_every_module_that_is_named_is_there():
    there = {
        path.relative_to(ROOT).as_posix()
        for room in ("src", "tests", "tools", "training", "benchmarks")
        for path in (ROOT / room).rglob("*")
    }
    for page in sorted(DOCS.glob("*.md")):
        for named in re.findall(r"`([a-z_/]+\.(?:py|json|toml))`", page.read_text()):
            assert any(f"/{path}".endswith(f"/{named}") for path in there | {"pyproject.toml"}), (
                f"{page.name}: {named}"
            )


def test_the_readme_names_every_command_and_target():
    told = (DOCS / "command-line.md").read_text()
    for name, command in commands.every().items():
        assert command.hidden or f"epiphane {name}" in told
    text = (ROOT / "README.md").read_text()
    assert len(text.splitlines()) < 60  # it is read at one look
    targets = re.search(r"^\.PHONY: (.*)$", (ROOT / "Makefile").read_text(), re.MULTILINE)
    assert {"demo", "test", "lint", "bench", "screenshots", "docs"} <= set(targets[1].split())
    for target in ("demo", "test", "lint", "bench", "screenshots", "docs"):
        assert f"make {target}" in text
    assert json.loads((DOCS / "project.schema.json").read_text())["$defs"]["Project"]
