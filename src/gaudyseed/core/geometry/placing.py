"""Places, turns and sizes in space, and how points, directions and normals go through them."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np

#: What a vector stands for: a place, a way to go, what is square to a surface, a turn, a length, or none of these.
Role = Literal["", "point", "direction", "normal", "turn", "length"]

IDENTITY = np.eye(4)


@lru_cache(maxsize=512)
def matrix(position: tuple[float, ...], turn: tuple[float, ...], size: float) -> np.ndarray:
    """(4, 4) float64, not to be written to: first the size, then turns in degrees about x, y, z, then the place.

    >>> (matrix((1, 0, 0), (0, 0, 90), 2) @ [1, 0, 0, 1]).round(6).tolist()
    [1.0, 2.0, 0.0, 1.0]
    """
    out = np.eye(4)
    for axis, degrees in enumerate(turn):
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        one, two = (axis + 1) % 3, (axis + 2) % 3
        about = np.eye(4)
        about[one, one] = about[two, two] = c
        about[one, two], about[two, one] = -s, s
        out = about @ out
    out[:3, :3] *= size
    out[:3, 3] = position
    out.flags.writeable = False
    return out


def moved(values: np.ndarray, role: Role, by: np.ndarray) -> np.ndarray:
    """Values (n,) or (n, k) in the space that a matrix leads to; those without a role stay as they are.

    Points take all of it, directions all but the place, normals the inverse transposed and length 1 again, turns
    (quaternions x, y, z, w) its rotation, lengths its size (the cube root of the volume that it gives to a unit cube).
    """
    linear = by[:3, :3]
    if role == "point":
        return (values.astype(np.float64) @ linear.T + by[:3, 3]).astype(values.dtype)
    if role == "direction":
        return (values.astype(np.float64) @ linear.T).astype(values.dtype)
    if role == "normal":
        square = values.astype(np.float64) @ _square_to(linear).T
        lengths = np.linalg.norm(square, axis=1, keepdims=True)
        return (square / np.where(lengths > 0, lengths, 1)).astype(values.dtype)
    if role == "length":
        return (values * np.cbrt(abs(np.linalg.det(linear)))).astype(values.dtype)
    return _turned(values, linear) if role == "turn" else values


def undoing(by: np.ndarray) -> np.ndarray:
    """(k, k): the inverse of a matrix; where it has none that can be held, what comes nearest to it.

    >>> undoing(np.diag([0.0, 2.0])).tolist()
    [[0.0, 0.0], [0.0, 0.5]]
    """
    try:
        found = np.linalg.inv(by)
    except np.linalg.LinAlgError:
        return np.linalg.pinv(by)
    return found if np.abs(found).max() < 1e30 else np.linalg.pinv(by)


def _square_to(linear: np.ndarray) -> np.ndarray:
    """(3, 3): the inverse transposed but for its size, also of a matrix that makes everything flat."""
    greatest = np.abs(linear).max()
    even = linear / greatest if greatest > 0 else linear
    a, b, c = even.T
    # Columns of cofactors: no division, so that a side of length 0 is no trouble.
    found: np.ndarray = np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], axis=1)
    return -found if np.linalg.det(even) < 0 else found


def _turned(values: np.ndarray, linear: np.ndarray) -> np.ndarray:
    """Quaternions (n, 4) after the rotation of a matrix."""
    x, y, z, w = quaternion(linear)
    a, b, c, d = values.astype(np.float64).T
    found = np.stack(
        [
            w * a + x * d + y * c - z * b,
            w * b - x * c + y * d + z * a,
            w * c + x * b - y * a + z * d,
            w * d - x * a - y * b - z * c,
        ],
        axis=1,
    )
    return found.astype(values.dtype)


def quaternion(linear: np.ndarray) -> np.ndarray:
    """(4,) x, y, z, w: the rotation that is nearest to a (3, 3) matrix (its polar decomposition, mirrors taken out)."""
    found: np.ndarray = quaternions(linear[None])[0]
    return found


def quaternions(linear: np.ndarray) -> np.ndarray:
    """(n, 4): the rotations that are nearest to (n, 3, 3) matrices; none where a matrix has no extent at all."""
    turn = _rotations_in(linear)
    # The largest of the four squares, so that nothing is divided by little (Shepperd 1978).
    squares = np.stack([turn[:, 0, 0], turn[:, 1, 1], turn[:, 2, 2], np.trace(turn, axis1=1, axis2=2)], axis=1)
    largest, found = squares.argmax(axis=1), np.empty((len(turn), 4))
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        rows = np.flatnonzero(largest == k)
        of = turn[rows]
        found[rows, k] = 1 + of[:, k, k] - of[:, i, i] - of[:, j, j]
        found[rows, i], found[rows, j] = of[:, k, i] + of[:, i, k], of[:, j, k] + of[:, k, j]
        found[rows, 3] = of[:, j, i] - of[:, i, j]
    rows = np.flatnonzero(largest == 3)
    of = turn[rows]
    found[rows, 0], found[rows, 1] = of[:, 2, 1] - of[:, 1, 2], of[:, 0, 2] - of[:, 2, 0]
    found[rows, 2], found[rows, 3] = of[:, 1, 0] - of[:, 0, 1], 1 + squares[rows, 3]
    return found / np.linalg.norm(found, axis=1, keepdims=True)


def _rotations_in(linear: np.ndarray) -> np.ndarray:
    """(n, 3, 3): of matrices of numbers the rotations nearest to them."""
    # One number by which all sides are even shows a rotation as it is; the others are parted one by one.
    sizes = np.linalg.norm(linear[:, :, 0], axis=1)
    turn = linear / np.where(sizes > 0, sizes, 1)[:, None, None]
    off = np.abs(turn.transpose(0, 2, 1) @ turn - np.eye(3)).max(axis=(1, 2))
    odd = np.flatnonzero((off > 1e-9) | (np.linalg.det(turn) < 0))
    if len(odd):
        u, _, v = np.linalg.svd(linear[odd])
        found = u @ v
        mirrored = np.linalg.det(found) < 0
        found[mirrored] = (u[mirrored] * [1, 1, -1]) @ v[mirrored]
        turn[odd] = found
    return turn


def rotations(q: np.ndarray) -> np.ndarray:
    """(n, 3, 3) matrices of quaternions (n, 4) x, y, z, w of any length; the inverse of ``quaternions``.

    >>> rotations(np.array([[0, 0, 1.0, 0]]))[0].diagonal().tolist()
    [-1.0, -1.0, 1.0]
    """
    x, y, z, w = (q / np.maximum(np.linalg.norm(q, axis=1, keepdims=True), 1e-12)).T
    return np.stack(
        [
            np.stack([1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], -1),
            np.stack([2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)], -1),
            np.stack([2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)], -1),
        ],
        1,
    )


def affine(linear: np.ndarray, place: np.ndarray) -> np.ndarray:
    """(4, 4) from a (3, 3) and a (3,)."""
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = linear, place
    return out
