"""Commands of the shapes in which an edit goes out."""

from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.engine.jobs import Jobs
from epiphane.document.ids import ItemId
from epiphane.document.timeline import Shape
from epiphane.edits.frame_shapes import add_shape, place_shots, remove_shape, shots_to_place, show_shape
from epiphane.media.proxy import ProxyStore
from epiphane.render.interest import places_of_shots
from epiphane.render.sources import OpenFootage
from epiphane.types import Progress
from epiphane.wording import tr

ASPECTS = ((16, 9), (9, 16), (1, 1), (4, 5))
"""Width and height of the shapes that are offered."""


class ShapeDesk(QObject):
    """What the user does with the shapes of the edit.

    A new shape is laid about what moves in every shot, found in the background; it can be undone.
    """

    def __init__(self, editor: Editor, jobs: Jobs, proxies: ProxyStore) -> None:
        super().__init__()
        self._editor, self._jobs, self._proxies = editor, jobs, proxies

    def add(self, across: int, down: int) -> None:
        """Have the edit go out in a shape too, with the short side that it has now, and show that."""
        project = self._editor.project
        short = min(project.width, project.height)
        unit = short / min(across, down)
        self.add_own(round(across * unit / 2) * 2, round(down * unit / 2) * 2)

    def add_own(self, width: int, height: int) -> None:
        """Have the edit go out in a shape of so many pixels too, and show that."""
        shape = Shape(width, height)
        if self._editor.apply(lambda p: add_shape(p, shape), tr("new shape of the frame")):
            self._lay_about_interest(shape)

    def show(self, shape: Shape) -> None:
        """Show the edit in another of its shapes: what is looked at is no step of undo."""
        self._editor.apply_everywhere(lambda p: show_shape(p, shape) if shape in p.shapes else p)

    def show_next(self) -> None:
        """Show the edit in the next of its shapes."""
        project = self._editor.project
        if not project.shapes:
            self._editor.said.emit(
                tr("The edit has one shape: add others on the song's page (Escape)"), False
            )
            return
        number = project.shapes.index(project.shape)
        shape = project.shapes[(number + 1) % len(project.shapes)]
        self.show(shape)
        self._editor.said.emit(
            tr("Shape of the frame: {width} × {height}", width=shape.width, height=shape.height), False
        )

    def remove(self) -> None:
        """Have the edit go out in the shape that is shown no longer."""
        shape = self._editor.project.shape
        self._editor.apply(lambda p: remove_shape(p, shape), tr("removal of a shape"))

    def _lay_about_interest(self, shape: Shape) -> None:
        project = self._editor.project
        shots = shots_to_place(project, shape)
        if not shots:
            return

        def work(progress: Progress) -> dict[ItemId, tuple[float, float]]:
            files = OpenFootage(self._proxies)
            try:
                return places_of_shots(project, shots, shape, files, progress=progress)
            finally:
                files.close()

        def done(places: dict[ItemId, tuple[float, float]]) -> None:
            if shape in self._editor.project.shapes:
                self._editor.apply(lambda p: place_shots(p, shape, places), tr("framing of shots"))

        self._jobs.start("framing", tr("Looking for what moves in each shot"), work, done=done)
