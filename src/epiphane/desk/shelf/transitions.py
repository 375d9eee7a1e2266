"""Transitions on the shelf: tiles that play from one shot into the next while they are pointed at."""

from epiphane.desk.control.drag import carry_effect
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.favourites import Favourites
from epiphane.desk.engine.frames import FrameServer
from epiphane.desk.engine.skimming import Skimmer
from epiphane.desk.engine.thumbnails import BLANKS, THUMB_SIZE, Thumbnails
from epiphane.desk.look import theme
from epiphane.desk.shelf.moving import MovingPage
from epiphane.desk.shelf.search import best_first
from epiphane.desk.shelf.tiles import STAR, Tile
from epiphane.document.footage import Footage, FootageKind
from epiphane.render.nodes import FramePlan, Joined, Node, Shown, Solid, lowest_shown
from epiphane.transitions.declare import TRANSITIONS, Progress, Transition
from epiphane.wording import tr

_STILL_FRAMES = 8
"""Before and after a transition, in which one picture alone is seen."""


class TransitionPage(MovingPage):
    """All transitions, from the shot under the playhead into the one after it."""

    def __init__(
        self,
        editor: Editor,
        thumbnails: Thumbnails,
        frames: FrameServer,
        skimmer: Skimmer,
        favourites: Favourites,
    ) -> None:
        super().__init__(tr("Transitions"), editor, thumbnails, skimmer, carry_effect, favourites)
        self._frames = frames

    @property
    def groups(self) -> tuple[str, ...]:
        """What transitions do, in the order of their families."""
        return tuple(dict.fromkeys(one.group for one in TRANSITIONS.all() if one.group))

    def refresh(self) -> None:
        """Show the transitions."""
        self.tiles.show_tiles([_tile(one, is_kept=one.key in self._kept()) for one in self._shown()])
        self.refresh_pictures()

    def refresh_pictures(self) -> None:
        """Show the pictures that are ready: each transition a little before its middle."""
        pair = self._samples()
        self.tiles.show_pictures(
            {one.key: self._thumbnails.with_transition(*pair, one) for one in self._shown()}
        )

    def _shown(self) -> list[Transition]:
        ones = self.in_group(TRANSITIONS.all(), lambda one: one.key, lambda one: one.group)
        return best_first(ones, self.searched, lambda one: one.label, _told)

    def _samples(self) -> tuple[Footage | None, Footage | None]:
        """Return two pieces of footage that everything is shown on, or one twice."""
        seen = [one for one in self._editor.project.footage if one.kind is not FootageKind.SOUND]
        return (seen[0], seen[min(1, len(seen) - 1)]) if seen else (None, None)

    def _plan(self, key: str, frame: int) -> FramePlan | None:
        transition = TRANSITIONS.find(key)
        if transition is None:
            return None
        n_frames = round(transition.envelope.rise + transition.envelope.fall)
        place = frame % (n_frames + 2 * _STILL_FRAMES) - _STILL_FRAMES
        share = min(max(place / n_frames, 0.0), 1.0)
        sides = zip(self._sides(place), BLANKS, strict=True)
        outgoing, incoming = (Node(Solid(blank) if one is None else one) for one, blank in sides)
        if share in (0, 1):
            return FramePlan(THUMB_SIZE, incoming if share else outgoing)
        progress = Progress(share, 1 / n_frames, round(THUMB_SIZE[0] / THUMB_SIZE[1], 6))
        values = transition.values_at(())
        joined = Joined(transition.key, transition.version, values, progress, outgoing, incoming)
        return FramePlan(THUMB_SIZE, Node(joined))

    def _sides(self, place: int) -> tuple[Shown | None, Shown | None]:
        """Return what the shot under the playhead shows, moving on, and what the one after it does."""
        project, playhead = self._editor.project, self._editor.playhead
        if not project.n_frames:
            return None, None
        here = next((n for n, one in enumerate(project.shots) if one.start <= playhead < one.end), None)
        frames = [playhead + place]
        if here is not None and here + 1 < len(project.shots):
            following = project.shots[here + 1]
            frames.append(min(max(following.start + place, following.start), following.end - 1))
        last = project.n_frames - 1
        shown = [lowest_shown(self._frames.plan(min(max(frame, 0), last)).root) for frame in frames]
        return shown[0], shown[-1]


def _tile(transition: Transition, *, is_kept: bool) -> Tile:
    tip = f"{transition.label} ({tr(transition.family.value)}): {transition.summary}"
    return Tile(
        transition.key,
        transition.label,
        "",
        (theme.FAMILY_COLOURS[transition.family],),
        tip,
        STAR if is_kept else "",
    )


def _told(transition: Transition) -> str:
    parameters = " ".join(parameter.label for parameter in transition.parameters)
    words = (
        transition.key,
        transition.keywords,
        transition.group,
        tr(transition.family.value),
        transition.summary,
        parameters,
    )
    return " ".join(words)
