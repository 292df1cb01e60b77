"""Tubes around curves against solids of geometry, and trimesh."""

import io
import unittest

import numpy as np
import trimesh

from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, WriterContext, read_items
from gaudyseed.core.geometry import tubing
from tests.core.test_motion import scene_run, sparks, trails


def spiral(count: int = 60) -> tuple[np.ndarray, np.ndarray]:
    """Points of a helix and the unit vectors along it."""
    t = np.linspace(0, 4 * np.pi, count)
    places = np.stack([np.cos(t), np.sin(t), 0.2 * t], -1)
    ways = np.stack([-np.sin(t), np.cos(t), np.full(count, 0.2)], -1) / np.sqrt(1.04)
    return places.astype(np.float32), ways.astype(np.float32)


def solid(made: tubing.Tubes) -> trimesh.Trimesh:
    """What a library takes it for, vertices of one place as one."""
    mesh = trimesh.Trimesh(made.places, made.triangles, process=False)
    mesh.merge_vertices(merge_norm=True)
    return mesh


class Around(unittest.TestCase):
    def test_closed_and_as_large_as_a_prism(self):
        """Sides of an n-gon's prism: n/2 r² sin(2 pi / n) times the length, with half balls at the ends (geometry)."""
        places = np.array([[0, 0, 0], [0, 0, 1], [0, 0, 3]], np.float32)
        ways, widths = np.tile(np.array([0, 0, 1], np.float32), (3, 1)), np.full(3, 0.5, np.float32)
        for sides in (4, 7, 32):
            prism = sides / 2 * 0.25**2 * np.sin(2 * np.pi / sides) * 3
            flat = solid(tubing.tubes(places, ways, widths, np.array([0, 3]), sides, rounded=False))
            round_ = solid(tubing.tubes(places, ways, widths, np.array([0, 3]), sides, rounded=True))
            for mesh in (flat, round_):
                self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent, sides)
            self.assertAlmostEqual(flat.volume, prism, places=5)
            self.assertEqual(flat.bounds[:, 2].tolist(), [0, 3])
            np.testing.assert_allclose(round_.bounds[:, 2], [-0.25, 3.25], atol=1e-6)
        self.assertAlmostEqual(round_.volume, np.pi * 0.25**2 * 3 + 4 / 3 * np.pi * 0.25**3, delta=0.02)

    def test_it_does_not_turn_about_its_curve(self):
        """Of a rotation-minimising frame the change has no part along the binormal: what defines it (Wang 2008)."""
        places, ways = spiral(4000)
        first = tubing.across(places, ways, np.array([0, len(places)])).astype(np.float64)
        np.testing.assert_allclose(np.einsum("ij,ij->i", first, ways), 0, atol=1e-6)
        np.testing.assert_allclose(np.linalg.norm(first, axis=1), 1, atol=1e-6)
        twist = np.einsum("ij,ij->i", np.diff(first, axis=0), np.cross(ways, first)[1:])
        self.assertLess(abs(twist.sum()), 5e-3)
        # A frame that keeps to the curve's own bend twists with its torsion, by some turns here.
        bend = np.diff(ways.astype(np.float64), axis=0)
        bend /= np.linalg.norm(bend, axis=1)[:, None]
        self.assertGreater(abs(np.einsum("ij,ij->i", np.diff(bend, axis=0), np.cross(ways[1:], bend)[1:]).sum()), 1)

    def test_normals_point_out_and_faces_the_same_way(self):
        places, ways = spiral()
        for rounded in (True, False):
            made = tubing.tubes(places, ways, np.full(60, 0.2, np.float32), np.array([0, 20, 60]), 12, rounded)
            np.testing.assert_allclose(np.linalg.norm(made.normals, axis=1), 1, atol=1e-5)
            faces = trimesh.Trimesh(made.places, made.triangles, process=False).face_normals
            self.assertGreater(np.einsum("ij,ij->i", faces, made.normals[made.triangles].mean(axis=1)).min(), 0.8)
            self.assertEqual(set(made.rows.tolist()), set(range(60)))

    def test_too_many_and_degenerate_ones(self):
        places = np.zeros((2, 3), np.float32)
        ways = np.tile(np.array([0, 0, 1], np.float32), (2, 1))
        made = tubing.tubes(places, ways, np.zeros(2, np.float32), np.array([0, 1, 2]), 4, rounded=True)
        self.assertTrue(np.isfinite(made.places).all() and np.isfinite(made.normals).all())
        with self.assertRaises(BadInput) as caught:
            tubing.tubes(*(np.zeros((800_000, 3), np.float32),) * 2, np.zeros(800_000, np.float32),
                         np.array([0, 800_000]), 32, rounded=False)  # fmt: skip
        self.assertIn("at most 20,000,000", caught.exception.sentence)


class Trails(unittest.TestCase):
    def test_round_ones_go_out_as_tubes_that_others_read(self):
        """Read by trimesh and by us: each vertex with its point's colour and its trail's number, as thick as told."""
        ask = {"back": 8, "tail": 0, "section": "round", "sides": 6}
        run = scene_run(sparks(), trails(**ask), frame=10)
        found = run.evaluation("trails")
        rings = tubing.caps(6, True)[0]
        vertices = 6 * (found.population.count + 2 * len(rings) * found.population.form.curves.count)
        data = FORMATS["glb"].write(found.population, found.results, WriterContext("trails"))
        (mesh,) = trimesh.load(io.BytesIO(data), file_type="glb", process=False).geometry.values()
        self.assertEqual(len(mesh.vertices), vertices)
        again = read_items(data, "a.glb")[0].population
        self.assertEqual((again.kind, again.count), ("mesh", vertices))
        numbers = again.elements.attribute("trail").values
        known = found.population.elements.attribute("trail").values
        self.assertEqual(set(numbers.tolist()), set(known.tolist()))
        one = numbers == known[0]
        apart = np.ptp(again.elements.attribute("position").readable[one], axis=0)
        points = found.population.elements.attribute("position").readable[known == known[0]]
        width = found.population.elements.attribute("width").readable[known == known[0]].max()
        self.assertTrue((apart >= np.ptp(points, axis=0) - 1e-5).all())
        self.assertTrue((apart <= np.ptp(points, axis=0) + width * 1.01).all())
        colours = again.elements.attribute("colour").readable[one]
        rows = np.flatnonzero(known == known[0])
        self.assertEqual({tuple(c) for c in np.round(colours, 4).tolist()},
                         {tuple(c) for c in np.round(found.colours[rows], 4).tolist()})  # fmt: skip

    def test_flat_ones_stay_lines(self):
        found = scene_run(sparks(), trails(back=8), frame=10).evaluation("trails")
        data = FORMATS["glb"].write(found.population, found.results, WriterContext("trails"))
        self.assertEqual(read_items(data, "a.glb")[0].population.kind, "strands")
