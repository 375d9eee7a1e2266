"""Nothing of the document is dropped in silence: a field changes the film, or is listed with the reason."""

from contextlib import suppress
from fractions import Fraction
from itertools import cycle, islice

import numpy as np
from any_edit import Chance, a_rich_project
from helpers import a_project
from msgspec import Struct
from msgspec import inspect as kinds
from msgspec.structs import fields, replace

from epiphane.audio.mix import mixed_with_shots
from epiphane.audio.song_gain import shaped_song
from epiphane.document.envelope import CurvePoint, Ease
from epiphane.document.footage import Passage
from epiphane.document.ids import FootageId
from epiphane.document.lane import (
    Accent,
    AccentSound,
    EffectInstance,
    Follow,
    Override,
    Setting,
    Span,
    Trigger,
)
from epiphane.document.matte import Matte, MatteMark, MatteStroke
from epiphane.document.pick import Pattern, Pick
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.song import Hit
from epiphane.document.timeline import (
    Backdrop,
    Fades,
    FootageCut,
    Framing,
    ItemSound,
    Move,
    PanelLayout,
    Panels,
    Shape,
    ShapeTransform,
    Track,
    Transform,
)
from epiphane.document.titles import FaceAxis, Impact, Standing, TextFill, TextMotion
from epiphane.edits.frame_shapes import in_shape
from epiphane.edits.items.keys import put_key
from epiphane.edits.items.titles import change_title
from epiphane.edits.keying.lanes import add_lane, change_envelope, change_lane, set_setting
from epiphane.edits.keying.overlays import set_cue_clip
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.errors import EditError, ProjectFileError
from epiphane.files.project import decode_project, encode_project
from epiphane.keying.accent_hits import accent_hits
from epiphane.keying.schedule import schedule
from epiphane.media.mattes import matte_key
from epiphane.render.plan import plan_frame

_SOUND_RATE = 400
_STEP = 80
_PLACES, _VALUES, _TIMES = 12, 4, 6
"""Of how many structures of a kind a field is changed, to how many other values each at a time, how often."""

OTHERS = {
    "is what filling and dressing are told, or read of the song: what they lay is in the film": (
        *("Project.filling", "Project.dressing", "Song.drops", "Section.energy"),
        *("Filling.footage", "Filling.pulse", "Filling.pace", "Filling.order", "Filling.seed"),
        *("Filling.lands", "Filling.stills", "Filling.extend"),
        *("Pace.every", "Pace.is_by_section", "Pace.calm", "Pace.build", "Pace.full"),
        *("Dressing.density", "Dressing.seed", "Dressing.calm", "Dressing.build", "Dressing.full"),
        *(
            "Dressing.opening",
            "Dressing.ending",
            "Dressing.drop",
            "Dressing.has_transitions",
            "Lane.is_dressed",
        ),
    ),
    "says what of a clip filling and its marks choose": (
        *("Footage.used_to", "Footage.takes", "Footage.passages", "Take.start", "Take.is_used"),
        *("Moment.cause", "Moment.is_accepted", "Moment.strength"),
        *("Passage.start", "Passage.flaw", "Passage.movement", "Passage.sharpness", "Passage.look"),
        "Passage.drift",
    ),
    "is told in the window": (
        *("Project.name", "Project.groups", "Pulse.name", "Lane.name", "Track.name", "Beat.confidence"),
        *("Footage.fault", "Footage.name", "Footage.group", "Footage.damaged", "Footage.treatments"),
        *("Song.tempo", "Song.is_steady"),
    ),
    "keeps what must not change, or says what was looked at or set by hand": (
        *("Song.is_locked", "Item.is_locked", "Lane.is_locked", "Track.is_locked", "Song.has_own_drops"),
        *("Project.is_shape_chosen", "Project.next_id", "Footage.is_searched", "TappedSource.played_on"),
        *("Project.version", "Section.is_own"),
    ),
    "is how rows stand in the score": ("Lane.is_folded", "Track.is_folded"),
    "comes back when the song is trimmed less": (
        *("Song.before", "Song.after", "CutOff.beats", "CutOff.drums", "CutOff.sections", "CutOff.drops"),
    ),
    "is told by the file itself while it is drawn": ("Footage.width", "Footage.height", "Footage.has_alpha"),
    "is what was listened for: what was heard is in the document": (
        *("BandSource.low", "BandSource.high", "BandSource.threshold", "BandSource.gap"),
        *("Follow.low", "Follow.high", "Song.path", "Song.fingerprint"),
    ),
    "is what others call it by": ("Footage.id", "Item.id", "Lane.id", "Track.id"),
}
"""What changes no film, and why."""


def a_film_of_everything():
    """Return a project in which all that there is takes part in what is seen or heard."""
    project = a_rich_project()
    hits = tuple(Hit(0.4 * n + 0.05, 0.3 + 0.02 * n) for n in range(30))
    song = replace(project.song, fade_in=2.0, fade_out=2.0, gain=-1.0)
    song = replace(song, drums=replace(song.drums, low=hits, mid=hits, high=hits))
    seen = (Passage(0.0), Passage(3.0))
    clips = tuple(replace(one, has_sound=True, passages=seen) for one in project.footage)
    project = replace(project, song=song, footage=clips)
    for unit in PulseUnit:
        project, pulse = ensure_pulse(project, unit, every=2)
        project = add_lane(project, "zoom", pulse)
    beats, kicks = (
        next(one.id for one in project.pulses if one.unit is unit)
        for unit in (PulseUnit.BEAT, PulseUnit.KICK)
    )
    overlay = next(lane for lane in project.lanes if lane.clips)
    on_overlay = [(overlay.id, cue.hit.time) for cue in schedule(project).lane(overlay.id).cues]
    project = set_cue_clip(project, on_overlay[:3], FootageId(2))
    for trigger, pulse in ((Trigger.STEP, beats), (Trigger.TOGGLE, kicks), (Trigger.FOLLOW, kicks)):
        project = add_lane(project, "glow", pulse)
        project = change_lane(
            project, project.lanes[-1].id, trigger=trigger, by_strength=0.5, n_steps=3, depth=0.9
        )
    follow = replace(Follow(), heard=bytes(range(256)) * 8)
    project = change_lane(project, project.lanes[-1].id, follow=follow)
    project = with_a_lane_of_everything(project, beats)
    for item in [one for track in project.tracks for one in track.items if one.keys]:
        project = put_key(project, item.id, item.end - 4, scale=0.5)
        if isinstance(item.content, TextFill):
            motion = TextMotion("rise", pulse=beats)
            project = change_title(project, item.id, axes=(FaceAxis("wght", 700.0),), arrive=motion)
            project = change_title(project, item.id, impact=Impact(), stand=Standing(), leave=motion)
    lane = next(one for one in project.lanes if one.pulse == kicks)
    project = change_lane(project, lane.id, pick=Pick(pattern=Pattern()))
    shots = tuple(map(dressed_up, project.shots, cycle((Move.TO_END, Move.PUSH, Move.DRIFT))))
    behind = (replace(row, is_behind=True) if isinstance(row, Track) else row for row in project.stack)
    return replace(project, fades=Fades(3.0, 3.0), shots=shots, stack=tuple(behind))


def with_a_lane_of_everything(project, pulse):
    """Return a project with one more lane, of which much is set."""
    curve = (CurvePoint(0.3, 0.8), CurvePoint(0.6, 0.2))
    first, project = project.lanes[0].id, add_lane(project, "flash", pulse)
    lane = project.lanes[-1].id
    project = change_lane(
        project,
        lane,
        pick=Pick(end=15.0, without=first, sections=("B full",)),
        accent=Accent(AccentSound.CLICK),
        alternatives=(EffectInstance("glow", (Setting("strength", 50.0),)),),
        spans=(Span(0.0, 14.0),),
        overrides=(Override(project.song.beats[9].time, taken=True),),
    )
    project = change_envelope(project, lane, rise=6, fall=20, rise_ease=Ease.FREE, rise_curve=curve)
    project = change_envelope(project, lane, fall_ease=Ease.FREE, fall_curve=curve)
    return set_setting(project, lane, Setting("opacity", 60.0, 5.0))


def dressed_up(shot, move):
    """Return a shot that moves, fades, sounds, lies otherwise in another shape, and goes on past its clip."""
    moves = Transform(move=move, scale=0.8, backdrop=Backdrop.COLOUR, end=Framing(0.7, 0.2))
    wide = ShapeTransform(Shape(640, 360), replace(moves, scale=0.6))
    made = replace(shot, transform=moves, other_shapes=(wide,), fade_in=8, fade_out=8)
    strokes = (MatteStroke(0.5, 0.5),)
    match made.content:
        case FootageCut(source_start=start) as cut:
            cut = replace(cut, source_start=start + 5.0, bounds=(1.0, 4.0)) if shot.id % 2 else cut
            subject = made.matte or Matte(end=8.0, marks=(MatteMark(0.4, (0.2, 0.2, 0.7, 0.8), strokes),))
            return replace(made, content=cut, sound=ItemSound(fade_in=9, fade_out=9), matte=subject)
        case Panels() as panels:
            free = tuple(replace(one, box=(0.1, 0.1, 0.5, 0.6)) for one in panels.panels)
            return replace(made, content=replace(panels, panels=free, layout=PanelLayout.FREE))
    return made


def parts_of_film(project, before=None):
    """Yield all that a project becomes: its cues, what is drawn in each shape, and what is heard."""
    cues, mattes = schedule(project, before), mattes_as_if_made(project)
    yield [(cue.frame, cue.strength, cue.envelope) for lane in cues.lanes for cue in lane.cues]
    yield accent_hits(project, cues)
    sound = np.repeat(np.sin(np.arange(16 * _SOUND_RATE) / 7.0)[:, None], 2, 1).astype(np.float32)
    song = sound if project.song is None else shaped_song(sound, _SOUND_RATE, project.song)
    sounds = {one.fingerprint: sound for one in project.footage}
    yield mixed_with_shots(song, project, sounds, _SOUND_RATE).tobytes()
    frames = frames_to_look_at(project, cues)
    yield frames, project.shapes
    for frame in frames:
        yield plan_frame(project, cues, frame, mattes)
    for shape in project.shapes:
        shown = in_shape(project, shape)
        for frame in frames[::5]:
            yield plan_frame(shown, cues, frame)


def frames_to_look_at(project, cues):
    """Return frames all over the film, and of each lane those of some cues; of the last one, of all."""
    of_cues = [[cue.frame for cue in lane.cues] for lane in cues.lanes]
    changed = [cue.frame for lane in cues.lanes for cue in lane.cues if cue.override is not None]
    found = {*range(0, project.n_frames, _STEP), *changed[::3], *of_cues[-1]}
    found |= {frame for some in of_cues for frame in some[:1]}
    return sorted(frame for frame in found if 0 <= frame < project.n_frames)


def mattes_as_if_made(project):
    """Return a film for each matte of a project, called by what it is made of."""
    shown = {one.id: one.fingerprint for one in project.footage}
    shots = (shot for shot in project.shots if shot.matte and shot.footage)
    keys = (matte_key(shown[shot.footage], shot.matte) for shot in shots)
    return {key: f"/{key}.mkv" for key in keys}


def structures(value, path=()):
    """Yield every structure in a value, and the way to it."""
    if isinstance(value, Struct):
        yield value, path
        for name in value.__struct_fields__:
            yield from structures(getattr(value, name), (*path, name))
    elif isinstance(value, tuple):
        for number, one in enumerate(value):
            yield from structures(one, (*path, number))


def structures_of(kind, found):
    """Gather every structure that a type is made of."""
    if isinstance(kind, kinds.StructType) and kind.cls not in found:
        found.add(kind.cls)
        for field in kind.fields:
            structures_of(field.type, found)
    inner = [getattr(kind, name, None) for name in ("type", "item_type", "key_type", "value_type")]
    for one in (*inner, *getattr(kind, "types", ()), *getattr(kind, "item_types", ())):
        if one is not None:
            structures_of(one, found)
    return found


def changed(value, path, made):
    """Return a value in which something else lies at the end of a way."""
    if not path:
        return made
    first, *rest = path
    if isinstance(first, int):
        return (*value[:first], changed(value[first], rest, made), *value[first + 1 :])
    return replace(value, **{first: changed(getattr(value, first), rest, made)})


def others(chance, value, kind, name):
    """Yield other values of a kind: near to one, and any that the document allows."""
    match value:
        case bool():
            yield not value
        case int():
            yield from (value + 1, value - 1, value + 2, value + 10)
        case float():
            yield from (value + 0.05, value * 1.3 + 0.01, value * 0.7, value + 1.5)
        case bytes():
            yield value[::-1]
        case Fraction():
            yield Fraction(24)
        case Struct():
            for one in kinds.type_info(type(value)).fields:
                for other in islice(others(chance, getattr(value, one.name), one.type, one.name), 4):
                    with suppress(ValueError):
                        yield replace(value, **{one.name: other})
        case tuple() if value and isinstance(value[0], Struct):
            yield from (value[:-1], value[1:])
            for other in others(chance, value[0], None, name):
                yield (other, *value[1:])
        case tuple() if value and isinstance(value[0], int | str):
            yield from (value[:-1], value[1:])
    for _ in range(12 if kind else 0):
        with suppress(EditError, ValueError):
            yield chance.of_kind(kind, name)


def by_what_is_set(place, name, usual):
    """Return by what places are tried in order: first those where the field, or another, is not as usual."""
    found, _ = place
    try:
        is_usual = found == type(found)()
    except TypeError:
        is_usual = False
    return getattr(found, name) == usual, is_usual


def made_with(project, path, found, name, value):
    """Return a project in which a structure has another value of a field, or None where that may not be."""
    try:
        made = changed(project, path, replace(found, **{name: value}))
    except ValueError:
        return None
    return None if made == project else made


def is_another(project, film, cues):
    """Whether a project is allowed, and becomes another film."""
    try:
        is_other = any(one != part for one, part in zip(film, parts_of_film(project, cues), strict=False))
    except Exception:
        if is_allowed(project):
            raise
        return False
    return is_other and is_allowed(project)


def is_allowed(project):
    """Whether there may be such a document."""
    try:
        return decode_project(encode_project(project), where="it") == project
    except ProjectFileError:
        return False


def matters(project, film, cues, places, name):
    """Whether a field changes the film, of any structure of a kind and with any of some values."""
    chance = Chance(project, 1)
    about = next(one for one in kinds.type_info(type(places[0][0])).fields if one.name == name)
    usual = next(one.default for one in fields(places[0][0]) if one.name == name)
    places = sorted(places, key=lambda place: by_what_is_set(place, name, usual))
    half = _PLACES // 2
    chosen = places[:half] + places[half :: max(1, len(places) // half)]
    tries = [(place, others(chance, getattr(place[0], name), about.type, name)) for place in chosen]
    for _ in range(_TIMES):
        for (found, path), values in tries:
            for other in islice(values, _VALUES):
                made = made_with(project, path, found, name, other)
                if made is not None and is_another(made, film, cues):
                    return True
    return False


def those_that_matter(project, names):
    """Return the fields of some names that change the film of a project."""
    cues, places = schedule(project), {}
    film = list(parts_of_film(project, cues))
    for found, path in structures(project):
        places.setdefault(type(found), []).append((found, path))
    return {
        (kind.__name__, name)
        for kind in places
        for name in kind.__struct_fields__
        if (kind.__name__, name) in names and matters(project, film, cues, places[kind], name)
    }


def test_every_field_of_the_document_changes_the_film_or_is_said_to_change_none():
    film = a_film_of_everything()
    in_film = {type(found) for found, _ in structures(film)}
    assert structures_of(kinds.type_info(Project), set()) == in_film, "a film of everything has each of them"
    every = {(kind.__name__, name) for kind in in_film for name in kind.__struct_fields__}
    listed = {tuple(name.split(".")) for names in OTHERS.values() for name in names}
    assert listed <= every, "there is no such field"
    idle = every - listed - those_that_matter(film, every - listed)
    # Where a film goes out in several shapes and has moments at hits, size and rate do not change alone.
    assert idle - those_that_matter(a_project(), idle) == set()
