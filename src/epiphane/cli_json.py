"""What the command line writes as JSON: what was heard in a song, and the plan of a project."""

from fractions import Fraction
from pathlib import Path
from typing import Any

import click
import msgspec

from epiphane.audio.heard import Listening
from epiphane.document.lane import Override
from epiphane.document.project import Project
from epiphane.document.song import BANDS, DRUMS
from epiphane.document.timeline import FootageCut, Item, Track
from epiphane.document.titles import TitleLook
from epiphane.facts.titles import landing_frame
from epiphane.keying.schedule import Cue, schedule
from epiphane.timing import frame_at

_FILE = click.Path(path_type=Path)


def listening_as_json(listening: Listening) -> dict[str, Any]:
    """Return what was heard in a song; times are in seconds from its first sample."""
    return {
        "duration": listening.duration,
        "tempo": listening.tempo,
        "beats_per_bar": listening.beats_per_bar,
        "beats": [beat.time for beat in listening.beats],
        "downbeats": [beat.time for beat in listening.beats if beat.place == 1],
        "sureness": [beat.confidence for beat in listening.beats],
        "is_steady": listening.is_steady,
        "pulses": {
            name: [{"time": hit.time, "strength": hit.strength} for hit in listening.drums.heard(name)]
            for name in (*DRUMS, *BANDS)
        },
        "drum_sureness": dict(zip(DRUMS, listening.drums.confidence, strict=True)),
        "sections": [
            {"start": section.start, "end": section.end, "label": section.label, "energy": section.energy}
            for section in listening.sections
        ],
        "drops": list(listening.drops),
    }


def plan_as_json(project: Project) -> dict[str, Any]:
    """Return the frame of every cue, cut, transition and item of a project."""
    pulses = {pulse.id: pulse.name for pulse in project.pulses}
    footage = {one.id: Path(one.path).name for one in project.footage}
    return {
        "rate": str(project.rate),
        "size": [project.width, project.height],
        "n_frames": project.n_frames,
        "lanes": [
            {
                "id": one.lane.id,
                "effect": one.lane.effect,
                "pulse": pulses.get(one.lane.pulse),
                "cues": [_cue_as_json(cue) for cue in one.cues],
            }
            for one in schedule(project).lanes
        ],
        "transitions": [
            {"transition": one.transition.key, "cut": one.cut.frame, "first": one.first, "end": one.end}
            for one in schedule(project).transitions
        ],
        "cuts": [
            _shot_as_json(shot, shot.content, footage.get(shot.content.footage), project.rate)
            for shot in project.shots
            if isinstance(shot.content, FootageCut)
        ],
        "items": [
            _item_as_json(track, item, project.rate) for track in project.tracks for item in track.items
        ],
    }


def _shot_as_json(shot: Item, cut: FootageCut, footage: str | None, rate: Fraction) -> dict[str, Any]:
    pin = shot.pin
    return {
        "frame": shot.start,
        "n_frames": shot.n_frames,
        "footage": footage,
        "source": cut.source_start,
        "speed": msgspec.to_builtins(cut.speed),
        "moment": None
        if pin is None
        else {"source": pin.moment, "hit": pin.hit, "frame": frame_at(pin.hit, rate)},
    }


def _item_as_json(track: Track, item: Item, rate: Fraction) -> dict[str, Any]:
    return {
        "track": track.id,
        "frame": item.start,
        "n_frames": item.n_frames,
        "content": item.content.__struct_config__.tag,
        "landing_frame": _landing_of(item, rate),
    }


def _landing_of(item: Item, rate: Fraction) -> int | None:
    """Return the frame on which the moment of an item is, or a text has arrived; None where it has none."""
    if isinstance(item.content, TitleLook):
        return landing_frame(item, rate)
    return None if item.pin is None else frame_at(item.pin.hit, rate)


def _cue_as_json(cue: Cue) -> dict[str, Any]:
    return {
        "hit": cue.hit.time,
        "frame": cue.frame,
        "strength": round(cue.strength, 6),
        "override": _override_as_json(cue.override),
    }


def _override_as_json(override: Override | None) -> dict[str, Any] | None:
    if override is None:
        return None
    return {
        "off": override.off,
        "strength": override.strength,
        "nudge": override.nudge,
        "taken": override.taken,
        "effect": override.effect,
        "has_own_envelope": override.envelope is not None,
        "values": {setting.name: setting.peak for setting in override.settings},
    }
