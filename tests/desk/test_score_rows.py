"""The rows of the score: what is painted again after an edit is what would be painted anew."""

from msgspec.structs import replace

from epiphane.desk.control.selection import (
    BeatSelection,
    CuesSelection,
    LaneSelection,
    PulseSelection,
    ShotSelection,
    SongSelection,
)
from epiphane.desk.control.snapping import Snapping
from epiphane.desk.score.lane_rows import FoldRow, LaneRow
from epiphane.desk.score.layout import LaneRows as Rows
from epiphane.desk.score.layout import ScoreLayout, Strip
from epiphane.desk.score.rows import HitsRow, RulerRow, ShotsRow, SoundRow
from epiphane.desk.score.stave_cache import StavePictures
from epiphane.document.lane import Trigger
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.cues import set_cue_effect, set_cue_strength, toggle_cues
from epiphane.edits.keying.lanes import add_lane, change_envelope, change_lane, remove_lane
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.edits.shots.shots import change_shot, move_shot
from epiphane.edits.shots.speed import change_speed
from epiphane.edits.song.beats import accept_beat, move_beat


class NoThumbnails:
    """None is ever ready: those of the window come when they come."""

    def get(self, footage, seconds):
        return None


def rows_of(window, layout):
    editor = window.editor
    rows = [
        RulerRow(editor, window.snapping, lambda *_: None),
        SoundRow(editor),
        HitsRow(editor),
        ShotsRow(editor, NoThumbnails(), window.snapping),
    ]
    rows += [FoldRow(editor)] * layout.is_folded
    return [*rows, *(LaneRow(editor, lane, Snapping(editor)) for lane in layout.shown_lanes)]


def layout_of(window, rows):
    editor = window.editor
    return ScoreLayout(editor.project, editor.bars, bars_per_line=4, width=900, rows=rows)


def test_after_any_edit_a_stave_is_painted_as_if_anew(demo):
    """Rows that are painted alone leave nothing behind, and are painted when what they show changes."""
    editor = demo.editor
    project = editor.project
    first, second = (lane.id for lane in project.lanes[:2])
    cue = (second, editor.cues.lane(second).cues[3].hit.time)
    shot, beat = project.shots[1].id, project.song.beats[5]
    edits = (
        lambda: editor.select(LaneSelection(second)),
        lambda: editor.apply(lambda p: toggle_cues(p, [cue]), "x"),
        lambda: editor.select(CuesSelection(second, frozenset({cue}))),
        lambda: editor.apply(lambda p: set_cue_strength(p, [cue], 0.4), "x"),
        lambda: editor.apply(lambda p: set_cue_effect(p, [cue], "blur"), "x"),
        lambda: editor.apply(lambda p: change_lane(p, first, depth=0.4), "x"),
        lambda: editor.apply(lambda p: change_envelope(p, first, fall=20), "x"),
        lambda: editor.apply(lambda p: change_lane(p, first, trigger=Trigger.STEP), "x"),
        lambda: editor.apply(lambda p: change_lane(p, first, is_muted=True, name="Sparks"), "x"),
        lambda: editor.apply(lambda p: change_lane(p, second, shots=(shot,)), "x"),
        lambda: editor.select(ShotSelection(shot)),
        lambda: editor.apply(lambda p: change_shot(p, shot, is_locked=True), "x"),
        lambda: editor.apply(lambda p: change_speed(p, shot, 0.5), "x"),
        lambda: editor.apply(lambda p: move_shot(p, shot, 1), "x"),
        lambda: editor.select(BeatSelection(5)),
        lambda: editor.apply(lambda p: move_beat(p, 5, beat.time + 0.04), "x"),
        lambda: editor.apply(lambda p: accept_beat(p, 5), "x"),
        lambda: editor.apply(lambda p: ensure_pulse(p, PulseUnit.OFF_BEAT, every=1)[0], "x"),
        lambda: editor.select(PulseSelection(editor.project.pulses[-1].id)),
        lambda: editor.apply(lambda p: add_lane(p, "shake", p.pulses[-1].id), "x"),
        lambda: editor.apply(lambda p: remove_lane(p, first), "x"),
        lambda: editor.apply(lambda p: replace(p, song=replace(p.song, sections=())), "x"),
        lambda: editor.select(SongSelection()),
        editor.undo,
        editor.undo,
    )
    for kind in (Rows.TALL, Rows.FOLDED):
        kept = StavePictures()
        seen = set()
        for number, edit in enumerate((lambda: None, *edits)):
            edit()
            layout = layout_of(demo, kind)
            kept.doubt()
            for stave in layout.staves[:2]:
                image = kept.picture(layout, rows_of(demo, layout), stave, 1.0).toImage()
                anew = StavePictures().picture(layout, rows_of(demo, layout), stave, 1.0).toImage()
                assert image == anew, (kind, number)
                seen.add(bytes(image.constBits().asarray(image.sizeInBytes())))
        assert len(seen) > 20  # the edits are to be seen
        while editor.history.undo_label is not None:
            editor.undo()
        editor.select(SongSelection())


def test_what_lies_where_is_told_by_the_rows(demo):
    layout = layout_of(demo, Rows.TALL)
    stave = layout.staves[1]
    strips = [row.strip for row in layout.rows]
    song_strips = [Strip.PARTS, Strip.RULER, Strip.SOUND, Strip.HITS]
    assert strips == [*song_strips, Strip.SHOTS, *[Strip.LANE] * len(layout.lanes)]
    for row, below in zip(layout.rows, layout.rows[1:], strict=False):
        assert row.bottom == below.top
        place = layout.locate(500, stave.top + (row.top + row.bottom) / 2)
        assert (place.strip, place.lane, place.stave) == (row.strip, row.lane, stave)
    assert layout.locate(500, stave.top - layout.heights.stave_gap / 2 - 1).stave == layout.staves[0]
