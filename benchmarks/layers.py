"""Whether transitions, overlays and split screens play at full rate, and what each of them costs."""

import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from benchmarks.result import Result, at_least, at_most
from epiphane.demo.project import open_basic_demo
from epiphane.document.envelope import Envelope
from epiphane.document.ids import PulseId
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import BlendMode, PanelLayout
from epiphane.edits.footage import add_footage
from epiphane.edits.keying.lanes import add_lane, change_lane
from epiphane.edits.keying.overlays import add_overlay_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.shots.panels import split_screen
from epiphane.facts.cuts import cuts_of
from epiphane.keying.schedule import schedule
from epiphane.media.probe import probe_footage
from epiphane.media.proxy import ProxyStore
from epiphane.media.shipped import shipped_overlays
from epiphane.render.compose import laid_over
from epiphane.render.draw import draw
from epiphane.render.nodes import FramePlan, Joined, Node, Shown, SourceFrame
from epiphane.render.plan import plan_frame
from epiphane.render.sources import OpenFootage
from epiphane.transitions.declare import TRANSITIONS, Progress

_SIZE, _LARGE = (960, 540), (1920, 1080)
_N_FRAMES = 90
_WORKERS = 2
_LONG = Envelope(45, 0, 45)
"""Of a transition that goes on over all frames that are drawn."""


def measure_layers(folder: Path) -> Iterator[Result]:
    """Lay pictures over one another in every mode; draw every transition; play whole stacks."""
    yield from _blend_modes()
    store = ProxyStore(folder / "proxies")
    demo = open_basic_demo()
    for name in ("ink white", "paper sheets", "leak amber"):
        path = next(one.path for one in shipped_overlays() if one.name == name)
        demo = add_footage(demo, [probe_footage(path)])
    for one in demo.footage:
        store.make(Path(one.path), one.fingerprint)
    yield from _transitions(demo, store)
    yield from _stacks(demo, store)


def _blend_modes() -> Iterator[Result]:
    rng = np.random.default_rng(3)
    below, layer = (rng.integers(0, 256, (_LARGE[1], _LARGE[0], 3), dtype=np.uint8) for _ in range(2))
    for mode in BlendMode:
        took = []
        for _ in range(9):
            begun = time.thread_time()
            laid_over(below, layer, mode, opacity=0.6)
            took.append(1000 * (time.thread_time() - begun))
        yield at_most(f"{mode.value} at 60 % over 1080p", min(took), 8, "ms")


def _transitions(demo: Project, store: ProxyStore) -> Iterator[Result]:
    """Draw every transition in its middle, with its two pictures decoded already."""
    footage = OpenFootage(store)
    nodes = [
        Node(Shown(SourceFrame(one.path, one.fingerprint, one.duration / 2))) for one in demo.footage[:2]
    ]
    for transition in TRANSITIONS.all():
        took = []
        for number in range(12):
            share = 0.4 + 0.02 * number
            values = transition.values_at(())
            progress = Progress(share, 0.09, round(_SIZE[0] / _SIZE[1], 6), 3)
            joined = Joined(transition.key, transition.version, values, progress, nodes[0], nodes[1])
            begun = time.thread_time()
            draw(FramePlan(_SIZE, Node(joined)), footage, _SIZE)
            took.append(1000 * (time.thread_time() - begun))
        yield Result(f"{transition.label} ({transition.key}) a frame of 540p", f"{sorted(took)[6]:.1f} ms")
    footage.close()


def _stacks(demo: Project, store: ProxyStore) -> Iterator[Result]:
    project, bars = ensure_pulse(demo, PulseUnit.BAR)
    modes = (BlendMode.SCREEN, BlendMode.OVERLAY, BlendMode.SOFT_LIGHT)
    overlaid = project
    for clip, mode in zip(project.footage[-3:], modes, strict=True):
        overlaid = _always(add_overlay_lane(overlaid, [clip.id], bars, blend=mode.value))
    project, cuts = ensure_pulse(project, PulseUnit.CUT)
    first = cuts_of(project)[1].frame - _N_FRAMES // 2
    shot = project.shots[2]
    clips = [one.id for one in project.footage[:4]]
    panels = split_screen(project, shot.id, clips, layout=PanelLayout.GRID)
    works = {
        "three overlays over a shot with two lanes": (overlaid, 300),
        "a whip with motion blur": (add_lane(project, "whip", cuts, envelope=_LONG), first),
        "a zoom through": (add_lane(project, "zoom-through", cuts, envelope=_LONG), first),
        "a split screen of four": (panels, shot.start),
    }
    for name, (work, begin) in works.items():
        yield at_least(f"pictures a second of {name}", _rate(work, begin, store), 30, "")


def _always(project: Project) -> Project:
    lane = project.lanes[-1]
    return change_lane(project, lane.id, envelope=Envelope(60, 60, 60), pulse=PulseId(lane.pulse))


def _rate(project: Project, begin: int, store: ProxyStore) -> float:
    """Return how many pictures of a project are drawn a second by two workers, as in a preview."""
    cues = schedule(project)
    plans = [plan_frame(project, cues, begin + n) for n in range(_N_FRAMES)]
    footage = OpenFootage(store)
    with ThreadPoolExecutor(_WORKERS) as workers:
        list(workers.map(lambda plan: draw(plan, footage, _SIZE), plans[:10]))
        begun = time.perf_counter()
        list(workers.map(lambda plan: draw(plan, footage, _SIZE), plans))
        took = time.perf_counter() - begun
    footage.close()
    return len(plans) / took
