"""Frames, surfaces and blends against scipy, trimesh and coloraide; censuses against NumPy."""

import base64
import unittest

import numpy as np
import trimesh
from coloraide import Color
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial.transform import Rotation

from gaudyseed.core.colour.spaces import display_bytes, parse_hex, saturation, to_hex
from gaudyseed.core.geometry.frames import orientations
from gaudyseed.core.geometry.mesh import smooth_normals
from gaudyseed.core.geometry.surfaces import SURFACES, surface
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.ramps.ramp import largest_remainder
from gaudyseed.core.reports import census
from gaudyseed.core.runtime import buffers
from tests.support import FIVE

HIGH = st.floats(0.125, 2, width=32)


class Frames(unittest.TestCase):
    """scipy's Rotation."""

    def test_z_goes_to_the_normal(self):
        rng = np.random.default_rng(1)
        normals = np.concatenate([rng.normal(size=(500, 3)), [[0, 0, 1], [0, 0, -1], [0, 0, -3], [1e-9, 0, -1]]])
        for turns in (None, rng.random(len(normals))):
            found = orientations(normals, turns)
            np.testing.assert_allclose(np.linalg.norm(found, axis=1), 1, atol=1e-6)
            wanted = normals / np.linalg.norm(normals, axis=1, keepdims=True)
            np.testing.assert_allclose(Rotation.from_quat(found).apply([0, 0, 1]), wanted, atol=1e-5)

    def test_turns_are_about_the_normal(self):
        normals = np.tile([[0.0, 0.0, 1.0]], (4, 1))
        found = Rotation.from_quat(orientations(normals, np.array([0, 0.25, 0.5, 0.75]))).apply([1, 0, 0])
        np.testing.assert_allclose(found, [[1, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0]], atol=1e-6)

    def test_a_zero_normal_stands_up(self):
        np.testing.assert_allclose(orientations(np.zeros((1, 3))), [[0, 0, 0, 1]], atol=1e-6)


class Surfaces(unittest.TestCase):
    """trimesh."""

    def test_areas_and_normals(self):
        for name in SURFACES:
            mesh = surface(name)
            reference = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
            np.testing.assert_allclose(mesh.face_areas, reference.area_faces, rtol=1e-4, atol=1e-9)
            np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-3)
            own = smooth_normals(mesh.vertices, mesh.faces)
            inner = np.einsum("ij,ij->i", own, reference.vertex_normals)
            self.assertGreater(np.median(inner), 0.999)

    def test_parts_are_the_connected_pieces(self):
        """Pieces, areas and middles as trimesh and scipy.sparse.csgraph find them from the faces alone."""
        mesh = surface("beetle")
        whole = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
        edges = csr_array((np.ones(len(whole.edges)), whole.edges.T), shape=(len(mesh.vertices),) * 2)
        _, piece = connected_components(edges, directed=False)
        pairs = set(zip(mesh.part_of.tolist(), piece[mesh.faces[:, 0]].tolist(), strict=True))
        self.assertEqual(len(pairs), len(mesh.parts))
        self.assertEqual(len(set(mesh.parts)), len(mesh.parts))
        made = ScatterMaker(maker="scatter", count=20_000, evenness=0).make(None)
        parts = made.elements.owners[0].attributes
        for k, name in enumerate(parts["part"].labels):
            own = whole.submesh([np.flatnonzero(mesh.part_of == mesh.parts.index(name))], append=True)
            self.assertAlmostEqual(parts["part_area"].values[k] / own.area, 1, places=5)
            np.testing.assert_allclose(parts["part_middle"].values[k], own.centroid, atol=1e-5)
            low, high = own.bounds
            places = made.elements.own["position"].values[made.elements.owners[0].index == k]
            self.assertTrue(((places > low - 1e-5) & (places < high + 1e-5)).all(), name)
        counts = np.bincount(made.elements.owners[0].index)
        areas = parts["part_area"].values.astype(np.float64)
        self.assertGreater(stats.chisquare(counts, areas / areas.sum() * counts.sum()).pvalue, 1e-4)

    def test_a_ball_and_a_ring_have_their_area(self):
        """4 pi r^2, and 4 pi^2 R r (Pappus)."""
        self.assertAlmostEqual(surface("ball").coat_areas.sum(), 4 * np.pi, delta=0.02)
        self.assertAlmostEqual(surface("ring").coat_areas.sum(), 4 * np.pi**2 * 0.9 * 0.38, delta=0.03)

    def test_the_beetle_is_symmetric_and_stands_on_the_ground(self):
        mesh = surface("beetle")
        low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
        self.assertAlmostEqual(low[0], -high[0], places=3)
        self.assertLess(abs(low[2]), 0.1)
        self.assertTrue(0.2 < mesh.coat.mean() < 0.95)

    def test_a_scatter_carries_what_it_says(self):
        made = ScatterMaker(
            maker="scatter", surface="ball", count=3000, size=0.1, size_variation=0.3, offset=0.05
        ).make(None)
        places = made.elements.own["position"].values - [0, 0, 1]
        np.testing.assert_allclose(np.linalg.norm(places, axis=1), 1.05, atol=2e-3)
        sizes = made.elements.own["size"].values
        self.assertTrue(0.07 <= sizes.min() < 0.075 and 0.125 < sizes.max() <= 0.13)
        uv = made.elements.own["uv"].values
        self.assertTrue(uv.min() >= 0 and uv.max() <= 1)
        standing = ScatterMaker(maker="scatter", surface="ball", count=500, tilt=0).make(None)
        up = Rotation.from_quat(standing.elements.own["orientation"].values).apply([0, 0, 1])
        np.testing.assert_allclose(up, standing.elements.own["normal"].values, atol=1e-5)
        leaning = ScatterMaker(maker="scatter", surface="ball", count=500, tilt=20).make(None)
        up = Rotation.from_quat(leaning.elements.own["orientation"].values).apply([0, 0, 1])
        angles = np.degrees(np.arccos(np.clip((up * leaning.elements.own["normal"].values).sum(axis=1), -1, 1)))
        self.assertTrue(np.median(angles) > 3 and angles.max() <= 21)

    def test_the_same_seed_makes_the_same_scatter(self):
        one, two = (ScatterMaker(maker="scatter", count=800, seed=5).make(None).digest for _ in range(2))
        self.assertEqual(one, two)
        self.assertNotEqual(one, ScatterMaker(maker="scatter", count=800, seed=6).make(None).digest)


class Census(unittest.TestCase):
    """numpy.histogram and plain counting."""

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.floats(-3, 3, width=32), max_size=200), st.floats(-2, 0, width=32), HIGH)
    def test_histograms(self, values, low, high):
        array = np.array(values, np.float32)
        found = census.histogram(array, float(low), float(high), 16)
        inside = array[(array >= np.float32(low)) & (array <= np.float32(high))]
        self.assertEqual(sum(found["bins"]), len(inside))
        self.assertEqual(found["below"], int((array < np.float32(low)).sum()))
        self.assertEqual(found["above"], int((array > np.float32(high)).sum()))
        reference = np.histogram(inside.astype(np.float64), 16, (float(low), float(high)))[0]
        # A value on the edge of two bins may fall to either in float32.
        moved = np.abs(np.cumsum(found["bins"]) - np.cumsum(reference)).max(initial=0)
        edges = np.linspace(float(low), float(high), 17)
        near = np.abs(inside[:, None] - edges[None]).min(axis=1, initial=9) < 1e-5
        self.assertLessEqual(moved, near.sum())
        if values:
            self.assertEqual((found["least"], found["greatest"]), (float(array.min()), float(array.max())))

    def test_flow_pairs_are_elements(self):
        rng = np.random.default_rng(6)
        before = rng.random(5000).astype(np.float32)
        pairs = np.array(census.flow(before, before**2))
        self.assertEqual(len(pairs), census.LINES)
        np.testing.assert_allclose(pairs[:, 1], pairs[:, 0] ** 2, atol=1e-5)
        self.assertTrue((np.diff(pairs[:, 0]) >= 0).all())

    def test_swatches_show_elements_where_they_lie(self):
        places = np.array([0.0, 0.5, 0.5, 1.0], np.float32)
        colours = np.array([parse_hex(c) for c in FIVE[:4]], np.float32)
        found = census.of_colours(colours, places)
        rgba = np.frombuffer(base64.b64decode(found["swatches"]), np.uint8)
        rgba = rgba.reshape(found["rows"], found["columns"], 4)
        self.assertEqual((rgba[0, :, 3] == 255).sum(), 3)
        self.assertEqual(rgba[0, 0, :3].tolist(), display_bytes(colours[:1])[0].tolist())
        self.assertEqual(rgba[1, 48, :3].tolist(), display_bytes(colours[2:3])[0].tolist())

    def test_like_colours_are_grouped(self):
        colours = np.repeat(np.array([parse_hex(c) for c in FIVE], np.float32), [50, 40, 30, 20, 10], axis=0)
        groups, count = census.group_by_colour(colours)
        self.assertEqual(count, 5)
        means = census.mean_colours(colours, groups, count)
        self.assertEqual(sorted(means), sorted(FIVE))

    @settings(max_examples=80, deadline=None)
    @given(st.lists(st.floats(0, 1), min_size=1, max_size=40), st.integers(0, 5000))
    def test_largest_remainder(self, weights, total):
        shares = np.array(weights) + 1e-9
        shares /= shares.sum()
        counts = largest_remainder(shares, total)
        self.assertEqual(counts.sum(), total)
        self.assertLess(np.abs(counts - shares * total).max(), 1 + 1e-6)


class Buffers(unittest.TestCase):
    def test_memory_comes_back_only_when_no_view_is_left(self):
        one = buffers.empty((1_000_000, 3))
        where = one.ctypes.data
        view = one[10:20].reshape(-1)
        del one
        other = buffers.empty((1_000_000, 3))
        self.assertNotEqual(other.ctypes.data, where)
        del view
        third = buffers.empty((1_000_000, 3))
        self.assertEqual(third.ctypes.data, where)
        self.assertTrue(third.flags.c_contiguous and third.flags.writeable)

    def test_kinds_and_small_ones(self):
        for shape, kind in (((3, 4), np.uint8), (7, np.float32), ((3_000_000,), np.uint8), (0, np.float32)):
            found = buffers.empty(shape, kind)
            self.assertEqual(found.shape, shape if isinstance(shape, tuple) else (shape,))
            self.assertEqual(found.dtype, kind)


class Hex(unittest.TestCase):
    @given(st.integers(0, 0xFFFFFF))
    def test_there_and_back(self, number):
        code = f"#{number:06x}"
        self.assertEqual(to_hex(parse_hex(code)), code)
        self.assertEqual(to_hex(parse_hex(code.upper())), code)

    def test_saturation_against_coloraide(self):
        for code in FIVE:
            wanted = Color(code).convert("hsv")["saturation"]
            self.assertAlmostEqual(float(saturation(parse_hex(code)[None])[0]), wanted, places=4)
