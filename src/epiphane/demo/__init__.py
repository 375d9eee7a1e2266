"""The demo: a song and clips of a workshop of marble runs, all made in code."""

from pathlib import Path

MEDIA = Path(__file__).parent / "media"
PROJECT_FILE = MEDIA / "marble-run.epiphane"
TITLES_FILE = MEDIA / "marble-run-titles.epiphane"
EMBLEM_FILE = MEDIA / "emblem.svg"
SONG_FILE = MEDIA / "marble-run-song.flac"
TRUTH_FILE = MEDIA / "marble-run-song.truth.json"
