"""The bench page of a split screen: how its panels share the frame, and what each of them shows."""

from functools import partial
from typing import Any, TypeAlias

from msgspec.structs import replace

from epiphane.desk.bench.options import clip_options
from epiphane.desk.bench.page import BenchPage
from epiphane.desk.bench.shots.shot import position_fields, turned_fields
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.panels import PanelDesk
from epiphane.desk.control.shots import ShotDesk
from epiphane.desk.look.fields import NumberField, button, in_a_row, label
from epiphane.document.ids import FootageId, PulseId
from epiphane.document.timeline import Framing, Item, Panel, PanelLayout, Panels, Pin
from epiphane.edits.shots.panels import add_panel, change_panels, remove_panel, set_panel_clip
from epiphane.edits.shots.shots import footage_name
from epiphane.facts.panels import panel_arrivals, panel_places
from epiphane.timing import frame_at
from epiphane.wording import tr

_LAYOUTS = tuple((layout, tr(layout.value)) for layout in PanelLayout)
_TOGETHER = ""
_SIDES = ((tr("From the left"), 0), (tr("From the top"), 0), (tr("Width"), 1), (tr("Height"), 1))
_Split: TypeAlias = tuple[Item, Panels]


class SplitScreenBench(BenchPage[_Split]):
    """The selected split screen; one of its panels at a time is looked at closely."""

    def __init__(self, editor: Editor, shots: ShotDesk, desk: PanelDesk) -> None:
        super().__init__(editor)
        self._desk = desk
        split = button(tr("Split"), tr("Cut the shot in two at the playhead (/)"), shots.split)
        delete = button(
            tr("Delete"), tr("Delete the shot, and its neighbour fills the gap (Delete)"), shots.remove
        )
        self.add(self.told(self._told), in_a_row(split, delete, spacing=6))
        self._add_screen_rows()
        self.rule()
        self._add_panel_rows()
        self._add_framing_rows()
        self.end()
        desk.chosen.connect(self.refresh)

    def thing(self) -> _Split | None:
        """Return the selected shot, and its panels."""
        return self._desk.selected()

    def _panel(self, split: _Split) -> Panel:
        return split[1].panels[self._desk.place]

    def _told(self, split: _Split) -> str:
        shot, panels = split
        late = sum(frame >= shot.end for frame in panel_arrivals(self.editor.project, shot, panels))
        told = tr(
            "frames {start} to {end}, {count} panels",
            start=shot.start,
            end=shot.end - 1,
            count=len(panels.panels),
        )
        if late:
            told += tr(
                ". The shot ends before {late} of them come: make it longer, or choose another pulse",
                late=late,
            )
        return told

    def _add_screen_rows(self) -> None:
        """Add what all panels share."""
        panels = self.fields(Panels, self._change, lambda split: split[1])
        gap = panels.number("gap", tr("Gap between panels"), "%", factor=100, decimals=1)
        self.enabled(lambda split: split[1].layout is not PanelLayout.FREE, gap)
        colour = self.colour(
            tr("Colour between panels"), lambda split: split[1].colour, lambda text: self._change(colour=text)
        )
        line = self.colour(
            tr("Colour of the borders"),
            lambda split: split[1].border_colour,
            lambda text: self._change(border_colour=text),
        )
        pulse = self.choice(
            tr("What lets the panels come in"),
            lambda _: [
                (_TOGETHER, tr("all at once")),
                *(
                    (str(one.id), tr("one on each of {name}", name=one.name))
                    for one in self.editor.project.pulses
                ),
            ],
            lambda split: _TOGETHER if split[1].pulse is None else str(split[1].pulse),
            lambda key: self._change(pulse=PulseId(int(key)) if key else None),
        )
        border = panels.number("border", tr("Line round each panel"), "%", factor=100, decimals=1)
        self.row(tr("Layout"), panels.choice("layout", tr("How panels share the frame"), _LAYOUTS))
        self.row(tr("Gap"), gap, colour)
        self.row(tr("Border"), border, line)
        self.row(tr("Come in"), pulse)

    def _add_panel_rows(self) -> None:
        """Add what the panel that is looked at shows."""
        chosen = self.choice(
            tr("Panel"),
            self._panel_options,
            lambda _: str(self._desk.place),
            lambda key: self._desk.choose(int(key)),
        )
        clip = self.choice(
            tr("Clip of the panel"),
            lambda _: clip_options(self.editor.project),
            lambda split: str(self._panel(split).cut.footage),
            self._exchange,
        )
        moment = self.number(
            tr("Moment of the clip"),
            self._moment_of,
            self._desk.set_moment,
            limits=(Pin, "moment"),
            unit="s",
            decimals=2,
            step=0.1,
        )
        place = label("")
        self.shows(lambda split: place.setText(self._landing(split)))
        tip = tr("Put the panel's moment on the hit that is nearest to the playhead")
        land = button(tr("On the hit here"), tip, self._desk.land)
        add = button(tr("Add"), tr("Add a panel of the clip that is used least"), self._add)
        remove = button(tr("Remove"), tr("Delete the panel that is looked at"), self._remove)
        self.row(tr("Panel"), chosen, add, remove)
        self.row(tr("Clip"), clip)
        self.row(tr("Moment"), moment, place, land)

    def _add_framing_rows(self) -> None:
        """Add where the panel that is looked at lies, and how its clip lies in it."""
        self._sides = [self._side(number) for number in range(4)]
        across, down, width, height = self._sides
        self.row(tr("From left"), across, label(tr("from top")), down, when=_is_free)
        self.row(tr("Width, height"), width, height, when=_is_free)
        panel = self.fields(Panel, self._desk.change_panel, self._panel)
        framing = self.fields(Framing, self._frame, lambda split: self._panel(split).framing)
        scale = framing.number("scale", tr("Scale in the panel"), "%", factor=100)
        self.row(
            tr("Delay"), panel.number("delay", tr("How many frames later it shows")), label(tr("frames"))
        )
        self.row(tr("Scale"), scale, *turned_fields(framing, tr(" in the panel")))
        self.row(tr("Position"), *position_fields(framing, tr(" in the panel")))

    def _side(self, number: int) -> NumberField:
        words, least = _SIDES[number]
        return self.number(
            words,
            lambda split: self._box(split)[number],
            lambda _: self._change_box(),
            limits=(least, 100),
            unit="%",
            factor=100,
            decimals=1,
        )

    def _box(self, split: _Split) -> tuple[float, float, float, float]:
        project = self.editor.project
        return panel_places(split[1], project.width / project.height)[self._desk.place].box

    def _panel_options(self, split: _Split) -> list[tuple[str, str]]:
        names = {one.id: footage_name(one) for one in self.editor.project.footage}
        return [
            (str(n), f"{n + 1}: {names.get(one.cut.footage, '?')}") for n, one in enumerate(split[1].panels)
        ]

    def _moment_of(self, split: _Split) -> float:
        panel = self._panel(split)
        return panel.cut.source_start if panel.pin is None else panel.pin.moment

    def _landing(self, split: _Split) -> str:
        pin = self._panel(split).pin
        return (
            tr("at its start")
            if pin is None
            else tr("on frame {frame}", frame=frame_at(pin.hit, self.editor.project.rate))
        )

    def _change_box(self) -> None:
        left, top, width, height = (field.value() / 100 for field in self._sides)
        self._desk.change_panel(box=(left, top, min(width, 1 - left), min(height, 1 - top)))

    def _exchange(self, key: str) -> None:
        place, clip = self._desk.place, FootageId(int(key))
        self._desk.apply(lambda p, shot: set_panel_clip(p, shot, place, clip), tr("clip of a panel"))

    def _add(self) -> None:
        self._desk.apply(add_panel, tr("panel of a split screen"))

    def _remove(self) -> None:
        self._desk.apply(partial(remove_panel, place=self._desk.place), tr("deletion of a panel"))

    def _change(self, **changes: Any) -> None:
        self._desk.apply(partial(change_panels, **changes), tr("change of a split screen"))

    def _frame(self, **changes: Any) -> None:
        panel = self._desk.panel
        if panel is not None:
            self._desk.change_panel(framing=replace(panel.framing, **changes))


def _is_free(split: _Split) -> bool:
    return split[1].layout is PanelLayout.FREE
