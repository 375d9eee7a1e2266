"""Texts: all that the window says can be said in another language."""

import ast
import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from babel.messages.mofile import write_mo
from texts import ROOT, gathered

from epiphane import wording
from epiphane.wording import catalogue, plural, tr

DESK = ROOT / "src" / "epiphane" / "desk"
_PLAIN = {"% of width", "% of height", "a second", "° a second", "box corner", "Clips and shots"}
"""Keys of tables: translated where they are shown, if they are."""
_NOT_SHOWN = {"setStyleSheet", "info", "error", "CancelledError", "start"}  # styles, the log, keys of jobs


@pytest.fixture(scope="module")
def all_texts():
    """Return the catalogue of all texts."""
    return gathered()


def test_nothing_that_a_window_shows_is_said_past_the_catalogue(tmp_path, all_texts):
    script = Path(__file__).parent / "texts_seen.py"
    done = subprocess.run(
        [sys.executable, str(script), str(tmp_path)],
        env=os.environ | {"PYTHONPATH": os.pathsep.join(filter(None, sys.path))},
        capture_output=True,
        text=True,
        timeout=300,
        check=True,
    )
    seen = json.loads(done.stdout)
    assert len(seen["asked"]) > 1500
    assert seen["untranslated"] == []
    lacking = [text for text in seen["asked"] if text and text not in all_texts]
    assert lacking == []


def test_no_sentence_in_the_desk_stands_outside_of_a_call_that_translates():
    found = [
        f"{path.relative_to(DESK)}:{line}: {text}"
        for path in sorted(DESK.rglob("*.py"))
        if path.name != "theme.py"  # style sheets
        for line, text in sentences_in(ast.parse(path.read_text()))
    ]
    assert found == []


def sentences_in(tree):
    """Yield the lines and texts of two words and more that a user would read, and `tr` does not."""
    parents = {child: node for node in ast.walk(tree) for child in ast.iter_child_nodes(node)}
    for node in ast.walk(tree):
        if not (isinstance(node, ast.Constant) and isinstance(node.value, str)):
            continue
        if (
            not re.search(r"\b[A-Za-z]?[a-z]+ [a-z]{2,}", node.value)
            or node.value in _PLAIN
            or " mp4 " in node.value
        ):
            continue
        above, is_shown = node, True
        while above in parents and is_shown:
            above = parents[above]
            if isinstance(above, ast.Call):
                name = ast.unparse(above.func).rpartition(".")[2]
                is_shown = name not in {"tr", "plural", "ActionSpec", "Selection", *_NOT_SHOWN}
            is_shown = is_shown and not isinstance(above, ast.Assert | ast.arg | ast.AnnAssign)
            is_shown = is_shown and not (isinstance(above, ast.Expr) and above.value is node)
            is_shown = is_shown and not isinstance(above, ast.keyword | ast.Subscript)
        if is_shown:
            yield node.lineno, node.value


def test_a_language_is_a_file_and_what_it_lacks_is_said_as_in_the_source(tmp_path, monkeypatch, all_texts):
    assert ("{} shots" in str(all_texts["1 shot"].id)) and "{label} bar" not in all_texts
    all_texts.locale = "de"
    all_texts["Delete"].string = "Weg damit"
    all_texts["1 shot"].string = ("eine Einstellung", "{} Einstellungen")
    folder = tmp_path / "de" / "LC_MESSAGES"
    folder.mkdir(parents=True)
    with (folder / "epiphane.mo").open("wb") as file:
        write_mo(file, all_texts)
    monkeypatch.setattr(wording, "_catalogue", catalogue(tmp_path, ["de"]))
    assert (tr("Delete"), tr("Split"), tr("")) == ("Weg damit", "Split", "")
    assert [plural(n, "1 shot", "{} shots") for n in (1, 7)] == ["eine Einstellung", "7 Einstellungen"]
    monkeypatch.setattr(wording, "_catalogue", catalogue(tmp_path, ["fi"]))
    assert tr("Delete") == "Delete"


def test_what_stands_in_braces_has_a_value_wherever_a_text_is_used():
    """A text with braces and no values would be shown with its braces; a value too many is lost."""
    for path in sorted((ROOT / "src" / "epiphane").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "tr":
                if not isinstance(node.args[0], ast.Constant):
                    continue
                named = set(re.findall(r"(?<!\{)\{(\w+)", node.args[0].value))
                assert named == {one.arg for one in node.keywords}, f"{path.name}:{node.lineno}"
