"""Reads harmed pictures and sounds in a process that may die of them; run by `test_fuzzing.py`.

Says what it is about to read, so that who started it knows what it died of.
"""

import signal
import sys
from pathlib import Path

import numpy as np
from fuzzing.mutations import mutated_bytes

from epiphane.audio.samples import read_samples
from epiphane.document.footage import FootageKind
from epiphane.errors import EpiphaneError
from epiphane.media.probe import probe_footage
from epiphane.render.draw import draw
from epiphane.render.nodes import Shown, SourceFrame, plan_of
from epiphane.render.sources import OpenFootage

SECONDS = 60


def look_at(path):
    """Find out what a file is and show some of it; a fault of it is a sentence."""
    try:
        facts = probe_footage(path)
    except EpiphaneError as error:
        assert str(error).endswith("."), error
        assert len(str(error)) < 300, error
        return
    if facts.kind is FootageKind.SOUND:
        try:
            assert np.isfinite(read_samples(path).data).all()
        except EpiphaneError as error:
            assert len(str(error)) < 300, error
        return
    footage = OpenFootage()
    try:
        for share in (0.0, 0.5, 1.0):
            source = SourceFrame(str(path), facts.fingerprint, share * facts.duration)
            assert draw(plan_of(Shown(source), (64, 36)), footage, (64, 36)).shape == (36, 64, 3)
    finally:
        footage.close()


def main(folder, first, n_seeds):
    """Harm each file of a folder by some seeds, and look at it."""
    originals = [(path, path.read_bytes()) for path in sorted(folder.iterdir())]
    for seed in range(first, first + n_seeds):
        path, content = originals[seed % len(originals)]
        target = folder / f"harmed{path.suffix}"
        target.write_bytes(mutated_bytes(content, seed))
        print(seed, path.name, flush=True)
        signal.alarm(SECONDS)
        look_at(target)
        signal.alarm(0)
        target.unlink()


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]))
