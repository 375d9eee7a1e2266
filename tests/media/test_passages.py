"""A clip is divided at its own cuts, and what is better not shown is known, where it is and nowhere else."""

import cv2
import numpy as np
import pytest
from helpers import write_clip
from tour import write_tour

from epiphane.document.footage import Flaw, Footage, clean_spans, passage_spans, take_spans
from epiphane.document.ids import FootageId
from epiphane.media.search import search_clip

RATE = 30
WIDTH, HEIGHT = 320, 180


def wall(seed, *, low=60, high=190):
    """Return a textured picture, larger than a frame."""
    generator = np.random.default_rng(seed)
    rough = generator.integers(low, high, (HEIGHT // 8 + 12, WIDTH // 8 + 12, 3), np.uint8)
    return cv2.resize(rough, None, fx=8, fy=8, interpolation=cv2.INTER_CUBIC)


def scene(seed, n, *, jerk=0, pan=0.0):
    """Return pictures of a wall with a ball rolling over it, in a little grain."""
    generator = np.random.default_rng(seed + 100)
    behind = wall(seed)
    pictures = []
    for number in range(n):
        dx = round(20 + pan * number) + (jerk if number % 4 < 2 else -jerk) * (1 if jerk else 0)
        picture = behind[20 : 20 + HEIGHT, dx : dx + WIDTH].copy()
        cv2.circle(picture, (10 + 3 * number, 90), 16, (30, 60, 240), -1)
        grain = generator.integers(-3, 4, picture.shape)
        pictures.append(np.clip(picture.astype(int) + grain, 0, 255).astype(np.uint8))
    return pictures


def scaled(pictures, shares):
    return [(p * share).astype(np.uint8) for p, share in zip(pictures, shares, strict=True)]


def title(n, ground=8):
    picture = np.full((HEIGHT, WIDTH, 3), ground, np.uint8)
    cv2.putText(picture, "MARBLES", (60, 100), cv2.FONT_HERSHEY_SIMPLEX, 1.4, (235, 235, 235), 3)
    return [picture] * n


def searched(tmp_path, pictures):
    path = write_clip(tmp_path / "a.mp4", pictures, options={"crf": "12"})
    found = search_clip(path)
    return found, Footage(
        FootageId(1),
        str(path),
        "0" * 32,
        len(pictures) / RATE,
        WIDTH,
        HEIGHT,
        RATE,
        takes=found.takes,
        passages=found.passages,
        is_searched=True,
    )


def flaws_at(footage, numbers):
    """Return the flaws of the pictures with these numbers."""
    spans = passage_spans(footage)
    return [next(p.flaw for (a, b), p in spans if a <= (n + 0.5) / RATE < b) for n in numbers]


def test_takes_begin_on_the_first_picture_after_a_cut(tmp_path):
    pictures = [*scene(1, 40), *scene(2, 33), *scene(3, 50, pan=1), *scene(4, 25)]
    pictures[20] = np.full_like(pictures[20], 250)  # a flash is no cut
    found, footage = searched(tmp_path, pictures)
    assert [round(take.start * RATE) for take in found.takes] == [0, 40, 73, 123]
    assert [round(end * RATE) for (_, end), _ in take_spans(footage)] == [40, 73, 123, 148]
    inner = {round(take.start * RATE) for take in found.takes[1:]}
    assert inner <= {round(passage.start * RATE) for passage in found.passages}


FLAWED = {
    Flaw.BLACK: [np.full((HEIGHT, WIDTH, 3), 3, np.uint8)] * 24,
    Flaw.TITLE: title(30),
    Flaw.FROZEN: [scene(9, 30)[-1]] * 45,
    Flaw.BLURRED: [cv2.GaussianBlur(p, (0, 0), 9) for p in scene(6, 30)],
    Flaw.SHAKY: scene(7, 40, jerk=9),
}


@pytest.mark.parametrize("flaw", FLAWED)
def test_each_flaw_is_found_where_it_is(tmp_path, flaw):
    before, after = scene(5, 45), scene(8, 45, pan=0.5)
    bad = FLAWED[flaw]
    _, footage = searched(tmp_path, [*before, *bad, *after])
    assert set(flaws_at(footage, range(45 + 4, 45 + len(bad) - 4))) == {flaw}
    good = [*range(41), *range(45 + len(bad) + 4, 90 + len(bad))]
    assert set(flaws_at(footage, good)) == {None}
    for first, end in clean_spans(footage):
        assert end <= 45 / RATE + 1e-6 or first >= (45 + len(bad) - 3) / RATE


def test_fades_are_found_from_black_to_the_full_picture(tmp_path):
    ramp = np.linspace(0, 1, 20)
    pictures = [*scaled(scene(5, 20), ramp), *scene(5, 60)[20:], *scaled(scene(6, 20), ramp[::-1])]
    _, footage = searched(tmp_path, pictures)
    assert set(flaws_at(footage, range(3, 15))) <= {Flaw.FADE, Flaw.BLACK}
    assert set(flaws_at(footage, range(66, 78))) <= {Flaw.FADE, Flaw.BLACK}
    assert set(flaws_at(footage, range(24, 58))) == {None}
    ((first, end),) = clean_spans(footage)
    assert 0.5 <= first <= 0.8 and 1.9 <= end <= 2.25


def test_what_moves_more_and_is_sharper_says_so(tmp_path):
    calm, quick = scene(1, 60), scene(2, 60, pan=3)
    _, footage = searched(tmp_path, [*calm, *quick])
    (_, one), (_, other) = passage_spans(footage)
    assert other.movement > 1.5 * one.movement
    assert all(abs(passage.look[0] - 120) < 25 for passage in (one, other))


def test_what_moves_across_the_picture_says_which_way_and_what_stands_does_not(tmp_path):
    (still, *_) = searched(tmp_path, scene(3, 40))[1].passages
    assert still.drift == (0, 0)
    (panned, *_) = searched(tmp_path, scene(3, 34, pan=2))[1].passages
    assert panned.drift == pytest.approx((-2 * RATE / WIDTH, 0), abs=0.05)


def test_a_clip_without_anything_good_is_used_all_the_same(tmp_path):
    _, footage = searched(tmp_path, title(40))
    assert clean_spans(footage) == ((0.0, 40 / RATE),)
    assert {passage.flaw for passage in footage.passages} == {Flaw.TITLE}


def test_cuts_between_places_that_look_alike_are_found(tmp_path):
    write_tour(tmp_path / "tour.mp4", size=(480, 270))
    found = search_clip(tmp_path / "tour.mp4")
    assert [round(take.start * RATE) for take in found.takes] == [0, 78, 126, 174]
    starts = [take.start for take in found.takes]
    assert all(abs(moment.time - start) > 0.04 for moment in found.moments for start in starts)
    assert [one.flaw for one in found.passages[:3]] == [Flaw.TITLE, Flaw.BLACK, Flaw.FADE]
    assert {one.flaw for one in found.passages[3:]} == {None}
