"""The table of actions: text, group and shortcut of everything that has a key."""

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget

from epiphane.desk.look import theme
from epiphane.wording import tr


class ActionSpec(Struct, frozen=True):
    """One thing the user can do: its id, group, words, keys and icon, and whether a held key repeats it."""

    id: str
    group: str
    text: str
    keys: tuple[str, ...]
    icon: str = ""
    is_checkable: bool = False
    repeats: bool = True


ACTIONS = (
    ActionSpec("play", "Play", "Play or stop", ("Space",), "play", repeats=False),
    ActionSpec("run_on", "Play", "Play on; again: faster", ("L",), repeats=False),
    ActionSpec("run_back", "Play", "Play backwards; again: faster", ("J",), repeats=False),
    ActionSpec("halt", "Play", "Stop", ("K",), repeats=False),
    ActionSpec("slow_on", "Play", "Play at half speed", ("Shift+L",), repeats=False),
    ActionSpec("slow_back", "Play", "Backwards at half speed", ("Shift+J",), repeats=False),
    ActionSpec("loop", "Play", "Loop this stave, or no loop", ("Q",), "repeat", is_checkable=True),
    ActionSpec("loop_in", "Play", "Loop from here", ("I",)),
    ActionSpec("loop_out", "Play", "Loop to here", ("O",)),
    ActionSpec("frame_back", "Go", "Previous frame or cue", ("Left",)),
    ActionSpec("frame_on", "Go", "Next frame or cue", ("Right",)),
    ActionSpec("still_back", "Go", "Previous frame", ("<",)),
    ActionSpec("still_on", "Go", "Next frame", (">",)),
    ActionSpec("beat_back", "Go", "Previous beat", ("Shift+Left",)),
    ActionSpec("beat_on", "Go", "Next beat", ("Shift+Right",)),
    ActionSpec("bar_back", "Go", "Previous bar", ("Ctrl+Left",)),
    ActionSpec("bar_on", "Go", "Next bar", ("Ctrl+Right",)),
    ActionSpec("go_to", "Go", "Go to a bar or time…", ("Ctrl+G",)),
    ActionSpec("start", "Go", "Go to the start", ("Home",)),
    ActionSpec("end", "Go", "Go to the end", ("End",)),
    ActionSpec("cue_back", "Cues", "Previous cue, shot or moment", (",",)),
    ActionSpec("cue_on", "Cues", "Next cue, shot or moment", (".",)),
    ActionSpec("cues_all", "Cues", "Select all cues or shots", ("Ctrl+A",)),
    ActionSpec("same_beat", "Cues", "Select same beat, or same clip", ("B",)),
    ActionSpec("same_section", "Cues", "Select same section", ("Shift+B",)),
    ActionSpec("take", "Cues", "Add cue on a skipped hit", ("A",)),
    ActionSpec("copy", "Cues", "Copy shots, or bars of cues", ("Ctrl+C",)),
    ActionSpec("paste", "Cues", "Paste here", ("Ctrl+V",)),
    ActionSpec("copy_look", "Cues", "Copy what the cue is", ("Ctrl+Alt+C",)),
    ActionSpec("paste_look", "Cues", "Have cues be as it", ("Ctrl+Alt+V",)),
    ActionSpec("toggle", "Cues", "Turn cue or take off or on", ("X",)),
    ActionSpec("weaker", "Cues", "Decrease strength", ("Down", "-")),
    ActionSpec("stronger", "Cues", "Increase strength", ("Up", "+")),
    ActionSpec("type_strength", "Cues", "Type the strength", ("V",)),
    ActionSpec("nudge_back", "Cues", "Nudge earlier", ("Alt+Left",)),
    ActionSpec("nudge_on", "Cues", "Nudge later", ("Alt+Right",)),
    ActionSpec("reset", "Cues", "Reset", ("R",)),
    ActionSpec("doubtful_on", "Beats", "Next doubtful beat, looped", ("D",)),
    ActionSpec("doubtful_back", "Beats", "Previous doubtful beat", ("Shift+D",)),
    ActionSpec("accept", "Beats", "Accept beat or moment", ("Y",)),
    ActionSpec("to_attack", "Beats", "Snap beat or moment", ("G",)),
    ActionSpec("add_beat", "Beats", "Add a beat here", ("Insert",)),
    ActionSpec("part_split", "Beats", "Split the part of the song", ("Ctrl+U",)),
    ActionSpec("part_join", "Beats", "Join it to the part before", ("Ctrl+Shift+J",)),
    ActionSpec("drop_here", "Beats", "Drop on this beat, or none", ("Shift+V",)),
    ActionSpec("ticks", "Beats", "Ticks on or off", ("Shift+T",)),
    ActionSpec("tap", "Beats", "Tap a hit while it plays", ("T",), repeats=False),
    ActionSpec("moment", "Clips and shots", "Set a moment here", ("N",), repeats=False),
    ActionSpec("no_moment", "Clips and shots", "Delete the moment here", ("Shift+N",)),
    ActionSpec("use_from", "Clips and shots", "Use the clip from here", ("[",)),
    ActionSpec("use_to", "Clips and shots", "Use the clip to here", ("]",)),
    ActionSpec("put", "Clips and shots", "Insert clip here", ("Shift+C",)),
    ActionSpec("put_over", "Clips and shots", "Overwrite with clip here", ("Ctrl+Shift+C",)),
    ActionSpec("exchange", "Clips and shots", "Replace with selected clip", ("C",)),
    ActionSpec("keep", "Clips and shots", "Lock the shot", ("H",)),
    ActionSpec("split", "Cutting", "Split at the playhead", ("/",)),
    ActionSpec("split_hits", "Cutting", "Split at every hit", ("Ctrl+/",)),
    ActionSpec("join", "Cutting", "Join shots", ("Ctrl+J",)),
    ActionSpec("swap", "Cutting", "Swap two shots", ("Ctrl+Shift+X",)),
    ActionSpec("cut", "Cutting", "Cut shots, rest closes up", ("Ctrl+X",)),
    ActionSpec("paste_over", "Cutting", "Paste over what is here", ("Ctrl+Shift+V",)),
    ActionSpec("delete_closing", "Cutting", "Delete, rest closes up", ("Ctrl+Delete",)),
    ActionSpec("delete_leaving", "Cutting", "Delete, leave black", ("Ctrl+Backspace",)),
    ActionSpec("roll", "Cutting", "Roll nearest cut here", ("\\",)),
    ActionSpec("trim_start", "Cutting", "Trim start here, rest follows", ("Ctrl+[",)),
    ActionSpec("trim_end", "Cutting", "Trim end here, rest follows", ("Ctrl+]",)),
    ActionSpec("trim_start_alone", "Cutting", "Trim start here, alone", ("Alt+[",)),
    ActionSpec("trim_end_alone", "Cutting", "Trim end here, alone", ("Alt+]",)),
    ActionSpec("stretch", "Cutting", "Stretch to end here", ("Ctrl+T",)),
    ActionSpec("hold", "Cutting", "Hold to next section or drop", ("Ctrl+End",)),
    ActionSpec("shot_back", "Cutting", "Move shot to previous hit", ("Ctrl+,",)),
    ActionSpec("shot_on", "Cutting", "Move shot to next hit", ("Ctrl+.",)),
    ActionSpec("shot_bar_back", "Cutting", "Move shot a bar earlier", ("Ctrl+PgUp",)),
    ActionSpec("shot_bar_on", "Cutting", "Move shot a bar later", ("Ctrl+PgDown",)),
    ActionSpec("shot_before", "Cutting", "Move before previous shot", ("Shift+PgUp",)),
    ActionSpec("shot_after", "Cutting", "Move after next shot", ("Shift+PgDown",)),
    ActionSpec("slip_back", "Cutting", "Slip a frame earlier", ("Ctrl+Shift+Left",)),
    ActionSpec("slip_on", "Cutting", "Slip a frame later", ("Ctrl+Shift+Right",)),
    ActionSpec("reverse", "Cutting", "Reverse", ("U",)),
    ActionSpec("freeze", "Cutting", "Freeze frame here", ("Shift+F",)),
    ActionSpec("split_screen", "Cutting", "Split screen", ("Shift+P",)),
    ActionSpec("wall", "Cutting", "Wall of one clip", ("Ctrl+Shift+P",)),
    ActionSpec("text", "Cutting", "Text here", ("Shift+Y",)),
    ActionSpec("snapping", "Cutting", "Snap to hits on or off", ("Shift+G",)),
    ActionSpec("lane_on", "Lanes", "Next lane", ("Ctrl+Down",)),
    ActionSpec("lane_back", "Lanes", "Previous lane", ("Ctrl+Up",)),
    ActionSpec("lane_add_on", "Lanes", "Add next lane to selection", ("Shift+Down",)),
    ActionSpec("lane_add_back", "Lanes", "Add previous lane", ("Shift+Up",)),
    ActionSpec("lanes_all", "Lanes", "Select all lanes", ("Shift+A",)),
    ActionSpec("lane_rows", "Lanes", "Row height", ("Shift+R",)),
    ActionSpec("mute", "Lanes", "Mute the lane", ("M",)),
    ActionSpec("solo", "Lanes", "Solo the lane", ("S",)),
    ActionSpec("copy_lane", "Lanes", "Duplicate the lane", ("Ctrl+Shift+D",)),
    ActionSpec("new_recipe", "Lanes", "Save lanes as a recipe", ("Ctrl+R",)),
    ActionSpec("lane_up", "Lanes", "Move the lane up", ("Ctrl+Shift+Up",)),
    ActionSpec("lane_down", "Lanes", "Move the lane down", ("Ctrl+Shift+Down",)),
    ActionSpec("delete", "Lanes", "Delete the selection", ("Delete", "Backspace")),
    ActionSpec("unselect", "Lanes", "Deselect", ("Esc",)),
    ActionSpec("lines_1", "View", "1 bar a line", ("1",)),
    ActionSpec("lines_2", "View", "2 bars a line", ("2",)),
    ActionSpec("lines_4", "View", "4 bars a line", ("4",)),
    ActionSpec("lines_8", "View", "8 bars a line", ("8",)),
    ActionSpec("score_list", "View", "Score as a list", ("Ctrl+Shift+L",), is_checkable=True),
    ActionSpec("large", "View", "Large picture", ("W",)),
    ActionSpec("full_screen", "View", "Picture on the full screen", ("F11",)),
    ActionSpec("picture_window", "View", "Picture in a window of its own", ("Shift+W",)),
    ActionSpec("zoom_fit", "View", "Picture as large as fits", ("Ctrl+0",)),
    ActionSpec("zoom_1", "View", "Picture at 100 %", ("Ctrl+1",)),
    ActionSpec("zoom_2", "View", "Picture at 200 %", ("Ctrl+2",)),
    ActionSpec("next_shape", "View", "Next shape of the frame", ("Shift+Z",)),
    ActionSpec("guides", "View", "Safe areas and centre", ("Z",)),
    ActionSpec("scopes", "View", "Scopes of the picture", ("Shift+S",)),
    ActionSpec("compare", "View", "Before and after", ("Shift+H",)),
    ActionSpec("keep_still", "View", "Keep this picture to compare", ("Shift+K",)),
    ActionSpec("footage", "View", "Footage on the shelf", ("F",)),
    ActionSpec("effects", "View", "Effects on the shelf", ("E",)),
    ActionSpec("transitions", "View", "Transitions on the shelf", ("Shift+X",)),
    ActionSpec("overlays", "View", "Overlays on the shelf", ("Shift+O",)),
    ActionSpec("recipes", "View", "Recipes on the shelf", ("Shift+E",)),
    ActionSpec("pulses", "View", "Pulses on the shelf", ("P",)),
    ActionSpec("search", "View", "Search the shelf", ("Ctrl+F",)),
    ActionSpec("fold", "View", "Fold the shelf", ("Ctrl+B",)),
    ActionSpec("grow", "View", "More of the shelf, or less", ("Ctrl+Shift+B",)),
    ActionSpec("find", "View", "Find anything", ("F10",)),
    ActionSpec("text_size", "View", "Larger text; again: the usual", ("Ctrl+Alt++",)),
    ActionSpec("keys", "View", "Keyboard shortcuts", ("?", "F1"), "keyboard", is_checkable=True),
    ActionSpec("undo", "Project", "Undo", ("Ctrl+Z",), "undo-2"),
    ActionSpec("redo", "Project", "Redo", ("Ctrl+Shift+Z",), "redo-2"),
    ActionSpec("song", "Project", "Open a song…", ("Ctrl+M",)),
    ActionSpec("gather", "Project", "Import footage…", ("Ctrl+I",)),
    ActionSpec("gather_folder", "Project", "Import a folder…", ("Ctrl+Shift+I",)),
    ActionSpec("fill", "Project", "Fill the song with the footage", ("Ctrl+L",)),
    ActionSpec("dress", "Project", "Dress the song; again: otherwise", ("Ctrl+D",)),
    ActionSpec("even_out", "Project", "Even out the clips", ("Ctrl+Shift+E",)),
    ActionSpec("even_out_by_part", "Project", "Even out the clips of each part of the song", ("Ctrl+Alt+E",)),
    ActionSpec("bring_to_kept", "Project", "Give all clips the light of the kept picture", ("Ctrl+Shift+K",)),
    ActionSpec("rough_cut", "Project", "Rough cut in one step…", ("Ctrl+Shift+R",)),
    ActionSpec("missing", "Project", "Find missing footage…", ("Ctrl+Shift+F",)),
    ActionSpec("new", "Project", "New project", ("Ctrl+N",)),
    ActionSpec("open", "Project", "Open a project…", ("Ctrl+O",)),
    ActionSpec("demo", "Project", "Open the demo", ("Ctrl+F1",)),
    ActionSpec("save", "Project", "Save", ("Ctrl+S",)),
    ActionSpec("save_as", "Project", "Save as…", ("Ctrl+Shift+S",)),
    ActionSpec("lost_work", "Project", "Recover unsaved work", ("Ctrl+Shift+U",)),
    ActionSpec("export", "Project", "Export", ("Ctrl+E",)),
    ActionSpec("report", "Project", "Report a problem…", ("F12",)),
    ActionSpec("quit", "Project", "Quit", ("Ctrl+Q",)),
)


OTHER_WORDS = {
    "play": tr("pause start preview"),
    "run_back": tr("rewind shuttle"),
    "run_on": tr("fast forward shuttle"),
    "loop": tr("repeat cycle region"),
    "loop_in": tr("mark in point range"),
    "loop_out": tr("mark out point range"),
    "go_to": tr("jump locate timecode"),
    "cues_all": "everything",
    "take": tr("keyframe key more"),
    "copy_look": tr("attributes values paste on others"),
    "paste_look": tr("attributes values same"),
    "toggle": tr("disable enable bypass"),
    "weaker": tr("less intensity amount"),
    "stronger": tr("more intensity amount"),
    "type_strength": tr("intensity amount value"),
    "nudge_back": tr("shift offset move"),
    "nudge_on": tr("shift offset move delay"),
    "add_beat": "marker",
    "to_attack": tr("quantise align transient onset"),
    "part_split": tr("section structure verse chorus"),
    "part_join": tr("section structure merge"),
    "drop_here": tr("climax marker structure"),
    "ticks": tr("metronome click"),
    "tap": tr("marker tempo manual"),
    "moment": tr("marker key frame action highlight"),
    "use_from": tr("in point trim source"),
    "use_to": tr("out point trim source"),
    "put": tr("add edit in"),
    "put_over": tr("three point edit"),
    "exchange": tr("swap clip media"),
    "keep": tr("pin protect"),
    "split": tr("blade razor cut"),
    "split_hits": tr("cut to the beat razor"),
    "join": tr("merge heal through edit"),
    "delete_closing": tr("ripple"),
    "delete_leaving": tr("lift gap"),
    "roll": tr("edit cut move"),
    "trim_start": tr("ripple in top"),
    "trim_end": tr("ripple out tail"),
    "stretch": tr("speed slow rate time remap"),
    "hold": tr("extend until drop long"),
    "slip_back": "content",
    "slip_on": "content",
    "reverse": tr("backwards rewind speed"),
    "freeze": tr("still hold speed pause"),
    "split_screen": tr("collage grid picture in picture panels"),
    "wall": tr("grid mosaic repeat panels tile"),
    "text": tr("title type caption lower third words lyrics"),
    "snapping": "magnet",
    "lane_rows": tr("compact tall fold track height"),
    "mute": tr("silence disable hide"),
    "solo": tr("only isolate"),
    "copy_lane": "copy",
    "new_recipe": tr("preset template save look style"),
    "delete": tr("remove clear"),
    "score_list": tr("table outline rows screen reader tree spreadsheet all cues"),
    "large": tr("bigger preview monitor viewer"),
    "full_screen": tr("cinema preview monitor"),
    "picture_window": tr("second screen monitor viewer"),
    "zoom_fit": "preview",
    "zoom_1": tr("pixels actual size"),
    "zoom_2": tr("magnify pixels"),
    "next_shape": tr("aspect ratio upright vertical square crop format"),
    "scopes": tr("grade waveform parade vectorscope histogram levels clipping stripes values monitor"),
    "compare": tr("split line grade without bypass original"),
    "keep_still": tr("grade still grab reference match hold frame"),
    "guides": tr("title safe margins grid overlay"),
    "fill": tr("auto edit cut footage montage assemble"),
    "even_out_by_part": tr("match shots balance grade sections auto colour"),
    "bring_to_kept": tr("match all shots to one reference still grade"),
    "even_out": tr("match shots balance grade white exposure auto colour normalise"),
    "dress": tr("auto effects style generate"),
    "rough_cut": tr("auto edit assemble generate best stretch part length draft"),
    "missing": tr("relink offline media replace"),
    "song": tr("music audio track sound"),
    "gather": tr("add clips media video"),
    "gather_folder": tr("add clips media bin"),
    "export": tr("render output deliver film video"),
    "lost_work": tr("crash autosave restore backup"),
    "report": tr("bug help"),
    "text_size": tr("bigger scale zoom interface font accessibility vision 125 150"),
    "keys": tr("help keyboard shortcuts"),
    "save_as": tr("copy version"),
    "demo": tr("example sample tutorial"),
    "undo": "back",
    "search": tr("find filter"),
}
"""By what else people call an action, for those who look for it: words of its id."""


def make_actions(window: QWidget, callbacks: dict[str, Callable[[], object]]) -> dict[str, QAction]:
    """Return every action of the table, wired to its callback and known to the window.

    Raises
    ------
    KeyError
        If an action has no callback.
    """
    made = {}
    for spec in ACTIONS:
        action = QAction(tr(spec.text), window)
        action.setShortcuts([QKeySequence(keys) for keys in spec.keys])
        action.setToolTip(f"{action.text().rstrip('…')} ({key_text(spec.keys[0])})")
        action.setCheckable(spec.is_checkable)
        action.setAutoRepeat(spec.repeats)
        action.setShortcutVisibleInContextMenu(True)  # on desktops that would leave it out too
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
