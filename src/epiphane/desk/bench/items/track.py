"""The bench page of a track over the shots: its name, what it does, and the lanes that are aimed at it."""

from typing import Any

from PyQt6.QtWidgets import QPushButton

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.tracks import TrackDesk
from epiphane.desk.look.fields import in_a_row
from epiphane.desk.look.lanes import lane_label
from epiphane.document.timeline import Track
from epiphane.edits.items.tracks import change_track
from epiphane.wording import plural, tr


class TrackBench(BenchPage[Track]):
    """The selected track."""

    def __init__(self, editor: Editor, tracks: TrackDesk) -> None:
        super().__init__(editor)
        self.add(self.told(_told))
        tip = tr("Show only this row, and others that are solo (S)")
        behind = tr(
            "Let the subject of a shot hide what is on the track; it is told apart on the shot's bench"
        )
        switches = (
            self.switch(
                tr("Mute"),
                tr("Show nothing of the track (M)"),
                lambda track: track.is_muted,
                lambda _: tracks.toggle_muted(),
            ),
            self.switch(tr("Solo"), tip, lambda track: track.is_solo, lambda _: tracks.toggle_solo()),
            self._switch(tr("Lock"), tr("Let nothing change the track"), "is_locked"),
            self._switch(tr("Fold"), tr("Draw its row low"), "is_folded"),
            self._switch(tr("Behind"), behind, "is_behind"),
        )
        self.add(in_a_row(*switches, spacing=6))
        self.row(
            tr("Name"),
            self.text_field(tr("Name of the track"), tr("What the track is called"), _name_of, self._rename),
        )
        self.add(self.told(self._aimed))
        self.end()

    def thing(self) -> Track | None:
        """Return the selected track."""
        return self.editor.chosen.track

    def _switch(self, text: str, tip: str, field: str) -> QPushButton:
        return self.switch(
            text, tip, lambda track: bool(getattr(track, field)), lambda is_on: self._change(**{field: is_on})
        )

    def _aimed(self, track: Track) -> str:
        aimed = [lane_label(lane) for lane in self.editor.project.lanes if lane.track == track.id]
        told = (
            tr("Aimed at it alone: {names}.", names=", ".join(aimed))
            if aimed
            else tr("No effect is aimed at it alone.")
        )
        return tr("{told} An effect that is dropped on its row is.", told=told)

    def _rename(self, name: str) -> None:
        self._change(name=name)

    def _change(self, **changes: Any) -> None:
        self.apply(lambda p, track: change_track(p, track.id, **changes), tr("change of a track"))
        self.refresh()


def _told(track: Track) -> str:
    number = len(track.items)
    return tr(
        "{number} over all that stands above it in the score", number=plural(number, "1 item", "{} items")
    )


def _name_of(track: Track) -> str:
    return track.name
