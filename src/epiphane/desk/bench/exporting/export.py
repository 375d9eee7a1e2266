"""The bench page of the export: file, purpose, format, size, rate, range, then progress."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLineEdit, QPushButton, QWidget

from epiphane.audio.loudness import Loudness
from epiphane.desk.bench.exporting.farm import FarmField
from epiphane.desk.bench.exporting.hand_over import HandOverRows
from epiphane.desk.bench.exporting.queue import QueueRows
from epiphane.desk.bench.exporting.settings import ExportWanted, SettingsRows
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.exchange import ExchangeDesk
from epiphane.desk.control.exports import ExportDesk
from epiphane.desk.engine.jobs import Jobs
from epiphane.desk.look import asking, theme
from epiphane.desk.look.fields import button, choice_field, label, number_field, wrapped
from epiphane.disk import withheld
from epiphane.document.project import Project
from epiphane.edits.picture import even_size
from epiphane.errors import DiskError, MediaError
from epiphane.exporting.film_sound import film_loudness
from epiphane.exporting.order import ExportOrder, for_each_shape
from epiphane.exporting.size_estimate import estimated_bytes
from epiphane.exporting.target import check_target, unused_name
from epiphane.files.export_presets import PresetBook
from epiphane.files.project import named_files
from epiphane.files.settings import folder_of, note_folder
from epiphane.formats.declare import FORMATS, format_for
from epiphane.formats.settings import ExportSettings
from epiphane.timing import COMMON_RATES, frame_at, rate_text
from epiphane.types import Size
from epiphane.wording import tr

_WIDTHS = (3840, 1920, 1280, 960, 640, 480)
_QUICK_RATES = (Fraction(12), Fraction(100), Fraction(120))
_LOUDNESS_TOPIC, _ESTIMATE_TOPIC = "loudness", "estimate"


class ExportBench(BenchPage[Project]):
    """Makes a film of the project in the background."""

    closed = pyqtSignal()

    def __init__(self, editor: Editor, jobs: Jobs, exchange: ExchangeDesk, exports: ExportDesk) -> None:
        super().__init__(editor, spacing=10)
        self._jobs, self._exports = jobs, exports
        self._settings = ExportSettings()
        self._loudness: tuple[Project, Loudness | None] | None = None
        self._is_path_chosen = self._is_range_chosen = False
        self._confirmed: Path | None = None
        self._add_file_row()
        self._add_start_row()
        self._state = wrapped("")
        self._state.hide()
        self.add(self._state, QueueRows(exports))
        self.rule()
        rows = SettingsRows(self._set, self._failed, PresetBook.of_user())
        self.part(rows, self._wanted)
        self._add_form()
        self.rule()
        self.part(HandOverRows(editor, exchange), lambda project: project)
        self.end()
        self.refresh()

    def thing(self) -> Project:
        """Return the project."""
        return self.editor.project

    def start(self) -> None:
        """Put the film into the queue, or one of each shape."""
        if not self._path.text().strip():
            return
        orders = self._orders(self._with_ending(Path(self._path.text().strip()).expanduser()))
        if not orders or not all(self._may_write(order) for order in orders):
            return
        try:
            # Only what is there now may be written over: that was asked.
            self._exports.add([replace(one, may_replace=one.path.exists()) for one in orders])
        except DiskError as error:
            self._say(str(error))
            return
        self._confirmed = None
        self._is_path_chosen = False  # the next film gets another name, in the same folder
        note_folder("export", orders[0].path.absolute().parent)
        self._say("")
        self.refresh()

    def _orders(self, path: Path) -> list[ExportOrder]:
        """Return the exports to be made: one, or one for each shape, all larger or smaller as is chosen."""
        project, size = self.editor.project, self._chosen_size()
        rate = Fraction(str(self._rate.currentData()))
        frames = None
        if self._is_range_chosen:
            frames = frame_at(self._from.value(), rate), frame_at(self._to.value(), rate)
            if frames[0] >= frames[1]:
                self._say(tr("The range has no length: its end must come after its start"))
                return []
        usual = ExportOrder(
            project,
            path,
            replace(self._settings, size=size, rate=rate),
            frames,
            () if self.editor.path is None else (self.editor.path,),
            farm=self._farm.address,
            withheld=tuple(withheld()),
        )
        if not (self._every_shape.isChecked() and len(project.shapes) > 1):
            return [usual]
        return for_each_shape(usual, factor=size[0] / project.width)

    def _may_write(self, order: ExportOrder) -> bool:
        """Whether to write to a file: said why not, and asked whether to write over one that is there."""
        path, reads = order.path, [*named_files(order.project), *order.reads]
        if any(one.is_open and one.path == path.absolute() for one in self._exports.entries):
            self._say(tr("{name} is in the queue already; choose another name.", name=path.name))
            return False
        try:
            check_target(path, reads, may_replace=True, form=self._settings.of_format())
        except MediaError as error:
            self._failed(str(error))
            return False
        # The dialog has asked about the name that was chosen in it.
        return path == self._confirmed or asking.may_replace(self, path) is not None

    def set_path(self, path: Path) -> None:
        """Put a film's name into the form, in place of the project's own."""
        self._is_path_chosen = True
        self._path.setText(str(path))

    def state_text(self) -> str:
        """Return what is said about the export."""
        return self._state.text()

    def _sizes(self) -> list[Size]:
        project = self.editor.project
        own = (project.width, project.height)
        scaled = [even_size(width, round(width * own[1] / own[0])) for width in _WIDTHS]
        chosen = [] if self._settings.size is None else [self._settings.size]
        return list(dict.fromkeys([own, *sorted([*scaled, *chosen], reverse=True)]))

    def _chosen_size(self) -> Size:
        width, height = str(self._size.currentData()).split("x")
        return int(width), int(height)

    def _add_file_row(self) -> None:
        self._path = QLineEdit()
        self._path.setAccessibleName(tr("File"))
        self._path.setToolTip(tr("Where the film goes"))
        self._path.textEdited.connect(self._keep_path)
        browse = QPushButton(theme.icon("folder-open", theme.TEXT, 15), "")
        browse.setAccessibleName(tr("Choose the file"))
        browse.setToolTip(tr("Choose where the film goes"))
        browse.clicked.connect(self._browse)
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self._path, 1)
        box.addWidget(browse)
        self.add(made)
        self.shows(lambda _: self._propose_path())

    def _propose_path(self) -> None:
        if not self._is_path_chosen:
            own = self.editor.path.parent if self.editor.path else Path.home()
            folder = folder_of("export", own)
            taken = [entry.path for entry in self._exports.entries if entry.is_open]
            self._path.setText(str(unused_name(self._with_ending(folder / self.editor.title), taken)))

    def _add_form(self) -> None:
        """Add how large the film is, how many frames a second it has, and which part of it is made."""
        self._size = choice_field(tr("Size"), (), self._choose_size)
        self._rate = choice_field(tr("Frames a second"), (), self._choose_rate)
        self._from = number_field(tr("From"), low=0, high=0, unit="s", decimals=2, step=0.5)
        self._to = number_field(tr("To"), low=0, high=0, unit="s", decimals=2, step=0.5)
        for field in (self._from, self._to):
            field.setFixedWidth(84)
            field.edited.connect(self._keep_range)
        whole = button(tr("All of it"), tr("Export from the start to the end"), self._take_whole)
        self._every_shape = QCheckBox(tr("every shape"))
        self._every_shape.setToolTip(tr("Export a film in each shape of the edit, its sides in its name"))
        self.seen(lambda project: len(project.shapes) > 1, self._every_shape)
        self.enabled(lambda _: self._is_range_chosen, whole)
        self.row(tr("Size"), self._size, self._every_shape)
        self.row(tr("Frames a second"), self._rate)
        self.row(tr("From, to"), self._from, label("to"), self._to, whole)
        self._estimate = label("")
        tried = button(tr("Estimate"), tr("Make short pieces of it to tell its size"), self._estimate_size)
        tried.setProperty("quiet", True)
        self.row(tr("File size"), self._estimate, tried)
        self._farm = FarmField(self._jobs, self._failed)
        self.row(tr("Made by"), self._farm)
        self.shows(self._show_form)

    def _show_form(self, project: Project) -> None:
        _offer(
            self._size,
            [(f"{width} × {height}", f"{width}x{height}") for width, height in self._sizes()],
            "" if self._settings.size is None else "{}x{}".format(*self._settings.size),
        )
        chosen = () if self._settings.rate is None else (self._settings.rate,)
        rates = dict.fromkeys((project.rate, *COMMON_RATES, *_QUICK_RATES, *chosen))
        _offer(self._rate, [(rate_text(rate), str(rate)) for rate in rates], str(self._settings.rate or ""))
        length = float(project.n_frames / project.rate)
        self._from.show_limits(0, length)
        self._to.show_limits(0, length)
        if not self._is_range_chosen:
            self._from.show_value(0)
            self._to.show_value(length)

    def _add_start_row(self) -> None:
        tip = tr("Write the film; you can go on working meanwhile")
        self._start = button(tr("Export the film"), tip, self.start)
        self._start.setProperty("main", True)
        self.enabled(lambda project: project.n_frames > 0, self._start)
        back = button(tr("Back"), tr("Back to the bench (Escape)"), self.closed.emit)
        back.setProperty("quiet", True)
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 4, 0, 0)
        for widget in (self._start, back):
            box.addWidget(widget)
        box.addStretch(1)
        self.add(made)

    def _keep_range(self) -> None:
        self._is_range_chosen = True
        self.refresh()

    def _take_whole(self) -> None:
        self._is_range_chosen = False
        self.refresh()

    def _keep_path(self, text: str) -> None:
        self._is_path_chosen = bool(text.strip())
        ending = Path(text.strip()).suffix.lower()
        if ending in _known_endings() and ending not in self._settings.of_format().endings:
            self._set(replace(self._settings, format=format_for(Path(text.strip())).key))

    # How it is written.

    def _wanted(self, project: Project) -> ExportWanted:
        known = self._loudness is not None and self._loudness[0] is project
        loudness = self._loudness[1] if known and self._loudness is not None else None
        playhead = float(self.editor.playhead / project.rate)
        return ExportWanted(project, self._settings, loudness, playhead)

    def _set(self, settings: ExportSettings) -> None:
        """Take other settings; a name that is there gets the ending of their format."""
        self._settings = settings
        self._confirmed = None
        self._estimate.setText("")
        if self._is_path_chosen:
            self._path.setText(str(self._with_ending(Path(self._path.text().strip()))))
        self.refresh()

    def _with_ending(self, path: Path) -> Path:
        """Return a name with the ending of the format, in place of another format's."""
        endings = self._settings.of_format().endings
        if path.suffix.lower() in endings:
            return path
        if path.suffix.lower() in _known_endings():
            path = path.with_suffix("")
        return path.with_name(path.name + endings[0]) if endings and path.name else path

    def _choose_size(self, key: str) -> None:
        width, height = (int(side) for side in key.split("x"))
        own = (width, height) == (self.editor.project.width, self.editor.project.height)
        self._set(replace(self._settings, size=None if own else (width, height)))

    def _choose_rate(self, key: str) -> None:
        rate = Fraction(key)
        self._set(replace(self._settings, rate=None if rate == self.editor.project.rate else rate))

    # What is told before.

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._measure()

    def _measure(self) -> None:
        """Find out how loud the mix is, where that is not known."""
        project = self.editor.project
        is_known = self._loudness is not None and self._loudness[0] is project
        if is_known or project.song is None or project.n_frames == 0:
            return
        self._loudness = project, None

        def done(found: Loudness | None) -> None:
            self._loudness = project, found
            self.refresh()

        self._jobs.start(
            _LOUDNESS_TOPIC,
            tr("Measuring the loudness"),
            lambda _progress: film_loudness(project, range(project.n_frames)),
            done=done,
            failed=lambda _message: None,
        )

    def _estimate_size(self) -> None:
        """Have the size of the file estimated."""
        project, settings = self.editor.project, self._settings
        rate = settings.rate or project.rate
        frames = None
        if self._is_range_chosen:
            frames = range(frame_at(self._from.value(), rate), frame_at(self._to.value(), rate))
        self._estimate.setText(tr("trying…"))

        def done(n_bytes: int) -> None:
            if self._settings == settings:
                self._estimate.setText(tr("about {size}", size=size_text(n_bytes)))

        def failed(message: str) -> None:
            self._estimate.setText("")
            self._failed(message)

        self._jobs.start(
            _ESTIMATE_TOPIC,
            tr("Estimating the size"),
            lambda progress: estimated_bytes(project, settings, frames, progress=progress),
            done=done,
            failed=failed,
        )

    def _browse(self) -> None:
        proposed = Path(self._path.text() or Path.home() / self.editor.title)
        form = self._settings.of_format()
        ending = form.endings[0] if form.endings else ""
        path = asking.ask_new_file(self, tr("Export to"), proposed, f"{form.label} (*{ending})", ending)
        if path is not None:
            note_folder("export", path.parent)
            self.set_path(path)
            self._confirmed = path

    def _failed(self, message: str) -> None:
        self._say(message[:1].upper() + message[1:])

    def _say(self, text: str) -> None:
        self._state.setText(text)
        self._state.setVisible(bool(text))


def _offer(field: QComboBox, options: Sequence[tuple[str, str]], chosen: str) -> None:
    """Offer options (text, key), the project's own first, and show the chosen one."""
    field.clear()
    for text, key in options:
        field.addItem(text if field.count() else tr("{words} (as the project)", words=text), key)
    field.setCurrentIndex(max(0, field.findData(chosen)))


def _known_endings() -> frozenset[str]:
    return frozenset(ending for one in FORMATS.all() for ending in one.endings)


def size_text(n_bytes: int) -> str:
    """Return a number of bytes to be read: ``34 MB``."""
    size, units = float(n_bytes), ("bytes", "kB", "MB", "GB", "TB")
    unit = 0
    while size >= 1000 and unit < len(units) - 1:
        size, unit = size / 1000, unit + 1
    return f"{size:.0f} {units[unit]}" if size >= 10 or unit == 0 else f"{size:.1f} {units[unit]}"
