"""Pictures over one another: blend modes and their formulas, alpha under effects, plans in normal form."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from epiphane.document.timeline import BlendMode, Fit, Transform
from epiphane.effects.declare import EFFECTS, FrameContext
from epiphane.media.raw import raw_from_bgr
from epiphane.render.cache import PictureCache
from epiphane.render.compose import blend_formula, laid_over
from epiphane.render.draw import draw
from epiphane.render.nodes import (
    BLACK,
    ActiveEffect,
    FramePlan,
    Node,
    Shown,
    Solid,
    SourceFrame,
    Stacked,
    sources_of,
    stacked,
)

SIZE = (96, 54)
BELOW, OVER = SourceFrame("below", "b", 0.0), SourceFrame("over", "o", 0.0)


def noise(seed, n_channels=3):
    return np.random.default_rng(seed).integers(0, 256, (SIZE[1], SIZE[0], n_channels), dtype=np.uint8)


def premultiplied(seed):
    """Return a premultiplied picture of soft forms, and its straight colours and alpha in floats."""
    colours = noise(seed).astype(float)
    soft = cv2.resize(noise(seed + 1, 1)[:6, :8], SIZE, interpolation=cv2.INTER_CUBIC)
    alpha = np.clip(soft.astype(float), 0, 255).round()
    picture = np.dstack([np.rint(colours * alpha[..., None] / 255), alpha]).astype(np.uint8)
    return picture, colours, alpha[..., None] / 255


class Sources:
    """Pictures by the path of their source; how often each was asked for."""

    def __init__(self, **pictures):
        self.pictures = {path: raw_from_bgr(picture) for path, picture in pictures.items()}
        self.asked = []

    def picture(self, source):
        self.asked.append(source.path)
        return self.pictures[source.path]


def in_float(mode, below, colours, alpha):
    """Return what the W3C says: (1 - a) Cb + a B(Cb, Cs); plus-lighter adds."""
    below, colours = below / 255, colours / 255
    if mode is BlendMode.ADD:
        return 255 * np.minimum(1, below + alpha * colours)
    return 255 * ((1 - alpha) * below + alpha * blend_formula(mode, below, colours))


@settings(max_examples=4)
@given(st.integers(0, 99), st.floats(0.1, 1.0))
@pytest.mark.parametrize("mode", BlendMode)
def test_blend_modes_are_their_formulas(mode, seed, opacity):
    below, plain = noise(seed), noise(seed + 50)
    opaque = laid_over(below, plain, mode, opacity=opacity)
    # Straight colours are divided out of rounded ones where a mode has no shorter form, and that is steep.
    is_steep = mode in (BlendMode.DODGE, BlendMode.BURN, BlendMode.SOFT_LIGHT)
    off = np.abs(opaque - in_float(mode, below.astype(float), plain.astype(float), opacity))
    assert off.max() <= 2
    picture, colours, alpha = premultiplied(seed + 7)
    off = np.abs(laid_over(below, picture, mode) - in_float(mode, below.astype(float), colours, alpha))
    assert np.percentile(off, 95 if is_steep else 99) <= 2


def test_a_layer_lies_over_the_picture_where_it_is_and_nowhere_else():
    below, over = noise(1), np.full((54, 96, 3), 200, np.uint8)
    sources = Sources(below=below, over=over)
    small = Shown(OVER, Transform(Fit.WHOLE, 0.5, 0.25, 0.0))
    for node, value in ((Node(small), 200), (Node(small, opacity=0.5), None)):
        seen = draw(FramePlan(SIZE, stacked([Node(Shown(BELOW)), node])), sources, SIZE)
        assert np.array_equal(seen[:, :46], below[:, :46])
        inside, under = seen[16:38, 50:94].astype(int), below[16:38, 50:94].astype(int)
        expected = value if value is not None else (under + 200) / 2
        assert np.abs(inside - expected).max() <= 1.5


@pytest.mark.parametrize("key", [effect.key for effect in EFFECTS.all()])
def test_every_effect_keeps_colours_under_their_alpha_and_what_is_opaque_as_it_is_alone(key):
    """Of an opaque layer nothing may change by being a layer but what lies beyond its edge."""
    effect = EFFECTS.named(key)
    values = effect.values_at((), 1.0, FrameContext(SIZE[0] / SIZE[1], frame=4))
    soft = cv2.GaussianBlur(noise(3), (0, 0), 2)
    others = tuple(Shown(OVER) for _ in effect.echoes_of(values))
    active = ActiveEffect(key, effect.version, values, others)
    opaque = np.dstack([soft, np.full(SIZE[::-1], 255, np.uint8)])
    clear = Node(Solid((40, 90, 140)))

    def over(picture):
        layer = Node(Shown(OVER), (active,))
        return draw(FramePlan(SIZE, stacked([clear, layer])), Sources(over=picture), SIZE).astype(int)

    alone = draw(FramePlan(SIZE, Node(Shown(OVER), (active,))), Sources(over=soft), SIZE).astype(int)
    assert np.abs(over(opaque)[20:34, 36:60] - alone[20:34, 36:60]).max() <= 3
    nothing = np.zeros((*SIZE[::-1], 4), np.uint8)
    assert np.abs(over(nothing) - (40, 90, 140)).max() == 0  # an effect draws nothing where there is nothing


def test_what_is_moved_shows_no_mirror_image_and_no_dark_edge():
    disc = np.zeros((54, 96, 4), np.uint8)
    cv2.circle(disc, (48, 27), 24, (255, 255, 255, 255), -1, cv2.LINE_AA)
    effect = EFFECTS.named("slide")
    values = tuple({**dict(effect.values_at((), 1.0)), "across": 40.0, "down": 0.0, "shutter": 0.0}.items())
    layer = Node(Shown(OVER), (ActiveEffect("slide", effect.version, values),))
    white = draw(FramePlan(SIZE, stacked([Node(Solid((255, 255, 255))), layer])), Sources(over=disc), SIZE)
    assert white.min() >= 254  # no darker where the edge is between pixels
    black = draw(FramePlan(SIZE, stacked([BLACK, layer])), Sources(over=disc), SIZE)
    assert black[:, :60].max() == 0
    assert black[27, 70] == pytest.approx(255)
    for content in (Shown(OVER), Solid((9, 200, 9)), Stacked((Node(Solid((9, 200, 9))),))):  # opaque ones too
        moved = replace(layer, content=content)
        plain = np.full((54, 96, 3), (9, 200, 9), np.uint8)
        seen = draw(FramePlan(SIZE, stacked([BLACK, moved])), Sources(over=plain), SIZE)
        assert seen[:, :36].max() == 0
        assert (seen[:, 40:] == (9, 200, 9)).all()


def test_a_plan_is_in_normal_form_and_names_its_sources():
    shown, layer = Node(Shown(BELOW)), Node(Shown(OVER), opacity=0.5)
    flash = ActiveEffect("flash", 1, (), others=(Shown(OVER),))
    assert stacked([shown]) == shown
    assert stacked([shown, replace(layer, opacity=0.0)], (flash,)) == replace(shown, effects=(flash,))
    assert stacked([]) == BLACK
    assert stacked([shown, layer, Node(Solid())]) == Node(Solid())
    whole = stacked([shown, replace(layer, effects=(flash,))])
    assert isinstance(whole.content, Stacked)
    assert list(sources_of(whole)) == [BELOW, OVER, OVER]


def test_of_a_stack_only_what_has_changed_is_drawn_again():
    sources, kept = Sources(below=noise(1), over=premultiplied(4)[0]), PictureCache(1 << 20)
    nodes = [Node(Shown(BELOW)), Node(Shown(OVER), opacity=0.5)]
    first = draw(FramePlan(SIZE, stacked(nodes)), sources, SIZE, kept)
    assert sources.asked == ["below", "over"]
    moved = Node(Shown(OVER, Transform(x=0.2)), opacity=0.8, blend=BlendMode.SCREEN)
    second = draw(FramePlan(SIZE, stacked([nodes[0], moved])), sources, SIZE, kept)
    assert sources.asked == ["below", "over", "over"]
    assert np.array_equal(draw(FramePlan(SIZE, stacked(nodes)), sources, SIZE, kept), first)
    assert sources.asked == ["below", "over", "over"]
    assert np.array_equal(second, draw(FramePlan(SIZE, stacked([nodes[0], moved])), sources, SIZE))
