"""Kills a process again and again while it edits, saves and recovers; run by `test_journal.py`.

Each process says over a pipe what it has finished before it goes on. Whatever instant it dies at, what is
offered afterwards, over what was saved, is the last edit that it finished or the one it was at.
"""

import os
import random
import signal
import sys
import time
from pathlib import Path

from helpers import a_project
from msgspec.structs import replace

from epiphane.document.project import with_lanes
from epiphane.errors import ProjectFileError
from epiphane.files.journal import Journals
from epiphane.files.project import load_project, read_project, save_project


def work(folder, start, told, seed):
    """Open the project, bring lost work back, and edit and save until killed; say the number of each edit."""
    journals, path = Journals(folder / "journals"), folder / "edit.epiphane"
    opened = read_project(path)
    project, digest = opened.project, opened.digest
    journal = journals.claim(path, digest)
    lost = journals.lost_of(journal, digest)
    if lost:
        project = lost[0].project
        journal.append(project)
        for one in lost:
            journals.forget(one)
    chance = random.Random(seed)
    for number in range(start, start + 100_000):
        lane = replace(project.lanes[0], seed=number % 1_000_000)
        project = with_lanes(project, name=f"state {number}", lanes=(lane, *project.lanes[1:]))
        journal.append(project)
        if chance.random() < 0.1:
            journal.clear(save_project(project, path))
        os.write(told, b"%d\n" % number)


def main(folder, n_deaths):
    """Let processes die; exit with a message where anything was lost."""
    path = folder / "edit.epiphane"
    save_project(replace(a_project(), name="state 0"), path)
    chance, finished = random.Random(7), 0
    for death in range(n_deaths):
        heard, told = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(heard)
            work(folder, finished + 1, told, death)
        os.close(told)
        time.sleep(chance.random() * 0.05)
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        with os.fdopen(heard, "rb") as lines:
            numbers = [int(line) for line in lines.read().splitlines(keepends=True) if line.endswith(b"\n")]
        finished = max([finished, *numbers])
        found = state(folder, path)
        if found not in (finished, finished + 1):
            sys.exit(f"death {death}: edit {finished} was finished, {found} is offered")
        finished = found
    print(finished)


def state(folder, path):
    """Return the number of the edit that a window would show after what is offered was brought back."""
    journals = Journals(folder / "journals")
    try:
        saved = load_project(path)
    except ProjectFileError as error:
        sys.exit(f"the project was damaged: {error}")
    held = journals.claim(path)
    lost = journals.lost_of(held, None)
    numbers = [int(saved.name.split()[1]), *(int(work.project.name.split()[1]) for work in lost[:1])]
    held.abandon()
    return max(numbers)


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
