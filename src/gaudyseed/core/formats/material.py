"""What the materials of files are put together from: for each channel one value, or the name of what varies."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from PIL import Image

from ..channels import CHANNELS, Channel
from ..population import Population
from .base import MeshPart, WriterContext
from .columns import Results
from .shapes import pieces_of

#: Values that differ by less are one: half a level of eight bits.
_ALIKE = 0.5 / 255


@dataclass(frozen=True)
class Part:
    """A channel of a material.

    Attributes
    ----------
    value
        (k,) float64: what the elements have, or their mean where they differ.
    varies
        Whether they differ, so that a reader should take each element's own.
    """

    value: np.ndarray
    varies: bool

    @property
    def number(self) -> float:
        """The value of a channel of numbers."""
        return float(self.value[0])

    @property
    def grey(self) -> bool:
        """Whether it is 0 everywhere."""
        return not self.varies and not self.value.any()


Surface = dict[str, Part]


def surface_of(results: Results | None, piece: MeshPart | None, context: WriterContext) -> Surface:
    """By channel, what a material says of the elements of a piece; of all elements where there is none."""
    finish = (piece.finish if piece else None) or (context.finishes[0] if len(context.finishes) == 1 else None)
    found = {}
    for word, channel in CHANNELS.items():
        if channel.finish is None:
            continue
        values = (results or {}).get(word)
        if values is not None:
            rows = values if piece is None else values[piece.rows]
            found[word] = _part(channel, channel.held(rows))
        else:
            own = finish.of(channel) if finish is not None else None
            if own is None:
                followed = found.get(channel.follows)
                found[word] = followed or Part(np.array(channel.default, np.float64), False)
            else:
                found[word] = Part(own.astype(np.float64), False)
    return found


def _part(channel: Channel, values: np.ndarray) -> Part:
    if not len(values):
        return Part(np.array(channel.default, np.float64), False)
    rows = values.reshape(len(values), -1)
    return Part(rows.mean(axis=0, dtype=np.float64), bool((np.ptp(rows, axis=0) > _ALIKE).any()))


def surfaces(
    population: Population, results: Results | None, context: WriterContext
) -> Iterator[tuple[str, MeshPart | None, Surface]]:
    """A name, the piece and its material, for each shape and finish of clones, or for all of a mesh or strands."""
    if not population.form.alone:
        whole = MeshPart(context.name, None, np.arange(population.count), picture=context.picture)  # type: ignore[arg-type]
        yield context.name, whole, surface_of(results, None, context)
        return
    for piece in pieces_of(population, context):
        yield piece.name, piece, surface_of(results, piece, context)


def cut_out(context: WriterContext, piece: MeshPart | None) -> float | None:
    """The threshold below which a material cuts out: of its picture, else of its opacity; None where it does not."""
    picture = piece.picture if piece else context.picture
    if picture is not None and picture.cut != "none":
        return float(picture.threshold)
    return context.threshold


def png_of(levels: np.ndarray) -> bytes:
    """(rows, columns, 4) uint8 as a PNG."""
    out = io.BytesIO()
    Image.fromarray(levels).save(out, "PNG")
    return out.getvalue()
