"""The edit that exports are tested with: numbered pictures with flat colours, over clicks."""

from fractions import Fraction

import numpy as np
from helpers import click_track, numbered_picture, write_clip, write_sound
from msgspec.structs import replace

from epiphane.audio.cache import hear_song
from epiphane.document.project import Project
from epiphane.edits.footage import add_footage
from epiphane.edits.shots.filling import fill_song
from epiphane.edits.song.song import set_song
from epiphane.media.probe import probe_footage

SIZE, RATE = (256, 144), Fraction(30)
FIRST_CLICK = 0.25


def numbered_edit(folder):
    """Return an edit of 256x144: numbered pictures over clicks of 120 BPM, the first at a quarter second."""
    song = write_sound(folder / "clicks.wav", click_track(np.arange(FIRST_CLICK, 12, 0.5), duration=12))
    pictures = [tinted(numbered_picture(number, SIZE)) for number in range(400)]
    clip = write_clip(folder / "numbers.mp4", pictures, options={"crf": "4"})
    project = set_song(Project(width=SIZE[0], height=SIZE[1]), hear_song(song).as_song())
    return fill_song(replace(add_footage(project, [probe_footage(clip)]), rate=RATE, name="Numbers"))


def tinted(picture):
    """Return a picture whose lower half has six flat colours."""
    colours = [(40, 60, 200), (200, 80, 40), (60, 180, 60), (128, 128, 128), (20, 20, 24), (230, 235, 225)]
    for number, colour in enumerate(colours):
        picture[76:, number * 43 : (number + 1) * 43] = colour
    return picture
