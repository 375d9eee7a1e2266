"""What mattes do to pictures: their edges are moved and softened, and layers are hidden by them."""

import cv2
import numpy as np

from epiphane.render.nodes import MatteDrawing
from epiphane.types import Picture, Plane

_SHARPEST = 0.3


def with_edge(plane: Plane, matte: MatteDrawing) -> Plane:
    """Return a matte, uint8, whose edge is moved outwards or inwards, and feathered, as it wants it."""
    height = plane.shape[0]
    made = plane
    reach = round(abs(matte.grow) * height)
    if reach:
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
        made = np.asarray(cv2.dilate(made, kernel) if matte.grow > 0 else cv2.erode(made, kernel), np.uint8)
    sigma = matte.feather * height
    if sigma > _SHARPEST:
        made = np.asarray(cv2.GaussianBlur(made, (0, 0), sigma), np.uint8)
    return np.asarray(cv2.bitwise_not(made), np.uint8) if matte.is_inverted else made


def hidden_by(layer: Picture, subject: Plane) -> Picture:
    """Return a layer, premultiplied BGRA, without what the subject covers.

    Parameters
    ----------
    layer : uint8, shape (height, width, 4)
    subject : uint8, shape (height, width)
        255 where the subject covers the layer wholly.

    Returns
    -------
    uint8, the shape of `layer`
    """
    left = cv2.bitwise_not(subject)
    return np.asarray(cv2.multiply(layer, cv2.merge([left, left, left, left]), scale=1 / 255), np.uint8)
