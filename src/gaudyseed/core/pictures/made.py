"""Pictures that ship: a moon, a painted harbour, a feather and a stencil, worked out when they are first read.

Each is (512, 512, 4) float32, linear light and alpha, row 0 at the top; drawn from the noise of this product.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from ..colour.spaces import parse_hex
from ..kernels import noise

SIZE = 512


def _grid() -> tuple[np.ndarray, np.ndarray]:
    """x and y from -1 to 1, right and up."""
    t = (np.arange(SIZE, dtype=np.float32) + np.float32(0.5)) / SIZE * 2 - 1
    return np.broadcast_to(t, (SIZE, SIZE)), np.broadcast_to(-t[:, None], (SIZE, SIZE))


def _fractal(places: Sequence[np.ndarray], seed: int, octaves: int) -> np.ndarray:
    """Gradient noise of several octaves around 0, at x, y and z of any shape."""
    x = places[0]
    flat = [np.ascontiguousarray(np.broadcast_to(a, x.shape), np.float32).reshape(-1) for a in places]
    total, one = np.zeros(x.size, np.float32), np.empty(x.size, np.float32)
    for o in range(octaves):
        words = [np.uint32((seed + 7919 * o) * k % 2**32) for k in (2654435761, 2246822519, 3266489917)]
        noise.gradient(*flat, np.float32(2.0**o), *[np.float32(0.37 * (o + k)) for k in (1, 2, 3)], *words, one)
        total += one / np.float32(2.0**o)
    return total.reshape(x.shape)


def _stops(values: np.ndarray, stops: list[tuple[float, str]]) -> np.ndarray:
    """(..., 3): colours along 0..1, straight between stops in linear light."""
    places = [at for at, _ in stops]
    colours = np.array([parse_hex(code) for _, code in stops])
    return np.stack([np.interp(values, places, colours[:, c]) for c in range(3)], axis=-1)


def _soft(values: np.ndarray, low: float, high: float) -> np.ndarray:
    t = np.clip((values - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def _picture(colours: np.ndarray, alpha: np.ndarray | float = 1.0) -> np.ndarray:
    found = np.empty((SIZE, SIZE, 4), np.float32)
    found[..., :3] = np.clip(colours, 0, 1)
    found[..., 3] = alpha
    return found


def _distance(places: Sequence[np.ndarray], to: np.ndarray) -> np.ndarray:
    return np.sqrt(sum((a - c) ** 2 for a, c in zip(places, to, strict=True)))


def _near(line: np.ndarray, at: float, reach: float) -> slice:
    """The part of a line of increasing or decreasing numbers that comes as near to one."""
    found = np.flatnonzero(np.abs(line - at) <= reach)
    return slice(found[0], found[-1] + 1) if len(found) else slice(0)


def _moon() -> np.ndarray:
    """A full moon with plains and craters on a night sky; nothing of it was measured anywhere."""
    x, y = _grid()
    radius = np.hypot(x, y) / 0.86
    z = np.sqrt(np.clip(1 - radius * radius, 0, 1))
    ball = (x / 0.86, y / 0.86, z)
    ground = 0.60 + 0.20 * _fractal([2.6 * a for a in ball], 5, 7)
    ground -= 0.36 * _soft(_fractal([1.15 * a for a in ball], 31, 3), 0.04, 0.3)
    chance = np.random.default_rng(12)
    for size in np.geomspace(0.15, 0.022, 90):
        at = chance.normal(size=3)
        at /= np.linalg.norm(at)
        at[2] = abs(at[2])
        # Farther away a bowl and its rim are less than the least difference of two float32.
        near = _near(ball[1][:, 0], at[1], 2.5 * size), _near(ball[0][0], at[0], 2.5 * size)
        far = _distance([axis[near] for axis in ball], at) / size
        ground[near] -= 0.16 * _soft(-far, -0.95, -0.55) - 0.10 * np.exp(-(((far - 1) / 0.22) ** 2))
        if size > 0.11:
            far = _distance(ball, at) / size
            way = np.arctan2(ball[1] - at[1], ball[0] - at[0])
            rays = np.clip(np.sin(9 * way + chance.uniform(0, 6)) + np.sin(5 * way), 0, 2) * np.exp(-far / 2.2)
            ground += 0.05 * rays * _soft(far, 1.0, 1.4)
    light = np.clip(0.25 + 0.85 * (0.35 * ball[0] + 0.3 * ball[1] + 0.89 * z), 0, 1)
    disc = _stops(np.clip(ground, 0, 1) * light, [(0, "#171a2b"), (0.35, "#5b5f7d"), (0.7, "#cfc3a8"), (1, "#fff6dc")])
    halo = np.exp(-np.clip(radius - 1, 0, 2) * 5) * 0.35
    sky = _stops(np.clip(halo + 0.04 * (1 - y), 0, 1), [(0, "#070a1c"), (0.3, "#1d2350"), (1, "#8d86b8")])
    inside = _soft(-radius, -1.006, -0.994)[..., None]
    return _picture(sky * (1 - inside) + disc * inside)


def _harbour() -> np.ndarray:
    """Evening over a harbour in broad strokes: sky, hills, lamps and what the water makes of them."""
    x, y = _grid()
    stroke = 0.10 * _fractal((5 * x, 16 * y, 0 * x), 3, 3)
    sky = _stops(np.clip((y + stroke - 0.05) / 0.95, 0, 1),
                 [(0, "#ffd7a0"), (0.22, "#f0876a"), (0.5, "#a04c78"), (0.8, "#3f3a78"), (1, "#1c2050")])  # fmt: skip
    far = y - 0.12 - 0.10 * _fractal((2.1 * x, 0 * x, 0 * x), 8, 4)
    near = y - 0.02 - 0.14 * _fractal((1.6 * x + 7, 0 * x, 0 * x), 21, 5) * _soft(np.abs(x), 0.1, 0.9)
    found = sky
    for edge, colour in ((far, "#5a4a7d"), (near, "#26264a")):
        inside = _soft(-edge, -0.008, 0.008)[..., None]
        found = found * (1 - inside) + (parse_hex(colour) + 0.03 * stroke[..., None]) * inside
    waves = 0.05 * _fractal((3 * x, 42 * y, 0 * x), 40, 3)
    mirrored = np.clip(-y + 1.6 * waves, 0, 0.999)
    rows = ((1 - mirrored) / 2 * SIZE).astype(int).clip(0, SIZE - 1)
    columns = np.clip(np.arange(SIZE) + (60 * waves).astype(int), 0, SIZE - 1)
    water = found[rows, columns] * 0.72 + parse_hex("#123a4a") * 0.28
    lamps = np.zeros((SIZE, SIZE))
    chance = np.random.default_rng(4)
    for _ in range(17):
        lamp_x, lamp_y = chance.uniform(-0.95, 0.95), chance.uniform(0.0, 0.07)
        lamps += np.exp(-((x - lamp_x) ** 2 + (y - lamp_y) ** 2) / 0.00022)
        streak = np.exp(-(((x - lamp_x + waves) / 0.016) ** 2)) * _soft(-y, -0.02, 0.03) * np.exp(y * 2.2)
        lamps += 0.7 * streak
    surface = _soft(-y, -0.006, 0.006)[..., None]
    found = found * (1 - surface) + water * surface
    return _picture(found + np.clip(lamps, 0, 1.4)[..., None] * parse_hex("#ffcf70"))


def _feather() -> np.ndarray:
    """A grey feather cut out by its alpha: a curved quill with barbs that part here and there."""
    x, y = _grid()
    bent = x - 0.10 * (y * y - 0.3)
    along = (y + 0.92) / 1.84
    half = 0.34 * np.clip(along, 0, 1) ** 0.45 * np.clip(1.02 - along, 0, 1) ** 0.55
    barb = along - 0.42 * np.abs(bent)
    parted = _fractal((0 * x + np.sign(bent) * 3, 9 * barb, 0 * x), 13, 2)
    width = half * (1 - 0.45 * _soft(parted, 0.22, 0.5))
    vane = _soft(-(np.abs(bent) - width), -0.012, 0.004) * _soft(along - 0.5 * np.abs(bent), 0.06, 0.13)
    quill = _soft(-(np.abs(bent) - 0.016 * (1.1 - along)), -0.004, 0.004) * _soft(along, -0.02, 0.02) * (along < 0.97)
    lines = 0.5 + 0.5 * np.sin(260 * barb + 2 * _fractal((3 * x, 3 * y, 0 * x), 2, 2))
    grey = 0.30 + 0.30 * along + 0.12 * lines + 0.12 * _fractal((2 * x, 7 * barb, 0 * x), 9, 3)
    grey = grey * (1 - quill) + 0.85 * quill
    return _picture(np.repeat(grey[..., None], 3, axis=2), np.clip(np.maximum(vane, quill), 0, 1))


def _stencil() -> np.ndarray:
    """Five white diamonds on black, one above the other in the lower half, as they lie along a crest."""
    x, y = _grid()
    u, v = x / 2, (y + 1) / 2
    inside = np.zeros((SIZE, SIZE), np.float32)
    for middle in (0.08, 0.16, 0.24, 0.32, 0.40):
        far = np.abs(u) / 0.080 + np.abs(v - middle) / 0.027
        inside = np.maximum(inside, _soft(-far, -1.06, -0.94))
    return _picture(np.repeat(inside[..., None], 3, axis=2))


#: By name.
PICTURES: dict[str, Callable[[], np.ndarray]] = {
    "moon": _moon, "harbour": _harbour, "feather": _feather, "stencil": _stencil,
}  # fmt: skip
