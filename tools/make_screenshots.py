"""Make the pictures of docs/screenshots from the demo: ``make screenshots``."""

import os
from pathlib import Path
from tempfile import TemporaryDirectory

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent, QPainter, QPixmap
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QScrollArea, QSplitter
from tour import write_tour

from epiphane.declare.parameters import setting_of
from epiphane.demo.project import open_basic_demo
from epiphane.desk.bench.keying.look_tiles import LookTiles
from epiphane.desk.control.lanes import Target
from epiphane.desk.control.selection import (
    FootageSelection,
    ItemSelection,
    LaneSelection,
    PartSelection,
    RecipeSelection,
    ShotSelection,
    SongSelection,
)
from epiphane.desk.control.shots import ShotPlace
from epiphane.desk.look import theme
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.desk.shell.app import make_application
from epiphane.desk.shell.window import Window
from epiphane.document.envelope import Ease
from epiphane.document.ids import FootageId
from epiphane.document.matte import MatteKind, MatteMark, MatteStroke
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.document.timeline import Between, PanelLayout
from epiphane.document.titles import Impact
from epiphane.edits.footage import (
    accept_moment,
    add_footage,
    learn_of_footage,
    put_in_group,
    remove_footage,
    use_take,
)
from epiphane.edits.items.keys import put_key
from epiphane.edits.items.tracks import change_item, change_track
from epiphane.edits.keying.cues import (
    change_cue_envelope,
    reset_cues,
    set_cue_effect,
    set_cue_strength,
    toggle_cues,
)
from epiphane.edits.keying.lanes import set_setting
from epiphane.edits.keying.words import change_words
from epiphane.edits.shots.mattes import change_matte
from epiphane.edits.shots.panels import change_panels
from epiphane.edits.shots.shots import footage_name
from epiphane.effects.declare import EFFECTS
from epiphane.facts.cuts import cut_hit_time, cuts_of
from epiphane.facts.grid import bars_of
from epiphane.media.probe import probe_footage
from epiphane.media.proxy import ProxyStore
from epiphane.media.search import search_clip
from epiphane.timing import frame_at, frame_start

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
_GAP = 16
_DROP_BAR = 10  # in the full part
_TITLE_BAR = 5  # where the title lands
_BAND_BAR = 5  # where the band comes in
_IMPACT = 4.566667  # of the chimes, seconds
_MARBLE = MatteMark(  # of the rails
    3.566667,
    (0.29464, 0.46825, 0.37277, 0.60714),
    (MatteStroke(0.32366, 0.53968, 0.018), MatteStroke(0.33482, 0.53968, 0.018)),
)


class Photographer:
    """Drives one window from picture to picture."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.window = Window(journal_folder=folder, proxies=ProxyStore(folder / "proxies"))
        self.window.resize(1280, 800)
        self.window.show()

    def wait(self, milliseconds: int = 400) -> None:
        """Let the window come to rest: pictures are drawn and jobs done."""
        QTest.qWait(milliseconds)

    def take(self, name: str) -> None:
        """Save what the window shows."""
        self.wait()
        self.window.grab().save(str(FOLDER / f"{name}.png"))

    def demo(self) -> None:
        """Take the demo, opened, with the playhead in the drop."""
        window = self.window
        window.files.open_demo()
        while window.editor.heard is None or window.jobs.running:
            self.wait(50)
        bar = next(bar for bar in bars_of(window.editor.project) if bar.number == _TITLE_BAR)
        window.editor.go_to(frame_at(bar.start, window.editor.project.rate) + 6)
        self.wait(9000)  # every thumbnail of the score
        self.take("demo")
        # The others show one thing each: on the demo with a flash and a zoom alone.
        basic = open_basic_demo()
        self.window.editor.apply(lambda p: replace(p, stack=basic.stack, pulses=basic.pulses), "basics")
        bar = next(bar for bar in bars_of(window.editor.project) if bar.number == _DROP_BAR)
        window.editor.go_to(frame_at(bar.start, window.editor.project.rate) + 3)

    def parts(self) -> None:
        """Take what was heard in the song, two bars a line, with one of its parts on the bench."""
        window = self.window
        window.score.set_bars_per_line(2)
        bar = next(bar for bar in bars_of(window.editor.project) if bar.number == _BAND_BAR)
        window.editor.go_to(frame_at(bar.start, window.editor.project.rate) + 12)
        window.editor.select(PartSelection(1))
        self.wait(6000)
        self.take("parts")
        window.editor.select(SongSelection())
        window.score.set_bars_per_line(4)

    def footage(self) -> None:
        """Take the shelf with groups and a clip with its moments on the bench; a rough cut that is chosen."""
        window, before = self.window, self.window.editor.project
        footage = {footage_name(one): one.id for one in before.footage}
        for group, names in (("falls", ("bucket", "tower")), ("long runs", ("rails", "chimes", "dominoes"))):
            ids = [footage[name] for name in names]
            window.editor.apply(lambda p, ids=ids, group=group: put_in_group(p, ids, group), "group")
        chimes = footage["chimes"]
        window.editor.apply(lambda p: accept_moment(p, chimes, _IMPACT, is_accepted=True), "moment")
        tour = self._gather_tour()
        window.editor.select(FootageSelection(tour))
        window.shelf.footage.tiles.setFocus()
        window.clip_player.go_to(2.2)
        self.wait(6000)
        self.take("footage")
        window.editor.apply(lambda p: remove_footage(p, [tour]), "removal")
        window.rough_cut.begin()
        window.rough_cut.change(seconds=15)
        window.rough_cut.choose(0)
        self.wait(4000)
        self.take("rough-cut")
        window.playback.set_loop(None)
        window.editor.apply(lambda _: before, "all of it back")
        window.editor.select(SongSelection())

    def cutting(self) -> None:
        """Take a cut that is rolled, a speed curve, and the edit upright."""
        window, before = self.window, self.window.editor.project
        score = window.score
        window.shelf.footage.tiles.scrollToTop()
        shots = window.editor.project.shots
        curved = next(one for one in shots if one.pin is not None and one.n_frames > 100)
        window.editor.select(ShotSelection(curved.id))
        window.editor.go_to(curved.start + 24)
        window.times.shape("plunge")
        window.times.set_between(Between.FLOW)
        self.wait(9000)
        window.times.set_between(Between.BLEND)
        window.times.set_between(Between.FLOW)
        self.wait(9000)
        self.take("shot")
        viewport = score.viewport()
        left = shots[2]
        at = self._cut_point(left.end)
        press = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        QTest.mousePress(viewport, *press, at)
        for step in range(1, 9):
            QTest.mouseMove(viewport, at + QPoint(4 * step, 0))
            self.wait(60)
        self.wait(1500)
        self.take("cut")
        QTest.mouseRelease(viewport, *press, at + QPoint(32, 0))
        window.shapes.add(9, 16)
        while window.jobs.running:
            self.wait(100)
        chosen = window.editor.project.shots[4]
        window.editor.select(ShotSelection(chosen.id))
        window.editor.go_to(chosen.start + 14)
        self.wait(2500)
        QTest.mouseMove(window.picture, window.picture.rect().center())
        self.take("upright")
        window.editor.apply(lambda _: before, "all of it back")
        window.editor.select(SongSelection())

    def _cut_point(self, frame: int) -> QPoint:
        """Return where a cut stands in the score."""
        score, rate = self.window.score, self.window.editor.project.rate
        layout, seconds = score.layout_now(), frame_start(frame, rate)
        y = score.point_of(seconds).y() - 8
        stave = layout.stave_at(seconds + 1e-6)
        return QPoint(round(layout.x_at(stave, seconds)), round(y + layout.shots_top(0) + 12))

    def _gather_tour(self) -> FootageId:
        """Gather a clip with cuts, a fade and a title card in it, and leave one of its takes out."""
        window, path = self.window, self._folder / "workshop" / "workshop tour.mp4"
        path.parent.mkdir()
        write_tour(path)
        editor = window.editor
        editor.apply(lambda p: add_footage(p, [probe_footage(path)]), "gathering")
        tour = editor.project.footage[-1]
        editor.apply_everywhere(lambda p: learn_of_footage(p, tour.fingerprint, search_clip(path)))
        takes = editor.project.footage[-1].takes
        editor.apply(lambda p: use_take(p, tour.id, takes[-2].start + 0.1, is_used=False), "take")
        return tour.id

    def score_list(self) -> None:
        """Take the score as a list: shots and the cues of a lane, some changed, one on the bench."""
        window, before = self.window, self.window.editor.project
        lane = before.lanes[0].id
        keys = [(lane, cue.hit.time) for cue in window.editor.cues.lane(lane).cues]

        def changed(project: Project) -> Project:
            return set_cue_strength(toggle_cues(project, keys[2:3]), keys[4:5], 0.5)

        window.editor.apply(changed, "changes")
        window.toggle_list()
        rows = window.score_list.model()
        for name in ("Parts", "Shots", "Lanes"):
            found = rows.match(rows.index(0, 0), Qt.ItemDataRole.DisplayRole, name)
            window.score_list.expand(found[0])
        window.editor.select_cues(frozenset(keys[4:5]), lane=lane)
        window.score_list.scrollTo(found[0], window.score_list.ScrollHint.PositionAtCenter)
        window.editor.go_to(frame_at(keys[4][1], before.rate))
        self.wait(3000)
        self.take("list")
        window.toggle_list()
        window.editor.apply(lambda _: before, "all of it back")

    def lane(self) -> None:
        """Take a lane on the bench."""
        lanes = self.window.editor.project.lanes
        self.window.editor.select(LaneSelection(lanes[0].id))
        self.window.shelf.open_page(ShelfPage.EFFECTS)
        self.take("lane")

    def effects(self) -> None:
        """Take the shelf of effects, one of them pointed at."""
        window = self.window
        window.shelf.open_page(ShelfPage.EFFECTS)
        down = next(s for s in window.findChildren(QSplitter) if s.orientation() is Qt.Orientation.Vertical)
        sizes = down.sizes()
        down.setSizes([sum(sizes) // 3, 2 * sum(sizes) // 3])
        self.wait(2500)
        tiles = window.shelf.effects.tiles
        QTest.mouseMove(tiles.viewport(), tiles.point_of("spin"))
        self.take("effects")
        down.setSizes(sizes)

    def layers(self) -> None:
        """Take transitions on the shelf and over the cuts; overlays; a split screen."""
        window, before = self.window, self.window.editor.project
        window.shelf.open_page(ShelfPage.TRANSITIONS)
        window.lanes.add("whip", Target(unit=PulseUnit.CUT))
        lane = window.editor.project.lanes[-1].id
        cuts = cuts_of(before)
        cue = [(lane, cut_hit_time(cuts[0].frame, before.rate))]
        window.editor.apply(lambda p: set_cue_effect(p, cue, "iris"), "iris")
        window.editor.select(LaneSelection(lane))
        window.editor.go_to(cuts[1].frame - 2)
        self.wait(5000)
        self.take("transitions")
        window.editor.apply(lambda _: before, "all of it back")
        window.shelf.open_page(ShelfPage.OVERLAYS)
        window.overlays.put("ink white", Target(unit=PulseUnit.BAR), None)
        self.wait(1500)
        window.overlays.put("paper sheets", Target(), None)
        self.wait(1500)
        window.overlays.put("ellipse", Target(), ShotPlace(frame=cuts[1].frame + 20))
        item = window.editor.chosen.item
        assert item is not None
        for frame, across in ((item.start, -0.3), (item.start + 40, 0.25)):
            window.editor.apply(lambda p, f=frame, x=across: put_key(p, item.id, f, x=x, scale=0.6), "key")
        window.lanes.add("glow", Target(track=window.editor.project.tracks[-1].id))
        window.editor.select(ItemSelection(item.id))
        window.editor.go_to(item.start + 24)
        self.wait(4000)
        self.take("overlays")
        window.editor.apply(lambda _: before, "all of it back")
        self.text()
        shot = before.shots[2]
        window.editor.select(ShotSelection(shot.id))
        window.editor.go_to(shot.start + 88)
        window.panels.split_screen()
        window.shelf.open_page(ShelfPage.FOOTAGE)
        beats = next(pulse.id for pulse in before.pulses if pulse.name == "beats")
        window.editor.apply(
            lambda p: change_panels(p, shot.id, layout=PanelLayout.DIAGONAL, border=0.005, pulse=beats), "x"
        )
        self.wait(3000)
        self.take("split")
        window.editor.apply(lambda _: before, "all of it back")
        window.editor.select(SongSelection())

    def text(self) -> None:
        """Take a text that strikes the picture at the drop, with words on hits; and one behind a marble."""
        window, before = self.window, self.window.editor.project
        window.shelf.open_page(ShelfPage.OVERLAYS)
        window.overlays.put("words", Target(unit=PulseUnit.SNARE), None)
        words = window.editor.project.lanes[-1].id
        window.editor.apply(lambda p: change_words(p, words, text="ROLL TURN DROP LAND"), "words")
        window.editor.go_to(before.shots[2].start)
        window.titles.put()
        window.titles.change(text="MARBLES\nAWAY", size=0.3, face="Bungee", outline=0.02, impact=Impact())
        window.titles.strike()
        window.editor.go_to(before.shots[2].start + 2)
        self.wait(2500)
        window.bench.item.text_rows.look.arrival.kind.setFocus()
        self.take("text")
        window.editor.apply(lambda _: before, "all of it back")
        shot = before.shots[0]
        window.editor.select(ShotSelection(shot.id))
        window.mattes.choose(MatteKind.TRACED)
        window.editor.apply(lambda p: change_matte(p, shot.id, marks=(_MARBLE,)), "marks")
        window.mattes.make()
        while window.jobs.running:
            self.wait(100)
        window.editor.go_to(36)
        window.titles.put()
        window.titles.change(text="ROLL", size=0.5, arrive=None, shadow=None)
        title = window.editor.chosen.item
        assert title is not None
        place = replace(title.transform, x=-0.12, y=0.04)
        window.editor.apply(lambda p: change_item(p, title.id, transform=place), "place")
        track = window.editor.project.tracks[-1].id
        window.editor.apply(lambda p: change_track(p, track, is_behind=True), "behind")
        window.editor.go_to(44)
        window.editor.select(ShotSelection(shot.id))
        self.wait(2500)
        make = window.bench.shot.matte.make
        for area in window.bench.findChildren(QScrollArea):
            if area.isAncestorOf(make):
                area.ensureWidgetVisible(make, 0, 60)
        self.take("behind")
        window.editor.apply(lambda _: before, "all of it back")

    def overridden(self) -> None:
        """Take cues that differ from their lane (weaker, off, another effect, own shapes) and their menu."""
        window, before = self.window, self.window.editor.project
        lane = before.lanes[1].id
        window.score.set_bars_per_line(2)
        first = next(bar for bar in bars_of(before) if bar.number == _DROP_BAR)
        cues = window.editor.cues.lane(lane).cues
        number = next(n for n, cue in enumerate(cues) if cue.hit.time >= first.start)
        keys = [(lane, cue.hit.time) for cue in cues[number - 4 : number + 8]]

        def changed(project: Project) -> Project:
            project = set_cue_strength(reset_cues(project, keys), keys[1:2], 0.5)
            project = set_cue_effect(toggle_cues(project, keys[3:4]), keys[4:5], "split")
            project = set_cue_effect(project, keys[8:9], "blur")
            return change_cue_envelope(project, keys[6:8], rise=4, hold=2, fall=5, fall_ease=Ease.BOUNCE)

        window.editor.apply(changed, "changes")
        window.editor.select_cues(frozenset(keys[6:8]), lane=lane)
        window.editor.go_to(frame_at(keys[4][1], before.rate))
        self.wait(3000)
        self._take_with_menu("overridden", window.score.point_of(keys[7][1], lane))
        window.editor.apply(lambda _: before, "all of it back")
        window.score.set_bars_per_line(4)

    def _take_with_menu(self, name: str, at: QPoint) -> None:
        """Save what the window shows with the menu of what is at a point of the score."""
        paper = self.window.score.paper()
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, paper.mapToGlobal(at))
        QApplication.sendEvent(paper, event)
        self.wait()
        menu, picture = QApplication.activePopupWidget(), self.window.grab()
        assert menu is not None
        painter = QPainter(picture)
        painter.drawPixmap(self.window.mapFromGlobal(menu.pos()), menu.grab())
        painter.end()
        picture.save(str(FOLDER / f"{name}.png"))
        menu.close()

    def finder(self) -> None:
        """Take the finder over the recipes on the shelf, one of them on the bench and in the score."""
        window, before = self.window, self.window.editor.project
        window.shelf.open_page(ShelfPage.RECIPES)
        recipe = next(one for one in window.recipes.kept if one.recipe.name == "Derailed")
        window.recipes.use(str(recipe.path))
        window.editor.select(RecipeSelection(str(recipe.path)))
        self.wait(5000)
        window.finder.ask()
        QTest.keyClicks(window.header.find_field, "speed")
        self.take("finder")
        QTest.keyClick(window.header.find_field, Qt.Key.Key_Escape)
        window.editor.apply(lambda _: before, "all of it back")

    def exporting(self) -> None:
        """Take an export at work, then let it stop."""
        window = self.window
        window.score.set_bars_per_line(4)
        window.shelf.open_page(ShelfPage.FOOTAGE)
        window.bench.open_export()
        export = window.bench.export
        export.set_path(self._folder / "marble-run.mp4")
        export.start()
        export.set_path(self._folder / "marble-run upright.mp4")
        export.start()
        while not any(entry.share > 0.35 for entry in window.exports.entries):
            self.wait(20)
        self.wait(600)
        export.set_path(Path("films") / "marble-run small.mp4")  # no folder of this machine in the picture
        self.window.grab().save(str(FOLDER / "exporting.png"))
        for entry in window.exports.entries:
            window.exports.stop(entry.id)
        while window.exports.entries:
            window.exports.look()
            self.wait(200)
        window.editor.select(SongSelection())

    def grade(self) -> None:
        """Take a grade with scopes and the line of before and after; its page and the looks as a sheet."""
        window, before = self.window, self.window.editor.project
        window.score.set_bars_per_line(4)
        window.shelf.open_page(ShelfPage.EFFECTS)
        bar = next(bar for bar in bars_of(window.editor.project) if bar.number == _DROP_BAR)
        window.editor.go_to(frame_at(bar.start, window.editor.project.rate) + 40)
        window.lanes.add("grade")
        self._set(exposure=0.3, warmth=22.0, midtones_hue=30.0, midtones_colour=35.0, shadows_colour=40.0)
        self._set(luma_curve="0.22,0.14 0.7,0.8", saturation_curve="0.08,0.72 0.55,0.4")
        rows = window.bench.lane.parameters
        ranges, curves = rows.sections["Shadows, midtones, highlights"], rows.sections["Curves"]
        for head in rows.sections.values():
            if head.isChecked() != (head is ranges):
                head.click()
        window.scopes.toggle()
        window.comparison.toggle()
        self.wait(3000)
        area = window.bench.findChild(QScrollArea)
        area.ensureWidgetVisible(rows.wheels["midtones"], 0, 90)
        self.take("grade")
        window.scopes.toggle()
        window.comparison.toggle()
        curves.click()
        self.wait(1500)
        page = rows.grab()
        window.lanes.add("look")
        self.wait(2500)
        tiles = window.bench.lane.findChild(LookTiles).grab()
        height = max(page.height(), tiles.height()) + 2 * _GAP
        sheet = QPixmap(page.width() + tiles.width() + 3 * _GAP, height)
        sheet.fill(theme.GROUND)
        painter = QPainter(sheet)
        painter.drawPixmap(_GAP, _GAP, page)
        painter.drawPixmap(page.width() + 2 * _GAP, _GAP, tiles)
        painter.end()
        sheet.save(str(FOLDER.parent / "grade.jpg"), quality=92)
        window.editor.apply(lambda _: before, "all of it back")

    def _set(self, **values: float | str) -> None:
        """Set values of the selected lane's effect at the peak."""
        lane = self.window.editor.chosen.lane
        assert lane is not None
        for name, value in values.items():
            old = setting_of(EFFECTS.named(lane.effect).parameter(name), lane.settings)
            setting = replace(old, peak=value)
            self.window.editor.apply(lambda p, one=setting: set_setting(p, lane.id, one), "value")


def main() -> None:
    """Take every picture."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = str(Path(folder) / "state")  # with a queue of exports of its own
        application = make_application(["epiphane"])
        photographer = Photographer(Path(folder))
        for step in (
            "demo",
            "parts",
            "footage",
            "cutting",
            "score_list",
            "lane",
            "effects",
            "layers",
            "overridden",
            "finder",
            "grade",
            "exporting",
        ):
            getattr(photographer, step)()
        photographer.window.shut_down()
        application.quit()


if __name__ == "__main__":
    main()
