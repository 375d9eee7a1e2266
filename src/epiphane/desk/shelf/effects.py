"""Effects on the shelf: tiles that move while they are pointed at, found by name or by what they do."""

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QAbstractItemView, QVBoxLayout, QWidget

from epiphane.desk import theme
from epiphane.desk.carry import carry_effect
from epiphane.desk.editor import Editor
from epiphane.desk.frames import FrameServer
from epiphane.desk.shelf.tiles import Tile, Tiles
from epiphane.desk.skim import Skimmed, Skimmer
from epiphane.desk.thumbs import THUMB_SIZE, Thumbnails, image_of
from epiphane.document.envelope import Envelope
from epiphane.document.ids import LaneId, PulseId
from epiphane.document.lane import Lane
from epiphane.document.model import FootageKind
from epiphane.effects.declare import Around, Effect
from epiphane.effects.registry import all_effects, find_effect
from epiphane.keying.envelope import frame_levels
from epiphane.render.placing import COVERING
from epiphane.render.plan import ActiveEffect, FramePlan, Shown

_FRAME_MILLISECONDS = 33
_RATE = 30.0
# A cue every half second: that of 120 beats a minute.
_CYCLE_FRAMES = 15
_LOOP_FRAMES = 45


class EffectPage(QWidget):
    """All effects.

    Signals
    -------
    taken(keys)
        To be put on the score.
    """

    taken = pyqtSignal(object)

    def __init__(self, editor: Editor, thumbnails: Thumbnails, frames: FrameServer, skimmer: Skimmer) -> None:
        super().__init__()
        self._editor = editor
        self._thumbnails = thumbnails
        self._frames = frames
        self._skimmer = skimmer
        self._search = ""
        self._pointed: Effect | None = None
        self._frame = 0
        self._levels = frame_levels(Envelope())
        self.tiles = Tiles("Effects", lambda keys: carry_effect(str(keys[0])))
        self.tiles.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.tiles.taken.connect(self.taken)
        self.tiles.pointed.connect(self._point)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.tiles)
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME_MILLISECONDS)
        self._timer.timeout.connect(self._move)
        skimmer.drawn.connect(self._on_drawn)
        thumbnails.ready.connect(self.refresh_pictures)

    def search(self, text: str) -> None:
        """Show the effects with some words in their name, family, or in what they do."""
        self._search = text
        self.refresh()

    def refresh(self) -> None:
        """Show the effects."""
        self.tiles.show_tiles([_tile(effect) for effect in self._shown()])
        self.refresh_pictures()

    def refresh_pictures(self) -> None:
        """Show the pictures that are ready: each effect at its peak."""
        footage = self._editor.project.footage
        sample = next((one for one in footage if one.kind is not FootageKind.SOUND), None)
        if sample is not None:
            self.tiles.show_pictures({e.key: self._thumbnails.with_effect(sample, e) for e in self._shown()})

    def _shown(self) -> list[Effect]:
        words = self._search.casefold().split()
        return [one for one in all_effects() if all(word in _searched(one) for word in words)]

    def _point(self, key: object, _share: float) -> None:
        effect = None if key is None else find_effect(str(key))
        if effect is not self._pointed:
            self._pointed, self._frame = effect, 0
        if effect is None:
            self._timer.stop()
        elif not self._timer.isActive():
            self._timer.start()

    def _move(self) -> None:
        """Draw the effect a frame on, over what the project shows under the playhead."""
        effect = self._pointed
        if effect is None or self._editor.project.n_frames == 0:
            return
        self._frame += 1
        place = self._frame % _CYCLE_FRAMES
        level = float(self._levels[place]) if place < len(self._levels) else 0.0
        since = place - int(Envelope().rise)
        around = Around(THUMB_SIZE[0] / THUMB_SIZE[1], self._frame, _RATE, since=since)
        values = effect.values_at(Lane(LaneId(0), effect.key, PulseId(0)), level, around)
        shift, echoes = (effect.shift_of(values), effect.echoes_of(values)) if level > 0 else (0, ())
        under, *others = (self._under(shift + echo) for echo in (0, *echoes))
        made = ActiveEffect(effect.key, effect.version, values, tuple(one for one in others if one))
        plan = FramePlan(
            under.source if under else None,
            THUMB_SIZE,
            (made,) * (level > 0),
            under.placing if under else COVERING,
        )
        self._skimmer.ask_plan(effect.key, float(self._frame), plan, THUMB_SIZE)

    def _under(self, later: int) -> Shown | None:
        """Return the footage under the playhead, moving on as the effect does, some frames later."""
        last = self._editor.project.n_frames - 1
        frame = self._editor.playhead + self._frame % _LOOP_FRAMES + later
        plan = self._frames.plan(min(max(frame, 0), last))
        return None if plan.source is None else Shown(plan.source, plan.placing)

    def _on_drawn(self, frame: Skimmed) -> None:
        if self._pointed is not None and frame.key == self._pointed.key:
            self.tiles.show_peek(frame.key, image_of(frame.picture).copy(), None)


def _tile(effect: Effect) -> Tile:
    tip = f"{effect.label} ({effect.family.value}): {effect.summary}"
    return Tile(effect.key, effect.label, "", (theme.FAMILY_COLOURS[effect.family],), tip)


def _searched(effect: Effect) -> str:
    parameters = " ".join(parameter.label for parameter in effect.parameters)
    return f"{effect.label} {effect.key} {effect.family.value} {effect.summary} {parameters}".casefold()
