"""Everything that has a key, as one table; the list of keys is made from it."""

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget

from epiphane.desk.shell import theme


class ActionSpec(Struct, frozen=True):
    """One thing the editor can do: its id, group, words, keys and icon, and whether a held key repeats it."""

    id: str
    group: str
    text: str
    keys: tuple[str, ...]
    icon: str = ""
    is_checkable: bool = False
    repeats: bool = True


ACTIONS = (
    ActionSpec("play", "Play", "Play or stop", ("Space",), "play", repeats=False),
    ActionSpec("loop", "Play", "Go round this stave", ("L",), "repeat", is_checkable=True),
    ActionSpec("frame_back", "Go", "One frame back; previous cue", ("Left",)),
    ActionSpec("frame_on", "Go", "One frame on; next cue", ("Right",)),
    ActionSpec("still_back", "Go", "One frame back, always", ("<",)),
    ActionSpec("still_on", "Go", "One frame on, always", (">",)),
    ActionSpec("beat_back", "Go", "Previous beat", ("Shift+Left",)),
    ActionSpec("beat_on", "Go", "Next beat", ("Shift+Right",)),
    ActionSpec("bar_back", "Go", "Previous bar", ("Ctrl+Left",)),
    ActionSpec("bar_on", "Go", "Next bar", ("Ctrl+Right",)),
    ActionSpec("go_to", "Go", "To a bar or time that you type", ("Ctrl+G",)),
    ActionSpec("start", "Go", "To the start", ("Home",)),
    ActionSpec("end", "Go", "To the end", ("End",)),
    ActionSpec("cue_back", "Cues", "Previous cue, shot or moment", (",",)),
    ActionSpec("cue_on", "Cues", "Next cue, shot or moment", (".",)),
    ActionSpec("cues_all", "Cues", "All cues of the lane", ("Ctrl+A",)),
    ActionSpec("same_beat", "Cues", "All on this beat of the bar", ("B",)),
    ActionSpec("same_section", "Cues", "All in this section", ("Shift+B",)),
    ActionSpec("take", "Cues", "The hit left out at the playhead", ("A",)),
    ActionSpec("copy_bars", "Cues", "Copy the bars of the cues", ("Ctrl+C",)),
    ActionSpec("paste_bars", "Cues", "Paste them from this bar on", ("Ctrl+V",)),
    ActionSpec("toggle", "Cues", "Switch cues, or a take, off or on", ("X",)),
    ActionSpec("weaker", "Cues", "Weaker", ("Down", "-")),
    ActionSpec("stronger", "Cues", "Stronger", ("Up", "+")),
    ActionSpec("type_strength", "Cues", "Type the strength", ("V",)),
    ActionSpec("nudge_back", "Cues", "A frame earlier; a beat 5 ms", ("Alt+Left",)),
    ActionSpec("nudge_on", "Cues", "A frame later; a beat 5 ms", ("Alt+Right",)),
    ActionSpec("reset", "Cues", "As the lane has it", ("R",)),
    ActionSpec("doubtful_on", "Beats", "Next doubtful beat, and round it", ("D",)),
    ActionSpec("doubtful_back", "Beats", "Previous doubtful beat", ("Shift+D",)),
    ActionSpec("accept", "Beats", "The beat or moment is right", ("Y",)),
    ActionSpec("to_attack", "Beats", "Beat to attack, moment to hit", ("G",)),
    ActionSpec("add_beat", "Beats", "A beat at the playhead", ("Insert",)),
    ActionSpec("ticks", "Beats", "Ticks on beats or on the pulse", ("K",)),
    ActionSpec("tap", "Beats", "Tap a hit while it plays", ("T",), repeats=False),
    ActionSpec("moment", "Clips and shots", "A moment here, even playing", ("N",), repeats=False),
    ActionSpec("no_moment", "Clips and shots", "Remove the moment here", ("Shift+N",)),
    ActionSpec("use_from", "Clips and shots", "Use the clip from here", ("[",)),
    ActionSpec("use_to", "Clips and shots", "Use the clip to here", ("]",)),
    ActionSpec("shot_back", "Clips and shots", "The shot to the previous hit", ("Ctrl+,",)),
    ActionSpec("shot_on", "Clips and shots", "The shot to the next hit", ("Ctrl+.",)),
    ActionSpec("exchange", "Clips and shots", "The chosen clip in its place", ("C",)),
    ActionSpec("keep", "Clips and shots", "Keep the shot when filling again", ("H",)),
    ActionSpec("lane_on", "Lanes", "Next lane", ("Ctrl+Down",)),
    ActionSpec("lane_back", "Lanes", "Previous lane", ("Ctrl+Up",)),
    ActionSpec("lane_add_on", "Lanes", "The next lane too", ("Shift+Down",)),
    ActionSpec("lane_add_back", "Lanes", "The previous lane too", ("Shift+Up",)),
    ActionSpec("lanes_all", "Lanes", "All lanes", ("Shift+A",)),
    ActionSpec("lane_rows", "Lanes", "Rows tall, low, folded", ("Shift+L",)),
    ActionSpec("mute", "Lanes", "Mute the lane", ("M",)),
    ActionSpec("solo", "Lanes", "Only this lane", ("S",)),
    ActionSpec("copy_lane", "Lanes", "A copy of the lane below it", ("Ctrl+Shift+D",)),
    ActionSpec("new_recipe", "Lanes", "Take lanes as a recipe", ("Ctrl+R",)),
    ActionSpec("lane_up", "Lanes", "The lane up", ("Ctrl+Shift+Up",)),
    ActionSpec("lane_down", "Lanes", "The lane down", ("Ctrl+Shift+Down",)),
    ActionSpec("delete", "Lanes", "Remove what is selected", ("Delete", "Backspace")),
    ActionSpec("unselect", "Lanes", "Select nothing", ("Esc",)),
    ActionSpec("lines_1", "See", "1 bar a line", ("1",)),
    ActionSpec("lines_2", "See", "2 bars a line", ("2",)),
    ActionSpec("lines_4", "See", "4 bars a line", ("4",)),
    ActionSpec("lines_8", "See", "8 bars a line", ("8",)),
    ActionSpec("footage", "See", "Footage on the shelf", ("F",)),
    ActionSpec("effects", "See", "Effects on the shelf", ("E",)),
    ActionSpec("recipes", "See", "Recipes on the shelf", ("Shift+E",)),
    ActionSpec("pulses", "See", "Pulses on the shelf", ("P",)),
    ActionSpec("search", "See", "Search the shelf", ("Ctrl+F",)),
    ActionSpec("fold", "See", "Fold the shelf", ("Ctrl+B",)),
    ActionSpec("keys", "See", "All keys", ("?", "F1"), "keyboard", is_checkable=True),
    ActionSpec("undo", "Project", "Undo", ("Ctrl+Z",), "undo-2"),
    ActionSpec("redo", "Project", "Redo", ("Ctrl+Shift+Z",), "redo-2"),
    ActionSpec("song", "Project", "Open a song…", ("Ctrl+M",)),
    ActionSpec("gather", "Project", "Gather footage…", ("Ctrl+I",)),
    ActionSpec("gather_folder", "Project", "Gather a folder…", ("Ctrl+Shift+I",)),
    ActionSpec("fill", "Project", "Fill the song with the footage", ("Ctrl+L",)),
    ActionSpec("missing", "Project", "Look for missing footage…", ("Ctrl+Shift+F",)),
    ActionSpec("new", "Project", "New project", ("Ctrl+N",)),
    ActionSpec("open", "Project", "Open a project…", ("Ctrl+O",)),
    ActionSpec("demo", "Project", "Open the demo", ("Ctrl+F1",)),
    ActionSpec("save", "Project", "Save", ("Ctrl+S",)),
    ActionSpec("save_as", "Project", "Save as…", ("Ctrl+Shift+S",)),
    ActionSpec("lost_work", "Project", "Unsaved work of lost sessions", ("Ctrl+Shift+U",)),
    ActionSpec("export", "Project", "Export", ("Ctrl+E",)),
    ActionSpec("report", "Project", "Report a problem…", ("F12",)),
    ActionSpec("quit", "Project", "Quit", ("Ctrl+Q",)),
)


def make_actions(window: QWidget, callbacks: dict[str, Callable[[], object]]) -> dict[str, QAction]:
    """Return every action of the table, wired to its callback and known to the window.

    Raises
    ------
    KeyError
        If an action has no callback.
    """
    made = {}
    for spec in ACTIONS:
        action = QAction(spec.text, window)
        action.setShortcuts([QKeySequence(keys) for keys in spec.keys])
        action.setToolTip(f"{spec.text.rstrip('…')} ({key_text(spec.keys[0])})")
        action.setCheckable(spec.is_checkable)
        action.setAutoRepeat(spec.repeats)
        if spec.icon:
            action.setIcon(theme.icon(spec.icon))
        callback = callbacks[spec.id]
        action.triggered.connect(lambda _checked=False, callback=callback: callback())
        window.addAction(action)
        made[spec.id] = action
    return made


def key_text(keys: str) -> str:
    """Return keys as they are read: ``Ctrl + Left``."""
    parts = keys.split("+") if keys != "+" else ["+"]
    return " + ".join(parts)
