"""USD: usda, usdc and usdz in, by a process of its own; readable usda out by our own writer, usdc by the library."""

from ..base import FORMATS, Format
from .reader import is_usd, read, read_frames
from .writer import write, write_crate

_KINDS = ("clones", "mesh", "strands", "particles", "trails")
FORMATS.add(
    "usd",
    Format(
        "usd",
        "USD, text",
        ".usda",
        "model/vnd.usda",
        write,
        read,
        is_usd,
        also=(".usd",),
        brought=(".usdc", ".usdz"),
        read_frames=read_frames,
        kinds=_KINDS,
        lacks=("gaps", "wide"),
    ),
)
FORMATS.add(
    "usdc",
    Format(
        "usdc", "USD, binary", ".usdc", "application/octet-stream", write_crate, kinds=_KINDS, lacks=("gaps", "wide")
    ),
)
