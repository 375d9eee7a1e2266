"""The centre of the selected lane's effect, dragged on the picture."""

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QPointF

from epiphane.declare.parameters import Parameter, rest_and_peak, setting_of
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import CuesSelection, LaneSelection
from epiphane.desk.picture.view import PictureView
from epiphane.document.lane import Lane
from epiphane.document.project import Project
from epiphane.edits.keying.lanes import set_setting
from epiphane.lane_kinds import lane_kind
from epiphane.wording import tr

_ACROSS, _DOWN = "centre_x", "centre_y"


class CentreHandle(QObject):
    """Shows a handle on the picture where the effect has a centre, and moves that with it."""

    def __init__(self, editor: Editor, view: PictureView) -> None:
        super().__init__(view)
        self._editor = editor
        self._view = view
        editor.selection_changed.connect(self.refresh)
        editor.project_changed.connect(self.refresh)
        view.handle_dragged.connect(self._drag)
        view.handle_released.connect(editor.end_gesture)

    def refresh(self) -> None:
        """Show the handle where the centre is now, or none."""
        lane = self._lane()
        point = None
        if lane is not None:
            across, down = (self._peak(lane, name) for name in (_ACROSS, _DOWN))
            if across is not None and down is not None:
                point = QPointF(across / 100, down / 100)
        self._view.set_handle(point)

    def _lane(self) -> Lane | None:
        is_lane = isinstance(self._editor.selection, LaneSelection | CuesSelection)
        return self._editor.chosen.lane if is_lane else None

    def _peak(self, lane: Lane, name: str) -> float | None:
        effect = lane_kind(lane.effect)
        parameters = () if effect is None else effect.parameters
        found = next((one for one in parameters if one.name == name), None)
        setting = next((one for one in lane.settings if one.name == name), None)
        return rest_and_peak(found, setting)[1] if isinstance(found, Parameter) else None

    def _drag(self, across: float, down: float) -> None:
        lane = self._lane()
        effect = None if lane is None else lane_kind(lane.effect)
        if lane is None or effect is None:
            return
        # The same at rest and at the peak: the centre stays while the effect comes and goes.
        settings = [
            replace(setting_of(effect.parameter(name), lane.settings), peak=value, rest=value)
            for name, value in ((_ACROSS, round(100 * across, 1)), (_DOWN, round(100 * down, 1)))
        ]

        def edit(project: Project) -> Project:
            for setting in settings:
                project = set_setting(project, lane.id, setting)
            return project

        self._editor.apply(edit, tr("move of a centre"), gesture="centre")
