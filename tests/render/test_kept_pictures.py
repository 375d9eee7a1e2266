"""Kept projects look as they did: their pictures are those whose checksums were kept.

After a change that is meant to be seen, ``python tests/render/test_kept_pictures.py`` keeps the new ones.
"""

import json
import sys
import zlib
from pathlib import Path

import cv2
import numpy as np
import pytest

from epiphane.files.project import load_project
from epiphane.keying.schedule import schedule
from epiphane.render.draw import draw, draw_planes
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage

KEPT = Path(__file__).parents[1] / "kept"
CHECKSUMS = KEPT / "pictures.json"
SIZES = ((160, 90), (62, 34))
# Frames of each project: on the peak and after it of every effect; all that the stacks go through.
FRAMES = {"effects": sorted([*range(0, 660, 15), *range(3, 660, 15)]), "stacks": [*range(0, 340, 4)]}


def pictures(name):
    """Yield what is drawn of a kept project: its pictures, and the planes that a film gets."""
    project = load_project(KEPT / f"{name}.epiphane")
    cues, footage = schedule(project), OpenFootage()
    try:
        for frame in FRAMES[name]:
            plan = plan_frame(project, cues, frame)
            for size in SIZES:
                yield f"{frame} at {size}", [draw(plan, footage, size), *draw_planes(plan, footage, size)]
    finally:
        footage.close()
    assert footage.faults() == []


def kept_of(name):
    """Return the checksum and the mean level of each."""
    return {
        place: [zlib.crc32(b"".join(part.tobytes() for part in parts)), round(float(parts[0].mean()), 2)]
        for place, parts in pictures(name)
    }


@pytest.mark.parametrize("name", FRAMES)
def test_kept_projects_look_as_they_did(name):
    kept, now = json.loads(CHECKSUMS.read_text()), kept_of(name)
    assert now.keys() == kept[name].keys()
    changed = [place for place, (checksum, _) in now.items() if checksum != kept[name][place][0]]
    if kept["processor"] == cv2.getCPUFeaturesLine():
        assert changed == []
    # Another processor may round otherwise here and there, and no more than that.
    apart = [abs(now[place][1] - kept[name][place][1]) for place in changed]
    assert np.max(apart, initial=0) < 0.5
    assert len({checksum for checksum, _ in now.values()}) > len(now) / 2  # they do not all look alike


if __name__ == "__main__":
    content = {"processor": cv2.getCPUFeaturesLine()} | {name: kept_of(name) for name in FRAMES}
    CHECKSUMS.write_text(json.dumps(content, indent=0) + "\n")
    sys.stdout.write(f"{CHECKSUMS}\n")
