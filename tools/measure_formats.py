"""Measure how large and how quick every format is for the demo: ``python tools/measure_formats.py``.

Five seconds of it about the drop are written at 1280x720, with the best quality; what comes of it is kept for
the table of `docs/formats.md`.
"""

import json
import sys
import tempfile
import time
from pathlib import Path

from epiphane.demo.project import open_demo
from epiphane.exporting.export import export
from epiphane.formats.declare import FORMATS, FilmOutput, PictureOutput
from epiphane.formats.settings import ExportSettings

MEASURED = Path(__file__).parent.parent / "docs" / "formats-measured.json"
_FRAMES = range(210, 360)


def main() -> None:
    """Measure all formats and keep the figures."""
    project = open_demo()
    seconds = len(_FRAMES) / float(project.rate)
    found: dict[str, dict[str, float]] = {}
    for form in FORMATS.all():
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"film{form.endings[0] if form.endings else ''}"
            started = time.process_time()
            export(project, path, settings=ExportSettings(form.key), frames=_FRAMES)
            taken = time.process_time() - started
            files = list(path.iterdir()) if path.is_dir() else [path]
            n_bytes = sum(file.stat().st_size for file in files)
        is_still = isinstance(form.output, PictureOutput) and not form.output.is_sequence
        found[form.key] = {
            "megabytes": round(n_bytes / 1e6 / (1 if is_still else seconds), 3),
            "seconds": round(taken / (1 if is_still else seconds), 2),
        }
        sys.stdout.write(f"{form.key}: {found[form.key]}\n")
    usual = found["h264-mp4"]["seconds"]
    for form in FORMATS.all():
        if isinstance(form.output, FilmOutput):
            found[form.key]["of_usual"] = round(found[form.key]["seconds"] / usual, 2)
    MEASURED.write_text(json.dumps(found, indent=1) + "\n")


if __name__ == "__main__":
    main()
