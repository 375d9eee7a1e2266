"""The bench page of the export: size, rate, range, file, then progress."""

import time
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLineEdit, QProgressBar, QPushButton, QWidget

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.jobs import EXPORT_TOPIC, Job, Jobs
from epiphane.desk.look import asking, theme
from epiphane.desk.look.fields import button, choice_field, label, number_field, row, wrapped
from epiphane.document.project import Project
from epiphane.edits.frame_shapes import in_shape
from epiphane.edits.picture import even_size
from epiphane.errors import MediaError
from epiphane.files.project import named_files
from epiphane.files.settings import folder_of, note_folder
from epiphane.render.export import ExportProgress, export
from epiphane.render.export_target import check_target, unused_name
from epiphane.timing import COMMON_RATES, clock_text, frame_at, rate_text
from epiphane.types import Progress, Size
from epiphane.wording import tr

# Endings that mean another format than the one that is written; what else follows a dot is part of the name.
_OTHER_FORMATS = frozenset(
    [
        ".avi",
        ".gif",
        ".m4v",
        ".mkv",
        ".mov",
        ".mpg",
        ".mpeg",
        ".mxf",
        ".ogv",
        ".webm",
        ".webp",
        ".wmv",
        ".png",
        ".jpg",
        ".jpeg",
        ".wav",
        ".mp3",
        ".flac",
        ".epiphane",
    ]
)
FILM_SUFFIX = ".mp4"
_WIDTHS = (1920, 1280, 960, 640)


class _Film(Struct, frozen=True):
    """A film that is to be made: of which project, where, and how large."""

    project: Project
    path: Path
    size: Size


class ExportBench(BenchPage[Project]):
    """Makes a film of the project in the background."""

    closed = pyqtSignal()

    def __init__(self, editor: Editor, jobs: Jobs) -> None:
        super().__init__(editor, spacing=10)
        self._jobs = jobs
        self._job: Job | None = None
        self._is_path_chosen = self._is_range_chosen = False
        self._confirmed: Path | None = None
        self._add_file_row()
        self._add_form()
        self._add_start_row()
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 1000)
        self._bar.setAccessibleName(tr("Export progress"))
        self._state = wrapped("")
        self.add(self._bar, self._state)
        self.end()
        self._bar.hide()
        self.refresh()

    def thing(self) -> Project | None:
        """Return the project, but for while it is exported: what is shown then stays."""
        return self.editor.project if self._job is None else None

    @property
    def is_exporting(self) -> bool:
        """Whether an export is at work."""
        return self._job is not None

    def start(self) -> None:
        """Begin the export."""
        if self._job is not None or not self._path.text().strip():
            return
        project = self.editor.project
        path = Path(self._path.text().strip()).expanduser()
        if path.suffix.lower() not in _OTHER_FORMATS and path.suffix.lower() != FILM_SUFFIX:
            path = path.with_name(path.name + FILM_SUFFIX)  # no ending, or a dot in the name
        reads = [] if self.editor.path is None else [self.editor.path]
        films = self._films(project, path)
        if not all(self._may_write(film.path, [*named_files(film.project), *reads]) for film in films):
            return
        rate = Fraction(str(self._rate.currentData()))
        frames = None
        if self._is_range_chosen:
            frames = range(frame_at(self._from.value(), rate), frame_at(self._to.value(), rate))
            if not frames:
                self._failed(tr("the range has no length: its end must come after its start"))
                return

        def work(progress: Progress) -> tuple[Path, list[str]]:
            faults: list[str] = []
            for number, film in enumerate(films):

                def report(done: ExportProgress, number: int = number) -> None:
                    progress((number + done.n_done / done.n_frames) / len(films))

                faults += export(
                    film.project,
                    film.path,
                    size=film.size,
                    rate=rate,
                    frames=frames,
                    may_replace=True,
                    reads=reads,
                    report=report,
                )
            return films[0].path, list(dict.fromkeys(faults))

        self._job = self._jobs.start(
            EXPORT_TOPIC,
            tr("Exporting {name}", name=path.name),
            work,
            done=self._done,
            stopped=self._stopped,
            failed=self._failed,
        )
        self._job.progressed.connect(self._show_progress)
        self._bar.setValue(0)
        self._bar.show()
        self._show_running(True)
        self._say(tr("Preparing the song…"))

    def _films(self, project: Project, path: Path) -> list[_Film]:
        """Return the films to be made: one, or one for each shape, as much larger or smaller as is chosen."""
        size = self._chosen_size()
        if not (self._every_shape.isChecked() and len(project.shapes) > 1):
            return [_Film(project, path, size)]
        factor = size[0] / project.width
        films = []
        for shape in project.shapes:
            own = even_size(round(shape.width * factor), round(shape.height * factor))
            named = path.with_name(f"{path.stem} {own[0]}x{own[1]}{path.suffix}")
            films.append(_Film(in_shape(project, shape), named, own))
        return films

    def _may_write(self, path: Path, reads: Sequence[Path]) -> bool:
        """Whether to write to a file: said why not, and asked whether to write over one that is there."""
        try:
            check_target(path, reads, may_replace=True)
        except MediaError as error:
            self._failed(str(error))
            return False
        # The dialog has asked about the name that was chosen in it.
        return path == self._confirmed or asking.may_replace(self, path) is not None

    def cancel(self) -> None:
        """Stop the export; nothing is left under the film's name."""
        if self._job is not None:
            self._job.cancel()
            self._say(tr("Stopping…"))

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
        return list(dict.fromkeys([own, *scaled]))

    def _chosen_size(self) -> Size:
        width, height = str(self._size.currentData()).split("x")
        return int(width), int(height)

    def _add_file_row(self) -> None:
        self._path = QLineEdit()
        self._path.setAccessibleName(tr("File"))
        self._path.setToolTip(tr("Where the film goes"))
        self._path.textEdited.connect(self._keep_path)
        browse = self._browse_button = QPushButton(theme.icon("folder-open", theme.TEXT, 15), "")
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
            self._path.setText(str(unused_name(folder / f"{self.editor.title}{FILM_SUFFIX}")))

    def _add_form(self) -> None:
        """Add how large the film is, how many frames a second it has, and which part of it is made."""
        self._size = choice_field(tr("Size"), (), lambda _key: None)
        self._rate = choice_field(tr("Frames a second"), (), lambda _key: None)
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
        self._form = [
            row(tr("Size"), self._size, self._every_shape),
            row(tr("Frames a second"), self._rate),
            row(tr("From, to"), self._from, label("to"), self._to, whole),
        ]
        self.add(*self._form)
        self.row(tr("Film"), label(tr("H.264 and AAC in MP4, with the song")))
        self.shows(self._show_form)

    def _show_form(self, project: Project) -> None:
        _offer(self._size, [(f"{width} × {height}", f"{width}x{height}") for width, height in self._sizes()])
        rates = dict.fromkeys((project.rate, *COMMON_RATES))
        _offer(self._rate, [(rate_text(rate), str(rate)) for rate in rates])
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
        tip = tr("Stop the export; nothing is left under the film's name")
        self._cancel = button(tr("Stop"), tip, self.cancel)
        self._cancel.hide()
        back = button(tr("Back"), tr("Back to the bench (Escape)"), self.closed.emit)
        back.setProperty("quiet", True)
        made = QWidget()
        box = QHBoxLayout(made)
        box.setContentsMargins(0, 4, 0, 0)
        for widget in (self._start, self._cancel, back):
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

    def _browse(self) -> None:
        proposed = Path(self._path.text() or Path.home() / self.editor.title)
        path = asking.ask_new_file(self, tr("Export to"), proposed, "MP4 (*.mp4)", FILM_SUFFIX)
        if path is not None:
            note_folder("export", path.parent)
            self.set_path(path)
            self._confirmed = path

    def _show_progress(self, share: float) -> None:
        if self._job is None:
            return
        self._bar.setValue(round(1000 * share))
        remaining = self._job.remaining
        left = "" if remaining is None else tr(", about {time} left", time=clock_text(remaining + 0.99))
        self._say(tr("{share:.0%} done{left}. You can go on working.", share=share, left=left))

    def _show_running(self, is_running: bool) -> None:
        self._start.setVisible(not is_running)
        self._cancel.setVisible(is_running)
        for widget in (*self._form, self._path, self._browse_button):
            widget.setEnabled(not is_running)

    def _ended(self, text: str) -> None:
        self._job = self._confirmed = None
        self._bar.hide()
        self._show_running(False)
        self._say(text)
        self.refresh()

    def _done(self, result: tuple[Path, list[str]]) -> None:
        path, faults = result
        taken = "" if self._job is None else f" in {clock_text(self._job_seconds())}"
        self._ended(
            tr(
                "{name} is ready{taken}, in {folder}. {names}",
                name=path.name,
                taken=taken,
                folder=path.parent,
                names=" ".join(faults),
            ).strip()
        )
        self.editor.said.emit(tr("{name} is ready, in {folder}.", name=path.name, folder=path.parent), False)

    def _stopped(self) -> None:
        self._ended(tr("Stopped. No file was left."))

    def _failed(self, message: str) -> None:
        self._ended(message[:1].upper() + message[1:])

    def _job_seconds(self) -> float:
        return 0.0 if self._job is None else time.monotonic() - self._job.started_at

    def _say(self, text: str) -> None:
        self._state.setText(text)


def _offer(field: QComboBox, options: Sequence[tuple[str, str]]) -> None:
    """Offer options (text, key), the project's own first; who had chosen another one keeps it."""
    has_own = field.currentIndex() <= 0
    chosen = field.currentData()
    field.clear()
    for text, key in options:
        field.addItem(text if field.count() else tr("{words} (as the project)", words=text), key)
    field.setCurrentIndex(0 if has_own else max(0, field.findData(chosen)))
