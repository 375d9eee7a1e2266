"""Footage on the shelf: groups on the left, tiles to skim, choose and drag on the right."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QImage
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from epiphane.desk.control.clip_player import ClipPlayer
from epiphane.desk.control.drag import carried_footage, carry_footage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.footage import FootageDesk
from epiphane.desk.control.selection import FootageSelection
from epiphane.desk.engine.skimming import Skimmed, Skimmer
from epiphane.desk.engine.thumbnails import THUMB_SIZE, Thumbnails, image_of
from epiphane.desk.look import theme
from epiphane.desk.look.footage_facts import footage_facts
from epiphane.desk.shelf.search import best_first
from epiphane.desk.shelf.tiles import Mark, Tile, Tiles
from epiphane.document.footage import Footage, FootageKind, Moment
from epiphane.document.ids import FootageId
from epiphane.document.project import footage_of
from epiphane.edits.footage import put_in_group, remove_footage, rename_group
from epiphane.edits.shots.shots import footage_name
from epiphane.timing import clock_text
from epiphane.wording import tr

SORTS: dict[str, Callable[[Footage], object]] = {
    tr("As imported"): lambda footage: footage.id,
    tr("Name"): lambda footage: footage_name(footage).casefold(),
    tr("Length"): lambda footage: (-footage.duration, footage.id),
    tr("Best moment"): lambda footage: (-_best_strength(footage), footage.id),
    tr("Size"): lambda footage: (-footage.width * footage.height, footage.id),
}
_KINDS = {
    tr("Clips"): FootageKind.VIDEO,
    tr("Stills"): FootageKind.STILL,
    tr("Sounds"): FootageKind.SOUND,
}
_ICONS = {FootageKind.VIDEO: "", FootageKind.STILL: "image", FootageKind.SOUND: "music"}
_GROUPS_WIDTH = 136
# Shares of pictures that cannot be decoded.
_MOSTLY = 0.5
_STANDING_OUT = 0.6
_ALL, _UNUSED, _MISSING = tr("All"), tr("Unused"), tr("Missing")
_RULE_KEY = Qt.ItemDataRole.UserRole


class FootagePage(QWidget):
    """The footage of the project.

    Signals
    -------
    taken(ids)
        To be laid on the score.
    """

    taken = pyqtSignal(object)

    def __init__(
        self,
        editor: Editor,
        thumbnails: Thumbnails,
        desk: FootageDesk,
        skimmer: Skimmer,
        player: ClipPlayer,
    ) -> None:
        super().__init__()
        self._editor = editor
        self._thumbnails = thumbnails
        self._desk = desk
        self._skimmer = skimmer
        self._player = player
        self.searched = ""
        self._sort = next(iter(SORTS))
        self._peeked: tuple[FootageId, float] | None = None
        self.groups = _GroupList(editor)
        self.tiles = Tiles(tr("Footage"), lambda keys: carry_footage([FootageId(int(str(k))) for k in keys]))
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(self.groups)
        box.addWidget(self.tiles, 1)
        self.groups.chosen.connect(self.refresh)
        self.tiles.taken.connect(self.taken)
        self.tiles.removed.connect(self._remove)
        self.tiles.itemSelectionChanged.connect(self._on_chosen)
        self.tiles.itemClicked.connect(lambda _item: self._on_chosen())
        self.tiles.pointed.connect(self._peek)
        skimmer.drawn.connect(self._on_drawn)
        thumbnails.ready.connect(self.refresh_pictures)
        desk.missing_changed.connect(self.refresh)
        editor.selection_changed.connect(self._on_selection)

    def search(self, text: str) -> None:
        """Show what has some words in its name, folder or group."""
        self.searched = text
        self.refresh()

    def sort(self, key: str) -> None:
        """Show it in another order, one of `SORTS`."""
        self._sort = key
        self.refresh()

    def chosen(self) -> list[FootageId]:
        """Return the chosen footage."""
        return [FootageId(int(str(key))) for key in self.tiles.chosen()]

    def refresh(self) -> None:
        """Show the footage as it is now."""
        self.groups.refresh(self._desk.missing)
        used = {shot.footage for shot in self._editor.project.shots}
        self.tiles.show_tiles([self._tile(one, is_used=one.id in used) for one in self._shown()])
        self.refresh_pictures()

    def refresh_pictures(self) -> None:
        """Show the thumbnails that are ready."""
        pictures: dict[object, QImage | None] = {}
        for footage in self._shown():
            if footage.kind is not FootageKind.SOUND and footage.id not in self._desk.missing:
                best = footage.best_moment
                seconds = 0.45 * footage.duration if best is None else best.time
                pictures[footage.id] = self._thumbnails.get(footage, seconds)
        self.tiles.show_pictures(pictures)

    def _shown(self) -> list[Footage]:
        footage = [one for one in self._editor.project.footage if self.groups.holds(one)]
        footage.sort(key=SORTS[self._sort])  # type: ignore[arg-type]  # each key sorts among its own
        return best_first(footage, self.searched, footage_name, _searched)

    def _tile(self, footage: Footage, *, is_used: bool) -> Tile:
        is_missing = footage.id in self._desk.missing
        length = max(footage.duration, 1e-6)
        return Tile(
            footage.id,
            footage_name(footage),
            _note(footage),
            (theme.QUIET,) * is_used,
            tell_footage(footage, is_used=is_used, is_missing=is_missing),
            "triangle-alert" if is_missing or is_mostly_damaged(footage) else _ICONS[footage.kind],
            tuple(Mark(round(m.time / length, 4), m.is_accepted) for m in _standing_out(footage)),
            footage.fingerprint,
        )

    def _on_chosen(self) -> None:
        chosen = self.chosen()
        item = self.tiles.currentItem()
        if chosen and item is not None:
            current = item.data(Qt.ItemDataRole.UserRole)
            footage = current if current in chosen else chosen[-1]
            self._editor.select(FootageSelection(footage))

    def _on_selection(self) -> None:
        # What is chosen stays so when something else is on the bench: it may be filled or exchanged with.
        if isinstance(self._editor.selection, FootageSelection):
            self.tiles.choose(self._editor.selection.footage)

    def _remove(self, ids: list[FootageId]) -> None:
        self._editor.apply(lambda p: remove_footage(p, ids), tr("removal of footage"))

    def _peek(self, key: object, share: float) -> None:
        number = None if key is None else FootageId(int(str(key)))
        footage = footage_of(self._editor.project, number)
        if footage is None:
            self._peeked = None
            self._player.end_peek()
        elif footage.id not in self._desk.missing and footage.kind is FootageKind.VIDEO:
            self._peeked = footage.id, share
            self._player.peek(footage, share * max(footage.duration - 0.5 / float(footage.rate), 0.0))

    def _on_drawn(self, frame: Skimmed) -> None:
        if self._peeked is not None and frame.key == self._peeked[0]:
            image = image_of(frame.picture).scaled(
                *THUMB_SIZE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            self.tiles.show_peek(self._peeked[0], image, self._peeked[1])


class _GroupList(QListWidget):
    """Kinds, own groups and folders; footage is dropped on an own group to put it there.

    Signals
    -------
    chosen()
        Another group is to be shown.
    """

    chosen = pyqtSignal()

    def __init__(self, editor: Editor) -> None:
        super().__init__()
        self._editor = editor
        self._missing: frozenset[FootageId] = frozenset()
        self._folders: dict[str, str] = {}
        self._rows: list[tuple[str, str, str]] = []
        self.setObjectName("groups")
        self.setAccessibleName(tr("Groups of footage"))
        self.setToolTip(tr("Show a part of the footage. Drop clips on one of your groups to put them there"))
        self.setFixedWidth(_GROUPS_WIDTH)
        self.setAcceptDrops(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.currentRowChanged.connect(lambda _row: self.chosen.emit())
        self.itemChanged.connect(self._rename)

    def refresh(self, missing: frozenset[FootageId]) -> None:
        """Show the groups that there are now."""
        self._missing = missing
        project = self._editor.project
        self._folders = _folder_names([one.path for one in project.footage])
        rows = [("all", _ALL, _ALL), ("unused", _UNUSED, _UNUSED)]
        rows += [("kind", name, name) for name, kind in _KINDS.items() if _has_kind(project.footage, kind)]
        rows += [("missing", _MISSING, _MISSING)] if missing else []
        rows += [("group", name, name) for name in project.groups]
        if len(self._folders) > 1:
            rows += [("folder", name, f"{name}/") for name in sorted(self._folders.values())]
        if rows == self._rows:
            return
        row = max(self.currentRow(), 0)
        kept = self._rows[row] if row < len(self._rows) else rows[0]
        self._rows = rows
        self.blockSignals(True)
        self.clear()
        for kind, name, text in rows:
            item = QListWidgetItem(text)
            item.setData(_RULE_KEY, (kind, name))
            if kind == "group":
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            self.addItem(item)
        self.setCurrentRow(rows.index(kept) if kept in rows else 0)
        self.blockSignals(False)

    def holds(self, footage: Footage) -> bool:
        """Whether some footage is in the group that is shown."""
        row = self.currentRow()
        kind, name, _ = self._rows[row] if 0 <= row < len(self._rows) else ("all", _ALL, _ALL)
        match kind:
            case "unused":
                return footage.id not in {shot.footage for shot in self._editor.project.shots}
            case "kind":
                return footage.kind is _KINDS[name]
            case "missing":
                return footage.id in self._missing
            case "group":
                return footage.group == name
            case "folder":
                return self._folders.get(str(Path(footage.path).parent)) == name
        return True

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and carried_footage(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None:
            kind, _ = self._rule_at(event.position().toPoint())
            event.setAccepted(kind in ("group", "all"))

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is None:
            return
        ids = carried_footage(event.mimeData())
        kind, name = self._rule_at(event.position().toPoint())
        if ids and kind in ("group", "all"):
            group = name if kind == "group" else ""
            self._editor.apply(lambda p: put_in_group(p, ids, group), tr("group of footage"))
            event.acceptProposedAction()

    def _rule_at(self, point: object) -> tuple[str, str]:
        item = self.itemAt(point)  # type: ignore[call-overload]
        return item.data(_RULE_KEY) if item is not None else ("", "")

    def _rename(self, item: QListWidgetItem) -> None:
        kind, old = item.data(_RULE_KEY)
        if kind == "group" and item.text() != old:
            self._rows = []
            self._editor.apply(lambda p: rename_group(p, old, item.text()), tr("name of a group"))
            self.chosen.emit()


def tell_footage(footage: Footage, *, is_used: bool, is_missing: bool) -> str:
    """Return what there is to know of some footage, in lines."""
    lines = [footage.path, footage_facts(footage)]
    if is_missing:
        lines.append(tr("Missing: put it back, or look for it in a folder"))
    elif footage.kind is not FootageKind.SOUND:
        lines.append(tr("Used in the score") if is_used else tr("Not used yet"))
    if is_mostly_damaged(footage):
        lines.append(tr("Most of its pictures cannot be decoded: convert it, or replace it"))
    if footage.moments:
        n_accepted = sum(moment.is_accepted for moment in footage.moments)
        lines.append(
            tr("{count} moments, {n_accepted} accepted", count=len(footage.moments), n_accepted=n_accepted)
        )
    return "\n".join(lines)


def is_mostly_damaged(footage: Footage) -> bool:
    """Whether more than half of the pictures cannot be decoded."""
    return footage.damaged > _MOSTLY


def _note(footage: Footage) -> str:
    """Return what stands beside a name on the shelf: how long it is, or that it is no good."""
    if is_mostly_damaged(footage):
        return "damaged"
    return "" if footage.kind is FootageKind.STILL else clock_text(footage.duration)


def _searched(footage: Footage) -> str:
    return f"{footage_name(footage)} {footage.path} {footage.group} {tr(footage.kind.value)}".casefold()


def _best_strength(footage: Footage) -> float:
    best = footage.best_moment
    return 0.0 if best is None else best.strength + best.is_accepted


def _standing_out(footage: Footage) -> list[Moment]:
    """Return the moments that a small picture has room for: what was accepted, and the best proposals."""
    strongest = max((moment.strength for moment in footage.moments), default=0.0)
    return [m for m in footage.moments if m.is_accepted or m.strength >= _STANDING_OUT * strongest]


def _has_kind(footage: tuple[Footage, ...], kind: FootageKind) -> bool:
    """Whether a group of a kind says something: there is such footage, and other footage too."""
    return len({one.kind for one in footage}) > 1 and any(one.kind is kind for one in footage)


def _folder_names(paths: list[str]) -> dict[str, str]:
    """Return what each folder is called: its name, with its parent's where two are called alike."""
    folders = sorted({str(Path(path).parent) for path in paths})
    names = [Path(folder).name for folder in folders]
    return {
        folder: name if names.count(name) == 1 else f"{Path(folder).parent.name}/{name}"
        for folder, name in zip(folders, names, strict=True)
    }
