"""Which transitions a song may be dressed with at its cuts, by the mood of its parts."""

from collections.abc import Mapping

from epiphane.document.dressing import Mood
from epiphane.edits.keying.dressing import TransitionStyle
from epiphane.transitions.declare import TRANSITIONS

_STYLES = {
    Mood.OPENING: ("dissolve", "leak-through", "blur-through"),
    Mood.CALM: ("dissolve", "blur-through", "luma", "ink-through"),
    Mood.BUILD: ("push", "zoom-through", "sweep-through", "prism-through"),
    Mood.FULL: ("whip", "push", "zoom-through", "spin-through", "parting"),
    Mood.DROP: ("flash-through", "shatter-through", "glitch", "lens-burst", "tape-through"),
    Mood.ENDING: ("dissolve", "dip", "burn-through"),
}


def transition_styles() -> Mapping[Mood, tuple[TransitionStyle, ...]]:
    """Return the transitions of each mood, with the envelopes that they are declared with."""
    return {
        mood: tuple(TransitionStyle(key, TRANSITIONS.named(key).envelope) for key in keys)
        for mood, keys in _STYLES.items()
    }
