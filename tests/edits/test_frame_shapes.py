"""One edit in several shapes: every shot lies in each in its own way, begun where its movement is."""

import cv2
import numpy as np
import pytest
from helpers import a_project, write_clip
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.laws import broken_laws
from epiphane.document.timeline import Shape, Transform
from epiphane.edits.frame_shapes import (
    add_shape,
    in_shape,
    place_shots,
    remove_shape,
    shots_to_place,
    show_shape,
)
from epiphane.edits.picture import set_size
from epiphane.edits.shots.shots import frame_shots
from epiphane.errors import EditError
from epiphane.files.project import decode_project, encode_project
from epiphane.media.probe import probe_footage
from epiphane.render.interest import places_of_shots
from epiphane.render.sources import OpenFootage
from epiphane.render.transform import is_covering

WIDE, TALL, SQUARE = Shape(1280, 720), Shape(720, 1280), Shape(720, 720)


def test_every_shot_has_a_framing_of_its_own_in_each_shape():
    project = add_shape(a_project(), TALL)
    assert (project.shape, project.shapes) == (TALL, (WIDE, TALL))
    shot = project.shots[0].id
    tall = frame_shots(project, [shot], scale=1.5, x=0.2)
    wide = frame_shots(show_shape(tall, WIDE), [shot], scale=1.1)
    assert wide.shots[0].transform == Transform(scale=1.1)
    again = add_shape(wide, SQUARE)
    assert again.shots[0].transform == Transform(scale=1.1)  # begun as in the one before
    for made in (project, tall, wide, again):
        assert list(broken_laws(made)) == []
        assert decode_project(encode_project(made), where="it") == made
    assert in_shape(again, TALL).shots[0].transform == Transform(scale=1.5, x=0.2)
    left = remove_shape(remove_shape(again, SQUARE), WIDE)
    assert (left.shape, left.shapes, left.shots[0].transform.scale) == (TALL, (), 1.5)
    assert remove_shape(again, WIDE).shape == SQUARE
    larger = set_size(again, width=1080, height=1080)
    assert larger.shapes == (WIDE, TALL, Shape(1080, 1080))
    for edit in (
        lambda: add_shape(project, TALL),
        lambda: add_shape(project, Shape(721, 720)),
        lambda: show_shape(project, SQUARE),
        lambda: set_size(project, width=1280, height=720),
    ):
        with pytest.raises(EditError, match=r"shape|even number"):
            edit()


@given(st.tuples(st.floats(0, 1), st.floats(0, 1)), st.sampled_from([WIDE, TALL, SQUARE, Shape(1600, 400)]))
def test_a_shot_laid_about_a_place_covers_the_frame_whatever_the_place(place, shape):
    project = a_project()
    project = project if shape == WIDE else add_shape(project, shape)
    made = place_shots(project, shape, {one.id: place for one in project.shots})
    for shot in made.shots:
        assert is_covering((1280, 720), (shape.width, shape.height), shot.transform)
    assert (shots_to_place(project, shape) == []) == (shape == WIDE)


@pytest.mark.parametrize("side", [0.2, 0.8])
def test_an_upright_frame_is_laid_about_what_moves(tmp_path, side):
    generator = np.random.default_rng(5)
    ground = cv2.GaussianBlur(generator.integers(60, 160, (180, 400, 3)).astype(np.uint8), (0, 0), 3)
    pictures = []
    for n in range(60):  # the camera pans, and a ball goes up and down on one side
        picture = ground[:, n : n + 320].copy()
        cv2.circle(picture, (round(side * 320), round(90 + 50 * np.sin(n / 4))), 14, (30, 40, 230), -1)
        pictures.append(picture)
    clip = write_clip(tmp_path / "ball.mp4", pictures)
    footage = replace(a_project().footage[0], path=str(clip), width=320, height=180, duration=2.0)
    assert probe_footage(clip).duration == pytest.approx(2.0)
    project = add_shape(replace(a_project(n_shots=1), footage=(footage,)), TALL)
    files = OpenFootage()
    places = places_of_shots(project, shots_to_place(project, TALL), TALL, files)
    files.close()
    assert places[project.shots[0].id][0] == pytest.approx(side, abs=0.12)
    made = place_shots(project, TALL, places)
    assert made.shots[0].transform.x * (0.5 - side) > 0
