"""What is dropped on the score and where: clips on shots, effects and recipes on rows or single hits."""

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QMimeData, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from epiphane.desk.control.drag import carried_effect, carried_footage, carried_overlay, carried_recipe
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.lanes import Target
from epiphane.desk.control.overlays import FILLS
from epiphane.desk.control.shots import ShotPlace
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.look import theme
from epiphane.desk.look.lanes import lane_label
from epiphane.desk.score.hit_testing import HEAD_GRAB, shot_under, shots_near
from epiphane.desk.score.layout import NAMES_RIGHT, SECTION_HEIGHT, SNAP_PIXELS, Place, ScoreLayout, Strip
from epiphane.desk.score.shots import paint_drop
from epiphane.document.ids import FootageId
from epiphane.document.lane import Span
from epiphane.document.project import find
from epiphane.document.pulse import PulseUnit
from epiphane.edits.shots.main_track import track_name
from epiphane.effects.declare import EFFECTS
from epiphane.facts.cuts import cut_hit_time, cuts_of
from epiphane.facts.form import part_at, part_words, parts_of
from epiphane.lane_kinds import is_transition
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_ANYWHERE = Target()
_CUT_PIXELS, _LIGHT = 9, 38


class Drop(Struct, frozen=True):
    """What would come of dropping an effect: the target, in words, and what of the score it is.

    `row` is the box of the row on its stave, `hit` the point of a single hit.
    """

    target: Target
    words: str
    row: QRectF | None = None
    hit: QPointF | None = None


def drop_under(
    editor: Editor,
    layout: ScoreLayout,
    place: Place | None,
    x: float,
    *,
    is_transition: bool = False,
    lasts: bool = False,
) -> Drop:
    """Return what dropping an effect at a place would do; `x` is where the pointer is.

    A recipe is never for a single hit: give it the x of the names, which stand for the row.
    """
    elsewhere = (
        _ON_CUTS if is_transition else _OVER_ALL if lasts else Drop(_ANYWHERE, tr("a lane on every beat"))
    )
    found: Drop | None = None
    if place is None or (lasts and place.strip in (Strip.SHOTS, Strip.CUTS, Strip.SOUND)):
        return elsewhere
    if place.strip is Strip.PARTS:
        found = None if is_transition else _on_part(editor, layout, place, lasts=lasts)
    elif place.strip in (Strip.SHOTS, Strip.CUTS):
        found = _on_shots(editor, layout, place, x)
    elif place.lane is not None:
        found = _on_lane(editor, layout, place, x)
    elif not is_transition and place.track is not None:
        found = _on_track(editor, layout, place, lasts=lasts)
    elif not is_transition:
        found = _on_pulse(editor, layout, place, x)
    return found or elsewhere


def _on_track(editor: Editor, layout: ScoreLayout, place: Place, *, lasts: bool) -> Drop:
    """Return what comes of a drop on the row of a track: a lane that is aimed at it."""
    track = find(editor.project.tracks, place.track or 0, "track")
    top = layout.track_top(place.stave, track.id)
    row = _row(layout, place, top + layout.heights.lane / 2, layout.heights.lane)
    how = tr("over all of it") if lasts else tr("on every beat")
    return Drop(
        Target(track=track.id),
        tr("on {track} alone, {how}", track=track_name(editor.project, track), how=how),
        row,
    )


def _on_part(editor: Editor, layout: ScoreLayout, place: Place, *, lasts: bool) -> Drop | None:
    """Return what comes of a drop on a part of the song; None where there is none."""
    number = part_at(editor.project.song, place.seconds)
    if number is None:
        return None
    part = parts_of(editor.project.song)[number]
    left, right = (
        layout.x_at(place.stave, min(max(at, place.stave.start), place.stave.end))
        for at in (part.start, part.end)
    )
    row = QRectF(left, place.stave.top - 3, right - left, SECTION_HEIGHT + 2)
    how = (
        tr("on over {label}", label=part_words(part))
        if lasts
        else tr("on every beat in {label}", label=part_words(part))
    )
    return Drop(Target(span=Span(part.start, part.end)), how, row)


def _on_pulse(editor: Editor, layout: ScoreLayout, place: Place, x: float) -> Drop | None:
    """Return what comes of a drop on the line of a pulse or a drum, or on the ruler; None elsewhere."""
    if place.pulse is not None:
        pulse = find(editor.project.pulses, place.pulse, "pulse")
        times = [hit.time for hit in editor.hits_of(pulse)]
        index = layout.pulses.index(place.pulse)
        middle = layout.pulse_middle(place.stave.top, index)
        row = _row(layout, place, middle, layout.heights.pulse)
        return _on_row(
            layout, place, x, times, Target(pulse=pulse.id), tr("hit of {name}", name=pulse.name), middle, row
        )
    song = editor.project.song
    if place.drum is not None and song is not None:
        drum = place.drum.value
        times = [hit.time for hit in song.drums.hits(drum)]
        middle = layout.drum_middle(place.stave.top, drum)
        row = _row(layout, place, middle, layout.heights.drum)
        return _on_row(layout, place, x, times, Target(unit=place.drum), drum, middle, row)
    if place.strip is Strip.RULER and song is not None and song.beats:
        times = [beat.time for beat in song.beats]
        bottom = layout.sound_top(place.stave.top)
        row = _row(layout, place, bottom - layout.heights.ruler / 2, layout.heights.ruler)
        return _on_row(layout, place, x, times, Target(unit=PulseUnit.BEAT), "beat", bottom - 12, row)
    return None


def _on_shots(editor: Editor, layout: ScoreLayout, place: Place, x: float) -> Drop:
    """Return what comes of a drop on the shots: on a cut for that alone, beside one for all of them."""
    project = editor.project
    times = [cut_hit_time(cut.frame, project.rate) for cut in cuts_of(project)]
    heights = layout.heights
    middle = layout.shots_top(place.stave.top) + heights.shots / 2
    row = _row(layout, place, middle, heights.shots)
    return _on_row(layout, place, x, times, Target(unit=PulseUnit.CUT), "cut", middle, row, _CUT_PIXELS)


def _on_lane(editor: Editor, layout: ScoreLayout, place: Place, x: float) -> Drop:
    lane = find(editor.project.lanes, place.lane or 0, "lane")
    index = layout.lanes.index(lane.id)
    top = layout.lane_top(place.stave, index)
    row = _row(layout, place, top + layout.lane_height / 2, layout.lane_height)
    found = editor.cues.lane(lane.id)
    times = [] if found is None else [cue.hit.time for cue in found.cues]
    hit = None if x < NAMES_RIGHT else _nearest(layout, place, x, times)
    if hit is None:
        return Drop(
            Target(lane=lane.id),
            tr("on all hits of {lane}, below it", lane=lane_label(lane)),
            row,
        )
    point = QPointF(layout.x_at(place.stave, hit), top + layout.lane_height / 2)
    target = Target(pulse=lane.pulse, lane=lane.id, hit=hit)
    return Drop(target, tr("on this hit of {lane} alone", lane=lane_label(lane)), row, point)


def _on_row(
    layout: ScoreLayout,
    place: Place,
    x: float,
    times: list[float],
    target: Target,
    name: str,
    middle: float,
    row: QRectF,
    reach: float = HEAD_GRAB,
) -> Drop:
    hit = None if x < NAMES_RIGHT else _nearest(layout, place, x, times, reach)
    if hit is None:
        return Drop(target, tr("on every {name}", name=name), row)
    only = Target(pulse=target.pulse, unit=target.unit, hit=hit)
    return Drop(
        only, tr("on this {name} alone", name=name), row, QPointF(layout.x_at(place.stave, hit), middle)
    )


def _row(layout: ScoreLayout, place: Place, middle: float, height: float) -> QRectF:
    left, right = layout.left(place.stave), layout.right(place.stave)
    return QRectF(left, middle - height / 2, right - left, height)


def _nearest(
    layout: ScoreLayout, place: Place, x: float, times: list[float], reach: float = HEAD_GRAB
) -> float | None:
    """Return the time on this stave whose mark is under the pointer."""
    stave = place.stave
    near = [
        (abs(layout.x_at(stave, time) - x), time) for time in times if stave.start - 0.01 <= time < stave.end
    ]
    distance, time = min(near, default=(reach + 1.0, 0.0))
    return time if distance <= reach else None


class Dropped(Struct, frozen=True):
    """What was dropped: footage and its place among the shots, or an effect or recipe and its target.

    An overlay has a place on a track, or else the target whose hits it is to be on; so has footage that is
    dropped on the hits of a pulse.
    """

    footage: list[FootageId] = []
    place: ShotPlace | None = ShotPlace()
    overlay: str = ""
    effect: str = ""
    recipe: str = ""
    target: Target = _ANYWHERE


_NO_CLIPS = (Strip.PARTS, Strip.RULER, Strip.SOUND)
_NOTHING = Drop(_ANYWHERE, tr("not here: clips go on the shots, or on hits"))
_OVER_ALL = Drop(_ANYWHERE, tr("on over all of the film"))
_ON_CUTS = Drop(Target(unit=PulseUnit.CUT), tr("a lane on every cut"))


class Drops:
    """What is carried over the score, and where it would fall."""

    def __init__(self, editor: Editor, snapping: Snapping) -> None:
        self._editor, self._snapping = editor, snapping
        self._dropped = Dropped()
        self._drop: Drop | None = None

    @property
    def words(self) -> str:
        """What would come of dropping it here."""
        if self._dropped.place is not None and (self._dropped.footage or self._dropped.overlay):
            return self._dropped.place.words
        return "" if self._drop is None else self._drop.words

    def takes(self, data: QMimeData | None) -> bool:
        """Whether the score takes what is carried."""
        carried = (
            carried_footage(data) or carried_effect(data) or carried_recipe(data) or carried_overlay(data)
        )
        return bool(carried)

    def point(
        self,
        data: QMimeData | None,
        at: QPointF,
        layout: ScoreLayout,
        offset: int,
        *,
        covers: bool,
        is_over: bool,
    ) -> None:
        """Take note of what is carried, and that it is over a point of the view, scrolled by `offset`.

        Clips take the place of the shot under them; on a cut they are put between; where they are to cover,
        they take the place of what lies there; over the shots, and on the row of a track, they go on a track.
        """
        place = layout.locate(at.x(), at.y() + offset)
        footage, effect, recipe = carried_footage(data), carried_effect(data), carried_recipe(data)
        overlay = carried_overlay(data)
        is_on_hits = place is not None and place.strip is Strip.HITS and bool(self._editor.project.shots)
        if overlay or (footage and is_on_hits):
            self._point_overlay(footage, overlay, layout, place, at)
            return
        if footage:
            there: ShotPlace | None = ShotPlace()
            if place is not None and (is_over or place.track is not None):
                there = self._track_place(layout, place)
            elif place is not None and place.strip in _NO_CLIPS and self._editor.project.shots:
                self._dropped, self._drop = Dropped(), _NOTHING
                return
            elif place is not None:
                there = self._shot_place(layout, place, at, covers=covers)
            self._dropped = Dropped(footage, there)
            return
        x = 0.0 if recipe else at.x()
        kind = EFFECTS.find(effect)
        self._drop = drop_under(
            self._editor,
            layout,
            place,
            x,
            is_transition=is_transition(effect),
            lasts=kind is not None and kind.lasts,
        )
        self._dropped = Dropped(effect=effect, recipe=recipe, target=self._drop.target)

    def _point_overlay(
        self, footage: list[FootageId], overlay: str, layout: ScoreLayout, place: Place | None, at: QPointF
    ) -> None:
        """Take note of what is to lie over the picture: on a track over shots and tracks, else on hits."""
        on_track = place is not None and place.strip in (Strip.SHOTS, Strip.CUTS, Strip.TRACK)
        if place is not None and (on_track or overlay in FILLS):
            self._dropped = Dropped(footage, self._track_place(layout, place), overlay)
            return
        self._drop = drop_under(self._editor, layout, place, 0.0)
        words = self._drop.words.replace(tr("a lane on"), tr("played on"))
        self._drop = replace(self._drop, words=words)
        self._dropped = Dropped(footage, None, overlay, target=self._drop.target)

    def _track_place(self, layout: ScoreLayout, place: Place) -> ShotPlace:
        project = self._editor.project
        reach = round(layout.frames_across(place, SNAP_PIXELS, project.rate))
        frame = self._snapping.snapped(project, frame_at(place.seconds, project.rate), reach)
        return ShotPlace(frame=frame, is_over=True, track=place.track)

    def _shot_place(self, layout: ScoreLayout, place: Place, at: QPointF, *, covers: bool) -> ShotPlace:
        project = self._editor.project
        frame = frame_at(place.seconds, project.rate)
        if covers and project.shots:
            reach = round(layout.frames_across(place, SNAP_PIXELS, project.rate))
            return ShotPlace(frame=self._snapping.snapped(project, frame, reach), covers=True)
        for shot in shots_near(project, layout, place.stave, at.x(), _CUT_PIXELS):
            cut = layout.x_at(place.stave, frame_start(shot.start, project.rate))
            is_here = place.stave.start - 1e-3 <= frame_start(shot.start, project.rate) <= place.stave.end
            if is_here and abs(cut - at.x()) <= _CUT_PIXELS:
                return ShotPlace(frame=shot.start)
        under = shot_under(project, place.seconds)
        return ShotPlace(None if under is None else under.id)

    def end(self) -> Dropped:
        """Return what was carried, and carry nothing any more."""
        dropped, self._dropped, self._drop = self._dropped, Dropped(), None
        return dropped

    def paint(self, painter: QPainter, layout: ScoreLayout, *, offset: int) -> None:
        """Show where it would fall: the shot, the row, or the single hit in it."""
        project = self._editor.project
        if self._dropped.place is not None and (self._dropped.footage or self._dropped.overlay):
            paint_drop(painter, layout, project, self._dropped.place, offset=offset)
            return
        if self._drop is not None and self._drop.row is not None:
            light = QColor(theme.TEXT)
            light.setAlpha(_LIGHT)
            painter.fillRect(self._drop.row.translated(0, -offset), light)
        if self._drop is not None and self._drop.hit is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.TEXT, 2))
            painter.drawEllipse(self._drop.hit - QPointF(0, offset), 7, 7)
        elif self._drop is not None and self._drop.row is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.TEXT, 1.5))
            painter.drawRect(self._drop.row.translated(0, -offset))
