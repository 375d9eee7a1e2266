"""The bench pages of a part of the song and of a drop."""

from collections.abc import Callable
from functools import partial
from typing import Any, TypeAlias

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.form import FormDesk
from epiphane.desk.look.fields import NumberField, button, in_a_row, wrapped
from epiphane.document.song import PART_KINDS, PartKind, Section, Song
from epiphane.edits.song.form import MOST_NAME
from epiphane.facts.form import parts_of
from epiphane.timing import clock_text
from epiphane.wording import tr

_LONGEST_SECONDS = 86_400.0
_MEANINGS = {
    "calm": tr("Little goes on: long shots, few effects"),
    "build": tr("It rises to what comes next"),
    "full": tr("Everything plays: short shots, many effects"),
    "break": tr("The beat is left out: as calm as calm parts are"),
}
_Drop: TypeAlias = tuple[Song, float]


class PartBench(BenchPage[Section]):
    """A part of the song: its name, what it is like, where it begins."""

    def __init__(self, editor: Editor, desk: FormDesk) -> None:
        super().__init__(editor, spacing=8)
        start = _time_field(self, tr("Start of the part"), lambda part: part.start, desk.begin_at)
        earlier = button(
            tr("Bar earlier"), tr("Begin a bar earlier (Alt + Left)"), lambda: desk.nudge_part(-1)
        )
        later = button(tr("Bar later"), tr("Begin a bar later (Alt + Right)"), lambda: desk.nudge_part(1))
        tip = tr("Make it a part of the one before it (Ctrl + Shift + J)")
        join = button(tr("Join to the one before"), tip, desk.join)
        split = button(
            tr("Split at the playhead"), tr("Split it at the nearest bar line (Ctrl + U)"), desk.split
        )
        self.enabled(lambda _: bool(editor.selection.part), start, earlier, later, join)
        name = self.text_field(
            tr("Name of the part"),
            tr("What this part is called"),
            lambda part: part.name,
            desk.rename,
            longest=MOST_NAME,
        )
        kinds = [
            self.switch(
                tr(kind).capitalize(),
                _MEANINGS[kind],
                partial(_is_kind, kind),
                partial(self._choose, desk, kind),
                is_quiet=False,
            )
            for kind in PART_KINDS
        ]
        self.add(self.told(_told))
        self.row(tr("Name"), name)
        self.row(tr("It is"), *kinds)
        self.row(tr("Begins at"), start, earlier, later)
        self.add(in_a_row(split, join))
        self.add(wrapped(tr("Filling, dressing, holding a shot and lanes that fire in a part go by it.")))
        self.end()

    def thing(self) -> Section | None:
        """Return the selected part."""
        number, parts = self.editor.selection.part, parts_of(self.editor.project.song)
        return parts[number] if number is not None and number < len(parts) else None

    def _choose(self, desk: FormDesk, kind: PartKind, _is_on: bool) -> None:
        desk.choose_kind(kind)
        self.refresh()


class DropBench(BenchPage[_Drop]):
    """A drop of the song: where it is."""

    def __init__(self, editor: Editor, desk: FormDesk) -> None:
        super().__init__(editor, spacing=8)
        time = _time_field(self, tr("Time of the drop"), lambda drop: drop[1], desk.put_selected_drop)
        earlier = button(tr("Earlier"), tr("To the beat before (Alt + Left)"), lambda: desk.nudge_drop(-1))
        later = button(tr("Later"), tr("To the next beat (Alt + Right)"), lambda: desk.nudge_drop(1))
        remove = button(tr("Delete"), tr("There is no drop here (Delete)"), desk.remove_drop)
        self.add(self.told(_told_drop))
        self.row(tr("At"), time, earlier, later)
        self.add(in_a_row(remove))
        self.add(wrapped(tr("The best moment of the footage, the dressing and titles land on drops.")))
        self.end()

    def thing(self) -> _Drop | None:
        """Return the song, and the time of its selected drop."""
        song, number = self.editor.project.song, self.editor.selection.drop
        if song is None or number is None or number >= len(song.drops):
            return None
        return song, song.drops[number]


def _time_field(
    page: BenchPage[Any], name: str, time_of: Callable[..., float], edited: Callable[[float], object]
) -> NumberField:
    limits = (0, _LONGEST_SECONDS)
    return page.number(name, time_of, edited, limits=limits, unit="s", decimals=3, step=0.1, width=96)


def _is_kind(kind: PartKind, part: Section) -> bool:
    return kind == part.kind


def _told(part: Section) -> str:
    return tr(
        "{time} to {end}, {whose}",
        time=clock_text(part.start),
        end=clock_text(part.end),
        whose=_whose(part.is_own),
    )


def _whose(is_own: bool) -> str:
    return tr("set by you") if is_own else tr("as it was heard")


def _told_drop(drop: _Drop) -> str:
    song, time = drop
    return f"{clock_text(time)}, {_whose(song.has_own_drops)}"
