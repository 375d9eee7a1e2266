"""Conversion of wide-gamut and HDR footage to BT.709.

Everything here is display-referred: what a display of the footage's own kind would show is shown within what
one of BT.709 can. HLG and PQ follow ITU-R BT.2100, their common white of 203 nits ITU-R BT.2408; what is
lighter than that bends softly into white. Primaries are those of ITU-T H.273.
"""

from __future__ import annotations

from enum import Enum
from functools import lru_cache

import av
import cv2
import numpy as np
from msgspec import Struct

from epiphane.media.colour import ColourSpec, yuv_to_bgr
from epiphane.types import FloatArray, Picture

_WHITE_NITS = 203.0
_PEAK_NITS = 1000.0
"""Of the display that HLG is defined for here, and the light that becomes white; PQ above it is cut off."""
_HLG_SYSTEM_GAMMA = 1.2
_GAMMA = 2.4
"""Of a BT.709 display (ITU-R BT.1886)."""
_KNEE = 0.75
"""The share of white up to which light stays as it is."""
_WHITE_D65 = (0.3127, 0.3290)


class Primaries(Enum):
    """The chromaticities of red, green and blue, x and y of each; white is D65."""

    BT709 = (0.640, 0.330, 0.300, 0.600, 0.150, 0.060)
    BT2020 = (0.708, 0.292, 0.170, 0.797, 0.131, 0.046)
    P3 = (0.680, 0.320, 0.265, 0.690, 0.150, 0.060)


class Transfer(Enum):
    """How light is coded: by a power law, or one of the two of high dynamic range."""

    GAMMA = "gamma"
    PQ = "PQ"
    HLG = "HLG"


class Gamut(Struct, frozen=True):
    """The colours and the light of footage."""

    primaries: Primaries
    transfer: Transfer

    @property
    def words(self) -> str:
        """Its name, for people."""
        names = {Primaries.BT2020: "BT.2020", Primaries.P3: "P3", Primaries.BT709: "BT.709"}
        if self.transfer is Transfer.GAMMA:
            return f"{names[self.primaries]} shown in BT.709"
        return f"HDR ({self.transfer.value}) shown in BT.709"


# Values of ITU-T H.273.
_PRIMARIES_OF_TAG = {9: Primaries.BT2020, 11: Primaries.P3, 12: Primaries.P3}
_TRANSFER_OF_TAG = {16: Transfer.PQ, 18: Transfer.HLG}


def wide_gamut_of(frame: av.VideoFrame) -> Gamut | None:
    """Return the gamut that a frame's tags name, or None for one that BT.709 shows as it is."""
    primaries = _PRIMARIES_OF_TAG.get(int(frame.color_primaries), Primaries.BT709)
    transfer = _TRANSFER_OF_TAG.get(int(frame.color_trc), Transfer.GAMMA)
    if primaries is Primaries.BT709 and transfer is Transfer.GAMMA:
        return None
    return Gamut(primaries, transfer)


def to_bt709(frame: av.VideoFrame, spec: ColourSpec, gamut: Gamut) -> Picture:
    """Return a frame of Y'CbCr or R'G'B' in BT.709: BGR, uint8, shape (height, width, 3).

    Parameters
    ----------
    frame : av.VideoFrame, of any depth
    spec : ColourSpec, its matrix and range
    gamut : Gamut, its primaries and transfer

    Returns
    -------
    uint8, shape (height, width, 3), BGR
    """
    if frame.format.is_rgb:
        code = np.asarray(frame.to_ndarray(format="bgr48le"), np.uint16)
    else:
        planes = frame.reformat(format="yuv444p16le").planes[:3]
        matrix = yuv_to_bgr(spec) * (_N_STEPS - 1) / 255
        matrix[:, :3] /= 256  # it is for eight bits, and these are sixteen
        code = np.asarray(
            cv2.transform(cv2.merge([_deep_plane(plane) for plane in planes]), matrix), np.uint16
        )
    light = np.take(_decoding(gamut.transfer), code)
    if gamut.transfer is Transfer.HLG:
        # The system gamma works on luminance, so that hues stay (BT.2100, table 5).
        light = _gained(light, cv2.transform(light, _LUMINANCE), _system_gain())
    light = cv2.transform(light, _matrix_to_bt709(gamut.primaries))
    if gamut.transfer is not Transfer.GAMMA:
        blue, green, red = cv2.split(light)
        light = _gained(light, cv2.max(cv2.max(blue, green), red), _knee_gain())
    return np.asarray(np.take(_encoding(), _steps_of_light(light)), np.uint8)


def _deep_plane(plane: av.video.plane.VideoPlane) -> np.ndarray:
    rows = np.frombuffer(memoryview(plane), np.uint16).reshape(-1, plane.line_size // 2)
    return rows[: plane.height, : plane.width]


_N_STEPS = 65_536
_MOST_LIGHT = 5.0
"""What the largest step stands for, where 1 is white: more than the peak."""
_LUMINANCE = np.array([[0.0593, 0.6780, 0.2627]])


def _steps_of_light(light: np.ndarray) -> np.ndarray:
    """Return where light stands in a table of `_N_STEPS`: by its root, as steps of it are too far apart."""
    root = np.sqrt(np.clip(light, 0, _MOST_LIGHT))
    return np.asarray(
        (root * np.float32((_N_STEPS - 1) / _MOST_LIGHT**0.5) + np.float32(0.5)).astype(np.uint16)
    )


@lru_cache
def _light_of_steps() -> np.ndarray:
    return np.asarray(np.linspace(0, _MOST_LIGHT**0.5, _N_STEPS) ** 2)


def _gained(light: np.ndarray, measure: np.ndarray, table: np.ndarray) -> np.ndarray:
    """Return light multiplied by what a table says of a measure of each pixel, so that hues stay."""
    gain = np.take(table, _steps_of_light(measure))
    return np.asarray(cv2.multiply(light, cv2.merge([gain] * 3)))


@lru_cache
def _system_gain() -> np.ndarray:
    """Return for each step of scene luminance what HLG's system gamma multiplies it by, float32."""
    gain = np.maximum(_light_of_steps(), 1e-6) ** (_HLG_SYSTEM_GAMMA - 1)
    return np.asarray(gain * _PEAK_NITS / _WHITE_NITS, np.float32)


@lru_cache
def _knee_gain() -> np.ndarray:
    """Return for each step of light how much of it is left by the soft knee, float32.

    It begins nearly as steep as below the knee, and reaches white at the peak.
    """
    light = np.maximum(_light_of_steps(), 1e-6)
    most = (_PEAK_NITS / _WHITE_NITS - _KNEE) / (1 - _KNEE)
    over = np.maximum(light - _KNEE, 0) / (1 - _KNEE)
    bent = np.minimum(light, _KNEE) + (1 - _KNEE) * over / (1 + over) * (1 + 1 / most)
    return np.asarray(bent / light, np.float32)


@lru_cache
def _decoding(transfer: Transfer) -> np.ndarray:
    """Return the light of each step of a code, float32; for HLG that of the scene, for others 1 is white."""
    code = np.linspace(0, 1, _N_STEPS)
    match transfer:
        case Transfer.GAMMA:
            light = code**_GAMMA
        case Transfer.PQ:
            m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128
            root = code ** (1 / m2)
            light = (np.maximum(root - c1, 0) / (c2 - c3 * root)) ** (1 / m1) * 10_000 / _WHITE_NITS
        case Transfer.HLG:
            a, b, c = 0.17883277, 0.28466892, 0.55991073
            light = np.where(code <= 0.5, code**2 / 3, (np.exp((code - c) / a) + b) / 12)
    return np.asarray(light, np.float32)


@lru_cache
def _encoding() -> np.ndarray:
    """Return the code of a BT.709 display for each step of light, uint8."""
    return np.asarray(np.rint(255 * np.minimum(_light_of_steps(), 1) ** (1 / _GAMMA)), np.uint8)


@lru_cache
def _matrix_to_bt709(primaries: Primaries) -> FloatArray:
    """Return the matrix from linear BGR of some primaries to that of BT.709, float64, shape (3, 3)."""
    matrix = np.linalg.inv(_to_xyz(Primaries.BT709)) @ _to_xyz(primaries)
    return np.ascontiguousarray(matrix[::-1, ::-1])


def _to_xyz(primaries: Primaries) -> FloatArray:
    """Return the matrix from linear RGB to CIE XYZ, float64, shape (3, 3) (SMPTE RP 177)."""
    points = np.array([*primaries.value, *_WHITE_D65]).reshape(4, 2)
    xyz = np.column_stack([points[:, 0] / points[:, 1], np.ones(4), (1 - points.sum(axis=1)) / points[:, 1]])
    colours, white = xyz[:3].T, xyz[3]
    return np.asarray(colours * np.linalg.solve(colours, white))
