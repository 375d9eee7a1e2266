"""What it costs that nothing is lost: an edit in the journal, its size, and what is read after a crash."""

import time
from collections.abc import Iterator
from pathlib import Path

from msgspec.structs import replace

from benchmarks.keying import song_with_taps
from benchmarks.result import Result, at_most
from epiphane.document.laws import broken_laws, oversizes
from epiphane.document.pulse import TappedSource
from epiphane.edits.keying.cues import nudge_cues
from epiphane.edits.keying.lanes import change_envelope
from epiphane.files.journal import Journals
from epiphane.files.project import encode_compactly

_N_CUES, _N_EDITS = 50_000, 300


def measure_safety(folder: Path) -> Iterator[Result]:
    """Keep 300 edits of a project with 50,000 cues, and bring them back."""
    project = song_with_taps(_N_CUES)
    taps = project.pulses[0].source
    assert isinstance(taps, TappedSource)
    lane, hits = project.lanes[0].id, [hit.time for hit in taps.hits[: 2 * _N_EDITS]]
    whole, whole_size = _timed(lambda: encode_compactly(project)), len(encode_compactly(project))
    journals = Journals(folder / "unsaved")
    journal = journals.claim(folder / "edit.epiphane")
    seconds = []
    for number in range(_N_EDITS):
        if number % 3:
            project = nudge_cues(project, [(lane, hits[number])], 1)
        else:
            project = change_envelope(project, lane, fall=5 + number % 20)
        now = project
        seconds.append(_timed(lambda now=now: journal.append(now)))
    seconds.sort()
    size = (journal.folder / "journal").stat().st_size
    journal.abandon()
    middle, late = seconds[len(seconds) // 2], seconds[round(0.95 * len(seconds))]
    yield at_most("an edit of 50,000 cues kept, of writing the whole", middle / whole, 1.0, "times")
    yield at_most("the same, 95 of 100", 1000 * late, 20, "ms")
    yield at_most(f"{_N_EDITS} edits on the disk", size / whole_size, 4, "projects")
    held = journals.claim(folder / "edit.epiphane")
    started = time.perf_counter()
    (lost,) = journals.lost_of(held, None)
    yield at_most("brought back", time.perf_counter() - started, 2, "s")
    assert replace(lost.project, song=project.song) == project
    held.close()
    laws = _timed(lambda: [*broken_laws(project), *oversizes(project)])
    yield at_most("the laws of the whole document", 1000 * laws, 50, "ms")
    yield at_most("what is looked at in every edit", 1000 * _timed(lambda: [*oversizes(project)]), 2, "ms")


def _timed(work: object) -> float:
    assert callable(work)
    started = time.perf_counter()
    work()
    return time.perf_counter() - started
