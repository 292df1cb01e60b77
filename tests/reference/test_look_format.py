"""docs/look-format.md written a second time: every family of steps in plain NumPy, from its formulas alone.

Nothing of the product's arithmetic is used here; its colours may differ by one level in 8 bits.
"""

from __future__ import annotations

import ast
import gzip
import itertools
import json
import sys
import unittest
from hashlib import blake2b
from typing import Annotated

import numpy as np
from pydantic import TypeAdapter, ValidationError

from gaudyseed.core import noising
from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.documents.document import parse
from gaudyseed.core.documents.upgrade import upgraded
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.scope import Surroundings
from gaudyseed.core.look.steps import STEPS
from gaudyseed.core.pictures.picture import Picture
from gaudyseed.core.population import Attribute, Field, of_points
from gaudyseed.core.population.derive import with_derived
from gaudyseed.core.scene.dials import Dial
from tests.core.golden import DIALS, POPULATIONS, RECORD
from tests.support import FIVE, ROOT

sys.path.append(str(ROOT / "tools"))

LUMA = np.array([0.2126, 0.7152, 0.0722])
M1 = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
M2 = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
POLAR = ("oklch", "hsv")


def encode(x):
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 0.0031308) ** (1 / 2.4) - 0.055)


def decode(c):
    return np.where(c <= 0.04045, c / 12.92, ((np.maximum(c, 0.04045) + 0.055) / 1.055) ** 2.4)


def hex_colour(text):
    return decode(np.array(list(bytes.fromhex(text[1:]))) / 255)


def to_hsv(c):
    top, low = c.max(-1), c.min(-1)
    span = np.where(top - low > 1e-4 * top, top - low, np.inf)
    r, g, b = np.moveaxis(c, -1, 0)
    hue = np.where(r == top, (g - b) / span, np.where(g == top, (b - r) / span + 2, (r - g) / span + 4)) / 6 % 1
    grey = np.isinf(span)
    return np.where(grey, 0, hue), np.where(grey, 0, (top - low) / np.where(top > 0, top, 1)), top


def from_hsv(hue, saturation, value):
    parts = []
    for n in (5, 3, 1):
        k = (n + 6 * hue) % 6
        parts.append(value - value * saturation * np.maximum(0, np.minimum(np.minimum(k, 4 - k), 1)))
    return np.stack(parts, -1)


def to_lab(linear):
    return np.cbrt(linear @ M1.T) @ M2.T


def from_lab(lab):
    return (lab @ np.linalg.inv(M2).T) ** 3 @ np.linalg.inv(M1).T


def to_space(linear, space):
    """Coordinates, the hue last and NaN for a grey."""
    if space == "linear_rgb":
        return linear
    if space == "display_rgb":
        return encode(linear)
    if space == "hsv":
        hue, saturation, value = to_hsv(encode(linear))
        return np.stack([saturation, value, np.where(saturation > 1e-4, hue, np.nan)], -1)
    lab = to_lab(linear)
    chroma, hue = np.hypot(lab[..., 1], lab[..., 2]), np.arctan2(lab[..., 2], lab[..., 1]) / (2 * np.pi) % 1
    return lab if space == "oklab" else np.stack([lab[..., 0], chroma, np.where(chroma > 2e-4, hue, np.nan)], -1)


def from_space(x, space):
    if space == "display_rgb":
        x = decode(np.maximum(x, 0))
    elif space == "hsv":
        x = decode(np.maximum(from_hsv(x[..., 2], np.clip(x[..., 0], 0, 1), x[..., 1]), 0))
    elif space == "oklab":
        x = from_lab(x)
    elif space == "oklch":
        turn = 2 * np.pi * x[..., 2]
        x = from_lab(np.stack([x[..., 0], x[..., 1] * np.cos(turn), x[..., 1] * np.sin(turn)], -1))
    return np.maximum(x, 0)


def pcg3d(x, y, z):
    x, y, z = (np.asarray(w, np.uint64) & 0xFFFFFFFF for w in (x, y, z))
    m = np.uint64(0xFFFFFFFF)
    x, y, z = ((w * np.uint64(1664525) + np.uint64(1013904223)) & m for w in (x, y, z))
    for last in (False, True):
        x = (x + y * z) & m
        y = (y + z * x) & m
        z = (z + x * y) & m
        if not last:
            x, y, z = (w ^ (w >> np.uint64(16)) for w in (x, y, z))
    return x, y, z


def unit(word):
    return (word >> np.uint64(8)) / 2.0**24


M32 = np.uint64(0xFFFFFFFF)


def mixed(x):
    x = (x * np.uint64(0x7FEB352D)) & M32
    return x ^ (x >> np.uint64(16))


def word_of(x):
    x = (x * np.uint64(0x7FEB352D)) & M32
    x = x ^ (x >> np.uint64(15))
    x = (x * np.uint64(0x846CA68B)) & M32
    return x ^ (x >> np.uint64(16))


def corner_hash(whole, words):
    x, y, z = ((whole[:, k].astype(np.int64) + words[k]).astype(np.uint64) & M32 for k in range(3))
    return (mixed((mixed(x) + y) & M32) + z) & M32


def fade(t):
    return t**3 * (t * (t * 6 - 15) + 10)


def patch_noise(at, words, layer=None, w=0.0):
    """Perlin's noise of 2002 in three dimensions, or one layer of it in four."""
    base, total = np.floor(at), 0
    part = at - base
    for corner in itertools.product((0, 1), repeat=3):
        h = corner_hash(base + corner, words)
        x, y, z = (part[:, k] - corner[k] for k in range(3))
        if layer is None:
            h = word_of(h) >> np.uint64(28)
            u = np.where(h < 8, x, y)
            v = np.where(h < 4, y, np.where((h == 12) | (h == 14), x, z))
            slope = np.where(h & np.uint64(1), -u, u) + np.where(h & np.uint64(2), -v, v)
        else:
            h = word_of((h + np.uint64(layer)) & M32) >> np.uint64(27)
            axes = np.where(h < 24, x, y), np.where(h < 16, y, z), np.where(h < 8, z, w)
            slope = sum(np.where(h & np.uint64(bit), -a, a) for bit, a in zip((4, 2, 1), axes, strict=True))
        weight = np.prod([fade(part[:, k]) if corner[k] else 1 - fade(part[:, k]) for k in range(3)], axis=0)
        total = total + weight * slope
    return total


def cell_noise(at, words, step, channel):
    base = np.floor(at)
    distances, values = [], []
    for cell in itertools.product((-2, -1, 0, 1, 2), repeat=3):
        w = word_of(corner_hash(base + cell, words))
        r = np.stack([(w >> np.uint64(21)) / 2048, ((w >> np.uint64(10)) & np.uint64(2047)) / 2048,
                      (w & np.uint64(1023)) / 1024], -1)  # fmt: skip
        point = base + cell + 0.5 + step.get("irregularity", 1) * (r - 0.5)
        distances.append(np.linalg.norm(point - at, axis=1))
        salt = np.uint64((0x9E3779B1 + 0x846CA68B * channel) & 0xFFFFFFFF)
        values.append((word_of(w ^ salt) >> np.uint64(8)) / 2**24)
    d, v = np.array(distances), np.array(values)
    near = np.sort(d, axis=0)
    measure, softness = step.get("measure", "value"), step.get("softness", 0)
    if softness and measure in ("nearest", "value"):
        k = 4 / max(softness, 1 / 8)
        weight = np.where(d < 1, np.maximum(np.exp(-k * d) - np.exp(-k), 0), 0)
        if measure == "value":
            bare = np.maximum(1 - weight.sum(0) / np.exp(-k), 0) ** 2
            weight = weight + bare * np.maximum(np.exp(-k * d) - np.exp(-2 * k), 0)
            return (weight * v).sum(0) / weight.sum(0)
        return np.clip(-np.log(np.exp(-k) + weight.sum(0)) / k, 0, 1)
    found = {"nearest": near[0], "second": near[1] / 1.5, "border": near[1] - near[0]}
    return v[d.argmin(0), np.arange(len(at))] if measure == "value" else found[measure]


#: A picture of made-up tones: linear light, row 0 at the top.
PICTURE = np.random.default_rng(9).random((23, 37, 3)) * np.linspace(0, 1, 37)[None, :, None]


def shrunk(texels, count, axis):
    """The means of the parts that an axis falls into, cells counted by how much of them lies within."""
    edges = np.arange(count + 1) * texels.shape[axis] / count
    sums = np.insert(np.cumsum(texels, axis=axis), 0, 0, axis=axis)
    low = np.floor(edges).astype(int)
    part = np.reshape(edges - low, [-1 if k == axis else 1 for k in range(3)])
    at = np.take(sums, low, axis) + part * (
        np.take(sums, np.minimum(low + 1, texels.shape[axis]), axis) - np.take(sums, low, axis)
    )
    return np.diff(at, axis=axis) / (texels.shape[axis] / count)


def bilinear(texels, uv, edge):
    """Between the middles of texels; the first number goes to the right, the second up."""
    rows, columns = texels.shape[:2]
    x, y = uv[:, 0] * columns - 0.5, (1 - uv[:, 1]) * rows - 0.5
    i, j = np.floor(x).astype(int), np.floor(y).astype(int)
    a, b = (x - i)[:, None], (y - j)[:, None]

    def inside(k, n):
        if edge == "repeat":
            return k % n
        return (
            np.where(k % (2 * n) < n, k % (2 * n), 2 * n - 1 - k % (2 * n))
            if edge == "mirror"
            else np.clip(k, 0, n - 1)
        )

    def at(dx, dy):
        return texels[inside(j + dy, rows), inside(i + dx, columns)]

    top, bottom = at(0, 0) * (1 - a) + at(1, 0) * a, at(0, 1) * (1 - a) + at(1, 1) * a
    return top * (1 - b) + bottom * b


def turned(degrees):
    """Rows times this go from the scene into a placement that was turned about x, y and z."""
    found = np.eye(3)
    for axis, angle in enumerate(np.radians(degrees)):
        one, two = (axis + 1) % 3, (axis + 2) % 3
        about = np.eye(3)
        about[one, one] = about[two, two] = np.cos(angle)
        about[one, two], about[two, one] = -np.sin(angle), np.sin(angle)
        found = about @ found
    return found


def halves(keys):
    keys = keys.astype(np.int64).view(np.uint64)
    return keys & np.uint64(0xFFFFFFFF), keys >> np.uint64(32)


def text_keys(labels, codes):
    digests = [int.from_bytes(blake2b(t.encode(), digest_size=8).digest(), "little") for t in labels]
    return np.array(digests, np.uint64)[codes].view(np.int64)


def way(first, second, longer):
    """CSS Color Module Level 4, 12.4, in turns."""
    turn = second % 1 - first % 1
    if longer:
        return turn - 1 if 0 < turn < 0.5 else turn + 1 if -0.5 < turn <= 0 else turn
    return turn - 1 if turn > 0.5 else turn + 1 if turn < -0.5 else turn


class Plain:
    """A look on a table of columns, one method a family."""

    def __init__(self, table, labels, dials):
        self.table, self.labels, self.dials, self.signals = table, labels, dials, {}
        self.n = len(table["position"])
        self.keys = table.get("id", np.arange(self.n))

    def look(self, document):
        for signal in document.get("signals", ()):
            self.signals[signal["name"]] = self.stack(self.chain(signal["chain"]), signal.get("layers", ()))
        return self.stack(np.ones((self.n, 3)), document["lanes"]["base_colour"]["layers"])

    def stack(self, base, layers):
        for layer in layers:
            base = self.layer(base, layer)
        return base

    def chain(self, steps):
        value = None
        running = [s for s in steps if s.get("enabled", True)]
        for k, step in enumerate(running):
            self.next_step = running[k + 1] if k + 1 < len(running) else None
            with np.errstate(over="ignore"):
                value = np.clip(getattr(self, step["step"])(value, step), -1e30, 1e30)
        return value

    def number(self, given, low, high):
        """A number that is fixed, or follows."""
        if not isinstance(given, dict):
            return float(given)
        source = self.signals[given["signal"]] if "signal" in given else self.dials[given["dial"]]
        return np.clip(given.get("low", 0) + (given.get("high", 1) - given.get("low", 0)) * source, low, high)

    def given(self, step, key, default, low, high):
        """A parameter that is fixed or follows, as a number or (n,)."""
        return self.number(step.get(key, default), low, high)

    def colour(self, given):
        """A colour that is fixed or follows, (1 or n, 3)."""
        if isinstance(given, dict):
            return self.signals[given["signal"]] if "signal" in given else hex_colour(self.dials[given["dial"]])[None]
        return hex_colour(given)[None]

    # Reading

    def formula(self, _, step):
        found = self.worked_out(ast.parse(step["text"], mode="eval").body)
        found = np.broadcast_to(np.asarray(found, float), self.n) if np.ndim(found) < 2 else found
        return np.where(np.isfinite(found), found, 0)

    def worked_out(self, node):
        inner = lambda *nodes: [self.worked_out(n) for n in nodes]  # noqa: E731
        if isinstance(node, ast.Constant):
            return node.value
        if isinstance(node, ast.Name):
            return self.named(node.id)
        if isinstance(node, ast.BinOp):
            return OPERATORS[type(node.op)](*inner(node.left, node.right))
        if isinstance(node, ast.UnaryOp):
            (v,) = inner(node.operand)
            return (np.asarray(v) == 0) * 1.0 if isinstance(node.op, ast.Not) else -v
        if isinstance(node, ast.BoolOp):
            truths = [np.asarray(v) != 0 for v in inner(*node.values)]
            return (np.all if isinstance(node.op, ast.And) else np.any)(np.broadcast_arrays(*truths), axis=0) * 1.0
        if isinstance(node, ast.Compare):
            values = inner(node.left, *node.comparators)
            pairs = zip(node.ops, values[:-1], values[1:], strict=True)
            return np.all(np.broadcast_arrays(*(OPERATORS[type(o)](a, b) for o, a, b in pairs)), axis=0) * 1.0
        if node.func.id == "random":
            low, high = halves(self.keys)
            return unit(pcg3d(low, high + np.uint64(0x464F524D), np.uint64(node.args[0].value))[0])
        return FUNCTIONS[node.func.id](*inner(*node.args))

    def named(self, name):
        known = {"index": np.arange(self.n), "count": self.n, "pi": np.pi, "tau": 2 * np.pi}
        for place in (self.table, self.signals, self.dials, known):
            if name in place:
                return place[name]
        raise KeyError(name)

    def random(self, _, step):
        keys = self.keys
        if step.get("per", "element") != "element":
            name = step["per"]
            keys = text_keys(self.labels[name], self.table[name]) if name in self.labels else self.table[name]
        low, high = halves(keys)
        x, y, z = pcg3d(low, high + np.uint64(0x52414E44), np.uint64(step["seed"]))
        several = step.get("numbers", 1)
        return unit(x) if several == 1 else np.stack([unit(w) for w in (x, y, z)[:several]], -1)

    def attribute(self, _, step):
        values, part = self.table[step["name"]], step.get("component", "whole")
        if part == "order":
            labels = self.labels.get(step["name"])
            texts = [labels[code] for code in values] if labels else values.tolist()
            different = sorted(set(texts))
            return (np.array([different.index(text) for text in texts]) + 0.5) / len(different)
        if part == "length":
            return np.linalg.norm(values, axis=1)
        return values if part == "whole" else values[:, "xyz".index(part)]

    def constant(self, _, step):
        value = step["value"]
        return np.tile(hex_colour(value), (self.n, 1)) if isinstance(value, str) else np.full(self.n, value)

    def signal(self, _, step):
        return self.signals[step["name"]]

    # Where an element is

    def placed(self, step):
        """Places, and the middle and half sides of their box."""
        p = np.asarray(self.table[step.get("by", "position")], float)
        low, high = p.min(0), p.max(0)
        half = (high - low) / 2
        half = np.where(half > 1e-4 * half.max(), half, half.max() or 1)
        return p, (low + high) / 2, half, float((high - low).max()) or 1.0

    def noise(self, _, step):
        p, _, _, longest = self.placed(step)
        size = step.get("size") or longest / 6
        q = (p - step.get("offset", [0, 0, 0])) @ turned(step.get("turn", [0, 0, 0])) / size
        q = q / step.get("stretch", [1, 1, 1])
        if step.get("warp", 0):
            at = q / step.get("warp_size", 2)
            moved = []
            for channel in (3, 4, 5):
                words = [int(w) for w in pcg3d(step["seed"], 0, 0x4E4F4953 + channel)]
                start = [int(w) / 2**32 for w in pcg3d(step["seed"], 0, 0x4E4F4953 + 16 + channel)]
                moved.append(patch_noise(at + start, words))
            q = q + step["warp"] * np.stack(moved, -1)
        if step.get("result") == "colour":
            return decode(np.stack([self.noised(q, step, c) for c in range(3)], -1))
        return self.noised(q, step, 0)

    def noised(self, q, step, channel):
        cells = step.get("pattern") == "cells"
        gain, seed = step.get("gain", 0.5), step["seed"]
        weights = [gain**o for o in range(step.get("octaves") or (1 if cells else 4))]
        moving, fold = step.get("motion", "still") != "still", step.get("fold", "plain")
        total = 0
        for o, weight in enumerate(weights):
            asked = 0 if cells and step.get("measure", "value") == "value" else channel
            words = [int(w) for w in pcg3d(seed, o, 0x4E4F4953 + asked)]
            offset = np.array([int(w) / 2**32 for w in pcg3d(seed, o, 0x4E4F4953 + 16 + asked)])
            at = q * step.get("lacunarity", 2.0) ** o + offset
            if cells:
                n = cell_noise(at, words, step, channel)
            elif not moving:
                n = patch_noise(at, words)
            else:
                period = max(2, round(step.get("speed", 0.5) * step["loop"] / 24))  # Python rounds halves to even
                a = o * 0.381966
                a += 0.17 * np.sin(2 * np.pi * a) / (2 * np.pi)
                below = int(np.floor(a))
                layers = [int(pcg3d((below + k) % period, words[0], o)[0]) for k in (0, 1)]
                one, two = (patch_noise(at, words, layers[k], a - below - k) for k in (0, 1))
                n = one + fade(a - below) * (two - one)
            total = total + weight * (np.abs(n) if fold != "plain" else n)
        if cells:
            t = total / sum(weights)
        else:
            sigma = (0.293 if moving else 0.27) * np.sqrt(sum(w * w for w in weights)) / sum(weights)
            t = total / sum(weights) / sigma
            t = 0.5 + t / 6 if fold == "plain" else t / 3 if fold == "billow" else 1 - t / 3
        low, high = step.get("low", 0), step.get("high", 1)
        t = np.clip((np.clip(t, 0, 1) - low) / (high - low), 0, 1)
        t = t / ((1 / step.get("bias", 0.5) - 2) * (1 - t) + 1)
        return np.clip((t - 0.5) * step.get("contrast", 1) + 0.5, 0, 1)

    def falloff(self, _, step):
        p, middle, half, _ = self.placed(step)
        shape = step.get("shape", "ball")
        centre = np.array(step.get("centre", middle), float)
        size = np.array(step.get("size", np.full(3, half.max()) if shape == "ball" else half), float)
        u = (p - centre) @ turned(step.get("turn", [0, 0, 0])) / size
        if shape == "ball":
            d = np.linalg.norm(u, axis=1)
        elif shape == "box":
            d = np.abs(u).max(axis=1)
        elif shape == "plane":
            d = np.abs(u[:, 2])
        elif shape == "angle":
            flat = np.hypot(u[:, 0], u[:, 1])
            d = 1 - (np.arctan2(u[:, 1], u[:, 0]) / (2 * np.pi) + step.get("spiral", 0) * size[0] * flat) % 1
        else:
            along = np.where(np.arange(3) == half.argmax(), half, 0)
            start, end = (np.array(step.get(k, middle + s * along)) for k, s in (("centre", -1), ("end", 1)))
            d = 1 - (p - start) @ (end - start) / ((end - start) @ (end - start))
        inner, outer = step.get("inner", 0), step.get("outer", 1)
        t = np.clip((outer - d) / (outer - inner), 0, 1)
        profile = step.get("profile", "smooth")
        t = {"straight": t, "smooth": t * t * (3 - 2 * t), "full": t * (2 - t), "hollow": t * t}[profile]
        return 1 - t if step.get("flip") else t

    def picture(self, _, step):
        """A picture by uv, or on a plane that is fitted to the elements; bilinear, averaged where it is fine."""
        rows, columns = PICTURE.shape[:2]
        if step.get("on") == "uv":
            uv, stretch, p = self.table["uv"].astype(float), np.array([columns, rows], float), self.table["uv"]
        else:
            p, middle, half, _ = self.placed(step)
            low, high = p.min(0), p.max(0)
            facing = int((high - low).argmin())
            across, up = ((1, 2), (0, 2), (0, 1))[facing]
            tall = max(half[up], half[across] * rows / columns)
            size = step.get("size", [tall * columns / rows, tall])
            turn = step.get("turn", [0, 0, 0])
            if "centre" not in step and "size" not in step and not np.any(turn):
                turn = ((90, 0, 90), (90, 0, 0), (0, 0, 0))[facing]
            u = (p - step.get("centre", middle)) @ turned(turn) / [*size, 1]
            uv = u[:, :2] / 2 + 0.5
            stretch = np.array([columns / size[0], rows / size[1]]) / 2
        # The median of up to 32 elements' distances to the nearest other place.
        some = np.unique(np.linspace(0, self.n - 1, min(self.n, 32)).astype(int))
        apart = np.linalg.norm(p[some, None].astype(float) - p[None], axis=2)
        nearest = np.median(np.where(apart > 0, apart, np.inf).min(1))
        between = nearest * np.sqrt(np.prod(stretch))
        level = max(np.log2(between) - 0.5, 0) if between > 1 else 0.0
        pyramid = [PICTURE]
        while max(pyramid[-1].shape[:2]) > 1:
            r, c = (max(1, side // 2) for side in pyramid[-1].shape[:2])
            pyramid.append(shrunk(shrunk(pyramid[-1], r, 0), c, 1))
        level = min(level, len(pyramid) - 1)
        one, two = pyramid[int(level)], pyramid[min(int(level) + 1, len(pyramid) - 1)]
        found = [bilinear(of, uv, step.get("edge", "hold")) for of in (one, two)]
        return found[0] + (level - int(level)) * (found[1] - found[0])

    def extent(self, _, step):
        v = self.placed(step)[0][:, "xyz".index(step.get("axis", "z"))]
        low, high = step.get("low", v.min()), step.get("high", v.max())
        t = np.clip((v - low) / (high - low), 0, 1)
        return 1 - t if step.get("flip") else t

    def nearness(self, _, step):
        p, middle, _, longest = self.placed(step)
        d = np.linalg.norm(p - middle, axis=1)
        return d if step.get("result") == "distance" else np.clip(1 - d / step.get("within", longest), 0, 1)

    # Shaping

    def range(self, v, step):
        four = [(key, k % 2) for k, key in enumerate(("from_low", "from_high", "to_low", "to_high"))]
        low, high, first, last = (self.given(step, key, default, -1e9, 1e9) for key, default in four)
        if step.get("own"):
            low, high = v.min(), v.max()
        if step.get("flip"):
            first, last = last, first
        wide = np.abs(high - low) >= 1e-12
        t = np.where(wide, (v - low) / np.where(wide, high - low, 1), 0)
        return first + (np.clip(t, 0, 1) if step.get("clamp", True) else t) * (last - first)

    def levels(self, v, step):
        black, white = self.given(step, "black_point", 0, -1e9, 1e9), self.given(step, "white_point", 1, -1e9, 1e9)
        wide = np.abs(white - black) >= 1e-12
        t = np.clip(np.where(wide, (v - black) / np.where(wide, white - black, 1), 0), 0, 1)
        t = t ** (1 / self.given(step, "gamma", 1, 0.01, 100))
        pivot = self.given(step, "pivot", 0.5, 0, 1)
        return np.clip((t - pivot) * self.given(step, "contrast", 1, 0, 1000) + pivot, 0, 1)

    def curve(self, v, step):
        x, y = (np.array([p[c] for p in step["points"]], float) for c in "xy")
        kind = step.get("interpolation", "monotone")
        if kind == "straight":
            return np.interp(v, x, y)
        if kind == "bezier":
            knots, heights = [x[:1]], [y[:1]]
            t = np.arange(1, 257) / 256
            for k in range(len(x) - 1):
                width = x[k + 1] - x[k]
                right = step["points"][k].get("right", [0.1, 0])
                left = step["points"][k + 1].get("left", [-0.1, 0])
                ends = (x[k], x[k] + min(max(right[0], 0), width), x[k + 1] + max(min(left[0], 0), -width), x[k + 1])
                tall = (y[k], y[k] + right[1], y[k + 1] + left[1], y[k + 1])
                for found, (a, b, c, d) in ((knots, ends), (heights, tall)):
                    found.append((1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d)
            return np.clip(np.interp(v, np.concatenate(knots), np.concatenate(heights)), 0, 1)
        h, d = np.diff(x), np.diff(y) / np.diff(x)
        slopes = np.zeros(len(x))
        for k in range(1, len(x) - 1):
            if d[k - 1] * d[k] > 0:
                one, two = 2 * h[k] + h[k - 1], h[k] + 2 * h[k - 1]
                slopes[k] = (one + two) / (one / d[k - 1] + two / d[k])
        for k, (a, b) in ((0, (0, 1)), (len(x) - 1, (-1, -2))):
            slope = ((2 * h[a] + h[b]) * d[a] - h[a] * d[b]) / (h[a] + h[b])
            if slope * d[a] <= 0:
                slope = 0
            elif d[a] * d[b] <= 0 and abs(slope) > 3 * abs(d[a]):
                slope = 3 * d[a]
            slopes[k] = slope
        k = np.clip(np.searchsorted(x, v, side="right") - 1, 0, len(x) - 2)
        w = np.clip(v, x[0], x[-1])
        t = (w - x[k]) / h[k]
        found = (
            (1 + 2 * t) * (1 - t) ** 2 * y[k]
            + t * (1 - t) ** 2 * h[k] * slopes[k]
            + t**2 * (3 - 2 * t) * y[k + 1]
            + t**2 * (t - 1) * h[k] * slopes[k + 1]
        )
        return np.clip(found, 0, 1)

    def bands(self, v, n, step):
        k = np.floor(v * n if step.get("of", "value") == "value" else v)
        if step.get("beyond", "hold") == "hold":
            return np.clip(k, 0, n - 1)
        return np.where((v == 1) & (step.get("of", "value") == "value"), n - 1, k % n)

    def quantise(self, v, step):
        n = np.round(self.given(step, "levels", 5, 1, 4096))
        return (self.bands(v.astype(np.float32), n, step) + 0.5) / n

    def even_out(self, v, step):
        v = v.astype(np.float32)
        held = np.array(step.get("held", ()), float)
        if len(held):
            knots = np.unique(held)
            first, last = (np.searchsorted(held, knots, side=s) for s in ("left", "right"))
            heights = (first + last - 1) / 2 / (len(held) - 1)
            heights[0], heights[-1] = 0, 1
            return np.interp(v, knots, heights)
        _, where, counts = np.unique(v, return_inverse=True, return_counts=True)
        ends = np.cumsum(counts)
        return ((ends - counts + ends) / 2 / self.n)[where]

    def spread(self, v, step):
        v, places = v.astype(np.float32), self.table["position"].astype(np.float32).astype(float)
        rows = np.argsort(self.keys.view(np.uint64), kind="stable")
        v, places = v[rows], places[rows]
        apart = np.linalg.norm(places[:, None] - places[None], axis=2)
        np.fill_diagonal(apart, np.inf)
        chosen = np.linspace(0, self.n - 1, min(256, self.n)).round().astype(int)
        reach = np.median(np.sort(apart[chosen], axis=1)[:, 5])
        near = [sorted(np.flatnonzero(row <= reach), key=lambda j, row=row: (row[j], j))[:24] for row in apart]
        n = step.get("bands", 5)
        bands = np.clip(np.floor(v * np.float32(n)), 0, n - 1).astype(int)
        if step.get("by") == "ramp_bands":
            bands = np.searchsorted(self.edges_of(self.next_step), v, side="right")
        order = np.arange(self.n)

        def alike(i):
            return sum(bands[j] == bands[i] for j in near[i])

        for turn in range(12):
            made = False
            for i in range(self.n):
                for attempt in range(32):
                    if not alike(i):
                        break
                    word = int(pcg3d(i, 32 * turn + attempt, step["seed"])[0])
                    j = word * self.n >> 32
                    if bands[i] == bands[j]:
                        continue
                    old = alike(i) + alike(j)
                    bands[[i, j]] = bands[[j, i]]
                    if alike(i) + alike(j) < old:
                        order[[i, j]] = order[[j, i]]
                        made = True
                    else:
                        bands[[i, j]] = bands[[j, i]]
            if not made:
                break
        out = np.empty(self.n, np.float32)
        out[rows] = v[order]
        return out

    # Colours

    def ramp(self, v, step):
        v = v.astype(np.float32).astype(float)
        at = np.array([s["at"] for s in step["stops"]], float)
        colours = [self.colour(s["colour"]) * self.bright(s) for s in step["stops"]]
        tension = np.broadcast_to(self.given(step, "tension", 0, -1, 1), self.n)
        if max(len(c) for c in colours) == 1 and np.ptp(tension) == 0:
            return self.laid_out(v, step, at, np.concatenate(colours), tension[0])
        rows = [np.broadcast_to(c, (self.n, 3)) for c in colours]
        each = (
            self.laid_out(v[i : i + 1], step, at, np.array([r[i] for r in rows]), tension[i]) for i in range(self.n)
        )
        return np.concatenate(list(each))

    def bright(self, stop):
        return np.reshape(self.given(stop, "intensity", 1, 0, 1000), (-1, 1))

    def laid_out(self, v, step, at, linear, tension):
        step = {**step, "tension": tension}
        between, space = step.get("interpolation", "straight"), step.get("mix_in", "oklab")
        if between == "steps":
            return linear[np.searchsorted(at[1:], v, side="right")]
        longer, n = step.get("hue") == "longer", len(at)
        points = to_space(linear, space)
        if space in POLAR and between in ("through", "soft"):
            for order in (range(n), range(n - 1, -1, -1)):  # the hue before; the first ones take the next
                known = np.nan
                for k in order:
                    known = points[k, 2] if not np.isnan(points[k, 2]) else known
                    points[k, 2] = known
            points = np.nan_to_num(points)
            points[:, 2] = np.cumsum(
                [points[0, 2], *(way(a, b, longer) for a, b in zip(points[:-1, 2], points[1:, 2], strict=True))]
            )
        out = np.empty((len(v), 3))
        for i, value in enumerate(v):
            k = int(np.searchsorted(at, value, side="right")) - 1
            if k < 0 or k >= n - 1 or step["stops"][k].get("hold"):
                out[i] = np.nan_to_num(points[min(max(k, 0), n - 1)])
                continue
            t = (value - at[k]) / (at[k + 1] - at[k])
            out[i] = self.between(points, at, k, t, step, space, longer)
        return from_space(out, space)

    def between(self, points, at, k, t, step, space, longer):
        kind, n = step.get("interpolation", "straight"), len(at)
        a, b = points[k].copy(), points[k + 1].copy()
        if kind in ("straight", "eased"):
            if space in POLAR:
                a[2], b[2] = (b[2] if np.isnan(a[2]) else a[2]), (a[2] if np.isnan(b[2]) else b[2])
                a[2], b[2] = np.nan_to_num(a[2]), np.nan_to_num(b[2])
                b[2] = a[2] + way(a[2], b[2], longer)
            t = t if kind == "straight" else 3 * t**2 - 2 * t**3
            return a + (b - a) * t
        if kind == "through":
            width, tangents = at[k + 1] - at[k], []
            for j in (k, k + 1):
                p, q = max(j - 1, 0), min(j + 1, n - 1)
                tangents.append((1 - step.get("tension", 0)) * (points[q] - points[p]) / (at[q] - at[p]) * width)
            return (
                (1 + 2 * t) * (1 - t) ** 2 * a
                + t * (1 - t) ** 2 * tangents[0]
                + t**2 * (3 - 2 * t) * b
                + t**2 * (t - 1) * tangents[1]
            )
        before = points[k - 1] if k else 2 * a - b
        after = points[k + 2] if k + 2 < n else 2 * b - a
        return (
            before * (1 - t) ** 3
            + a * (3 * t**3 - 6 * t**2 + 4)
            + b * (-3 * t**3 + 3 * t**2 + 3 * t + 1)
            + after * t**3
        ) / 6

    def palette(self, v, step):
        colours = np.concatenate([self.colour(s["colour"]) for s in step["swatches"]])
        n, v = len(colours), v.astype(np.float32).astype(float)
        if v.ndim == 2:
            columns = int(self.given(step, "columns", 8, 1, 64))
            rows = -(-n // columns)
            x, y = np.clip(v[:, 0], 0, 1), np.clip(v[:, 1], 0, 1)
            row = np.minimum(np.floor(y * rows), rows - 1)
            cells = np.minimum(columns, n - row * columns)
            return colours[(row * columns + np.minimum(np.floor(x * cells), cells - 1)).astype(int)]
        return colours[np.searchsorted(self.edges_of(step), v, side="right")]

    def edges_of(self, step):
        """Where the bands of a ramp's stops or a palette's parts begin, but the first."""
        if step["step"] == "ramp":
            at = np.array([stop["at"] for stop in step["stops"]])
            return at[1:] if step.get("interpolation", "straight") == "steps" else (at[1:] + at[:-1]) / 2
        weights = np.ones(len(step["swatches"]))
        given = [swatch.get("weight", 1) for swatch in step["swatches"]]
        if step.get("parts") == "weights" and sum(given) > 0:
            weights = np.array(given, float)
        edges = np.cumsum(weights)[:-1] / weights.sum()
        edges[edges >= 1] = np.inf
        return edges.astype(np.float32)

    def drift(self, c, step):
        low, high = halves(self.keys)
        x, y, z = pcg3d(low, high + np.uint64(0x44524946), np.uint64(step["seed"]))
        w, q, _ = pcg3d(x, y, z)

        def change(name, word, reach):
            a, b = (self.number(end, -reach, reach) for end in step.get(name, (0, 0)))
            return a + (b - a) * unit(word)

        hue, sat, light = change("hue", x, 180) / 360, change("saturation", y, 1), change("lightness", z, 1)
        gamma = change("gamma", q, 4)
        if step.get("space", "hsv") == "hsv":
            h, s, v = to_hsv(encode(c))
            grey = encode(c).max(-1) - encode(c).min(-1) <= 1e-4 * encode(c).max(-1)
            s = np.where(grey, s, np.clip(s + sat, 0, 1))
            v = np.clip(v + light, 0, np.maximum(1, v))
            moved = decode(from_hsv((h + hue) % 1, s, v))
        else:
            lab = to_lab(c)
            chroma = np.hypot(lab[:, 1], lab[:, 2])
            scale = np.where(chroma > 2e-4, np.maximum(chroma + 0.4 * sat, 0) / np.where(chroma > 0, chroma, 1), 1)
            cos, sin = np.cos(2 * np.pi * hue) * scale, np.sin(2 * np.pi * hue) * scale
            lightness = np.clip(lab[:, 0] + light, 0, np.maximum(1, lab[:, 0]))
            a, b = lab[:, 1] * cos - lab[:, 2] * sin, lab[:, 1] * sin + lab[:, 2] * cos
            moved = np.clip(from_lab(np.stack([lightness, a, b], -1)), 0, np.maximum(1, c.max(-1))[:, None])
        moved = decode(np.maximum(encode(moved), 0) ** (2.0**-gamma)[:, None])
        return np.where((unit(w) < self.number(step.get("chance", 1), 0, 1))[:, None], moved, c)

    def grade(self, c, step):
        def get(key, default, low, high):
            return np.reshape(np.broadcast_to(self.given(step, key, default, low, high), self.n), (-1, 1))

        if c.ndim == 1:
            pivot = get("pivot", 0.5, 0, 1)[:, 0]
            v = (c * get("brightness", 1, 0, 16)[:, 0] - pivot) * get("contrast", 1, 0, 16)[:, 0] + pivot
            about = np.where(pivot > 0, pivot, 1)
            bent = about * (np.maximum(v, 0) / about) ** (1 / get("gamma", 1, 0.01, 16)[:, 0])
            return np.where(v > 0, bent, v)

        def triple(key, default, low, high):
            three = [self.number(x, low, high) for x in step.get(key, [default] * 3)]
            return np.stack([np.broadcast_to(x, self.n) for x in three], -1)

        c = encode(c * get("gain", 1, 0, 16))
        turn, k = np.radians(get("hue_turn", 0, -180, 180))[:, :, None], np.array([0.213, 0.715, 0.072])
        # W3C Filter Effects Level 1, hueRotate and saturate.
        first = np.array([[0.787, -0.715, -0.072], [-0.213, 0.285, -0.072], [-0.213, -0.715, 0.928]])
        second = np.array([[-0.213, -0.715, 0.928], [0.143, 0.140, -0.283], [-0.787, 0.715, 0.072]])
        c = ((np.tile(k, (3, 1)) + np.cos(turn) * first + np.sin(turn) * second) @ c[:, :, None])[:, :, 0]
        grey = (c @ k)[:, None]
        c = grey + (c - grey) * get("saturation", 1, 0, 16)
        if step.get("complement"):
            c = (c.max(-1) + c.min(-1))[:, None] - c
        c = c + ((c @ LUMA)[:, None] - c) * get("monochrome", 0, 0, 1)
        contrast, pivot = get("contrast", 1, 0, 16), get("pivot", 0.5, 0, 1)
        c = np.maximum(c * get("brightness", 1, 0, 16) * contrast + pivot - pivot * contrast, 0)
        c = c ** (1 / get("gamma", 1, 0.01, 16))
        c = np.maximum(c * triple("slope", 1, 0, 16) + triple("offset", 0, -4, 4), 0) ** triple("power", 1, 0.01, 16)
        grey = (c @ LUMA)[:, None]
        return decode(np.maximum(grey + (c - grey) * get("cdl_saturation", 1, 0, 16), 0))

    def clamp(self, c, step):
        least, greatest = self.given(step, "least", 0, 0, 1), self.given(step, "greatest", 1, 0, 64)
        return decode(np.minimum(np.maximum(encode(c), np.reshape(least, (-1, 1))), np.reshape(greatest, (-1, 1))))

    def component(self, c, step):
        part = step["part"]
        if part in ("x", "y", "z"):
            return c[:, "xyz".index(part)]
        if part == "length":
            return np.linalg.norm(c, axis=1)
        if part in ("red", "green", "blue"):
            return c[:, ("red", "green", "blue").index(part)]
        if part in ("hue", "saturation", "value"):
            return to_hsv(encode(c))[("hue", "saturation", "value").index(part)]
        if part in ("luma", "luminance"):
            return (encode(c) if part == "luma" else c) @ LUMA
        lab = to_lab(c)
        chroma = np.hypot(lab[:, 1], lab[:, 2])
        hue = np.where(chroma > 2e-4, np.arctan2(lab[:, 2], lab[:, 1]) / (2 * np.pi) % 1, 0)
        return {"lightness": lab[:, 0], "chroma": chroma, "oklch_hue": hue}[part]

    def as_colour(self, v, step):
        found = []
        for name, axis in (("red", "x"), ("green", "y"), ("blue", "z")):
            n = v[:, "xyzw".index(step.get(name, axis))]
            found.append(np.clip(n / 2 + 0.5 if step.get(f"{name}_from", "signed") == "signed" else n, 0, 1))
        found = np.stack(found, -1)
        return decode(found) if step.get("levels", "display") == "display" else found

    def unify(self, v, step):
        ways = {
            "mean": np.mean, "least": np.min, "greatest": np.max, "middle": np.median, "sum": np.sum,
            "first": lambda rows, axis: rows[0], "count": lambda rows, axis: np.full(rows.shape[1:], len(rows)),
        }  # fmt: skip
        found, keys = np.empty_like(v, dtype=float), self.table[step["per"]]
        for key in np.unique(keys):
            found[keys == key] = ways[step.get("by", "mean")](v[keys == key].astype(float), axis=0)
        return found

    # Joining

    def choose(self, v, step):
        picked = self.bands(v.astype(np.float32), len(step["chains"]), step).astype(int)
        return np.stack([self.chain(chain) for chain in step["chains"]])[picked, np.arange(self.n)]

    def mix(self, below, step):
        other = self.chain(step["chain"])
        factor = self.number(step.get("factor", 0.5), 0, 1)
        return self.blended(below, other, step.get("blend", "normal"), factor)

    def layer(self, base, layer):
        paint = self.chain(layer["paint"])
        amount = self.number(layer.get("amount", 1), 0, 1)
        if layer.get("mask"):
            amount = np.clip(self.chain(layer["mask"]), 0, 1) * amount
        if layer.get("blend_in") == "display" and base.ndim == 2:
            return decode(self.blended(encode(base), encode(paint), layer.get("blend", "normal"), amount))
        return self.blended(base, paint, layer.get("blend", "normal"), amount)

    def blended(self, b, s, mode, amount):
        amount = np.broadcast_to(amount, self.n)
        out = b + (blend(b, s, mode) - b) * (amount[:, None] if b.ndim == 2 else amount)
        return np.maximum(out, 0) if b.ndim == 2 else out


OPERATORS = {
    ast.Add: np.add, ast.Sub: np.subtract, ast.Mult: np.multiply, ast.Div: np.divide, ast.Mod: np.mod,
    ast.FloorDiv: np.floor_divide, ast.Pow: np.power, ast.Lt: np.less, ast.LtE: np.less_equal, ast.Gt: np.greater,
    ast.GtE: np.greater_equal, ast.Eq: np.equal, ast.NotEq: np.not_equal,
}  # fmt: skip
FUNCTIONS = {
    "where": lambda c, a, b: np.where(np.asarray(c) != 0, a, b), "clamp": np.clip, "modulo": np.mod, "abs": np.abs,
    "mix": lambda a, b, t: a + (b - a) * t, "min": np.minimum, "max": np.maximum, "sin": np.sin, "sqrt": np.sqrt,
    "length": lambda v: np.linalg.norm(v, axis=1), "x": lambda v: v[:, 0], "y": lambda v: v[:, 1],
}  # fmt: skip


def blend(b, s, mode):
    """W3C Compositing and Blending Level 1, 10, and plain arithmetic."""
    if mode == "overlay":
        return blend(s, b, "hard_light")
    with np.errstate(all="ignore"):
        d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(np.maximum(b, 0)))
        plain = {
            "normal": s,
            "multiply": b * s,
            "screen": b + s - b * s,
            "darken": np.minimum(b, s),
            "minimum": np.minimum(b, s),
            "lighten": np.maximum(b, s),
            "maximum": np.maximum(b, s),
            "difference": abs(b - s),
            "exclusion": b + s - 2 * b * s,
            "hard_light": np.where(s <= 0.5, 2 * b * s, b + (2 * s - 1) - b * (2 * s - 1)),
            "colour_dodge": np.where(b <= 0, 0, np.where(s >= 1, 1, np.minimum(1, b / (1 - s)))),
            "colour_burn": np.where(b >= 1, 1, np.where(s <= 0, 0, 1 - np.minimum(1, (1 - b) / s))),
            "soft_light": np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b)),
            "add": b + s,
            "subtract": b - s,
            "average": (b + s) / 2,
        }
    if mode in plain:
        return plain[mode]
    if mode == "hue":
        return set_lum(set_sat(s, b.max(-1) - b.min(-1)), lum(b))
    if mode == "saturation":
        return set_lum(set_sat(b, s.max(-1) - s.min(-1)), lum(b))
    return set_lum(s, lum(b)) if mode == "colour" else set_lum(b, lum(s))


def lum(c):
    return c @ np.array([0.3, 0.59, 0.11])


def set_lum(c, wanted):
    c = c + (wanted - lum(c))[:, None]
    level, low, high = lum(c)[:, None], c.min(-1)[:, None], c.max(-1)[:, None]
    with np.errstate(all="ignore"):
        c = np.where(low < 0, level + (c - level) * level / (level - low), c)
        part = np.where(high - level > 1e-4 * high, (1 - level) / (high - level), 0)
        return np.where(high > 1, level + (c - level) * part, c)


def set_sat(c, wanted):
    low, high = c.min(-1)[:, None], c.max(-1)[:, None]
    coloured = high - low > 1e-4 * high
    return np.where(coloured, (c - low) * wanted[:, None] / np.where(coloured, high - low, 1), 0)


def stops(*pairs, **more):
    return {"step": "ramp", "stops": [{"at": a, "colour": c} for a, c in pairs], **more}


RANDOM = {"step": "random", "seed": 42}
DUSK = stops((0.05, "#1a1530"), (0.3, "#5b2a5c"), (0.62, "#c8553d"), (0.85, "#f2b45a"), (1, "#fff1cf"))
GREYS = stops((0, "#000000"), (1, "#ffffff"), mix_in="display_rgb")
WEAR = {"name": "wear", "chain": [{"step": "random", "seed": 11}]}
TINT = {"name": "tint", "chain": [{"step": "random", "seed": 12}, DUSK]}
BEND = [
    {"x": 0.1, "y": 0.2, "left": [-0.1, 0], "right": [0.3, 0.5]},
    {"x": 0.4, "y": 0.9, "left": [-0.1, 0.3], "right": [0.2, 0]},
    {"x": 0.6, "y": 0.5, "left": [-0.3, -0.1], "right": [0.1, 0]},
    {"x": 0.95, "y": 0.7, "left": [-0.1, 0], "right": [0, 0]},
]
SWATCHES = [
    {"colour": c, "weight": w} for c, w in zip([*FIVE, "#f7e7ce", "#a11d33"], (3, 1, 0, 2, 2, 1, 0), strict=True)
]


def families() -> dict[str, list[list[dict]]]:
    """Chains that end in colours, by family."""
    wheel = stops((0, "#e84a3a"), (0.4, "#808080"), (0.7, "#3ae8d8"), (1, "#4a3ae8"))
    held = {**DUSK, "stops": [{**s, "hold": k == 1, "intensity": 1 + k / 2} for k, s in enumerate(DUSK["stops"])]}
    blends = (
        "normal",
        "multiply",
        "screen",
        "overlay",
        "darken",
        "lighten",
        "colour_dodge",
        "colour_burn",
        "hard_light",
        "soft_light",
        "difference",
        "exclusion",
        "hue",
        "saturation",
        "colour",
        "luminosity",
        "add",
        "subtract",
        "minimum",
        "maximum",
        "average",
    )
    chance = {"signal": "wear", "low": 0.2, "high": 0.9}
    return {
        "reading": [
            [RANDOM, GREYS],
            [{**RANDOM, "per": "plate"}, GREYS],
            [{**RANDOM, "per": "id"}, GREYS],
            [{**RANDOM, "numbers": 3}, {"step": "component", "part": "y"}, GREYS],
            [{"step": "attribute", "name": "position", "component": "length"}, {"step": "range", "own": True}, GREYS],
            [{"step": "signal", "name": "tint"}],
            [{"step": "attribute", "name": "glaze"}],
            *([{"step": "attribute", "name": name, "component": "order"}, GREYS] for name in ("plate", "id")),
        ],
        "pictures": [
            [{"step": "picture", "picture": "tones"}],
            [{"step": "picture", "picture": "tones", "size": [0.4, 0.3], "edge": "mirror", "turn": [20, 30, 40]}],
            [{"step": "picture", "picture": "tones", "centre": [0.2, 0, 0.1], "edge": "repeat"}],
            [{"step": "picture", "picture": "tones", "on": "uv", "edge": "repeat"}],
        ],
        "grades of numbers": [
            [RANDOM, {"step": "grade", "brightness": 1.3, "contrast": 1.6, "gamma": 2.0, "pivot": 0.4}, GREYS],
            [RANDOM, {"step": "grade", "contrast": {"signal": "wear", "high": 3}, "gamma": 0.6, "pivot": 0}, GREYS],
        ],
        "shaping": [
            [
                RANDOM,
                {"step": "range", "from_low": 0.1, "from_high": 0.8, "to_low": 0.9, "to_high": 0.2, "flip": True},
                GREYS,
            ],
            [
                RANDOM,
                {
                    "step": "levels",
                    "black_point": 0.1,
                    "white_point": 0.7,
                    "gamma": 2.2,
                    "contrast": 1.4,
                    "pivot": {"signal": "wear"},
                },
                GREYS,
            ],
            *(
                [RANDOM, {"step": "curve", "interpolation": k, "points": BEND}, GREYS]
                for k in ("straight", "monotone", "bezier")
            ),
            [
                RANDOM,
                {"step": "range", "to_high": 2.4, "clamp": False},
                {"step": "quantise", "levels": 7, "beyond": "repeat"},
                GREYS,
            ],
            [
                {"step": "attribute", "name": "id"},
                {"step": "quantise", "of": "index", "levels": 9, "beyond": "repeat"},
                GREYS,
            ],
            [{**RANDOM, "per": "plate"}, {"step": "even_out"}, GREYS],
            [RANDOM, {"step": "even_out", "held": [0, 0.1, 0.4, 0.4, 0.4, 0.8, 1]}, GREYS],
        ],
        "spread": [
            [RANDOM, {"step": "spread", "bands": 4, "seed": 6}, DUSK],
            [RANDOM, {"step": "spread", "by": "ramp_bands", "seed": 6}, {**DUSK, "interpolation": "steps"}],
        ],
        "ramps": [
            [RANDOM, {**ramp, "interpolation": between, "mix_in": space, "hue": hue, "tension": 0.3}]
            for ramp in (DUSK, held, wheel)
            for between in ("steps", "straight", "eased", "through", "soft")
            for space in ("oklab", "oklch", "linear_rgb", "display_rgb", "hsv")
            for hue in ("shorter", "longer")
        ],
        "palettes": [
            [RANDOM, {"step": "palette", "swatches": SWATCHES}],
            [{**RANDOM, "numbers": 2}, {"step": "palette", "swatches": SWATCHES, "columns": 3}],
            [RANDOM, {"step": "range", "own": True}, {"step": "palette", "swatches": SWATCHES, "parts": "weights"}],
        ],
        "drifts": [
            [
                RANDOM,
                DUSK,
                {
                    "step": "drift",
                    "space": space,
                    "seed": 3,
                    "hue": [-18, {"signal": "wear", "high": 60}],
                    "saturation": [-0.2, 0.3],
                    "lightness": [-0.1, 0.15],
                    "gamma": [-0.5, 0.5],
                    "chance": chance,
                },
            ]
            for space in ("hsv", "oklch")
        ]
        + [
            [
                {"step": "constant", "value": "#777777"},
                {"step": "drift", "seed": 1, "hue": [0, 90], "saturation": [0, 1]},
            ]
        ],
        "grades": [
            [
                RANDOM,
                DUSK,
                {
                    "step": "grade",
                    "gain": 1.3,
                    "hue_turn": {"signal": "wear", "low": -60, "high": 90},
                    "saturation": 1.4,
                    "brightness": 1.1,
                    "contrast": 1.3,
                    "pivot": 0.4,
                    "gamma": 1.2,
                },
            ],
            [RANDOM, DUSK, {"step": "grade", "complement": True, "monochrome": 0.3}],
            [
                RANDOM,
                DUSK,
                {
                    "step": "grade",
                    "slope": [1.2, 0.9, 1],
                    "offset": [-0.1, 0.05, 0],
                    "power": [1.2, 0.8, 1],
                    "cdl_saturation": 1.3,
                },
            ],
            [RANDOM, DUSK, {"step": "clamp", "least": 0.2, "greatest": 0.7}],
        ],
        "vectors as colours": [
            [{"step": "attribute", "name": "position"}, {"step": "as_colour", **more}]
            for more in ({}, {"red": "z", "blue": "x"}, {"green": "x", "red_from": "unit", "levels": "linear"})
        ],
        "one for each": [
            [RANDOM, *colour, {"step": "unify", "per": per, "by": by}, *([] if colour else [GREYS])]
            for by in ("mean", "least", "greatest", "middle", "first")
            for per, colour in (("plate", ()), ("plate", (DUSK,)))
        ],
        "components": [
            [RANDOM, DUSK, {"step": "component", "part": p}, GREYS]
            for p in (
                "hue",
                "saturation",
                "value",
                "luma",
                "luminance",
                "red",
                "blue",
                "lightness",
                "chroma",
                "oklch_hue",
            )
        ],
        "joins": [
            [
                RANDOM,
                {
                    "step": "choose",
                    "chains": [[{"step": "random", "seed": 5}, DUSK], [{"step": "constant", "value": "#22a98a"}]],
                },
            ],
            *(
                [
                    {"step": "signal", "name": "tint"},
                    {"step": "mix", "blend": b, "factor": {"signal": "wear"}, "chain": [RANDOM, DUSK]},
                ]
                for b in blends
            ),
        ],
        "places": [
            *(
                [{"step": "noise", "seed": 3, "size": 0.7, **more}, DUSK]
                for more in (
                    {},
                    {"octaves": 1},
                    {"fold": "billow"},
                    {"fold": "ridged", "gain": 0.7, "lacunarity": 1.7},
                    {
                        "low": 0.2,
                        "high": 0.7,
                        "contrast": 1.5,
                        "turn": [10, 20, 30],
                        "stretch": [1, 2, 0.5],
                        "offset": [1, 2, 3],
                    },
                    {"motion": "loop", "loop": 48, "speed": 2},
                    {"pattern": "cells"},
                    {"pattern": "cells", "measure": "nearest"},
                    {"pattern": "cells", "measure": "second", "irregularity": 0.4, "octaves": 2},
                    {"pattern": "cells", "measure": "border"},
                    {"pattern": "cells", "measure": "nearest", "softness": 0.5},
                    {"pattern": "cells", "softness": 0.3},
                    {"pattern": "cells", "softness": 0.2, "size": 3},
                    {"bias": 0.8},
                    {"bias": 0.2, "contrast": 2, "low": 0.3},
                    {"warp": 1.5},
                    {"warp": 0.6, "warp_size": 0.7, "pattern": "cells"},
                )
            ),
            [{"step": "noise", "seed": 8, "result": "colour"}],
            [{"step": "noise", "seed": 8, "result": "colour", "warp": 2, "bias": 0.7}],
            [{"step": "noise", "seed": 8, "result": "colour", "pattern": "cells"}],
            *([{"step": "falloff", "shape": shape}, DUSK] for shape in ("line", "ball", "box", "plane")),
            *(
                [
                    {
                        "step": "falloff",
                        "shape": shape,
                        "centre": [0.1, 0.2, 0.3],
                        "size": [1, 2, 1.5],
                        "turn": [30, 40, 50],
                        "inner": 0.2,
                        "outer": 1.4,
                        "profile": profile,
                        "flip": profile == "full",
                        "spiral": 0.3,
                    },
                    DUSK,
                ]
                for shape, profile in (("ball", "full"), ("box", "hollow"), ("angle", "straight"), ("plane", "smooth"))
            ),
            [{"step": "extent"}, DUSK],
            [{"step": "extent", "axis": "x", "low": -1, "flip": True}, DUSK],
            [{"step": "nearness"}, DUSK],
            [{"step": "nearness", "within": 1.2}, DUSK],
        ],
    }


def accepted(annotation, metadata, value):
    """Whether a field of that type takes a value."""
    try:
        TypeAdapter(Annotated[annotation, *metadata] if metadata else annotation).validate_python(value)
    except ValidationError:
        return False
    return True


class LookFormat(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng, n = np.random.default_rng(7), 180
        labels = ("left", "right", "shield", "\u00e9lytre")
        cls.table = {
            "position": rng.normal(size=(n, 3)).astype(np.float32),
            "id": (rng.permutation(9000)[:n] - 400).astype(np.int64),
            "plate": rng.integers(0, 4, n).astype(np.int32),
            "glaze": rng.random((n, 3)).astype(np.float32) * 1.4 - 0.2,
            "uv": rng.random((n, 2)).astype(np.float32) * 3 - 1,
        }
        kinds = {"position": "vector", "id": "integer", "plate": "text", "glaze": "colour", "uv": "vector"}
        attributes = {
            name: Attribute(
                name, kinds[name], values, labels=labels if name == "plate" else (), fields=(Field(name, "<f4"),)
            )
            for name, values in cls.table.items()
        }
        cls.population = with_derived(of_points(n, attributes))
        cls.labels = {"plate": labels}

    def compare(self, layers, what):
        document = {"gaudyseed": 3, "signals": [WEAR, TINT], "lanes": {"base_colour": {"layers": layers}}}
        table = {**self.table, "glaze": np.maximum(self.table["glaze"].astype(float), 0)}
        wanted = Plain(table, self.labels, {"night": 0.3}).look(document)
        look = parse(Look, json.loads(json.dumps(document)))
        texels = np.concatenate([PICTURE, np.ones((*PICTURE.shape[:2], 1))], axis=2).astype(np.float32)
        around = Surroundings(
            {"night": parse(Dial, {"name": "night", "value": 0.3})}, assets=lambda _n, _p: Picture("tones", texels)
        )
        found = Evaluator().evaluate(self.population, look, surroundings=around).colours
        levels = np.floor(255 * encode(np.clip(wanted, 0, 1)) + 0.5)
        np.testing.assert_allclose(display_bytes(found), levels, atol=1, err_msg=f"{what}: {json.dumps(layers)}")

    def test_every_family_of_steps(self):
        for family, chains in families().items():
            for chain in chains:
                self.compare([{"name": "A", "paint": chain}], family)

    def test_ramps_whose_hues_are_equal_or_missing(self):
        """Random ramps in which neighbours share a hue or are greys: rounding decides nothing about the way round."""
        rng = np.random.default_rng(4)
        tones = ["#74c65c", "#9cc5ea", "#808080", "#202020", "#c8553d", "#3a7bd5", "#ffffff"]
        chains = [[RANDOM, stops((0, "#74c65c"), (0.5, "#9cc5ea"), (1, "#9cc5ea"), interpolation="soft", mix_in="hsv",
                                 hue="longer")]]  # fmt: skip
        for k in range(120):
            count = int(rng.integers(2, 6))
            chosen = rng.choice(tones, count)
            chosen[int(rng.integers(1, count))] = chosen[0]
            places = np.sort(rng.choice(np.arange(20), count, replace=False)) / 20
            kind = ("straight", "eased", "through", "soft")[k % 4]
            more = {
                "interpolation": kind,
                "mix_in": ("hsv", "oklch")[k // 4 % 2],
                "hue": ("longer", "shorter")[k % 3 > 1],
            }
            chains.append([RANDOM, stops(*zip(places.tolist(), chosen.tolist(), strict=True), **more)])
        for chain in chains:
            self.compare([{"name": "A", "paint": chain}], "hues")

    def test_places_far_from_zero(self):
        """Noise and falloffs at 900,000 units, and over a hundred thousand: as float32 places have them."""
        rng, n = np.random.default_rng(3), 300
        near = rng.random((n, 3))
        for places in (near + 9e5, near * [1, 1, 30] + [1e5, -3e5, 20], rng.random((n, 3)) * 1e5):
            held = places.astype(np.float32)
            population = with_derived(
                of_points(n, {"position": Attribute("position", "vector", held, fields=(Field("x", "<f4"),) * 3)})
            )
            middle = held[0].astype(float)
            for step in (
                {"step": "noise", "seed": 3, "size": 1},
                {"step": "noise", "seed": 3, "size": 1, "pattern": "cells", "measure": "nearest"},
                {"step": "noise", "seed": 3, "size": 1, "motion": "loop", "loop": 48, "speed": 2, "octaves": 2},
                {"step": "falloff", "centre": (middle + 0.25).tolist(), "size": [1, 1, 1], "profile": "straight"},
                {
                    "step": "falloff",
                    "shape": "angle",
                    "centre": (middle + 0.02).tolist(),
                    "size": [1, 2, 1],
                    "turn": [10, 20, 30],
                },
                {
                    "step": "falloff",
                    "shape": "line",
                    "centre": middle.tolist(),
                    "end": np.add(middle, (1, 2, 3)).tolist(),
                },
            ):
                plain = Plain({"position": held}, {}, {})
                wanted = getattr(plain, step["step"])(None, step)
                document = {"gaudyseed": 3, "lanes": {"roughness": {"layers": [{"paint": [step]}]}}}
                found = Evaluator().evaluate(population, parse(Look, document)).lanes["roughness"].values
                apart = np.abs(found - wanted)
                # Where the angle falls from 1 to 0 the last bit decides.
                self.assertLess(float(np.minimum(apart, 1 - apart).max()), 1 / 255, (step, middle))

    def test_soft_cells_have_no_jump(self):
        """Along lines through places where no point of a cell is near, values change no faster than elsewhere."""
        rng = np.random.default_rng(5)
        starts, steps = rng.random((400, 3)) * 60, np.linspace(0, 2, 600)
        ways = rng.normal(size=(400, 3))
        ways /= np.linalg.norm(ways, axis=1)[:, None]
        places = (starts[:, None] + ways[:, None] * steps[None, :, None]).reshape(-1, 3).astype(np.float32)
        settings = noising.Settings(True, 3, 1, 0.5, 2.0, "plain", "value", 1.0, 0.2, False, 0.0, 0, 0.0, 1.0, 1.0)
        out = np.empty(len(places), np.float32)
        settings.fill(tuple(np.ascontiguousarray(places[:, k]) for k in range(3)), 0, out)
        jumps = np.abs(np.diff(out.reshape(400, -1), axis=1))
        self.assertLess(float(jumps.max()), 0.06)
        self.assertNotIn(0.5, out)

    def test_the_table_says_what_may_follow(self):
        """Each cell of *follows* against the documents themselves: what it names is taken, all else is refused."""
        from look_format import _PARTS, follows

        forms = {"signal": {"signal": "s"}, "dial": {"dial": "d"}, "marker": {"marker": "m"}}
        checked = 0
        for model in [*STEPS.values(), *_PARTS.values()]:
            for key in model.model_fields:
                said = follows(model, key)
                words = said.removeprefix("each: ").split(" or ") if said else []
                count = 2 if key in ("shift", "scale", "size") and model.__name__ == "Picture" else 3
                if "drift" in model.__name__.lower():
                    count = 2
                if model.__name__ == "CurvePoint":
                    count = 2
                for word, form in forms.items():
                    value = [form] * count if said.startswith("each") else form
                    whole, field = model.__pydantic_fields__, key
                    taken = accepted(whole[field].annotation, whole[field].metadata, value)
                    self.assertEqual(taken, word in words, (model.__name__, key, word))
                    checked += 1
        self.assertGreater(checked, 300)

    def test_random_looks(self):
        """Fifteen of those that ``tests/core/golden.py`` recorded."""
        kept = json.loads(gzip.decompress(RECORD.read_bytes()))["looks"]
        off = []
        for name in ("points",):
            population = POPULATIONS[name]()
            columns = population.elements.own.values()
            table = {a.name: np.maximum(a.values, 0) if a.kind == "colour" else a.values for a in columns}
            labels = {a.name: a.labels for a in columns if a.labels}
            dials, scene = {d["name"]: d["value"] for d in DIALS}, [parse(Dial, d) for d in DIALS]
            for k, entry in list(enumerate(kept[name]))[::4]:
                wanted = Plain(table, labels, dials).look(upgraded(entry["look"]))
                found = Evaluator().evaluate(population, parse(Look, entry["look"]), dials=scene).colours
                levels = np.floor(255 * encode(np.clip(wanted, 0, 1)) + 0.5)
                if np.abs(display_bytes(found) - levels).max() > 1:
                    off.append((name, k))
        self.assertEqual(off, [])

    def test_layers(self):
        mask = [{"step": "random", "seed": 4}, {"step": "range", "to_low": -0.5, "to_high": 1.5, "clamp": False}]
        bright = {**DUSK, "stops": [{**s, "intensity": 1.6} for s in DUSK["stops"]]}
        for blend_in in ("linear", "display"):
            for mode in (
                "normal",
                "multiply",
                "overlay",
                "soft_light",
                "colour_burn",
                "subtract",
                "luminosity",
                "hue",
                "add",
            ):
                top = {
                    "name": "B",
                    "paint": [{"step": "random", "seed": 9}, bright],
                    "mask": mask,
                    "blend": mode,
                    "blend_in": blend_in,
                    "amount": {"dial": "night", "low": 0.2, "high": 1},
                }
                self.compare([{"name": "A", "amount": 0.8, "paint": [RANDOM, DUSK]}, top], mode)

    def test_shapes_and_finishes(self):
        """Chosen by chance, by a share, by a number and blended; and what lies under a lane."""
        table = {**self.table, "glaze": np.maximum(self.table["glaze"].astype(float), 0)}
        plain = Plain(table, self.labels, {})
        weights = [1, 0.5, 2]
        edges = np.cumsum(weights)[:-1] / sum(weights)
        chance = plain.random(None, {"seed": 7 ^ 0x51A3E})
        shapes = [{"shape": "ball", "weight": w} for w in weights]
        finishes = [{"name": n, "roughness": r} for n, r in (("a", 0.1), ("b", 0.9), ("c", 0.4))]
        half = {"blend": "multiply", "paint": [{"step": "constant", "value": 0.5}]}
        read = {"step": "random", "seed": 3}
        wide = {"step": "range", "to_high": 4, "clamp": False}
        value = plain.random(None, read)
        for choose, steps, wanted in (
            ("share", [read], np.searchsorted(np.array([1, 2]) / 3, value, side="right")),
            ("number", [read, wide], np.clip(np.rint(value * 4), 0, 2)),
            ("blend", [read], value * 2),
        ):
            lanes = {
                "base_colour": {"layers": [{"paint": [RANDOM, DUSK]}]},
                "shape": {"layers": [], "seed": 7},
                "finish": {"choose": choose, "layers": [{"paint": steps}]},
                "roughness": {"layers": [half]},
            }
            document = {"gaudyseed": 3, "shapes": shapes, "finishes": finishes, "lanes": lanes}
            found = Evaluator().evaluate(self.population, parse(Look, document)).results
            np.testing.assert_array_equal(found["shape"], np.searchsorted(edges, chance, side="right"))
            np.testing.assert_allclose(found["finish"], wanted, atol=1e-6)
            rough = np.interp(wanted, [0, 1, 2], [0.1, 0.9, 0.4])
            np.testing.assert_allclose(found["roughness"], rough / 2, atol=1e-6)

    def test_the_table_of_parameters_is_fresh(self):
        from look_format import PAGE, page

        self.assertEqual(PAGE.read_text(), page(), "Run .venv/bin/python tools/look_format.py and commit the result.")
