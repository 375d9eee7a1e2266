"""Edits of split screens: shots that are made of panels."""

from collections.abc import Callable, Sequence
from typing import assert_never

from msgspec.structs import replace

from epiphane.document.footage import FootageKind
from epiphane.document.ids import FootageId, ItemId
from epiphane.document.project import Project, find
from epiphane.document.timeline import FootageCut, Item, Panel, PanelLayout, Panels, Pin, ShapeFill, SolidFill
from epiphane.document.titles import LogoFill, TextFill
from epiphane.edits.checked import checked
from epiphane.edits.shots.shots import footage_name, with_shot
from epiphane.errors import EditError
from epiphane.facts.panels import panel_places
from epiphane.wording import tr

MOST_PANELS = 36


def split_screen(
    project: Project,
    shot_id: ItemId,
    clips: Sequence[FootageId],
    *,
    layout: PanelLayout = PanelLayout.COLUMNS,
) -> Project:
    """Return `project` with a shot that shows several clips beside each other.

    A panel of the clip that it showed goes on as it did; of the others, the moment falls on the hit that the
    shot's did, or they begin with their footage.

    Raises
    ------
    EditError
        If there is no such shot, or nothing to show.
    """
    shot = find(project.shots, shot_id, "shot")
    if not 1 <= len(clips) <= MOST_PANELS:
        raise EditError(tr("a split screen has 1 to {most} panels: choose so many clips", most=MOST_PANELS))
    made = Panels(tuple(_panel(project, shot, clip) for clip in clips), layout)
    return with_shot(project, replace(shot, content=made, pin=None, sound=None))


def wall_of(project: Project, shot_id: ItemId, number: int, *, delay: int) -> Project:
    """Return `project` with a shot that shows its clip in so many panels, each some frames later.

    Raises
    ------
    EditError
        If there is no such shot, it shows no clip, or there would be too many panels.
    """
    shot = find(project.shots, shot_id, "shot")
    if not isinstance(shot.content, FootageCut):
        raise EditError(tr("a wall is made of a shot that shows a clip"))
    if not 2 <= number <= MOST_PANELS:
        raise EditError(tr("a wall has 2 to {most} panels, got {number}", most=MOST_PANELS, number=number))
    first = _panel(project, shot, shot.content.footage)
    panels = tuple(replace(first, delay=n * delay) for n in range(number))
    made = Panels(tuple(checked(one, Panel) for one in panels), PanelLayout.GRID)
    return with_shot(project, replace(shot, content=made, pin=None, sound=None))


def change_panels(project: Project, shot_id: ItemId, **changes: object) -> Project:
    """Return `project` with fields of a split screen changed, e.g. ``gap=0.01``.

    Panels that become free ones begin where they lay.

    Raises
    ------
    EditError
        If the shot is none, or a value is out of range.
    """

    def edit(panels: Panels) -> Panels:
        if changes.get("layout") is PanelLayout.FREE and panels.layout is not PanelLayout.FREE:
            places = panel_places(panels, project.width / project.height)
            boxed = zip(panels.panels, places, strict=True)
            panels = replace(panels, panels=tuple(replace(one, box=place.box) for one, place in boxed))
        return checked(replace(panels, **changes), Panels)

    return _changed(project, shot_id, edit)


def change_panel(project: Project, shot_id: ItemId, place: int, **changes: object) -> Project:
    """Return `project` with fields of one panel changed, e.g. ``delay=4``.

    Raises
    ------
    EditError
        If there is no such panel, or a value is out of range.
    """

    def edit(panels: Panels) -> Panels:
        if not 0 <= place < len(panels.panels):
            raise EditError(tr("there is no panel {place}", place=place + 1))
        made = checked(replace(panels.panels[place], **changes), Panel)
        return replace(
            panels, panels=tuple(made if n == place else one for n, one in enumerate(panels.panels))
        )

    return _changed(project, shot_id, edit)


def set_panel_clip(project: Project, shot_id: ItemId, place: int, clip: FootageId) -> Project:
    """Return `project` with another clip in one panel; its moment falls on the hit that the old one's did."""
    shot = find(project.shots, shot_id, "shot")
    panels = _panels_of(shot).panels
    if not 0 <= place < len(panels):
        raise EditError(tr("there is no panel {place}", place=place + 1))
    made = _panel(project, replace(shot, pin=panels[place].pin), clip)
    return change_panel(project, shot_id, place, cut=made.cut, pin=made.pin)


def add_panel(project: Project, shot_id: ItemId) -> Project:
    """Return `project` with one panel more, of the clip that is used least in it."""
    shot = find(project.shots, shot_id, "shot")
    panels = _panels_of(shot)
    used = [one.cut.footage for one in panels.panels]
    seen = [one.id for one in project.footage if one.kind is not FootageKind.SOUND]
    clip = min(seen, key=used.count)
    made = _panel(project, replace(shot, pin=panels.panels[0].pin), clip)
    return change_panels(project, shot_id, panels=(*panels.panels, made))


def remove_panel(project: Project, shot_id: ItemId, place: int) -> Project:
    """Return `project` without one panel of a split screen; the last one stays."""
    panels = _panels_of(find(project.shots, shot_id, "shot")).panels
    if len(panels) == 1:
        raise EditError(tr("the last panel stays: replace the shot with a clip instead"))
    return change_panels(project, shot_id, panels=tuple(one for n, one in enumerate(panels) if n != place))


def without_footage(item: Item, gone: set[FootageId]) -> Item | None:
    """Return an item without some footage in its panels or letters, or None where nothing is left of it."""
    content = item.content
    match content:
        case TextFill(footage=shown):
            return replace(item, content=replace(content, footage=None)) if shown in gone else item
        case LogoFill(footage=shown):
            return None if shown in gone else item
        case Panels(panels=panels):
            left = tuple(one for one in panels if one.cut.footage not in gone)
            return replace(item, content=replace(content, panels=left)) if left else None
        case FootageCut() | SolidFill() | ShapeFill():  # a shot of the footage is taken away by its own edit
            return item
        case _:
            assert_never(content)


def _panel(project: Project, shot: Item, clip: FootageId) -> Panel:
    footage = find(project.footage, clip, "footage")
    if footage.kind is FootageKind.SOUND:
        raise EditError(tr("{footage} has no picture", footage=footage_name(footage)))
    if isinstance(shot.content, FootageCut) and shot.content.footage == clip:
        return Panel(shot.content, pin=shot.pin)
    best, pin = footage.best_moment, shot.pin
    cut = FootageCut(clip, footage.used_from)
    return Panel(cut, pin=None if best is None or pin is None else Pin(best.time, pin.hit))


def _panels_of(shot: Item) -> Panels:
    if not isinstance(shot.content, Panels):
        raise EditError(tr("this shot is no split screen"))
    return shot.content


def _changed(project: Project, shot_id: ItemId, change: Callable[[Panels], Panels]) -> Project:
    shot = find(project.shots, shot_id, "shot")
    return with_shot(project, replace(shot, content=change(_panels_of(shot))))
