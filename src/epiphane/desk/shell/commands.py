"""What every key does, by what is selected: the callbacks of the table in `actions`."""

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeAlias

from epiphane.desk.control.selection import PulseSelection, SongSelection
from epiphane.desk.control.steps import step_to_bar, step_to_beat
from epiphane.desk.shelf.panel import ShelfPage
from epiphane.desk.shell.report import report_problem
from epiphane.desk.shell.subjects import Subject, Subjects
from epiphane.files.settings import TEXT_SIZES, keep_text_size, text_size
from epiphane.keying.copying import in_same_section, on_same_beat
from epiphane.wording import tr

if TYPE_CHECKING:
    from epiphane.desk.shell.window import Window

Callbacks: TypeAlias = dict[str, Callable[[], object]]


class Commands:
    """The callbacks of the actions of a window."""

    def __init__(self, window: "Window", subjects: Subjects) -> None:
        self._window = window
        self._subjects = subjects

    def table(self) -> Callbacks:
        """Return the callback of every action, by its id."""
        return {
            **self._going(),
            **self._of_cues(),
            **self._of_beats_and_clips(),
            **self._of_shots(),
            **self._of_lanes(),
            **self._seeing(),
            **self._of_project(),
        }

    def _going(self) -> Callbacks:
        editor = self._window.editor
        return {
            "play": self._toggle_playing,
            "run_on": self._run_on,
            "run_back": lambda: self._window.playback.run(-1),
            "halt": self._halt,
            "slow_on": lambda: self._window.playback.play(0.5),
            "slow_back": lambda: self._window.playback.play(-0.5),
            "loop": self._toggle_loop,
            "loop_in": lambda: self._loop_at(is_end=False),
            "loop_out": lambda: self._loop_at(is_end=True),
            "frame_back": lambda: self._step_frame_or_cue(-1),
            "frame_on": lambda: self._step_frame_or_cue(1),
            "still_back": lambda: self._step_frame(-1),
            "still_on": lambda: self._step_frame(1),
            "beat_back": lambda: step_to_beat(editor, -1),
            "beat_on": lambda: step_to_beat(editor, 1),
            "bar_back": lambda: step_to_bar(editor, -1),
            "bar_on": lambda: step_to_bar(editor, 1),
            "go_to": self._ask_place,
            "start": lambda: editor.go_to(0),
            "end": lambda: editor.go_to(editor.project.n_frames - 1),
        }

    def _of_cues(self) -> Callbacks:
        cues = self._window.cues
        return {
            "cue_back": lambda: self._step_thing(-1),
            "cue_on": lambda: self._step_thing(1),
            "cues_all": self._select_all,
            "same_beat": self._select_alike,
            "same_section": self._select_section,
            "take": cues.take_here,
            "copy": self._copy,
            "cut": self._cut,
            "paste": lambda: self._paste(covers=False),
            "paste_over": lambda: self._paste(covers=True),
            "copy_look": cues.copy_look,
            "paste_look": cues.paste_look,
            "toggle": self._toggle,
            "weaker": lambda: cues.scale(-1),
            "stronger": lambda: cues.scale(1),
            "type_strength": self._type_strength,
            "nudge_back": lambda: self._nudge(-1),
            "nudge_on": lambda: self._nudge(1),
            "reset": cues.reset,
        }

    def _of_beats_and_clips(self) -> Callbacks:
        beats, moments, form = self._window.beats, self._window.moments, self._window.form
        return {
            "doubtful_on": lambda: beats.step_doubtful(1),
            "doubtful_back": lambda: beats.step_doubtful(-1),
            "accept": self._accept,
            "to_attack": self._snap,
            "add_beat": beats.add_beat,
            "part_split": form.split,
            "part_join": form.join,
            "drop_here": form.toggle_drop,
            "ticks": self._toggle_ticks,
            "tap": self._window.pulses.tap,
            "moment": moments.set_moment,
            "no_moment": moments.remove_here,
            "use_from": lambda: moments.use_from_here(is_end=False),
            "use_to": lambda: moments.use_from_here(is_end=True),
            "fill": self._window.shots.fill,
            "dress": self._window.dressing.again,
            "rough_cut": self._window.rough_cut.begin,
        }

    def _of_shots(self) -> Callbacks:
        shots, times = self._window.shots, self._window.times
        return {
            "put": lambda: shots.put_here(covers=False),
            "put_over": lambda: shots.put_here(covers=True),
            "exchange": shots.exchange,
            "keep": shots.toggle_lock,
            "split": shots.split,
            "split_hits": shots.split_at_hits,
            "join": shots.join,
            "swap": shots.swap,
            "roll": shots.roll_here,
            "trim_start": lambda: shots.trim_here(is_end=False, ripple=True),
            "trim_end": lambda: shots.trim_here(is_end=True, ripple=True),
            "trim_start_alone": lambda: shots.trim_here(is_end=False, ripple=False),
            "trim_end_alone": lambda: shots.trim_here(is_end=True, ripple=False),
            "delete_closing": lambda: shots.delete(ripple=True),
            "delete_leaving": lambda: shots.delete(ripple=False),
            "shot_back": lambda: shots.move_to_hit(-1),
            "shot_on": lambda: shots.move_to_hit(1),
            "shot_bar_back": lambda: shots.move_by_bar(-1),
            "shot_bar_on": lambda: shots.move_by_bar(1),
            "shot_before": lambda: shots.move_before(-1),
            "shot_after": lambda: shots.move_before(1),
            "slip_back": lambda: shots.slip(-1),
            "slip_on": lambda: shots.slip(1),
            "hold": shots.hold,
            "stretch": times.stretch_here,
            "reverse": times.reverse,
            "freeze": times.freeze,
            "split_screen": self._window.panels.split_screen,
            "wall": self._window.panels.wall,
            "text": self._window.titles.put,
            "snapping": self._toggle_snapping,
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
            "mute": self._mute,
            "solo": self._solo,
            "copy_lane": self._duplicate,
            "new_recipe": self._window.recipes.begin,
            "lane_up": lambda: (self._subject.move_row or lanes.move)(-1),
            "lane_down": lambda: (self._subject.move_row or lanes.move)(1),
            "delete": self._delete,
            "unselect": self._unselect,
        }

    def _seeing(self) -> Callbacks:
        score, shelf, large = self._window.score, self._window.shelf, self._window.large
        return {
            "lines_1": lambda: score.set_bars_per_line(1),
            "lines_2": lambda: score.set_bars_per_line(2),
            "lines_4": lambda: score.set_bars_per_line(4),
            "lines_8": lambda: score.set_bars_per_line(8),
            "text_size": self._enlarge_text,
            "score_list": self._window.toggle_list,
            "large": large.toggle,
            "full_screen": large.toggle_full_screen,
            "picture_window": large.toggle_window,
            "zoom_fit": lambda: large.zoom(None),
            "zoom_1": lambda: large.zoom(1.0),
            "zoom_2": lambda: large.zoom(2.0),
            "guides": large.toggle_guides,
            "scopes": self._window.scopes.toggle,
            "compare": self._window.comparison.toggle,
            "keep_still": self._window.shown.keep,
            "next_shape": self._window.shapes.show_next,
            "footage": lambda: shelf.open_page(ShelfPage.FOOTAGE),
            "effects": lambda: shelf.open_page(ShelfPage.EFFECTS),
            "overlays": lambda: shelf.open_page(ShelfPage.OVERLAYS),
            "transitions": lambda: shelf.open_page(ShelfPage.TRANSITIONS),
            "recipes": lambda: shelf.open_page(ShelfPage.RECIPES),
            "pulses": lambda: shelf.open_page(ShelfPage.PULSES),
            "search": self._search,
            "fold": lambda: shelf.fold(not shelf.is_folded),
            "grow": self._window.grow_shelf,
            "find": self._window.finder.ask,
            "keys": self._toggle_keys,
        }

    def _of_project(self) -> Callbacks:
        editor, files = self._window.editor, self._window.files
        return {
            "undo": editor.undo,
            "redo": editor.redo,
            "even_out": self._window.grading.even_out,
            "even_out_by_part": self._window.grading.even_out_by_part,
            "bring_to_kept": self._window.grading.bring_to_kept,
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

    def _run_on(self) -> None:
        """Play the selected clip, or the project; that twice as fast where it plays already."""
        if self._window.clip_player.footage is not None and not self._window.playback.is_playing:
            self._window.clip_player.play()
        else:
            self._window.playback.run(1)

    def _halt(self) -> None:
        self._window.clip_player.stop()
        self._window.playback.stop()

    def _loop_at(self, *, is_end: bool) -> None:
        """Let the loop end after the frame under the playhead, or begin with it."""
        playback, here = self._window.playback, self._window.editor.playhead
        first, end = playback.loop or (0, self._window.editor.project.n_frames)
        loop = (min(first, here), here + 1) if is_end else (here, max(end, here + 1))
        playback.set_loop(loop)

    @property
    def _subject(self) -> Subject:
        """What is done with what is selected."""
        return self._subjects[type(self._window.editor.selection)]

    def _mute(self) -> None:
        (self._subject.mute or self._window.lanes.mute)()

    def _solo(self) -> None:
        (self._subject.solo or self._window.lanes.solo)()

    def _nudge(self, direction: int) -> None:
        (self._subject.nudge or self._window.cues.nudge)(direction)

    def _snap(self) -> None:
        """Bring a beat to its attack, or the moment of a shot to a hit."""
        (self._subject.snap or self._window.beats.to_attack)()

    def _accept(self) -> None:
        (self._subject.accept or self._window.beats.accept_and_go_on)()

    def _toggle(self) -> None:
        """Switch cues, or the take of a clip, off or on."""
        (self._subject.toggle or self._window.cues.toggle)()

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
        (self._subject.step or self._window.cues.step)(direction)

    def _search(self) -> None:
        is_searched = self._window.shelf.page is not ShelfPage.PULSES
        self._window.shelf.open_page(self._window.shelf.page if is_searched else ShelfPage.EFFECTS)
        self._window.shelf.search.setFocus()
        self._window.shelf.search.selectAll()

    def _toggle_ticks(self) -> None:
        """Have the selected pulse tick, or else the beats, or no longer."""
        if isinstance(self._window.editor.selection, PulseSelection) and self._window.bench.pulse is not None:
            self._window.bench.pulse.toggle_ticks()
        elif self._window.editor.project.song is not None:
            self._window.bench.song.toggle_ticks()

    def _delete(self) -> None:
        if self._subject.delete is not None:
            self._subject.delete()

    def _duplicate(self) -> None:
        (self._subject.duplicate or self._window.lanes.copy)()

    def _select_all(self) -> None:
        (self._subject.select_all or self._window.cues.select_all)()

    def _select_alike(self) -> None:
        """Select shots of the same clip, or cues on the same beat of the bar."""
        if self._subject.select_alike is not None:
            self._subject.select_alike()
        else:
            self._window.bench.cues.select_alike(on_same_beat)

    def _select_section(self) -> None:
        """Select the shots, or the cues, of the same section."""
        if self._subject.select_section is not None:
            self._subject.select_section()
        else:
            self._window.bench.cues.select_alike(in_same_section)

    def _cut(self) -> None:
        if self._subject.cut is not None:
            self._subject.cut()

    def _copy(self) -> None:
        """Copy shots, or the bars of cues."""
        if self._subject.copy is not None:
            self._subject.copy()
        else:
            self._window.shots.forget_copied()
            self._window.cues.copy_bars()

    def _paste(self, *, covers: bool) -> None:
        """Put in what was copied last: shots, or bars of cues."""
        if self._window.shots.has_copied:
            self._window.shots.paste(covers=covers)
        else:
            self._window.cues.paste_bars()

    def _toggle_snapping(self) -> None:
        self._window.snapping.toggle()
        words = tr("snap to hits") if self._window.snapping.is_on else tr("go to any frame")
        self._window.editor.said.emit(tr("Cuts and shots {words} while they are dragged", words=words), False)

    def _enlarge_text(self) -> None:
        """Have text be the next larger size from the next start, or the smallest after the largest."""
        size = next((one for one in TEXT_SIZES if one > text_size()), TEXT_SIZES[0])
        is_kept = keep_text_size(size)
        told = tr("Text and all around it will be at {size:.0%} when Epiphane is opened again", size=size)
        self._window.editor.said.emit(
            told if is_kept else tr("The settings could not be written"), not is_kept
        )

    def _toggle_keys(self) -> None:
        self._window.key_list.toggle()

    def _unselect(self) -> None:
        """Give up a drag, or else select nothing."""
        if self._window.score.give_up_drag() or self._window.large.close_second():
            return
        if self._window.key_list.isVisible():
            self._window.key_list.hide()
        self._window.editor.select(SongSelection())
        self._window.take_keyboard()
