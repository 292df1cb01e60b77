"""Attributes that a file did not bring and that the rest of the product needs."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..geometry.frames import orientations
from .attribute import Attribute
from .population import Population


def with_derived(population: Population) -> Population:
    """Add ``id``, ``normal`` and ``size`` where they are missing, and say so in the notes."""
    table = dict(population.elements.own)
    notes = list(population.notes)
    identity = table.get("id")
    if identity is None:
        table["id"] = Attribute("id", "integer", np.arange(population.count, dtype=np.int64))
        notes.append("No id: elements are known by their order in the file.")
    elif identity.absent is not None:
        notes.append("Some elements have no id, so elements are known by their order in the file.")
    elif identity.kind != "integer":
        notes.append(f"The attribute id holds {identity.kind}s, so elements are known by their order in the file.")
    positions = table["position"].readable
    if "normal" not in table:
        table["normal"] = Attribute("normal", "vector", _outward(positions))
        notes.append("No normals: they point away from the middle of the points.")
    if "size" not in table:
        table["size"] = Attribute("size", "number", _sizes(positions))
        notes.append("No sizes: one size for all, from the room each element has.")
    return replace(population, elements=replace(population.elements, own=table), notes=tuple(notes))


def standing(population: Population) -> tuple[np.ndarray, np.ndarray]:
    """Orientations (n, 4) and sizes (n,) for the view, whatever the columns of those names hold."""
    table = population.elements.own
    places = table["position"].readable
    sizes = table.get("size")
    plain = sizes is not None and sizes.kind in ("number", "integer") and sizes.width == 1
    size = np.abs(sizes.readable) if plain and sizes is not None else _sizes(places)
    turned, normal = table.get("orientation"), table.get("normal")
    if turned is not None and turned.kind == "vector" and turned.width == 4:
        return _turns(turned.readable), size
    fits = normal is not None and normal.kind == "vector" and normal.width == 3
    return orientations(normal.readable if fits and normal is not None else _outward(places)), size


def _turns(values: np.ndarray) -> np.ndarray:
    """(n, 4): the quaternions; no turn where one has no length, or is missing."""
    none = np.flatnonzero(np.abs(values).max(axis=1, initial=0) < 1e-12)
    if not len(none):
        return values
    found = values.copy()
    found[none] = (0, 0, 0, 1)
    return found


def _outward(positions: np.ndarray) -> np.ndarray:
    if not len(positions):
        return np.zeros((0, 3), np.float32)
    away = positions - (positions.min(axis=0) + positions.max(axis=0)) / 2
    lengths = np.linalg.norm(away, axis=1, keepdims=True)
    up = np.array([0.0, 0.0, 1.0], np.float32)
    return np.where(lengths > 0, away / np.where(lengths > 0, lengths, 1), up).astype(np.float32)


def _sizes(positions: np.ndarray) -> np.ndarray:
    """About the distance between neighbours if the points covered the surface of their box."""
    if not len(positions):
        return np.zeros(0, np.float32)
    a, b, c = np.maximum(positions.max(axis=0) - positions.min(axis=0), 0).astype(np.float64)
    area = 2 * (a * b + b * c + c * a)
    size = np.sqrt(area / len(positions)) * 0.9 if area > 0 else max(a, b, c) / len(positions)
    return np.full(len(positions), size if size > 0 else 1.0, np.float32)
