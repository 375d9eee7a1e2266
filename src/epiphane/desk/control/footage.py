"""Background work on footage: import, moments, proxies, and finding missing files."""

import gc
import threading
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.jobs import Jobs
from epiphane.disk import is_file
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId
from epiphane.document.project import Project
from epiphane.edits.footage import learn_of_footage, relink
from epiphane.edits.shots.shots import footage_name
from epiphane.errors import DiskError, MediaError
from epiphane.files.settings import folder_of
from epiphane.media.gather import find_again
from epiphane.media.probe import FootageFacts, probe_footage
from epiphane.media.proxy import ProxyStore
from epiphane.media.search import FoundInClip, search_clip
from epiphane.types import Progress
from epiphane.wording import tr

FOOTAGE_TOPIC = "footage"
_WAIT_SECONDS = 0.1


class _Prepared(Struct, frozen=True):
    """What came of preparing some footage."""

    fingerprint: str
    found: FoundInClip | None = None
    has_proxy: bool = False
    fault: str = ""
    path: str = ""
    cache_fault: str = ""


class FootageDesk(QObject):
    """Looks after the footage of the open project.

    Moments of all clips are looked for first, then proxies are made; while something plays, both wait.

    Signals
    -------
    proxy_made(fingerprint: str)
        A preview may read it from now on.
    missing_changed()
    """

    proxy_made = pyqtSignal(str)
    _proxy_lost = pyqtSignal(str)
    missing_changed = pyqtSignal()

    def __init__(self, editor: Editor, jobs: Jobs, proxies: ProxyStore, window: QWidget) -> None:
        super().__init__(window)
        self._editor = editor
        self._jobs = jobs
        self._proxies = proxies
        self._window = window
        self._done: set[tuple[str, str]] = set()
        self._is_working = False
        self._is_stopped = False
        self._may_work = threading.Event()
        self._may_work.set()
        self.prepares = True
        """Whether moments and proxies are made of what is gathered."""
        self.missing: frozenset[FootageId] = frozenset()
        self._is_told_of_disk = False
        editor.project_changed.connect(self._on_project)
        self._proxy_lost.connect(self._on_proxy_lost)
        proxies.discarded = self._proxy_lost.emit  # from a thread that draws

    def rest(self, is_resting: bool) -> None:
        """Wait while something plays: pictures on time count more."""
        if is_resting:
            self._may_work.clear()
        else:
            self._may_work.set()

    def look_for_missing(self) -> None:
        """See anew which files are there."""
        gone = frozenset(one.id for one in self._editor.project.footage if not is_file(one.path))
        if gone != self.missing:
            self.missing = gone
            self.missing_changed.emit()

    def ask_missing(self) -> None:
        """Ask for a folder and look for the missing files in it and below."""
        usual = str(folder_of("footage", Path.home()))
        folder = QFileDialog.getExistingDirectory(self._window, tr("Look for missing footage in"), usual)
        if folder:
            self.find_missing(Path(folder))

    def find_missing(self, folder: Path) -> None:
        """Look for the missing files in a folder and below: by name, and by what is in them."""
        wanted = [
            (one.path, one.fingerprint) for one in self._editor.project.footage if one.id in self.missing
        ]

        def work(progress: Progress) -> dict[str, FootageFacts]:
            places = find_again(wanted, folder, progress=progress)
            found = {}
            for path, place in places.items():
                try:
                    found[path] = probe_footage(place)
                except MediaError:
                    continue
            return found

        def done(found: dict[str, FootageFacts]) -> None:
            self._editor.apply(lambda p: relink(p, found), tr("finding of footage"))
            self.look_for_missing()
            self._editor.said.emit(_told(wanted, found), len(found) < len(wanted))

        self._jobs.start("missing", tr("Looking in {name}", name=folder.name), work, done=done)

    def _on_project(self, new: Project, old: Project) -> None:
        if new.footage is not old.footage:
            self.look_for_missing()
            if {one.id for one in new.footage} - {one.id for one in old.footage}:
                self._is_stopped = False
            self._go_on()

    def _go_on(self) -> None:
        """Prepare the next footage, if there is any and nothing is being prepared."""
        if self._is_working or self._is_stopped or not self.prepares:
            return
        found = self._next()
        if found is None:
            return
        footage, task, n_left = found
        self._is_working = True
        self._done.add((footage.fingerprint, task))
        what = tr("Looking through") if task == "search" else tr("Making a proxy of")
        more = tr(", {n_left} to go", n_left=n_left) if n_left else ""
        self._jobs.start(
            FOOTAGE_TOPIC,
            f"{what} {footage_name(footage)}{more}",
            lambda progress: self._prepared(footage, task, progress),
            done=self._on_prepared,
            stopped=self._on_stopped,
            failed=self._on_failed,
        )

    def _next(self) -> tuple[Footage, str, int] | None:
        """Return what is to be prepared next, how, and how many wait behind it."""
        there = [one for one in self._editor.project.footage if one.id not in self.missing]
        waiting = [(one, "search") for one in there if one.kind is FootageKind.VIDEO and not one.is_searched]
        waiting += [(one, "proxy") for one in there if one.kind is not FootageKind.SOUND]
        waiting = [(one, task) for one, task in waiting if (one.fingerprint, task) not in self._done]
        for number, (one, task) in enumerate(waiting):
            if task == "search" or self._proxies.find(one.fingerprint) is None:
                return one, task, len(waiting) - number - 1
            self._done.add((one.fingerprint, task))
        return None

    def _prepared(self, footage: Footage, task: str, progress: Progress) -> _Prepared:
        """Runs in a thread of its own."""

        def patient(share: float) -> None:
            progress(share)
            while not self._may_work.wait(_WAIT_SECONDS):
                progress(share)  # so that it can be stopped while it waits

        path = Path(footage.path)
        try:
            if task == "search":
                return _Prepared(footage.fingerprint, search_clip(path, progress=patient))
            made = self._proxies.make(path, footage.fingerprint, progress=patient)
            return _Prepared(footage.fingerprint, has_proxy=made is not None)
        except MediaError as error:
            return _Prepared(footage.fingerprint, fault=str(error), path=footage.path)
        except DiskError as error:
            return _Prepared(footage.fingerprint, cache_fault=str(error))
        finally:
            # Files and their codecs refer to each other: without this each holds some 40 MB for minutes.
            gc.collect()

    def _on_proxy_lost(self, fingerprint: str) -> None:
        """Make a proxy anew that was damaged."""
        self._done.discard((fingerprint, "proxy"))
        self.proxy_made.emit(fingerprint)  # whoever reads it reads the footage itself until then
        self._go_on()

    def _on_prepared(self, prepared: _Prepared) -> None:
        self._is_working = False
        found = prepared.found
        if found is not None:
            self._editor.apply_everywhere(lambda p: learn_of_footage(p, prepared.fingerprint, found))
        if prepared.has_proxy:
            self.proxy_made.emit(prepared.fingerprint)
        # Of a file that is known to be missing, or has been found elsewhere since, enough has been said.
        is_there = any(
            one.path == prepared.path and one.id not in self.missing for one in self._editor.project.footage
        )
        if prepared.fault and is_there:
            self._editor.said.emit(prepared.fault, True)
        if prepared.cache_fault and not self._is_told_of_disk:
            self._is_told_of_disk = True  # the next one would say the same
            text = tr(
                "Previews read the footage itself and may stutter: {cache_fault}.",
                cache_fault=prepared.cache_fault,
            )
            self._editor.said.emit(text, False)
        self._go_on()

    def _on_stopped(self) -> None:
        self._is_working = False
        self._is_stopped = True
        self._done.clear()
        text = tr(
            "Footage is not prepared any further until more is imported or the project is opened again."
        )
        self._editor.said.emit(text, False)

    def _on_failed(self, message: str) -> None:
        self._is_working = False
        self._editor.said.emit(message, True)
        self._go_on()


def _told(wanted: Sequence[tuple[str, str]], found: dict[str, FootageFacts]) -> str:
    """Return what to say of a search."""
    left = [Path(path).name for path, _ in wanted if path not in found]
    others = [
        Path(path).name for path, print_ in wanted if path in found and found[path].fingerprint != print_
    ]
    parts = [tr("{count} of {wanted} missing files found.", count=len(found), wanted=len(wanted))]
    if others:
        parts.append(tr("Another version than before: {names}.", names=", ".join(others[:3])))
    if left:
        parts.append(tr("Still missing: {names}; look in another folder.", names=", ".join(left[:4])))
    return " ".join(parts)
