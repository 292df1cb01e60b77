"""Noise, falloffs, extents, nearness, pictures, keys and brushes against published values and other libraries."""

from __future__ import annotations

import itertools
import unittest

import numpy as np
from PIL import Image
from scipy import ndimage, optimize, stats
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from gaudyseed.core import noising
from gaudyseed.core.documents.document import parse
from gaudyseed.core.geometry.nearest import NearestOnTriangles, NearestPoint, along_curve, spacing
from gaudyseed.core.kernels import falloffs, nearest, pictures
from gaudyseed.core.kernels import noise as kernels
from gaudyseed.core.kinds import NUMBER, vector
from gaudyseed.core.look.evaluate import run_step
from gaudyseed.core.look.scope import Scope, Surroundings
from gaudyseed.core.look.steps import STEPS, Context, Value, carried_out
from gaudyseed.core.pictures.picture import Picture
from gaudyseed.core.population import Attribute, Population, of_points
from gaudyseed.core.runtime.task import UNWATCHED
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.timeline import Key, at_frame, eased

#: The permutation of K. Perlin's reference implementation of "Improving Noise", SIGGRAPH 2002.
PERMUTATION = np.array(
    """
    151 160 137 91 90 15 131 13 201 95 96 53 194 233 7 225 140 36 103 30 69 142 8 99 37 240 21 10 23 190 6 148
    247 120 234 75 0 26 197 62 94 252 219 203 117 35 11 32 57 177 33 88 237 149 56 87 174 20 125 136 171 168 68
    175 74 165 71 134 139 48 27 166 77 146 158 231 83 111 229 122 60 211 133 230 220 105 92 41 55 46 245 40 244
    102 143 54 65 25 63 161 1 216 80 73 209 76 132 187 208 89 18 169 200 196 135 130 116 188 159 86 164 100 109
    198 173 186 3 64 52 217 226 250 124 123 5 202 38 147 118 126 255 82 85 212 207 206 59 227 47 16 58 17 182
    189 28 42 223 183 170 213 119 248 152 2 44 154 163 70 221 153 101 155 167 43 172 9 129 22 39 253 19 98 108
    110 79 113 224 232 178 185 112 104 218 246 97 228 251 34 242 193 238 210 144 12 191 179 162 241 81 51 145
    235 249 14 239 107 49 192 214 31 181 199 106 157 184 84 204 176 115 121 50 45 127 4 150 254 138 236 205 93
    222 114 67 29 24 72 243 141 128 195 78 66 215 61 156 180
    """.split(),  # noqa: SIM905
    dtype=int,
)
#: Places and what ``pnoise3`` of the package noise 1.2.2 gave there when this was written. Its last four gradients
#: are not those of the paper, so only places whose corners have hashes below 12 are compared.
PACKAGE = [
    (2.634, 167.494, 51.871, -0.437047), (134.255, 32.62, 172.128, 0.245457), (123.16, 126.436, 12.016, 0.365783),
    (130.046, 176.98, 90.22, 0.130664), (179.313, 179.935, 115.391, 0.130119), (59.978, 132.579, 104.993, -0.473749),
    (95.439, 156.465, 70.368, -0.410291), (84.597, 94.58, 155.3, 0.33487), (0.362, 10.967, 25.373, 0.130207),
    (129.383, 117.323, 72.167, -0.685326), (167.236, 190.482, 115.815, -0.23976), (134.771, 103.418, 96.744, 0.424475),
    (170.776, 48.418, 37.925, 0.529374), (188.258, 74.845, 154.484, -0.317542), (163.15, 149.74, 118.383, 0.223698),
    (154.091, 132.388, 98.375, 0.343374),
]  # fmt: skip


def hashes(x: float, y: float, z: float) -> dict[tuple[int, int, int], int]:
    """The paper's hash of each corner of the cube around a place."""
    twice = np.concatenate([PERMUTATION, PERMUTATION])
    base = [int(np.floor(v)) & 255 for v in (x, y, z)]
    found = {}
    for corner in itertools.product((0, 1), repeat=3):
        h = twice[(base[0] + corner[0]) & 255]
        h = twice[(h + base[1] + corner[1]) & 255]
        found[corner] = int(twice[(h + base[2] + corner[2]) & 255]) & 15
    return found


def published(x: float, y: float, z: float) -> float:
    """The noise of the paper at one place, in float64 and in its own words."""

    def gradient(h: int, x: float, y: float, z: float) -> float:
        u, v = x if h < 8 else y, y if h < 4 else (x if h in (12, 14) else z)
        return (-u if h & 1 else u) + (-v if h & 2 else v)

    parts = [v - np.floor(v) for v in (x, y, z)]
    fade = [t**3 * (t * (t * 6 - 15) + 10) for t in parts]
    total = 0.0
    for corner, h in hashes(x, y, z).items():
        weight = np.prod([f if c else 1 - f for c, f in zip(corner, fade, strict=True)])
        total += weight * gradient(h, *(p - c for p, c in zip(parts, corner, strict=True)))
    return total


def columns(places: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    x, y, z = np.ascontiguousarray(places.T, np.float32)
    return x, y, z


def ours(places: np.ndarray) -> np.ndarray:
    """The kernel's arithmetic over the published table."""
    out = np.empty(len(places), np.float32)
    kernels.permuted(*columns(places), PERMUTATION.astype(np.uint32), out)
    return out


def settings(**more: object) -> noising.Settings:
    plain = {
        "cells": False, "seed": 1, "octaves": 1, "gain": 0.5, "lacunarity": 2.0, "fold": "plain", "measure": "nearest",
        "irregularity": 1.0, "softness": 0.0, "moves": False, "at": 0.0, "period": 0, "low": 0.0, "high": 1.0,
        "contrast": 1.0,
    }  # fmt: skip
    return noising.Settings(**{**plain, **more})  # type: ignore[arg-type]


def noised(places: np.ndarray, channel: int = 0, **more: object) -> np.ndarray:
    out = np.empty(len(places), np.float32)
    settings(**more).fill(columns(places), channel, out)
    return out


def some(count: int, size: float = 40.0, seed: int = 5) -> np.ndarray:
    return (np.random.default_rng(seed).random((count, 3)) * size - size / 2).astype(np.float32)


class Gradient(unittest.TestCase):
    def test_the_published_table_gives_the_published_noise(self):
        self.assertEqual(sorted(PERMUTATION), list(range(256)))
        places = some(400, 300)
        np.testing.assert_allclose(ours(places), [published(*p.astype(float)) for p in places], atol=4e-5)
        # A value that is often quoted of the reference implementation (from memory, and by the package below).
        self.assertAlmostEqual(float(ours(np.array([[3.14, 42, 7]]))[0]), 0.136920, places=5)

    def test_the_package_noise_where_it_follows_the_paper(self):
        fitting = [row for row in PACKAGE if max(hashes(*row[:3]).values()) < 12]
        self.assertGreater(len(fitting), 0)
        np.testing.assert_allclose(ours(np.array(fitting)[:, :3]), np.array(fitting)[:, 3], atol=4e-5)

    def test_the_hashed_one_is_the_same_code_with_other_directions(self):
        """It lies within the bound of the paper's gradients and has their spread, and is 0 at the lattice."""
        out = np.empty(200_000, np.float32)
        seeds = [np.uint32(s) for s in (11, 22, 33)]
        zero, one = np.float32(0), np.float32(1)
        kernels.gradient(*columns(some(200_000)), one, zero, zero, zero, *seeds, out)
        self.assertLess(float(np.abs(out).max()), 1.0364)
        table = ours(some(200_000, 250))
        self.assertAlmostEqual(float(out.std()), float(table.std()), delta=0.01)
        self.assertAlmostEqual(float(out.std()), noising.SIGMA, delta=0.01)
        whole = np.round(some(1000))
        kernels.gradient(*columns(whole), one, zero, zero, zero, *seeds, out[:1000])
        np.testing.assert_array_equal(out[:1000], 0)

    def test_directions_are_even(self):
        """Chi-square of the sixteen directions over a block of lattice points (scipy.stats)."""
        step = 1e-3
        grid = np.stack(np.meshgrid(*[np.arange(24.0)] * 3), -1).reshape(-1, 3)
        seeds = [np.uint32(s) for s in (5, 6, 7)]
        slopes = []
        for axis in range(3):
            moved = grid.copy()
            moved[:, axis] += step
            out = np.empty(len(grid), np.float32)
            zero, one = np.float32(0), np.float32(1)
            kernels.gradient(*columns(moved), one, zero, zero, zero, *seeds, out)
            slopes.append(np.rint(out / step).astype(int))
        found = np.stack(slopes, 1)
        kinds, counts = np.unique(found, axis=0, return_counts=True)
        self.assertEqual(len(kinds), 12)
        # Four of the twelve edges of the cube stand twice among the sixteen.
        twice = {(1, 1, 0), (-1, 1, 0), (0, -1, 1), (0, -1, -1)}
        wanted = np.array([2 if tuple(k) in twice else 1 for k in kinds]) / 16 * len(grid)
        self.assertGreater(stats.chisquare(counts, wanted).pvalue, 1e-3)

    def test_the_middle_and_quartiles_after_the_way_onto_0_to_1(self):
        """Quartiles of one and of four octaves as they were measured when the mapping was chosen."""
        places = some(400_000, 200)
        for octaves, quartile in ((1, 0.195), (4, 0.116)):
            spread = 0.27 * np.sqrt(sum(0.25**o for o in range(octaves))) / sum(0.5**o for o in range(octaves))
            low, middle, high = np.percentile(noised(places, octaves=octaves), [25, 50, 75])
            self.assertAlmostEqual(middle, 0.5, delta=0.01)
            for found in (0.5 - low, high - 0.5):
                self.assertAlmostEqual(found, quartile / (6 * spread), delta=0.012)

    def test_seeds_channels_and_octaves_are_independent(self):
        places = some(20_000, 200)
        plain = noised(places)
        for other in (noised(places, seed=2), noised(places, channel=1), noised(places, seed=2**31)):
            self.assertLess(abs(stats.pearsonr(plain, other).statistic), 0.05)

    def test_folds(self):
        places = some(5000)
        billow, ridged = (noised(places, fold=fold) for fold in ("billow", "ridged"))
        np.testing.assert_allclose(billow + ridged, 1, atol=1e-5)
        np.testing.assert_allclose(billow, np.minimum(2 * np.abs(noised(places) - 0.5), 1), atol=1e-5)


class Motion(unittest.TestCase):
    def test_a_loop_closes_to_the_bit_and_runs_on_smoothly(self):
        places = some(3000)
        for cells in (False, True):
            with self.subTest(cells=cells):
                frames = [noised(places, cells=cells, moves=True, at=3 * (f % 48) / 48, period=3) for f in range(49)]
                np.testing.assert_array_equal(frames[0], frames[48])
                steps = [np.abs(b - a).mean() for a, b in itertools.pairwise(frames)]
                self.assertLess(max(steps), 2.5 * min(steps))
                self.assertLess(max(np.abs(b - a).max() for a, b in itertools.pairwise(frames)), 0.35)

    def test_the_spread_of_the_moving_one(self):
        found = noised(some(200_000, 200), moves=True, at=0.37)
        self.assertAlmostEqual(float((found - 0.5).std()) * 6 * noising.SIGMA_MOVING, noising.SIGMA_MOVING, delta=0.02)

    def test_by_frames_of_a_timeline(self):
        population = points(some(500, 3))
        step = parse(STEPS["noise"], {"step": "noise", "size": 1, "motion": "loop", "loop": 24, "speed": 2})
        found = []
        for frame in (0, 24, 7):
            scope = Scope(population, Surroundings({}, Scene().timeline.moment(frame)))
            found.append(carried_out(step, Context(scope, "step", UNWATCHED, NUMBER), None).array)
            self.assertTrue(scope.timed)
        np.testing.assert_array_equal(found[0], found[1])
        self.assertGreater(np.abs(found[0] - found[2]).max(), 0.05)


def feature_points(low: int, high: int, seed: int, irregularity: float) -> np.ndarray:
    """The points of all cells of a block, as the kernel sees them: from distances to three places each."""
    cells = np.stack(np.meshgrid(*[np.arange(low, high)] * 3, indexing="ij"), -1).reshape(-1, 3)
    words = settings(seed=seed).words(0, 0)
    found = []
    for cell in cells:
        x, y, z = (np.uint32((int(c) + int(w)) % 2**32) for c, w in zip(cell, words, strict=True))
        word = kernels._word(
            np.uint32((int(kernels._mix(np.uint32((int(kernels._mix(x)) + int(y)) % 2**32))) + int(z)) % 2**32)
        )
        found.append(
            cell
            + kernels._point(np.uint32(word), np.float32(irregularity), np.float32(0), np.float32(1), np.float32(0))
        )
    return np.array(found)


class Cells(unittest.TestCase):
    def distances(self, places: np.ndarray, seed: int, jitter: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        first, second = np.empty(len(places), np.float32), np.empty(len(places), np.float32)
        ids = np.empty(len(places), np.uint32)
        zero, one = np.float32(0), np.float32(1)
        words = settings(seed=seed).words(0, 0)
        kernels.cells(
            *columns(places), one, zero, zero, zero, *words, np.float32(jitter), zero, one, zero, first, second, ids
        )
        return first, second, ids

    def test_the_nearest_and_second_nearest_points_by_a_tree(self):
        """scipy.spatial.cKDTree over the cells' points: exact, with full and with little irregularity."""
        places = (np.random.default_rng(8).random((60_000, 3)) * 6).astype(np.float32)
        for jitter in (1.0, 0.3, 0.0):
            tree = cKDTree(feature_points(-3, 9, 4, jitter))
            wanted, near = tree.query(places, 2)
            first, second, ids = self.distances(places, 4, jitter)
            np.testing.assert_allclose(first, wanted[:, 0], atol=3e-5)
            np.testing.assert_allclose(second, wanted[:, 1], atol=3e-5)
            # One id for each cell.
            clear = wanted[:, 1] - wanted[:, 0] > 1e-3
            pairs = np.unique(np.stack([near[clear, 0], ids[clear].astype(np.int64)], 1), axis=0)
            self.assertEqual(len(pairs), len(np.unique(pairs[:, 0])))

    def test_soft_ones_have_no_jumps_and_become_hard(self):
        t = np.linspace(0, 6, 60_001, dtype=np.float32)
        line = np.stack([t, t * 0.61 + 0.3, t * 0.37 + 0.2], 1)
        for measure in ("nearest", "value"):
            soft = noised(line, cells=True, measure=measure, softness=0.6)
            self.assertLess(float(np.abs(np.diff(soft)).max()), 0.004)
        hard, nearly = (noised(line, cells=True, softness=s) for s in (0.0, 0.01))
        # The softened distance is at most that of the nearest, by ln(the points within reach) / k below it.
        self.assertLess(float(np.abs(hard - nearly).max()), 0.09)

    def test_values_are_even_and_independent_between_channels(self):
        places = some(60_000, 400)
        red, green = (noised(places, channel=c, cells=True, measure="value") for c in (0, 1))
        self.assertGreater(stats.kstest(np.unique(red), "uniform").pvalue, 1e-3)
        self.assertLess(abs(stats.pearsonr(red, green).statistic), 0.03)
        # The cells themselves are the same for all channels.
        few = some(20_000, 10)
        red, green = (noised(few, channel=c, cells=True, measure="value") for c in (0, 1))
        self.assertEqual(len(np.unique(red)), len(np.unique(np.stack([red, green]), axis=1).T))


def points(places: np.ndarray, **more: np.ndarray) -> Population:
    table = {"position": Attribute("position", "vector", np.asarray(places, np.float32))}
    for name, values in more.items():
        kind = "vector" if values.ndim == 2 else "integer" if values.dtype.kind == "i" else "number"
        table[name] = Attribute(name, kind, values)  # type: ignore[arg-type]
    return of_points(len(places), table)


def run(places: np.ndarray, step: dict, **more: np.ndarray) -> np.ndarray:
    return run_step(parse(STEPS[step["step"]], step), points(places, **more)).array


def smooth(t: np.ndarray) -> np.ndarray:
    return t * t * (3 - 2 * t)


class Falloffs(unittest.TestCase):
    PLACES = some(5000, 6)

    def weight(self, distance: np.ndarray, inner: float = 0, outer: float = 1) -> np.ndarray:
        return np.clip((outer - distance) / (outer - inner), 0, 1)

    def test_a_line_gives_0_at_its_beginning_and_1_at_its_end(self):
        """Common practice."""
        line = {"step": "falloff", "shape": "line", "centre": [1, 0, 0], "end": [3, 1, 0], "profile": "straight"}
        ends = np.array([[1, 0, 0], [2, 0.5, 0], [3, 1, 0], [9, 9, 9]])
        np.testing.assert_allclose(run(ends, line), [0, 0.5, 1, 1], atol=1e-6)
        way = np.array([2.0, 1, 0])
        wanted = np.clip((self.PLACES - [1, 0, 0]) @ way / 5, 0, 1)
        np.testing.assert_allclose(run(self.PLACES, line), wanted, atol=2e-6)
        np.testing.assert_allclose(
            run(self.PLACES, {**line, "profile": "smooth", "flip": True}), 1 - smooth(wanted), atol=3e-6
        )

    def test_balls_boxes_and_planes(self):
        # Turns about x, y and z in that order (scipy).
        rotation = Rotation.from_euler("xyz", [20, -35, 60], degrees=True).as_matrix()
        centre, size = np.array([0.3, -0.2, 0.5]), np.array([1.0, 2.0, 1.5])
        local = (self.PLACES.astype(float) - centre) @ rotation / size
        stood = {"step": "falloff", "centre": centre.tolist(), "turn": [20, -35, 60], "size": size.tolist(),
                 "inner": 0.4, "outer": 1.3}  # fmt: skip
        distances = {
            "ball": np.linalg.norm(local, axis=1),
            "box": np.abs(local).max(axis=1),
            "plane": np.abs(local[:, 2]),
        }
        shapes = {"straight": lambda t: t, "smooth": smooth, "full": lambda t: 1 - (1 - t) ** 2, "hollow": np.square}
        for shape, distance in distances.items():
            for profile, bend in shapes.items():
                found = run(self.PLACES, {**stood, "shape": shape, "profile": profile})
                np.testing.assert_allclose(found, bend(self.weight(distance, 0.4, 1.3)), atol=5e-6, err_msg=shape)

    def test_angles_and_spirals(self):
        for spiral in (0.0, 0.7):
            step = {
                "step": "falloff",
                "shape": "angle",
                "centre": [0, 0, 0],
                "size": [1, 1, 1],
                "profile": "straight",
                "spiral": spiral,
            }
            x, y = self.PLACES[:, 0].astype(float), self.PLACES[:, 1].astype(float)
            turns = (np.arctan2(y, x) / (2 * np.pi) + spiral * np.hypot(x, y)) % 1
            apart = np.abs(run(self.PLACES, step) - turns)
            np.testing.assert_allclose(np.minimum(apart, 1 - apart), 0, atol=3e-6)

    def test_the_angle_itself(self):
        """The polynomial against numpy.arctan2, in turns."""
        t = np.linspace(0, 1, 10_001)[:-1]
        found = [falloffs._turns(np.float32(np.cos(a)), np.float32(np.sin(a))) for a in 2 * np.pi * t]
        apart = np.abs(np.array(found) - t)
        self.assertLess(float(np.minimum(apart, 1 - apart).max()), 2e-7)

    def test_left_to_itself_it_fits(self):
        for shape in ("line", "ball", "box", "plane"):
            found = run(self.PLACES, {"step": "falloff", "shape": shape})
            self.assertGreater(float(np.ptp(found)), 0.9, shape)


class Extents(unittest.TestCase):
    def test_along_each_axis_of_all_and_of_parts(self):
        places = some(2000, 8)
        for k, axis in enumerate("xyz"):
            at = places[:, k].astype(float)
            wanted = (at - at.min()) / np.ptp(at)
            np.testing.assert_allclose(run(places, {"step": "extent", "axis": axis}), wanted, atol=1e-6)
        part = np.arange(2000) % 7
        found = run(places, {"step": "extent", "axis": "y", "per": "group", "flip": True}, group=part)
        for group in range(7):
            at = places[part == group, 1].astype(float)
            np.testing.assert_allclose(found[part == group], 1 - (at - at.min()) / np.ptp(at), atol=1e-6)


class Nearness(unittest.TestCase):
    def test_points_by_a_tree_and_by_trying_all(self):
        """scipy.spatial.cKDTree, for few and for many points, without and within a reach."""
        asked = some(20_000, 4)
        for count in (1, 200, 257, 5000):
            held = some(count, 4, seed=9)
            wanted, which = cKDTree(held).query(asked)
            found = NearestPoint(held).to(asked)
            np.testing.assert_allclose(found.distances, wanted, atol=1e-6)
            self.assertLess(float((found.items != which).mean()), 1e-3)
            within = NearestPoint(held).to(asked, 0.3)
            np.testing.assert_array_equal(within.items >= 0, found.distances <= np.float32(0.3))
            np.testing.assert_allclose(within.distances, np.minimum(wanted, 0.3), atol=1e-6)

    def test_equally_near_ones_are_told_by_the_lower_number(self):
        held = np.zeros((600, 3), np.float32)
        held[300:] = 1
        self.assertEqual(set(NearestPoint(held).to(some(500, 0.5)).items.tolist()), {0})

    def test_places_on_triangles(self):
        """Against the least over all triangles in float64 (numpy.linalg.lstsq), and against points that lie on them."""
        rng = np.random.default_rng(2)
        held, corners = some(120, 4), rng.integers(0, 120, (300, 3)).astype(np.int32)
        tree = NearestOnTriangles(held, corners)
        asked = some(25, 5, seed=4)
        found = tree.to(asked)

        def best(place: np.ndarray, triangle: np.ndarray) -> float:
            """In the plane where its foot lies within (least squares), else on an edge; in float64."""
            a, b, c = triangle.astype(float)
            (v, w), *_ = np.linalg.lstsq(np.stack([b - a, c - a], 1), place - a, rcond=None)
            ends = [np.linalg.norm(p - place) for p in (a, b, c)]
            if v >= 0 and w >= 0 and v + w <= 1:
                ends.append(np.linalg.norm(a + v * (b - a) + w * (c - a) - place))
            for p, q in ((a, b), (b, c), (c, a)):
                length = (q - p) @ (q - p)
                if length > 0:
                    t = np.clip((place - p) @ (q - p) / length, 0, 1)
                    ends.append(np.linalg.norm(p + t * (q - p) - place))
            return float(min(ends))

        for k in range(len(asked)):
            self.assertAlmostEqual(min(best(asked[k], held[c]) for c in corners), found.distances[k], delta=2e-6)
        weights = rng.dirichlet([1, 1, 1], 300).astype(np.float32)
        on = np.einsum("ij,ijk->ik", weights, held[corners])
        met = tree.to(on.astype(np.float32))
        self.assertLess(float(met.distances.max()), 1e-5)
        assert met.weights is not None
        again = np.einsum("ij,ijk->ik", met.weights, held[corners[met.items]])
        np.testing.assert_allclose(again, on, atol=1e-5)

    def test_the_order_along_the_curve_is_an_order(self):
        places = some(5000)
        np.testing.assert_array_equal(np.sort(along_curve(places)), np.arange(5000))

    def test_spacing(self):
        grid = np.stack(np.meshgrid(*[np.arange(8.0)] * 3), -1).reshape(-1, 3) * 0.25
        self.assertAlmostEqual(spacing(grid.astype(np.float32)), 0.25, places=6)
        self.assertEqual(spacing(np.zeros((9, 3), np.float32)), 0)

    def test_markers(self):
        places = some(3000, 4)
        far = np.linalg.norm(places - (places.min(0) + places.max(0)) / 2, axis=1)
        reach = float(np.ptp(places, axis=0).max())
        np.testing.assert_allclose(run(places, {"step": "nearness"}), np.clip(1 - far / reach, 0, 1), atol=1e-6)


class Pictures(unittest.TestCase):
    TEXELS = np.random.default_rng(3).random((13, 21, 4)).astype(np.float32)

    def test_look_ups(self):
        """scipy.ndimage.map_coordinates: grid-wrap repeats, reflect mirrors, nearest holds."""
        picture = Picture("", self.TEXELS)
        rng = np.random.default_rng(1)
        us, vs = (rng.uniform(-2.5, 3.5, 4000).astype(np.float32) for _ in range(2))
        at = np.stack([(1 - vs.astype(float)) * 13 - 0.5, us.astype(float) * 21 - 0.5])
        for edge, mode in (("repeat", "grid-wrap"), ("mirror", "reflect"), ("hold", "nearest")):
            found = picture.filling(0, edge)(us, vs)
            for c in range(4):
                wanted = ndimage.map_coordinates(self.TEXELS[..., c].astype(float), at, order=1, mode=mode)
                np.testing.assert_allclose(found[:, c], wanted, atol=2e-5, err_msg=edge)

    def test_the_pyramid_is_the_mean_of_areas(self):
        """Pillow's box reduction, for sizes that halve evenly and for such as do not."""
        for rows, columns_ in ((16, 32), (13, 21)):
            texels = np.random.default_rng(rows).random((rows, columns_, 4)).astype(np.float32)
            half = Picture("", texels).levels[1]
            for c in range(4):
                size = (half.shape[1], half.shape[0])
                wanted = np.asarray(Image.fromarray(texels[..., c]).resize(size, Image.Resampling.BOX))
                if rows % 2 == 0:
                    np.testing.assert_allclose(half[..., c], wanted, atol=1e-5)
                else:  # Pillow takes whole texels only
                    np.testing.assert_allclose(half[..., c].mean(), texels[..., c].mean(), atol=1e-3)
        out = np.empty((1, 1, 4), np.float32)
        pictures.halve(np.ascontiguousarray(self.TEXELS[:1, :3]), out)
        np.testing.assert_allclose(out[0, 0], self.TEXELS[0, :3].mean(0), atol=1e-6)

    def test_between_levels(self):
        picture = Picture("", self.TEXELS)
        u, v = np.float32([0.3, 0.7]), np.float32([0.2, 0.9])
        one, two = (picture.filling(level, "hold")(u, v) for level in (1, 2))
        np.testing.assert_allclose(picture.filling(1.25, "hold")(u, v), one + 0.25 * (two - one), atol=1e-6)


class Easing(unittest.TestCase):
    def test_the_published_curve(self):
        """CSS Easing Functions Level 1: ease-in-out is cubic-bezier(0.42, 0, 0.58, 1), its root found by scipy."""

        def bezier(s: float, a: float, b: float) -> float:
            return 3 * (1 - s) ** 2 * s * a + 3 * (1 - s) * s * s * b + s**3

        for t in np.linspace(0.01, 0.99, 40):
            s = optimize.brentq(lambda s, t=t: bezier(s, 0.42, 0.58) - t, 0, 1, xtol=1e-14)
            self.assertAlmostEqual(eased(float(t)), bezier(s, 0, 1), places=9)

    def test_before_between_and_after_keys(self):
        keys = [Key(frame=10, to_next="straight"), Key(frame=20, to_next="hold"), Key(frame=30)]
        values = [0.0, 1.0, 5.0]
        found = [at_frame(keys, values, f, lambda a, b, t: a + (b - a) * t) for f in (0, 10, 15, 20, 29, 30, 99)]
        self.assertEqual(found, [0, 0, 0.5, 1, 1, 5, 5])


class Kernels(unittest.TestCase):
    def test_turned_vectors_are_measured_too(self):
        """By any vector: a noise by uv is the noise of those places."""
        uv = some(900, 3)[:, :2].copy()
        flat = np.concatenate([uv, np.zeros((900, 1), np.float32)], axis=1)
        step = {"step": "noise", "seed": 4, "size": 0.5}
        np.testing.assert_array_equal(run(some(900), {**step, "by": "uv"}, uv=uv), run(flat, step))
        self.assertEqual(vector(2).width, Value(vector(2), uv).kind.width)

    def test_least_square_skips_the_place_itself(self):
        held = np.array([[0, 0, 0], [0, 0, 0], [3, 0, 0]], np.float32)
        self.assertEqual(nearest.least_square(*columns(held), np.float32(0), np.float32(0), np.float32(0)), 9)
