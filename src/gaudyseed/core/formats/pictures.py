"""Pictures that chains read: PNG, JPEG, WebP, and TIFF and EXR of 8 or 16 bits or floats."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..colour.spaces import decode_srgb
from ..errors import BadInput
from ..runtime.task import UNWATCHED, Task
from .apart import run_apart, temporary_folder

LARGEST_PICTURE = 64 * 1024 * 1024
#: 4096 x 4096: decoded to four floats they are 256 MB.
MOST_PIXELS = 4096 * 4096
WORKER = Path(__file__).parent / "picture_worker.py"
_SECONDS = 60
#: What the files begin with, and the ending that the library knows them by.
_BEGINNINGS = (
    (b"\x89PNG\r\n\x1a\n", ".png"), (b"\xff\xd8\xff", ".jpg"), (b"II*\0", ".tif"), (b"MM\0*", ".tif"),
    (b"II+\0", ".tif"), (b"MM\0+", ".tif"), (b"\x76\x2f\x31\x01", ".exr"),
)  # fmt: skip
#: Float pictures are held to this; brighter is as bright.
_BRIGHTEST = 1e4


@dataclass(frozen=True)
class Decoded:
    """A picture: (rows, columns, 4) float32 linear light with alpha, row 0 at the top, and what was told of it."""

    texels: np.ndarray
    notes: tuple[str, ...]
    format: str


def _ending(data: bytes, name: str) -> str:
    for begins, ending in _BEGINNINGS:
        if data.startswith(begins):
            return ending
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return ".webp"
    raise BadInput(
        f"{name} is no picture that can be read. Use PNG, JPEG, WebP, TIFF or EXR.", place=name, code="bad_picture"
    )


def _check_size(columns: int, rows: int, name: str) -> None:
    if columns * rows > MOST_PIXELS:
        raise BadInput(
            f"{name} has {columns} x {rows} pixels; at most {MOST_PIXELS:,} are taken. Save a smaller one.",
            place=name, code="bad_picture",
        )  # fmt: skip


def _animated(data: bytes) -> bool:
    """Whether a PNG has frames: a chunk acTL before its picture (PNG, third edition, 11.3.6.1)."""
    at = 8
    while at + 8 <= len(data):
        kind = data[at + 4 : at + 8]
        if kind in (b"acTL", b"IDAT"):
            return kind == b"acTL"
        at += 12 + int.from_bytes(data[at : at + 4], "big")
    return False


def read_picture(data: bytes, name: str, task: Task = UNWATCHED) -> Decoded:
    """A picture from a file's bytes.

    Whole numbers are levels on the display and are decoded from sRGB; floats are linear light. Floats that are no
    numbers, infinite or negative are put right and told.

    Raises
    ------
    BadInput
        For what is no picture, is broken, animated or too large; nothing is decoded before its size is known.
    """
    if len(data) > LARGEST_PICTURE:
        raise BadInput(f"{name} has {len(data) / 2**20:.0f} MB; at most 64 MB are taken.", place=name)
    ending = _ending(data, name)
    if data[12:16] == b"IHDR":
        # The library takes a size that the file cannot hold for damage.
        _check_size(int.from_bytes(data[16:20], "big"), int.from_bytes(data[20:24], "big"), name)
        if _animated(data):
            raise BadInput(f"{name} is animated. Save one frame of it.", place=name, code="bad_picture")
    with temporary_folder() as folder:
        given, out = folder / f"in{ending}", folder / "out"
        given.write_bytes(data)
        run_apart(WORKER, [str(given), str(out), str(MOST_PIXELS)], name, task, _SECONDS, "bad_picture")
        held = out.read_bytes()
    end = held.index(b"\n")
    header = json.loads(held[:end])
    texels = np.frombuffer(memoryview(held)[end + 1 :], header["type"])
    return _linear(texels.reshape(header["rows"], header["columns"], 4), header["notes"], header["format"])


def _linear(texels: np.ndarray, notes: list[str], form: str) -> Decoded:
    if texels.dtype.kind == "u":
        most = np.iinfo(texels.dtype).max
        table = decode_srgb(np.arange(most + 1) / most).astype(np.float32)
        found = np.empty(texels.shape, np.float32)
        found[..., :3] = table[texels[..., :3]]
        found[..., 3] = texels[..., 3] / np.float32(most)
        return Decoded(found, tuple(notes), form)
    found = texels.astype(np.float32)
    wrong = ~np.isfinite(found) | (found < 0)
    if wrong.any():
        notes = [*notes, f"{int(wrong.any(axis=2).sum()):,} pixels had no numbers, infinite or negative ones."]
    found = np.nan_to_num(found, nan=0.0, posinf=_BRIGHTEST, neginf=0.0)
    np.clip(found, 0, _BRIGHTEST, out=found)
    np.minimum(found[..., 3], 1, out=found[..., 3])
    return Decoded(found, tuple(notes), form)
