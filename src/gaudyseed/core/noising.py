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


def placed(columns: Places, affine: np.ndarray) -> Places:
    """Places (m,) each through a (3, 4) matrix; beyond a thousand million they stay there."""
    x, y, z = columns
    out = np.empty((3, len(x)), np.float32)
    kernels.transform(x, y, z, affine, out)
    return out[0], out[1], out[2]


@dataclass(frozen=True)
class Settings:
    """All that decides a noise but where it is asked for.

    Attributes
    ----------
    at, period
        How far it has moved, and after how much of that it is as at the beginning; 0 for never.
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

    @property
    def weights(self) -> list[float]:
        """Of the octaves, the first 1."""
        return [self.gain**o for o in range(self.octaves)]

    def words(self, octave: int, channel: int) -> tuple[np.uint32, np.uint32, np.uint32]:
        """Three random words for an octave of a channel."""
        x, y, z = pcg3d(np.uint32(self.seed), np.uint32(octave), np.uint32(_SALT + channel))
        return np.uint32(x), np.uint32(y), np.uint32(z)

    def offsets(self, octave: int, channel: int) -> tuple[np.float32, np.float32, np.float32]:
        """Where the lattice of an octave begins, in 0..1: without it all whole places would be 0."""
        x, y, z = pcg3d(np.uint32(self.seed), np.uint32(octave), np.uint32(_SALT + 16 + channel))
        return np.float32(x * 2.0**-32), np.float32(y * 2.0**-32), np.float32(z * 2.0**-32)

    def fill(self, places: Places, channel: int, out: np.ndarray) -> None:
        """Write the values at places, (m,) float32 from 0 to 1; each channel is independent of the others."""
        if self.cells:
            self._fill_cells(places, channel, out)
            scale, middle = 1 / sum(self.weights), 0.0
        else:
            self._fill_patches(places, channel, out)
            total = sum(self.weights)
            sigma = (SIGMA_MOVING if self.moves else SIGMA) * math.sqrt(sum(w * w for w in self.weights)) / total
            scale, middle = 1 / (6 * sigma * total), 0.5
            if self.fold != "plain":
                scale, middle = (2 * scale, 0.0) if self.fold == "billow" else (-2 * scale, 1.0)
        kernels.settle(
            out, np.float32(scale), np.float32(middle), np.float32(self.low), np.float32(self.high - self.low),
            np.float32(self.contrast), out,
        )  # fmt: skip

    def _fill_patches(self, places: Places, channel: int, out: np.ndarray) -> None:
        out[:] = 0
        one, two = np.empty_like(out), np.empty_like(out)
        fold = kernels.PLAIN if self.fold == "plain" else kernels.BILLOW
        for octave, weight in enumerate(self.weights):
            scale = np.float32(self.lacunarity**octave)
            words, offsets = self.words(octave, channel), self.offsets(octave, channel)
            if not self.moves:
                kernels.gradient(*places, scale, *offsets, *words, one)
                kernels.add_octave(one, one, np.float32(0), np.float32(weight), fold, out)
                continue
            layers, part = self._layers(octave, words[0])
            for layer, down, into in ((layers[0], part, one), (layers[1], part - 1, two)):
                kernels.gradient_4(*places, scale, *offsets, *words, layer, np.float32(down), into)
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

    def _fill_cells(self, places: Places, channel: int, out: np.ndarray) -> None:
        out[:] = 0
        one, two, ids = np.empty_like(out), np.empty_like(out), np.empty(len(out), np.uint32)
        turn = 2 * math.pi * self.at
        swing = np.float32(_SWING if self.moves else 0)
        c, s = (np.float32(f(turn) / math.sqrt(2)) for f in (math.cos, math.sin))
        jitter = np.float32(self.irregularity)
        valued, soft = self.measure == "value", self.softness > 0 and self.measure in ("nearest", "value")
        # The values of one cell are independent; all else asks for cells of their own for each channel.
        cells, salt = (0, channel) if valued else (channel, 0)
        for octave, weight in enumerate(self.weights):
            at = (np.float32(self.lacunarity**octave), *self.offsets(octave, cells), *self.words(octave, cells))
            if soft:
                k = np.float32(4.0 / max(self.softness, _LEAST_SOFTNESS))
                kernels.soft_cells(*places, *at, jitter, swing, c, s, k, valued, np.uint32(salt), one)
            else:
                kernels.cells(*places, *at, jitter, swing, c, s, one, two, ids)
                if valued:
                    kernels.cell_values(ids, np.uint32(salt), one)
                elif self.measure == "second":
                    one = two / np.float32(_SECOND_AT_MOST)
                elif self.measure == "border":
                    one = two - one
            out += np.float32(weight) * one
