"""Meshes against trimesh, SciPy, NumPy and worked examples of the published schemes."""

import unittest

import numpy as np
import trimesh
from scipy import ndimage, sparse, stats
from scipy.sparse import csgraph

from gaudyseed.core.geometry import polygons
from gaudyseed.core.geometry.cages import CAGES, cage
from gaudyseed.core.geometry.placing import matrix, moved, quaternion
from gaudyseed.core.geometry.scatter import feet_on
from gaudyseed.core.geometry.subdivision import refined
from gaudyseed.core.kinds import vector
from gaudyseed.core.look.scope import Scope
from gaudyseed.core.look.steps import STEPS, Context, Value, carried_out
from gaudyseed.core.population.makers.surface import SurfaceMaker
from gaudyseed.core.population.owning import Owning
from gaudyseed.core.runtime.task import UNWATCHED


def arrays(mesh: trimesh.Trimesh) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    faces = np.ascontiguousarray(mesh.faces, np.int32)
    return np.ascontiguousarray(mesh.vertices, np.float32), np.arange(0, faces.size + 1, 3), faces.reshape(-1)


def soup(seed: int = 5, pieces: int = 40) -> trimesh.Trimesh:
    """Many closed pieces of different sizes in one mesh."""
    rng = np.random.default_rng(seed)
    made = []
    for _ in range(pieces):
        piece = trimesh.creation.icosphere(subdivisions=int(rng.integers(0, 3)), radius=rng.uniform(0.1, 1))
        piece.apply_translation(rng.normal(size=3) * 5)
        made.append(piece)
    return trimesh.util.concatenate(made)


class Told(unittest.TestCase):
    """What is told of a mesh."""

    def test_islands_are_those_of_scipy_and_trimesh(self):
        mesh = soup()
        _, starts, corners = arrays(mesh)
        found, count = polygons.islands_of(starts, corners, len(mesh.vertices))
        edges = mesh.edges_unique
        graph = sparse.coo_matrix((np.ones(len(edges)), edges.T), shape=(len(mesh.vertices),) * 2)
        wanted, labels = csgraph.connected_components(graph, directed=False)
        self.assertEqual((count, count), (wanted, len(mesh.split(only_watertight=False))))
        self.assertEqual(len(set(zip(found.tolist(), labels.tolist(), strict=True))), count)
        # Numbered in the order of their first vertices.
        firsts = [int(np.flatnonzero(found == k)[0]) for k in range(count)]
        self.assertEqual(firsts, sorted(firsts))

    def test_areas_and_normals_are_those_of_trimesh(self):
        mesh = soup(7)
        positions, starts, corners = arrays(mesh)
        np.testing.assert_allclose(polygons.areas(positions, starts, corners), mesh.area_faces, rtol=2e-4)
        # trimesh weighs by the angle where it is not asked otherwise.
        sums = np.zeros((len(positions), 3))
        for k in range(3):
            np.add.at(sums, mesh.faces[:, k], mesh.face_normals * mesh.area_faces[:, None])
        wanted = sums / np.linalg.norm(sums, axis=1, keepdims=True)
        np.testing.assert_allclose(polygons.normals_of(positions, starts, corners), wanted, atol=2e-4)

    def test_polygons_have_the_area_of_their_triangles(self):
        """A regular hexagon of side 1 has the area 3 sqrt(3) / 2 (geometry), also far from the origin."""
        turn = np.arange(6) * np.pi / 3
        ring = np.stack([np.cos(turn), np.sin(turn), np.zeros(6)], -1).astype(np.float32)
        starts, corners = np.array([0, 6]), np.arange(6, dtype=np.int32)
        self.assertAlmostEqual(polygons.areas(ring, starts, corners)[0], 3 * np.sqrt(3) / 2, places=5)
        np.testing.assert_allclose(polygons.normals_of(ring, starts, corners), np.tile([0, 0, 1], (6, 1)), atol=1e-6)

    def test_mean_curvature_of_a_ball_and_a_tube(self):
        """1 / radius on a ball, 1 / (2 radius) on a tube (differential geometry); turned inside out it is negative."""
        for radius in (0.5, 2.0):
            ball = trimesh.creation.icosphere(subdivisions=4, radius=radius)
            positions, starts, corners = arrays(ball)
            normals = polygons.normals_of(positions, starts, corners)
            found = polygons.mean_curvature(positions, normals, corners.reshape(-1, 3))
            np.testing.assert_allclose(found, 1 / radius, rtol=5e-3)
            inside = np.ascontiguousarray(corners.reshape(-1, 3)[:, ::-1])
            np.testing.assert_allclose(polygons.mean_curvature(positions, -normals, inside), -1 / radius, rtol=5e-3)
        turn, height = np.meshgrid(2 * np.pi * np.arange(96) / 96, np.linspace(0, 2, 60))
        tube = np.stack([np.cos(turn) / 2, np.sin(turn) / 2, height], -1).reshape(-1, 3).astype(np.float32)
        k = np.arange(59 * 96)
        on = k - k % 96 + (k + 1) % 96
        corners = np.stack([k, on, on + 96, k + 96], -1).astype(np.int32).reshape(-1)
        starts = np.arange(0, len(corners) + 1, 4)
        triangles = corners[polygons.triangles_of(starts, corners)[0]]
        found = polygons.mean_curvature(tube, polygons.normals_of(tube, starts, corners), triangles)
        np.testing.assert_allclose(found.reshape(60, 96)[2:-2], 1.0, rtol=1e-2)

    def test_edge_lengths_are_means_over_the_edges(self):
        mesh = trimesh.creation.box()
        positions, starts, corners = arrays(mesh)
        sums, counts = np.zeros(8), np.zeros(8)
        for (a, b), length in zip(mesh.edges_unique, mesh.edges_unique_length, strict=True):
            for v in (a, b):
                sums[v] += length
                counts[v] += 1
        found = polygons.edge_lengths(positions, polygons.edges_of(starts, corners, 8))
        np.testing.assert_allclose(found, sums / counts, rtol=1e-6)

    def test_edges_are_those_of_trimesh(self):
        mesh = soup(9, 10)
        _, starts, corners = arrays(mesh)
        edges = polygons.edges_of(starts, corners, len(mesh.vertices))
        self.assertEqual(
            {tuple(e) for e in edges.ends.tolist()}, {tuple(sorted(e)) for e in mesh.edges_unique.tolist()}
        )
        self.assertEqual(set(edges.users.tolist()), {2})
        own = corners
        after = np.roll(corners.reshape(-1, 3), -1, axis=1).reshape(-1)
        np.testing.assert_array_equal(edges.ends[edges.edge_of], np.sort(np.stack([own, after], -1), axis=1))


class Subdivision(unittest.TestCase):
    def test_loop_on_closed_meshes_is_that_of_trimesh(self):
        for mesh in (
            trimesh.creation.icosphere(subdivisions=1),
            trimesh.creation.box(),
            trimesh.creation.torus(1, 0.3),
        ):
            mesh.vertices += [0.3, -2, 1]
            positions, starts, corners = arrays(mesh)
            step = refined(starts, corners, len(positions))
            found = step.smooth.mixed(positions)
            wanted, faces = trimesh.remesh.subdivide_loop(mesh.vertices, mesh.faces, 1)
            self.assertEqual((len(found), len(step.starts) - 1), (len(wanted), len(faces)))
            distance = np.linalg.norm(found[:, None] - wanted[None], axis=2).min(axis=1) if len(found) < 3000 else [0]
            self.assertLess(np.max(distance), 1e-5)

    def test_a_cube_after_catmull_and_clark(self):
        """Worked by hand from the rules of 1978: face middle (0, 0, 1); edge (3/4, 3/4, 0); corner 5/9."""
        cube = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float32)
        faces = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]], np.int32)
        step = refined(np.arange(0, 25, 4), faces.reshape(-1), 8)
        found = np.abs(step.smooth.mixed(cube))
        np.testing.assert_allclose(found[:8], np.full((8, 3), 5 / 9), rtol=1e-6)
        np.testing.assert_allclose(np.sort(found[8:20], axis=1), np.tile([0, 0.75, 0.75], (12, 1)), atol=1e-6)
        np.testing.assert_allclose(np.sort(found[20:], axis=1), np.tile([0, 0, 1], (6, 1)), atol=1e-6)
        np.testing.assert_allclose(np.abs(step.straight.mixed(cube))[:8], np.ones((8, 3)))

    def test_a_border_follows_the_cubic_b_spline(self):
        """On an open square sheet the middle border vertex becomes 1/8, 3/4, 1/8 of the border (both schemes)."""
        place = np.array([[x, y, 0.0] for y in range(3) for x in range(3)], np.float32)
        place[1, 1] = -1
        quads = np.array([[0, 1, 4, 3], [1, 2, 5, 4], [3, 4, 7, 6], [4, 5, 8, 7]], np.int32)
        triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
        for faces in (quads, triangles):
            size = faces.shape[1]
            step = refined(np.arange(0, faces.size + 1, size), faces.reshape(-1), 9)
            found = step.smooth.mixed(place)
            np.testing.assert_allclose(found[1], place[0] / 8 + place[1] * 3 / 4 + place[2] / 8, atol=1e-6)
            self.assertEqual(found[1, 1], -0.75)

    def test_rows_sum_to_one_and_a_plane_stays_a_plane(self):
        rng = np.random.default_rng(3)
        for name in CAGES:
            made = cage(name)
            step = refined(made.starts, made.corners, len(made.positions))
            for rows in (step.smooth, step.straight):
                sums = np.add.reduceat(rows.weights.astype(np.float64), rows.starts[:-1])
                np.testing.assert_allclose(sums, 1, atol=2e-6, err_msg=name)
            slope = rng.normal(size=3).astype(np.float32)
            flat = made.positions @ slope
            np.testing.assert_allclose(
                step.smooth.mixed(flat), step.smooth.mixed(made.positions) @ slope, atol=1e-4, err_msg=name
            )

    def test_uv_and_texts_keep_their_faces(self):
        made = SurfaceMaker(maker="mesh", surface="ring", subdivision=1).make(None)
        form = made.form
        centre = np.add.reduceat(form.of_corners["uv"].values, form.starts[:-1], axis=0) / 4
        self.assertLess(np.abs(centre - form.of_corners["uv"].values[form.starts[:-1]]).max(), 1 / 16)
        self.assertEqual(form.faces, 4 * 640)


class ShippedMeshes(unittest.TestCase):
    def test_they_are_closed_where_they_should_be(self):
        """Euler's formula: faces - edges + vertices is 2 for a ball, 0 for a ring, -2 for a shell with two holes."""
        for name, wanted in (("ball", 2), ("ring", 0), ("mask", -2)):
            made = cage(name)
            edges = polygons.edges_of(made.starts, made.corners, len(made.positions))
            self.assertEqual(set(edges.users.tolist()), {2}, name)
            self.assertEqual(len(made.starts) - 1 - len(edges.ends) + len(made.positions), wanted, name)
            area = polygons.area_vectors(made.positions, made.starts, made.corners)
            middle = np.add.reduceat(made.positions[made.corners], made.starts[:-1], axis=0)
            self.assertGreater((area * middle).sum(), 0, f"{name} is turned outwards")

    def test_the_carp_has_its_tiles(self):
        made = SurfaceMaker(maker="mesh", surface="carp", subdivision=0).make(None)
        parts = made.elements.owners[0]
        self.assertTrue(1850 <= parts.count <= 1950, parts.count)
        names = parts.attributes["part_name"]
        counts = np.bincount(names.values)
        self.assertGreater(counts[names.labels.index("back stripe")], 50)
        self.assertGreater((counts == 1).sum(), 500)  # tiles without a name are each alone
        np.testing.assert_array_equal(made.elements.attribute("island").values, made.elements.attribute("part").values)


class Owned(unittest.TestCase):
    def test_each_way_is_that_of_numpy_and_scipy(self):
        rng = np.random.default_rng(2)
        index = rng.integers(0, 50, 4000).astype(np.int32)
        index[index == 17] = 18  # an owner without elements
        values = rng.normal(size=(4000, 3)).astype(np.float32)
        owning = Owning(index, 50)
        labels = np.delete(np.arange(50), 17)
        for k in range(3):
            column = values[:, k]
            sums = np.bincount(index, column.astype(np.float64), 50)
            np.testing.assert_allclose(owning.of(values, "sum")[:, k], sums, rtol=1e-5, atol=1e-5)
            for way, reference in (
                ("mean", ndimage.mean), ("least", ndimage.minimum), ("greatest", ndimage.maximum),
                ("middle", ndimage.median),
            ):  # fmt: skip
                wanted = reference(column.astype(np.float64), index, labels)
                np.testing.assert_allclose(owning.of(values, way)[labels, k], wanted, rtol=1e-5, atol=1e-6, err_msg=way)
            self.assertEqual(owning.of(values, "middle")[17, k], 0)
        np.testing.assert_array_equal(owning.of(values[:, 0], "count"), np.bincount(index, minlength=50))
        first = [np.flatnonzero(index == k)[0] for k in labels]
        np.testing.assert_array_equal(owning.of(values, "first")[labels], values[first])

    def test_the_step_gives_each_element_that_of_its_owner(self):
        carp = SurfaceMaker(maker="mesh", surface="carp", subdivision=0).make(None)
        heights = carp.elements.attribute("position").readable
        scope = Scope(carp)
        for by in ("mean", "greatest"):
            step = STEPS["unify"](step="unify", per="part", by=by)
            context = Context(scope, "step", UNWATCHED, vector(3))
            found = carried_out(step, context, Value(vector(3), heights)).array
            # Every tile has twelve vertices, one after another.
            tiles = heights.reshape(-1, 12, 3)
            wanted = tiles.mean(axis=1) if by == "mean" else tiles.max(axis=1)
            np.testing.assert_allclose(found, np.repeat(wanted, 12, axis=0), atol=1e-5)


class Scatter(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(4)
        self.place = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [3, 3, 0], [3, 0, 1]], np.float32)
        self.triangles = np.array([[0, 1, 2], [1, 3, 2], [1, 4, 3]], np.int32)
        flat = np.arange(0, 10, 3)
        self.areas = polygons.areas(self.place, flat, self.triangles.reshape(-1))
        self.rng = rng

    def test_uniform_by_area(self):
        """Chi-square over faces, and over four equal quarters of each (Pearson): no more than chance differs."""
        feet = feet_on(self.place, self.triangles, self.areas, 40_000, 3)
        counts = np.bincount(feet.triangles, minlength=3)
        self.assertGreater(stats.chisquare(counts, self.areas / self.areas.sum() * 40_000).pvalue, 0.001)
        quarter = np.where(feet.weights.max(axis=1) >= 0.5, feet.weights.argmax(axis=1), 3)
        self.assertGreater(stats.chisquare(np.bincount(quarter, minlength=4)).pvalue, 0.001)

    def test_density_is_linear_within_a_triangle(self):
        """With 0, 0, 1 at the corners the weight w has the density 6 w (1 - w), worked: P(w < t) = t^2 (3 - 2 t)."""
        density = np.array([0, 0, 1, 0, 0], np.float32)
        feet = feet_on(self.place, self.triangles[:1], self.areas[:1], 20_000, 5, density=density)
        w = feet.weights[:, 2].astype(np.float64)
        found = stats.kstest(w, lambda t: t * t * (3 - 2 * t))
        self.assertGreater(found.pvalue, 0.001)
        whole = np.where(np.arange(5) < 3, 1, 0).astype(np.float32)
        even = feet_on(self.place, self.triangles, self.areas, 5000, 5, density=whole)
        self.assertEqual(np.bincount(even.triangles, minlength=3)[2] > 0, True)

    def test_feet_lie_where_their_weights_say(self):
        """Barycentric arithmetic: the place is the corners weighed; weights are at least 0 and sum to 1."""
        feet = feet_on(self.place, self.triangles, self.areas, 2000, 9, evenness=0.6)
        corners = self.place[self.triangles[feet.triangles]]
        np.testing.assert_allclose((corners * feet.weights[:, :, None]).sum(axis=1), feet.positions, atol=1e-6)
        np.testing.assert_allclose(feet.weights.sum(axis=1), 1, atol=1e-6)
        self.assertGreaterEqual(feet.weights.min(), 0)

    def test_raising_the_count_keeps_what_is_there(self):
        density = np.array([0.2, 1, 0.5, 0.1, 1], np.float32)
        few, many = (
            feet_on(self.place, self.triangles, self.areas, n, 2, evenness=0.7, density=density) for n in (300, 900)
        )
        np.testing.assert_array_equal(few.positions, many.positions[:300])


class Placed(unittest.TestCase):
    def test_roles_go_through_a_placement(self):
        """Normals of a sheared, mirrored mesh are those of the moved faces (worked by moving the faces themselves)."""
        mesh = trimesh.creation.icosphere(subdivisions=2)
        by = matrix((1, -2, 3), (20, 30, 40), 2.5) @ np.diag([1, 0.4, 1.7, 1])
        positions, starts, corners = arrays(mesh)
        normals = polygons.normals_of(positions, starts, corners)
        there = moved(positions, "point", by)
        wanted = polygons.normals_of(there, starts, corners)
        # The ball's own normals are not those of its faces, so a little is left.
        self.assertGreater((moved(normals, "normal", by) * wanted).sum(axis=1).min(), 0.98)
        np.testing.assert_allclose(moved(positions, "direction", by) + by[:3, 3], there, atol=1e-5)
        tangent = np.cross(normals, [0.3, 0.5, 0.8])
        dots = (moved(tangent, "direction", by) * moved(normals, "normal", by)).sum(axis=1)
        self.assertLess(np.abs(dots).max(), 1e-5)

    def test_turns_are_those_of_scipy(self):
        from scipy.spatial.transform import Rotation

        rng = np.random.default_rng(1)
        turns = Rotation.random(200, random_state=1)
        for degrees in rng.uniform(-180, 180, (20, 3)):
            by = matrix((0, 0, 0), tuple(degrees), 3.0)
            wanted = Rotation.from_euler("xyz", degrees, degrees=True)
            np.testing.assert_allclose(by[:3, :3] / 3, wanted.as_matrix(), atol=1e-12)
            np.testing.assert_allclose(np.abs(quaternion(by[:3, :3]) @ wanted.as_quat()), 1, atol=1e-9)
            found = moved(turns.as_quat().astype(np.float32), "turn", by)
            dots = np.abs((found * (wanted * turns).as_quat()).sum(axis=1))
            np.testing.assert_allclose(dots, 1, atol=1e-5)
