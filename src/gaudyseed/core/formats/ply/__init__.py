"""PLY, binary and text, in and out."""

from ..base import FORMATS, Format
from .blocks import Table
from .reader import is_ply, read
from .writer import write, write_ascii, write_blocks

FORMATS.add(
    "ply",
    Format(
        "ply",
        "PLY, binary",
        ".ply",
        "application/octet-stream",
        write,
        read,
        is_ply,
        shapes=True,
        lacks=("texts",),
        blocks_in=Table,
        blocks_out=write_blocks,
    ),
)
FORMATS.add(
    "ply_ascii",
    Format(
        "ply_ascii",
        "PLY, text",
        ".ply",
        "text/plain; charset=us-ascii",
        write_ascii,
        as_text=True,
        lacks=("texts",),
    ),
)
