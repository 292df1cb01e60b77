"""What a place gives: bad input, advisories and their fixes, time, markers, painting, sequences, pictures."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
import zlib
from pathlib import Path
from typing import Any

import numpy as np
from click.testing import CliRunner
from PIL import Image

from gaudyseed.cli import main
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS
from gaudyseed.core.formats.pictures import read_picture
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.results import Evaluation
from gaudyseed.core.painting.brush import Brush, brushed
from gaudyseed.core.painting.columns import Target, kept_from, onto
from gaudyseed.core.painting.painted import Painted, Values, unpacked
from gaudyseed.core.population.makers.imported import store_columns
from gaudyseed.core.population.makers.sequence import SequenceFrame, sequence_of
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from tests.forking import forked
from tests.support import points, ramp

GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")
BALL = {"maker": "scatter", "surface": "ball", "count": 400}
SHEET = {"maker": "grid", "columns": 20, "rows": 20, "column_spacing": 0.1, "row_spacing": 0.1}


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


def look(*steps: dict[str, Any], signals: list | None = None) -> dict[str, Any]:
    return {"gaudyseed": 3, "signals": signals or [], "lanes": {"base_colour": {"layers": [{"paint": list(steps)}]}}}


def scene(
    *steps: dict[str, Any], maker: dict = BALL, more: dict | None = None, place: dict | None = None, **top: Any
) -> Scene:
    first = {"id": "a", "name": "A", "maker": maker, "look": look(*steps), "place": place or {}, **(more or {})}
    return parse(Scene, {"gaudyseed": 3, "populations": [first], **top})


class Columns:
    """A store in memory."""

    def __init__(self, **held: bytes) -> None:
        self.held = dict(held)

    def column(self, digest: str) -> bytes:
        return self.held[digest]


class AssetSource:
    """Painted columns in memory."""

    def __init__(self, held: dict[str, bytes]) -> None:
        self.held = held

    def column(self, digest: str, place: str) -> bytes:
        return self.held[digest]

    def picture(self, asset: Any, place: str) -> Any:
        raise AssertionError


def ran(document: Scene, frame: float | None = None, evaluator: Evaluator | None = None, **more: Any) -> SceneRun:
    columns = more.pop("columns", Columns())
    moment = None if frame is None else document.timeline.moment(frame)
    made: dict[str, Any] = {}

    def make(order: Any) -> Any:
        if order.key not in made:
            made[order.key] = order.make(columns)
        return made[order.key]

    return SceneRun(document, evaluator or Evaluator(), make, moment=moment, **more)


def result(*steps: dict[str, Any], **more: Any) -> Evaluation:
    return ran(scene(*steps, **more)).evaluation("a")


def codes(document: Scene) -> dict[str, dict]:
    run = ran(document)
    return {a["code"]: a for a in Reporter(Evaluator()).advisories(run.evaluation("a"))}


class Refused(unittest.TestCase):
    def refuses(self, word: str, *steps: dict[str, Any], **more: Any) -> BadInput:
        with self.assertRaises(BadInput) as caught:
            result(*steps, **more)
        self.assertIn(word, caught.exception.sentence, caught.exception.place)
        self.assertTrue(caught.exception.place)
        return caught.exception

    def test_sizes_octaves_lines_boxes_and_edges(self):
        for size in (0, -1, 1e-9, 1e9):
            self.refuses("1", {"step": "noise", "size": size}, GREYS)
            self.refuses("1", {"step": "falloff", "size": [1, size, 1], "shape": "box"}, GREYS)
        for octaves in (0, 64):
            self.refuses("1", {"step": "noise", "octaves": octaves}, GREYS)
        self.refuses("no length", {"step": "falloff", "shape": "line", "centre": [1, 2, 3], "end": [1, 2, 3]}, GREYS)
        self.refuses("beyond the outer", {"step": "falloff", "inner": 0.8, "outer": 0.5}, GREYS)
        self.refuses("leaves nothing", {"step": "noise", "low": 0.6, "high": 0.6}, GREYS)
        # The same where a dial turns it there.
        crossing = {"step": "falloff", "inner": {"dial": "edge"}, "outer": 0.5}
        self.refuses("dial", crossing, GREYS, dials=[{"name": "edge", "value": 0.9}])

    def test_what_is_measured(self):
        self.refuses("uv", {"step": "picture", "on": "uv"}, maker=SHEET)
        self.refuses("no place", {"step": "noise", "by": "size"}, GREYS)
        self.refuses("marker", {"step": "falloff", "marker": "nobody"}, GREYS)
        self.refuses("marker", {"step": "falloff", "centre": [{"marker": "nobody"}, 0, 0]}, GREYS)
        self.refuses("picture", {"step": "picture", "picture": "nothing"})
        self.refuses("Markers carry nothing", {"step": "nearness", "result": "value"}, GREYS)

    def test_circles_of_nearness(self):
        near = {"step": "nearness", "population": "b"}
        back = {"step": "nearness", "population": "a"}
        both = {"gaudyseed": 3, "populations": [
            {"id": "a", "name": "A", "maker": BALL, "look": look(near, GREYS)},
            {"id": "b", "name": "B", "maker": BALL, "look": look(back, GREYS)},
        ]}  # fmt: skip
        with self.assertRaises(BadInput) as caught:
            ran(parse(Scene, both)).evaluation("a")
        self.assertIn("'A' reads 'B' reads 'A'", caught.exception.sentence)
        self.refuses("round in a circle", {"step": "nearness", "population": "a"}, GREYS)

    def test_documents_of_time(self):
        for wrong, word in (
            ({"timeline": {"rate": 0}}, "greater"), ({"timeline": {"first": 9, "last": 3}}, "before the first"),
            ({"timeline": {"first": -1}}, "greater"), ({"timeline": {"last": 10**9}}, "less"),
            ({"timeline": {"first": 0.5}}, "fraction"),
            ({"markers": [{"name": f"m{k}"} for k in range(1000)]}, "256"),
            ({"markers": [{"name": "m"}, {"name": "m"}]}, "two markers"),
            ({"markers": [{"name": "m", "keys": [{"frame": k, "value": [0, 0, 0]} for k in (9, 3)]}]}, "in order"),
            ({"markers": [{"name": "m", "keys": [{"frame": 3, "value": [0, 0, 0]}] * 2}]}, "two keys"),
            ({"dials": [{"name": "d", "value": 1, "keys": [{"frame": 3, "value": "#ff0000"}]}]}, "not a number"),
            ({"dials": [{"name": "d", "value": True, "keys": [{"frame": 3, "value": 1}]}]}, "Remove the keys"),
        ):  # fmt: skip
            with self.subTest(wrong=str(wrong)[:60]), self.assertRaises(BadInput) as caught:
                parse(Scene, {"gaudyseed": 3, **wrong})
            self.assertIn(word, caught.exception.sentence)


class Told(unittest.TestCase):
    def fixed(self, *steps: dict[str, Any], code: str, fix: int = 0, **more: Any) -> Evaluation:
        """The advisory is there, and its fix takes it away."""
        document = scene(*steps, **more)
        found = codes(document)
        self.assertIn(code, found)
        look_ = json.loads(document.populations[0].look.model_dump_json())
        for operation in found[code]["fixes"][fix]["operations"]:
            keys = operation["path"].split("/")[1:]
            holder = look_
            for key in keys[:-1]:
                holder = holder[int(key) if isinstance(holder, list) else key]
            if isinstance(holder, list):
                holder.insert(int(keys[-1]), operation["value"])
            else:
                holder[keys[-1]] = operation["value"]
        mended = document.model_copy(
            update={
                "populations": (
                    document.populations[0].model_copy(
                        update={"look": parse(type(document.populations[0].look), look_)}
                    ),
                )
            }
        )
        after = ran(mended).evaluation("a")
        self.assertNotIn(code, codes(mended))
        return after

    def test_falloffs_that_miss(self):
        self.fixed({"step": "falloff", "centre": [90, 0, 0], "size": [1, 1, 1]}, GREYS, code="falloff_misses")
        self.fixed(
            {"step": "falloff", "centre": [0, 0, 0], "size": [90, 90, 90], "inner": 1, "outer": 2},
            GREYS,
            code="falloff_misses",
        )

    def test_noises_too_fine_too_large_and_bunched(self):
        self.fixed({"step": "noise", "size": 1e-4}, GREYS, code="noise_too_fine")
        self.fixed({"step": "noise", "size": 500}, GREYS, code="noise_too_large")
        after = self.fixed({"step": "noise", "seed": 3, "size": 0.3, "octaves": 8}, GREYS, code="noise_bunched")
        low, high = np.percentile(after.steps[0].value.array, [3, 97])
        self.assertLess(low, 0.1)
        self.assertGreater(high, 0.9)
        self.fixed({"step": "noise", "seed": 3, "size": 0.3, "octaves": 8}, GREYS, code="noise_bunched", fix=1)

    def test_pictures_that_are_too_fine_or_miss(self):
        coarse = {"maker": "mesh", "surface": "ball", "subdivision": 0}
        found = codes(scene({"step": "picture"}, maker=coarse))["picture_too_fine"]
        self.assertEqual(found["fixes"][0]["action"], "subdivide")
        self.fixed({"step": "picture", "centre": [99, 0, 0], "size": [1, 1]}, code="picture_misses")

    def test_nearness_out_of_reach(self):
        near = {"step": "nearness", "markers": ["m"], "within": 0.1}
        self.assertIn("nearness_misses", codes(scene(near, GREYS, markers=[{"name": "m", "position": [9, 0, 0]}])))

    def test_painted_columns_that_are_all_alike(self):
        painted = [{"name": "weight", "kind": "number"}]
        found = codes(scene({"step": "attribute", "name": "weight"}, GREYS, more={"painted": painted}))
        self.assertIn("painted_alike", found)

    def test_keys_beside_the_timeline(self):
        keyed = {"name": "m", "keys": [{"frame": 500, "value": [0, 0, 0]}, {"frame": 600, "value": [1, 0, 0]}]}
        near = ({"step": "nearness", "markers": ["m"]}, GREYS)
        self.assertIn("keys_outside", codes(scene(*near, markers=[keyed])))
        self.assertNotIn("keys_outside", codes(scene(*near, markers=[keyed], timeline={"last": 700})))

    def test_a_moved_population_does_not_miss_its_falloff(self):
        moved = {"position": [50, 0, 0], "turn": [0, 0, 40], "size": 2}
        here, there = (result({"step": "falloff"}, GREYS, place=place) for place in ({}, moved))
        np.testing.assert_array_equal(here.steps[0].value.array, there.steps[0].value.array)
        scenes = {"step": "falloff", "centre": [50, 0, 0], "size": [2, 2, 2]}
        self.assertNotIn("falloff_misses", codes(scene(scenes, GREYS, place=moved)))
        self.assertIn("falloff_misses", codes(scene({**scenes, "space": "own"}, GREYS, place=moved)))


class Time(unittest.TestCase):
    KEYED = {
        "name": "baton",
        "keys": [{"frame": 0, "value": [-1, 0, 0], "to_next": "straight"}, {"frame": 10, "value": [1, 0, 0]}],
    }

    def test_markers_and_dials_move_what_follows_them(self):
        near = {"step": "nearness", "markers": ["baton"], "result": "distance"}
        document = scene(near, GREYS, markers=[self.KEYED])
        evaluator, found = Evaluator(), []
        for frame in (0, 5, 10):
            run = ran(document, frame, evaluator)
            found.append(run.evaluation("a").steps[0].value.array)
            self.assertTrue(run.timed("a"))
            places = run.population("a").elements.attribute("position").readable
            at = np.array([-1 + frame / 5, 0, 0])
            np.testing.assert_allclose(found[-1], np.linalg.norm(places - at, axis=1), atol=1e-5)
        rising = {"name": "d", "value": 0, "keys": [{"frame": 0, "value": 0}, {"frame": 10, "value": 1}]}
        dialled = scene({"step": "constant", "value": {"dial": "d"}}, GREYS, dials=[rising])
        levels = [float(ran(dialled, f).evaluation("a").steps[0].value.array[0]) for f in (0, 5, 10, 99)]
        self.assertEqual(levels, [0, 0.5, 1, 1])

    def test_what_does_not_depend_on_time_is_not_worked_out_again(self):
        document = scene(
            {"step": "noise", "seed": 1},
            {"step": "mix", "chain": [{"step": "noise", "seed": 2, "motion": "speed"}]},
            GREYS,
        )
        evaluator = Evaluator()
        ran(document, 0, evaluator).evaluation("a")
        again = ran(document, 1, evaluator).evaluation("a")
        paint = "lanes.base_colour.layers[0].paint"
        self.assertEqual(again.computed, [f"{paint}[1].chain[0]", f"{paint}[1]", f"{paint}[2]"])
        still = scene({"step": "noise", "seed": 1}, GREYS)
        self.assertFalse(ran(still, 3).timed("a"))
        self.assertTrue(ran(scene({"step": "formula", "text": "frame / 10"}, GREYS), 3).timed("a"))

    def test_frames_and_seconds_in_formulas(self):
        document = scene(
            {"step": "formula", "text": "frame * 1000 + seconds"}, GREYS, timeline={"rate": 50, "last": 500}
        )
        self.assertEqual(float(ran(document, 100).evaluation("a").steps[0].value.array[0]), 100002.0)

    def test_a_placement_follows_a_marker_wherever_it_is_measured(self):
        moved = {"position": [4, 1, 0], "turn": [0, 0, 30], "size": 1}
        marker = [{"name": "m", "position": [4.2, 1, 0.5]}]
        found = [
            result(
                {"step": "falloff", "marker": "m", "size": [1, 1, 1], "space": space},
                GREYS,
                place=moved,
                markers=marker,
            )
            .steps[0]
            .value.array
            for space in ("scene", "own")
        ]
        np.testing.assert_allclose(found[0], found[1], atol=2e-6)
        by_number = {"step": "falloff", "centre": [{"marker": "m", "axis": a} for a in "xyz"], "size": [1, 1, 1]}
        np.testing.assert_array_equal(
            result(by_number, GREYS, place=moved, markers=marker).steps[0].value.array, found[0]
        )


class Others(unittest.TestCase):
    def test_colours_of_the_nearest_element_and_surface(self):
        other = look({"step": "attribute", "name": "position", "component": "x"}, {"step": "range", "own": True}, GREYS)
        both = {"gaudyseed": 3, "populations": [
            {"id": "a", "name": "A", "maker": SHEET, "place": {"position": [0.03, 0.01, 0.2]},
             "look": look({"step": "nearness", "population": "b", "result": "value"})},
            {"id": "b", "name": "B", "maker": SHEET, "look": other},
            {"id": "c", "name": "C", "maker": SHEET, "place": {"position": [0, 0, 1]},
             "look": look({"step": "nearness", "population": "d", "nearest": "surface", "result": "value",
                           "read": {"of": "attribute", "name": "position"}}, {"step": "as_colour"})},
            {"id": "d", "name": "D", "maker": {"maker": "mesh", "surface": "ball", "subdivision": 1}, "look": other},
        ]}  # fmt: skip
        run = ran(parse(Scene, both))
        np.testing.assert_array_equal(run.evaluation("a").colours, run.evaluation("b").colours)
        on = run.evaluation("c").steps[0].value.array
        mesh = run.population("d").elements.attribute("position").readable
        low, high = mesh.min(0) - 1e-5, mesh.max(0) + 1e-5
        self.assertTrue(((on >= low) & (on <= high)).all())
        self.assertGreater(len(np.unique(on, axis=0)), 300)


class Painting(unittest.TestCase):
    WEIGHT = Painted(name="weight")

    def target(self, count: int = 300, maker: dict | None = None) -> Target:
        document = scene(GREYS, maker=maker or {**BALL, "count": count})
        return ran(document).target("a")

    def test_dabs_add_remove_soften_and_mirror(self):
        target = self.target()
        places = target.population.elements.attribute("position").readable
        middle = places[7:8]
        brush = Brush(radius=0.6, hardness=0.25, strength=0.5)
        once = brushed(target, self.WEIGHT, None, brush, middle)
        t = np.clip((1 - np.linalg.norm(places - middle[0], axis=1) / 0.6) / 0.75, 0, 1)
        np.testing.assert_allclose(once.values[:, 0], 0.5 * t * t * (3 - 2 * t), atol=1e-6)
        twice = brushed(target, self.WEIGHT, once, brush, middle)
        np.testing.assert_allclose(1 - twice.values, (1 - once.values) ** 2, atol=1e-6)
        less = brushed(target, self.WEIGHT, twice, brush.model_copy(update={"way": "remove"}), middle)
        self.assertLess(less.values.max(), twice.values.max())
        softer = brushed(target, self.WEIGHT, twice, brush.model_copy(update={"way": "soften"}), middle)
        near = t > 0.2
        self.assertLess(softer.values[near].std(), twice.values[near].std())
        both = brushed(target, self.WEIGHT, None, brush.model_copy(update={"mirror": "x"}), middle)
        self.assertGreater((both.values > 0.1).sum(), 1.5 * (once.values > 0.1).sum())
        every = brushed(
            target, self.WEIGHT, None, brush.model_copy(update={"way": "set_all", "value": 0.25}), middle[:0]
        )
        self.assertEqual(np.unique(every.values).tolist(), [0.25])

    def test_a_stroke_outside_changes_nothing_and_wrong_ones_are_refused(self):
        target = self.target()
        far = brushed(target, self.WEIGHT, None, Brush(), np.full((3, 3), 900, np.float32))
        self.assertEqual(float(np.abs(far.values).max()), 0)
        with self.assertRaises(BadInput):
            parse(Brush, {"radius": 0})
        with self.assertRaises(BadInput):
            brushed(target, self.WEIGHT, None, Brush(value="#ff0000"), np.zeros((1, 3), np.float32))

    def test_parts_of_a_stroke_come_to_the_whole(self):
        target = self.target()
        dabs = target.population.elements.attribute("position").readable[:40]
        whole = brushed(target, self.WEIGHT, None, Brush(strength=0.3), dabs)
        part = brushed(target, self.WEIGHT, None, Brush(strength=0.3), dabs[:13])
        part = brushed(target, self.WEIGHT, part, Brush(strength=0.3), dabs[13:])
        np.testing.assert_array_equal(whole.values, part.values)

    def test_values_stay_with_their_elements_when_the_count_changes(self):
        few, many = self.target(200), self.target(700)
        values = Values(np.random.default_rng(1).random((200, 1)).astype(np.float32))
        ids = many.population.elements.attribute("id").values
        found = onto(many, self.WEIGHT, values)[:, 0]
        np.testing.assert_array_equal(found, np.where(ids < 200, values.values[np.minimum(ids, 199), 0], 0))
        painted = brushed(many, self.WEIGHT, values, Brush(way="set_all"), np.empty((0, 3), np.float32))
        np.testing.assert_array_equal(onto(few, self.WEIGHT, painted), np.ones((200, 1)))
        # Those that are not there now are kept.
        fewer = brushed(few, self.WEIGHT, painted, Brush(way="set_all", value=0.0), np.empty((0, 3), np.float32))
        self.assertAlmostEqual(float(fewer.values.sum()), float(painted.values.sum()) - 200, places=2)

    def test_values_by_ids(self):
        ids = np.array([40, 7, 99, 3])
        target = Target(points(4, id=ids), "key")
        kept = kept_from(target, np.array([4, 1, 9, 0], np.float32))
        self.assertEqual(kept.ids.tolist(), [3, 7, 40, 99])
        again = unpacked(kept.packed(), "here")
        np.testing.assert_array_equal(onto(target, self.WEIGHT, again)[:, 0], [4, 1, 9, 0])
        other = Target(points(3, id=np.array([99, 5, 40])), "other")
        np.testing.assert_array_equal(onto(other, self.WEIGHT, again)[:, 0], [9, 0, 4])

    def test_values_of_a_mesh_that_is_subdivided(self):
        """Old vertices keep theirs, new ones have the mix of those beside; coarser again gives the old ones back."""
        mesh = {"maker": "mesh", "surface": "ball", "subdivision": 1, "smooth": False}
        coarse, fine = self.target(maker=mesh), self.target(maker={**mesh, "subdivision": 3})
        height = coarse.population.elements.attribute("position").readable[:, 2:]
        painted = Painted(name="weight", subdivision=1)
        found = onto(fine, painted, Values(np.ascontiguousarray(height)))
        wanted = fine.population.elements.attribute("position").readable[:, 2:]
        np.testing.assert_allclose(found, wanted, atol=1e-5)
        back = onto(coarse, Painted(name="weight", subdivision=3), Values(found))
        np.testing.assert_array_equal(back, height)

    def test_damaged_columns(self):
        good = Values(np.zeros((5, 1), np.float32)).packed()
        for wrong in (
            b"",
            good[:-3],
            b"{}\n",
            b'{"rows": 1e99, "width": 1, "ids": false}\n',
            good.replace(b"5", b"6", 1),
        ):
            with self.assertRaises(BadInput) as caught:
                unpacked(wrong, "painted[0]")
            self.assertEqual(caught.exception.place, "painted[0]")

    def test_they_are_read_and_go_out(self):
        values = np.linspace(0, 1, 400, dtype=np.float32)
        painted = [{"name": "weight", "digest": "0" * 32}]
        document = scene({"step": "attribute", "name": "weight"}, GREYS, more={"painted": painted})
        run = ran(document, kept=AssetSource({"0" * 32: Values(values[:, None]).packed()}))
        found = run.evaluation("a")
        ids = found.population.elements.attribute("id").values
        np.testing.assert_array_equal(found.steps[0].value.array, np.where(ids < 400, values[np.minimum(ids, 399)], 0))
        text = FORMATS["csv"].write(found.population, found.results).decode()
        self.assertIn("weight", text.split("\n")[0])


class Sequences(unittest.TestCase):
    def test_frames_hold_and_ids_keep_their_colours(self):
        frames, columns = [], {}
        for frame, ids in ((1, [1, 2, 3]), (4, [3, 2]), (9, [5, 3])):
            maker, more = store_columns(points(len(ids), id=np.array(ids)), "smoke.ply")
            columns.update(more)
            frames.append(SequenceFrame(frame=frame, maker=maker))
        maker, more = sequence_of(frames, "smoke.0001.ply")
        held = Columns(**columns, **more)
        document = scene({"step": "random", "seed": 1}, GREYS, maker=maker.model_dump(mode="json"))
        found = {}
        for frame in (0, 1, 3, 4, 8, 9, 50):
            run = ran(document, frame, columns=held)
            values, ids = run.evaluation("a").steps[0].value.array, run.population("a").elements.attribute("id").values
            for number, value in zip(ids.tolist(), values.tolist(), strict=True):
                self.assertEqual(found.setdefault(number, value), value)
            self.assertEqual(ids.tolist(), [1, 2, 3] if frame < 4 else [3, 2] if frame < 9 else [5, 3])
            self.assertTrue(run.timed("a"))
        with self.assertRaises(BadInput):
            sequence_of(frames[::-1], "smoke")


class Files(unittest.TestCase):
    def picture(self, form: str = "PNG", **more: Any) -> bytes:
        file = io.BytesIO()
        Image.fromarray(np.arange(48, dtype=np.uint8).reshape(4, 4, 3) * 5).save(file, form, **more)
        return file.getvalue()

    def test_formats(self):
        """8 bits as Pillow writes them; 16 bits and floats as OpenImageIO does."""
        import OpenImageIO as oiio  # noqa: N813

        for form in ("PNG", "TIFF"):
            found = read_picture(self.picture(form), f"p.{form}")
            self.assertEqual(found.texels.shape, (4, 4, 4))
            level = 5 * 5 / 255
            self.assertAlmostEqual(float(found.texels[0, 1, 2]), ((level + 0.055) / 1.055) ** 2.4, places=5)
            self.assertEqual(float(found.texels[..., 3].min()), 1)
        for form in ("JPEG", "WEBP"):
            self.assertEqual(read_picture(self.picture(form), "p").texels.shape, (4, 4, 4))
        palette = io.BytesIO()
        Image.fromarray(np.arange(48, dtype=np.uint8).reshape(4, 4, 3) * 5).quantize(8).save(palette, "PNG")
        self.assertGreater(len(np.unique(read_picture(palette.getvalue(), "p").texels)), 3)
        floats = np.random.default_rng(1).uniform(0.1, 1, (5, 7, 4)).astype(np.float32)
        floats[0, 0, :3] = [np.nan, np.inf, -2]
        with tempfile.TemporaryDirectory() as folder:
            for ending, kind in ((".exr", "float"), (".tif", "float"), (".png", "uint16"), (".tif", "uint16")):
                path = f"{folder}/p{ending}"
                out = oiio.ImageOutput.create(path)
                spec = oiio.ImageSpec(7, 5, 4, kind)
                spec.attribute("oiio:UnassociatedAlpha", 1)
                out.open(path, spec)
                given = np.nan_to_num(floats, nan=0, posinf=1) if kind == "uint16" else floats.copy()
                if ending == ".exr":  # there alpha is multiplied into the colours (OpenEXR's own documentation)
                    given[..., :3] *= given[..., 3:]
                out.write_image(given)
                out.close()
                found = read_picture(Path(path).read_bytes(), f"p{ending}")
                self.assertTrue(np.isfinite(found.texels).all())
                if kind == "float":
                    self.assertIn("1 pixels", found.notes[0])
                    np.testing.assert_allclose(found.texels[1:], floats[1:], atol=2e-3)
                else:
                    level = np.round(floats[3, 2, 0] * 65535) / 65535
                    self.assertAlmostEqual(float(found.texels[3, 2, 0]), ((level + 0.055) / 1.055) ** 2.4, places=4)

    def test_what_is_no_picture(self):
        animated = io.BytesIO()
        frames = [Image.fromarray(np.full((8, 8, 3), k * 90, np.uint8)) for k in range(3)]
        frames[0].save(animated, "WEBP", save_all=True, append_images=frames[1:], duration=50)
        huge = bytearray(self.picture())
        huge[16:24] = (30000).to_bytes(4, "big") * 2
        huge[29:33] = zlib.crc32(huge[12:29]).to_bytes(4, "big")
        for data, word in (
            (b"hello, this is text", "no picture"), (b"", "no picture"), (bytes(huge), "30000 x 30000"),
            (self.picture()[:60], "broken"), (animated.getvalue(), "animated"),
            (b"\x89PNG\r\n\x1a\n" + b"x" * 99, "broken"),
        ):  # fmt: skip
            with self.assertRaises(BadInput) as caught:
                read_picture(data, "p.png")
            self.assertIn(word, caught.exception.sentence)
        one = io.BytesIO()
        Image.new("RGB", (1, 1), (255, 0, 0)).save(one, "PNG")
        np.testing.assert_allclose(read_picture(one.getvalue(), "p").texels[0, 0], [1, 0, 0, 1])


class CommandLine(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        (self.folder / "a.csv").write_text("x,y,z,id\n" + "".join(f"{k * 0.1},0,0,{k}\n" for k in range(30)))

    def colour(
        self, *steps: dict[str, Any], file: str = "a.csv", arguments: tuple[str, ...] = (), code: int = 0
    ) -> str:
        (self.folder / "look.json").write_text(json.dumps(look(*steps)))
        base = ["colour", str(self.folder / file), "--look", str(self.folder / "look.json")]
        found = CliRunner().invoke(main, [*base, "--out", str(self.folder / "out.csv"), *arguments])
        self.assertEqual(found.exit_code, code, found.output)
        return found.output

    def test_every_new_step_works_by_its_word_alone(self):
        for word in ("noise", "falloff", "extent", "nearness"):
            self.colour({"step": word}, GREYS)
        self.colour({"step": "picture"})
        self.colour({"step": "noise", "seed": 2}, GREYS)
        self.assertEqual(len((self.folder / "out.csv").read_text().split()), 31)

    def test_frames_markers_and_pictures(self):
        moving = {"step": "noise", "motion": "speed", "speed": 3}
        self.colour(moving, GREYS, arguments=("--frames", "3-5"))
        texts = [(self.folder / f"out.{k:04d}.csv").read_text() for k in (3, 4, 5)]
        self.assertEqual(len(set(texts)), 3)
        self.colour(moving, GREYS, arguments=("--frame", "4"))
        self.assertEqual((self.folder / "out.csv").read_text(), texts[1])
        self.colour({"step": "nearness", "markers": ["m"]}, GREYS, arguments=("--marker", "m=0,1,2"))
        Image.fromarray(np.full((2, 2, 3), 128, np.uint8)).save(self.folder / "p.png")
        self.colour({"step": "picture", "picture": "p"}, arguments=("--picture", f"p={self.folder / 'p.png'}"))

    def test_a_file_for_each_frame(self):
        for k in (1, 2):
            (self.folder / f"b.{k:03d}.csv").write_text(f"x,y,z\n{k},0,0\n{k},1,0\n")
        self.colour({"step": "constant", "value": "#ff0000"}, file="b.001.csv", arguments=("--frames", "1-2"))
        self.assertIn("\n2,", (self.folder / "out.0002.csv").read_text())

    def test_refusals(self):
        still = ({"step": "noise"}, GREYS)
        for arguments, word in (
            (("--frames", "5-3"), "no range"), (("--frames", "x"), "no range"), (("--marker", "m"), "--marker"),
            (("--marker", "m=1,2"), "three numbers"), (("--frames", "0-99999"), "at most"),
            (("--picture", f"p={self.folder / 'a.csv'}"), "no picture"),
            (("--frame", "1", "--frames", "1-2"), "not both"),
        ):  # fmt: skip
            self.assertIn(word, self.colour(*still, arguments=arguments, code=2))
        scene_ = {"gaudyseed": 3, "markers": [Time.KEYED]}
        (self.folder / "scene.json").write_text(json.dumps(scene_))
        for frame in ("-1", "1000000000", "0.5"):
            said = self.colour(*still, arguments=("--scene", str(self.folder / "scene.json"), "--frame", frame), code=2)
            self.assertIn("is no frame", said)
