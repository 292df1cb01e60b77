"""Files that the product wrote itself, changed as their format is built: most can still be read, and few as meant."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.formats import FORMATS
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute, Field, Population
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.population.makers.strands import StrandsMaker
from gaudyseed.core.population.makers.surface import SurfaceMaker
from gaudyseed.core.sending import sent
from tests.support import look_document

#: Every format whose files are changed.
FORMS = ("csv", "ply", "ply_ascii", "obj", "glb", "usd", "usdc")
#: What is put in place of a number or a word of a text.
_TOKENS = ["nan", "inf", "-inf", "-1", "0", "1e308", "-1e38", "1e-320", "99999999999", "4294967295", "0.5", "", "x",
           '"a"', "größe", "a" * 300, "()", "[]", "(nan, 0, 0)", "position", "uniform", "vertex", "list", "id", "part",
           "normal", "uv", "size", ",", "\t", "\x00"]  # fmt: skip
#: Words of 32 bits put into binary parts: numbers that are none, the greatest and least, indices beyond everything.
_WORDS = [0x7FC00000, 0x7F800000, 0xFF800000, 0x7F7FFFFF, 0xFFFFFFFF, 0x80000000, 0, 1, 0x00000001, 0x7149F2CA]
#: What is put in place of something in the JSON of a GLB.
_ODD: list[Any] = [
    None, True, -1, 0, 1, 2, 5121, 5125, 5126, 1e30, 1e-300, 2**31, 10**9, "", "x", "_POSITION", "VEC3", "VEC4",
    "SCALAR", "\ud800", [], {}, [0, 0, 0], [1e300] * 16, [0] * 16, [0, 0, 0, 0], {"POSITION": 0}, {"_": 0},
]  # fmt: skip


@cache
def _populations() -> tuple[Population, ...]:
    """Clones, a mesh and strands of the demo's kinds, few of each, with columns of every kind."""
    clones = ScatterMaker(maker="scatter", surface="ball", count=24).make(None)
    rng = np.random.default_rng(4)
    more = {
        "kind": Attribute("kind", "text", np.arange(24, dtype="<i4") % 3, ("fish", "größe", "a b"),
                          (Field("kind", "<i4"),)),
        "number": Attribute("number", "integer", np.arange(24, dtype="<i8") * 2**40, (), (Field("number", "<i8"),)),
        "tint": Attribute("tint", "colour", rng.integers(0, 255, (24, 3), np.uint8), (),
                          tuple(Field(n, "|u1") for n in ("red", "green", "blue"))),
    }  # fmt: skip
    clones = Population(clones.kind, clones.elements.with_more(more), clones.form)
    mesh = SurfaceMaker(maker="mesh", surface="ring", subdivision=0).make(None)
    strands = StrandsMaker(maker="strands", surface="ball", count=5, points=4).make(None)
    return clones, mesh, strands


@cache
def sound(form: str) -> tuple[bytes, ...]:
    """Files of a format: of each kind that it holds, coloured."""
    ends = [{"at": 0, "colour": "#102030"}, {"at": 1, "colour": "#f0e0d0"}]
    look = look_document({"step": "random", "seed": 2}, {"step": "ramp", "stops": ends})
    look["lanes"]["roughness"] = {"layers": [{"paint": [{"step": "random", "seed": 5}]}]}
    plain = parse(Look, look)
    found = []
    for population in _populations():
        if population.kind in FORMATS[form].kinds:
            out, results, about = sent(Evaluator().evaluate(population, plain), "Made here", "block")
            found.append(FORMATS[form].write(out, results, about))
    return tuple(found)


def _of_text(data: bytes, rng: random.Random) -> bytes:
    """A few words or lines of a text changed."""
    text = data.decode("utf-8", "surrogateescape")
    for _ in range(rng.randint(1, 3)):
        if rng.random() < 0.25:
            lines = text.split("\n")
            a, b = rng.randrange(len(lines)), rng.randrange(len(lines))
            what = rng.randrange(4)
            if what == 0:
                del lines[a]
            elif what == 1:
                lines.insert(b, lines[a])
            elif what == 2:
                lines[a], lines[b] = lines[b], lines[a]
            else:
                del lines[a:]
            text = "\n".join(lines)
            continue
        # Heads and names are few among thousands of numbers, so the beginning comes as often as the whole.
        reach = len(text) if rng.random() < 0.5 else min(len(text), 2500)
        spots = [m.span() for m in re.finditer(r"[-+.\w]+", text[:reach])]
        if spots:
            begin, end = rng.choice(spots)
            text = text[:begin] + rng.choice(_TOKENS) + text[end:]
    return text.encode("utf-8", "surrogateescape")


def _of_words(data: bytes, rng: random.Random, start: int) -> bytes:
    """Some words of 32 bits, or bytes, of the binary part changed; or it is cut."""
    held = bytearray(data)
    for _ in range(rng.randint(1, 4)):
        if len(held) <= start + 4:
            break
        at = rng.randrange(start, len(held) - 3)
        what = rng.random()
        if what < 0.5:
            at = start + (at - start) // 4 * 4
            held[at : at + 4] = rng.choice(_WORDS).to_bytes(4, "little")
        elif what < 0.9:
            held[at] = rng.randrange(256)
        else:
            del held[at : at + rng.randint(1, 40)]
    return bytes(held)


def _of_ply(data: bytes, rng: random.Random) -> bytes:
    start = data.index(b"end_header\n") + 11
    if rng.random() < 0.5:
        return _of_text(data[: start - 1], rng) + b"\n" + data[start:]
    return _of_words(data, rng, start)


def _of_glb(data: bytes, rng: random.Random) -> bytes:
    size = int.from_bytes(data[12:16], "little")
    document, binary = json.loads(data[20 : 20 + size]), data[28 + size :]
    if rng.random() < 0.35:
        binary = _of_words(binary, rng, 0)
    else:
        for _ in range(rng.randint(1, 3)):
            _spoil(document, rng)
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\x00" * (-len(binary) % 4)
    head = b"glTF" + (2).to_bytes(4, "little") + (28 + len(text) + len(binary)).to_bytes(4, "little")
    return b"".join([head, len(text).to_bytes(4, "little"), b"JSON", text, len(binary).to_bytes(4, "little"), b"BIN\0",
                     binary])  # fmt: skip


def _spoil(document: Any, rng: random.Random) -> None:
    """Something odd in place of something, a key called otherwise, or something gone."""
    at = document
    while True:
        keys = list(at) if isinstance(at, dict) else list(range(len(at)))
        if not keys:
            return
        key = rng.choice(keys)
        inner = at[key]
        if isinstance(inner, dict | list) and inner and rng.random() < 0.8:
            at = inner
            continue
        break
    what = rng.random()
    if isinstance(at, dict) and what < 0.2:
        at[rng.choice(["_", "", "_NORMAL", "_POSITION", "_SIZE", "_" + "A" * 300, "\ud800", "TEXCOORD_1", "COLOR_0",
                       "scale", "matrix", "rotation"])] = at.pop(key)  # fmt: skip
    elif what < 0.3:
        del at[key]
    elif isinstance(inner, int | float) and not isinstance(inner, bool) and what < 0.5:
        at[key] = inner + rng.choice([-1, 1, 7])
    else:
        at[key] = rng.choice(_ODD)


_CHANGED: dict[str, Callable[[bytes, random.Random], bytes]] = {
    "ply": _of_ply, "glb": _of_glb, "usdc": lambda data, rng: _of_words(data, rng, 8),
}  # fmt: skip


def mutated(form: str, seed: int, count: int) -> Iterator[bytes]:
    """Files of a format, each changed in a few places."""
    rng, whole = random.Random(f"{form} {seed}"), sound(form)
    change = _CHANGED.get(form, _of_text)
    for _ in range(count):
        yield change(rng.choice(whole), rng)
