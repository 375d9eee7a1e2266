"""What the bench calls the thing that is selected: what it is, and its name."""

from pathlib import Path

from epiphane.desk.control.editor import Editor
from epiphane.document.project import footage_of
from epiphane.document.titles import LogoFill, TextFill
from epiphane.edits.shots.main_track import shot_name, track_name
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.form import parts_of
from epiphane.wording import tr


def song_title(editor: Editor) -> tuple[str, str]:
    """Return the words for the song, and what the selected one is called."""
    song = editor.project.song
    return tr("Song"), Path(song.path).name if song else tr("none yet")


def pulse_title(editor: Editor) -> tuple[str, str]:
    """Return the words for a pulse, and what the selected one is called."""
    pulse = editor.chosen.pulse
    return tr("Pulse"), pulse.name if pulse else ""


def beat_title(editor: Editor) -> tuple[str, str]:
    """Return the words for a beat, and what the selected one is called."""
    beat = editor.chosen.beat
    return tr("Beat"), f"at {beat.time:.3f} s" if beat else ""


def part_title(editor: Editor) -> tuple[str, str]:
    """Return the words for a part of the song, and what the selected one is called."""
    number, parts = editor.selection.part, parts_of(editor.project.song)
    return tr("Part"), parts[number].label if number is not None and number < len(parts) else ""


def tap_title(editor: Editor) -> tuple[str, str]:
    """Return the words for a tap, and what the selected one is called."""
    tap, pulse = editor.chosen.tap, editor.chosen.pulse
    return tr("Tap"), tr(
        "of {pulse}, at {time:.3f} s", pulse=pulse.name, time=tap.time
    ) if tap and pulse else ""


def shot_title(editor: Editor) -> tuple[str, str]:
    """Return the words for a shot, and what the selected one is called."""
    shot = editor.chosen.shot
    footage = None if shot is None else footage_of(editor.project, shot.footage)
    if shot is not None and footage is None:
        return tr("Shot"), shot_name(editor.project, shot)
    return tr("Shot"), footage_name(footage) if footage else ""


def footage_title(editor: Editor) -> tuple[str, str]:
    """Return the words for footage, and what the selected one is called."""
    chosen = editor.chosen.footage
    return (tr(chosen.kind.value).capitalize(), footage_name(chosen)) if chosen else ("", "")


def item_title(editor: Editor) -> tuple[str, str]:
    """Return the words for an item on a track, and what the selected one is called."""
    item = editor.chosen.item
    content = None if item is None else item.content
    kind = (
        tr("Text")
        if isinstance(content, TextFill)
        else tr("Logo")
        if isinstance(content, LogoFill)
        else tr("Item")
    )
    return kind, shot_name(editor.project, item) if item is not None else ""


def track_title(editor: Editor) -> tuple[str, str]:
    """Return the words for a track, and what the selected one is called."""
    track = editor.chosen.track
    return tr("Track"), track_name(editor.project, track) if track is not None else ""
