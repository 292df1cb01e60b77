"""Random, even out, ramps, shares and scatter against outside libraries."""

import unittest

import numpy as np
from coloraide import Color
from scipy import stats
from scipy.spatial import cKDTree
from skimage import data
from skimage.exposure import equalize_hist

from gaudyseed.core.colour.spaces import encode_srgb, parse_hex
from gaudyseed.core.geometry.scatter import scatter_on
from gaudyseed.core.geometry.surfaces import SURFACES, surface
from gaudyseed.core.kernels import hashing, ranking
from gaudyseed.core.ramps.ramp import compile_ramp, edges_for_shares
from tests.support import FIVE

N = 200_000


def numbers(seed: int, keys: np.ndarray | None = None) -> np.ndarray:
    low = np.arange(N, dtype=np.uint32) if keys is None else keys
    out = np.empty(len(low), np.float32)
    hashing.random_one(low, np.zeros(len(low), np.uint32), np.uint32(seed), np.uint32(9), out)
    return out


def pcg3d_plain(x: int, y: int, z: int) -> tuple[int, int, int]:
    """pcg3d as listed by Jarzynski and Olano, JCGT 9(3), 2020, in plain integers (constants from memory)."""
    mask = 0xFFFFFFFF
    x, y, z = ((v * 1664525 + 1013904223) & mask for v in (x, y, z))
    x = (x + y * z) & mask
    y = (y + z * x) & mask
    z = (z + x * y) & mask
    x, y, z = (v ^ (v >> 16) for v in (x, y, z))
    x = (x + y * z) & mask
    y = (y + z * x) & mask
    z = (z + x * y) & mask
    return x, y, z


class Random(unittest.TestCase):
    """scipy.stats; thresholds are p > 1e-4 on fixed seeds, so a sound hash always passes."""

    def test_the_published_listing(self):
        rng = np.random.default_rng(5)
        for x, y, z in rng.integers(0, 2**32, (500, 3)):
            found = hashing.pcg3d(np.uint32(x), np.uint32(y), np.uint32(z))
            self.assertEqual(tuple(int(v) for v in found), pcg3d_plain(int(x), int(y), int(z)))

    def test_uniform(self):
        for seed in (0, 1, 42, 2**32 - 1):
            values = numbers(seed)
            self.assertGreater(stats.kstest(values, "uniform").pvalue, 1e-4)
            counts = np.histogram(values, 256, (0, 1))[0]
            self.assertGreater(stats.chisquare(counts).pvalue, 1e-4)
            self.assertTrue(values.min() >= 0 and values.max() < 1)

    def test_neighbouring_keys_are_independent(self):
        values = numbers(7)
        pairs = np.histogram2d(values[:-1], values[1:], 32, ((0, 1), (0, 1)))[0]
        self.assertGreater(stats.chisquare(pairs.ravel()).pvalue, 1e-4)
        self.assertGreater(stats.pearsonr(values[:-1], values[1:]).pvalue, 1e-4)

    def test_seeds_are_independent(self):
        columns = np.stack([numbers(seed) for seed in range(8)])
        correlations = np.corrcoef(columns)[np.triu_indices(8, 1)]
        # Five standard deviations of a correlation of independent values.
        self.assertLess(np.abs(correlations).max(), 5 / np.sqrt(N))

    def test_three_numbers_are_independent(self):
        out = np.empty((N, 3), np.float32)
        hashing.random_three(np.arange(N, dtype=np.uint32), np.zeros(N, np.uint32), np.uint32(1), np.uint32(2), out)
        cells = np.histogramdd(out, 12, [(0, 1)] * 3)[0]
        self.assertGreater(stats.chisquare(cells.ravel()).pvalue, 1e-4)


class EvenOut(unittest.TestCase):
    """scipy.stats.rankdata at mid-rank."""

    def test_ties_signs_and_edge_values(self):
        rng = np.random.default_rng(2)
        cases = [
            rng.normal(size=50_000),
            rng.integers(-5, 5, 20_000).astype(float),
            np.array([0.0, -0.0, 1e-38, -1e-38, 3e38, -3e38, 1e-45]),
            np.zeros(100),
            np.array([4.0]),
            # Runs of equal values that go over the parts that are sorted side by side.
            rng.integers(0, 3, 150_001).astype(float),
            np.full(80_000, -0.25),
        ]
        for case in cases:
            values = case.astype(np.float32)
            wanted = (stats.rankdata(values) - 0.5) / len(values)
            np.testing.assert_allclose(ranking.even_out(values), wanted, atol=1e-6)
        self.assertEqual(len(ranking.even_out(np.empty(0, np.float32))), 0)

    def test_on_a_picture_against_equalize_hist(self):
        """scikit-image's histogram equalisation of a grey picture, a bin for each level, at mid-rank."""
        grey = data.camera()[::2, ::2]
        found = ranking.even_out((grey / 255).astype(np.float32).ravel())
        counts = np.bincount(grey.ravel(), minlength=256)
        # The cumulative distribution counts all of a level, the mid-rank half of it.
        wanted = equalize_hist(grey, nbins=256).ravel() - 0.5 * counts[grey.ravel()] / grey.size
        np.testing.assert_allclose(found, wanted, atol=1e-6)


class Ramps(unittest.TestCase):
    PLACES = np.array([0.1, 0.25, 0.5, 0.51, 0.9])
    VALUES = np.concatenate([np.random.default_rng(3).random(20_000), [0, 1, -2, 7, 0.1, 0.25, 0.9]]).astype(np.float32)

    def test_linear_rgb_against_numpy_interp(self):
        compiled = compile_ramp(self.PLACES, FIVE, "straight", "linear_rgb")
        colours = np.array([parse_hex(c) for c in FIVE])
        wanted = np.stack([np.interp(self.VALUES, self.PLACES, colours[:, k]) for k in range(3)], axis=1)
        np.testing.assert_allclose(compiled.colours_of(self.VALUES), wanted, atol=2e-6)

    def test_oklab_against_coloraide(self):
        compiled = compile_ramp(self.PLACES, FIVE, "straight", "oklab")
        values = self.VALUES[:300].clip(0.1, 0.9)
        for value, found in zip(values, compiled.colours_of(values), strict=True):
            k = min(int(np.searchsorted(self.PLACES, value, side="right")) - 1, 3)
            t = (value - self.PLACES[k]) / (self.PLACES[k + 1] - self.PLACES[k])
            mixed = Color.interpolate([FIVE[k], FIVE[k + 1]], space="oklab")(float(t)).convert("srgb-linear")
            np.testing.assert_allclose(found, mixed.coords(), atol=2e-5)

    def test_a_bands_width_is_its_probability(self):
        """Common practice: under uniform values a band of a stepped ramp gets its width's share."""
        compiled = compile_ramp(np.array([0, 0.3, 0.52, 0.74, 0.92]), FIVE, "step", "oklab")
        counts = np.bincount(compiled.bands_of(numbers(42)), minlength=5)
        expected = np.array([0.3, 0.22, 0.22, 0.18, 0.08]) * N
        self.assertGreater(stats.chisquare(counts, expected).pvalue, 1e-4)

    def test_bands_decide_exactly_at_every_edge(self):
        places = np.concatenate([[0.0], np.sort(np.random.default_rng(4).random(255))])
        compiled = compile_ramp(places, ["#000000"] * 256, "step", "oklab")
        near = places.astype(np.float32)
        below, above = np.nextafter(near, np.float32(-1)), np.nextafter(near, np.float32(2))
        values = np.concatenate([near, below, above, self.VALUES])
        wanted = np.clip(np.searchsorted(places, values.astype(np.float64), side="right") - 1, 0, 255)
        np.testing.assert_array_equal(compiled.bands_of(values), wanted)

    def test_one_stop_and_no_elements(self):
        for kind in ("steps", "straight"):
            one = compile_ramp(np.array([0.5]), ["#d8452f"], kind, "oklab")
            found = encode_srgb(one.colours_of(self.VALUES))
            np.testing.assert_allclose(found, np.tile(encode_srgb(parse_hex("#d8452f")), (len(found), 1)), atol=1e-5)
            self.assertEqual(one.colours_of(np.empty(0, np.float32)).shape, (0, 3))


class Shares(unittest.TestCase):
    """Edges at empirical quantiles: numpy.quantile, and counts by largest remainder."""

    def test_typed_shares_are_met_to_one_element(self):
        rng = np.random.default_rng(6)
        for values in (numbers(1)[:12_000], (rng.normal(size=9_999) * 0.05 + 0.5).astype(np.float32)):
            shares = rng.dirichlet(np.ones(7))
            edges = edges_for_shares(values, shares)
            counts = np.bincount(np.searchsorted(edges, values, side="right"), minlength=7)
            self.assertLessEqual(np.abs(counts - shares * len(values)).max(), 1.0)
            quantiles = np.quantile(values, np.cumsum(shares)[:-1])
            np.testing.assert_allclose(edges, quantiles, atol=np.diff(np.sort(values)).max())

    def test_zero_shares(self):
        values = numbers(3)[:1000]
        edges = edges_for_shares(values, np.array([0, 0.5, 0, 0, 0.5, 0]))
        self.assertTrue((np.diff(edges) > 0).all())
        counts = np.bincount(np.searchsorted(edges, values, side="right"), minlength=6)
        np.testing.assert_array_equal(counts, [0, 500, 0, 0, 500, 0])

    def test_ties_go_to_the_nearer_side(self):
        values = np.repeat(np.array([0.1, 0.2, 0.3, 0.4], np.float32), 25)
        edges = edges_for_shares(values, np.array([0.3, 0.7]))
        self.assertEqual((values < edges[0]).sum(), 25)


class Scatter(unittest.TestCase):
    def test_uniform_by_area(self):
        """Chi-square of counts in bands of faces against their areas."""
        for name in SURFACES:
            mesh = surface(name)
            found = scatter_on(mesh, 20_000, seed=5)
            groups = np.minimum((np.cumsum(mesh.coat_areas) / mesh.coat_areas.sum() * 60).astype(int), 59)
            expected = np.bincount(groups, weights=mesh.coat_areas, minlength=60)
            counts = np.bincount(groups[found.faces], minlength=60)
            p = stats.chisquare(counts, expected / expected.sum() * len(found.faces)).pvalue
            self.assertGreater(p, 1e-4, name)

    def test_spacing_holds(self):
        area = surface("beetle").coat_areas.sum()
        for spacing, evenness in ((0.05, 0.0), (0.03, 0.5), (0.0, 0.7)):
            found = scatter_on(surface("beetle"), 3_000, 9, spacing, evenness)
            self.assertEqual(len(found.positions), 3_000)
            nearest = cKDTree(found.positions).query(found.positions, k=2)[0][:, 1]
            self.assertGreaterEqual(nearest.min(), spacing * (1 - 1e-5))
            # Evenness: nearly all keep it; it relaxes where thin parts are full.
            even = evenness * np.sqrt(area / 3_000)
            self.assertGreater((nearest > even * 0.99).mean(), 0.8)

    def test_raising_the_count_keeps_what_was_there(self):
        few = scatter_on(surface("beetle"), 1_000, 4, 0.0, 0.66)
        many = scatter_on(surface("beetle"), 12_000, 4, 0.0, 0.66)
        np.testing.assert_array_equal(few.positions, many.positions[:1000])
        np.testing.assert_array_equal(few.numbers, many.numbers[:1000])
        self.assertEqual(len(np.unique(many.numbers)), 12_000)

    def test_a_full_surface_gives_fewer(self):
        found = scatter_on(surface("ball"), 5_000, 1, spacing=0.3)
        self.assertLess(len(found.positions), 300)
        self.assertGreater(len(found.positions), 50)

    def test_normals_point_outwards(self):
        for name in ("ball", "beetle"):
            found = scatter_on(surface(name), 2_000, 2)
            middle = found.positions.mean(axis=0)
            self.assertGreater(((found.positions - middle) * found.normals).sum(axis=1).mean(), 0.1)
            np.testing.assert_allclose(np.linalg.norm(found.normals, axis=1), 1, atol=1e-5)
