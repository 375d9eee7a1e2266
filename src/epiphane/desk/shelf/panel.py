"""The shelf: footage, effects, transitions and recipes to drag onto the score, and the project's pulses."""

from enum import IntEnum

from PyQt6.QtCore import QEvent, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from epiphane.desk.control.editor import Editor
from epiphane.desk.look import theme
from epiphane.desk.look.fields import choice_field, label, show_choice
from epiphane.desk.look.narrow import fit_across
from epiphane.desk.shelf.effects import EffectPage
from epiphane.desk.shelf.footage import SORTS, FootagePage
from epiphane.desk.shelf.moving import EVERYTHING, FAVOURITES, USED, MovingPage
from epiphane.desk.shelf.overlays import OverlayPage
from epiphane.desk.shelf.pulses import PulsePage
from epiphane.desk.shelf.recipes import RecipePage
from epiphane.desk.shelf.transitions import TransitionPage
from epiphane.wording import tr

_SEARCH_KEYS = (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)
_SEARCH_WIDTH, _SORT_WIDTH, _GROUP_WIDTH, _LEAST_WIDTH = 124, 118, 130, 84


class ShelfPage(IntEnum):
    """What the shelf may show."""

    FOOTAGE = 0
    EFFECTS = 1
    PULSES = 2
    RECIPES = 3
    TRANSITIONS = 4
    OVERLAYS = 5


_MARGIN = 14
_BUTTONS = (
    (ShelfPage.FOOTAGE, tr("Footage"), "F"),
    (ShelfPage.EFFECTS, tr("Effects"), "E"),
    (ShelfPage.TRANSITIONS, tr("Transitions"), tr("Shift + X")),
    (ShelfPage.OVERLAYS, tr("Overlays"), tr("Shift + O")),
    (ShelfPage.RECIPES, tr("Recipes"), tr("Shift + E")),
    (ShelfPage.PULSES, tr("Pulses"), "P"),
)


class _SearchField(QLineEdit):
    """A field whose Down and Enter go to what was found, and whose Escape clears it.

    Signals
    -------
    left()
    """

    left = pyqtSignal()

    def event(self, event: QEvent | None) -> bool:
        is_asking = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride
        if isinstance(event, QKeyEvent) and is_asking and event.key() in _SEARCH_KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or event.key() not in _SEARCH_KEYS:
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Escape:
            self.clear()
            self.clearFocus()
        else:
            self.left.emit()


class ShelfPanel(QFrame):
    """Footage, effects, transitions, recipes and pulses in a drawer that folds away.

    Signals
    -------
    add_footage(), add_song()
        The user wants to choose files.
    footage_taken(ids), effects_taken(keys), overlays_taken(names)
        To be put on the score.
    recipe_begun(), recipe_wanted()
        Lanes are to be taken as a recipe; recipes are to be brought in from files.
    menu_asked(key: str, at: QPoint)
        What can be done with an effect, a transition, an overlay or a recipe is to be offered.
    grow_asked()
        More of it is to be seen.
    pulse_made(kind: str)
        A new pulse is wanted: of a band, tapped, at a tempo, of two others, or of a unit.
    """

    add_footage = pyqtSignal()
    add_song = pyqtSignal()
    pulse_made = pyqtSignal(str)
    footage_taken = pyqtSignal(object)
    effects_taken = pyqtSignal(object)
    overlays_taken = pyqtSignal(object)
    recipe_begun = pyqtSignal()
    recipe_wanted = pyqtSignal()
    menu_asked = pyqtSignal(object, QPoint)
    grow_asked = pyqtSignal()

    def __init__(
        self,
        editor: Editor,
        footage: FootagePage,
        effects: EffectPage,
        transitions: TransitionPage,
        overlays: OverlayPage,
        recipes: RecipePage,
    ) -> None:
        super().__init__()
        self._editor = editor
        self._is_telling = False
        self.setProperty("panel", True)
        self.footage = footage
        self.effects = effects
        self.transitions = transitions
        self.overlays = overlays
        self.recipes = recipes
        self.footage.taken.connect(self.footage_taken)
        self.effects.taken.connect(self.effects_taken)
        self.transitions.taken.connect(self.effects_taken)
        self.overlays.taken.connect(self.overlays_taken)
        for moving in (effects, transitions, overlays, recipes):
            moving.tiles.menu_asked.connect(self.menu_asked)
        self._pages = QStackedWidget()
        self._empty = label(
            tr("No footage yet. Drop clips or a folder anywhere on the window, or press “Import…”.")
        )
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._nothing = label("")
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._searched: dict[ShelfPage, FootagePage | MovingPage] = {
            ShelfPage.FOOTAGE: footage,
            ShelfPage.EFFECTS: effects,
            ShelfPage.TRANSITIONS: transitions,
            ShelfPage.OVERLAYS: overlays,
            ShelfPage.RECIPES: recipes,
        }
        self.pulses = PulsePage(editor)
        self.pulses.pulse_made.connect(self.pulse_made)
        for page in (*self._searched.values(), self.pulses, self._empty, self._nothing):
            self._pages.addWidget(page)
        box = QVBoxLayout(self)
        box.setContentsMargins(_MARGIN, 6, _MARGIN, 4)
        box.setSpacing(2)
        box.addLayout(self._head())
        box.addWidget(self._pages, 1)
        editor.project_changed.connect(self.refresh)
        editor.opened.connect(self.clear_search)
        self._more = QPushButton(self)
        self._more.setStyleSheet("padding: 2px 9px")
        self._more.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._more.setToolTip(tr("Give the shelf more room, or drag its upper edge (Ctrl + Shift + B)"))
        self._more.clicked.connect(self.grow_asked)
        for searched in self._searched.values():
            scrolled = searched.tiles.verticalScrollBar()
            assert scrolled is not None
            scrolled.valueChanged.connect(self._tell_more)
            scrolled.rangeChanged.connect(self._tell_more)
        self._show_page(0)
        self.refresh()

    @property
    def is_folded(self) -> bool:
        """Whether only the first line is seen."""
        return self._pages.isHidden()

    @property
    def page(self) -> ShelfPage:
        """What is shown."""
        return ShelfPage(max(self._group.checkedId(), 0))

    def fold(self, is_folded: bool) -> None:
        """Hide everything but the first line, or show it again."""
        self._pages.setVisible(not is_folded)
        self.setMaximumHeight(46 if is_folded else 16_777_215)
        self._fold.setIcon(theme.icon("chevron-up" if is_folded else "chevron-down", theme.QUIET, 16))

    def open_page(self, number: int) -> None:
        """Show one of the pages, by its number."""
        self.fold(False)
        self._show_page(number)

    def refresh(self) -> None:
        """Show the project's footage, and of the other pages what they show of the project."""
        self.footage.refresh()
        self._show_page(self._group.checkedId())
        current = self._searched.get(self.page)
        if isinstance(current, MovingPage):
            current.refresh()

    def be_still(self, is_still: bool) -> None:
        """Have no tile move while it is pointed at, or have them move again."""
        for page in self._searched.values():
            if isinstance(page, MovingPage):
                page.is_still = is_still

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit_head()
        self._tell_more()

    def _fit_head(self) -> None:
        """Have pages be chosen from a list where there is no room for a button each."""

        def list_pages(is_listed: bool) -> None:
            self._tabs.setHidden(is_listed)
            self._chooser.setVisible(is_listed)

        fit_across(self._line, self.width() - 2 * _MARGIN, (list_pages, self._order.setHidden))

    def _tell_more(self) -> None:
        """Say how many tiles lie below what is seen, and lead to them."""
        page = self._searched.get(self.page)
        is_seen = page is not None and not self.is_folded and self._pages.currentWidget() is page
        number = page.tiles.n_below() if page is not None and is_seen else 0
        self._more.setVisible(number > 0)
        self._more.setText(tr("{number} more below", number=number))
        self._more.adjustSize()
        self._more.move(self.width() - self._more.width() - 30, self.height() - self._more.height() - 5)
        self._more.raise_()

    def _head(self) -> QHBoxLayout:
        line = self._line = QHBoxLayout()
        line.setSpacing(2)
        self._tabs = QWidget()
        tabs = QHBoxLayout(self._tabs)
        tabs.setContentsMargins(0, 0, 0, 0)
        tabs.setSpacing(2)
        self._group = QButtonGroup(self)
        for number, text, key in _BUTTONS:
            button = QPushButton(text)
            button.setCheckable(True)
            button.setProperty("quiet", True)
            button.setToolTip(f"{text} ({key})")
            button.setStyleSheet("padding-left: 7px; padding-right: 7px")
            self._group.addButton(button, number)
            tabs.addWidget(button)
        self._group.idClicked.connect(self.open_page)
        line.addWidget(self._tabs)
        pages = [(str(number.value), text) for number, text, _ in _BUTTONS]
        self._chooser = choice_field(tr("Page of the shelf"), pages, lambda key: self.open_page(int(key)))
        self._chooser.hide()
        line.addWidget(self._chooser)
        line.addStretch(1)
        self._make_search()
        line.addWidget(self.search)
        self._order = QWidget()
        order = QHBoxLayout(self._order)
        order.setContentsMargins(0, 0, 0, 0)
        for field in (self.sort, self.group):
            order.addWidget(field)
        line.addWidget(self._order)
        for button in self._page_buttons():
            line.addWidget(button)
        self._fold = QPushButton(theme.icon("chevron-down", theme.QUIET, 16), "")
        self._fold.setProperty("quiet", True)
        self._fold.setAccessibleName(tr("Fold the shelf"))
        self._fold.setToolTip(tr("Fold the shelf away, or open it (Ctrl+B)"))
        self._fold.clicked.connect(lambda: self.fold(not self.is_folded))
        line.addWidget(self._fold)
        return line

    def _make_search(self) -> None:
        """Make the fields by which a page is searched and put in order."""
        self.search = _SearchField()
        self.search.setPlaceholderText(tr("Search"))
        self.search.setAccessibleName(tr("Search the shelf"))
        self.search.setToolTip(
            tr("Show what has these words in its name, folder or group, or does it (Ctrl+F)")
        )
        self.search.setClearButtonEnabled(True)
        self.search.setMaximumWidth(_SEARCH_WIDTH)
        self.search.setMinimumWidth(_LEAST_WIDTH - 20)
        self.search.textChanged.connect(self._look_for)
        self.search.left.connect(self._enter_results)
        self.sort = choice_field(tr("Order of footage"), [(key, key) for key in SORTS], self.footage.sort)
        self.sort.setMaximumWidth(_SORT_WIDTH)
        self.sort.setMinimumWidth(_SORT_WIDTH)
        self.group = choice_field(tr("Group of what is shown"), [(EVERYTHING, EVERYTHING)], self._show_group)
        self.group.setMaximumWidth(_GROUP_WIDTH)
        self.group.setMinimumWidth(_GROUP_WIDTH)
        self.group.setToolTip(tr("Show what does one thing alone, favourites (*), or what was used last"))

    def _page_buttons(self) -> list[QPushButton]:
        """Return buttons for what is added to one page alone."""
        self._of_page: dict[QPushButton, ShelfPage] = {}
        for text, icon, signal, tip, of_page in (
            ("", "music", self.add_song, tr("Open another song (Ctrl+M)"), ShelfPage.FOOTAGE),
            (
                tr("Import…"),
                "plus",
                self.add_footage,
                tr("Choose clips for the shelf (Ctrl+I)"),
                ShelfPage.FOOTAGE,
            ),
            (
                tr("New recipe…"),
                "plus",
                self.recipe_begun,
                tr("Take lanes as a recipe (Ctrl+R)"),
                ShelfPage.RECIPES,
            ),
            (
                tr("Bring in…"),
                "folder-open",
                self.recipe_wanted,
                tr("Read recipes from files"),
                ShelfPage.RECIPES,
            ),
        ):
            button = QPushButton(text)
            theme.put_icon(button, icon, theme.QUIET, 15)
            button.setProperty("quiet", True)
            if not text:
                button.setFixedWidth(34)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(signal)
            self._of_page[button] = of_page
        return list(self._of_page)

    def clear_search(self) -> None:
        """Look for nothing on any page: what was looked for belonged to another project."""
        for page in self._searched.values():
            page.search("")
        self._show_page(self._group.checkedId())

    def _look_for(self, text: str) -> None:
        """Search the page that is shown."""
        page = self._searched.get(self.page)
        if page is not None and not self._is_telling:
            page.search(text)
            self._show_page(self._group.checkedId())

    def _show_group(self, group: str) -> None:
        page = self._searched.get(self.page)
        if isinstance(page, MovingPage) and not self._is_telling:
            page.show_group(group)
            self._show_page(self._group.checkedId())

    def _offer_groups(self, page: FootagePage | MovingPage | None) -> None:
        """Offer the groups of a page, if it has any."""
        groups = page.groups if isinstance(page, MovingPage) else ()
        self.group.setVisible(bool(groups))
        if not isinstance(page, MovingPage) or not groups:
            return
        offered = [EVERYTHING, FAVOURITES, USED, *groups]
        self._is_telling = True
        if [self.group.itemData(n) for n in range(self.group.count())] != offered:
            self.group.clear()
            for one in offered:
                self.group.addItem(one, one)
        self.group.setCurrentIndex(offered.index(page.group))
        self._is_telling = False

    def _enter_results(self) -> None:
        page = self._searched.get(self.page)
        if page is not None and page.tiles.count():
            page.tiles.enter()

    def _show_page(self, number: int) -> None:
        button = self._group.button(max(number, 0))
        if button is not None:
            button.setChecked(True)
        page = ShelfPage(max(number, 0))
        is_empty = page is ShelfPage.FOOTAGE and not self._editor.project.footage
        self.search.setVisible(page is not ShelfPage.PULSES and not is_empty)
        self.sort.setVisible(page is ShelfPage.FOOTAGE and not is_empty)
        self._offer_groups(self._searched.get(page))
        for one, of_page in self._of_page.items():
            one.setVisible(of_page is page)
        show_choice(self._chooser, str(page.value))
        QTimer.singleShot(0, self._fit_head)  # once its fields know their sizes
        pages = {
            ShelfPage.FOOTAGE: self._empty if is_empty else self.footage,
            ShelfPage.EFFECTS: self.effects,
            ShelfPage.TRANSITIONS: self.transitions,
            ShelfPage.OVERLAYS: self.overlays,
            ShelfPage.PULSES: self.pulses,
            ShelfPage.RECIPES: self.recipes,
        }
        searched = self._searched.get(page)
        text = "" if searched is None else searched.searched
        if self.search.text() != text:
            self._is_telling = True  # and not looking: with its signals blocked it would keep its button
            self.search.setText(text)
            self._is_telling = False
        is_without = searched is not None and not searched.tiles.count()
        if isinstance(searched, MovingPage) and is_without and not text.strip() and searched.groups:
            self._nothing.setText(
                tr("Nothing here yet. “*”, or a click with the right button, keeps a tile as a favourite.")
            )
            self._pages.setCurrentWidget(self._nothing)
        elif is_without and text.strip():
            self._nothing.setText(
                tr("Nothing is called “{words}” or does that. Escape clears the search.", words=text.strip())
            )
            self._pages.setCurrentWidget(self._nothing)
        else:
            self._pages.setCurrentWidget(pages[page])
        QTimer.singleShot(0, self._tell_more)  # once the tiles are laid out
