"""The meshes that ship, as polygons: coarse cages that subdivision makes smooth. All are generated here."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .beetle import beetle
from .carp import carp_pieces
from .horse import horse
from .mask import mask_polygons
from .mesh import Mesh
from .surfaces import ball, ring, sheet


@dataclass(frozen=True)
class Cage:
    """A mesh of polygons.

    Attributes
    ----------
    positions
        (n, 3) float32.
    starts, corners
        Its faces, as in ``geometry.polygons``.
    uvs
        (c, 2) float32 in 0..1: of each corner.
    part_of
        (f,) int32: the part of each face.
    parts
        Their names, empty where they have none.
    columns
        More numbers of the vertices by name, (n,) float32.
    """

    positions: np.ndarray
    starts: np.ndarray
    corners: np.ndarray
    uvs: np.ndarray
    part_of: np.ndarray
    parts: tuple[str, ...]
    columns: dict[str, np.ndarray]


def of_grids(mesh: Mesh, **columns: np.ndarray) -> Cage:
    """The grids that a mesh was made of as quadrangles, their joints closed; degenerate ones become triangles."""
    quads, starts = [], 0
    parts = []
    for k, (rows, width) in enumerate(mesh.grids):
        index = starts + np.arange(rows * width).reshape(rows, width)
        quads.append(np.stack([index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]], -1).reshape(-1, 4))
        parts.append(np.full(len(quads[-1]), k, np.int32))
        starts += rows * width
    piece = np.repeat(np.arange(len(mesh.grids)), [rows * width for rows, width in mesh.grids])
    kept, welded = _welded(mesh.vertices, piece)
    faces, part_of = np.concatenate(quads), np.concatenate(parts)
    return _of_faces(
        mesh.vertices[kept], welded[faces], mesh.uvs[faces], part_of, mesh.parts,
        {name: np.ascontiguousarray(values[kept], np.float32) for name, values in columns.items()},
    )  # fmt: skip


def _welded(vertices: np.ndarray, piece: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The first of the vertices of a piece that lie at one place, and for each vertex which of these it is."""
    keys = np.concatenate([np.rint(vertices.astype(np.float64) * 1e5), piece[:, None]], axis=1)
    _, first, inverse = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    return first[order], rank[inverse.reshape(-1)]


def _of_faces(
    positions: np.ndarray, faces: np.ndarray, uvs: np.ndarray, part_of: np.ndarray, parts: Sequence[str],
    columns: dict[str, np.ndarray],
) -> Cage:  # fmt: skip
    """From quadrangles (f, 4) of which some have a corner twice."""
    keep = faces != np.roll(faces, -1, axis=1)
    sizes = keep.sum(axis=1)
    whole = sizes >= 3
    keep &= whole[:, None]
    starts = np.concatenate([[0], np.cumsum(sizes[whole])])
    return Cage(
        np.ascontiguousarray(positions, np.float32), starts, faces[keep].astype(np.int32),
        np.ascontiguousarray(uvs[keep], np.float32), part_of[whole].astype(np.int32), tuple(parts), columns,
    )  # fmt: skip


def _beetle() -> Cage:
    mesh = beetle(2)
    coat = np.zeros(len(mesh.vertices), np.float32)
    coat[mesh.coat_faces.reshape(-1)] = 1
    return of_grids(mesh, coat=coat)


def _carp() -> Cage:
    """Tiles of twelve vertices each: a flat top with a bevel, and walls down to the body."""
    tiles, names, uvs = carp_pieces()
    count = len(tiles)
    # Corner k of the three rings: on the body, on top, and within the top.
    low, top, inner = (np.arange(4) + 4 * ring for ring in range(3))
    after = np.roll(np.arange(4), -1)
    one = np.concatenate(
        [
            np.stack([low, low[after], top[after], top], -1),
            np.stack([top, top[after], inner[after], inner], -1),
            [inner],
        ]
    )
    faces = (np.arange(count)[:, None, None] * 12 + one).reshape(-1, 4)
    corner_uvs = np.broadcast_to(uvs[:, None, None], (count, 9, 4, 2)).reshape(-1, 4, 2)
    part_of = np.repeat(np.arange(count), 9)
    return _of_faces(tiles.reshape(-1, 3), faces, corner_uvs, part_of, names, {})


def _horse() -> Cage:
    mesh, crest = horse()
    return of_grids(mesh, crest=crest)


def _mask() -> Cage:
    positions, faces, uvs = mask_polygons()
    return _of_faces(positions, faces, uvs[faces], np.zeros(len(faces), np.int32), ("mask",), {})


_CAGES: dict[str, Callable[[], Cage]] = {
    "beetle": _beetle,
    "carp": _carp,
    "mask": _mask,
    "horse": _horse,
    "ball": lambda: of_grids(ball(17, 33)),
    "ring": lambda: of_grids(ring(rows=17, columns=41)),
    "sheet": lambda: of_grids(sheet(cells=21)),
}

#: Names in the order in which they are offered.
CAGES = tuple(_CAGES)


@lru_cache(maxsize=len(_CAGES))
def cage(name: str) -> Cage:
    """The mesh of that name; KeyError where there is none."""
    return _CAGES[name]()
