"""Rendering a plan to a picture: the one road for preview, export, stills and thumbnails."""

from collections.abc import Sequence
from functools import partial
from typing import Protocol, assert_never

import cv2
import numpy as np
from msgspec.structs import replace

from epiphane.document.timeline import BlendMode, Transform
from epiphane.effects.declare import EFFECTS
from epiphane.effects.operations import (
    AlphaRule,
    Blur,
    ChannelShift,
    Field,
    Filter,
    Grade,
    Mix,
    Operation,
    Tone,
    ToneCurve,
)
from epiphane.effects.pixels import LEAST_SIGMA
from epiphane.media.colour import OUTPUT_SPEC, bgr_to_yuv, chain, yuv_to_bgr
from epiphane.media.raw import RawPicture
from epiphane.media.writer import planes_from_yuv444
from epiphane.render.compose import laid_over, straight, under_alpha, without_alpha
from epiphane.render.drawn_shapes import shape_picture
from epiphane.render.fuse import Mixing, Pass, Smear, Step, stays_inside, steps_of
from epiphane.render.grading import graded
from epiphane.render.mattes import hidden_by, with_edge
from epiphane.render.nodes import (
    Behind,
    FramePlan,
    Joined,
    JoinedMattes,
    LogoDrawing,
    MatteDrawing,
    Node,
    ShapeDrawing,
    Shown,
    Solid,
    SourceFrame,
    SplitScreen,
    Stacked,
    TextDrawing,
)
from epiphane.render.panels import lay_panel, panel_box
from epiphane.render.resolution import ResolutionRun, resolution_runs
from epiphane.render.transform import covers_frame, placed_plane, plane_size
from epiphane.render.warping import border_of, displaced, smeared, with_channels_shifted, with_pass_applied
from epiphane.render.working_image import WorkingImage, filled, resized, rounded, toned, whole_levels
from epiphane.titles.picture import logo_picture, text_picture
from epiphane.transitions.declare import TRANSITIONS, ByMatte, Composed, Join, Masked, Weighted
from epiphane.transitions.mixing import masked, weighted
from epiphane.types import Float32Array, FloatArray, Picture, Pixels, Plane, Size

_HALF = 0.5
_SMEARED_PIXELS, _LEAST_SIZE = 6.0, 16
"""A transition that smears by so many pixels is drawn at half the size, where that leaves enough of them."""


class Sources(Protocol):
    """Where pictures of footage come from."""

    def picture(self, source: SourceFrame) -> RawPicture:
        """Return the picture, or a placeholder that says why there is none."""
        ...


class DrawnNodes(Protocol):
    """Where pictures of inner nodes are kept, so that only what has changed of a stack is drawn again."""

    def get(self, plan: FramePlan | Node, size: Size) -> Picture | None:
        """Return the picture of a node, or of the lowest one as a plan, at a size, or None."""
        ...

    def put(self, plan: FramePlan | Node, size: Size, picture: Picture) -> None:
        """Keep the picture of a node."""
        ...


def draw(plan: FramePlan, sources: Sources, size: Size, kept: DrawnNodes | None = None) -> Picture:
    """Return the picture of a plan.

    Parameters
    ----------
    plan : FramePlan
    sources : Sources
    size : (width, height) of the picture wanted, in pixels
    kept : DrawnNodes or None
        Of the nodes of stacks.

    Returns
    -------
    Picture: uint8, shape (height, width, 3), BGR
    """
    drawing = _Drawing(sources, plan.shape, size, kept)
    return drawing.rounded(drawing.node(plan.root))


def draw_levels(plan: FramePlan, sources: Sources, size: Size) -> Float32Array:
    """Return the picture of a plan with parts of levels, where what is done last gives them.

    Returns
    -------
    float32, shape (height, width, 3), BGR, 0 to 255
    """
    made = _Drawing(sources, plan.shape, size).node(plan.root)
    pixels = WorkingImage(np.asarray(made.pixels, np.float32), made.pending).resolved()
    return np.asarray(np.clip(resized(pixels, size, cv2.INTER_LINEAR), 0, 255), np.float32)


def draw_planes(plan: FramePlan, sources: Sources, size: Size) -> tuple[Plane, Plane, Plane]:
    """Return the picture of a plan as Y, Cb and Cr 4:2:0 in `OUTPUT_SPEC`, for export.

    What clips nothing never becomes BGR: warps move the planes of the file, and decoding, tone and
    encoding are one matrix, which for half of the picture's values works on a quarter of its pixels.
    Footage in this form without an effect goes through untouched. The rest takes the road of `draw`.

    Parameters
    ----------
    size : (width, height) of the film, in pixels, even

    Returns
    -------
    uint8, shapes (height, width) and twice (height / 2, width / 2)
    """
    drawing = _Drawing(sources, plan.shape, size)
    shown, only = plan.root.content, _only_pass(_steps_of(plan.root))
    if isinstance(shown, Shown) and only is not None and stays_inside(only.tones):
        raw = sources.picture(shown.source)
        if len(raw.planes) == 3:
            return _recoded(drawing.moved(raw, shown.transform, size, only), raw, size, only.tones)
    made = toned(drawing.node(plan.root), [Tone(bgr_to_yuv(OUTPUT_SPEC))])
    encoded = rounded(made.resolved())
    if encoded.shape[:2] == (size[1], size[0]):
        return planes_from_yuv444(encoded)
    half = (size[0] // 2, size[1] // 2)
    whole, blue_half, red_half = (
        rounded(resized(plane, at, cv2.INTER_LINEAR))
        for plane, at in zip(cv2.split(encoded), (size, half, half), strict=True)
    )
    return whole, blue_half, red_half


def untouched_planes(plan: FramePlan, sources: Sources, size: Size) -> tuple[Plane, Plane, Plane] | None:
    """Return the planes of footage that goes into the film as it is, Y, Cb and Cr 4:2:0, or None elsewhere.

    That is where nothing is done to it, it is as large as the film, and is in `OUTPUT_SPEC`.

    Parameters
    ----------
    size : (width, height) of the film, in pixels
    """
    shown, only = plan.root.content, _only_pass(_steps_of(plan.root))
    if not isinstance(shown, Shown) or only is None or only.tones:
        return None
    raw = sources.picture(shown.source)
    if len(raw.planes) != 3 or raw.spec != OUTPUT_SPEC:
        return None
    luma, blue, red = _Drawing(sources, plan.shape, size).moved(raw, shown.transform, size, only)
    is_fit = luma.shape == (size[1], size[0]) and blue.shape == (size[1] // 2, size[0] // 2)
    return (luma, blue, red) if is_fit and np.may_share_memory(luma, raw.planes[0]) else None


def _only_pass(steps: Sequence[Step]) -> Pass | None:
    """Return the pass that is all there is to do, if it comes to that."""
    if not steps:
        return Pass(None, ())
    return steps[0] if len(steps) == 1 and isinstance(steps[0], Pass) else None


def _recoded(
    planes: Sequence[Plane], raw: RawPicture, size: Size, tones: Sequence[Tone | ToneCurve]
) -> tuple[Plane, Plane, Plane]:
    """Return planes at a size with at most one matrix done to their colours, as 4:2:0 output."""
    luma, *chroma = planes
    half = (size[0] // 2, size[1] // 2)
    blue, red = (rounded(resized(plane, half, cv2.INTER_AREA)) for plane in chroma)
    if not tones and raw.spec == OUTPUT_SPEC:
        return luma, blue, red
    to_bgr = yuv_to_bgr(raw.spec)
    for tone in tones:
        assert isinstance(tone, Tone)
        to_bgr = chain(to_bgr, tone.matrix)
    matrix = chain(to_bgr, bgr_to_yuv(OUTPUT_SPEC))
    # Averaging four pixels and an affine matrix may change places, so colour is done at its own size.
    # All three rows are computed though one or two are used: OpenCV is quick for square matrices alone.
    small = cv2.merge([resized(luma, half, cv2.INTER_AREA), blue, red])
    full = cv2.merge([luma, *(resized(plane, size, cv2.INTER_NEAREST) for plane in (blue, red))])
    _, blue, red = (np.asarray(plane, np.uint8) for plane in cv2.split(cv2.transform(small, matrix)))
    return np.asarray(cv2.extractChannel(cv2.transform(full, matrix), 0), np.uint8), blue, red


class _Drawing:
    """One picture at one size: its nodes are drawn from the leaves up."""

    def __init__(self, sources: Sources, shape: Size, size: Size, kept: DrawnNodes | None = None) -> None:
        self._sources, self._shape, self._size, self._kept = sources, shape, size, kept

    def rounded(self, image: WorkingImage) -> Picture:
        """Return the pixels of an image at the size of the picture."""
        return rounded(resized(rounded(image.resolved()), self._size, cv2.INTER_LINEAR))

    def node(self, node: Node, *, is_over: bool = False, then: Sequence[Operation] = ()) -> WorkingImage:
        """Return the image of a node, perhaps at a smaller size that loses nothing.

        It is laid over black, or has alpha where it `is_over` others and does not cover them, or is moved by
        an effect, so that its edge may be seen. What is done to it `then` comes after its effects.
        """
        image: WorkingImage | None = None
        all_steps = _steps_of(node, then)
        has_edge = is_over and any(_moves(step) for step in all_steps)
        for part in resolution_runs(all_steps, self._size):
            steps = part.steps
            if image is None:
                image = self._content(node, part, is_over=is_over, has_edge=has_edge)
                steps = steps[1:] if steps and isinstance(steps[0], Pass) else steps
            else:
                image = WorkingImage(_at_resolution(image.resolved(), part, self._size))
            for step in steps:
                image = self._stepped(image, step, is_over=is_over)
        assert image is not None
        return image

    def moved(self, raw: RawPicture, transform: Transform, size: Size, done: Pass) -> list[Plane]:
        """Return planes fitted to the size wanted, colours as much smaller as in the file, and moved."""
        planes = [
            placed_plane(
                plane, raw, plane_size(plane, raw, size), self._shape, transform, is_chroma=number > 0
            )
            for number, plane in enumerate(raw.planes)
        ]
        if raw.has_alpha:
            planes = [_merged(planes)]
        return [np.asarray(with_pass_applied(plane, done), np.uint8) for plane in planes]

    def _content(self, node: Node, part: ResolutionRun, *, is_over: bool, has_edge: bool) -> WorkingImage:
        """Return what a node shows at the resolution of a run, with its first pass done."""
        done = part.steps[0] if part.steps and isinstance(part.steps[0], Pass) else Pass(None, ())
        match node.content:
            case Shown():
                return self._shown(node.content, part, done, is_over=is_over, has_edge=has_edge)
            case Solid(colour=colour):
                width, height = part.size(self._size)
                kind = np.uint8 if part.shrink == 1 else np.float32
                if not has_edge:
                    return toned(WorkingImage(filled((width, height), colour, kind)), done.tones)
                solid = filled((width, height), (*colour, 255), kind)
                return toned(WorkingImage(with_pass_applied(solid, done)), done.tones)
            case ShapeDrawing():
                made = shape_picture(node.content, self._size, self._shape)
                made = made if is_over else without_alpha(made)
            case TextDrawing(fill=fill, transform=transform, clock=clock, inside=inside):
                within = None if inside is None else self.rounded(self.node(Node(Shown(inside))))
                made = text_picture(fill, transform, clock, self._size, within)
                made = made if is_over else without_alpha(made)
            case LogoDrawing(fill=fill, source=source, transform=transform, clock=clock):
                image = _with_own_alpha(self._sources.picture(source))
                made = logo_picture(fill, image, transform, clock, self._size)
                made = made if is_over else without_alpha(made)
            case Behind(node=behind, matte=matte):
                made = hidden_by(self._layer(behind, is_over=True), self._subject(matte))
                made = made if is_over else without_alpha(made)
            case Stacked(nodes=nodes):
                made = self._stacked(nodes, has_edge=has_edge)
            case SplitScreen():
                made = _opaque(self._split_screen(node.content), has_edge=has_edge)
            case Joined():
                made = _opaque(self._transition(node.content), has_edge=has_edge)
            case _:
                assert_never(node.content)
        whole = _at_resolution(made, part, self._size)
        return toned(WorkingImage(with_pass_applied(whole, done)), done.tones)

    def _split_screen(self, split: SplitScreen) -> Picture:
        """Return panels beside each other, each drawn at its own size."""
        width, height = self._size
        picture = np.asarray(filled(self._size, split.ground), np.uint8)
        for panel in split.panels:
            box = panel_box(panel.place, self._size)
            shape = box.width * self._shape[0] / width, box.height * self._shape[1] / height
            part = _Drawing(
                self._sources, (max(1, round(shape[0])), max(1, round(shape[1]))), (box.width, box.height)
            )
            lay_panel(picture, part.rounded(part.node(panel.node)), panel.place, box, split)
        return picture

    def _transition(self, joined: Joined) -> Picture:
        """Return what a transition makes of its two pictures: BGR, at the size of the picture."""
        transition = TRANSITIONS.find(joined.key)
        if transition is None:
            is_first = joined.progress.share < _HALF
            return self.rounded(self.node(joined.outgoing if is_first else joined.incoming))
        join = transition.join(joined.values, joined.progress)
        width, height = self._size
        if join.blur * width >= _SMEARED_PIXELS and min(self._size) > _LEAST_SIZE:
            half = _Drawing(self._sources, self._shape, (-(-width // 2), -(-height // 2)))
            return self.rounded(half.mixture(join, joined))
        return self.rounded(self.mixture(join, joined))

    def mixture(self, join: Join, joined: Joined) -> WorkingImage:
        """Return both sides of a transition mixed; one that is not seen is not drawn."""
        mixture = join.mixture

        def outgoing() -> Picture:
            return self.rounded(self.node(joined.outgoing, then=join.outgoing))

        def incoming() -> Picture:
            return self.rounded(self.node(joined.incoming, then=join.incoming))

        match mixture:
            case Weighted(incoming=0):
                mixed = outgoing()
            case Weighted(outgoing=0):
                mixed = incoming()
            case Weighted():
                mixed = weighted(outgoing(), incoming(), mixture)
            case Masked():
                mask = mixture.mask(self._size)
                mixed = masked(outgoing(), incoming(), mask, in_light=joined.progress.in_light)
            case ByMatte():
                mask = self._matte(joined.matte, mixture)
                mixed = masked(outgoing(), incoming(), mask, in_light=joined.progress.in_light)
            case Composed():
                mixed = mixture.apply(outgoing(), incoming())
            case _:
                assert_never(mixture)
        return self._done_after(mixed, join.after)

    def _matte(self, source: SourceFrame | None, mixture: ByMatte) -> Plane:
        """Return the mask that the brightness of another picture gives."""
        if source is None:
            return mixture.instead.mask(self._size)
        picture = self.rounded(self.node(Node(Shown(source))))
        grey = cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY)
        return np.asarray(cv2.LUT(grey, np.ascontiguousarray(mixture.ramp)), np.uint8)

    def _done_after(self, picture: Picture, operations: Sequence[Operation]) -> WorkingImage:
        """Return a picture with further operations done, each where it is small enough."""
        image = WorkingImage(picture)
        for part in resolution_runs(steps_of(operations), self._size):
            image = WorkingImage(_at_resolution(image.resolved(), part, self._size))
            for step in part.steps:
                image = self._stepped(image, step, is_over=False)
        return image

    def _shown(
        self, shown: Shown, part: ResolutionRun, done: Pass, *, is_over: bool, has_edge: bool
    ) -> WorkingImage:
        """Return a picture of footage, fitted, with a pass done.

        Warping the planes of a file before they are joined moves half as many values. What brings them to BGR
        is pending: what that matrix clips is blacker than black, so the first tone may join it.
        """
        raw = self._sources.picture(shown.source)
        small = part.size(self._size)
        to_bgr = yuv_to_bgr(raw.spec) if len(raw.planes) == 3 else None
        does_cover = not raw.has_alpha and covers_frame(raw, self._shape, shown.transform)
        if is_over and (has_edge or not does_cover):
            whole = _at_resolution(self._with_alpha(raw, shown.transform), part, self._size)
            return toned(WorkingImage(with_pass_applied(whole, done)), done.tones)
        if part.shrink == 1:
            planes = self.moved(raw, shown.transform, small, done)
            sized = [rounded(resized(plane, small, cv2.INTER_NEAREST)) for plane in planes]
            pixels: Pixels = _merged(sized)
        else:
            planes = [
                placed_plane(plane, raw, small, self._shape, shown.transform, is_chroma=number > 0)
                for number, plane in enumerate(raw.planes)
            ]
            pixels = with_pass_applied(_merged(planes).astype(np.float32), done)
        return toned(WorkingImage(pixels, to_bgr), done.tones)

    def _with_alpha(self, raw: RawPicture, transform: Transform) -> Picture:
        """Return a picture of footage as premultiplied BGRA at full size: nothing is around it."""
        planes = [
            placed_plane(plane, raw, self._size, self._shape, transform, is_chroma=number > 0)
            for number, plane in enumerate(raw.planes)
        ]
        if raw.has_alpha:
            return np.asarray(planes[0], np.uint8)
        colours = WorkingImage(_merged(planes), yuv_to_bgr(raw.spec) if len(planes) == 3 else None)
        opaque = np.full(raw.planes[0].shape[:2], 255, np.uint8)
        whole = RawPicture((opaque,), pixel_aspect=raw.pixel_aspect)
        alpha = placed_plane(opaque, whole, self._size, self._shape, transform)
        return np.asarray(cv2.merge([rounded(colours.resolved()), alpha]), np.uint8)

    def _subject(self, matte: MatteDrawing | JoinedMattes) -> Plane:
        """Return where the subject is: a matte as it lies, its edge softened, moved as its shot is."""
        if isinstance(matte, JoinedMattes):
            return self._moved_along(self._joined_subjects(matte), _steps_of(Node(Solid(), matte.effects)))
        raw = self._sources.picture(matte.source)
        level = np.ascontiguousarray(raw.planes[0] if raw.planes[0].ndim == 2 else raw.planes[0][..., 0])
        plane = rounded(placed_plane(level, raw, self._size, self._shape, matte.transform))
        edged = np.asarray(with_edge(np.asarray(plane, np.uint8), matte), np.uint8)
        return self._moved_along(edged, _steps_of(Node(Solid(), matte.effects)))

    def _joined_subjects(self, mattes: JoinedMattes) -> Plane:
        """Return where the subjects of both sides of a transition are, as far as each side is seen.

        Mattes are mixed as the pictures are, but that they take no light from the transition.
        """
        joined = mattes.joined
        width, height = self._size
        sides = [
            np.zeros((height, width), np.uint8) if one is None else self._subject(one)
            for one in (mattes.outgoing, mattes.incoming)
        ]
        transition = TRANSITIONS.find(joined.key)
        if transition is None:
            return sides[joined.progress.share >= _HALF]
        join = transition.join(joined.values, joined.progress)
        moved = (
            self._moved_along(side, steps_of(done))
            for side, done in zip(sides, (join.outgoing, join.incoming), strict=True)
        )
        outgoing, incoming = (np.asarray(cv2.merge([one] * 3), np.uint8) for one in moved)
        match join.mixture:
            case Weighted(outgoing=first, incoming=second):
                total = max(first + second, 1e-6)
                mixed = weighted(outgoing, incoming, Weighted(first / total, second / total))
            case Masked(mask=mask):
                mixed = masked(outgoing, incoming, mask(self._size))
            case ByMatte() as by_matte:
                mixed = masked(outgoing, incoming, self._matte(joined.matte, by_matte))
            case Composed(apply=apply):
                mixed = apply(outgoing, incoming)
            case _:
                assert_never(join.mixture)
        return self._moved_along(np.ascontiguousarray(mixed[..., 0]), steps_of(join.after))

    def _moved_along(self, plane: Plane, steps: Sequence[Step]) -> Plane:
        """Return a matte moved as steps move the picture."""
        for step in steps:
            if isinstance(step, Pass):
                passed = with_pass_applied(plane, Pass(step.warp, (), step.smear))
                plane = np.asarray(rounded(passed), np.uint8)
            elif isinstance(step, Smear):
                plane = np.asarray(smeared(plane, step.warp, step.movement), np.uint8)
            elif isinstance(step, Field):
                plane = np.asarray(rounded(displaced(plane, step)), np.uint8)
        return plane

    def _stacked(self, nodes: Sequence[Node], *, has_edge: bool) -> Picture:
        """Return nodes laid over one another and over black, with alpha of 255 where it `has_edge`."""
        width, height = self._size
        below = np.zeros((height, width, 3), np.uint8)
        for number, node in enumerate(nodes):
            layer = self._layer(
                replace(node, opacity=1.0, blend=BlendMode.NORMAL), is_over=has_edge or number > 0
            )
            below = laid_over(below, layer, node.blend, opacity=node.opacity)
        return _opaque(below, has_edge=has_edge)

    def _layer(self, node: Node, *, is_over: bool) -> Picture:
        """Return a node of a stack, BGR or premultiplied BGRA; kept, where pictures are kept.

        The lowest one, that nothing is below, is a picture like any other, and kept as that.
        """
        key = node if is_over else FramePlan(self._shape, node)
        found = None if self._kept is None else self._kept.get(key, self._size)
        if found is None:
            found = self.rounded(self.node(node, is_over=is_over))
            if self._kept is not None:
                self._kept.put(key, self._size, found)
        return found

    def _stepped(self, image: WorkingImage, step: Step, *, is_over: bool) -> WorkingImage:
        match step:
            case Pass():
                moving = Pass(step.warp, (), step.smear)
                moved = (
                    image if moving.is_nothing else WorkingImage(with_pass_applied(image.resolved(), step))
                )
                return toned(moved, step.tones)
            case Blur():
                return WorkingImage(_blurred(image.resolved(), step))
            case ChannelShift():
                return WorkingImage(with_channels_shifted(image.resolved(), step))
            case Field():
                return WorkingImage(displaced(image.resolved(), step))
            case Filter() | Grade() | Smear():
                return WorkingImage(_filtered(whole_levels(image), _as_filter(step)))
            case Mixing():
                return self._mixed(whole_levels(image), step, is_over=is_over)
            case _:
                assert_never(step)

    def _mixed(self, picture: Picture, mixing: Mixing, *, is_over: bool) -> WorkingImage:
        """Return a picture mixed with others of its footage, as they are without effects."""
        others = [self.rounded(self.node(Node(shown), is_over=is_over)) for shown in mixing.others]
        if picture.shape[2] == 3 and all(other.shape[2] == 3 for other in others):
            return WorkingImage(mixing.mix.apply(picture, others))
        mix = mixing.mix
        picture, *others = (_opaque(one, has_edge=one.shape[2] == 3) for one in (picture, *others))
        if mix.alpha is AlphaRule.GIVEN:
            return WorkingImage(mix.apply(picture, others))
        if mix.alpha is AlphaRule.STAYS:
            done = mix.apply(straight(picture), [straight(other) for other in others])
            return WorkingImage(under_alpha(done, picture[..., 3]))
        colours, *other_colours = (np.ascontiguousarray(one[..., :3]) for one in (picture, *others))
        alpha, *other_alphas = (_alpha_as_colours(one) for one in (picture, *others))
        mixed = mix.apply(colours, other_colours), mix.apply(alpha, other_alphas)
        return WorkingImage(np.asarray(cv2.merge([mixed[0], mixed[1][..., 0]]), np.uint8))


def _with_own_alpha(raw: RawPicture) -> Picture:
    """Return a picture of footage at its own size, as premultiplied BGRA."""
    if raw.has_alpha:
        return np.asarray(raw.planes[0], np.uint8)
    planes = [rounded(resized(plane, raw.shape, cv2.INTER_LINEAR)) for plane in raw.planes]
    colours = WorkingImage(_merged(planes), yuv_to_bgr(raw.spec) if len(planes) == 3 else None)
    return _opaque(rounded(colours.resolved()), has_edge=True)


def _opaque(picture: Picture, *, has_edge: bool) -> Picture:
    """Return a picture, with alpha of 255 where it `has_edge`."""
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_BGR2BGRA), np.uint8) if has_edge else picture


def _moves(step: Step) -> bool:
    """Whether a step may show what lies beyond the edge of a picture."""
    match step:
        case Pass(warp=warp, smear=smear):
            return warp is not None or smear is not None
        case Filter(moves=moves):
            return moves
        case Mixing() | Grade():
            return False
        case Blur() | ChannelShift() | Field() | Smear():
            return True
        case _:
            assert_never(step)


def _at_resolution(pixels: Pixels, part: ResolutionRun, size: Size) -> Pixels:
    """Return pixels at the size of a run; a small one is done in floats, which costs little there."""
    if part.shrink == 1:
        return resized(rounded(pixels), size, cv2.INTER_LINEAR)
    if pixels.shape[:2] == (size[1], size[0]):
        return resized(pixels, part.size(size), cv2.INTER_AREA).astype(np.float32)
    return resized(pixels.astype(np.float32), part.size(size), cv2.INTER_LINEAR)


def _alpha_as_colours(picture: Picture) -> Picture:
    """Return the alpha of a picture as a grey one: all 255 where it has none."""
    alpha = picture[..., 3] if picture.shape[2] == 4 else np.full(picture.shape[:2], 255, np.uint8)
    return np.asarray(cv2.merge([alpha] * 3), np.uint8)


def _blurred(pixels: Pixels, blur: Blur) -> Pixels:
    sigma = blur.sigma * pixels.shape[1]
    if sigma < LEAST_SIGMA:
        return pixels
    return np.asarray(cv2.GaussianBlur(pixels, (0, 0), sigma, borderType=border_of(pixels)))


def _smeared_in_light(picture: Picture, *, warp: FloatArray | None, movement: FloatArray) -> Picture:
    return np.asarray(smeared(picture, warp, movement, in_light=True), np.uint8)


def _as_filter(step: Filter | Grade | Smear) -> Filter:
    match step:
        case Filter():
            return step
        case Grade(steps=steps):
            return Filter(partial(graded, steps=steps))
        case Smear(warp=warp, movement=movement):
            return Filter(partial(_smeared_in_light, warp=warp, movement=movement), moves=True)
        case _:
            assert_never(step)


def _filtered(picture: Picture, step: Filter) -> Picture:
    """Return what a filter makes of a picture; alpha goes along where it moves things, else it stays."""
    if picture.shape[2] == 3:
        return step.apply(picture)
    if step.moves:
        colours, alpha = (
            step.apply(np.ascontiguousarray(picture[..., :3])),
            step.apply(_alpha_as_colours(picture)),
        )
        return np.asarray(cv2.merge([colours, alpha[..., 0]]), np.uint8)
    return under_alpha(step.apply(straight(picture)), picture[..., 3])


def _merged(planes: Sequence[Plane]) -> Picture:
    """Return planes as one picture; with alpha it is premultiplied, so it lies over black already."""
    if len(planes) == 1:
        return np.ascontiguousarray(planes[0][..., :3])
    return np.asarray(cv2.merge(planes), np.uint8)


def _steps_of(node: Node, then: Sequence[Operation] = ()) -> tuple[Step, ...]:
    """Return what the effects of a node come to, in order, and what is done after them."""
    operations: list[Operation | Mixing] = []
    for active in node.effects:
        effect = EFFECTS.find(active.key)
        if effect is not None:
            operations.extend(
                Mixing(one, active.others) if isinstance(one, Mix) else one
                for one in effect.operations(active.values, active.after)
            )
    return steps_of((*operations, *then))
