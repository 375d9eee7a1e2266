"""What a lane may do: an effect, a transition at the cuts, or footage laid over."""

from typing import TypeAlias

from msgspec import Struct

from epiphane.declare.parameters import (
    AnyParameter,
    ChoiceParameter,
    NamedValues,
    Parameter,
    faults_of,
    translated,
    values_at,
)
from epiphane.document.envelope import Ease, Envelope
from epiphane.document.lane import Settings
from epiphane.document.timeline import BlendMode, Fit
from epiphane.edits.keying.words import WORDS_ENVELOPE, WORDS_KEY
from epiphane.effects.declare import EFFECTS, Effect, Family
from epiphane.errors import ParameterError
from epiphane.transitions.declare import TRANSITIONS, Transition
from epiphane.wording import tr


class Layer(Struct, frozen=True, eq=False):
    """What each cue lays over what is below: footage with its moment on the hit, or text."""

    key: str
    family: Family
    label: str
    summary: str
    parameters: tuple[AnyParameter, ...]
    envelope: Envelope = Envelope(rise=2, fall=30, rise_ease=Ease.LINEAR, fall_ease=Ease.LINEAR)
    keywords: str = ""

    def parameter(self, name: str) -> AnyParameter:
        """Return the parameter of a name; KeyError if there is none."""
        return next(one for one in self.parameters if one.name == name)

    def values_at(self, settings: Settings, level: float) -> NamedValues:
        """Return every parameter's value at a level of an envelope."""
        return values_at(self.parameters, settings, level)


ENDS, REPEATS, HOLDS = "is gone", "repeats", "stands still"
OVERLAY = Layer(
    "overlay",
    Family.LIGHT,
    tr("Overlay"),
    tr("Plays footage over the picture at each cue, its moment on the hit."),
    translated(
        (
            ChoiceParameter(
                "blend", "Blend mode", tuple(mode.value for mode in BlendMode), BlendMode.SCREEN.value
            ),
            Parameter("opacity", "Opacity", "%", low=0, high=100, rest=100, peak=100),
            ChoiceParameter("fit", "Fit", tuple(fit.value for fit in Fit), Fit.COVER.value),
            Parameter("scale", "Scale", "%", low=10, high=500, rest=100, peak=100),
            Parameter("across", "Across", "% of width", low=-100, high=100, rest=0, peak=0),
            Parameter("down", "Down", "% of height", low=-100, high=100, rest=0, peak=0),
            Parameter("rotation", "Rotation", "°", low=-180, high=180, rest=0, peak=0),
            Parameter("speed", "Speed", "%", low=10, high=400, rest=100, peak=100),
            ChoiceParameter("after", "After its end", (ENDS, REPEATS, HOLDS), ENDS),
        )
    ),
    keywords="ink leak texture footage layer",
)
BY_WORD, LINES, NUMBER, TIME, TEMPO = "word", "line", "number", "time code", "tempo"
WORDS = Layer(
    WORDS_KEY,
    Family.LIGHT,
    tr("Words"),
    tr("Shows words over the picture, one or a line at each cue, or counts them."),
    translated(
        (
            ChoiceParameter("by", "Each cue shows a", (BY_WORD, LINES, NUMBER, TIME, TEMPO), BY_WORD),
            Parameter("opacity", "Opacity", "%", low=0, high=100, rest=0, peak=100),
            Parameter("scale", "Scale", "%", low=10, high=500, rest=100, peak=100),
            Parameter("across", "Across", "% of width", low=-100, high=100, rest=0, peak=0),
            Parameter("down", "Down", "% of height", low=-100, high=100, rest=0, peak=0),
            Parameter("rotation", "Rotation", "°", low=-180, high=180, rest=0, peak=0),
        )
    ),
    WORDS_ENVELOPE,
    keywords="text title lyrics",
)
assert not any(faults_of(one.parameters) for one in (OVERLAY, WORDS))

_LAYERS = {one.key: one for one in (OVERLAY, WORDS)}
LaneKind: TypeAlias = Effect | Transition | Layer


def lane_kind(key: str) -> LaneKind | None:
    """Return what a lane of a key does, or None for what this version does not know."""
    return _LAYERS.get(key) or EFFECTS.find(key) or TRANSITIONS.find(key)


def is_layer(key: str) -> bool:
    """Whether a lane of a key lays something over, rather than changing what is below."""
    return key in _LAYERS


def is_transition(key: str) -> bool:
    """Whether a key is that of a transition."""
    return TRANSITIONS.find(key) is not None


def takes_clips(key: str) -> bool:
    """Whether a lane of a key has footage of its own: to be laid over, or as a matte."""
    transition = TRANSITIONS.find(key)
    return key == OVERLAY.key or (transition is not None and transition.takes_clips)


def alike(key: str) -> tuple[LaneKind, ...]:
    """Return what may stand in the place of an effect or transition: all there are of its kind."""
    if key in _LAYERS:
        return (_LAYERS[key],)
    return TRANSITIONS.all() if is_transition(key) else EFFECTS.all()


def lane_kind_named(key: str) -> LaneKind:
    """Return what a lane of a key does.

    Raises
    ------
    ParameterError
        If there is nothing of that key; the message lists what there is.
    """
    found = lane_kind(key)
    if found is None:
        known = [", ".join(one.key for one in EFFECTS.all()), ", ".join(one.key for one in TRANSITIONS.all())]
        raise ParameterError(
            tr(
                "there is no effect or transition {key!r}; effects are: {known}; transitions are: {known2}",
                key=key,
                known=known[0],
                known2=known[1],
            )
        )
    return found
