"""Grades: what each control computes, over the whole cube of colours, and that neighbours are one."""

import colorsys

import numpy as np
import pytest
from helpers import graded_in_float
from hypothesis import given, settings
from hypothesis import strategies as st

from epiphane.effects.colour.look import LOOKS
from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import Blur, Grade
from epiphane.render.fuse import steps_of
from epiphane.render.grading import graded

GRADE = EFFECTS.named("grade")
LUMA = np.array([0.0722, 0.7152, 0.2126])  # of blue, green and red
LEVELS = np.rint(np.linspace(0, 255, 33)).astype(np.uint8)
CUBE = np.stack(np.meshgrid(LEVELS, LEVELS, LEVELS, indexing="ij"), axis=-1).reshape(33 * 33, 33, 3)
CONTROLS = [one for one in GRADE.parameters if not one.name.endswith("_hue")]


def operations(**changed):
    """Return what the effect does at values that are at rest but for some."""
    return GRADE.operations(tuple(({one.name: one.rest for one in GRADE.parameters} | changed).items()))


def expected(picture, **changed):
    """Return what the formulas of docs/grade.md come to, in floats."""
    values = {one.name: one.rest for one in GRADE.parameters} | changed
    share = {name: value / 100 for name, value in values.items()}

    def of_range(name):
        colour = np.array(colorsys.hsv_to_rgb(values[f"{name}_hue"] / 360 % 1, 1, 1))[::-1]
        return share[name] + share[f"{name}_colour"] * (colour - LUMA @ colour)

    white = np.array([1 - 0.35 * share["warmth"], 1 + 0.25 * share["green"], 1 + 0.35 * share["warmth"]])
    level = picture / 255 * white / (LUMA @ white) * 2 ** (values["exposure"] / 2.2)
    level = (level - share["pivot"]) * share["contrast"] + share["pivot"]
    lift, gain = 0.25 * of_range("shadows"), 1 + 0.5 * of_range("highlights")
    level = np.maximum(level * (gain - lift) + lift, 0) ** 2 ** -of_range("midtones")
    luma = (level @ LUMA)[..., None]
    level = np.clip(luma + share["saturation"] * (level - luma), 0, 1)
    luma, spread = (level @ LUMA)[..., None], np.ptp(level, axis=-1, keepdims=True)
    return 255 * np.clip(luma + (1 + share["vibrance"] * (1 - spread)) * (level - luma), 0, 1)


@pytest.mark.parametrize("control", CONTROLS, ids=lambda one: one.name)
@settings(max_examples=5)
@given(share=st.floats(0, 1), hue=st.floats(0, 360))
def test_each_control_is_within_a_level_of_its_formula_over_the_whole_cube(control, share, hue):
    changed = {control.name: control.low + share * (control.high - control.low)}
    if control.name.endswith("_colour"):
        changed[control.name.removesuffix("_colour") + "_hue"] = hue
    if control.name == "pivot":
        changed["contrast"] = 160.0
    done = operations(**changed)
    made = graded(CUBE, done[0].steps) if done else CUBE
    # Clipped to 0..1 before vibrance, which looks its colours up; half a level is lost by rounding.
    assert np.abs(made - expected(CUBE, **changed)).max() <= 1.01


@given(st.sampled_from(sorted(LOOKS)), st.floats(1, 100))
@settings(max_examples=24)
def test_a_look_is_its_steps_in_part_and_the_stronger_the_farther(look, strength):
    made = EFFECTS.named("look")
    assert made.operations((("look", look), ("strength", 0.0))) == ()
    (some,), (whole,) = (made.operations((("look", look), ("strength", one))) for one in (strength, 100.0))
    assert whole.steps == LOOKS[look]
    drawn = graded(CUBE, some.steps)
    assert np.abs(drawn - 255 * np.clip(graded_in_float(some.steps, CUBE / 255), 0, 1)).max() <= 1.01
    changed, most = (np.abs(one.astype(float) - CUBE).mean() for one in (drawn, graded(CUBE, whole.steps)))
    assert 0 < changed <= most + 0.1


def test_a_grade_at_rest_is_nothing_and_neighbouring_grades_are_one():
    assert operations() == ()
    (up,), (down,) = operations(exposure=2.0, warmth=30.0), operations(exposure=-2.0)
    (both,) = steps_of([up, down])
    assert both == Grade((*up.steps, *down.steps))
    # What the first takes past white comes back: nothing is clipped or rounded in between.
    (warm,) = operations(warmth=30.0)
    assert np.abs(graded(CUBE, both.steps).astype(int) - graded(CUBE, warm.steps)).max() <= 1
    assert len(steps_of([up, Blur(0.01), down])) == 3
