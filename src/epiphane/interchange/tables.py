"""Hits, cues and cuts as a table of comma-separated values, and hits back as pulses."""

import csv
import io
import math
from collections.abc import Iterator
from pathlib import Path

from epiphane.disk import read_file, short_name
from epiphane.document.project import Project
from epiphane.document.pulse import TappedSource
from epiphane.document.song import MOST_HITS, Hit
from epiphane.edits.keying.pulses import add_pulse
from epiphane.errors import DiskError, MediaError
from epiphane.facts.hits import hit_context_of, hits_of
from epiphane.interchange.declare import Interchange, Reading, declare_interchange
from epiphane.keying.schedule import schedule
from epiphane.timing import frame_at, frame_start
from epiphane.wording import tr

_COLUMNS = ("kind", "name", "effect", "time", "frame", "strength")
_MOST_BYTES = 64 << 20


def hits_table(project: Project) -> bytes:
    """Return a table, UTF-8, of every hit, cue and cut: times in seconds of the song, exact, and frames."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    writer.writerows(_rows(project))
    return out.getvalue().encode()


def _rows(project: Project) -> Iterator[tuple[object, ...]]:
    context, rate = hit_context_of(project), project.rate
    for pulse in project.pulses:
        for hit in hits_of(pulse, context):
            yield "hit", pulse.name, "", repr(hit.time), frame_at(hit.time, rate), repr(hit.strength)
    for lane_cues in schedule(project).lanes:
        lane = lane_cues.lane
        for cue in lane_cues.cues:
            place = repr(cue.hit.time), cue.frame, repr(round(cue.strength, 6))
            yield "cue", lane.name or lane.effect, lane.effect, *place
    for shot in project.shots:
        yield "cut", "", "", repr(frame_start(shot.start, rate)), shot.start, ""


def read_hits_table(path: Path) -> Reading:
    """Return the hits of a table as pulses of their own; other rows are left out.

    Raises
    ------
    MediaError
        If it is no such table, or there is no hit in it.
    """
    try:
        text = read_file(path, most_bytes=_MOST_BYTES).decode("utf-8-sig")
        rows = list(csv.DictReader(io.StringIO(text)))
    except (DiskError, UnicodeDecodeError, csv.Error) as error:
        raise MediaError(tr("{name} cannot be read: {error}", name=short_name(path), error=error)) from None
    pulses: dict[str, set[Hit]] = {}
    n_bad = 0
    for row in rows:
        if row.get("kind", "hit") != "hit":
            continue
        try:
            time, strength = float(row.get("time") or "nan"), float(row.get("strength") or 1)
        except ValueError:
            time = strength = math.nan
        if not (math.isfinite(time) and time >= 0 and 0 <= strength <= 1):
            n_bad += 1
            continue
        pulses.setdefault((row.get("name") or tr("hits"))[:100], set()).add(Hit(time, strength))
    if not pulses:
        raise MediaError(
            tr(
                "{name} has no hits in it: it takes a table with the columns kind, name, time and strength.",
                name=short_name(path),
            )
        )
    remarks = [tr("{count} rows are no hits and are left out.", count=n_bad)] if n_bad else []
    return Reading(lambda project: with_pulses(project, pulses), tuple(remarks))


def with_pulses(project: Project, pulses: dict[str, set[Hit]]) -> Project:
    """Return `project` with further pulses of hits that were made elsewhere, by name."""
    for name, hits in pulses.items():
        ordered = sorted({hit.time: hit for hit in hits}.values(), key=lambda hit: hit.time)
        project, _ = add_pulse(project, TappedSource(tuple(ordered[:MOST_HITS])), name=name)
    return project


declare_interchange(
    Interchange(
        "csv",
        tr("Hits and cuts (CSV)"),
        (".csv",),
        tr("hits, cues and cuts by time and frame; hits come back as pulses"),
        hits_table,
        read_hits_table,
    )
)
