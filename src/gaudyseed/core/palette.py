"""Palettes: ordered sets of colours, from pictures and text, in several orders."""

from __future__ import annotations

import io
import threading
from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np
from PIL import Image, UnidentifiedImageError
from pydantic import Field

from .colour.documents import HexColour
from .colour.mixing import oklab_to_oklch
from .colour.spaces import decode_srgb, linear_to_oklab, oklab_to_linear, parse_hex, to_hex
from .documents.document import Document
from .errors import BadInput
from .kernels.palettes import k_means
from .scene.follow import FollowColour, FollowDial

MOST_SWATCHES = 256
LARGEST_PICTURE = 64 * 1024 * 1024
MOST_PIXELS = 40_000_000
#: A picture is counted on a grid of this many levels a channel before it is clustered: even in the cube root of light,
#: as OKLab is, so that darks are told apart.
LEVELS = 48
_SIDE = 1536
#: Pixels of a strip that is worked on, and how many pictures are decoded at a time: each may need 160 MB.
_STRIP = 1 << 20
_turns = threading.Semaphore(2)
_ROUNDS = 64
#: Colours tried for each further beginning.
_TRIALS = 8
#: Where the first centre of each beginning lies among all pixels, by lightness.
_FIRST = (0.1, 0.5, 0.9)

Order = Literal["grid", "hue", "lightness", "path"]


#: What stands for a colour that follows, where no signals are at hand.
UNKNOWN = "#808080"


class Swatch(Document):
    """One colour of a palette, its weight, and whether it stays when others are drawn anew."""

    colour: HexColour | FollowColour = Field(title="Colour")
    weight: Annotated[float, Field(ge=0, le=1e9)] | FollowDial = Field(1.0, title="Weight")
    locked: bool = Field(False, title="Locked")

    @property
    def drawn(self) -> str:
        """The colour, ``#rrggbb``; a middle grey where it follows."""
        return self.colour if isinstance(self.colour, str) else UNKNOWN

    @property
    def stays(self) -> bool:
        """Whether it is not drawn anew: it is locked, or something else decides its colour."""
        return self.locked or not isinstance(self.colour, str)


def linear_of(swatches: Sequence[Swatch]) -> np.ndarray:
    """(s, 3) linear float64; a middle grey where a colour follows."""
    return np.array([parse_hex(s.drawn) for s in swatches])


def lab_of(swatches: Sequence[Swatch]) -> np.ndarray:
    """The swatches in OKLab, (s, 3)."""
    return linear_to_oklab(linear_of(swatches))


# From a picture


def read_picture(data: bytes) -> np.ndarray:
    """(rows, columns, 3) uint8 of a PNG, JPEG, WebP or GIF, at most 1536 a side; transparent parts over grey.

    Raises
    ------
    BadInput
        For anything else, and for pictures that are too large.
    """
    if len(data) > LARGEST_PICTURE:
        raise BadInput(f"The picture has {len(data) / 2**20:.0f} MB; at most 64 MB are taken.", place="picture")
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP", "GIF")) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise BadInput(
                    f"The picture has {picture.width} x {picture.height} pixels; at most {MOST_PIXELS:,} are taken.",
                    place="picture",
                )
            with _turns:
                picture.draft("RGB", (_SIDE, _SIDE))  # a JPEG is decoded at a part of its size where that is enough
                return _reduced(picture)
    except BadInput:
        raise
    except (UnidentifiedImageError, Image.DecompressionBombError):
        raise BadInput("This is no picture that can be read. Use PNG, JPEG or WebP.", place="picture") from None
    except (OSError, ValueError, SyntaxError, EOFError, OverflowError):
        raise BadInput(
            "This picture is broken or was cut off. Save it again, as PNG, JPEG or WebP.", place="picture"
        ) from None


def _reduced(picture: Image.Image) -> np.ndarray:
    """(rows, columns, 3) uint8, at most 1536 a side, a strip at a time: only the decoded picture is whole in memory."""
    factor = (max(picture.size) - 1) // _SIDE + 1
    picture.load()
    strips = []
    tall = max(1, _STRIP // picture.width // factor) * factor
    for top in range(0, picture.height, tall):
        strip = picture.crop((0, top, picture.width, min(top + tall, picture.height)))
        if picture.mode.startswith("I"):  # 16 bits of grey
            strip = Image.fromarray((np.asarray(strip) >> 8).astype(np.uint8))
        flat = strip.convert("RGBA" if picture.mode in ("RGBA", "LA", "P", "PA") else "RGB")
        if flat.mode == "RGBA":
            under = Image.new("RGBA", flat.size, (128, 128, 128, 255))
            flat = Image.alpha_composite(under, flat).convert("RGB")
        strips.append(np.asarray(flat.reduce(factor) if factor > 1 else flat))
    return np.concatenate(strips)


def from_picture(pixels: np.ndarray, count: int) -> list[Swatch]:
    """The ``count`` colours that lie nearest to all pixels: k-means in OKLab, heaviest first.

    Deterministic: pixels are counted on a grid, then Lloyd's rounds (1982)
    from a few beginnings without chance, of which the best end is kept. Fewer swatches come
    back where the picture has fewer colours. Weights are parts of the pixels.
    """
    if not 2 <= count <= 64:
        raise BadInput(f"{count} colours are asked for; from 2 to 64 can be found.", place="count")
    flat = pixels.reshape(-1, 3)
    linear = decode_srgb(np.arange(256) / 255.0)
    cells = np.minimum(np.cbrt(linear) * LEVELS, LEVELS - 1).astype(np.uint32)[flat]
    codes = (cells[:, 0] * LEVELS + cells[:, 1]) * LEVELS + cells[:, 2]
    numbers = np.bincount(codes, minlength=LEVELS**3)
    used = np.flatnonzero(numbers)
    means = np.stack([np.bincount(codes, weights=linear[flat[:, k]], minlength=LEVELS**3)[used] for k in range(3)], 1)
    points = np.ascontiguousarray(linear_to_oklab(means / numbers[used][:, None]))
    weights = numbers[used] / len(flat)
    ends = [_clustered(points, weights, min(count, len(points)), part) for part in _FIRST]
    _, centres, labels = min(ends, key=lambda end: end[0])
    shares = np.bincount(labels, weights=weights, minlength=len(centres))
    order = [k for k in np.argsort(-shares, kind="stable") if shares[k] > 0]
    return [
        Swatch(colour=to_hex(np.clip(oklab_to_linear(centres[k]), 0, 1)), weight=round(float(shares[k]), 6))
        for k in order
    ]


def _clustered(
    points: np.ndarray, weights: np.ndarray, count: int, first: float
) -> tuple[float, np.ndarray, np.ndarray]:
    """The summed squared distance, the centres (count, 3) and the labels (n,) after all rounds."""
    centres = _beginnings(points, weights, count, first)
    labels = np.full(len(points), -1, np.int64)
    return k_means(points, weights, centres, labels, _ROUNDS), centres, labels


def _beginnings(points: np.ndarray, weights: np.ndarray, count: int, first: float) -> np.ndarray:
    """(count, 3): the colour with that part of the pixels darker, then each time the best of a few.

    Greedy k-means++ (Arthur and Vassilvitskii 2007), but the few are no draws: they lie at
    even parts of the summed squared distance.
    """
    order = np.argsort(points[:, 0], kind="stable")
    middle = np.searchsorted(np.cumsum(weights[order]), first * weights.sum())
    chosen = [int(order[min(middle, len(order) - 1)])]
    nearest = ((points - points[chosen[0]]) ** 2).sum(axis=1)
    parts = (np.arange(_TRIALS) + 0.5) / _TRIALS
    for _ in range(count - 1):
        summed = np.cumsum(nearest * weights)
        tried = np.unique(np.searchsorted(summed, parts * summed[-1]))
        after = np.stack([np.minimum(nearest, ((points - points[k]) ** 2).sum(axis=1)) for k in tried])
        best = int(np.argmin(after @ weights))
        chosen.append(int(tried[best]))
        nearest = after[best]
    return points[chosen].copy()


# Orders


def ordered(swatches: Sequence[Swatch], order: Order, columns: int = 8) -> list[Swatch]:
    """The swatches in another order.

    ``grid``: by OKLab lightness into rows of ``columns``, within each row by hue. ``hue`` and
    ``lightness`` over all. ``path``: a short way through OKLab that begins at the darkest, so
    that likes lie together (nearest neighbour, then 2-opt, Croes 1958).
    """
    labs = lab_of(swatches)
    lch = oklab_to_oklch(labs)
    hues = np.nan_to_num(lch[:, 2], nan=-1.0)  # greys first
    if order == "hue":
        indices = np.lexsort((lch[:, 0], hues))
    elif order == "lightness":
        indices = np.argsort(lch[:, 0], kind="stable")
    elif order == "grid":
        light = np.argsort(-lch[:, 0], kind="stable")
        rows = [light[k : k + columns] for k in range(0, len(light), columns)]
        indices = np.concatenate([row[np.argsort(hues[row], kind="stable")] for row in rows])
    else:
        indices = _short_path(labs)
    return [swatches[k] for k in indices]


def _short_path(labs: np.ndarray) -> np.ndarray:
    n = len(labs)
    apart = np.linalg.norm(labs[:, None] - labs[None], axis=2)
    path, left = [int(np.argmin(labs[:, 0]))], set(range(n))
    left.discard(path[0])
    while left:
        nearest = min(left, key=lambda k: (apart[path[-1], k], k))
        path.append(nearest)
        left.discard(nearest)
    way = np.array(path)
    for _ in range(20):
        if not _untangled(way, apart):
            break
    return way


def _untangled(way: np.ndarray, apart: np.ndarray) -> bool:
    """One round of 2-opt in place: turn the best stretch round after each place; whether anything became shorter."""
    better = False
    for i in range(len(way) - 2):
        ends = np.arange(i + 2, len(way))
        after = np.append(way[i + 3 :], -1)
        now = apart[way[i], way[i + 1]] + np.where(after >= 0, apart[way[ends], after], 0)
        then = apart[way[i], way[ends]] + np.where(after >= 0, apart[way[i + 1], after], 0)
        best = int(np.argmin(then - now))
        if then[best] - now[best] < -1e-12:
            way[i + 1 : ends[best] + 1] = way[i + 1 : ends[best] + 1][::-1].copy()
            better = True
    return better
