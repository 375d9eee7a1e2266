"""What every key does, by what is selected: the callbacks of the table in `actions`."""

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeAlias

from epiphane.desk.control.selection import Kind, Selection
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.desk.shell.report import report_problem
from epiphane.keying.copying import in_same_section, on_same_beat

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

Callbacks: TypeAlias = dict[str, Callable[[], object]]

_BEAT_STEP_SECONDS = 0.005


class Commands:
    """The callbacks of the actions of a window."""

    def __init__(self, window: "Window") -> None:
        self._window = window

    def table(self) -> Callbacks:
        """Return the callback of every action, by its id."""
        return {
            **self._going(),
            **self._of_cues(),
            **self._of_beats_and_clips(),
            **self._of_lanes(),
            **self._seeing(),
            **self._of_project(),
        }

    def _going(self) -> Callbacks:
        editor = self._window.editor
        return {
            "play": self._toggle_playing,
            "loop": self._toggle_loop,
            "frame_back": lambda: self._step_frame_or_cue(-1),
            "frame_on": lambda: self._step_frame_or_cue(1),
            "still_back": lambda: self._step_frame(-1),
            "still_on": lambda: self._step_frame(1),
            "beat_back": lambda: editor.step_to_beat(-1),
            "beat_on": lambda: editor.step_to_beat(1),
            "bar_back": lambda: editor.step_to_bar(-1),
            "bar_on": lambda: editor.step_to_bar(1),
            "go_to": self._ask_place,
            "start": lambda: editor.go_to(0),
            "end": lambda: editor.go_to(editor.project.n_frames - 1),
        }

    def _of_cues(self) -> Callbacks:
        cues, bench = self._window.cues, self._window.bench.cues
        return {
            "cue_back": lambda: self._step_thing(-1),
            "cue_on": lambda: self._step_thing(1),
            "cues_all": cues.select_all,
            "same_beat": lambda: bench.select_alike(on_same_beat),
            "same_section": lambda: bench.select_alike(in_same_section),
            "take": cues.take_here,
            "copy_bars": cues.copy_bars,
            "paste_bars": cues.paste_bars,
            "toggle": self._switch,
            "weaker": lambda: cues.scale(-1),
            "stronger": lambda: cues.scale(1),
            "type_strength": self._type_strength,
            "nudge_back": lambda: self._nudge(-1),
            "nudge_on": lambda: self._nudge(1),
            "reset": cues.reset,
        }

    def _of_beats_and_clips(self) -> Callbacks:
        pulses, shots, bench = self._window.pulses, self._window.shots, self._window.bench
        return {
            "doubtful_on": lambda: pulses.step_doubtful(1),
            "doubtful_back": lambda: pulses.step_doubtful(-1),
            "accept": self._accept,
            "to_attack": self._land,
            "add_beat": pulses.add_beat,
            "ticks": self._toggle_ticks,
            "tap": pulses.tap,
            "moment": bench.footage.set_moment,
            "no_moment": bench.footage.remove_here,
            "use_from": lambda: bench.footage.use_from_here(is_end=False),
            "use_to": lambda: bench.footage.use_from_here(is_end=True),
            "shot_back": lambda: bench.shot.move_to_hit(-1),
            "shot_on": lambda: bench.shot.move_to_hit(1),
            "exchange": shots.exchange,
            "keep": bench.shot.toggle_kept,
            "fill": shots.fill,
        }

    def _of_lanes(self) -> Callbacks:
        lanes = self._window.lanes
        return {
            "lane_on": lambda: lanes.step(1),
            "lane_back": lambda: lanes.step(-1),
            "lane_add_on": lambda: lanes.step(1, keeps=True),
            "lane_add_back": lambda: lanes.step(-1, keeps=True),
            "lanes_all": lanes.select_all,
            "lane_rows": self._window.score.next_rows,
            "mute": lanes.mute,
            "solo": lanes.solo,
            "copy_lane": lanes.copy,
            "new_recipe": self._window.recipes.begin,
            "lane_up": lambda: lanes.move(-1),
            "lane_down": lambda: lanes.move(1),
            "delete": self._delete,
            "unselect": self._unselect,
        }

    def _seeing(self) -> Callbacks:
        score, shelf = self._window.score, self._window.shelf
        return {
            "lines_1": lambda: score.set_bars_per_line(1),
            "lines_2": lambda: score.set_bars_per_line(2),
            "lines_4": lambda: score.set_bars_per_line(4),
            "lines_8": lambda: score.set_bars_per_line(8),
            "footage": lambda: shelf.open_page(ShelfPage.FOOTAGE),
            "effects": lambda: shelf.open_page(ShelfPage.EFFECTS),
            "recipes": lambda: shelf.open_page(ShelfPage.RECIPES),
            "pulses": lambda: shelf.open_page(ShelfPage.PULSES),
            "search": self._search,
            "fold": lambda: shelf.fold(not shelf.is_folded),
            "keys": self._toggle_keys,
        }

    def _of_project(self) -> Callbacks:
        editor, files = self._window.editor, self._window.files
        return {
            "undo": editor.undo,
            "redo": editor.redo,
            "song": files.ask_song,
            "gather": files.ask_footage,
            "gather_folder": files.ask_folder,
            "missing": self._window.footage.ask_missing,
            "new": files.new,
            "open": files.ask_open,
            "demo": files.open_demo,
            "save": files.save,
            "save_as": files.ask_save,
            "lost_work": self._window.recovery.show,
            "export": self._window.bench.open_export,
            "report": lambda: report_problem(self._window.editor, self._window),
            "quit": self._window.close,
        }

    def _ask_place(self) -> None:
        self._window.header.ask_place()

    def _toggle_loop(self) -> None:
        """Go round the stave under the playhead, or no longer."""
        self._window.playback.set_loop(
            None if self._window.playback.loop is not None else self._window.score.stave_frames()
        )

    def _nudge(self, direction: int) -> None:
        """Nudge the selected cues by a frame, or the selected beat by some milliseconds."""
        beat = self._window.editor.selected_beat()
        if self._window.editor.selection.kind is Kind.FOOTAGE:
            self._window.bench.footage.move_here(direction)
        elif self._window.editor.selection.kind is Kind.TAP:
            self._window.bench.tap.nudge(direction)
        elif self._window.editor.selection.kind is Kind.BEAT and beat is not None:
            self._window.bench.beat.move_to(max(0.0, round(beat.time + direction * _BEAT_STEP_SECONDS, 6)))
        else:
            self._window.cues.nudge(direction)

    def _land(self) -> None:
        """Bring a beat to its attack, or the moment of a shot to a hit."""
        if self._window.editor.selection.kind is Kind.SHOT:
            self._window.bench.shot.land()
        elif self._window.editor.selection.kind is Kind.TAP:
            self._window.bench.tap.to_attack()
        else:
            self._window.bench.beat.to_attack()

    def _accept(self) -> None:
        if self._window.editor.selection.kind is Kind.FOOTAGE:
            self._window.bench.footage.toggle_accepted()
        else:
            self._window.pulses.accept()

    def _switch(self) -> None:
        """Switch cues, or the take of a clip, off or on."""
        if self._window.editor.selection.kind is Kind.FOOTAGE:
            self._window.bench.footage.toggle_take()
        else:
            self._window.cues.toggle()

    def _toggle_playing(self) -> None:
        """Play the selected clip, or else the project."""
        if self._window.clip_player.footage is not None and not self._window.playback.is_playing:
            self._window.clip_player.toggle()
        else:
            self._window.playback.toggle()

    def _step_frame(self, direction: int) -> None:
        if self._window.clip_player.footage is not None:
            self._window.clip_player.step(direction)
        else:
            self._window.editor.go_to(self._window.editor.playhead + direction)

    def _step_frame_or_cue(self, direction: int) -> None:
        """Walk from cue to cue while some are selected, else from frame to frame."""
        if self._window.cues.are_selected:
            self._window.cues.step(direction)
        else:
            self._step_frame(direction)

    def _type_strength(self) -> None:
        """Have the strength of the selected cues typed."""
        if self._window.cues.are_selected:
            self._window.bench.cues.strength.setFocus()
            self._window.bench.cues.strength.selectAll()

    def _step_thing(self, direction: int) -> None:
        """Go to the next (1) or last (-1) moment of the clip, shot, or cue."""
        kind = self._window.editor.selection.kind
        if kind is Kind.FOOTAGE:
            self._window.bench.footage.step_to_moment(direction)
        elif kind is Kind.SHOT:
            self._window.editor.step_to_shot(direction)
        elif kind is Kind.TAP:
            self._window.editor.step_to_tap(direction)
        else:
            self._window.cues.step(direction)

    def _search(self) -> None:
        is_searched = self._window.shelf.page is not ShelfPage.PULSES
        self._window.shelf.open_page(self._window.shelf.page if is_searched else ShelfPage.EFFECTS)
        self._window.shelf.search.setFocus()
        self._window.shelf.search.selectAll()

    def _toggle_ticks(self) -> None:
        """Have the selected pulse tick, or else the beats, or no longer."""
        if self._window.editor.selection.kind is Kind.PULSE and self._window.bench.pulse is not None:
            self._window.bench.pulse.toggle_ticks()
        elif self._window.editor.project.song is not None:
            self._window.bench.song.toggle_ticks()

    def _delete(self) -> None:
        """Remove a lane or shot; cues cannot be removed, they are switched off."""
        selection = self._window.editor.selection
        shot = selection.shot
        if selection.kind is Kind.CUES:
            self._window.cues.toggle()
        elif selection.kind is Kind.PULSE and self._window.bench.pulse is not None:
            self._window.bench.pulse.remove()
        elif selection.kind is Kind.BEAT:
            self._window.bench.beat.remove()
        elif selection.kind is Kind.TAP:
            self._window.bench.tap.remove()
        elif selection.kind is Kind.RECIPE:
            self._window.remove_recipes([selection.recipe])
        elif selection.kind in (Kind.LANE, Kind.LANES):
            self._window.lanes.remove()
        elif selection.kind is Kind.SHOT and shot is not None:
            self._window.shots.remove(shot)

    def _toggle_keys(self) -> None:
        self._window.key_list.toggle()

    def _unselect(self) -> None:
        if self._window.key_list.isVisible():
            self._window.key_list.hide()
        self._window.editor.select(Selection())
        self._window.score.setFocus()
