"""GLB, the binary form of glTF 2.0, in and out."""

from ..base import FORMATS, Format
from .reader import is_glb, read
from .writer import write

_KINDS = ("clones", "mesh", "strands", "particles", "trails")
FORMATS.add(
    "glb",
    Format(
        "glb",
        "GLB",
        ".glb",
        "model/gltf-binary",
        write,
        read,
        is_glb,
        shapes=True,
        kinds=_KINDS,
        lacks=("gaps", "doubles", "wide", "faces"),
    ),
)
