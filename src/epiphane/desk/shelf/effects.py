"""Effects on the shelf: tiles that move while they are pointed at, found by name or by what they do."""

from epiphane.desk.control.drag import carry_effect
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.favourites import Favourites
from epiphane.desk.engine.frames import FrameServer
from epiphane.desk.engine.skimming import Skimmer
from epiphane.desk.engine.thumbnails import THUMB_SIZE, Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.shelf.moving import MovingPage
from epiphane.desk.shelf.search import best_first
from epiphane.desk.shelf.tiles import STAR, Tile
from epiphane.document.envelope import Envelope
from epiphane.effects.declare import EFFECTS, Effect, FrameContext
from epiphane.keying.envelope import frame_levels
from epiphane.render.nodes import ActiveEffect, FramePlan, Shown, lowest_shown, plan_of
from epiphane.wording import tr

_RATE = 30.0
# A cue every half second: that of 120 beats a minute.
_CYCLE_FRAMES = 15
_LOOP_FRAMES = 45


class EffectPage(MovingPage):
    """All effects, over what the project shows under the playhead."""

    def __init__(
        self,
        editor: Editor,
        thumbnails: Thumbnails,
        frames: FrameServer,
        skimmer: Skimmer,
        favourites: Favourites,
    ) -> None:
        super().__init__(tr("Effects"), editor, thumbnails, skimmer, carry_effect, favourites)
        self._frames = frames
        self._levels = frame_levels(Envelope())

    @property
    def groups(self) -> tuple[str, ...]:
        """What effects do, in the order of their families."""
        return tuple(dict.fromkeys(one.group for one in EFFECTS.all() if one.group))

    def refresh(self) -> None:
        """Show the effects."""
        self.tiles.show_tiles([_tile(effect, is_kept=effect.key in self._kept()) for effect in self._shown()])
        self.refresh_pictures()

    def refresh_pictures(self) -> None:
        """Show the pictures that are ready: each effect at its peak."""
        sample = self._sample()
        if sample is not None:
            self.tiles.show_pictures({e.key: self._thumbnails.with_effect(sample, e) for e in self._shown()})

    def _shown(self) -> list[Effect]:
        ones = self.in_group(EFFECTS.all(), lambda one: one.key, lambda one: one.group)
        return best_first(ones, self.searched, lambda effect: effect.label, _told)

    def _plan(self, key: str, frame: int) -> FramePlan | None:
        effect = EFFECTS.find(key)
        if effect is None or self._editor.project.n_frames == 0:
            return None
        place = frame % _CYCLE_FRAMES
        level = float(self._levels[place]) if place < len(self._levels) else 0.0
        since = place - int(Envelope().rise)
        context = FrameContext(THUMB_SIZE[0] / THUMB_SIZE[1], frame, _RATE, since=since)
        values = effect.values_at((), level, context)
        shift, echoes = (effect.shift_of(values), effect.echoes_of(values)) if level > 0 else (0, ())
        under, *others = (self._under(frame, shift + echo) for echo in (0, *echoes))
        made = ActiveEffect(effect.key, effect.version, values, tuple(one for one in others if one))
        return plan_of(under, THUMB_SIZE, (made,) * (level > 0))

    def _under(self, moved: int, later: int) -> Shown | None:
        """Return the footage under the playhead, moving on as the effect does, some frames later."""
        last = self._editor.project.n_frames - 1
        frame = self._editor.playhead + moved % _LOOP_FRAMES + later
        return lowest_shown(self._frames.plan(min(max(frame, 0), last)).root)


def _tile(effect: Effect, *, is_kept: bool) -> Tile:
    tip = f"{effect.label} ({tr(effect.family.value)}): {effect.summary}"
    return Tile(
        effect.key, effect.label, "", (theme.FAMILY_COLOURS[effect.family],), tip, STAR if is_kept else ""
    )


def _told(effect: Effect) -> str:
    parameters = " ".join(parameter.label for parameter in effect.parameters)
    words = effect.key, effect.keywords, tr(effect.family.value), effect.group, effect.summary, parameters
    return " ".join(words)
