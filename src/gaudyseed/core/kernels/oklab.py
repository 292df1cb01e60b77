"""OKLab in float32 for kernels.

Bjorn Ottosson, "A perceptual color space for image processing", 2020 (the matrices of 2021-01-25).
"""

from __future__ import annotations

import numpy as np
from numba import types
from numba.types import float32

from . import compiled
from .waves import cube_root

_RGB_TO_LMS = tuple(np.float32(c) for c in (0.4122214708, 0.5363325363, 0.0514459929, 0.2119034982, 0.6806995451,
                                            0.1073969566, 0.0883024619, 0.2817188376, 0.6299787005))  # fmt: skip
_LMS_TO_LAB = tuple(np.float32(c) for c in (0.2104542553, 0.7936177850, -0.0040720468, 1.9779984951, -2.4285922050,
                                            0.4505937099, 0.0259040371, 0.7827717662, -0.8086757660))  # fmt: skip
#: The weights of a and b; those of lightness are 1.
_LAB_TO_LMS = tuple(np.float32(c) for c in (0.3963377774, 0.2158037573, -0.1055613458, -0.0638541728,
                                            -0.0894841775, -1.2914855480))  # fmt: skip
_LMS_TO_RGB = tuple(np.float32(c) for c in (4.0767416621, -3.3077115913, 0.2309699292, -1.2684380046, 2.6097574011,
                                            -0.3413193965, -0.0041960863, -0.7034186147, 1.7076147010))  # fmt: skip
_THREE = types.UniTuple(float32, 3)


@compiled(_THREE(float32, float32, float32), forceinline=True)
def to_oklab(r, g, b):  # type: ignore[no-untyped-def]
    """Lightness, a and b of linear RGB."""
    long = cube_root(_RGB_TO_LMS[0] * r + _RGB_TO_LMS[1] * g + _RGB_TO_LMS[2] * b)
    medium = cube_root(_RGB_TO_LMS[3] * r + _RGB_TO_LMS[4] * g + _RGB_TO_LMS[5] * b)
    short = cube_root(_RGB_TO_LMS[6] * r + _RGB_TO_LMS[7] * g + _RGB_TO_LMS[8] * b)
    lightness = _LMS_TO_LAB[0] * long + _LMS_TO_LAB[1] * medium + _LMS_TO_LAB[2] * short
    a = _LMS_TO_LAB[3] * long + _LMS_TO_LAB[4] * medium + _LMS_TO_LAB[5] * short
    return lightness, a, _LMS_TO_LAB[6] * long + _LMS_TO_LAB[7] * medium + _LMS_TO_LAB[8] * short


@compiled(_THREE(float32, float32, float32), forceinline=True)
def from_oklab(lightness, a, b):  # type: ignore[no-untyped-def]
    """Linear RGB; negatives that rounding leaves at gamut edges stay."""
    long = lightness + _LAB_TO_LMS[0] * a + _LAB_TO_LMS[1] * b
    medium = lightness + _LAB_TO_LMS[2] * a + _LAB_TO_LMS[3] * b
    short = lightness + _LAB_TO_LMS[4] * a + _LAB_TO_LMS[5] * b
    long, medium, short = long * long * long, medium * medium * medium, short * short * short
    red = _LMS_TO_RGB[0] * long + _LMS_TO_RGB[1] * medium + _LMS_TO_RGB[2] * short
    green = _LMS_TO_RGB[3] * long + _LMS_TO_RGB[4] * medium + _LMS_TO_RGB[5] * short
    return red, green, _LMS_TO_RGB[6] * long + _LMS_TO_RGB[7] * medium + _LMS_TO_RGB[8] * short
