"""The bench page of a rough cut: how long, which stretch of the song, how quick, how strong."""

from functools import partial

from PyQt6.QtWidgets import QLabel

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.rough_cut import RoughCutDesk
from epiphane.desk.look import theme
from epiphane.desk.look.fields import button, in_a_row, label, wrapped
from epiphane.document.project import Project
from epiphane.edits.rough_cut import LONGEST, SHORTEST, RoughCut
from epiphane.facts.stretches import N_STRETCHES, Stretch
from epiphane.timing import clock_text
from epiphane.wording import tr

_LENGTHS = (10, 15, 30, 60)
_NUMBERS = ("1", "2", "3")
assert len(_NUMBERS) == N_STRETCHES


class RoughCutBench(BenchPage[Project]):
    """A song and clips as a film in one step, and what it is to be like."""

    def __init__(self, editor: Editor, desk: RoughCutDesk) -> None:
        super().__init__(editor, spacing=8)
        self._desk = desk
        self.add(
            wrapped(
                tr(
                    "A stretch of the song, filled with the clips by its parts, with transitions and "
                    "effects: ordinary shots and lanes, to go on with. What is locked stays; one undo takes "
                    "it away."
                )
            )
        )
        self._add_lengths()
        self._add_stretches()
        fields = self.fields(RoughCut, desk.change, lambda _: desk.wanted, released=editor.end_gesture)
        pace = fields.bar("pace", tr("From long shots to short ones"), theme.TEXT)
        strength = fields.bar("strength", tr("From few effects to many"), theme.TEXT)
        self.row(tr("Pace"), pace, fields.number("pace", tr("Pace of the cuts"), "%", factor=100))
        self.row(
            tr("Strength"),
            strength,
            fields.number("strength", tr("Strength of the effects"), "%", factor=100),
        )
        make = button(
            tr("Make it"), tr("Make the rough cut of the stretch; again: with another seed"), desk.make
        )
        take = button(tr("Take the stretch alone"), tr("Trim the song to it, and do nothing else"), desk.take)
        make.setProperty("main", True)
        self.shows(lambda _: make.setText(tr("Another one") if desk.is_made else tr("Make it")))
        self.seen(lambda _: not desk.is_made and bool(desk.stretches), take)
        self.enabled(_can_be_made, make)
        self.row(tr("Seed"), fields.number("seed", tr("Seed of clips, transitions and effects")))
        self.add(in_a_row(make, take, spacing=6), self.told(_lacking, hides=True))
        self.end()
        desk.changed.connect(self.refresh)

    def thing(self) -> Project:
        """Return the project."""
        return self.editor.project

    def _add_lengths(self) -> None:
        desk = self._desk
        seconds = self.number(
            tr("Length of the film"),
            lambda project: desk.wanted.seconds or _length_of(project),
            lambda value: desk.change(seconds=value),
            limits=(SHORTEST, LONGEST),
            unit="s",
            decimals=1,
        )
        quick = [
            self.switch(
                str(length),
                tr("A film of {length} s", length=length),
                partial(self._is_long, length),
                partial(self._set_length, length),
                is_quiet=False,
            )
            for length in _LENGTHS
        ]
        whole = self.switch(
            tr("all"),
            tr("The whole song"),
            lambda _: desk.wanted.seconds is None,
            partial(self._set_length, None),
        )
        self.row(tr("Length"), in_a_row(seconds, *quick, whole, spacing=4))

    def _add_stretches(self) -> None:
        for number in range(N_STRETCHES):
            choice = self.switch(
                _NUMBERS[number],
                tr("Show it on the score, and loop it"),
                partial(self._is_chosen, number),
                partial(self._choose, number),
                is_quiet=False,
            )
            told = label("")
            self.shows(partial(self._tell_stretch, number, told))
            is_there = partial(self._is_offered, number)
            self.row(tr("Stretch") if number == 0 else "", choice, told, when=is_there)

    def _is_long(self, length: int, _project: Project) -> bool:
        return self._desk.wanted.seconds == length

    def _set_length(self, length: int | None, _is_on: bool) -> None:
        self._desk.change(seconds=length)

    def _is_chosen(self, number: int, _project: Project) -> bool:
        return self._desk.wanted.stretch == number

    def _choose(self, number: int, _is_on: bool) -> None:
        self._desk.choose(number)

    def _is_offered(self, number: int, _project: Project) -> bool:
        return number < len(self._desk.stretches)

    def _tell_stretch(self, number: int, told: QLabel, _project: Project) -> None:
        found = self._desk.stretches
        told.setText(stretch_text(found[number]) if number < len(found) else "")


def stretch_text(stretch: Stretch) -> str:
    """Return from where to where a stretch goes, and where its drop is."""
    told = tr(
        "{start} to {end}, {seconds:.1f} s",
        start=clock_text(stretch.start),
        end=clock_text(stretch.end),
        seconds=stretch.seconds,
    )
    if stretch.drop is None:
        return told
    return told + tr("; drop after {seconds:.1f} s", seconds=stretch.drop - stretch.start)


def _length_of(project: Project) -> float:
    return project.song.duration if project.song is not None else SHORTEST


def _can_be_made(project: Project) -> bool:
    return project.song is not None and bool(project.song.beats) and bool(project.footage)


def _lacking(project: Project) -> str:
    if project.song is None:
        return tr("There is no song yet: drop one on the window, or press Ctrl + M.")
    if not project.song.beats:
        return tr("The song has no beats yet.")
    return "" if project.footage else tr("There are no clips yet: drop some on the window.")
