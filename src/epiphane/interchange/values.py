"""What every lane does on every frame, for scripts of other programs: levels and values of effects."""

import csv
import io
import json
from typing import Any

from epiphane.document.ids import LaneId
from epiphane.document.project import Project
from epiphane.interchange.declare import Interchange, declare_interchange
from epiphane.keying.schedule import schedule
from epiphane.render.plan import effect_values
from epiphane.timing import frame_start
from epiphane.wording import tr


def lane_values(project: Project) -> list[dict[str, Any]]:
    """Return each lane with its level and the values of its effect, a list of one for each frame.

    A value is null on frames on which the effect does nothing.
    """
    cues = schedule(project)
    made: dict[LaneId, dict[str, Any]] = {
        one.lane.id: {
            "name": one.lane.name or one.lane.effect,
            "effect": one.lane.effect,
            "level": [round(float(level), 6) for level in one.levels[: project.n_frames]],
            "values": {},
        }
        for one in cues.lanes
    }
    for frame in range(project.n_frames):
        for lane, values in effect_values(project, cues, frame).items():
            for name, value in values:
                column = made[lane]["values"].setdefault(name, [None] * project.n_frames)
                column[frame] = value
    return list(made.values())


def values_json(project: Project) -> bytes:
    """Return the values of every frame as JSON, UTF-8."""
    content = {
        "rate": str(project.rate),
        "size": [project.width, project.height],
        "n_frames": project.n_frames,
        "lanes": lane_values(project),
    }
    return json.dumps(content, ensure_ascii=False).encode() + b"\n"


def values_csv(project: Project) -> bytes:
    """Return the values of every frame as a table, UTF-8: a row a frame, a column a value."""
    lanes = lane_values(project)
    columns = {}
    for number, lane in enumerate(lanes, start=1):
        label = f"{number} {lane['name']}"
        columns[f"{label} level"] = lane["level"]
        columns |= {f"{label} {name}": values for name, values in lane["values"].items()}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["frame", "time", *columns])
    for frame in range(project.n_frames):
        values = ("" if column[frame] is None else column[frame] for column in columns.values())
        writer.writerow([frame, repr(frame_start(frame, project.rate)), *values])
    return out.getvalue().encode()


declare_interchange(
    Interchange(
        "values",
        tr("Values a frame (JSON)"),
        (".json",),
        tr("the level of every lane and the values of its effect on every frame"),
        values_json,
    )
)
declare_interchange(
    Interchange(
        "values-csv",
        tr("Values a frame (CSV)"),
        (".csv",),
        tr("the same as a table, a row a frame"),
        values_csv,
    )
)
