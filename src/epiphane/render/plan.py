"""What to draw on a frame, as plain data: a tree of nodes. Equal plans give equal pictures."""

from collections.abc import Sequence
from typing import NamedTuple, assert_never

import numpy as np
from msgspec.structs import replace

from epiphane.audio.song_gain import fade_level
from epiphane.declare.parameters import NamedValues, colour_to_bgr
from epiphane.document.footage import Footage, FootageKind
from epiphane.document.ids import FootageId, LaneId, PulseId
from epiphane.document.lane import Setting
from epiphane.document.project import Project, footage_of
from epiphane.document.timeline import (
    Backdrop,
    Between,
    BlendMode,
    Fit,
    FootageCut,
    Item,
    Panel,
    Panels,
    ShapeFill,
    SolidFill,
    Track,
    Transform,
    cut_of,
)
from epiphane.document.titles import LogoFill, TextFill, TitleFill, TitleLook
from epiphane.effects.declare import EFFECTS, FrameContext, Need
from epiphane.facts.framing import item_opacity
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.facts.overlays import moment_of
from epiphane.facts.panels import panel_arrivals, panel_places
from epiphane.facts.silent_rows import silent_rows
from epiphane.facts.source_time import item_at, shot_at, shown_span, source_seconds, start_for
from epiphane.facts.titles import landing_frame, title_clock
from epiphane.keying.overlays import OverlayFrame, overlay_at
from epiphane.keying.schedule import Schedule
from epiphane.keying.transition_cues import TransitionCue
from epiphane.keying.words import WordsFrame, words_at
from epiphane.lane_kinds import OVERLAY, WORDS
from epiphane.media.mattes import NO_MATTES, Mattes, frames_of, matte_key
from epiphane.render.nodes import (
    BLACK,
    ActiveEffect,
    Behind,
    FramePlan,
    Joined,
    JoinedMattes,
    LogoDrawing,
    MatteDrawing,
    Node,
    PanelDrawing,
    ShapeDrawing,
    Shown,
    Solid,
    SourceFrame,
    SplitScreen,
    Stacked,
    TextDrawing,
    stacked,
)
from epiphane.render.transform import is_covering, transform_on

_SHOCK_SECONDS = 0.6
_BACKDROP_BLUR, _BACKDROP_SCALE = 2.5, 1.15
"""Of the copy behind a picture: the radius in percent of the width, and how much it is enlarged."""


def plan_frame(
    project: Project, cues: Schedule, frame: int, mattes: Mattes = NO_MATTES, *, ground: Node = BLACK
) -> FramePlan:
    """Return what to draw on a frame of the project; what a subject hides is told by `mattes` that are made.

    Where there is no shot, the `ground` is seen.

    Effects at rest are left out, so a plan without effects says that the footage goes through
    untouched. Lanes of effects that this version does not know do nothing.
    """
    shot, effects = shot_at(project, frame), _effects(project, cues, frame)
    lanes = project.lanes
    whole = {lane.id: effects[lane.id] for lane in lanes if lane.id in effects and lane.track is None}
    here = frame + sum(one.shift for one in whole.values())
    going_on = cues.transition_at(frame)
    if going_on is not None:
        node = _transition_node(project, going_on, frame, here)
    else:
        node = ground if shot is None else node_of(project, shot, _within(shot, here)) or BLACK
    silent = silent_rows(project)
    for row in project.stack:
        if isinstance(row, Track):
            item = None if row.id in silent else item_at(row.items, frame)
            aimed = [effects[one.id] for one in lanes if one.track == row.id and one.id in effects]
            above = None if item is None else _item_node(project, row.items, item, frame, aimed)
            if item is not None and above is not None:
                node = _with_shock(project, item, frame, node)
            if above is not None and row.is_behind:
                above = _behind(project, mattes, shot, going_on, node, above, here)
            node = node if above is None else stacked([node, above])
        elif row.effect == OVERLAY.key:
            over = overlay_at(project, cues, row, frame)
            node = node if over is None else stacked([node, _overlay_node(over)])
        elif row.effect == WORDS.key:
            words = words_at(project, cues, row, frame)
            node = node if words is None else stacked([node, _words_node(words)])
        elif row.id in whole:
            node = replace(
                node, effects=(*node.effects, _with_others(project, whole[row.id], project.shots, shot, here))
            )
    level = fade_level_at(project, frame)
    if level < 1:
        node = stacked([replace(node, opacity=level)])
    return FramePlan((project.width, project.height), node)


def _with_shock(project: Project, item: Item, frame: int, below: Node) -> Node:
    """Return a node bent by the shock of a title that has just landed over it."""
    fill = item.content
    if not isinstance(fill, TitleLook) or fill.impact is None or fill.impact.shock == 0:
        return below
    since = frame - landing_frame(item, project.rate)
    left = 1 - since / float(project.rate) / _SHOCK_SECONDS
    if not 0 < left <= 1:
        return below
    ripple, place = EFFECTS.named("ripple"), transform_on(item, frame)
    settings = (
        Setting("centre_x", 50 + 100 * place.x, 50 + 100 * place.x),
        Setting("centre_y", 50 + 100 * place.y, 50 + 100 * place.y),
    )
    aspect, rate = project.width / project.height, float(project.rate)
    context = FrameContext(aspect, frame, rate, since=since, in_light=project.in_light)
    values = ripple.values_at(settings, fill.impact.shock * left**1.5, context)
    return replace(below, effects=(*below.effects, ActiveEffect(ripple.key, ripple.version, values)))


def _item_node(
    project: Project, items: Sequence[Item], item: Item, frame: int, aimed: Sequence["_AtWork"]
) -> Node | None:
    """Return what an item of a track shows, with the effects that are aimed at its track."""
    here = _within(item, frame + sum(one.shift for one in aimed))
    node = node_of(project, item, here)
    if node is None or not aimed:
        return node
    effects = tuple(_with_others(project, one, items, item, here) for one in aimed)
    return replace(node, effects=(*node.effects, *effects))


def _behind(
    project: Project,
    mattes: Mattes,
    shot: Item | None,
    going_on: TransitionCue | None,
    below: Node,
    above: Node,
    here: int,
) -> Node:
    """Return a node hidden by the subject of the shot below it, where that has a matte that has been made.

    While a transition goes on, the subjects of both of its shots hide it as far as they are seen.
    """
    effects, base = below.effects, below
    while isinstance(base.content, Stacked):
        base = base.content.nodes[0]
        effects = (*base.effects, *effects)
    subject: MatteDrawing | JoinedMattes | None
    if going_on is not None and isinstance(base.content, Joined):
        out, into = (
            _matte_drawing(project, mattes, side, min(max(here, first), end - 1))
            for side, first, end in going_on.sides
        )
        subject = JoinedMattes(base.content, out, into, effects) if out or into else None
    else:
        subject = (
            None if shot is None else _matte_drawing(project, mattes, shot, _within(shot, here), effects)
        )
    if subject is None:
        return above
    hidden = Behind(replace(above, opacity=1.0, blend=BlendMode.NORMAL), subject)
    return Node(hidden, opacity=above.opacity, blend=above.blend)


def _matte_drawing(
    project: Project,
    mattes: Mattes,
    shot: Item | None,
    frame: int,
    effects: tuple[ActiveEffect, ...] = (),
) -> MatteDrawing | None:
    """Return the matte of what a shot shows on a frame, or None where it has none that has been made."""
    matte = None if shot is None else shot.matte
    footage = None if shot is None else footage_of(project, shot.footage)
    if shot is None or matte is None or footage is None:
        return None
    key = matte_key(footage.fingerprint, matte)
    film = mattes.get(key)
    if film is None:
        return None
    seconds = source_of(project, shot, footage, frame).seconds
    length = (frames_of(matte, footage.rate) - 0.5) / float(footage.rate)
    source = SourceFrame(film, key, round(min(max(seconds - matte.start, 0.0), length), 6))
    edge = matte.feather, matte.grow, matte.is_inverted
    return MatteDrawing(source, transform_on(shot, frame), *edge, effects)


def _overlay_node(over: OverlayFrame) -> Node:
    source = SourceFrame(over.footage.path, over.footage.fingerprint, over.seconds)
    return Node(Shown(source, over.transform), opacity=over.opacity, blend=over.blend)


def _words_node(words: WordsFrame) -> Node:
    return Node(TextDrawing(words.fill, words.transform, words.clock), opacity=words.opacity)


def _with_others(
    project: Project, working: "_AtWork", items: Sequence[Item], item: Item | None, here: int
) -> ActiveEffect:
    """Return an effect at work on one of some items with the other frames that it wants."""
    effect = working.effect
    if item is None or item.footage is None or not (working.echoes or working.held is not None):
        return effect
    others = [node_of(project, item, _within(item, here + echo)) for echo in working.echoes]
    if working.held is not None:
        at = here + working.held
        before = item_at(items, at)
        if before is None or before.footage is None:
            before = item
        others.insert(0, node_of(project, before, _within(before, at)))
    return replace(
        effect, others=tuple(one.content for one in others if one and isinstance(one.content, Shown))
    )


def _transition_node(project: Project, going_on: TransitionCue, frame: int, here: int) -> Node:
    """Return what a transition shows on a frame, where its shots show what they do on frame `here`.

    Beyond its cut a shot shows what follows in its footage, or what its rule says of what lies beyond that.
    """
    outgoing, incoming = (
        BLACK if shot is None else node_of(project, shot, min(max(here, first), end - 1)) or BLACK
        for shot, first, end in going_on.sides
    )
    progress = going_on.progress_at(frame, project.width / project.height, in_light=project.in_light)
    if progress.share <= 0 or progress.share >= 1:
        return outgoing if progress.share <= 0 else incoming
    transition = going_on.transition
    matte = _matte_of(project, going_on)
    joined = Joined(transition.key, transition.version, going_on.values, progress, outgoing, incoming, matte)
    return Node(joined)


def _matte_of(project: Project, going_on: TransitionCue) -> SourceFrame | None:
    """Return the picture by whose brightness a transition goes: the moment of its clip, if it has one."""
    footage = footage_of(project, going_on.clip)
    if footage is None or footage.kind is FootageKind.SOUND:
        return None
    return SourceFrame(footage.path, footage.fingerprint, moment_of(footage))


def fade_level_at(project: Project, frame: int) -> float:
    """Return how much is seen of the picture on a frame, 0 to 1, by the fades at both ends of the edit.

    The first frame of a fade-in and the last of a fade-out are black.
    """
    fades, level = project.fades, 1.0
    to_end = project.n_frames - 1 - frame
    for seconds, away in ((fades.fade_in, frame), (fades.fade_out, to_end)):
        n_frames = seconds * float(project.rate)
        if seconds > 0 and away < n_frames:
            level *= float(fade_level(np.array(max(away, 0) / n_frames), fades.bend))
    return round(level, 6)


def node_of(project: Project, item: Item, frame: int) -> Node | None:
    """Return what an item shows on a frame of the project, or None where it shows nothing."""
    opacity = item_opacity(item, frame)
    match item.content:
        case FootageCut():
            footage = footage_of(project, item.footage)
            if footage is None or footage.kind is FootageKind.SOUND:
                return None
            shown = Shown(source_of(project, item, footage, frame), transform_on(item, frame))
            node = Node(shown, opacity=opacity, blend=item.blend)
            if item.transform.backdrop is Backdrop.NONE or covers_shape(project, footage, shown.transform):
                return node
            return replace(_with_backdrop(project, shown, item), opacity=opacity, blend=item.blend)
        case SolidFill(colour=colour):
            return Node(_solid(colour), opacity=opacity, blend=item.blend)
        case Panels() as panels:
            return Node(_split_screen(project, item, panels, frame), opacity=opacity, blend=item.blend)
        case TextFill() | LogoFill() | ShapeFill() as fill:
            drawing = _fill_drawing(project, item, fill, frame)
            return None if drawing is None else Node(drawing, opacity=opacity, blend=item.blend)
        case _:
            assert_never(item.content)


def _fill_drawing(
    project: Project, item: Item, fill: TitleFill | ShapeFill, frame: int
) -> TextDrawing | LogoDrawing | ShapeDrawing | None:
    """Return what an item of a title or a shape shows on a frame, or None where that is nothing."""
    transform = transform_on(item, frame)
    if isinstance(fill, ShapeFill):
        to = None if fill.to is None else _levels(fill.to)
        sides = fill.width, fill.height, fill.feather
        return ShapeDrawing(fill.kind, _levels(fill.colour), to, *sides, transform)
    hits = () if fill.arrive is None else _hit_times(project, fill.arrive.pulse)
    clock = title_clock(item, fill, frame, project.rate, hits)
    source = _source_within(project, item, fill.footage, frame)
    if clock is None or (source is None and isinstance(fill, LogoFill)):
        return None
    if isinstance(fill, LogoFill):
        assert source is not None
        return LogoDrawing(fill, source, transform, clock)
    return TextDrawing(fill, transform, clock, source)


def _source_within(project: Project, item: Item, number: FootageId | None, frame: int) -> SourceFrame | None:
    """Return the picture of footage that a title shows on a frame, from its beginning, or None."""
    footage = footage_of(project, number)
    if footage is None or footage.kind is FootageKind.SOUND:
        return None
    cut = FootageCut(footage.id, footage.used_from)
    return source_of(project, replace(item, content=cut, pin=None), footage, frame)


def _hit_times(project: Project, pulse_id: PulseId | None) -> tuple[float, ...]:
    """Return the times of the hits of a pulse, in seconds; none without one."""
    pulse = next((one for one in project.pulses if one.id == pulse_id), None)
    return () if pulse is None else tuple(hit.time for hit in hits_of(pulse, hit_context_of(project)))


def _split_screen(project: Project, item: Item, panels: Panels, frame: int) -> SplitScreen:
    """Return what a split screen shows on a frame: those of its panels that have come in by then."""
    places = panel_places(panels, project.width / project.height)
    drawn = []
    for panel, place, first in zip(panels.panels, places, panel_arrivals(project, item, panels), strict=True):
        node = None if frame < first else _panel_node(project, item, panel, frame)
        if node is not None:
            drawn.append(PanelDrawing(node, place))
    colours = _levels(panels.colour), _levels(panels.border_colour)
    return SplitScreen(tuple(drawn), colours[0], panels.gap, panels.border, colours[1])


def _panel_node(project: Project, item: Item, panel: Panel, frame: int) -> Node | None:
    """Return what a panel shows on a frame: its picture fills it, then lies as its framing says."""
    footage = footage_of(project, panel.cut.footage)
    if footage is None or footage.kind is FootageKind.SOUND:
        return None
    cut, framing = panel.cut, panel.framing
    if panel.pin is not None:
        start = start_for(panel.pin, start=item.start, speed=cut.speed, rate=project.rate)
        cut = replace(cut, source_start=start)
    shown = replace(item, content=cut, pin=panel.pin)
    source = source_of(project, shown, footage, frame - panel.delay)
    return Node(
        Shown(source, Transform(Fit.COVER, framing.scale, framing.x, framing.y, rotation=framing.rotation))
    )


def covers_shape(project: Project, footage: Footage, transform: Transform) -> bool:
    """Whether footage that lies so leaves nothing of the project's frame free; alpha is not looked at."""
    return is_covering((footage.width, footage.height), (project.width, project.height), transform)


def _with_backdrop(project: Project, shown: Shown, item: Item) -> Node:
    """Return a picture over a blurred copy of it that fills the frame, or over a colour."""
    if item.transform.backdrop is Backdrop.COLOUR:
        below = Node(_solid(item.transform.colour))
    else:
        blur = _effect_of(project, "blur", Setting("radius", _BACKDROP_BLUR))
        below = Node(Shown(shown.source, Transform(Fit.COVER, _BACKDROP_SCALE)), (blur,))
    return stacked([below, Node(shown)])


def _effect_of(project: Project, key: str, *settings: Setting) -> ActiveEffect:
    """Return an effect at work at its peak, that no lane has."""
    effect = EFFECTS.named(key)
    context = FrameContext(project.width / project.height, in_light=project.in_light)
    return ActiveEffect(key, effect.version, effect.values_at(settings, 1.0, context))


def _solid(colour: str) -> Solid:
    return Solid(_levels(colour))


def _levels(colour: str) -> tuple[int, int, int]:
    blue, green, red = (round(255 * part) for part in colour_to_bgr(colour))
    return blue, green, red


def _within(shot: Item, frame: int) -> int:
    return min(max(frame, shot.start), shot.end - 1)


def source_of(project: Project, shot: Item, footage: Footage, frame: int) -> SourceFrame:
    """Return the picture of its footage that a shot shows on a frame of the project."""
    seconds = round(source_seconds(shot, footage, frame, project.rate), 9)
    between = cut_of(shot).between
    has_next = seconds + 1 / float(footage.rate) < shown_span(shot, footage)[1]
    return SourceFrame(footage.path, footage.fingerprint, seconds, between if has_next else Between.NEAREST)


def effect_values(project: Project, cues: Schedule, frame: int) -> dict[LaneId, NamedValues]:
    """Return the values of the effects that are at work on a frame, by lane."""
    return {lane: working.effect.values for lane, working in _effects(project, cues, frame).items()}


class _AtWork(NamedTuple):
    """An effect at work on a frame: by how many it shows the footage earlier or later, and which it needs."""

    effect: ActiveEffect
    shift: int
    echoes: tuple[int, ...]
    held: int | None


def _effects(project: Project, cues: Schedule, frame: int) -> dict[LaneId, _AtWork]:
    """Return the effects at work by their lane, each with its shift and the other frames it wants."""
    aspect, rate = project.width / project.height, float(project.rate)
    of_film = project.in_light, project.shutter_angle
    active: dict[LaneId, _AtWork] = {}
    for lane_cues in cues.lanes:
        level = float(lane_cues.levels[frame]) if 0 <= frame < len(lane_cues.levels) else 0.0
        instance = lane_cues.instance_at(frame) if level != 0 else lane_cues.lane.instance
        effect = EFFECTS.find(instance.effect)
        if level != 0 and effect is not None:
            seed = lane_cues.lane.seed
            since = lane_cues.since_peak(frame) if {Need.CUE, Need.SINCE} & set(effect.needs) else 0
            context = FrameContext(aspect, frame, rate, seed, since, *of_film)
            values = effect.values_at(instance.settings, level, context)
            after: NamedValues = ()
            if effect.has_shutter and dict(values)["shutter"]:
                next_level = float(lane_cues.levels[min(frame + 1, len(lane_cues.levels) - 1)])
                later = FrameContext(aspect, frame + 1, rate, seed, since + 1, *of_film)
                after = effect.values_at(instance.settings, next_level, later)
            made = ActiveEffect(effect.key, effect.version, values, after=after)
            active[lane_cues.lane.id] = _AtWork(
                made, effect.shift_of(values), effect.echoes_of(values), effect.held_of(values)
            )
    return active
