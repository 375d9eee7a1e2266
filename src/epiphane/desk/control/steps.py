"""Going from one thing to the next of its kind: beats, bar lines, shots, taps."""

from epiphane.desk.control.editor import Editor
from epiphane.desk.control.selection import PulseSelection, ShotSelection, TapSelection
from epiphane.document.ids import PulseId
from epiphane.document.project import Project, find
from epiphane.document.pulse import TappedSource
from epiphane.edits.song.taps import move_tap
from epiphane.timing import frame_at
from epiphane.wording import tr


def step_to_beat(editor: Editor, direction: int) -> None:
    """Go to the next (1) or last (-1) beat."""
    song = editor.project.song
    frames = [frame_at(beat.time, editor.project.rate) for beat in song.beats] if song else []
    _step_among(editor, frames, direction)


def step_to_bar(editor: Editor, direction: int) -> None:
    """Go to the next (1) or last (-1) bar line."""
    _step_among(editor, [frame_at(bar.start, editor.project.rate) for bar in editor.bars], direction)


def select_tap_near(editor: Editor, pulse: PulseId, time: float) -> None:
    """Select the tap of a pulse that is nearest to an instant, or the pulse where it has none."""
    source = find(editor.project.pulses, pulse, "pulse").source
    hits = source.hits if isinstance(source, TappedSource) else ()
    nearest = min(hits, key=lambda hit: abs(hit.time - time), default=None)
    if nearest is None:
        editor.select(PulseSelection(pulse))
    else:
        editor.select(TapSelection(pulse=pulse, tap=nearest.time))


def step_to_tap(editor: Editor, direction: int) -> None:
    """Select the next (1) or previous (-1) tap of the pulse, and go there."""
    pulse, tap = editor.chosen.pulse, editor.chosen.tap
    if pulse is None or tap is None or not isinstance(pulse.source, TappedSource):
        return
    number = pulse.source.hits.index(tap) + direction
    if 0 <= number < len(pulse.source.hits):
        time = pulse.source.hits[number].time
        editor.select(TapSelection(pulse=pulse.id, tap=time))
        editor.go_to(frame_at(time, editor.project.rate))


def move_chosen_tap(editor: Editor, to: float, *, gesture: str | None = None) -> None:
    """Move the selected tap to an instant; it stays selected."""
    pulse, tap = editor.chosen.pulse, editor.chosen.tap
    if pulse is None or tap is None:
        return
    to = round(to, 6)

    def edit(project: Project) -> Project:
        return move_tap(project, pulse.id, tap.time, to=to)

    # Selected beforehand, so that it is not lost sight of when the views are told.
    editor.selection = TapSelection(pulse=pulse.id, tap=to)
    if editor.apply(edit, tr("move of a tap"), gesture=gesture):
        editor.selection_changed.emit()
    else:
        editor.selection = TapSelection(pulse=pulse.id, tap=tap.time)


def step_to_shot(editor: Editor, direction: int) -> None:
    """Select the next (1) or last (-1) shot, and go to its first frame."""
    shots = editor.project.shots
    chosen = editor.chosen.shot
    here = chosen.start if chosen is not None else editor.playhead
    later = [shot for shot in shots if (shot.start - here) * direction > 0]
    if later:
        shot = later[0] if direction > 0 else later[-1]
        editor.select(ShotSelection(shot.id))
        editor.go_to(shot.start)


def _step_among(editor: Editor, frames: list[int], direction: int) -> None:
    if direction > 0:
        editor.go_to(
            next((frame for frame in frames if frame > editor.playhead), editor.project.n_frames - 1)
        )
    else:
        editor.go_to(next((frame for frame in reversed(frames) if frame < editor.playhead), 0))
