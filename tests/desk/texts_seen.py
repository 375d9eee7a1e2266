"""Print what a window says that no translation could change, and what it asked for, as JSON.

Run in a process of its own: every text that is asked for comes back between ‹ and ›, as if it were another
language. What a widget, an action or a painter shows outside of those cannot be translated.
"""

import json
import os
import re
import sys
from collections.abc import Iterator
from gettext import NullTranslations
from pathlib import Path

from epiphane import wording

ASKED: set[str] = set()


class _Marked(NullTranslations):
    def gettext(self, message: str) -> str:
        ASKED.add(message)
        return f"‹{message}›"

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        ASKED.add(msgid1)
        return f"‹{msgid1 if n == 1 else msgid2}›"


wording._catalogue = _Marked()  # before any other module of ours says what its texts are

from any_edit import a_rich_project  # noqa: E402
from PyQt6.QtGui import QAction, QPainter  # noqa: E402
from PyQt6.QtTest import QTest  # noqa: E402
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget  # noqa: E402

from epiphane.demo.project import open_basic_demo  # noqa: E402
from epiphane.desk.control import selection as kinds  # noqa: E402
from epiphane.desk.shelf.panel import ShelfPage  # noqa: E402
from epiphane.desk.shell.app import make_application  # noqa: E402
from epiphane.desk.shell.menus import actions_for, menu_of  # noqa: E402
from epiphane.desk.shell.window import Window  # noqa: E402
from epiphane.document.project import Project  # noqa: E402
from epiphane.document.pulse import TappedSource  # noqa: E402
from epiphane.edits.shots.shots import footage_name  # noqa: E402
from epiphane.facts.form import parts_of  # noqa: E402
from epiphane.keying.schedule import schedule  # noqa: E402
from epiphane.media.faces import installed_faces, shipped_faces  # noqa: E402
from epiphane.media.shipped import shipped_overlays  # noqa: E402

_KEYS = r"Ctrl|Shift|Alt|Space|Home|End|Insert|Delete|Backspace|Left|Right|Down|PgUp|PgDn|PgDown|BPM"
_PAINTED: set[str] = set()


def _note_what_is_painted() -> None:
    plain = QPainter.drawText

    def noted(self, *values):
        _PAINTED.update(one for one in values if isinstance(one, str))
        return plain(self, *values)

    QPainter.drawText = noted


def texts_of(window: QWidget, *, is_whole: bool = True) -> Iterator[str]:
    """Yield each text that a widget, those in it and their actions have; of a part, those in sight alone."""
    for widget in [window, *window.findChildren(QWidget)]:
        if not (is_whole or widget.isVisibleTo(window)):
            continue
        yield from (widget.toolTip(), widget.accessibleName(), widget.windowTitle())
        if isinstance(widget, QLabel | QAbstractButton):
            yield widget.text()
        if isinstance(widget, QLineEdit):
            yield widget.placeholderText()
        if isinstance(widget, QComboBox):
            yield from map(widget.itemText, range(widget.count()))
    for action in window.findChildren(QAction):
        yield from (action.text(), action.toolTip())


def selections_of(project: Project, recipe: str) -> Iterator[kinds.Selection]:
    """Yield something of each kind that can be selected in a project."""
    lanes, shots = project.lanes, project.shots
    for pulse in project.pulses:
        yield kinds.PulseSelection(pulse.id)
        if isinstance(pulse.source, TappedSource):
            yield kinds.TapSelection(pulse.id, pulse.source.hits[0].time)
    yield from (kinds.BeatSelection(3), kinds.PartSelection(0), kinds.DropSelection(0))
    for lane in lanes:
        yield kinds.LaneSelection(lane.id)
        cues = schedule(project).lane(lane.id).cues[:3]
        yield kinds.CuesSelection(lane.id, frozenset((lane.id, round(cue.hit.time, 6)) for cue in cues))
    yield kinds.LanesSelection(lanes[0].id, frozenset(lane.id for lane in lanes[:3]))
    yield from (kinds.ShotSelection(shot.id) for shot in shots)
    yield kinds.ShotsSelection(shots[0].id, frozenset(shot.id for shot in shots[:2]))
    for track in project.tracks:
        yield kinds.TrackSelection(track.id)
        yield from (kinds.ItemSelection(item.id) for item in track.items)
    yield from (kinds.GapSelection(shot.end) for shot in shots)
    yield from (kinds.FootageSelection(one.id) for one in project.footage)
    yield from (kinds.FillingSelection(), kinds.DressingSelection(), kinds.RoughCutSelection())
    yield kinds.ExportSelection()
    yield from (kinds.RecipeSelection(recipe), kinds.NewRecipeSelection(lanes[0].id), kinds.SongSelection())


def seen_in(window: Window, project: Project) -> Iterator[str]:
    """Yield all that a window shows of a project, on each page and for each selection."""
    window.editor.open(project, None)
    for page in ShelfPage:
        window.shelf.open_page(page)
        QTest.qWait(30)
        yield from texts_of(window)
    grabbed: set[type] = set()
    for selection in selections_of(project, str(window.recipes.kept[0].path)):
        if not selection.is_there(project):
            continue
        window.editor.select(selection)
        if type(selection) not in grabbed:
            QTest.qWait(1)
            window.grab()
            grabbed.add(type(selection))
        yield from texts_of(window.bench, is_whole=False)
        menu = menu_of(actions_for(selection, window.actions_by_id), window)
        yield from (action.text() for action in menu.actions())
    window.finder.ask()
    for words in ("", "cut", "glow", "hit"):
        window.header.find_field.setText(words)
        QTest.qWait(30)
        window.grab()
        yield from texts_of(window.finder)
    window.finder.hide()
    window.key_list.toggle()
    yield from texts_of(window)
    window.key_list.toggle()


def names_in(window: Window, project: Project) -> set[str]:
    """Return what is called so by somebody: in a project, in recipes, in files."""
    found = {project.name, *(lane.name for lane in project.lanes), *(one.name for one in project.pulses)}
    found |= {footage_name(one) for one in project.footage} | {part.label for part in parts_of(project.song)}
    for recipe in (kept.recipe for kept in window.recipes.kept):
        found |= {recipe.name, recipe.about, *(pulse.name for pulse in recipe.pulses)}
    found |= {*shipped_faces(), *installed_faces()} | {one.name.capitalize() for one in shipped_overlays()}
    return {Path(project.song.path).name, *found} - {""}


def untranslated(texts: set[str], names: set[str]) -> list[str]:
    """Return what is left of texts without what was asked for, names, and keys."""
    found = set()
    for text in texts:
        rest, shorter = text, ""
        while rest != shorter:
            rest, shorter = re.sub(r"‹[^‹›]*(›|…$)", "", rest), rest
        for name in sorted(names, key=len, reverse=True):
            rest = rest.replace(name, "")
        rest = re.sub(_KEYS, "", rest)
        is_short_name = rest.endswith("…") and any(name.startswith(rest[:-1].strip()) for name in names)
        if re.search(r"[a-z]{3,}", rest) and not is_short_name:
            found.add(f"{rest}  in  {text}")
    return sorted(found)


def main() -> None:
    """Print it; the journals are kept in the folder that is given."""
    _note_what_is_painted()
    _application = make_application(["epiphane"])
    window = Window(journal_folder=Path(sys.argv[1]))
    window.footage.prepares = False
    window.show()
    texts, names = set(texts_of(window)), set()
    for project in (open_basic_demo(), a_rich_project()):
        texts |= set(seen_in(window, project))
        names |= names_in(window, project)
    print(json.dumps({"untranslated": untranslated(texts | _PAINTED, names), "asked": sorted(ASKED)}))
    sys.stdout.flush()
    os._exit(0)  # nothing is to be asked about work that is not saved


if __name__ == "__main__":
    main()
