"""Any edit there is, found by itself, with arguments that are chosen by chance to fit the project."""

import importlib
import inspect
import math
import pkgutil
import random
import re
import types
import typing
from collections import abc
from fractions import Fraction
from functools import lru_cache, singledispatchmethod

from helpers import a_project, a_song, some_footage, some_still
from msgspec import inspect as kinds
from msgspec.structs import replace

import epiphane.edits
from epiphane.document import ids
from epiphane.document.envelope import Envelope
from epiphane.document.filling import Filling
from epiphane.document.footage import Footage, FootageKind, Take
from epiphane.document.ids import FootageId
from epiphane.document.lane import Lane, Override, Setting, Span, Trigger
from epiphane.document.matte import Matte, MatteKind
from epiphane.document.project import Project, with_lanes
from epiphane.document.pulse import (
    BandSource,
    Combination,
    CombinedSource,
    Pulse,
    PulseUnit,
    TappedSource,
    TempoSource,
)
from epiphane.document.recipe import Recipe
from epiphane.document.song import PART_KINDS, Beat, Hit, Song
from epiphane.document.timeline import (
    Fades,
    FootageCut,
    Framing,
    Item,
    ItemSound,
    Panel,
    Panels,
    Pin,
    Shape,
    ShapeFill,
    SolidFill,
    SpeedKey,
    Track,
    Transform,
)
from epiphane.document.titles import LogoFill, TextFill, TitleLook
from epiphane.edits.footage import add_moment
from epiphane.edits.frame_shapes import add_shape
from epiphane.edits.items.keys import put_key
from epiphane.edits.items.titles import put_title
from epiphane.edits.items.tracks import put_fill_on_track, put_on_track
from epiphane.edits.keying.cues import change_cue_envelope, set_cue_setting, set_cue_strength
from epiphane.edits.keying.lanes import add_lane, change_lane, set_setting
from epiphane.edits.keying.overlays import add_overlay_lane
from epiphane.edits.keying.playing import play_hit
from epiphane.edits.keying.pulses import add_pulse, ensure_pulse
from epiphane.edits.keying.recipes import recipe_of
from epiphane.edits.keying.spans import add_span
from epiphane.edits.keying.words import add_words_lane
from epiphane.edits.shots.cutting import delete_shots
from epiphane.edits.shots.mattes import begin_matte, box_subject
from epiphane.edits.shots.panels import split_screen
from epiphane.edits.shots.shots import change_shot, pin_shot
from epiphane.edits.shots.speed import SHAPES, change_speed
from epiphane.edits.song.form import SaidPart
from epiphane.effects.declare import EFFECTS
from epiphane.errors import EditError
from epiphane.keying.schedule import schedule
from epiphane.timing import COMMON_RATES
from epiphane.transitions.declare import TRANSITIONS

OTHERS = {
    "on_main_track": "is what other edits are made of, and takes a function",
    "repinned": "is what other edits are made of, and takes a function",
    "replace_item": "is what other edits are made of, and takes a function",
    "with_shot": "is what other edits are made of, and checks nothing",
    "regrid": "is what other edits are made of: its pairs are those of its beats",
    "put_items": "is what recipes are used by",
    "in_shape": "returns what is exported, which is no state of the project",
    "add_footage": "takes what was found in files; tests/edits/test_footage.py",
    "relink": "takes what was found in files; tests/edits/test_footage.py",
    "learn_of_footage": "takes what was found in files; tests/edits/test_footage.py",
    "dress": "takes recipes by name; tests/edits/test_recipes.py",
    "rough_cut": "takes recipes by name; tests/edits/test_rough_cut.py",
    "lay_look": "takes what was copied of a cue; tests/desk",
    "as_heard": "takes what was heard before; tests/edits/test_form.py",
}
"""Edits that do not take part, and why."""

_CHANGES = {
    "change_cue_envelope": Envelope,
    "shape_lanes": Envelope,
    "change_envelope": Envelope,
    "change_lane": Lane,
    "change_lanes": Lane,
    "change_footage": Footage,
    "change_matte": Matte,
    "change_panels": Panels,
    "change_panel": Panel,
    "change_fades": Fades,
    "change_pulse": Pulse,
    "change_shot": Item,
    "change_shots": Item,
    "change_item": Item,
    "frame_shots": Transform,
    "put_key": Framing,
    "frame_item": Framing,
    "change_title": TitleLook,
    "change_words": TextFill,
    "change_track": Track,
    "shape_song": Song,
    "fill_song": Filling,
    "set_between": FootageCut,
}
_CHANGED = {
    Item: ("is_locked", "transform", "opacity", "blend", "fade_in", "fade_out"),
    Song: ("fade_in", "fade_out", "gain", "fade_bend"),
    Footage: ("name", "group"),
    Lane: ("depth", "is_muted", "seed", "wander", "overlap", "trigger", "n_steps", "name"),
    Pulse: ("name", "every", "first", "keep"),
    Track: ("name", "is_muted"),
    Panel: ("delay", "framing"),
    Matte: ("is_inverted", "feather", "grow"),
    Panels: ("gap", "border", "layout", "colour", "border_colour"),
    Transform: ("scale", "x", "y", "rotation", "fit"),
    FootageCut: ("between", "extend"),
}
"""Which fields are changed one by one, where others are the business of edits of their own."""


@lru_cache(maxsize=1)
def all_edits():
    """Return every edit by its name: what takes a project and returns one."""
    found = {}
    for module in pkgutil.walk_packages(epiphane.edits.__path__, "epiphane.edits."):
        for name, one in vars(importlib.import_module(module.name)).items():
            is_own = inspect.isfunction(one) and one.__module__ == module.name
            if not is_own or name.startswith("_"):
                continue
            hints = typing.get_type_hints(one, include_extras=True)
            made = hints.get("return")
            is_edit = made is Project or Project in typing.get_args(made)
            if (
                is_edit
                and next(iter(inspect.signature(one).parameters), "") == "project"
                and name not in OTHERS
            ):
                found[name] = one, hints
    return found


def applied(project, name, seed):
    """Return a project after an edit with arguments by chance.

    Raises
    ------
    EditError
        If it cannot be done, or there is nothing to do it with.
    """
    function, hints = all_edits()[name]
    chance = Chance(project, seed)
    given, named = [], {}
    for parameter in list(inspect.signature(function).parameters.values())[1:]:
        if parameter.kind is parameter.VAR_KEYWORD:
            named |= chance.changes(name)
        elif parameter.kind is parameter.KEYWORD_ONLY:
            if parameter.default is parameter.empty or chance.random() < 0.6:
                named[parameter.name] = chance.value(hints[parameter.name], parameter.name)
        else:
            given.append(chance.value(hints[parameter.name], parameter.name))
    made = function(project, *given, **named)
    return made[0] if isinstance(made, tuple) else made


def a_rich_project():
    """Return a project that has something of each kind: all kinds of pulses, items, contents and marks."""
    project = a_project(n_shots=6)
    clips = (some_footage(1), replace(some_footage(2), takes=(Take(0.0), Take(3.0))), some_still(3))
    project = replace(project, footage=clips, width=640, height=360)
    one, other, third, fourth = (shot.id for shot in project.shots[:4])
    project, tapped = add_pulse(project, TappedSource(tuple(Hit(0.7 * n + 0.3, 0.5) for n in range(12))))
    project, band = add_pulse(
        project, BandSource(60.0, 120.0, hits=tuple(Hit(0.9 * n + 0.1) for n in range(9)))
    )
    project, both = add_pulse(project, CombinedSource(Combination.EITHER, tapped, band))
    project, steady = add_pulse(project, TempoSource(100.0, 0.2))
    for key, pulse in (
        ("glow", both),
        ("dissolve", ensure_pulse(project, PulseUnit.CUT)[1]),
        ("blur", steady),
    ):
        project = add_lane(ensure_pulse(project, PulseUnit.CUT)[0], key, pulse)
    project = add_words_lane(project, tapped)
    project = add_overlay_lane(project, [FootageId(1)], band)
    project = add_span(project, project.lanes[0].id, 1.0, 9.0)
    project = begin_matte(project, one, MatteKind.TRACED)
    project = box_subject(project, one, 0.4, (0.2, 0.2, 0.7, 0.8))
    project = split_screen(project, other, [FootageId(1), FootageId(2)])
    project = change_speed(project, third, (SpeedKey(-10, 0.5), SpeedKey(20, 2.0)))
    project = change_shot(pin_shot(project, fourth, Pin(2.0, 7.0)), fourth, sound=ItemSound(gain=-6.0))
    project, title = put_title(project, TextFill("ROLL"), 90, hit=4.0)
    project, shown = put_fill_on_track(project, ShapeFill(), 200)
    project = put_fill_on_track(project, SolidFill(), 240)[0]
    project = put_fill_on_track(project, LogoFill(FootageId(3)), 270)[0]
    project, clip = put_on_track(project, FootageId(2), 300)
    project = put_on_track(project, FootageId(3), 330)[0]
    for item in (title, shown, clip):
        project = put_key(project, item, find_item(project, item).start + 4, scale=2.0)
    beats = [(project.lanes[1].id, beat.time) for beat in project.song.beats]
    project = change_cue_envelope(set_cue_strength(project, beats[3:6], 0.5), beats[5:9], fall=20)
    project = set_setting(
        set_cue_setting(project, beats[8:12], Setting("scale", 140.0)), beats[0][0], Setting("scale", 150.0)
    )
    project = play_hit(project, project.lanes[0].id, 2.03)
    ways = set(Trigger) - {lane.trigger for lane in project.lanes}
    for way in sorted(ways, key=lambda one: one.value):
        project = add_lane(project, "shake", tapped)
        project = change_lane(project, project.lanes[-1].id, trigger=way)
    dressed = replace(project.lanes[-1], is_dressed=True)
    project = with_lanes(project, [*project.lanes[:-1], dressed])
    project = replace(project, song=replace(project.song, fade_in=0.5))
    project = delete_shots(project, [project.shots[4].id], ripple=False)
    return add_moment(add_shape(project, Shape(720, 1280)), FootageId(1), 3.0)


def find_item(project, item_id):
    """Return an item of a track."""
    return next(item for track in project.tracks for item in track.items if item.id == item_id)


class Chance(random.Random):
    """Values for the arguments of edits: things of the project where there are some, now and then others."""

    def __init__(self, project, seed):
        super().__init__(seed)
        self.project = project
        self.length = float(project.n_frames / project.rate)
        self.items = [one for track in project.tracks for one in track.items]

    def one_of(self, things, other=None):
        things = list(things)
        if other is not None and self.random() < 0.03:
            return other
        if not things:
            raise EditError("there is none")
        return self.choice(things)

    def changes(self, name):
        """Return one field of what an edit changes, and a value for it."""
        struct = _CHANGES[name]
        fields = {one.name: one for one in kinds.type_info(struct).fields}
        chosen = self.choice([one for one in _CHANGED.get(struct, fields) if one in fields])
        return {chosen: self.of_kind(fields[chosen].type, chosen)}

    def value(self, hint, name):
        """Return a value of a type, for an argument of a name."""
        special = _SPECIAL.get((hint, name)) or _SPECIAL.get((hint, ""))
        origin, parts = typing.get_origin(hint), typing.get_args(hint)
        if special is not None:
            return special(self)
        if origin in (typing.Union, types.UnionType):
            others = [one for one in parts if one is not type(None)]
            is_none = len(others) < len(parts) and self.random() < 0.4
            return None if is_none else self.value(self.choice(others), name)
        if origin in (abc.Sequence, abc.Iterable, abc.Collection) or (origin is tuple and parts[-1] is ...):
            made = dict.fromkeys(self.value(parts[0], name) for _ in range(self.randint(1, 4)))
            return tuple(sorted(made, key=_PLACES[parts[0]]) if parts[0] in _PLACES else made)
        if origin is tuple:
            return tuple(self.value(part, name) for part in parts)
        if origin is abc.Mapping:
            return {self.value(parts[0], name): self.value(parts[1], name)}
        return self.of_kind(kinds.type_info(hint), name)

    @singledispatchmethod
    def of_kind(self, kind, name):
        """Return a value that the document allows, of a type as msgspec tells it."""
        raise EditError(f"nothing is known of {kind}")

    @of_kind.register
    def _(self, kind: kinds.Metadata, name):
        return self.of_kind(kind.type, name)

    @of_kind.register
    def _(self, _kind: kinds.BoolType, _name):
        return self.random() < 0.5

    @of_kind.register
    def _(self, kind: kinds.IntType, name):
        if name in ("footage", "clip", "sound"):
            return self.one_of(one.id for one in self.project.footage)
        if name == "pulse":
            return self.one_of(one.id for one in self.project.pulses)
        low, high = -60 if kind.ge is None else kind.ge, 500 if kind.le is None else kind.le
        return self.randint(low, min(high, low + self.choice([3, 60, 600])))

    @of_kind.register
    def _(self, kind: kinds.FloatType, _name):
        low = next((one for one in (kind.ge, kind.gt) if one is not None), 0.0)
        high = low + 12.0 if kind.le is None else kind.le
        return self.uniform(math.nextafter(low, math.inf), high)

    @of_kind.register
    def _(self, kind: kinds.StrType, _name):
        texts = ["night", "Ünder", "a" * 40, "#8a4b2f", "wght", "wdth", "0123456789abcdef" * 2, ""]
        least, pattern = kind.min_length or 0, kind.pattern or ""
        return self.one_of(text for text in texts if re.search(pattern, text) and len(text) >= least)

    @of_kind.register
    def _(self, _kind: kinds.NoneType, _name):
        return None

    @of_kind.register
    def _(self, kind: kinds.EnumType, _name):
        return self.choice(list(kind.cls))

    @of_kind.register
    def _(self, kind: kinds.LiteralType, _name):
        return self.choice(list(kind.values))

    @of_kind.register
    def _(self, kind: kinds.UnionType, name):
        return self.of_kind(self.choice(list(kind.types)), name)

    @of_kind.register
    def _(self, kind: kinds.VarTupleType, name):
        made = {self.of_kind(kind.item_type, name) for _ in range(self.randint(0, 3))}
        return tuple(sorted(made, key=lambda one: getattr(one, "time", 0.0)))

    @of_kind.register
    def _(self, kind: kinds.TupleType, name):
        return tuple(self.of_kind(one, name) for one in kind.item_types)

    @of_kind.register
    def _(self, kind: kinds.StructType, _name):
        wanted = [one for one in kind.fields if one.required or self.random() < 0.3]
        try:
            return kind.cls(**{one.name: self.of_kind(one.type, one.name) for one in wanted})
        except ValueError:
            raise EditError("no such value") from None

    def instant(self):
        """Return seconds: where something is, anywhere, or a little outside."""
        sources = [pulse.source for pulse in self.project.pulses]
        taps = [hit.time for one in sources if isinstance(one, TappedSource) for hit in one.hits]
        marks = [moment.time for one in self.project.footage for moment in one.moments]
        known = [some for some in ([beat.time for beat in self.project.song.beats], taps, marks) if some]
        if self.random() < 0.1:
            return self.uniform(-1, self.length + 1)
        return self.uniform(0, self.length) if self.random() < 0.4 else self.choice(self.choice(known))

    def frame(self):
        keys = [item.start + key.frame for item in self.items for key in item.keys]
        is_known = keys and self.random() < 0.3
        return self.choice(keys) if is_known else self.randint(-3, self.project.n_frames + 3)

    def shot(self):
        return self.one_of((one.id for one in self.project.shots), 999)

    def item(self):
        return self.one_of((one.id for one in self.items), 999)

    def effect(self):
        return self.choice([one.key for one in (*EFFECTS.all(), *TRANSITIONS.all())])

    def cue(self):
        lane = self.one_of(self.project.lanes)
        return lane.id, self.one_of(schedule(self.project).lane(lane.id).cues).hit.time

    def clip(self):
        return self.one_of((one.id for one in self.project.footage if one.kind is not FootageKind.SOUND), 999)

    def span(self):
        return self.one_of([*(span for lane in self.project.lanes for span in lane.spans), Span(0.0, 1.0)])

    def recipe(self):
        return recipe_of(self.project, [one.id for one in self.project.lanes[: self.randint(1, 3)]], "stack")

    def said_part(self):
        start = self.uniform(0, self.length)
        return SaidPart(start, start + self.uniform(0.1, self.length), self.choice(PART_KINDS))


_SPECIAL = {
    (Project, ""): lambda one: one.project,
    (Lane, ""): lambda one: one.one_of(one.project.lanes),
    (ids.ItemId, ""): Chance.item,
    (ids.ItemId, "ids"): lambda one: one.shot() if one.random() < 0.8 else one.item(),
    **{(ids.ItemId, name): Chance.shot for name in ("shot_id", "shots", "left", "one_id", "other_id")},
    (ids.LaneId, ""): lambda one: one.one_of((lane.id for lane in one.project.lanes), 999),
    (ids.PulseId, ""): lambda one: one.one_of((pulse.id for pulse in one.project.pulses), 999),
    (ids.TrackId, ""): lambda one: one.one_of((track.id for track in one.project.tracks), 999),
    (ids.FootageId, ""): Chance.clip,
    (int, "direction"): lambda one: one.choice((-1, 1)),
    (int, "ids"): lambda one: one.one_of(row.id for row in one.project.stack),
    (int, "row_id"): lambda one: one.one_of(row.id for row in one.project.stack),
    (int, "frame"): Chance.frame,
    **{(int, name): lambda one: one.choice([64, 720, 1080, 1081]) for name in ("width", "height")},
    **{
        (int, name): lambda one: one.randint(0, 9)
        for name in ("index", "number", "place", "n_beats", "n_following", "every", "first", "to", "beat")
    },
    **{(float, name): Chance.instant for name in ("time", "seconds", "start", "end", "to", "anchor")},
    (float, "hit"): lambda one: one.uniform(0, one.length),
    (float, "tempo"): lambda one: one.uniform(30, 300),
    (str, "effect"): Chance.effect,
    (str, "name"): lambda one: one.choice(["scale", "night", ""]),
    (str, "kind"): lambda one: one.choice(PART_KINDS),
    (str, "key"): lambda one: one.choice(SHAPES).key,
    (tuple[ids.LaneId, float], ""): Chance.cue,
    (tuple[float, float, float, float], "box"): lambda one: (
        0.1,
        0.2,
        one.uniform(0.3, 1),
        one.uniform(0.3, 1),
    ),
    (Fraction, ""): lambda one: one.choice(COMMON_RATES),
    (Setting, ""): lambda one: Setting("opacity", one.uniform(0, 100)),
    (Pin, ""): lambda one: Pin(one.uniform(0, 8), one.uniform(0, one.length)),
    (Song, ""): lambda one: a_song(tempo=one.uniform(60, 180)),
    (Shape, ""): lambda one: one.choice([*one.project.shapes, Shape(one.choice([720, 1080]), 1080)]),
    (Item, ""): lambda one: one.one_of(one.project.shots),
    (Recipe, ""): Chance.recipe,
    (Override, ""): lambda one: Override(one.uniform(0, one.length), strength=one.uniform(0, 2)),
    (Span, ""): Chance.span,
    (Beat, ""): lambda one: Beat(one.uniform(0, one.length), one.randint(1, 4)),
    (SaidPart, ""): Chance.said_part,
}
"""What is chosen for a type, or for an argument of a name that has it."""
_PLACES = {Beat: lambda one: one.time, Item: lambda one: one.start, Hit: lambda one: one.time}
"""By what those are ordered that come one after the other."""
