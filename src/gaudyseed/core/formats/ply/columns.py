"""Columns of PLY as what they stand for: ids beyond 32 bits, and texts by their numbers."""

from __future__ import annotations

import numpy as np

from ...population.attribute import WHOLE_FLOAT64
from ...population.elements import KEY
from ..columns import RawColumn


def numbered(column: RawColumn) -> RawColumn:
    """Ids beyond 32 bits, which PLY has no whole numbers for and which came as doubles, as what they are."""
    values = column.values
    if column.name != KEY or values.dtype.kind != "f" or values.dtype.itemsize < 8:
        return column
    whole = np.isfinite(values).all() and (np.abs(values) <= WHOLE_FLOAT64).all() and (values == np.rint(values)).all()
    return RawColumn(column.name, values.astype("<i8")) if whole else column


def texted(column: RawColumn, labels: tuple[str, ...]) -> RawColumn:
    """Numbers of texts that our own writer listed in a comment as these texts; as they came where they are no such."""
    values = column.values
    if not labels or values.dtype.kind not in "iu" or not len(values):
        return column
    if int(values.min()) < 0 or int(values.max()) >= len(labels):
        return column
    return RawColumn(column.name, values.astype(np.int32), labels)
