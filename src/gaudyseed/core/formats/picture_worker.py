"""Decodes a picture in a process of its own: the library behind it reads formats that damaged files can crash.

Run as ``python picture_worker.py FILE OUT MOST``: writes a line of JSON (rows, columns, type, notes) and the texels,
four channels each, to OUT; pictures of more than MOST pixels are refused before anything is decoded.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

sys.path.append(str(Path(__file__).parent))  # last, so that nothing of it hides a package

from reader_limits import FULL, NO_ROOM, Refused, limited


def read(file: str, out: str, most: int) -> None:
    """Decode the picture; one or two channels are grey, the second and fourth are alpha."""
    import numpy as np
    import OpenImageIO as oiio  # noqa: N813

    options = oiio.ImageSpec()
    options.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(file, options)
    if source is None:
        raise Refused("This picture is broken or was cut off. Save it again.")
    spec = source.spec()
    if spec.width * spec.height > most or max(spec.width, spec.height) > 30_000:
        raise Refused(
            f"The picture has {spec.width} x {spec.height} pixels; at most {most:,} are taken. Save a smaller one."
        )
    # By another reader: one that has looked for a second frame does not find its way back.
    other = oiio.ImageInput.open(file)
    if source.format_name() in ("webp", "png") and other is not None and other.seek_subimage(1, 0):
        raise Refused("This picture is animated. Save one frame of it.")
    if spec.get_int_attribute("tiff:PhotometricInterpretation", 2) in _LAB:
        raise Refused("The colours of this picture are Lab, which is not read. Save it as RGB.")
    window = (spec.full_width, spec.full_height)
    if window[0] * window[1] > most or max(window) > 30_000:
        raise Refused(
            f"The picture's frame has {window[0]} x {window[1]} pixels; at most {most:,} are taken. Save a smaller one."
        )
    if spec.depth > 1:
        raise Refused("This picture has several layers of depth. Save a flat one.")
    kinds = {"uint8": "uint8", "uint16": "uint16"}
    kind = kinds.get(str(spec.format), "float")
    texels = source.read_image(0, min(spec.nchannels, 4), kind)
    failed = source.geterror()
    if texels is None or failed:
        raise Refused("This picture is broken or was cut off. Save it again.")
    texels = np.asarray(texels).reshape(spec.height, spec.width, -1)
    notes = [f"It has {spec.nchannels} channels; the first four are read."] if spec.nchannels > 4 else []
    full = np.iinfo(texels.dtype).max if texels.dtype.kind == "u" else 1
    channels = texels.shape[2]
    grey = channels <= 2
    found = np.full((*texels.shape[:2], 4), full, texels.dtype)
    found[..., :3] = texels[..., :1] if grey else texels[..., :3]
    if channels in (2, 4):
        found[..., 3] = texels[..., channels - 1]
        if not source.spec().get_int_attribute("oiio:UnassociatedAlpha", 0):
            # Multiplied into the colours, as EXR has it: taken out again.
            part = np.maximum(found[..., 3:].astype(np.float32) / full, 1e-6)
            found[..., :3] = np.minimum(found[..., :3] / part, full if full > 1 else np.inf).astype(texels.dtype)
    if (spec.x, spec.y, spec.width, spec.height) != (spec.full_x, spec.full_y, *window):
        notes.append(f"Its pixels are {spec.width} x {spec.height} of a frame of {window[0]} x {window[1]}; the rest "
                     "is empty, and what lies beyond the frame is left out.")  # fmt: skip
        found = framed(found, spec.x - spec.full_x, spec.y - spec.full_y, *window)
    found = turned(found, spec.get_int_attribute("Orientation", 1))
    header = {"rows": found.shape[0], "columns": found.shape[1], "type": str(found.dtype), "notes": notes,
              "format": source.format_name()}  # fmt: skip
    with Path(out).open("wb") as file_out:
        file_out.write(json.dumps(header).encode() + b"\n")
        file_out.write(np.ascontiguousarray(found).data)


#: Photometric interpretations of TIFF: CIE, ICC and ITU Lab (TIFF 6.0, section 23, and its supplements).
_LAB = (8, 9, 10)


def framed(texels: Any, x: int, y: int, columns: int, rows: int) -> Any:
    """The pixels at their place in a frame, clear where there are none (OpenEXR: data window and display window)."""
    import numpy as np

    found = np.zeros((rows, columns, 4), texels.dtype)
    height, width = texels.shape[:2]
    top, left = max(0, y), max(0, x)
    bottom, right = min(rows, y + height), min(columns, x + width)
    if bottom > top and right > left:
        found[top:bottom, left:right] = texels[top - y : bottom - y, left - x : right - x]
    return found


def turned(texels: Any, orientation: int) -> Any:
    """The pixels as they are to be seen, by the value of Orientation (Exif 2.3, 4.6.4)."""
    if orientation >= 5:
        texels = texels.swapaxes(0, 1)
    # What is stored is seen from the other side: 2 mirrored, 3 turned by half, 4 upside down; 6 a quarter to the right.
    down, right = orientation in (3, 4, 7, 8), orientation in (2, 3, 6, 7)
    return texels[:: -1 if down else 1, :: -1 if right else 1]


def main(arguments: list[str]) -> int:
    """0 where it worked, 3 with a sentence on the error stream where it did not, 4 where the disk is full."""
    limited()
    try:
        import OpenImageIO as oiio  # noqa: N813

        oiio.attribute("threads", 1)
        read(arguments[0], arguments[1], int(arguments[2]))
    except Refused as error:
        print(error, file=sys.stderr)
        return 3
    except OSError as error:
        if error.errno in NO_ROOM:
            return FULL
        raise
    except ImportError:
        print(
            "The package OpenImageIO is missing, which reads pictures. Set up again with ./gaudy demo.", file=sys.stderr
        )
        return 3
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
