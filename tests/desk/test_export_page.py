"""The export page: formats, presets, loudness, sizes, and what goes to other programs."""

import opentimelineio as otio
import pytest
from distributed import Client
from hands import drag, field, press
from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QDrag
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QInputDialog, QLabel, QLineEdit

from epiphane.exporting.queue_process import start_detached
from epiphane.exporting.size_estimate import estimated_bytes
from epiphane.media.probe import probe_footage


def choose(page, name, key):
    """Choose an option of a list as the mouse does."""
    box = field(page, QComboBox, name)
    index = box.findData(key)
    assert index >= 0, [box.itemData(n) for n in range(box.count())]
    box.setCurrentIndex(index)
    box.activated.emit(index)
    return box


@pytest.fixture
def page(demo):
    demo.bench.open_export()
    return demo.bench.export


def test_a_film_is_exported_in_the_format_that_is_chosen_and_its_name_follows(page, demo, tmp_path, qtbot):
    page.set_path(tmp_path / "roll on.mp4")
    choose(page, "Format", "vp9-webm")
    assert page._path.text().endswith("roll on.webm")
    choose(page, "Quality", "small")
    choose(page, "Size", "480x270")
    box = next(one for one in page.findChildren(QCheckBox) if one.text() == "over nothing")
    assert box.isVisible()
    field(page, type(page._from), "From").show_value(8)
    page._to.show_value(8.5)
    page._keep_range()
    press(page, "Export the film")
    qtbot.waitUntil(lambda: not demo.exports.is_busy, timeout=60_000)
    assert "oll on.webm is ready" in demo.notice.text
    film = probe_footage(tmp_path / "roll on.webm")
    assert (film.width, film.height) == (480, 270) and film.duration == pytest.approx(0.5, abs=0.01)
    # One whose ending is typed is of that format.
    page._path.setText(str(tmp_path / "still.png"))
    page._path.textEdited.emit(page._path.text())
    assert field(page, QComboBox, "Format").currentData() == "png"
    names = [one.accessibleName() for one in page.findChildren(QComboBox) if one.isVisible()]
    assert "Bits a value" in names and "Loudness" not in names


def test_settings_are_kept_under_a_name_and_thrown_away(page, monkeypatch):
    choose(page, "Purpose", "Titles over nothing")
    assert field(page, QComboBox, "Format").currentData() == "prores-4444"
    choose(page, "Loudness", "-23.0")
    assert field(page, QComboBox, "Purpose").currentData() == ""
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_more: ("for the band", True))
    press(page, "Keep…")
    assert field(page, QComboBox, "Purpose").currentData() == "for the band"
    choose(page, "Purpose", "To show anywhere")
    assert field(page, QComboBox, "Format").currentData() == "h264-mp4"
    choose(page, "Purpose", "for the band")
    assert page._settings.is_clear and page._settings.loudness == -23
    press(page, "Remove")
    assert field(page, QComboBox, "Purpose").findData("for the band") < 0


def test_loudness_and_size_are_told_before(page, demo, qtbot):
    choose(page, "Size", "480x270")
    choose(page, "Loudness", "-23.0")
    told = lambda: " ".join(one.text() for one in page.findChildren(type(page._state)))  # noqa: E731
    qtbot.waitUntil(lambda: "The mix is -" in told(), timeout=30_000)
    assert "It is changed by -" in told()
    page._from.show_value(0)
    page._to.show_value(1)
    page._keep_range()
    press(page, "Estimate")
    qtbot.waitUntil(lambda: page._estimate.text().startswith("about"), timeout=60_000)
    wanted = estimated_bytes(demo.editor.project, page._settings, range(30))
    assert page._estimate.text() == f"about {wanted / 1000:.0f} kB"


def test_the_edit_goes_to_another_program_and_what_comes_back_is_one_step(
    page, demo, tmp_path, qtbot, monkeypatch
):
    path = tmp_path / "cut.otio"
    monkeypatch.setattr(QFileDialog, "exec", lambda _self: 1)
    monkeypatch.setattr(QFileDialog, "selectedFiles", lambda _self: [str(path)])
    choose(page, "Format of interchange", "otio")
    press(page, "Write…")
    qtbot.waitUntil(path.exists, timeout=30_000)
    qtbot.waitUntil(lambda: not demo.jobs.running, timeout=30_000)
    timeline = otio.adapters.read_from_file(str(path))
    clip = next(iter(timeline.video_tracks()[0].find_clips()))
    before = demo.editor.project
    clip.source_range = otio.opentime.TimeRange(
        clip.source_range.start_time, clip.source_range.duration - otio.opentime.RationalTime(15, 30)
    )
    otio.adapters.write_to_file(timeline, str(path))
    demo.files.gather([path])
    qtbot.waitUntil(lambda: demo.editor.project != before, timeout=30_000)
    assert demo.editor.project.shots[0].n_frames == before.shots[0].n_frames - 15
    assert demo.editor.project.lanes == before.lanes
    demo.editor.undo()
    assert demo.editor.project == before


def test_the_queue_is_paused_and_goes_on_and_outlives_the_window(page, demo, tmp_path, qtbot, monkeypatch):
    choose(page, "Size", "480x270")
    page._to.show_value(9)
    page._keep_range()
    for name in ("one.mp4", "two.mp4", "three.mp4", "one.mp4"):
        page.set_path(tmp_path / name)
        press(page, "Export the film")
    assert page.state_text() == "one.mp4 is in the queue already; choose another name."
    exports = demo.exports
    stages = lambda: {entry.path.name: entry.stage.value for entry in exports.entries}  # noqa: E731
    qtbot.waitUntil(lambda: stages().get("one.mp4") == "running", timeout=30_000)
    assert page._path.text().startswith(str(tmp_path)), "the next one is to lie beside the others"
    press(page, "First")
    assert [entry.path.name for entry in exports.entries] == ["one.mp4", "three.mp4", "two.mp4"]
    qtbot.waitUntil(lambda: exports.entries[0].share > 0.05, timeout=60_000)
    press(page, "Pause")
    qtbot.waitUntil(lambda: stages()["three.mp4"] == "running", timeout=60_000)
    assert stages() == {"three.mp4": "running", "one.mp4": "paused", "two.mp4": "waiting"}
    asked = []
    monkeypatch.setattr(
        "epiphane.desk.look.asking.ask", lambda *words: asked.append(words[3]) or words[3][-1]
    )
    assert not demo.close() and demo.isVisible()
    assert asked == [("Go on without the window", "Pause them", "Cancel")]
    for entry in exports.entries:
        if entry.path.name != "one.mp4":
            exports.stop(entry.id)
    qtbot.waitUntil(lambda: stages() == {"one.mp4": "paused"}, timeout=60_000)
    press(page, "Go on")

    def goes_on():
        # Or ready: where the machine had other work, nobody may have looked meanwhile.
        assert stages() in ({"one.mp4": "running"}, {"one.mp4": "done"}), exports.entries

    qtbot.waitUntil(goes_on, timeout=120_000)
    monkeypatch.setattr("epiphane.desk.look.asking.ask", lambda *words: "Discard")
    assert demo.close()
    qtbot.waitUntil((tmp_path / "one.mp4").exists, timeout=120_000)
    assert not (tmp_path / "two.mp4").exists()
    qtbot.waitUntil(lambda: not list(tmp_path.glob(".*chunks*")))


def test_a_film_that_is_ready_is_dragged_to_the_file_manager(page, demo, tmp_path, qtbot, monkeypatch):
    page.set_path(tmp_path / "still.png")
    page._path.textEdited.emit(page._path.text())
    press(page, "Export the film")
    qtbot.waitUntil(lambda: (tmp_path / "still.png").exists() and not demo.exports.is_busy, timeout=60_000)
    given = []
    monkeypatch.setattr(QDrag, "exec", lambda drag, _action: given.extend(drag.mimeData().urls()))
    name = next(one for one in page.findChildren(QLabel) if one.text() == "still.png")
    drag(name, QPoint(4, 6), QPoint(40, 20))
    assert [one.toLocalFile() for one in given] == [str(tmp_path / "still.png")]
    press(page, "Clear")
    assert demo.exports.entries == () and (tmp_path / "still.png").exists()


def test_a_farm_is_started_from_the_page_and_makes_the_film(page, demo, tmp_path, qtbot):
    press(page, "Start a farm here")
    address = field(page, QLineEdit, "Address of a farm")
    qtbot.waitUntil(lambda: address.text().startswith("tcp://127.0.0.1:"), timeout=60_000)
    page.set_path(tmp_path / "film.mp4")
    choose(page, "Size", "480x270")
    page._to.show_value(1)
    page._keep_range()
    press(page, "Export the film")
    qtbot.waitUntil(lambda: not demo.exports.is_busy, timeout=90_000)
    assert (tmp_path / "film.mp4").exists(), demo.exports.entries
    with Client(address.text(), set_as_default=False) as client:
        client.shutdown()


def test_a_queue_that_cannot_go_on_is_told_and_left_alone_until_something_is_asked(
    page, demo, tmp_path, qtbot, monkeypatch
):
    begun = []

    def begin():
        begun.append(start_detached("no-such-command"))
        return begun[-1]

    monkeypatch.setattr("epiphane.desk.control.exports.start_process", begin)
    page.set_path(tmp_path / "film.mp4")
    press(page, "Export the film")
    qtbot.waitUntil(lambda: "Exports cannot go on" in demo.notice.text, timeout=60_000)
    qtbot.wait(1000)
    assert len(begun) == 3
    demo.exports.go_on(demo.exports.entries[0].id)
    assert len(begun) == 4
    demo.exports.stop(demo.exports.entries[0].id)
