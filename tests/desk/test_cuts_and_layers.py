"""Transitions, overlays, spans, panels, dressing and playing by hand in the real window."""

from pathlib import Path

import numpy as np
import pytest
from hands import LEFT, NONE, choose, drag, drop, field, press, type_into
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
)

from epiphane.demo import MEDIA
from epiphane.desk.control.drag import carry_effect, carry_footage, carry_overlay
from epiphane.desk.control.lanes import Target
from epiphane.desk.control.selection import (
    CuesSelection,
    DressingSelection,
    LaneSelection,
    PartSelection,
    PulseSelection,
    ShotSelection,
    TrackSelection,
)
from epiphane.desk.picture.typing import caret_at
from epiphane.desk.score.drops import drop_under
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.document.lane import AccentSound, Span, Trigger
from epiphane.document.pulse import PulseUnit, TappedSource
from epiphane.document.timeline import PanelLayout, Panels, ShapeFill
from epiphane.document.titles import TextFill
from epiphane.edits.items.titles import FRESH_TEXT
from epiphane.edits.keying.lanes import change_lane
from epiphane.edits.keying.words import FRESH_WORDS
from epiphane.edits.shots.mattes import change_matte
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.cuts import cuts_of
from epiphane.facts.form import parts_of
from epiphane.facts.titles import landing_frame
from epiphane.media.faces import shipped_faces
from epiphane.media.mattes import make_matte
from epiphane.render.nodes import Behind, Joined, SplitScreen, Stacked, TextDrawing
from epiphane.timing import frame_at, frame_start
from epiphane.titles.layout import block_of

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def place(window, frame, height):
    """Return the point of a frame at a height, a function of the layout and the stave."""
    layout, seconds = window.score.layout_now(), frame_start(frame, window.editor.project.rate)
    stave = layout.stave_at(seconds + 1e-6)
    y = height(layout, stave) - window.score._offset
    return QPoint(round(layout.x_at(stave, seconds)), round(y))


def on_shots(window, frame):
    return place(window, frame, lambda layout, stave: layout.shots_top(stave.top) + 12)


def on_bow(window, frame):
    return place(window, frame, lambda layout, stave: layout.bows_top(stave.top) + 9)


def on_row(window, frame, row):
    def height(layout, stave):
        return layout.stack_top(stave.top) + layout._stack_tops[row] + 8

    return place(window, frame, height)


def on_drum(window, drum):
    return place(window, 300, lambda layout, stave: layout.drum_middle(stave.top, drum))


def lanes(window):
    return [lane.effect for lane in window.editor.project.lanes]


def test_a_transition_is_dropped_on_one_cut_or_beside_it_on_all_and_exchanged_on_its_bow(demo):
    viewport, editor = demo.score.viewport(), demo.editor
    cuts = [cut.frame for cut in cuts_of(editor.project)]
    drop(viewport, carry_effect("dissolve"), on_shots(demo, cuts[0]))
    assert lanes(demo) == ["flash", "zoom", "dissolve"]
    assert [one.cut.frame for one in editor.cues.transitions] == [cuts[0]]
    drop(viewport, carry_effect("whip"), on_shots(demo, cuts[0] + 50))
    assert [one.transition.key for one in editor.cues.transitions] == ["whip"] * len(cuts)
    pulse = next(one for one in editor.project.pulses if one.unit is PulseUnit.CUT)
    assert {lane.pulse for lane in editor.project.lanes[2:]} == {pulse.id}
    drop(viewport, carry_effect("iris"), on_bow(demo, cuts[1]))
    assert [one.transition.key for one in editor.cues.transitions][:3] == ["whip", "iris", "whip"]
    assert isinstance(editor.selection, CuesSelection)
    assert isinstance(demo.frames.plan(cuts[1]).root.content, Joined)
    QTest.mouseDClick(viewport, LEFT, NONE, on_bow(demo, cuts[2]))
    assert cuts[2] not in [one.cut.frame for one in editor.cues.transitions]
    drop(viewport, carry_effect("flash"), on_shots(demo, cuts[0]))  # an effect may be fired by a cut too
    assert editor.project.lanes[-1].pulse == pulse.id
    assert len(editor.cues.lane(editor.project.lanes[-1].id).cues) == 1


def test_the_ends_of_a_bow_change_the_frames_of_all_cuts_and_with_ctrl_of_one(demo):
    drop(demo.score.viewport(), carry_effect("push"), on_shots(demo, 50))
    editor, viewport = demo.editor, demo.score.viewport()
    demo.score.set_bars_per_line(1)
    one = editor.cues.transitions[0]
    editor.go_to(one.cut.frame)
    lane = editor.project.lanes[-1]
    start = on_bow(demo, one.end) - QPoint(2, 0)
    by = on_bow(demo, one.end + 6) - on_bow(demo, one.end)
    drag(viewport, start, start + by)
    assert editor.project.lanes[-1].envelope.fall == lane.envelope.fall + 6
    one = editor.cues.transitions[0]
    start = on_bow(demo, one.end) - QPoint(2, 0)
    drag(viewport, start, start - by, modifier=CTRL)
    assert editor.project.lanes[-1].envelope.fall == lane.envelope.fall + 6
    assert editor.project.lanes[-1].overrides[0].envelope.fall == lane.envelope.fall
    QTest.mouseClick(viewport, LEFT, NONE, on_bow(demo, one.cut.frame))
    assert editor.selection.cues
    tip = demo.score.tip_at(QPointF(on_bow(demo, one.cut.frame)) + QPointF(0, demo.score._offset))
    assert tip.startswith("Push · cut on frame")


def test_the_bench_of_a_transition_speaks_of_cuts_and_says_where_footage_is_lacking(demo):
    QTest.keyClick(demo, Qt.Key.Key_X, SHIFT)
    tiles = demo.shelf.transitions.tiles
    assert tiles.count() >= 22
    QTest.mouseClick(tiles.viewport(), LEFT, NONE, tiles.point_of("dip"))
    QTest.keyClick(tiles, Qt.Key.Key_Return)
    bench = demo.bench.lane
    assert demo.bench._kind.text() == "Transition"
    assert field(demo, QDoubleSpinBox, "Before").value() == 8
    type_into(field(demo, QDoubleSpinBox, "After"), "40")
    assert demo.editor.project.lanes[-1].envelope.fall == 40
    lacking = [one for one in demo.editor.cues.transitions if any(one.n_lacking(demo.editor.project))]
    assert bench._remark.isVisible() == bool(lacking)
    if lacking:
        assert "it is shown" in bench._remark.text()
    bench._others.chosen.emit(("push", "whip"))
    shown = [one.transition.key for one in demo.editor.cues.transitions]
    assert set(shown) == {"dip", "push", "whip"}
    choose(field(demo, QComboBox, "Fired by"), "beats")  # hits that are no cuts fire nothing
    frames = {one.cut.frame for one in demo.editor.cues.transitions}
    assert frames <= {cut.frame for cut in cuts_of(demo.editor.project)}


def test_an_overlay_plays_on_hits_or_lies_on_a_track(demo, qtbot):
    viewport, editor = demo.score.viewport(), demo.editor
    QTest.keyClick(demo, Qt.Key.Key_O, SHIFT)
    assert demo.shelf.overlays.tiles.count() == 26
    drop(viewport, carry_overlay("ink white"), on_drum(demo, "kick"))
    qtbot.waitUntil(lambda: "overlay" in lanes(demo), timeout=20_000)
    lane = editor.project.lanes[-1]
    footage = editor.project.footage[-1]
    assert (lane.name, lane.clips, footage.group) == ("ink white", (footage.id,), "overlays")
    hit = editor.cues.lane(lane.id).cues[2].frame
    top = demo.frames.plan(hit).root.content.nodes[-1]
    assert top.content.source.seconds == pytest.approx(footage.best_moment.time)
    assert editor.history.undo_label == "overlay on hits"
    drop(viewport, carry_overlay("leak amber"), on_shots(demo, 64))
    qtbot.waitUntil(lambda: len(editor.project.tracks) == 1, timeout=20_000)
    item = editor.chosen.item
    assert (item.start, item.blend.value) == (64, "add light")
    drop(viewport, carry_overlay("ellipse"), on_shots(demo, 257))
    assert isinstance(editor.chosen.item.content, ShapeFill)
    drop(
        viewport,
        carry_overlay("paper sheets"),
        place(demo, 300, lambda layout, stave: layout.drum_middle(stave.top, "hat")),
    )
    qtbot.waitUntil(lambda: lanes(demo).count("overlay") == 2, timeout=20_000)
    assert editor.project.lanes[-1].trigger is Trigger.SPAN
    clip = editor.project.footage[0]
    drop(viewport, carry_footage([clip.id]), on_drum(demo, "kick"))  # footage on the line of a drum
    qtbot.waitUntil(lambda: lanes(demo).count("overlay") == 3, timeout=20_000)
    assert editor.project.lanes[-1].clips == (clip.id,)


def test_an_item_is_moved_on_the_picture_from_key_to_key(demo, qtbot):
    editor = demo.editor
    drop(demo.score.viewport(), carry_overlay("rectangle"), on_shots(demo, 128))
    editor.go_to(130)
    qtbot.waitUntil(lambda: demo.framing.is_active)
    demo.bench.item.keys._put()
    editor.go_to(150)
    before = editor.chosen.item.keys
    middle, aside = (demo.picture.point_of(x, 0.5).toPoint() for x in (0.5, 0.7))
    drag(demo.picture, middle, aside)
    keys = editor.chosen.item.keys
    assert (len(before), len(keys)) == (1, 2)
    assert keys[1].frame == 150 - editor.chosen.item.start
    assert keys[1].framing.x == pytest.approx(0.2, abs=0.03)
    editor.go_to(140)
    type_into(field(demo, QDoubleSpinBox, "Fade in of the picture"), "5")
    assert editor.chosen.item.fade_in == 5
    type_into(field(demo, QDoubleSpinBox, "Width of the shape"), "25")
    assert editor.chosen.item.content.width == 0.25
    demo.bench.item.keys._step(1)
    assert editor.playhead == 150
    demo.bench.item.keys._remove()
    assert len(editor.chosen.item.keys) == 1


def test_a_text_lands_on_its_hit_and_is_written_set_and_moved(demo, tmp_path):
    editor = demo.editor
    editor.go_to(258)
    QTest.keyClick(demo, Qt.Key.Key_Y, SHIFT)

    def item():
        return editor.chosen.item

    assert isinstance(item().content, TextFill)
    assert landing_frame(item(), editor.project.rate) == 257
    assert isinstance(demo.frames.plan(257).root.content, Stacked)
    assert demo.framing.is_active
    words = field(demo, QPlainTextEdit, "What the text says")
    words.setFocus()
    words.selectAll()
    QTest.keyClicks(words, "Roll on")
    QTest.keyClick(words, Qt.Key.Key_Return)
    QTest.keyClicks(words, "beat")
    assert item().content.text == "Roll on\nbeat"
    assert any(one.text() == "Roll on beat" for one in demo.bench.findChildren(QLabel))
    choose(field(demo, QComboBox, "Face of the letters"), "Unbounded")
    type_into(field(demo, QDoubleSpinBox, "Size of the letters"), "25")
    choose(field(demo, QComboBox, "Arrives by"), "Rise")
    type_into(field(demo, QDoubleSpinBox, "Frames in which it arrives"), "20")
    choose(field(demo, QComboBox, "Leaves by"), "Fade")
    fill = item().content
    assert (fill.face, fill.size, fill.arrive.key, fill.leave.key) == ("Unbounded", 0.25, "rise", "fade")
    assert (item().start, landing_frame(item(), editor.project.rate)) == (237, 257)
    demo.titles.use_face(shipped_faces()["Bungee"])
    assert item().content.file is not None
    (tmp_path / "not.ttf").write_bytes(b"no face")
    demo.titles.use_face(tmp_path / "not.ttf")
    assert "not.ttf is no face of letters" in demo.notice.text
    editor.go_to(300)
    middle, aside = (demo.picture.point_of(x, 0.5).toPoint() for x in (0.5, 0.7))
    drag(demo.picture, middle, aside)
    assert item().transform.x == pytest.approx(0.2, abs=0.03)
    editor.go_to(321)
    for _ in range(3):
        QTest.keyClick(demo, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert item().start == 240
    QTest.keyClick(demo, Qt.Key.Key_G)  # to the hit that is nearest to it, wherever the playhead is
    assert landing_frame(item(), editor.project.rate) == 257
    for _ in range(13):
        QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert editor.project.tracks == ()  # what was written is one step


def test_a_subject_is_marked_on_the_picture_and_a_title_stands_behind_it(demo, qtbot):
    editor, picture = demo.editor, demo.picture
    shot = editor.project.shots[0]
    editor.select(ShotSelection(shot.id))
    editor.go_to(30)
    choose(field(demo, QComboBox, "How the subject is told apart"), "traced from marks")
    assert demo.mattes.is_marking and "Draw a box" in demo.mattes.told()
    start, end = (picture.point_of(*place).toPoint() for place in ((0.295, 0.47), (0.373, 0.607)))
    drag(picture, start, end)
    middle = (start + end) / 2
    drag(picture, middle - QPoint(4, 0), middle + QPoint(4, 0))
    drag(picture, start - QPoint(20, 20), start - QPoint(8, 20), modifier=CTRL)
    (mark,) = editor.chosen.shot.matte.marks
    assert mark.time == pytest.approx(demo.mattes.time_now()) and mark.box[0] == pytest.approx(
        0.295, abs=0.01
    )
    assert {stroke.is_subject for stroke in mark.strokes} == {True, False}
    assert "Not made yet" in demo.mattes.told()
    around = mark.time - 0.1, mark.time + 0.1  # a few pictures: the whole shot takes fifteen seconds
    editor.apply(lambda p: change_matte(p, shot.id, start=around[0], end=around[1]), "short")
    matte = editor.chosen.shot.matte
    footage = next(one for one in editor.project.footage if one.id == shot.footage)
    film = make_matte(Path(footage.path), footage.fingerprint, matte, footage.rate)
    editor.go_to(31)
    assert demo.mattes.mask_now().path == str(film)
    drag(picture, middle, middle + QPoint(3, 0))  # a correction: what was made before is still seen
    assert len(editor.chosen.shot.matte.marks) == 2 and demo.mattes.mask_now().path == str(film)
    seen = picture.grab().toImage().pixelColor(middle)
    assert seen.green() > seen.red()  # the mask is laid over the amber marble
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    demo.bench.findChild(QScrollArea).verticalScrollBar().setValue(10_000)
    QTest.keyClick(demo, Qt.Key.Key_Y, SHIFT)
    assert not field(demo, QPlainTextEdit, "What the text says").visibleRegion().isEmpty()
    assert isinstance(demo.frames.plan(33).root.content.nodes[-1].content, TextDrawing)
    editor.select(TrackSelection(editor.project.tracks[-1].id))
    QTest.mouseClick(
        next(one for one in demo.bench.findChildren(QPushButton) if one.text() == "Behind"), LEFT
    )
    content = demo.frames.plan(33).root.content.nodes[-1].content
    assert isinstance(content, Behind) and content.matte.source.fingerprint
    editor.select(ShotSelection(shot.id))
    assert "shows more of its clip" in demo.mattes.told()
    choose(field(demo, QComboBox, "How the subject is told apart"), "what is bright")
    editor.apply(lambda p: change_matte(p, shot.id, start=around[0], end=around[1]), "short")
    QTest.mouseClick(demo.bench.shot.matte.make, LEFT)
    qtbot.waitUntil(lambda: not demo.jobs.running, timeout=60_000)
    assert demo.mattes.told().startswith("Made")
    choose(field(demo, QComboBox, "How the subject is told apart"), "not told apart")
    assert editor.chosen.shot.matte is None


def test_a_text_is_typed_on_the_picture_itself(demo, qtbot):
    editor = demo.editor
    editor.go_to(258)
    QTest.keyClick(demo, Qt.Key.Key_Y, SHIFT)
    editor.go_to(280)
    demo.score.setFocus()
    middle = demo.picture.point_of(0.5, 0.5).toPoint()
    QTest.mouseDClick(demo.picture, LEFT, NONE, demo.picture.point_of(0.05, 0.05).toPoint())
    assert not demo.typing.is_typing
    QTest.mouseDClick(demo.picture, LEFT, NONE, middle)
    assert demo.typing.is_typing
    qtbot.waitUntil(lambda: demo.focusWidget() is demo.typing.field)
    QTest.keyClicks(demo.typing.field, "Roll")
    QTest.keyClick(demo.typing.field, Qt.Key.Key_Return)
    QTest.keyClicks(demo.typing.field, "on it ")
    journal = editor._journal
    qtbot.waitUntil(lambda: not editor._is_journal_behind, timeout=3000)  # while it is still being typed
    assert demo.typing.is_typing
    assert editor.chosen.item in [one for row in journal._written.tracks for one in row.items]
    fill = editor.chosen.item.content
    assert fill.text == "Roll\non it "
    block = block_of(fill)
    below = [one for one in block.letters if one.line == 1]
    assert caret_at(block, fill, 1, 6)[0] > max(one.x + one.width / 2 for one in below)
    assert caret_at(block, fill, 0, 0)[0] < block.letters[0].x
    QTest.keyClick(demo.typing.field, Qt.Key.Key_Escape)
    assert not demo.typing.is_typing and demo.focusWidget() is demo.score
    QTest.keyClick(demo.focusWidget(), Qt.Key.Key_Z, CTRL)
    assert editor.chosen.item.content.text == FRESH_TEXT.text  # what was typed is one step


def test_a_title_lands_with_weight_and_a_drawing_is_set_as_a_logo(demo, qtbot):
    editor = demo.editor
    editor.go_to(258)
    QTest.keyClick(demo, Qt.Key.Key_Y, SHIFT)
    rows = demo.bench.item.text_rows.look

    def tick(words, within):
        QTest.mouseClick(next(one for one in within.findChildren(QCheckBox) if one.text() == words), LEFT)

    tick("with weight", rows.impact)
    tick("moving", rows.stand)
    type_into(field(demo, QDoubleSpinBox, "Particles that are thrown"), "50")
    type_into(field(demo, QDoubleSpinBox, "How far it trembles"), "5")
    choose(field(demo, QComboBox, "Face of the letters"), "Outfit")
    type_into(field(demo, QDoubleSpinBox, "Weight of the face"), "900")
    choose(field(demo, QComboBox, "What is seen through the letters"), "rails")
    choose(field(demo, QComboBox, "On what it arrives part by part"), "beats")
    fill = editor.chosen.item.content
    assert (fill.impact.particles, fill.stand.tremble, fill.axes[0].value) == (50, 0.05, 900)
    names = {footage_name(one): one.id for one in editor.project.footage}
    assert fill.footage == names["rails"] and fill.arrive.pulse == editor.project.pulses[0].id
    behind = next(one for one in rows.findChildren(QPushButton) if one.text() == "Shake and flash behind")
    qtbot.waitUntil(lambda: behind.height() > 0)
    QTest.mouseClick(behind, LEFT)
    assert lanes(demo) == ["flash", "zoom", "shake", "flash"]
    assert [cue.frame for cue in editor.cues.lanes[-1].cues] == [257]
    demo.files.gather([MEDIA / "emblem.svg"])
    qtbot.waitUntil(lambda: not demo.jobs.running, timeout=10_000)
    emblem = next(one for one in editor.project.footage if footage_name(one) == "emblem")
    editor.go_to(400)
    demo.tracks.put([emblem.id], 400, None)
    as_logo = next(one for one in demo.bench.item.findChildren(QPushButton) if one.text() == "Set as a logo")
    qtbot.waitUntil(lambda: as_logo.height() > 0)
    QTest.mouseClick(as_logo, LEFT)
    tick("one colour", demo.bench.item.logo)
    assert editor.chosen.item.content.colour == "#ece4d4"
    assert any(one.text() == "Logo" for one in demo.bench.findChildren(QLabel))
    QTest.keyClick(demo, Qt.Key.Key_G)
    assert editor.chosen.item.pin is not None


def test_words_are_put_on_hits_and_written_on_the_bench(demo):
    editor = demo.editor
    demo.shelf.open_page(ShelfPage.OVERLAYS)
    demo.overlays.put("words", Target(unit=PulseUnit.SNARE), None)
    lane = editor.chosen.lane
    assert lane.effect == "words"
    words = field(demo, QPlainTextEdit, "What the text says")
    words.setFocus()
    words.selectAll()
    QTest.keyClicks(words, "Clack roll")
    choose(field(demo, QComboBox, "Face of the letters"), "Bungee")
    choose(field(demo, QComboBox, "Arrives by"), "Rise")
    fill = editor.chosen.lane.words
    assert (fill.text, fill.face, fill.arrive.key) == ("Clack roll", "Bungee", "rise")
    first, second = (cue.frame for cue in editor.cues.lane(lane.id).cues[:2])
    seen = [demo.frames.plan(frame).root.content.nodes[-1].content.fill.text for frame in (first, second)]
    assert seen == ["Clack", "roll"]
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert editor.chosen.lane.words.text == FRESH_WORDS.text  # what was written is one step


def test_captions_are_dropped_and_brought_on_hits(demo, qtbot, tmp_path):
    editor = demo.editor
    times = [(1.1, 2.0), (2.2, 3.0), (30.0, 29.0)]
    blocks = [
        f"{n}\n00:00:{a:06.3f} --> 00:00:{b:06.3f}\nRoll {n}\n".replace(".", ",")
        for n, (a, b) in enumerate(times)
    ]
    file = tmp_path / "lyrics.srt"
    file.write_text("\n".join(blocks))
    (tmp_path / "bad.vtt").write_text("WEBVTT\n")
    demo.files.gather([file])
    qtbot.waitUntil(lambda: not demo.jobs.running, timeout=10_000)  # they are read in the background
    (track,) = editor.project.tracks
    assert [item.content.text for item in track.items] == ["Roll 0", "Roll 1"]
    assert track.items[0].start == frame_at(1.1, editor.project.rate)
    assert "2 captions are on a track" in demo.notice.text and "no good times" in demo.notice.text
    QTest.mouseClick(next(one for one in demo.notice.findChildren(QPushButton) if one.text()), LEFT)
    (track,) = editor.project.tracks
    hits = {frame_at(time, editor.project.rate) for time in demo.snapping.times(editor.project)}
    assert {item.start for item in track.items} <= hits
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert editor.project.tracks == ()
    demo.files.gather([tmp_path / "bad.vtt"])
    qtbot.waitUntil(lambda: not demo.jobs.running, timeout=10_000)
    assert "bad.vtt has no captions" in demo.notice.text


def test_a_transition_dropped_on_one_of_several_cuts_changes_them_all(demo):
    editor = demo.editor
    demo.lanes.add("dissolve")
    shown = editor.cues.transitions
    keys = frozenset((one.lane, one.cue.hit.time) for one in shown[:2])
    editor.select_cues(keys, lane=shown[0].lane)
    demo.lanes.add("whip", Target(hit=shown[1].cue.hit.time))
    assert [one.transition.key for one in editor.cues.transitions[:3]] == ["whip", "whip", "dissolve"]
    assert editor.selection.cues == keys
    demo.lanes.add("push", Target(hit=shown[2].cue.hit.time))  # beside them: that one alone
    assert [one.transition.key for one in editor.cues.transitions[:3]] == ["whip", "whip", "push"]


def test_what_lasts_comes_over_the_film_or_a_part_and_what_strikes_on_the_selected_pulse(demo):
    editor = demo.editor
    demo.shelf.effects_taken.emit(["vignette"])
    lane = editor.project.lanes[-1]
    assert lane.trigger is Trigger.SPAN and (editor.cues.lane(lane.id).levels == 1).all()
    editor.select(PartSelection(0))
    demo.shelf.effects_taken.emit(["grain"])
    lane, part = editor.project.lanes[-1], parts_of(editor.project.song)[0]
    assert [(one.start, one.end) for one in lane.spans] == [(part.start, part.end)]
    bars = next(one for one in editor.project.pulses if one.name == "bars")
    editor.select(PulseSelection(bars.id))
    demo.shelf.effects_taken.emit(["shake"])
    assert (editor.project.lanes[-1].pulse, editor.project.lanes[-1].trigger) == (bars.id, Trigger.FIRE)
    layout = demo.score.layout_now()
    stave = layout.staves[0]
    place = layout.locate(layout.x_at(stave, part.start + 0.5), stave.top + 8)
    dropped = drop_under(editor, layout, place, 300.0, lasts=True)
    assert (dropped.target.span, dropped.words) == (Span(part.start, part.end), f"on over {part.label}")
    on_beats = layout.locate(layout.x_at(stave, part.start + 0.5), layout.ruler_top(stave.top) + 6)
    demo.lanes.add("vignette", drop_under(editor, layout, on_beats, 0.0, lasts=True).target)
    assert editor.project.lanes[-1].trigger is Trigger.FIRE  # it was asked for on beats


def test_spans_are_drawn_along_the_row_and_changed_by_their_ends(demo):
    editor, viewport = demo.editor, demo.score.viewport()
    lane = editor.project.lanes[0].id
    editor.apply(lambda p: change_lane(p, lane, trigger=Trigger.SPAN, overrides=()), "spans")
    editor.select(LaneSelection(lane))
    press(demo, "This bar")
    (first,) = editor.project.lanes[0].spans
    rate = editor.project.rate
    start, end = frame_at(first.start, rate), frame_at(first.end, rate)
    drag(viewport, on_row(demo, end + 40, lane), on_row(demo, end + 100, lane))
    assert len(editor.project.lanes[0].spans) == 2
    QTest.mouseClick(viewport, LEFT, NONE, on_row(demo, start + 20, lane))
    edge = on_row(demo, end, lane) - QPoint(2, 0)
    drag(viewport, edge, edge + (on_row(demo, end + 16, lane) - on_row(demo, end, lane)))
    assert frame_at(editor.project.lanes[0].spans[0].end, rate) == pytest.approx(end + 16, abs=3)
    editor.select(LaneSelection(lane))
    press(demo, "All of it")
    assert editor.project.lanes[0].spans == ()
    assert (editor.cues.lane(lane).levels > 0).mean() > 0.95


def test_rows_are_put_in_order_by_their_names_aimed_locked_and_folded(demo):
    editor, viewport = demo.editor, demo.score.viewport()
    drop(viewport, carry_overlay("solid"), on_shots(demo, 128))
    (track,) = editor.project.tracks
    drop(viewport, carry_effect("blur"), on_row(demo, 60, track.id))
    assert editor.project.lanes[-1].track == track.id
    rows = [row.id for row in editor.project.stack]
    assert rows.index(editor.project.lanes[-1].id) == rows.index(track.id) + 1
    name = on_row(demo, 0, track.id)
    drag(viewport, QPoint(40, name.y()), QPoint(40, on_row(demo, 0, rows[0]).y()))
    assert editor.project.stack[0].id == track.id
    assert editor.selection == TrackSelection(track.id)
    QTest.keyClick(demo, Qt.Key.Key_S)
    assert editor.project.tracks[0].is_solo
    QTest.keyClick(demo, Qt.Key.Key_Down, CTRL | SHIFT)
    assert editor.project.stack[1].id == track.id
    said = []
    editor.said.connect(lambda text, bad: said.append((text, bad)))
    press(demo.bench.track, "Lock")
    QTest.keyClick(demo, Qt.Key.Key_Delete)
    assert editor.project.tracks
    assert said[-1] == ("“solid” is locked: unlock it first, on its bench", True)
    height = demo.score.layout_now().staves[0].height
    press(demo.bench.track, "Fold")
    assert demo.score.layout_now().staves[0].height < height
    flash = editor.project.lanes[0].id
    editor.select(LaneSelection(flash))
    press(demo.bench.lane, "Lock")
    assert not editor.apply(lambda p: change_lane(p, flash, depth=0.1), "depth")
    assert editor.apply(lambda p: change_lane(p, flash, is_muted=True), "mute")


def test_a_shot_becomes_a_split_screen_whose_panels_are_changed(demo):
    editor = demo.editor
    shot = editor.project.shots[1]
    editor.select(ShotSelection(shot.id))
    editor.go_to(shot.start + 30)
    QTest.keyClick(demo, Qt.Key.Key_P, SHIFT)
    panels = editor.chosen.shot.content
    assert isinstance(panels, Panels)
    assert len({one.cut.footage for one in panels.panels}) == 3
    assert isinstance(demo.frames.plan(shot.start + 30).root.content, SplitScreen)
    choose(field(demo, QComboBox, "How panels share the frame"), "grid")
    press(demo.bench.split_screen, "Add")
    type_into(field(demo, QDoubleSpinBox, "How many frames later it shows"), "5")
    choose(field(demo, QComboBox, "What lets the panels come in"), "one on each of beats")
    panels = editor.chosen.shot.content
    assert (panels.layout, len(panels.panels), panels.panels[0].delay) == (PanelLayout.GRID, 4, 5)
    assert panels.pulse is not None
    QTest.keyClick(demo, Qt.Key.Key_Slash)
    first, second = editor.project.shots[1:3]
    assert isinstance(second.content, Panels)
    assert second.start == first.end == shot.start + 30
    editor.select(ShotSelection(editor.project.shots[0].id))
    QTest.keyClick(demo, Qt.Key.Key_P, CTRL | SHIFT)
    assert len({one.delay for one in editor.chosen.shot.content.panels}) == 9


def test_panels_are_chosen_moved_and_scaled_on_the_picture_and_free_ones_get_other_boxes(demo):
    editor, picture = demo.editor, demo.picture
    shot = editor.project.shots[2]
    editor.select(ShotSelection(shot.id))
    editor.go_to(shot.start + 30)
    QTest.keyClick(demo, Qt.Key.Key_P, SHIFT)

    def panel(place):
        return editor.chosen.shot.content.panels[place]

    def at(across, down):
        return picture.point_of(across, down).toPoint()

    drag(picture, at(0.5, 0.5), at(0.53, 0.4))
    assert demo.panels.place == 1
    assert panel(1).framing.x == pytest.approx(0.03 * 3, abs=0.02)
    assert panel(1).framing.y == 0  # it is as high as the panel: there would be black
    drag(picture, at(0.66, 0.98), at(0.82, 0.99))
    assert panel(1).framing.scale > 1.2
    begun = panel(1).pin
    type_into(field(demo, QDoubleSpinBox, "Moment of the clip"), "1.5")
    assert (panel(1).pin.moment, panel(1).pin.hit) == (1.5, begun.hit)
    demo.panels.land()
    assert panel(1).pin.hit == pytest.approx(editor.playhead / 30, abs=0.3)

    choose(field(demo, QComboBox, "How panels share the frame"), "free")
    left, top, width, height = panel(1).box
    assert (left, top, width, height) == pytest.approx((0.337, 0, 0.327, 1), abs=0.01)
    drag(picture, at(0.66, 0.98), at(0.6, 0.6))
    assert panel(1).box == pytest.approx((0.337, 0, 0.6 - 0.337, 0.62), abs=0.02)
    drag(picture, at(0.45, 0.3), at(0.46, 0.66))  # near enough to the lower edge of the frame
    assert panel(1).box[1] + panel(1).box[3] == pytest.approx(1, abs=1e-3)
    type_into(field(demo, QDoubleSpinBox, "Width"), "90")
    assert panel(1).box[0] + panel(1).box[2] == pytest.approx(1)  # never beyond the frame
    QTest.keyClick(demo, Qt.Key.Key_Z, CTRL)
    assert panel(1).box[2] == pytest.approx(0.6 - 0.337, abs=0.02)


def test_the_song_is_dressed_and_again_otherwise_and_what_is_locked_stays(demo):
    editor = demo.editor
    QTest.keyClick(demo, Qt.Key.Key_D, CTRL)
    assert editor.selection == DressingSelection()
    dressed = [lane for lane in editor.project.lanes if lane.is_dressed]
    assert len(dressed) >= 4
    assert len(editor.cues.transitions) > 1
    kept = dressed[0].id
    editor.apply(lambda p: change_lane(p, kept, is_locked=True), "lock")
    QTest.keyClick(demo, Qt.Key.Key_D, CTRL)
    again = [lane for lane in editor.project.lanes if lane.is_dressed]
    assert kept in {lane.id for lane in again}
    assert {lane.id for lane in again} & {lane.id for lane in dressed} == {kept}
    n_cues = sum(len(editor.cues.lane(lane.id).cues) for lane in again)
    type_into(field(demo, QDoubleSpinBox, "Density"), "100")
    dense = [lane for lane in editor.project.lanes if lane.is_dressed]
    assert sum(len(editor.cues.lane(lane.id).cues) for lane in dense) > n_cues
    demo.dressing.undress()
    assert [lane.id for lane in editor.project.lanes if lane.is_dressed] == [kept]


def test_an_armed_lane_is_played_by_its_key_and_held_as_long(demo, qtbot, monkeypatch):
    editor = demo.editor
    lane = editor.project.lanes[1].id
    editor.select(LaneSelection(lane))
    demo.bench.lane._arm.click()
    assert demo.bench.lane._arm_words.text() == "with F2"
    now = [None]
    monkeypatch.setattr(demo.playback, "heard_now", lambda: now[0])
    QTest.keyClick(demo, Qt.Key.Key_F2)
    assert editor.history.undo_label is None
    for begin, end in ((1.0, 1.02), (2.0, 2.4), (3.01, 3.03)):
        now[0] = begin
        QTest.keyPress(demo.score, Qt.Key.Key_F2)
        now[0] = end
        QTest.keyRelease(demo.score, Qt.Key.Key_F2)
    demo.playback.state_changed.emit()
    cues = editor.cues.lane(lane).cues
    assert [cue.hit.time for cue in cues] == [1.0, 2.0, 3.01]
    assert cues[1].envelope.hold == 12
    pulse = next(one for one in editor.project.pulses if isinstance(one.source, TappedSource))
    assert pulse.source.played_on == lane
    demo.instrument.pulse = next(one.id for one in editor.project.pulses if one.name == "beats")
    demo.playback.set_loop((0, 75))
    now[0] = 1.1
    QTest.keyClick(demo, Qt.Key.Key_F2)
    beats = [beat.time for beat in editor.project.song.beats]
    taken = [cue.hit.time for cue in editor.cues.lane(lane).cues]
    assert taken == [min(beats, key=lambda beat: abs(beat - 1.1)), 3.01]  # the loop is played anew
    demo.playback.state_changed.emit()
    editor.undo()
    editor.undo()
    assert editor.history.undo_label is None


def test_a_sound_goes_with_a_lane_and_is_mixed_under_what_plays(demo, qtbot):
    editor = demo.editor
    editor.select(LaneSelection(editor.project.lanes[0].id))
    choose(field(demo, QComboBox, "Sound that is heard with each cue"), "thump")
    type_into(field(demo, QDoubleSpinBox, "Gain of the sound"), "-12")
    accent = editor.project.lanes[0].accent
    assert (accent.sound, accent.gain) == (AccentSound.THUMP, -12)
    mixes = []
    demo.shot_sounds.peak_changed.connect(mixes.append)
    qtbot.waitUntil(lambda: bool(mixes) and mixes[-1] > 0, timeout=20_000)
    assert np.isfinite(mixes[-1])
