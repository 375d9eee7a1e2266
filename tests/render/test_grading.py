"""Grades: what each control computes, over the whole cube of colours, and that neighbours are one."""

import colorsys
import re
from pathlib import Path
from tempfile import TemporaryDirectory
from xml.etree import ElementTree

import numpy as np
import pytest
from helpers import graded_in_float
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator, RegularGridInterpolator

from epiphane.declare.parameters import Parameter
from epiphane.document.lane import Setting
from epiphane.document.project import Project
from epiphane.document.pulse import PulseUnit
from epiphane.edits.keying.lanes import add_lasting_lane, set_setting
from epiphane.edits.keying.pulses import ensure_pulse
from epiphane.effects.colour.grade import controls_of_decision
from epiphane.effects.colour.look import LOOKS
from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import Blur, Grade
from epiphane.errors import MediaError, ParameterError
from epiphane.media.look_files import keep_look, look_fault, read_decisions
from epiphane.render.film_grade import export_look, film_grade
from epiphane.render.fuse import steps_of
from epiphane.render.grading import graded

GRADE = EFFECTS.named("grade")
LUMA = np.array([0.0722, 0.7152, 0.2126])  # of blue, green and red
LEVELS = np.rint(np.linspace(0, 255, 33)).astype(np.uint8)
CUBE = np.stack(np.meshgrid(LEVELS, LEVELS, LEVELS, indexing="ij"), axis=-1).reshape(33 * 33, 33, 3)
NUMBERS = [one for one in GRADE.parameters if isinstance(one, Parameter)]
CONTROLS = [one for one in NUMBERS if not one.name.endswith("_hue")]
AT_REST = dict(GRADE.values_at((), 0.0))
LOOK = EFFECTS.named("look")


def operations(**changed):
    """Return what the effect does at values that are at rest but for some."""
    return GRADE.operations(tuple((AT_REST | changed).items()))


def expected(picture, **changed):
    """Return what the formulas of docs/grade.md come to, in floats."""
    values = {one.name: one.rest for one in NUMBERS} | changed
    share = {one.name: values[one.name] / 100 for one in NUMBERS}

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


@given(st.sampled_from(sorted(LOOKS)), st.floats(10, 100))
@settings(max_examples=24)
def test_a_look_is_its_steps_in_part_and_the_stronger_the_farther(look, strength):
    values = dict(LOOK.values_at((), 1.0)) | {"look": look}
    nothing, (some,), (whole,) = (
        LOOK.operations(tuple((values | {"strength": one}).items())) for one in (0.0, strength, 100.0)
    )
    assert nothing == ()
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


# Curves

points = st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=1, max_size=5)


def text_of(some):
    return " ".join(f"{x:.4f},{y:.4f}" for x, y in some)


def straightened(some, ends=((0.0, 0.0), (1.0, 1.0))):
    """Return the points that a curve has: of two at one place the later one, and the ends where none are."""
    found = {round(x, 4): round(y, 4) for x, y in some}
    xs = sorted(found)
    low, high = ([] if xs[0] < 1e-3 else [ends[0]]), ([] if xs[-1] > 1 - 1e-3 else [ends[1]])
    return np.array([*low, *((x, found[x]) for x in xs), *high])


@settings(max_examples=12)
@given(points, st.sampled_from(["luma", "red", "green", "blue"]))
def test_a_curve_of_levels_is_monotone_between_its_points_and_within_a_level_over_the_whole_cube(some, which):
    done = operations(**{f"{which}_curve": text_of(some)})
    knots = straightened(some)
    curve = PchipInterpolator(*knots.T)
    level = CUBE / 255
    if which == "luma":
        luma = (level @ LUMA)[..., None]
        wanted = level + curve(np.clip(luma, 0, 1)) - luma
    else:
        channel = ("blue", "green", "red").index(which)
        wanted = level.copy()
        wanted[..., channel] = curve(np.clip(level[..., channel], 0, 1))
    made = graded(CUBE, done[0].steps)
    assert np.abs(made - 255 * np.clip(wanted, 0, 1)).max() <= 1.01


@settings(max_examples=8)
@given(st.floats(0, 1), st.floats(0, 1), st.floats(0, 1))
def test_curves_by_hue_turn_and_fade_what_they_name_and_keep_luma(turn, fade, by_luma):
    red = "0,{0:.4f} 0.25,0.5 0.75,0.5".format
    (done,) = operations(hue_curve=red(turn), saturation_curve=red(fade))
    colours = np.array([[[0.2, 0.2, 0.6], [0.2, 0.6, 0.2], [0.5, 0.5, 0.5]]])
    one, other, grey = graded(np.rint(255 * colours).astype(np.uint8), done.steps)[0] / 255
    assert np.abs(grey - 0.5).max() < 0.01
    assert np.abs(other - colours[0, 1]).max() < 0.01 if turn > 0.1 else True  # it lies between other points
    wanted = np.array(colorsys.hsv_to_rgb((turn - 0.5) / 2 % 1, 1, 1))[::-1] * 0.4
    wanted = LUMA @ colours[0, 0] + 2 * fade * (wanted - LUMA @ wanted)
    assert np.abs(one - np.clip(wanted, 0, 1)).max() < 0.012
    (done,) = operations(luma_saturation_curve=f"0,{by_luma:.4f}")
    made, luma = graded(CUBE, done.steps) / 255, (CUBE / 255 @ LUMA)[..., None]
    assert np.abs(made - np.clip(luma + 2 * by_luma * (CUBE / 255 - luma), 0, 1)).max() < 1.01 / 255


@pytest.mark.parametrize("curve", ["0.5", "a,b", "0.1,nan", "0.1,inf 0.3,0.2", "1,2,3"])
def test_what_is_no_curve_is_straight(curve):
    settings_of_it = (Setting("luma_curve", curve), Setting("contrast", 100.0, 100.0))
    values = dict(GRADE.values_at(settings_of_it, 1.0))
    assert values["luma_curve"] == ""
    assert operations(luma_curve=curve) == ()


def test_a_curve_of_hues_goes_round_whatever_stands_at_its_ends():
    (ends,) = operations(saturation_curve="0,0.2 0.5,0.5 1,0.8")
    (once,) = operations(saturation_curve="0,0.8 0.5,0.5")  # of two at one place the later one counts
    assert np.array_equal(graded(CUBE, ends.steps), graded(CUBE, once.steps))


def test_a_struck_curve_bends_with_its_envelope():
    setting = (Setting("red_curve", "0.5,0.9"),)
    half, whole = (dict(GRADE.values_at(setting, level))["red_curve"] for level in (0.5, 1.0))
    assert (half, whole) == ("0.5,0.7", "0.5,0.9")


# Looks from files


def cube_file(path, table):
    """Write a table of colours, shape (n, n, n, 3), by red, green and blue, as .cube."""
    rows = "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in table.transpose(2, 1, 0, 3).reshape(-1, 3))
    path.write_text(f"# made up\nLUT_3D_SIZE {len(table)}\n{rows}\n")
    return path


def looked(path, strength=100.0, **changed):
    values = dict(LOOK.values_at((), 1.0)) | {"file": keep_look(path).text, "strength": strength}
    (done,) = LOOK.operations(tuple((values | changed).items()))
    return graded(CUBE, done.steps)


@pytest.mark.parametrize("strength", [100.0, 37.0])
def test_a_table_is_looked_up_whole_or_in_part(tmp_path, strength):
    rng = np.random.default_rng(3)
    size = 9
    table = np.clip(
        np.stack(np.meshgrid(*[np.linspace(0, 1, size)] * 3, indexing="ij"), axis=-1) ** 0.8, 0, 1
    )
    table = np.clip(table[..., [1, 2, 0]] + rng.uniform(-0.02, 0.02, table.shape), 0, 1)
    made = looked(cube_file(tmp_path / "own.cube", table), strength)
    read = RegularGridInterpolator([np.linspace(0, 1, size)] * 3, table)
    wanted = read(CUBE[..., ::-1] / 255)[..., ::-1]
    wanted = CUBE * (1 - strength / 100) + 255 * wanted * strength / 100
    # Between the points of so coarse a table tetrahedra and cubes differ; on them they do not.
    on_points = np.isin(CUBE, LEVELS[::4]).all(axis=-1)
    assert np.abs(made - wanted)[on_points].max() <= 1.51
    assert np.abs(made - wanted).mean() < 2.5


def of_rows(write):
    """Return the rows of a table of 4 points a side that turns colours round, blue going quickest."""
    points = (0, 1 / 3, 2 / 3, 1)
    return "\n".join(write(1 - r, 1 - g, 1 - b) for r in points for g in points for b in points)


CLF = """<?xml version="1.0"?>
<ProcessList id="own" compCLFversion="3"><Matrix inBitDepth="32f" outBitDepth="32f"><Array dim="3 4">
-1 0 0 1
0 -1 0 1
0 0 -1 1
</Array></Matrix></ProcessList>"""
CORRECTION = """<ColorCorrection id="own"><SOPNode>
<Slope>0.5 1 1</Slope><Offset>0 0 0</Offset><Power>1 1 1</Power>
</SOPNode></ColorCorrection>"""
KIND = "ColorCorrectionCollection"
COLLECTION = f'<{KIND} xmlns="urn:ASC:CDL:v1.01">{CORRECTION}</{KIND}>'
TURNED, HALF_RED = 255 - CUBE.astype(float), CUBE * [1, 1, 0.5]
WIDE = "LUT_1D_SIZE 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n0 0 0\n0.5 1 1\n"
FLAME = "0 341 682 1023\n" + of_rows(lambda *c: " ".join(str(round(4095 * x)) for x in c))


@pytest.mark.parametrize(
    ("name", "content", "wanted"),
    [
        ("line.cube", "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n", TURNED),
        ("wide.cube", WIDE, HALF_RED),
        ("own.3dl", FLAME, TURNED),
        ("own.clf", CLF, TURNED),
        ("own.cc", CORRECTION, HALF_RED),
        ("own.ccc", COLLECTION, HALF_RED),
    ],
)
def test_every_standard_is_read_as_it_says(tmp_path, name, content, wanted):
    (tmp_path / name).write_text(content)
    assert np.abs(looked(tmp_path / name) - wanted).max() <= 1.01


def test_a_look_that_expects_light_or_acescct_is_given_that(tmp_path):
    size = 33
    same = np.stack(np.meshgrid(*[np.linspace(0, 1, size)] * 3, indexing="ij"), axis=-1)
    path = cube_file(tmp_path / "same.cube", same)
    light = looked(path, expects="linear light")
    assert np.abs(light - 255 * (CUBE / 255) ** 2.4).max() <= 1.01
    for encoding in ("the picture's", "linear light", "ACEScct"):
        there_and_back = looked(path, expects=encoding, gives=encoding)
        assert np.abs(there_and_back.astype(int) - CUBE).max() <= 2, encoding


@pytest.mark.parametrize(
    "name, content",
    [
        ("short.cube", "LUT_3D_SIZE 9\n0 0 0\n"),
        ("huge.cube", "LUT_3D_SIZE 256\n0 0 0\n"),
        ("words.cube", "LUT_3D_SIZE 2\n" + "a b c\n" * 8),
        ("nan.cube", "LUT_3D_SIZE 2\n" + "nan nan nan\n" * 8),
        ("infinite.cube", "LUT_1D_SIZE 2\ninf inf inf\n-inf 0 0\n"),
        ("empty.3dl", ""),
        ("cut.clf", "<ProcessList id='a'><LUT1D"),
        ("other.cdl", "<html></html>"),
        ("look.png", "no look at all"),
    ],
)
def test_what_is_no_look_is_refused_in_a_sentence(tmp_path, name, content):
    (tmp_path / name).write_text(content)
    with pytest.raises(MediaError, match=re.escape(name)) as told:
        keep_look(tmp_path / name)
    assert "\n" not in str(told.value) and "choose" in str(told.value)


def test_a_look_that_is_gone_is_had_from_its_copy_and_else_leaves_the_picture(tmp_path):
    path = cube_file(tmp_path / "own.cube", np.zeros((2, 2, 2, 3)) + 0.5)
    kept = keep_look(path)
    path.unlink()
    values = dict(LOOK.values_at((), 1.0)) | {"file": kept.text, "strength": 100.0}
    (done,) = LOOK.operations(tuple(values.items()))
    assert look_fault(kept) == "" and (np.abs(graded(CUBE, done.steps).astype(int) - 128) <= 1).all()
    gone = (("file", f"file:{'0' * 32}:{path}"),)
    (done,) = LOOK.operations(tuple((values | dict(gone)).items()))
    assert np.array_equal(graded(CUBE, done.steps), CUBE)


# The grade of a film, for other programs


def film(effect="grade", **changed):
    """Return a project with a grade over all of it."""
    project, pulse = ensure_pulse(Project(), PulseUnit.BEAT)
    project = add_lasting_lane(project, effect, pulse)
    for name, value in changed.items():
        project = set_setting(project, project.lanes[-1].id, Setting(name, value))
    return project


GRADED = {"exposure": 0.4, "contrast": 120.0, "warmth": 20.0, "midtones": 15.0, "saturation": 70.0}


def test_a_grade_is_exported_and_read_back_as_it_is_by_two_readers(tmp_path):
    project = film(**GRADED)
    wanted = graded_in_float(film_grade(project), CUBE / 255)
    export_look(project, tmp_path / "own.cube")
    export_look(project, tmp_path / "own.cdl")
    assert np.abs(looked(tmp_path / "own.cube") - 255 * np.clip(wanted, 0, 1)).max() <= 1.51
    rows = np.loadtxt((tmp_path / "own.cube").read_text().splitlines()[3:])
    assert (
        np.abs(rows.reshape(33, 33, 33, 3)[..., ::-1].reshape(CUBE.shape) - np.clip(wanted, 0, 1)).max()
        < 4e-3
    )
    found = {one.tag.rpartition("}")[2]: one.text for one in ElementTree.parse(tmp_path / "own.cdl").iter()}
    slope, offset, power = (np.array(found[name].split(), float) for name in ("Slope", "Offset", "Power"))
    level = np.clip(CUBE[..., ::-1] / 255 * slope + offset, 0, 1) ** power
    luma = (level @ LUMA[::-1])[..., None]
    level = luma + float(found["Saturation"]) * (level - luma)
    assert np.abs(looked(tmp_path / "own.cdl") - 255 * np.clip(level, 0, 1)[..., ::-1]).max() <= 1.51
    # The list clips before it takes saturation away; what does not pass white by then is the same.
    *before, _ = film_grade(project)
    inside = (np.abs(graded_in_float(before, CUBE / 255) - 0.5) <= 0.5).all(axis=-1)
    assert inside.mean() > 0.3
    assert np.abs(np.clip(level, 0, 1) - np.clip(wanted[..., ::-1], 0, 1))[inside].max() < 0.6 / 255


@settings(max_examples=25)
@given(
    slope=st.floats(0.3, 2.5),
    tint=st.lists(st.floats(-0.15, 0.15), min_size=3, max_size=3),
    offset=st.lists(st.floats(-0.1, 0.1), min_size=3, max_size=3),
    power=st.lists(st.floats(0.8, 1.25), min_size=3, max_size=3),
    saturation=st.floats(0, 3),
)
def test_a_colour_decision_is_read_into_the_controls_and_does_what_it_says(
    slope, tint, offset, power, saturation
):
    slopes = slope * (1 + np.array(tint))
    rows = [" ".join(f"{one:.9f}" for one in values[::-1]) for values in (slopes, offset, power)]
    with TemporaryDirectory() as folder:
        path = Path(folder) / "own.cc"
        path.write_text(
            f'<ColorCorrection id="own"><SOPNode><Slope>{rows[0]}</Slope><Offset>{rows[1]}</Offset>'
            f"<Power>{rows[2]}</Power></SOPNode><SatNode><Saturation>{saturation:.9f}</Saturation></SatNode>"
            "</ColorCorrection>"
        )
        controls = controls_of_decision(*read_decisions(path))
    steps = [step for one in GRADE.operations(tuple(controls.items())) for step in one.steps]
    level = np.maximum(CUBE / 255 * slopes + offset, 0) ** power
    luma = (level @ LUMA)[..., None]
    assert np.abs(graded_in_float(steps, CUBE / 255) - (luma + saturation * (level - luma))).max() < 1e-5


def test_a_colour_decision_beyond_the_controls_is_refused(tmp_path):
    with pytest.raises(ParameterError, match="Midtones"):
        controls_of_decision(np.ones(3), np.zeros(3), np.full(3, 9.0), 1.0)
    with pytest.raises(MediaError, match=r"own\.cube is no colour decision"):
        read_decisions(cube_file(tmp_path / "own.cube", np.zeros((2, 2, 2, 3))))


def test_what_cannot_be_exported_is_told(tmp_path):
    with pytest.raises(ParameterError, match="no grade"):
        export_look(Project(), tmp_path / "own.cube")
    with pytest.raises(ParameterError, match="cube"):
        export_look(film(vibrance=30.0), tmp_path / "own.cdl")
    with pytest.raises(ParameterError, match=r"own\.png"):
        export_look(film(), tmp_path / "own.png")
    assert not list(tmp_path.iterdir())
