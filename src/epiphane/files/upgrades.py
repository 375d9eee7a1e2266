"""Earlier formats of project files, brought to the format of now one after the other."""

from fractions import Fraction
from typing import Any

from epiphane.document.project import FORMAT_VERSION
from epiphane.document.song import PART_KINDS
from epiphane.files.earlier_defaults import with_defaults_before
from epiphane.files.rates import decode_rate
from epiphane.timing import frame_at

_FULL_ENERGY = 0.6  # of parts of formats before 9 that did not say what they are like


def upgraded(raw: dict[str, Any]) -> dict[str, Any]:
    """Return what the JSON of a project of an earlier version is in this one."""
    for version in range(raw["version"], FORMAT_VERSION):
        raw = _UPGRADES[version](raw)
    return raw


def _upgrade_1(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 2 added what is heard beside beats: drums, sections, drops. They may be left out."""
    return raw | {"version": 2}


def _upgrade_2(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 3 lets pulses have other sources than what was heard."""
    pulses = raw.get("pulses")
    if isinstance(pulses, list):
        pulses = [_with_source(pulse) if isinstance(pulse, dict) else pulse for pulse in pulses]
        raw = raw | {"pulses": pulses}
    return raw | {"version": 3}


def _with_source(pulse: dict[str, Any]) -> dict[str, Any]:
    others = {name: value for name, value in pulse.items() if name != "unit"}
    return others | {"source": {"type": "heard", "unit": pulse.get("unit")}}


def _upgrade_3(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 4 says more of footage and shots; all of it may be left out."""
    return raw | {"version": 4}


def _upgrade_4(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 5 has items with contents on tracks, and lanes and tracks as the rows of one stack."""
    raw = dict(raw) | {"version": 5}
    rate = _rate_of(raw.get("rate"))
    if isinstance(raw.get("shots"), list):
        raw["shots"] = [_as_item(shot, rate) if isinstance(shot, dict) else shot for shot in raw["shots"]]
    if "lanes" in raw:
        lanes = raw.pop("lanes")
        rows = [
            {"type": "lane"} | with_trigger(lane) if isinstance(lane, dict) else lane for lane in lanes or ()
        ]
        raw["stack"] = rows if isinstance(lanes, list) else lanes
    if isinstance(raw.get("filling"), dict):
        raw["filling"] = _renamed(raw["filling"], {"beyond": "extend"})
        if raw["filling"].get("stills") == "rest":
            raw["filling"]["stills"] = "none"
    if isinstance(raw.get("pulses"), list):
        raw["pulses"] = [with_combination(pulse) for pulse in raw["pulses"]]
    if "song" in raw:
        raw["song"] = _with_confidence(raw["song"])
    return raw


def _upgrade_5(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 6 says more of the speed of items; all of it may be left out."""
    return raw | {"version": 6}


def _with_confidence(song: Any) -> Any:
    """Return a song of version 4 with the drums' confidence, also beyond its trims, under its name of now."""
    if not isinstance(song, dict):
        return song
    beyond = {side: _with_renamed_drums(song[side]) for side in ("before", "after") if side in song}
    return _with_renamed_drums(song) | beyond


def _with_renamed_drums(part: Any) -> Any:
    drums = part.get("drums") if isinstance(part, dict) else None
    return part | {"drums": _renamed(drums, {"sureness": "confidence"})} if isinstance(drums, dict) else part


def _as_item(shot: dict[str, Any], rate: Fraction | None) -> dict[str, Any]:
    names = {"footage": "footage", "source_start": "source_start", "speed": "speed", "beyond": "extend"}
    names["bounds"] = "bounds"
    item = {name: value for name, value in shot.items() if name not in names}
    item["content"] = {"type": "footage"} | {new: shot[old] for old, new in names.items() if old in shot}
    if isinstance(item.get("framing"), dict):
        transform = _renamed(item.pop("framing"), {"travel": "move", "reach": "amount"})
        item["transform"] = transform | ({"move": "none"} if transform.get("move") == "rest" else {})
    if not _is_pin_inside(item, rate):
        item["pin"] = None
    return item


def _is_pin_inside(item: dict[str, Any], rate: Fraction | None) -> bool:
    """Whether the pin of an item falls within it, as is asked for now; true where it cannot be told."""
    try:
        frame = frame_at(float(item["pin"]["hit"]), rate or Fraction(30))
        return bool(item["start"] <= frame < item["start"] + item["n_frames"])
    except (KeyError, TypeError, ValueError, OverflowError):
        return True


def _rate_of(text: object) -> Fraction | None:
    try:
        return decode_rate(text)
    except ValueError:
        return None


def _renamed(part: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    return {names.get(name, name): value for name, value in part.items()}


def with_trigger(lane: Any) -> Any:
    """Return a lane of version 4 with what a cue does under its name of now."""
    return _renamed(lane, {"way": "trigger"}) if isinstance(lane, dict) else lane


def with_combination(pulse: Any) -> Any:
    """Return a pulse whose source, made of two others, is called combined."""
    source = pulse.get("source") if isinstance(pulse, dict) else None
    if not isinstance(source, dict) or source.get("type") != "blend":
        return pulse
    return pulse | {"source": source | {"type": "combined"}}


def _upgrade_6(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 7 has transitions, spans and aims of lanes, and more on tracks; all of it may be left out."""
    return raw | {"version": 7}


def _upgrade_7(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 8 tells what the user set of the song's form, and has other names for two looks."""
    raw = dict(raw) | {"version": 8}
    if isinstance(raw.get("shots"), list):
        raw["shots"] = [with_trembling(item) for item in raw["shots"]]
    if isinstance(raw.get("stack"), list):
        raw["stack"] = [with_edge_pulls(_with_trembling_items(row)) for row in raw["stack"]]
    return raw


def _with_trembling_items(row: Any) -> Any:
    items = row.get("items") if isinstance(row, dict) else None
    return row | {"items": [with_trembling(item) for item in items]} if isinstance(items, list) else row


def with_trembling(holder: Any) -> Any:
    """Return an item, or a lane, of version 7 with the name of now for what a standing title does."""
    for name in ("content", "words"):
        content = holder.get(name) if isinstance(holder, dict) else None
        stand = content.get("stand") if isinstance(content, dict) else None
        if isinstance(content, dict) and isinstance(stand, dict):
            holder = holder | {name: content | {"stand": _renamed(stand, {"wiggle": "tremble"})}}
    return holder


def with_edge_pulls(lane: Any) -> Any:
    """Return a lane of version 7 with the name of now for a transition, and hard seams where it had them."""
    if not isinstance(lane, dict):
        return lane
    lane = with_trembling(_with_edge_pull(lane))
    for name in ("alternatives", "overrides"):
        if isinstance(lane.get(name), list):
            lane = lane | {name: [_with_edge_pull(one) for one in lane[name]]}
    return lane


def _with_edge_pull(instance: Any) -> Any:
    """Return an effect with settings whose motion blur and seam are as they were without a word of them."""
    if not isinstance(instance, dict) or instance.get("effect") not in ("smear", "push"):
        return instance
    settings = instance.get("settings", [])
    said = (
        {one.get("name") for one in settings if isinstance(one, dict)} if isinstance(settings, list) else ()
    )
    unsaid = [{"name": name, "peak": 0.0, "rest": 0.0} for name in ("shutter", "seam") if name not in said]
    key = "edge-pull" if instance["effect"] == "smear" else "push"
    changed = instance | {"effect": key}
    return changed | {"settings": [*settings, *unsaid]} if isinstance(settings, list) else changed


def _upgrade_8(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 9 says what a part of the song is like in a field of its own, not in its label."""
    raw = dict(raw) | {"version": 9}
    song = raw.get("song")
    if not isinstance(song, dict):
        return raw
    renamed: dict[str, dict[str, None]] = {}
    song = with_kinds_of_parts(song, renamed)
    for name in ("before", "after"):
        if isinstance(song.get(name), dict):
            song = song | {name: with_kinds_of_parts(song[name], renamed)}
    raw["song"] = song
    if isinstance(raw.get("stack"), list):
        raw["stack"] = [_picked_anew(row, renamed) for row in raw["stack"]]
    return raw


def _upgrade_9(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 10 knows the stops of a song as a pulse."""
    return raw | {"version": 10}


def _upgrade_10(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 11 may mix linear light, has one shutter for a film, and bolder effects."""
    if isinstance(raw.get("stack"), list):
        raw = raw | {"stack": [with_defaults_before(11, row) for row in raw["stack"]]}
    return raw | {"version": 11}


def _upgrade_11(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 12 adds light as a blend mode, lights the edges of wipes, and blurs by the discs of a lens."""
    if isinstance(raw.get("stack"), list):
        rows = [with_landings_before_12(with_defaults_before(12, row)) for row in raw["stack"]]
        raw = raw | {"stack": rows}
    return raw | {"version": 12}


def with_landings_before_12(said: Any) -> Any:
    """Return JSON in which the weight of every title says what it did by itself before version 12."""
    if isinstance(said, list):
        return [with_landings_before_12(one) for one in said]
    if not isinstance(said, dict):
        return said
    made = {name: with_landings_before_12(one) for name, one in said.items()}
    if isinstance(made.get("impact"), dict):
        made["impact"] = {"particles": 90, "lines": 16, "filmed": False, "light": 0.0, "shock": 0.0} | made[
            "impact"
        ]
    return made


def with_kinds_of_parts(heard: dict[str, Any], renamed: dict[str, dict[str, None]]) -> dict[str, Any]:
    """Return a song, or what is cut off it, of version 8 with parts of version 9; labels are noted."""
    sections = heard.get("sections")
    if not isinstance(sections, list):
        return heard
    made = []
    for section in sections:
        match section:
            case [start, end, str(label), float() | int() as energy, *rest]:
                name, _, word = label.rpartition(" ")
                if word not in (*PART_KINDS, "middle") or not name:
                    name, word = label, "middle"
                kind = word if word in PART_KINDS else "full" if energy > _FULL_ENERGY else "calm"
                renamed.setdefault(label, {})[f"{name} {kind}"] = None
                made.append([start, end, name, kind, energy, *rest])
            case _:
                made.append(section)
    return heard | {"sections": made}


def _picked_anew(row: Any, renamed: dict[str, dict[str, None]]) -> Any:
    pick = row.get("pick") if isinstance(row, dict) else None
    if not isinstance(pick, dict) or not isinstance(pick.get("sections"), list):
        return row
    labels = [new for one in pick["sections"] for new in renamed.get(str(one), (one,))]
    return row | {"pick": pick | {"sections": labels}}


_UPGRADES = dict(
    enumerate(
        (
            _upgrade_1,
            _upgrade_2,
            _upgrade_3,
            _upgrade_4,
            _upgrade_5,
            _upgrade_6,
            _upgrade_7,
            _upgrade_8,
            _upgrade_9,
            _upgrade_10,
            _upgrade_11,
        ),
        start=1,
    )
)
