"""The demo's project: its shots pinned by eye, so that every impact falls on a beat."""

import json
from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from epiphane.audio.cache import hear_song
from epiphane.demo import MEDIA, PROJECT_FILE, SONG_FILE
from epiphane.document.envelope import Envelope
from epiphane.document.ids import FootageId, LaneId
from epiphane.document.lane import Setting, Span
from epiphane.document.project import Project, new_project
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import Pin
from epiphane.document.titles import Impact, Shadow, Standing, TextFill, TextMotion, TextUnit
from epiphane.edits.footage import add_footage, learn_of_footage
from epiphane.edits.items.titles import put_title
from epiphane.edits.items.tracks import change_item
from epiphane.edits.keying.cues import CueKey, nudge_cues, set_cue_strength, toggle_cues
from epiphane.edits.keying.lanes import add_lane, add_lasting_lane, change_envelope, change_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.shots.cutting import stretch_shot
from epiphane.edits.shots.shots import cutting_hits, footage_name, lay_in_row, pin_shot
from epiphane.edits.song.song import set_song
from epiphane.facts.grid import bars_of
from epiphane.files.project import load_project, save_project
from epiphane.media.probe import probe_footage
from epiphane.media.search import search_clip
from epiphane.timing import frame_at
from epiphane.transitions.declare import TRANSITIONS

CLIPS_FILE = MEDIA / "clips.truth.json"
NAME = "Marble run, drop cut"

# Clip, bars it lasts, and the beat of the shot (from 0) on which its impact falls.
_ROW = (
    ("rails", 2, 6),
    ("tower", 2, 6),
    ("bucket", 2, 4),
    ("dominoes", 2, 4),
    ("chimes", 1, 2),
    ("seesaw", 1, 1),
    ("rails", 1, 2),
    ("tower", 1, 2),
    ("chimes", 2, 4),
)
_CALM_BARS, _FULL_BARS = range(1, 5), range(8, 13)


def open_demo() -> Project:
    """Return the demo as it is shipped.

    Raises
    ------
    EpiphaneError
        If its files are not there.
    """
    return load_project(PROJECT_FILE)


def open_basic_demo() -> Project:
    """Return the demo cut to its song and keyed with a flash and a zoom, without what else dresses it."""
    project = open_demo()
    flash, zoom = project.lanes[:2]
    pulses = [one for one in project.pulses if one.id in (flash.pulse, zoom.pulse)]
    return replace(project, stack=(flash, zoom), pulses=tuple(pulses))


def make_demo_project() -> Project:
    """Listen to the song, gather the clips, cut and key them, and save the project beside them."""
    project = set_song(new_project(NAME), hear_song(SONG_FILE).as_song())
    project = add_footage(project, [probe_footage(path) for path in sorted(MEDIA.glob("*.mp4"))])
    for one in project.footage:
        project = learn_of_footage(project, one.fingerprint, search_clip(Path(one.path)))
    project = _dressed(_keyed(_cut(project)))
    save_project(project, PROJECT_FILE)
    return project


def _cut(project: Project) -> Project:
    impacts = {name: clip["impact"] for name, clip in json.loads(CLIPS_FILE.read_text()).items()}
    by_name = {footage_name(footage): footage.id for footage in project.footage}
    for name, n_bars, impact_beat in _ROW:
        footage: FootageId = by_name[name]
        project = lay_in_row(project, [footage])
        shot = project.shots[-1].id
        project = stretch_shot(project, shot, n_beats=4 * n_bars)
        hits = [
            hit
            for hit in cutting_hits(project)
            if frame_at(hit.time, project.rate) >= project.shots[-1].start
        ]
        project = pin_shot(project, shot, Pin(impacts[name], hits[impact_beat].time))
    return project


def _keyed(project: Project) -> Project:
    beats, bars = (pulse.id for pulse in project.pulses[:2])
    project = add_lane(add_lane(project, "flash", bars), "zoom", beats)
    flash, zoom = (lane.id for lane in project.lanes)
    project = change_envelope(project, flash, rise=2, fall=11)
    project = change_envelope(project, zoom, rise=2, hold=1, fall=8)
    project = change_lane(project, zoom, wander=0.25, seed=7)
    calm = _cues(project, zoom, _CALM_BARS, range(1, 4)) + _cues(project, zoom, range(13, 15), range(1, 4))
    project = toggle_cues(project, calm)
    project = set_cue_strength(project, _cues(project, zoom, _CALM_BARS, range(1)), 0.45)
    project = set_cue_strength(project, _cues(project, flash, [*_CALM_BARS, 13], range(1)), 0.4)
    project = set_cue_strength(project, _cues(project, zoom, _FULL_BARS, range(1)), 1.5)
    return nudge_cues(project, _cues(project, zoom, [12], [3]), -1)


class _Laid(NamedTuple):
    """A lane of the dressing: its effect, what fires it, over which bars, its frames and values."""

    effect: str
    unit: PulseUnit
    bars: tuple[tuple[int, int], ...]
    frames: tuple[int, int, int]
    values: tuple[Setting, ...] = ()
    every: int = 1


_LAST_BAR = 15
_LAID = (
    _Laid("blur", PulseUnit.BAR, ((1, 2),), (0, 0, 60), (Setting("radius", 3.0, 0.0),)),
    _Laid("light-leak", PulseUnit.BAR, ((3, 4), (13, _LAST_BAR)), (10, 8, 46)),
    _Laid("shatter", PulseUnit.DROP, ((5, 6),), (0, 6, 22)),
    _Laid("prism", PulseUnit.BAR, ((5, 12),), (0, 1, 12), (Setting("reach", 8.0, 0.0),), 2),
    _Laid("light-streaks", PulseUnit.SNARE, ((5, 8),), (0, 1, 11), (Setting("strength", 260.0, 0.0),)),
    _Laid("neon-outline", PulseUnit.SNARE, ((9, 12),), (0, 2, 10)),
)
_LASTING = (("depth-parallax", (1, 4)),)
_CUTS = (
    ("dissolve", (1, 4), (10, 10)),
    ("whip", (5, 12), (5, 6)),
    ("burn-through", (13, _LAST_BAR), (10, 12)),
)
_TITLE = "ROLL ON"


def _dressed(project: Project) -> Project:
    """Return the demo dressed by hand: a soft beginning, a drop that breaks, an old reel at the end."""
    starts = {bar.number: bar.start for bar in bars_of(project)}

    def span(bars: tuple[int, int]) -> Span:
        assert project.song is not None
        # A hair before the bar, so that its first hit is in it, and not that of the bar after the last.
        end = starts.get(bars[1] + 1, project.song.duration + 1)
        return Span(max(0.0, round(starts[bars[0]] - 0.05, 6)), round(end - 0.05, 6))

    for one in _LAID:
        project, pulse = ensure_pulse(project, one.unit, every=one.every)
        rise, hold, fall = (float(frames) for frames in one.frames)
        project = add_lane(project, one.effect, pulse, envelope=Envelope(rise, hold, fall))
        lane = project.lanes[-1].id
        project = change_lane(
            project, lane, spans=tuple(span(bars) for bars in one.bars), settings=one.values
        )
    for key, bars in _LASTING:
        project, pulse = ensure_pulse(project, PulseUnit.BEAT)
        project = add_lasting_lane(project, key, pulse, span(bars))
    project, cuts = ensure_pulse(project, PulseUnit.CUT)
    for key, bars, (before, after) in _CUTS:
        project = add_lane(project, key, cuts, envelope=TRANSITIONS.named(key).envelope)
        lane = project.lanes[-1].id
        project = change_envelope(project, lane, rise=before, fall=after)
        project = change_lane(project, lane, spans=(span(bars),))
    fill = TextFill(
        _TITLE,
        size=0.3,
        shadow=Shadow(),
        arrive=TextMotion("slam", 8, TextUnit.BLOCK),
        impact=Impact(shock=0.8),
        stand=Standing(grow=0.02),
        leave=TextMotion("shards", 14),
    )
    assert project.song is not None
    project, title = put_title(project, fill, 0, hit=project.song.drops[0])
    return change_item(project, title, n_frames=_TITLE_FRAMES)


_TITLE_FRAMES = 70


def _cues(project: Project, lane: LaneId, bars: range | list[int], places: range | list[int]) -> list[CueKey]:
    """Return the cues of a lane on some beats (from 0) of some bars (by number)."""
    return [
        (lane, bar.beats[place])
        for bar in bars_of(project)
        if bar.number in bars
        for place in places
        if place < len(bar.beats)
    ]
