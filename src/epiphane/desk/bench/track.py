"""The bench page of a track over the shots: its name, what it does, and the lanes that are aimed at it."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QPushButton, QVBoxLayout

from epiphane.desk.bench.page import BenchPage
from epiphane.desk.control.editor import Editor
from epiphane.desk.control.tracks import TrackDesk
from epiphane.desk.look.fields import TextField, in_a_row, label, row
from epiphane.desk.look.lanes import lane_label
from epiphane.edits.tracks import change_track


class TrackBench(BenchPage):
    """The selected track."""

    def __init__(self, editor: Editor, tracks: TrackDesk) -> None:
        super().__init__()
        self._editor = editor
        self._what = label("")
        self._what.setWordWrap(True)
        self._name = TextField("Name of the track", "What the track is called")
        self._name.editingFinished.connect(self._rename)
        self._mute = _switch("Mute", "Show nothing of the track (M)", tracks.toggle_muted)
        self._solo = _switch("Solo", "Show only this row, and others that are solo (S)", tracks.toggle_solo)
        self._lock = _switch("Lock", "Let nothing change the track", lambda: self._toggle("is_locked"))
        self._fold = _switch("Fold", "Draw its row low", lambda: self._toggle("is_folded"))
        self._behind = _switch(
            "Behind",
            "Let the subject of a shot hide what is on the track; it is told apart on the shot's bench",
            lambda: self._toggle("is_behind"),
        )
        self._aimed = label("")
        self._aimed.setWordWrap(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        box.addWidget(self._what)
        box.addWidget(in_a_row(self._mute, self._solo, self._lock, self._fold, self._behind, spacing=6))
        box.addWidget(row("Name", self._name))
        box.addWidget(self._aimed)
        box.addStretch(1)

    def refresh(self) -> None:
        """Show the track as it is now."""
        track = self._editor.selected_track()
        if track is None:
            return
        number = len(track.items)
        self._what.setText(f"{number} item{'s' * (number != 1)} over all that stands above it in the score")
        self._name.show_text(track.name)
        for switch, is_on in (
            (self._mute, track.is_muted),
            (self._solo, track.is_solo),
            (self._lock, track.is_locked),
            (self._fold, track.is_folded),
            (self._behind, track.is_behind),
        ):
            switch.setChecked(is_on)
        aimed = [lane_label(lane) for lane in self._editor.project.lanes if lane.track == track.id]
        told = f"Aimed at it alone: {', '.join(aimed)}." if aimed else "No effect is aimed at it alone."
        self._aimed.setText(f"{told} An effect that is dropped on its row is.")

    def _rename(self) -> None:
        track, name = self._editor.selected_track(), self._name.text().strip()
        if track is not None and name != track.name:
            self._change(name=name)

    def _toggle(self, field: str) -> None:
        track = self._editor.selected_track()
        if track is not None:
            self._change(**{field: not getattr(track, field)})

    def _change(self, **changes: Any) -> None:
        track = self._editor.selected_track()
        if track is not None:
            self._editor.apply(lambda p: change_track(p, track.id, **changes), "change of a track")
            self.refresh()


def _switch(text: str, tip: str, toggle: Callable[[], object]) -> QPushButton:
    made = QPushButton(text)
    made.setCheckable(True)
    made.setProperty("quiet", True)
    made.setToolTip(tip)
    made.clicked.connect(lambda _on: toggle())
    return made
