"""Which transitions a song may be dressed with at its cuts, by the mood of its parts."""

from collections.abc import Mapping

from epiphane.document.dressing import Mood
from epiphane.edits.keying.dressing import TransitionStyle
from epiphane.transitions.declare import TRANSITIONS

_STYLES = {
    Mood.CALM: ("dissolve", "blur-through", "luma", "dip"),
    Mood.BUILD: ("push", "zoom-through", "wipe", "blinds"),
    Mood.FULL: ("whip", "push", "zoom-through", "edge-pull", "parting"),
    Mood.DROP: ("whip", "glitch", "flash-through", "spin-through", "lens-burst"),
}


def transition_styles() -> Mapping[Mood, tuple[TransitionStyle, ...]]:
    """Return the transitions of each mood, with the envelopes that they are declared with."""
    return {
        mood: tuple(TransitionStyle(key, TRANSITIONS.named(key).envelope) for key in keys)
        for mood, keys in _STYLES.items()
    }
