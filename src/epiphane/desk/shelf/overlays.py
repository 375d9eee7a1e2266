"""Overlays on the shelf: shipped clips, solids and shapes to lay over the picture."""

from functools import cached_property

from epiphane.desk.control.drag import carry_overlay
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.overlays import FILLS, ON_HITS
from epiphane.desk.engine.skimming import Skimmer
from epiphane.desk.engine.thumbnails import THUMB_SIZE, Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.shelf.moving import MovingPage
from epiphane.desk.shelf.search import best_first
from epiphane.desk.shelf.tiles import Tile
from epiphane.document.ids import ItemId
from epiphane.document.project import Project
from epiphane.document.timeline import COVERING, Item
from epiphane.document.titles import TextFill
from epiphane.edits.keying.words import FRESH_WORDS
from epiphane.effects.declare import Family
from epiphane.media.shipped import ShippedOverlay, shipped_overlays
from epiphane.render.nodes import BLACK, FramePlan, Node, Shown, SourceFrame, stacked
from epiphane.render.plan import node_of
from epiphane.wording import tr

_RATE = 30.0
_TILE_SECONDS = 0.7
_LOOP_FRAMES = {True: 24, False: 66}
_ABOUT = {
    "words": tr("Words that hits show over the picture, one or a line at each"),
    "title": tr("Text over the picture that lands on a hit, on a track"),
    "solid": tr("One colour over the picture, on a track"),
    "rectangle": tr("A rectangle over the picture, hard or soft at its edge, on a track"),
    "ellipse": tr("An ellipse over the picture, hard or soft at its edge, on a track"),
    "gradient": tr("A gradient over the picture, to another colour or to nothing, on a track"),
}


class OverlayPage(MovingPage):
    """What can be laid over the picture, shown over the first footage of the project."""

    def __init__(self, editor: Editor, thumbnails: Thumbnails, skimmer: Skimmer) -> None:
        super().__init__(tr("Overlays"), editor, thumbnails, skimmer, carry_overlay)

    @cached_property
    def _shipped(self) -> dict[str, ShippedOverlay]:
        return {one.name: one for one in shipped_overlays()}

    def refresh(self) -> None:
        """Show what there is."""
        self.tiles.show_tiles([self._tile(name) for name in self._shown()])
        self.refresh_pictures()

    def refresh_pictures(self) -> None:
        """Show the pictures that are ready."""
        frame = round(_TILE_SECONDS * _RATE)
        plans = {name: self._plan(name, frame) for name in self._shown()}
        self.tiles.show_pictures(
            {name: self._thumbnails.of_plan(plan) for name, plan in plans.items() if plan}
        )

    def _shown(self) -> list[str]:
        return best_first([*self._shipped, ON_HITS, *FILLS], self.searched, str, self._told)

    def _told(self, name: str) -> str:
        shipped = self._shipped.get(name)
        return (
            _ABOUT[name]
            if shipped is None
            else tr("{name} overlay texture {blend}", name=name, blend=tr(shipped.blend.value))
        )

    def _tile(self, name: str) -> Tile:
        colour = theme.FAMILY_COLOURS[Family.LIGHT if name in self._shipped else Family.FRAME]
        return Tile(name, tr(name).capitalize(), "", (colour,), self._tip(name))

    def _tip(self, name: str) -> str:
        shipped = self._shipped.get(name)
        if shipped is None:
            return _ABOUT[name]
        how = tr("is on all the time") if shipped.is_texture else tr("bursts on each hit")
        words = tr(
            "{name}, in {blend}: on hits it {how},",
            name=tr(name).capitalize(),
            blend=tr(shipped.blend.value),
            how=how,
        )
        return tr("{words} on the shots it lies on a track", words=words)

    def _plan(self, key: str, frame: int) -> FramePlan | None:
        sample = self._sample()
        below = BLACK
        if sample is not None:
            below = Node(Shown(SourceFrame(sample.path, sample.fingerprint, sample.duration / 2)))
        above = self._above(key, frame)
        return None if above is None else FramePlan(THUMB_SIZE, stacked([below, above]))

    def _above(self, key: str, frame: int) -> Node | None:
        shipped: ShippedOverlay | None = self._shipped.get(key)
        if shipped is not None:
            seconds = frame % _LOOP_FRAMES[shipped.is_texture] / _RATE
            source = SourceFrame(str(shipped.path), shipped.fingerprint, seconds)
            return Node(Shown(source, COVERING), blend=shipped.blend)
        fill = FRESH_WORDS if key == ON_HITS else FILLS[key]
        item = Item(ItemId(1), 0, 10_000, fill, opacity=1.0 if isinstance(fill, TextFill) else 0.8)
        return node_of(Project(width=THUMB_SIZE[0], height=THUMB_SIZE[1]), item, frame % round(_RATE))
