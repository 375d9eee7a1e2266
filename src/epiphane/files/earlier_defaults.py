"""What effects and transitions did by themselves in older versions, said in full for lanes of their files."""

from typing import Any, TypeAlias

_Defaults: TypeAlias = dict[str, dict[str, tuple[float, float] | str]]
# Rest and peak of numbers, or a word.
_BEFORE_11: _Defaults = {
    "blackout": {"takes": "levels"},
    "bloom": {"radius": (0, 45), "of": "a veil", "opacity": (90, 90)},
    "exposure": {"stops": (0, 1.5), "shoulder": (0, 0)},
    "flash": {"opacity": (0, 70), "blend": "screen"},
    "glow": {"strength": (0, 90), "radius": (2, 2), "by": "a threshold"},
    "strobe": {"opacity": (0, 80), "shows": "a colour"},
    "sweep": {"place": (100, 15), "of": "a veil", "width": (22, 22)},
    "shake": {"reach": (0, 2.5), "rotation": (0, 1.5), "closer": (0, 0), "shutter": (0, 0)},
    "slide": {"across": (0, 8), "shutter": (0, 0)},
    "spin": {"angle": (0, 12), "scale": (100, 100), "shutter": (0, 0)},
    "tilt": {"sideways": (0, 16), "scale": (100, 110), "shutter": (0, 0)},
    "zoom": {"scale": (100, 116), "shutter": (0, 0)},
    "blocks": {"amount": (0, 55), "reach": (9, 9), "size": (14, 14), "lie": "anywhere"},
    "split": {"offset": (0, 1.2)},
    "invert": {"half_way": "mixed"},
    "tear": {"reach": (0, 8), "share": (45, 45)},
    "posterise": {"by": "each colour"},
    "trails": {"amount": (0, 70), "count": (3, 3), "apart": (2, 2), "blend": "lighten"},
    "streak": {"length": (0, 6)},
    "bend": {"amount": (0, 45)},
    "sharpen": {"amount": (0, 150), "radius": (0.25, 0.25), "limit": (0, 0)},
    "rush": {"amount": (0, 18)},
    "contrast": {"amount": (100, 150), "middle": (50, 50), "bends": "straight"},
    "negative": {"half_way": "mixed"},
    "saturation": {"amount": (100, 20)},
    "self-blend": {"amount": (0, 80)},
    "temperature": {"warmth": (0, 45)},
    "grain": {"amount": (0, 35), "size": (0.12, 0.12), "of": "even"},
    "kaleidoscope": {"half_way": "mixed"},
    "mirror": {"half_way": "mixed"},
    "dip": {"takes": "levels"},
    "additive": {"adds": "levels"},
    "flash-through": {"burn": (0, 2), "burns": "levels"},
    "vignette": {"amount": (0, 70), "reach": (60, 60)},
    "blur": {"radius": (0, 0.8)},
}
_BEFORE_12: _Defaults = {
    "blur": {"radius": (0, 1.8), "shape": "a Gaussian"},
    "bend": {"apart": (0, 0)},
    "scanlines": {"amount": (0, 70)},
    "blur-through": {"shape": "a Gaussian"},
    "luma": {"softness": (30, 30), "smooth": (0, 0), "edge": (0, 0)},
    "lens-burst": {"burns": "levels"},
    "tile-flip": {"behind": "black"},
    "slide-over": {"shutter": (0, 0), "shadow": (0, 0)},
    "parting": {"shutter": (0, 0), "shadow": (0, 0)},
    "stretch": {"shutter": (0, 0)},
    "edge-pull": {"column": (0, 0)},
    "ripple-through": {"goes": "fades"},
    "matte": {"matte": "ink", "edge": (0, 0)},
    **{name: {"edge": (0, 0)} for name in ("wipe", "clock", "blinds", "iris")},
}
_BEFORE = {11: _BEFORE_11, 12: _BEFORE_12}
"""By the version that did otherwise."""


def with_defaults_before(version: int, lane: Any) -> Any:
    """Return a lane of a file older than a version of the format that says what its effects did then."""
    if not isinstance(lane, dict):
        return lane
    lane = _said_in_full(lane, _BEFORE[version])
    for name in ("alternatives", "overrides"):
        if isinstance(lane.get(name), list):
            lane = lane | {name: [_said_in_full(one, _BEFORE[version]) for one in lane[name]]}
    return lane


def _said_in_full(instance: Any, defaults: _Defaults) -> Any:
    """Return an effect with settings, JSON, that says what it left unsaid."""
    if not isinstance(instance, dict) or instance.get("effect") not in defaults:
        return instance
    settings = instance.get("settings", [])
    if not isinstance(settings, list):
        return instance
    said = {one.get("name") for one in settings if isinstance(one, dict)}
    unsaid = [
        {"name": name, "peak": value}
        if isinstance(value, str)
        else {"name": name, "peak": float(value[1]), "rest": float(value[0])}
        for name, value in defaults[instance["effect"]].items()
        if name not in said
    ]
    return instance | {"settings": [*settings, *unsaid]}
