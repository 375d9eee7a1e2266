"""Commands of what lies over the picture: overlays that hits fire, and what stands on tracks."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.lanes import Target
from epiphane.desk.control.selection import ItemSelection, LaneSelection
from epiphane.desk.control.shots import ShotPlace
from epiphane.desk.control.titles import TitleDesk
from epiphane.desk.engine.jobs import Jobs
from epiphane.document.envelope import Envelope
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, ItemId, LaneId
from epiphane.document.lane import Setting, Trigger
from epiphane.document.project import Project, find
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import BlendMode, ShapeFill, ShapeKind, SolidFill
from epiphane.document.titles import TextFill
from epiphane.edits.footage import add_footage, add_moment, put_in_group
from epiphane.edits.items.titles import FRESH_TEXT
from epiphane.edits.items.tracks import change_item, put_fill_on_track, put_on_track
from epiphane.edits.keying.lanes import change_lane, set_setting
from epiphane.edits.keying.overlays import add_overlay_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.keying.words import add_words_lane
from epiphane.errors import EditError
from epiphane.lane_kinds import REPEATS
from epiphane.media.burst import find_burst
from epiphane.media.probe import FootageFacts, probe_footage
from epiphane.media.shipped import ShippedOverlay, shipped_overlays
from epiphane.types import Progress
from epiphane.wording import tr

_GROUP = "overlays"
FILLS: dict[str, SolidFill | ShapeFill | TextFill] = {
    "title": FRESH_TEXT,
    "solid": SolidFill("#16131a"),
    "rectangle": ShapeFill(ShapeKind.RECTANGLE),
    "ellipse": ShapeFill(ShapeKind.ELLIPSE, width=0.4, height=0.7),
    "gradient": ShapeFill(ShapeKind.GRADIENT, colour="#16131a", width=1.0),
}
"""What can be laid over the picture without footage, by name."""
ON_HITS = "words"
"""What hits show without footage."""


_TEXTURE_ENVELOPE = Envelope(6, 0, 6)
"""Of what is on all the time: it fades in and out where it begins and ends."""


class OverlayDesk(QObject):
    """What the user lays over the picture."""

    def __init__(self, editor: Editor, jobs: Jobs, titles: TitleDesk) -> None:
        super().__init__()
        self._editor, self._jobs, self._titles = editor, jobs, titles

    def put(self, name: str, target: Target, place: ShotPlace | None) -> None:
        """Lay a shipped overlay, a solid or a shape over the picture: on a track at a place, or on hits."""
        if name in FILLS:
            frame = self._editor.playhead if place is None or place.frame is None else place.frame
            self.put_fill(name, ShotPlace(frame=frame, track=None if place is None else place.track))
            return
        if name == ON_HITS:
            self._apply_lane(lambda p: _with_words(p, target))
            return
        shipped = next((one for one in shipped_overlays() if one.name == name), None)
        if shipped is None:
            return

        def work(progress: Progress) -> tuple[FootageFacts, float]:
            return probe_footage(shipped.path), shipped.moment or 0.0

        def done(found: tuple[FootageFacts, float]) -> None:
            self._put_shipped(shipped, *found, target, place)

        self._jobs.start("overlay", tr("Looking for the moment of {name}", name=name), work, done=done)

    def put_fill(self, name: str, place: ShotPlace) -> None:
        """Put a solid, a shape or text on a track."""
        if isinstance(FILLS[name], TextFill):
            self._titles.put(place.frame, place.track)
            return
        made: list[ItemId] = []

        def edit(p: Project) -> Project:
            p, item = put_fill_on_track(p, FILLS[name], place.frame or 0, place.track)
            made.append(item)
            return p

        if self._editor.apply(edit, tr("{name} on a track", name=name)):
            self._editor.select(ItemSelection(made[-1]))

    def fire(self, ids: Sequence[FootageId], target: Target) -> None:
        """Let hits play footage over the picture, its burst or brightest frame on each hit."""
        clips = [find(self._editor.project.footage, one, "footage") for one in ids]
        unknown = [one for one in clips if one.kind is FootageKind.VIDEO and one.best_moment is None]

        def work(progress: Progress) -> dict[FootageId, float]:
            return {one.id: find_burst(Path(one.path), progress=progress) for one in unknown}

        def done(found: dict[FootageId, float]) -> None:
            def edit(p: Project) -> Project:
                for clip, moment in found.items():
                    p = add_moment(p, clip, moment)
                return self._fired(p, list(ids), target, BlendMode.SCREEN)

            self._apply_lane(edit)

        if unknown:
            self._jobs.start("overlay", tr("Looking for the moment of an overlay"), work, done=done)
        else:
            done({})

    def _put_shipped(
        self,
        shipped: ShippedOverlay,
        facts: FootageFacts,
        moment: float,
        target: Target,
        place: ShotPlace | None,
    ) -> None:
        def gathered(p: Project) -> tuple[Project, Footage]:
            size = p.width, p.height, p.rate, p.is_shape_chosen
            p = add_footage(p, [facts])
            footage = next(one for one in p.footage if one.fingerprint == facts.fingerprint)
            p = put_in_group(p, [footage.id], _GROUP)
            if not footage.moments and not shipped.is_texture:
                p = add_moment(p, footage.id, moment)
            if (p.width, p.height, p.rate, p.is_shape_chosen) != size:
                raise EditError(tr("gather footage first: an overlay lies over something"))
            return p, find(p.footage, footage.id, "footage")

        if place is None:

            def on_hits(p: Project) -> Project:
                p, footage = gathered(p)
                return self._fired(p, [footage.id], target, shipped.blend, is_texture=shipped.is_texture)

            self._apply_lane(on_hits)
            return
        made: list[ItemId] = []

        def on_track(p: Project) -> Project:
            p, footage = gathered(p)
            p, item = put_on_track(p, footage.id, place.frame or 0, place.track)
            made.append(item)
            return change_item(p, item, blend=shipped.blend)

        if self._editor.apply(on_track, tr("{name} on a track", name=shipped.name)):
            self._editor.select(ItemSelection(made[-1]))

    def _apply_lane(self, edit: Callable[[Project], Project]) -> None:
        before = LaneId(self._editor.project.next_id)
        if self._editor.apply(edit, tr("overlay on hits")):
            made = [lane.id for lane in self._editor.project.lanes if lane.id >= before]
            if made:
                self._editor.select(LaneSelection(made[-1]))

    def _fired(
        self,
        p: Project,
        clips: list[FootageId],
        target: Target,
        blend: BlendMode,
        *,
        is_texture: bool = False,
    ) -> Project:
        """Return a project with a lane that plays clips on the hits of a target, or all the time."""
        pulse = target.pulse
        if pulse is None:
            p, pulse = ensure_pulse(p, target.unit or PulseUnit.BAR)
        p = add_overlay_lane(p, clips, pulse, blend=blend.value)
        if is_texture:
            lane = p.lanes[-1]
            p = change_lane(p, lane.id, trigger=Trigger.SPAN, envelope=_TEXTURE_ENVELOPE)
            p = set_setting(p, lane.id, Setting("after", REPEATS))
        return p


def _with_words(project: Project, target: Target) -> Project:
    pulse = target.pulse
    if pulse is None:
        project, pulse = ensure_pulse(project, target.unit or PulseUnit.BEAT)
    return add_words_lane(project, pulse)
