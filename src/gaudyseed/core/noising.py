"""Noise from its settings: octaves, folds, cells, motion, and the way onto 0..1. The kernels say what is published."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from .kernels import noise as kernels
from .kernels.hashing import pcg3d

Places = tuple[np.ndarray, np.ndarray, np.ndarray]

#: Told apart from other uses of the same seed.
_SALT = 0x4E4F4953
#: The spread of one octave of gradient noise, in three dimensions and while it moves in a fourth (measured).
SIGMA, SIGMA_MOVING = 0.270, 0.293
#: Smooth steps of the fourth dimension would pulse: the pace is evened out by this much of a sine.
_EVEN = 0.17
#: The part of a cell's point that swings while cells move.
_SWING = 0.5
_LEAST_SOFTNESS = 4.0 / 32.0
_SECOND_AT_MOST = 1.5
#: Patches from end to end above which float32 would be seen to round.
_WIDE = 1024.0
_ORIGIN = np.zeros(3)
#: The first of the three channels that move places, behind those of colours.
_WARPING = 3


@dataclass(frozen=True)
class Frame:
    """The way from places to patches.

    Lattices are the same beyond every whole number, so what lies between a population and 0 is kept apart, in float64.
    Where the population itself reaches over more patches than float32 can tell apart, all is worked out in float64.

    Attributes
    ----------
    rows
        (3, 4): float32, or float64 where the population is wide.
    anchor
        (3,) of the same type: what is taken off places.
    far
        (3,) float64: where the anchor lies, in patches.
    """

    rows: np.ndarray
    anchor: np.ndarray
    far: np.ndarray

    def placed(self, columns: Places) -> Places:
        """Places (m,) each in patches from the anchor; beyond a thousand million they stay there."""
        x, y, z = columns
        out = np.empty((3, len(x)), self.rows.dtype)
        transform = kernels.transform_far if self.rows.dtype == np.float64 else kernels.transform
        transform(x, y, z, self.rows, self.anchor, out)
        return out[0], out[1], out[2]


def framed(matrix: np.ndarray, low: np.ndarray, high: np.ndarray, finest: float) -> Frame:
    """The frame of a (4, 4) matrix from places within a box into patches; ``finest`` times as many at the last octave.

    The anchor is the place of the box that is nearest to 0: nothing lies nearer to 0 than to it, so no digits go.
    """
    linear, shift = matrix[:3, :3], matrix[:3, 3]
    anchor = np.clip(0.0, low, high).astype(np.float32)
    reach = float((np.abs(linear) @ np.maximum(np.abs(low - anchor), np.abs(high - anchor))).max()) * finest
    if reach > _WIDE:
        return Frame(np.column_stack([linear, shift]), np.zeros(3), np.zeros(3))
    rows = np.column_stack([linear, np.zeros(3)]).astype(np.float32)
    return Frame(rows, anchor, linear @ anchor.astype(np.float64) + shift)


@dataclass(frozen=True)
class Settings:
    """All that decides a noise but where it is asked for.

    Attributes
    ----------
    at, period
        How far it has moved, and after how much of that it is as at the beginning; 0 for never.
    bias
        What a value of a half becomes.
    warp, warp_size
        How far another noise moves places, in patches, and how large its own patches are beside these.
    """

    cells: bool
    seed: int
    octaves: int
    gain: float
    lacunarity: float
    fold: Literal["plain", "billow", "ridged"]
    measure: Literal["nearest", "second", "border", "value"]
    irregularity: float
    softness: float
    moves: bool
    at: float
    period: int
    low: float
    high: float
    contrast: float
    bias: float = 0.5
    warp: float = 0.0
    warp_size: float = 2.0

    @property
    def weights(self) -> list[float]:
        """The weight of each octave, that of the first 1."""
        return [self.gain**o for o in range(self.octaves)]

    @property
    def finest(self) -> float:
        """How many times finer the last octave is than the first."""
        return self.lacunarity ** (self.octaves - 1)

    def words(self, octave: int, channel: int) -> tuple[np.uint32, np.uint32, np.uint32]:
        """Three random words for an octave of a channel."""
        x, y, z = pcg3d(np.uint32(self.seed), np.uint32(octave), np.uint32(_SALT + channel))
        return np.uint32(x), np.uint32(y), np.uint32(z)

    def lattice(
        self, octave: int, channel: int, scale: np.float32, far: np.ndarray
    ) -> tuple[list[float], list[np.uint32]]:
        """Where the lattice of an octave begins, in 0..1, and its words; the whole part of ``far`` goes into these.

        Without a beginning of its own all whole places would be 0.
        """
        starts = pcg3d(np.uint32(self.seed), np.uint32(octave), np.uint32(_SALT + 16 + channel))
        at = [float(np.float32(x * 2.0**-32)) + float(scale) * f for x, f in zip(starts, far.tolist(), strict=True)]
        wholes = [math.floor(a) if f else 0 for a, f in zip(at, far.tolist(), strict=True)]
        words = self.words(octave, channel)
        shifted = [np.uint32((int(word) + whole) % 2**32) for word, whole in zip(words, wholes, strict=True)]
        return [a - whole for a, whole in zip(at, wholes, strict=True)], shifted

    def fill(self, places: Places, channel: int, out: np.ndarray, far: np.ndarray = _ORIGIN) -> None:
        """Write the values at places in patches, (m,) from 0 to 1; each channel is independent of the others.

        Places are float32 or float64, counted from ``far``, (3,) patches from 0.
        """
        if self.warp:
            places = self._warped(places, far)
        if self.cells:
            self._fill_cells(places, channel, out, far)
            scale, middle = 1 / sum(self.weights), 0.0
        else:
            self._fill_patches(places, channel, out, far)
            total = sum(self.weights)
            sigma = (SIGMA_MOVING if self.moves else SIGMA) * math.sqrt(sum(w * w for w in self.weights)) / total
            scale, middle = 1 / (6 * sigma * total), 0.5
            if self.fold != "plain":
                scale, middle = (2 * scale, 0.0) if self.fold == "billow" else (-2 * scale, 1.0)
        kernels.settle(
            out, np.float32(scale), np.float32(middle), np.float32(self.low), np.float32(self.high - self.low),
            np.float32(self.bias), np.float32(self.contrast), out,
        )  # fmt: skip

    def _warped(self, places: Places, far: np.ndarray) -> Places:
        """Places moved by three octaves of noise of their own, one along each axis, that stand still."""
        scale = np.float32(1 / self.warp_size)
        plain = kernels.gradient_far if places[0].dtype == np.float64 else kernels.gradient
        by, found = np.empty(len(places[0]), np.float32), []
        for axis in range(3):
            offsets, words = self.lattice(0, _WARPING + axis, scale, far)
            plain(*places, scale, *offsets, *words, by)
            found.append(places[axis] + np.float32(self.warp) * by)
        return found[0], found[1], found[2]

    def _fill_patches(self, places: Places, channel: int, out: np.ndarray, far: np.ndarray) -> None:
        out[:] = 0
        wide = places[0].dtype == np.float64
        plain = kernels.gradient_far if wide else kernels.gradient
        moving = kernels.gradient_4_far if wide else kernels.gradient_4
        one, two = np.empty_like(out), np.empty_like(out)
        fold = kernels.PLAIN if self.fold == "plain" else kernels.BILLOW
        for octave, weight in enumerate(self.weights):
            scale = np.float32(self.lacunarity**octave)
            offsets, words = self.lattice(octave, channel, scale, far)
            if not self.moves:
                plain(*places, scale, *offsets, *words, one)
                kernels.add_octave(one, one, np.float32(0), np.float32(weight), fold, out)
                continue
            layers, part = self._layers(octave, self.words(octave, channel)[0])
            for layer, down, into in ((layers[0], part, one), (layers[1], part - 1, two)):
                moving(*places, scale, *offsets, *words, layer, np.float32(down), into)
            between = part * part * part * (part * (part * 6 - 15) + 10)
            kernels.add_octave(one, two, np.float32(between), np.float32(weight), fold, out)

    def _layers(self, octave: int, word: np.uint32) -> tuple[list[np.uint32], float]:
        """The words of the layers below and above in the fourth dimension, and how far lies between."""
        at = self.at + octave * 0.381966  # else all octaves would pass their layers together
        at += _EVEN * math.sin(2 * math.pi * at) / (2 * math.pi)
        below = math.floor(at)
        numbers = [below, below + 1]
        if self.period:
            numbers = [n % self.period for n in numbers]
        mixed = [pcg3d(np.uint32(n % 2**32), word, np.uint32(octave))[0] for n in numbers]
        return [np.uint32(m) for m in mixed], at - below

    def _fill_cells(self, places: Places, channel: int, out: np.ndarray, far: np.ndarray) -> None:
        out[:] = 0
        wide = places[0].dtype == np.float64
        hard = kernels.cells_far if wide else kernels.cells
        blurred = kernels.soft_cells_far if wide else kernels.soft_cells
        one, two, ids = np.empty_like(out), np.empty_like(out), np.empty(len(out), np.uint32)
        turn = 2 * math.pi * self.at
        swing = np.float32(_SWING if self.moves else 0)
        c, s = (np.float32(f(turn) / math.sqrt(2)) for f in (math.cos, math.sin))
        jitter = np.float32(self.irregularity)
        valued, soft = self.measure == "value", self.softness > 0 and self.measure in ("nearest", "value")
        # The values of one cell are independent; all else asks for cells of their own for each channel.
        cells, salt = (0, channel) if valued else (channel, 0)
        for octave, weight in enumerate(self.weights):
            scale = np.float32(self.lacunarity**octave)
            offsets, words = self.lattice(octave, cells, scale, far)
            at = (scale, *offsets, *words)
            if soft:
                k = np.float32(4.0 / max(self.softness, _LEAST_SOFTNESS))
                blurred(*places, *at, jitter, swing, c, s, k, valued, np.uint32(salt), one)
            else:
                hard(*places, *at, jitter, swing, c, s, one, two, ids)
                if valued:
                    kernels.cell_values(ids, np.uint32(salt), one)
                elif self.measure == "second":
                    one = two / np.float32(_SECOND_AT_MOST)
                elif self.measure == "border":
                    one = two - one
            out += np.float32(weight) * one
