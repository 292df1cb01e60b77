"""Births: which particles of a source come to be within a frame, when, where, and with what.

Every number is a chance of its own, out of the seed, the source, the particle's number and what it is for: asking for
more particles changes none of those that were there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..kernels import hashing
from .places import Places
from .sources import Source

#: What chances are for. Each takes three.
WHEN, WHERE, INSIDE, AROUND, WAY, GIVEN = (np.uint32(k << 8) for k in range(1, 7))


_NEARLY = 1e-6


@dataclass(frozen=True)
class Origin:
    """Where a source is at a frame: places of a population, or a point (3,), in the space of the scene."""

    places: Places | None = None
    point: np.ndarray | None = None


@dataclass(frozen=True)
class Born:
    """Particles of one source that a frame brings, in the order of their births.

    Attributes
    ----------
    numbers
        (m,) int64, from 0 for each source.
    times
        (m,) float64, in frames.
    places, velocities, normals
        (m, 3) float32 in the space of the scene.
    uv
        (m, 2) float32.
    corners, weights
        (m, 3) int32 and float32: of the cell that each left; None where the source is no population.
    """

    numbers: np.ndarray
    times: np.ndarray
    places: np.ndarray
    velocities: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    lives: np.ndarray
    sizes: np.ndarray
    corners: np.ndarray | None
    weights: np.ndarray | None


def chances(numbers: np.ndarray, seed: int, source: int, stream: np.uint32) -> np.ndarray:
    """(m, 3) float32 from 0 to below 1, of particles of a source."""
    out = np.empty((len(numbers), 3), np.float32)
    low = (numbers & 0xFFFFFFFF).astype(np.uint32)
    hashing.random_three(low, np.full(len(low), source, np.uint32), np.uint32(seed), stream, out)
    return out


def of_burst(source: Source, seed: int, index: int, frame: int) -> tuple[np.ndarray, np.ndarray]:
    """Numbers and times of those of a burst that a frame brings: after the frame before, and up to it."""
    if not source.begin <= frame <= source.begin + source.over:
        return np.zeros(0, np.int64), np.zeros(0)
    numbers = np.arange(source.count, dtype=np.int64)
    times = source.begin + source.over * chances(numbers, seed, index, WHEN)[:, 0].astype(np.float64)
    within = (times > frame - 1) & (times <= frame)
    return _in_order(numbers[within], times[within])


def expected(before: Source, source: Source, frame: int, rate: float) -> float:
    """How many are born on the average after the frame before and up to this one; ``before`` is the source there."""
    if source.births == "stream":
        return (before.rate + source.rate) / 2 / rate * max(0.0, min(source.end, frame) - max(source.begin, frame - 1))
    if not source.over:
        return float(source.count) if source.begin == frame else 0.0
    within = max(0.0, min(source.begin + source.over, frame) - max(source.begin, frame - 1))
    return source.count * within / source.over


def of_stream(
    before: Source, source: Source, given: float, frame: int, rate: float
) -> tuple[np.ndarray, np.ndarray, float]:
    """Numbers and times of those of a stream that a frame brings, evenly, and how many it has given then.

    Within a frame the rate is the mean of those at its ends.
    """
    a, b = max(source.begin, frame - 1), min(source.end, frame)
    if b <= a:
        return np.zeros(0, np.int64), np.zeros(0), given
    more = (before.rate + source.rate) / 2 * (b - a) / rate
    after = given + more
    # Sums over frames meet whole numbers only nearly.
    numbers = np.arange(math.ceil(given - _NEARLY), math.ceil(after - _NEARLY), dtype=np.int64)
    times = a + (numbers - given) / max(more, 1e-300) * (b - a)
    return numbers, np.clip(times, a, b), after


def born(
    source: Source, seed: int, index: int, numbers: np.ndarray, times: np.ndarray, frame: int, rate: float,
    before: Origin, now: Origin,
) -> Born:  # fmt: skip
    """What particles of these numbers are given at their births.

    Where the source is lies on the straight way from where it was at the frame before to where it is; where it is a
    population of other elements than before, it is taken as it is now.
    """
    part = (times - (frame - 1))[:, None]
    corners = weights = None
    normals, uv = np.zeros((len(numbers), 3), np.float32), np.zeros((len(numbers), 2), np.float32)
    if now.places is not None:
        there = now.places
        drawn = np.hstack([chances(numbers, seed, index, WHERE), chances(numbers, seed, index, INSIDE)])
        cells, weights = there.drawn(drawn)
        corners = np.ascontiguousarray(there.corners[cells], np.int32)
        ends = there.at(there.vertices, cells, weights).astype(np.float64)
        was = before.places
        alike = was is not None and was.size == there.size and was.corners.shape == there.corners.shape
        starts = was.at(was.vertices, cells, weights).astype(np.float64) if was is not None and alike else ends
        normals = _unit(there.at(there.normals, cells, weights))
        if there.uv is not None:
            uv = (there.uv[cells] * weights[:, :, None]).sum(axis=1, dtype=np.float32)
    else:
        assert now.point is not None
        ends = np.broadcast_to(now.point, (len(numbers), 3))
        starts = ends if before.point is None else np.broadcast_to(before.point, ends.shape)
    places = starts + part * (ends - starts)
    if source.radius:
        places = places + source.radius * _in_ball(chances(numbers, seed, index, AROUND))
    given = chances(numbers, seed, index, GIVEN).astype(np.float64)
    ways = chances(numbers, seed, index, WAY)
    speeds = source.speed * _varied(given[:, 0], source.speed_variation)
    velocities = speeds[:, None] * _ways(source, normals, ways)
    velocities = velocities + source.inherit * rate * (ends - starts)
    return Born(
        numbers, times, places.astype(np.float32), velocities.astype(np.float32), normals, uv,
        (source.life * _varied(given[:, 1], source.life_variation)).astype(np.float32),
        (source.size * _varied(given[:, 2], source.size_variation)).astype(np.float32),
        corners, weights,
    )  # fmt: skip


def _varied(chance: np.ndarray, variation: float) -> np.ndarray:
    """(m,) factors about 1, even within the variation to either side."""
    found: np.ndarray = 1 + variation * (2 * chance - 1)
    return found


def _unit(ways: np.ndarray) -> np.ndarray:
    """(m, 3) of length 1; upwards where there is none."""
    lengths = np.linalg.norm(ways, axis=1, keepdims=True)
    up = np.array([0, 0, 1], ways.dtype)
    return np.where(lengths > 1e-12, ways / np.where(lengths > 1e-12, lengths, 1), up)


def _in_ball(chance: np.ndarray) -> np.ndarray:
    """(m, 3) float64: places that are even in a ball of radius 1."""
    u = chance.astype(np.float64)
    z, turn = 2 * u[:, 0] - 1, 2 * np.pi * u[:, 1]
    flat = np.sqrt(np.maximum(1 - z * z, 0))
    found: np.ndarray = np.cbrt(u[:, 2])[:, None] * np.stack([flat * np.cos(turn), flat * np.sin(turn), z], -1)
    return found


def _ways(source: Source, normals: np.ndarray, chance: np.ndarray) -> np.ndarray:
    """(m, 3) float64 of length 1: even on the cap of directions about the aim of each."""
    aim = _unit(np.array([source.aim], np.float64))
    share = source.outward if source.out_of == "population" else 0.0
    about = _unit((1 - share) * aim + share * normals.astype(np.float64))
    cosine = 1 - chance[:, 0].astype(np.float64) * (1 - math.cos(math.radians(source.cone)))
    turn = 2 * np.pi * chance[:, 1].astype(np.float64)
    # Two directions square to each: the axis that it lies least along gives the first.
    axis = np.eye(3)[np.abs(about).argmin(axis=1)]
    one = _unit(np.cross(about, axis))
    two = np.cross(about, one)
    sine = np.sqrt(np.maximum(1 - cosine**2, 0))
    found: np.ndarray = (
        cosine[:, None] * about + (sine * np.cos(turn))[:, None] * one + (sine * np.sin(turn))[:, None] * two
    )
    return found


def _in_order(numbers: np.ndarray, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Both by time, and by number where times are equal."""
    order = np.argsort(times, kind="stable")
    return numbers[order], times[order]
