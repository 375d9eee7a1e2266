"""A rough cut in one step: the best stretch of a song, filled with clips, with transitions and effects."""

from collections.abc import Callable, Mapping
from typing import Annotated

from msgspec import Meta, Struct
from msgspec.structs import replace

from epiphane.document.dressing import Mood
from epiphane.document.filling import Order, Pace
from epiphane.document.ids import Share
from epiphane.document.project import Project
from epiphane.document.recipe import Recipe
from epiphane.document.song import Song
from epiphane.edits.keying.dressing import TransitionStyle, dress, undressed
from epiphane.edits.shots.filling import default_filling, fill_song
from epiphane.edits.song.regrid import song_of
from epiphane.edits.song.trim import shape_song, trim_song, whole_song
from epiphane.facts.stretches import Stretch, best_stretches

_FADE_BARS, _LEAST_FADE, _MOST_FADE = 1, 0.5, 4.0
_QUICK_FADE = 0.02
"""Seconds of fade where the sound would begin, or stop, in the middle."""
_NEAR_END = 0.25
SHORTEST, LONGEST = 5.0, 3600.0
"""Seconds that a stretch may be asked to have."""


class RoughCut(Struct, frozen=True):
    """What a rough cut is to be like.

    `seconds` is its length, None for the whole song, and `stretch` which of the best stretches it has. `pace`
    goes from long shots, 0, to short ones, 1, and `strength` from few effects to many.
    """

    seconds: float | None = 30.0
    stretch: int = 0
    pace: Share = 0.5
    strength: Share = 0.5
    seed: Annotated[int, Meta(ge=0, le=999_999)] = 1


def rough_cut(
    project: Project,
    wanted: RoughCut,
    recipes: Mapping[str, Recipe],
    transitions: Mapping[Mood, tuple[TransitionStyle, ...]],
    is_transition: Callable[[str], bool],
) -> Project:
    """Return `project` with a stretch of its song as a film of ordinary shots and lanes.

    Calm parts have long shots and full ones short ones, and the best moments are on the drops.

    Raises
    ------
    EditError
        If there is no song with beats, no footage, or the song is locked.
    """
    project = with_whole_song(undressed(project))
    if wanted.seconds is not None:
        found = best_stretches(song_of(project), wanted.seconds)
        project = take_stretch(project, found[min(wanted.stretch, len(found) - 1)])
    pace = _paced(default_filling(project).pace, wanted.pace)
    project = fill_song(project, pace=pace, order=Order.MOMENTS, seed=wanted.seed, lands=True)
    dressing = replace(project.dressing, density=wanted.strength, seed=wanted.seed)
    project = dress(project, dressing, recipes, transitions, is_transition)
    return fill_song(project)  # again: now it is known how much transitions want to see beyond cuts


def with_whole_song(project: Project) -> Project:
    """Return `project` with all of its song's file in use, and no fades."""
    song = song_of(project)
    project = replace(project, song=replace(song, fade_in=0.0, fade_out=0.0))
    end = whole_song(song).duration
    return project if (song.start, song.duration) == (0.0, end) else trim_song(project, 0.0, end)


def take_stretch(project: Project, stretch: Stretch) -> Project:
    """Return `project` with its song trimmed to a stretch; where it stops before its end it fades out.

    Raises
    ------
    EditError
        If the song is locked, or less than a second would be left.
    """
    song = song_of(project)
    is_cut_first = stretch.start > _NEAR_END
    is_cut_last = stretch.end < song.duration - _NEAR_END
    project = trim_song(project, song.start + stretch.start, song.start + stretch.end)
    bar = _bar_of(song)
    fade = min(max(_FADE_BARS * bar, _LEAST_FADE), _MOST_FADE, stretch.seconds / 4)
    return shape_song(
        project,
        fade_in=_QUICK_FADE if is_cut_first else 0.0,
        fade_out=round(fade, 3) if is_cut_last else 0.0,
    )


def _bar_of(song: Song) -> float:
    n_beats = max((beat.place for beat in song.beats), default=4)
    return n_beats * 60 / song.tempo if song.tempo else 2.0


def _paced(pace: Pace, share: float) -> Pace:
    """Return a pace from twice as slow, at 0, to twice as quick, at 1; slower in calm parts."""
    slower = 2 ** (1 - 2 * share)

    def beats(usual: int) -> int:
        return max(1, min(64, round(usual * slower)))

    return Pace(
        every=beats(pace.every),
        is_by_section=True,
        calm=beats(pace.calm),
        build=beats(pace.build),
        full=beats(pace.full),
    )
