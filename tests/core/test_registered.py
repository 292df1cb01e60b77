"""Steps, channels, kinds, makers and formats stand alone: what is registered on the spot takes part in everything."""

from __future__ import annotations

import ast
import json
import tempfile
import unittest
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal
from unittest import mock

import numpy as np
from pydantic import Field

from gaudyseed.core import channels as channel_table
from gaudyseed.core.advisories import ADVISERS, Adviser, Evidence
from gaudyseed.core.channels import CHANNELS, Channel, FinishField, MaterialInputs, Slot
from gaudyseed.core.documents.document import parse, rebuild
from gaudyseed.core.errors import BadInput, Fix
from gaudyseed.core.formats import FORMATS, Format, ImportedItem, WriterContext, read_points
from gaudyseed.core.kernels import parallel
from gaudyseed.core.kinds import NUMBER, Kind, Word
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.material import Finish
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.scope import Scope
from gaudyseed.core.look.step.reported import Advisory, Outcome, put
from gaudyseed.core.look.step.values import Plan
from gaudyseed.core.look.steps import STEPS, Context, Step, Value
from gaudyseed.core.pictures.thumbnail import picture_of
from gaudyseed.core.population import Attribute, Elements, Population
from gaudyseed.core.population import Field as Column
from gaudyseed.core.population.forms import Form
from gaudyseed.core.population.kinds import KINDS, PopulationKind
from gaudyseed.core.population.kinds.clones import instance_arrays
from gaudyseed.core.population.makers import MAKERS, ColumnSource, MakerContext, MakerModel
from gaudyseed.core.population.makers.base import ALONE
from gaudyseed.core.registry import Registry
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.follow import Dialled, Follow
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.core.sending import sent
from gaudyseed.core.shown.population import finish_numbers
from gaudyseed.store import Store
from gaudyseed.web import create_app
from tests.support import FIVE, ROOT, look, look_document, points, ramp, unpack

PACKAGE = ROOT / "src/gaudyseed"
DUSK = ramp([0, 1], FIVE[:2], interpolation="straight")


def _first_chunk(glb: bytes) -> bytes:
    """The JSON of a GLB: after 20 bytes, its length in those from 12 on (glTF 2.0, 4.4)."""
    return glb[20 : 20 + int.from_bytes(glb[12:16], "little")]


def grain() -> type[Step]:
    """A step that nobody has: numbers in coarse parts, an element at a time."""

    class Grain(Step):
        """Numbers cut down to whole parts."""

        title: ClassVar[str] = "Grain"
        noun: ClassVar[str] = "grain"
        group: ClassVar = "shape"
        summary: ClassVar[str] = "numbers in coarse parts"
        takes: ClassVar[tuple[Word, ...]] = ("number",)
        filled: ClassVar[list[tuple[int, int]]] = []

        step: Literal["grain"]
        parts: Annotated[float, Field(ge=1, le=64)] | Follow = Field(4.0, title="Parts")

        def plan(self, context: Context, incoming: Value | None) -> Plan:
            """(n,) float32."""
            assert incoming is not None
            values, parts = incoming.array, context.numbers(self, "parts")

            def fill(a: int, b: int, out: np.ndarray) -> None:
                self.filled.append((a, b))
                out[:] = np.floor(values[a:b] * parts(a, b)) / parts(a, b)

            return Plan(fill)

        def census(self, outcome: Outcome) -> dict[str, Any]:
            """How many parts there are."""
            return {"grains": len(np.unique(outcome.value.array))}

        def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
            """Few parts."""
            if census["grains"] < 3:
                fix = Fix("Eight parts", [put("/parts", 8.0)])
                yield Advisory("few_grains", outcome.place, f"There are {census['grains']} parts.", (fix,))

    return Grain


class MadeUpStep(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.step = grain()
        cls.addClassCleanup(rebuild)
        cls.addClassCleanup(STEPS.remove, "grain")
        rebuild()
        cls.look = parse(Look, look_document({"step": "random", "seed": 1}, {"step": "grain", "parts": 2}, DUSK))
        cls.population = points(5_000)

    def test_it_is_parsed_and_wrong_parameters_have_a_place(self):
        self.assertEqual(parse(Look, json.loads(self.look.model_dump_json())), self.look)
        wrong = look_document({"step": "random", "seed": 1}, {"step": "grain", "parts": 0}, DUSK)
        with self.assertRaises(BadInput) as caught:
            parse(Look, wrong)
        self.assertEqual(caught.exception.place, "lanes.base_colour.layers[0].paint[1].parts")
        inside = look_document(
            {"step": "random", "seed": 1},
            {"step": "mix", "chain": [{"step": "random", "seed": 2}, {"step": "grain"}]},
            DUSK,
        )
        parse(Look, inside)

    def test_it_is_compiled_evaluated_in_chunks_and_cached(self):
        with self.assertRaises(BadInput) as caught:
            Evaluator().evaluate(self.population, parse(Look, look_document({"step": "grain"}, DUSK)))
        self.assertIn("'grain' wants a number", caught.exception.sentence)
        results = []
        for chunk, chunks in ((32_768, 1), (700, 8)):
            with mock.patch.object(parallel, "CHUNK", chunk), mock.patch.object(parallel, "_WORKERS", 2):
                self.step.filled.clear()
                evaluator = Evaluator()
                results.append(evaluator.evaluate(self.population, self.look).colours.tobytes())
                self.assertEqual(sorted(self.step.filled)[-1][1], 5_000)
                self.assertEqual(len(self.step.filled), chunks)
        self.assertEqual(*results)
        again = evaluator.evaluate(self.population, self.look)
        self.assertEqual((again.reused, again.computed), (3, []))

    def test_it_is_counted_and_advised(self):
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(self.population, self.look)
        reporter = Reporter(evaluator)
        place = "lanes.base_colour.layers[0].paint[1]"
        self.assertEqual(reporter.steps(evaluation)[place]["grains"], 2)
        found = {a["code"]: a for a in reporter.advisories(evaluation)}
        self.assertEqual(found["few_grains"]["place"], place)
        self.assertEqual(found["few_grains"]["fixes"][0]["label"], "Eight parts")

    def test_its_parameter_follows_a_signal(self):
        look = look_document(
            {"step": "random", "seed": 1}, {"step": "grain", "parts": {"signal": "s", "low": 1, "high": 9}}, DUSK
        )
        whole = parse(Look, {**look, "signals": [{"name": "s", "chain": [{"step": "random", "seed": 4}]}]})
        self.assertEqual(
            Evaluator().evaluate(self.population, whole).look.lanes["base_colour"].layers[0].paint[1].signals, ("s",)
        )

    def test_the_server_offers_and_runs_it(self):
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder) / "data.sqlite")
            store.migrate()
            client = create_app(store).test_client()
            described = {s["name"]: s for s in client.get("/api/steps").json["steps"]}["grain"]
            self.assertEqual((described["title"], described["group"]), ("Grain", "shape"))
            self.assertEqual(described["parameters"]["properties"]["parts"]["follow"], "signal")
            maker = {"maker": "scatter", "surface": "ball", "count": 50}
            scene = {
                "populations": [{"id": "p", "name": "P", "maker": maker, "look": self.look.model_dump(mode="json")}]
            }
            answer = client.post("/api/evaluations", json={"scene": scene, "wanted": [{"population": "p"}]})
            self.assertEqual(answer.status_code, 200, answer.data[:300])
            store.close()

    def test_two_cannot_claim_one_word(self):
        with self.assertRaisesRegex(ValueError, "Two steps claim the word 'grain'"):
            grain()
        self.assertIs(STEPS["grain"], self.step)
        with self.assertRaisesRegex(ValueError, "claim the word 'csv'"):
            FORMATS.add("csv", FORMATS["csv"])
        with self.assertRaisesRegex(ValueError, "column 'roughness'"):
            channel_table.register(Channel("other", "Other", NUMBER, (0.0,), columns=("roughness",)))
        registry: Registry[int] = Registry("thing")
        registry.add("one", 1)
        with self.assertRaises(ValueError):
            registry.add("one", 1)


class MadeUpChannel(unittest.TestCase):
    """A row more in the table of channels, and nothing else."""

    @classmethod
    def setUpClass(cls):
        # The names are those of KHR_materials_sheen (Khronos, ratified) and of OpenPBR Surface 1.1.
        inputs = MaterialInputs("extensions.KHR_materials_sheen.sheenRoughnessFactor", "sheen", "fuzz_roughness")
        channel_table.register(
            Channel(
                "sheen", "Sheen", NUMBER, (0.25,), 0.0, 1.0, sent="unit", columns=("sheen",), finish=FinishField(),
                slot=Slot("unitsB", 2), inputs=inputs,
            )
        )  # fmt: skip
        cls.addClassCleanup(rebuild)
        cls.addClassCleanup(CHANNELS.remove, "sheen")
        rebuild()
        paint = [{"step": "random", "seed": 3}, {"step": "range", "to_low": -1, "to_high": 2, "clamp": False}]
        lanes = {"sheen": {"layers": [{"paint": paint}]}}
        cls.look = parse(Look, {"lanes": lanes})
        cls.population = points(400)

    def test_a_finish_has_it(self):
        self.assertEqual(parse(Finish, {}).model_dump()["sheen"], 0.25)
        with self.assertRaises(BadInput) as caught:
            parse(Look, {"finishes": [{"sheen": 2}]})
        self.assertEqual(caught.exception.place, "finishes[0].sheen")
        of_finish = parse(Look, {"finishes": [{"sheen": 0.75}]})
        channel = Evaluator().evaluate(self.population, of_finish).channel("sheen")
        np.testing.assert_array_equal(channel, np.float32(0.75))
        self.assertEqual(finish_numbers(of_finish.finishes[0])["sheen"], [0.75])

    def test_the_page_gets_its_row(self):
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder) / "data.sqlite")
            store.migrate()
            listed = create_app(store).test_client().get("/api/steps").json
            store.close()
        row = next(c for c in listed["channels"] if c["name"] == "sheen")
        self.assertEqual((row["slot"]["texture"], row["slot"]["part"]), ("unitsB", 2))
        self.assertIn("sheen", listed["material"]["finish"]["properties"])

    def test_materials_of_files_have_it(self):
        given = parse(Look, {"finishes": [{"sheen": 0.75}]})
        population, results, context = sent(Evaluator().evaluate(self.population, given), "P", "ball")
        glb = json.loads(_first_chunk(FORMATS["glb"].write(population, results, context)))
        self.assertEqual(glb["materials"][0]["extensions"]["KHR_materials_sheen"], {"sheenRoughnessFactor": 0.75})
        self.assertIn("KHR_materials_sheen", glb["extensionsUsed"])
        self.assertIn(b"float inputs:sheen = 0.75", FORMATS["usd"].write(population, results, context))
        self.assertIn(
            b'name="fuzz_roughness" type="float" value="0.75"', FORMATS["materialx"].write(population, results, context)
        )

    def test_it_is_evaluated_counted_and_advised(self):
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(self.population, self.look)
        self.assertEqual(list(evaluation.lanes), ["base_colour", "sheen"])
        values = evaluation.lanes["sheen"].values
        self.assertLess(values.min(), 0)
        self.assertIn("lanes.sheen.layers[0].paint[1]", Reporter(evaluator).steps(evaluation))
        found = [a for a in Reporter(evaluator).advisories(evaluation) if a["code"] == "channel_outside"]
        self.assertIn("sheen outside 0 to 1", found[0]["sentence"])
        _, sent = evaluator.sent(evaluation.lanes["sheen"])
        np.testing.assert_array_equal(sent, np.rint(np.clip(values, 0, 1) * np.float32(255)).astype(np.uint8))

    def test_it_wants_its_kind(self):
        lanes = {"sheen": {"layers": [{"paint": [{"step": "constant", "value": "#ff0000"}]}]}}
        with self.assertRaises(BadInput) as caught:
            Evaluator().evaluate(self.population, parse(Look, {"lanes": lanes}))
        self.assertIn("a number is wanted", caught.exception.sentence)

    def test_its_layers_stand_over_its_default(self):
        layer = {"paint": [{"step": "constant", "value": 1}], "amount": 0.5}
        evaluation = Evaluator().evaluate(self.population, parse(Look, {"lanes": {"sheen": {"layers": [layer]}}}))
        np.testing.assert_allclose(evaluation.lanes["sheen"].values, 0.625)

    def test_its_column_is_written_and_read(self):
        evaluation = Evaluator().evaluate(self.population, self.look)
        for word in ("ply", "ply_ascii", "csv", "glb", "usd"):
            data = FORMATS[word].write(self.population, evaluation.results)
            back = read_points(data, f"x{FORMATS[word].ending}").elements.own["sheen"]
            np.testing.assert_array_equal(
                back.values.astype(np.float32), np.clip(evaluation.lanes["sheen"].values, 0, 1)
            )

    def test_a_channel_for_another_kind_is_refused(self):
        channel_table.register(Channel("curl", "Curl", NUMBER, (0.0,), populations=("strands",)))
        self.addCleanup(CHANNELS.remove, "curl")
        lanes = {"curl": {"layers": [{"paint": [{"step": "constant", "value": 1}]}]}}
        with self.assertRaises(BadInput) as caught:
            Evaluator().evaluate(self.population, parse(Look, {"lanes": lanes}))
        self.assertEqual((caught.exception.code, caught.exception.place), ("wrong_channel", "lanes.curl"))
        with self.assertRaises(BadInput) as caught:
            parse(Look, {"lanes": {"roughnes": {}}})
        self.assertIn("Nearest: roughness", caught.exception.sentence)


class MadeUpKindAndMaker(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        class Pegs(Form):
            """Elements on a board."""

            digest = "pegs"

        class RowMaker(MakerModel):
            """Pegs in a row."""

            title: ClassVar[str] = "Row"
            maker: Literal["row"]
            count: Dialled[Annotated[int, Field(ge=1, le=100)]] = Field(5, title="Count")
            paint: Dialled[Literal["bare", "white"]] = Field("bare", title="Paint")

            def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
                """Places along x."""
                places = np.zeros((self.count, 3), np.float32)
                places[:, 0] = np.arange(self.count)
                table = {
                    "position": Attribute("position", "vector", places, (), tuple(Column(a, "<f4") for a in "xyz")),
                    "white": Attribute("white", "number", np.full(self.count, self.paint == "white", np.float32)),
                }
                return Population("pegs", Elements("peg", self.count, table), Pegs())

        KINDS.add("pegs", PopulationKind("pegs", "Pegs", "peg", "pegs", Pegs, "instances", instance_arrays))
        cls.addClassCleanup(rebuild)
        cls.addClassCleanup(KINDS.remove, "pegs")
        cls.addClassCleanup(MAKERS.remove, "row")
        rebuild()

    def scene(self, **maker: Any) -> Scene:
        look = look_document({"step": "attribute", "name": "white"}, DUSK)
        population = {"id": "p", "name": "P", "maker": {"maker": "row", **maker}, "look": look}
        dials = [{"name": "many", "value": 7}, {"name": "coat", "value": 1, "choices": ["bare", "white"]}]
        return parse(Scene, {"populations": [population], "dials": dials})

    def test_it_is_made_coloured_and_told(self):
        run = SceneRun(self.scene(), Evaluator(), lambda request: request.make(None))  # type: ignore[arg-type]
        self.assertEqual(run.evaluation("p").population.elements.level, "peg")
        self.assertEqual(run.evaluation("p").colours.shape, (5, 3))

    def test_its_form_goes_through_placement_files_and_previews(self):
        run = SceneRun(self.scene(), Evaluator(), lambda request: request.make(None))  # type: ignore[arg-type]
        placed, results, context = run.sent("p")
        self.assertIs(type(placed.form), type(run.population("p").form))
        for word in ("csv", "ply", "glb", "usd"):
            back = read_points(FORMATS[word].write(placed, results, context), f"x{FORMATS[word].ending}")
            self.assertEqual(back.count, 5, word)
        self.assertEqual(picture_of(placed, self.scene().populations[0].look).shape[2], 4)

    def test_dials_reach_its_parameters(self):
        scene = self.scene(count={"dial": "many"}, paint={"dial": "coat"})
        run = SceneRun(scene, Evaluator(), lambda request: request.make(None))  # type: ignore[arg-type]
        self.assertEqual(run.population("p").count, 7)
        self.assertEqual(set(run.population("p").elements.own["white"].values), {1.0})
        for wrong in ({"count": {"dial": "coats"}}, {"count": {"dial": "many"}, "paint": {"dial": "many"}}):
            with self.assertRaises(BadInput):
                run = SceneRun(self.scene(**wrong), Evaluator(), lambda request: request.make(None))  # type: ignore[arg-type]
                run.population("p")

    def test_the_server_offers_it_and_the_view_can_draw_it(self):
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder) / "data.sqlite")
            store.migrate()
            client = create_app(store).test_client()
            listed = client.get("/api/steps").json
            self.assertEqual({m["name"]: m["title"] for m in listed["makers"]}["row"], "Row")
            self.assertIn("pegs", [k["name"] for k in listed["kinds"]])
            scene = self.scene(count=3).model_dump(mode="json")
            answer = client.post("/api/populations", json={"scene": scene, "population": "p"})
            header, arrays = unpack(answer.data)
            self.assertEqual((header["kind"], header["drawn"], header["count"]), ("pegs", "instances", 3))
            self.assertEqual(arrays["positions"].shape, (3, 3))
            store.close()


class MadeUpFormat(unittest.TestCase):
    def test_it_reads_and_writes(self):
        def write(
            population: Population, results: Any, context: WriterContext = WriterContext(), task: Any = None
        ) -> bytes:
            return f"pegs {population.count}".encode()

        def read(data: bytes, name: str, check: Any, options: Any) -> list[ImportedItem]:
            return [ImportedItem("pegs", points(int(data.split()[1])), "pegs")]

        FORMATS.add(
            "pegs", Format("pegs", "Pegs", ".pegs", "text/plain", write, read, lambda data: data.startswith(b"pegs "))
        )
        self.addCleanup(FORMATS.remove, "pegs")
        self.assertEqual(read_points(b"pegs 4", "a.pegs").count, 4)
        self.assertEqual(FORMATS["pegs"].write(points(4), None), b"pegs 4")


class MadeUpAdviser(unittest.TestCase):
    def test_it_is_told_after_its_rank_and_asked_again_where_what_it_reads_is_another(self):
        asked, mood = [], ["calm"]

        def few(evidence: Evidence) -> Iterator[Advisory]:
            asked.append(mood[0])
            yield Advisory("few", evidence.place or "", f"Only {evidence.evaluation.population.count}, {mood[0]}.")

        def pale(outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
            if census["kind"] == "colour":
                yield Advisory("pale", outcome.place, "It is pale.")

        ADVISERS.add("few", Adviser(75, of_all=few, reads=lambda evaluation: mood[0]))
        self.addCleanup(ADVISERS.remove, "few")
        ADVISERS.add("pale", Adviser(15, of_step=pale))
        self.addCleanup(ADVISERS.remove, "pale")
        evaluator = Evaluator()
        reporter = Reporter(evaluator)
        steps = ({"step": "random", "seed": 4}, ramp([0, 0.5], FIVE[:2]))

        def told() -> list[dict[str, Any]]:
            return reporter.advisories(evaluator.evaluate(points(40), look(*steps)))

        self.assertEqual([a["code"] for a in told() if a["code"] in ("few", "pale")], ["pale", "few"])
        told()
        self.assertEqual(asked, ["calm"])
        mood[0] = "restless"
        self.assertIn("Only 40, restless.", [a["sentence"] for a in told()])
        self.assertEqual(asked, ["calm", "restless"])


class Apart(unittest.TestCase):
    def test_no_step_is_imported_outside_the_steps(self):
        """The package and its base are; single steps are not, not even for types."""
        for path in sorted(PACKAGE.rglob("*.py")):
            if path.parent == PACKAGE / "core/look/steps":
                continue
            self.assertEqual(steps_imported(path.read_text()), set(), str(path))

    def test_the_rule_can_see_a_breach(self):
        self.assertEqual(
            steps_imported("from .look.steps.ramp import Ramp\nfrom .steps import curve"), {"ramp", "curve"}
        )
        self.assertEqual(steps_imported("from .look.steps.base import Value\nfrom .steps import STEPS"), set())

    def test_steps_say_what_they_are_called(self):
        for word, step in STEPS.items():
            self.assertTrue(step.title and step.noun and step.summary, word)
            page = ROOT / f"frontend/src/chain/steps/{word}.tsx"
            self.assertTrue(page.exists(), f"{word} has a summary line in the page")


def steps_imported(source: str) -> set[str]:
    """The modules of single steps that a source imports."""
    words = set(STEPS)
    found = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.ImportFrom) and node.module:
            parts = node.module.split(".")
            if "steps" in parts:
                inside = parts[parts.index("steps") + 1 :] or [alias.name for alias in node.names]
                found |= words & set(inside)
    return found


class OtherPopulations(unittest.TestCase):
    """A step that reads another population decides the order in which they are evaluated."""

    @classmethod
    def setUpClass(cls):
        class Borrow(Step):
            """The mean colour of another population."""

            title: ClassVar[str] = "Borrow"
            noun: ClassVar[str] = "a borrowed colour"
            summary: ClassVar[str] = "the mean colour of another population"
            order: ClassVar[list[str]] = []
            step: Literal["borrow"]
            whose: str = Field(title="Whose")

            def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
                """A colour; the other one must be there."""
                scope.other(self.whose, f"{place}.whose")
                return channel_table.BASE_COLOUR.kind

            def depends_on(self, scope: Scope) -> list[Any]:
                """What the other one gives."""
                return [scope.other(self.whose, "").digest]

            def plan(self, context: Context, incoming: Value | None) -> Plan:
                """(n, 3) float32."""
                colour = context.scope.other(self.whose, context.place).colours.mean(axis=0)
                return Plan(lambda a, b, out: np.copyto(out, colour))

        cls.addClassCleanup(rebuild)
        cls.addClassCleanup(STEPS.remove, "borrow")
        rebuild()

    def scene(self, **reads: str) -> SceneRun:
        populations = []
        for name in ("one", "two", "three"):
            plain = {"step": "constant", "value": "#336699"}
            steps = [{"step": "borrow", "whose": reads[name]}] if name in reads else [plain]
            maker = {"maker": "scatter", "surface": "ball", "count": 20}
            populations.append({"id": name, "name": name.title(), "maker": maker, "look": look_document(*steps)})
        scene = parse(Scene, {"populations": populations})
        return SceneRun(scene, Evaluator(), lambda request: request.make(None))  # type: ignore[arg-type]

    def test_what_is_read_comes_first(self):
        run = self.scene(one="two", two="three")
        colours = run.evaluation("one").colours
        np.testing.assert_allclose(colours, run.evaluation("three").colours, rtol=1e-6)

    def test_a_circle_is_refused_with_its_members(self):
        with self.assertRaises(BadInput) as caught:
            self.scene(one="two", two="three", three="one").evaluation("one")
        self.assertEqual(caught.exception.code, "population_cycle")
        self.assertIn("'One' reads 'Two' reads 'Three' reads 'One'", caught.exception.sentence)
        self.assertTrue(caught.exception.place.endswith(".whose"))

    def test_one_that_is_not_there(self):
        with self.assertRaises(BadInput) as caught:
            self.scene(one="none").evaluation("one")
        self.assertEqual(caught.exception.code, "unknown_population")
