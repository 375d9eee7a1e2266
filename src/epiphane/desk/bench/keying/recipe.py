"""The bench of a recipe, and of one that is being made of lanes."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QVBoxLayout, QWidget

from epiphane.desk.bench.options import pulse_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.lanes import Target
from epiphane.desk.control.recipes import RecipeDesk
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, choice_field, in_a_row, show_choice, show_options, wrapped
from epiphane.desk.look.lanes import lane_colour, lane_family, lane_label
from epiphane.desk.look.marks import paint_family
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Trigger
from epiphane.document.project import Project
from epiphane.document.recipe import Recipe
from epiphane.edits.keying.recipe_items import items_of
from epiphane.files.recipes import KeptRecipe
from epiphane.wording import plural, tr

_ROW = 24


class RecipeBench(BenchPage[KeptRecipe]):
    """What is in a recipe, and what can be done with it.

    Signals
    -------
    remove_asked(kept: KeptRecipe)
    """

    remove_asked = pyqtSignal(object)

    def __init__(self, editor: Editor, desk: RecipeDesk) -> None:
        super().__init__(editor, spacing=10)
        self._desk = desk
        self.stack = RecipeStack()
        self.shows(lambda kept: self.stack.show_recipe(kept.recipe))
        self.pulse = choice_field(tr("What fires the recipe"), (), lambda _: None)
        self.pulse.setMinimumWidth(190)
        self.shows(self._show_pulses)
        self.use = button(
            tr("Add below the lanes"), tr("Add it below the lanes (Enter on its tile)"), self._use
        )
        export = button(tr("Export…"), tr("Write it to a file, to be used elsewhere"), self._ask_export)
        self.remove = button(tr("Delete"), tr("Delete it (Delete on its tile)"), self._remove)
        self.seen(lambda kept: not kept.is_shipped, self.remove)
        self.add(self.told(_about, hides=True), self.stack)
        self.row(tr("Fired by"), self.pulse)
        self.add(in_a_row(self.use, export, self.remove))
        self.end()

    def thing(self) -> KeptRecipe | None:
        """Return the selected recipe."""
        return self._desk.find(self.editor.selection.recipe)

    def _show_pulses(self, kept: KeptRecipe) -> None:
        """Offer what may fire the recipe in place of its own pulse; what was chosen stays."""
        recipe = kept.recipe
        own = next(pulse.name for pulse in recipe.pulses if pulse.id == recipe.lanes[0].pulse)
        chosen = str(self.pulse.currentData() or "")
        show_options(self.pulse, [("", tr("its own: {own}", own=own)), *pulse_options(self.editor.project)])
        show_choice(self.pulse, chosen)

    def _use(self) -> None:
        chosen = str(self.pulse.currentData() or "")
        target = Target(pulse=PulseId(int(chosen)) if chosen else None)
        self._desk.use(self.editor.selection.recipe, target)

    def _ask_export(self) -> None:
        kept = self.thing()
        if kept is not None:
            self._desk.ask_export(kept)

    def _remove(self) -> None:
        kept = self.thing()
        if kept is not None:
            self.remove_asked.emit(kept)


def _about(kept: KeptRecipe) -> str:
    number = len(kept.recipe.items)
    titles = plural(number, "1 title", "{} titles")
    items = tr("With {titles}, solids or shapes.", titles=titles) if number else ""
    return " ".join(part for part in (kept.recipe.about, items) if part)


class RecipeStack(QWidget):
    """The lanes of a recipe under each other: what each does, and on what."""

    def __init__(self) -> None:
        super().__init__()
        self._recipe: Recipe | None = None
        self.setAccessibleName(tr("Lanes of the recipe"))

    def sizeHint(self) -> QSize:
        n_rows = 0 if self._recipe is None else len(self._recipe.lanes)
        return QSize(300, n_rows * _ROW)

    def show_recipe(self, recipe: Recipe) -> None:
        """Show the lanes of a recipe."""
        self._recipe = recipe
        self.setFixedHeight(len(recipe.lanes) * _ROW)
        self.setAccessibleDescription(", ".join(f"{one} {other}" for one, other in self.told()))
        self.update()

    def told(self) -> list[tuple[str, str]]:
        """Return the effect of every lane, and what fires it."""
        if self._recipe is None:
            return []
        names = {pulse.id: pulse.name for pulse in self._recipe.pulses}
        told = []
        for lane in self._recipe.lanes:
            band = tr("follows {low:g} to {high:g} Hz", low=lane.follow.low, high=lane.follow.high)
            way = {Trigger.STEP: tr("a step at "), Trigger.TOGGLE: tr("on and off at ")}.get(lane.trigger, "")
            told.append(
                (lane_label(lane), band if lane.trigger is Trigger.FOLLOW else way + names[lane.pulse])
            )
        return told

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.words(10))
        lanes = () if self._recipe is None else self._recipe.lanes
        for number, (lane, (name, pulse)) in enumerate(zip(lanes, self.told(), strict=True)):
            top = number * _ROW
            paint_family(painter, lane_family(lane), QPointF(7, top + _ROW / 2), 5, lane_colour(lane))
            painter.setPen(theme.TEXT)
            painter.drawText(QRectF(22, top, 150, _ROW), _LEFT, name)
            painter.setPen(theme.QUIET)
            painter.drawText(QRectF(172, top, self.width() - 172, _ROW), _LEFT, pulse)


class NewRecipeBench(BenchPage[Project]):
    """A recipe that is being made: its name, and which lanes of the project are in it."""

    def __init__(self, editor: Editor, desk: RecipeDesk) -> None:
        super().__init__(editor, spacing=10)
        self._desk = desk
        self.checks: dict[LaneId, QCheckBox] = {}
        self._lane: LaneId | None = None
        self.name = _line(tr("Name of the recipe"), tr("What it is called"), longest=60)
        self.name.returnPressed.connect(self._keep)
        self.about = _line(tr("What the recipe does"), tr("What it does, in a sentence"), longest=300)
        self._boxes = QVBoxLayout()
        self._boxes.setSpacing(4)
        self.items = QCheckBox()
        self.items.setToolTip(tr("They stay as many beats from the first beat, the drop or the last bar"))
        self.keep = button(tr("Save recipe"), tr("Save the selected lanes as a recipe (Enter)"), self._keep)
        cancel = button(
            tr("Cancel"),
            tr("Close without saving a recipe"),
            lambda: editor.select_cues(frozenset(), lane=self._lane),
        )
        self.row(tr("Name"), self.name)
        self.row(tr("Does"), self.about)
        self.column.addLayout(self._boxes)
        self.shows(self._show_items)
        self.shows(self._show_lanes)
        note = tr("Hits, sections, shots and changes to single cues belong to this song and stay here.")
        self.add(self.items, wrapped(note), in_a_row(self.keep, cancel))
        self.end()

    def thing(self) -> Project:
        """Return the project."""
        return self.editor.project

    def _show_items(self, project: Project) -> None:
        number = len(items_of(project))
        titles = plural(number, "1 title", "{} titles")
        self.items.setText(tr("and {titles}, solids or shapes on tracks", titles=titles))
        self.items.setVisible(number > 0)

    def _show_lanes(self, project: Project) -> None:
        """Offer the lanes of the project; at first those on the pulse of the selected one are chosen."""
        lane_id, lanes = self.editor.selection.lane, [lane.id for lane in project.lanes]
        if list(self.checks) == lanes and self._lane == lane_id:
            return
        self._lane = lane_id
        pulse = next((lane.pulse for lane in project.lanes if lane.id == lane_id), None)
        names = {one.id: one.name for one in project.pulses}
        for old in self.checks.values():
            self._boxes.removeWidget(old)
            old.deleteLater()
        self.checks = {}
        for lane in project.lanes:
            check = QCheckBox(f"{lane_label(lane)} · {names.get(lane.pulse, tr('no pulse'))}")
            check.setChecked(pulse is None or lane.pulse == pulse)
            self._boxes.addWidget(check)
            self.checks[lane.id] = check

    def showEvent(self, event: QShowEvent | None) -> None:
        self.name.setFocus()

    def _keep(self) -> None:
        lanes = [lane for lane, check in self.checks.items() if check.isChecked()]
        has_items = self.items.isChecked() and not self.items.isHidden()
        if self._desk.keep(lanes, self.name.text(), self.about.text(), has_items=has_items):
            self.name.clear()
            self.about.clear()


def _line(name: str, hint: str, *, longest: int) -> QLineEdit:
    made = QLineEdit()
    made.setAccessibleName(name)
    made.setPlaceholderText(hint)
    made.setMaxLength(longest)
    return made


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
