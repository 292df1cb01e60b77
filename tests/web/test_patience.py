"""Work that nobody waits for, full disks, documents that cannot be meant: told, stopped, and nothing is left behind."""

from __future__ import annotations

import copy
import errno
import gc
import io
import json
import os
import socket
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image

from gaudyseed.core.digest import digest_of
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import read_items
from gaudyseed.core.formats.pictures import read_picture
from gaudyseed.core.painting.brush import Brush, brushed
from gaudyseed.core.painting.columns import Target
from gaudyseed.core.painting.painted import Painted, Values
from gaudyseed.core.population import Attribute, of_points
from gaudyseed.core.population.makers import MakeRequest
from gaudyseed.core.population.makers.base import MakerContext
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.population.makers.strands import StrandsMaker
from gaudyseed.core.population.makers.surface import SurfaceMaker
from gaudyseed.core.runtime import buffers
from gaudyseed.core.runtime.task import Stopped, Task
from gaudyseed.web.services import Services
from tests.support import beetle_scene, look_document, ramp, unpack
from tests.web.test_api import ServerCase
from tests.web.test_server import Served

ID = "beetle-sequins"
GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")


class Makers(unittest.TestCase):
    def test_a_spacing_that_no_number_tells_apart(self):
        made = ScatterMaker(maker="scatter", surface="beetle", count=20_000, spacing=1e-300).make(None)
        plain = ScatterMaker(maker="scatter", surface="beetle", count=20_000).make(None)
        np.testing.assert_array_equal(made.elements.own["position"].values, plain.elements.own["position"].values)

    def test_a_scatter_is_stopped_in_the_middle(self):
        asked = []

        def stops() -> bool:
            asked.append(1)
            return len(asked) == 3

        maker = ScatterMaker(maker="scatter", surface="sheet", count=1_000_000, evenness=0.7)
        with self.assertRaises(Stopped):
            maker.make(None, MakerContext(Task(stops)))

    def test_clumps_count_too(self):
        with self.assertRaises(BadInput) as caught:
            StrandsMaker(maker="strands", surface="ball", count=10, points=10_000, clumps=4_000).make(None)
        self.assertIn("1,990 clumps fit", caught.exception.sentence)
        self.assertEqual(caught.exception.place, "maker.clumps")


class Documents(ServerCase):
    def put(self, values: np.ndarray) -> str:
        data = Values(values).packed()
        self.store.put_columns({digest_of(data): data})
        return digest_of(data)

    def sound(self, scene: dict, *words: str) -> None:
        """Every request of a scene is answered or refused with a sentence; where words are given with these."""
        self.scene = scene
        answer = self.client.post("/api/evaluations", json=self.asking(trace=1))
        if words:
            self.refused(answer, 422, *words)
        else:
            self.assertEqual(answer.status_code, 200, answer.data[:200])
            first, _ = unpack(answer.data)
            self.assertIsNone(first["populations"][ID]["error"])
            second, _ = unpack(answer.data[answer.data.rindex(b"GSB1") :])
            self.assertEqual((second["errors"], list(second["populations"])), ({}, [ID]))
        for path, more in (("populations", {}), ("elements", {}), ("exports", {"format": "glb"}),
                           ("exports", {"format": "csv"}), ("exports/losses", {})):  # fmt: skip
            answer = self.client.post(f"/api/{path}", json={"scene": scene, "population": ID, **more})
            self.assertIn(answer.status_code, (200, 422), f"{path} {answer.data[:200]!r}")

    def small(self) -> dict:
        scene = beetle_scene()
        scene["populations"][0]["maker"]["count"] = 60
        return scene

    def test_painted_columns_that_cannot_be(self):
        one, three = self.put(np.ones((60, 1), np.float32)), self.put(np.ones((60, 3), np.float32))
        wrong = self.put(np.full((60, 1), np.nan, np.float32))
        for name, kind, digest, *words in (
            ("position", "number", one, "cannot be called"), ("position", "vector", three, "cannot be called"),
            ("id", "number", one, "cannot be called"), ("normal", "number", one, "cannot be called"),
            ("uv", "colour", three, "cannot be called"), ("wear", "number", three, "another column's"),
            ("wear", "colour", one, "another column's"), ("wear", "number", wrong, "another column's"),
            ("wear", "number", one),
        ):  # fmt: skip
            scene = self.small()
            fill = "#000000" if kind == "colour" else 0
            scene["populations"][0]["painted"] = [{"name": name, "kind": kind, "digest": digest, "fill": fill}]
            self.sound(scene, *words)

    def test_placements_that_make_everything_a_point(self):
        """Standing on one another they multiply to nothing, which no inverse undoes."""
        for step in ({"step": "falloff"}, {"step": "noise"}, {"step": "nearness", "markers": ["m"]}):
            scene = self.small()
            scene["markers"] = [{"name": "m", "position": [1e6, 2, 3]}]
            place = {"position": [1e6, -1e6, 1e6], "size": 1e-300}
            ground = {"id": "ground", "name": "Ground", "maker": {"maker": "mesh", "surface": "ball"}, "place": place}
            own = scene["populations"][0]
            own |= {"place": place, "look": look_document(step, GREYS)}
            own["maker"] |= {"on": "ground"}
            own["look"]["lanes"]["offset"] = {"layers": [{"paint": [{"step": "random", "seed": 1}]}], "along": "up"}
            scene["populations"].append(ground)
            self.sound(scene)

    def test_names_of_kept_values(self):
        scene = self.small()
        scene["populations"][0]["look"]["signals"] = [{"name": "s", "chain": [{"step": "random", "seed": 1}]}]
        for name in ("", 'a"b', "wear (fine)", "position", "x" * 101):
            body = {"scene": scene, "population": ID, "signal": "s", "name": name}
            self.refused(self.client.post("/api/kept-values", json=body), 422, "name")

    def test_lists_and_names_that_are_too_long_are_told_in_words(self):
        scene = self.small()
        scene["populations"][0]["painted"] = [{"name": f"c{k}"} for k in range(33)]
        answer = self.client.post("/api/populations", json={"scene": scene, "population": ID})
        self.refused(answer, 422, "'painted' has", "at most 32 are taken")
        scene["populations"][0]["painted"] = [{"name": "wear (fine)"}]
        self.refused(self.client.post("/api/populations", json={"scene": scene, "population": ID}), 422, "no name here")
        scene["populations"][0]["painted"] = [{"name": "c" * 101}]
        self.refused(
            self.client.post("/api/populations", json={"scene": scene, "population": ID}), 422, "101 characters"
        )

    def test_an_error_while_the_answer_goes_out_is_told(self):
        self.scene = self.small()
        with mock.patch("gaudyseed.core.reports.report.Reporter.advisories", side_effect=ZeroDivisionError), \
                self.assertLogs("gaudyseed", "ERROR"):  # fmt: skip
            data = self.client.post("/api/evaluations", json=self.asking()).data
        header, _ = unpack(data[data.rindex(b"GSB1") :])
        self.assertEqual(header["errors"][ID]["code"], "unforeseen")
        with mock.patch("gaudyseed.core.reports.report.Reporter.advisories", side_effect=BadInput("Not so.")):
            data = self.client.post("/api/evaluations", json=self.asking()).data
        header, _ = unpack(data[data.rindex(b"GSB1") :])
        self.assertEqual(header["errors"][ID]["sentence"], "Not so.")

    def test_sequences_of_several_kinds(self):
        first = self.client.post("/api/imports?name=a.1.csv", data=b"x,y,z\n0,0,0\n1,0,0\n").json["things"][0]["maker"]
        second = self.client.post(
            "/api/imports?name=a.2.csv", data=b"strand,x,y,z\n1,0,0,0\n1,1,0,0\n"
        ).json["things"][0]["maker"]  # fmt: skip
        frames = [{"frame": 1, "maker": first}, {"frame": 2, "maker": second}]
        answer = self.client.post("/api/sequences", json={"file": "a.1.csv", "frames": frames})
        self.refused(answer, 422, "points", "strands", "apart")
        heavy = {"file": "a" * 9_000_000, "frames": frames}
        self.refused(self.client.post("/api/sequences", json=heavy), 422, "fewer frames or columns")

    def test_a_shape_of_a_hundred_thousand_vertices(self):
        rows = "".join(f"v {k} 0 0\n" for k in range(100_001))
        answer = self.client.post("/api/assets?name=big.obj", data=(rows + "f 1 2 3\n").encode())
        self.assertEqual(answer.status_code, 200, answer.data[:200])
        self.assertEqual((answer.json["asset"]["width"], answer.json["asset"]["height"]), (1, 3))

    def test_an_edit_beside_a_stroke_under_way_keeps_its_column(self):
        scene = self.small()
        scene["populations"][0]["painted"] = [{"name": "wear"}]
        made = self.client.post("/api/scenes", json={"document": scene}).json
        body = {"scene": scene, "population": ID, "column": "wear", "dabs": [[0, 0, 1]], "last": False}
        painted = self.client.post("/api/strokes", json=body).json["painted"]
        scene["populations"][0]["painted"] = [painted]
        saved = {"document": scene, "base": made["revision"], "label": "Name it"}
        self.assertEqual(self.client.put(f"/api/scenes/{made['id']}", json=saved).status_code, 200)
        self.assertGreater(len(self.store.column(painted["digest"])), 10)


class Painting(unittest.TestCase):
    WEAR = Painted(name="wear")

    def test_detail_that_was_painted_finer_stays(self):
        def made(level: int):
            return SurfaceMaker(maker="mesh", surface="ball", subdivision=level).make(None)

        fine, coarse = (Target(made(k), f"ball {k}", k, made) for k in (3, 1))
        place = fine.population.elements.own["position"].readable
        first = brushed(fine, self.WEAR, None, Brush(radius=0.15), place[-1:])
        painted = self.WEAR.model_copy(update={"digest": "0" * 32, "subdivision": 3})
        away = place[[np.linalg.norm(place - place[-1], axis=1).argmax()]]
        after = brushed(coarse, painted, first, Brush(radius=0.2), away)
        self.assertEqual(len(after.values), len(first.values))
        near = np.linalg.norm(place - away, axis=1) < 0.2
        np.testing.assert_array_equal(after.values[~near], first.values[~near])
        self.assertGreater(after.values[near].max(), 0.9)

    def test_a_stroke_reaches_what_is_not_drawn(self):
        case = Documents("sound")
        case.setUp()
        self.addCleanup(case.doCleanups)
        scene = case.small()
        scene["populations"][0] |= {"painted": [{"name": "wear"}], "draft": {"every": 5}}
        body = {"scene": scene, "population": ID, "column": "wear", "brush": {"way": "set_all"}}
        painted = case.client.post("/api/strokes", json=body).json["painted"]
        scene["populations"][0] |= {"painted": [painted], "draft": {}}
        data = case.client.post("/api/exports", json={"scene": scene, "population": ID, "format": "csv"}).data
        from gaudyseed.core.formats import read_points

        self.assertEqual(read_points(data, "a.csv").elements.own["wear"].values.tolist(), [1.0] * 60)

    def test_a_dab_is_that_of_the_plain_arithmetic(self):
        """The same in NumPy, in float64, over all places at once."""
        rng = np.random.default_rng(1)
        place, start = rng.random((5000, 3)).astype("f4"), rng.random((5000, 1)).astype("f4")
        target = Target(of_points(5000, {"position": Attribute("position", "vector", place)}), "cloud")
        dabs = rng.random((30, 3)).astype("f4")
        for way in ("add", "remove", "soften"):
            brush = Brush(radius=0.3, strength=0.7, hardness=0.25, way=way)
            painted = self.WEAR.model_copy(update={"digest": "0" * 32})
            found = brushed(target, painted, Values(start), brush, dabs).values
            wanted = start.astype(float)
            for dab in dabs:
                far = np.linalg.norm(place.astype(float) - dab, axis=1)
                near = far < 0.3
                s = np.clip((1 - far[near] / 0.3) / 0.75, 0, 1)
                weight = s * s * (3 - 2 * s)
                goal = {"add": 1, "remove": 0, "soften": (weight * wanted[near, 0]).sum() / weight.sum()}[way]
                wanted[near, 0] += 0.7 * weight * (goal - wanted[near, 0])
            np.testing.assert_allclose(found, wanted, atol=2e-6, err_msg=way)

    def test_twenty_thousand_dabs_on_a_million_vertices(self):
        """They took 200 s; those that touch little take seconds, and those that touch too much are refused at once."""
        place = np.random.default_rng(1).random((1_000_000, 3)).astype("f4")
        target = Target(of_points(len(place), {"position": Attribute("position", "vector", place)}), "million")
        dabs = np.random.default_rng(2).random((20_000, 3)).astype("f4")
        began = time.monotonic()
        brushed(target, self.WEAR, None, Brush(radius=0.02), dabs)
        self.assertLess(time.monotonic() - began, 15)
        with self.assertRaises(BadInput) as caught:
            brushed(target, self.WEAR, None, Brush(radius=0.5), dabs)
        self.assertIn("400,000,000", caught.exception.sentence)


class Locks(unittest.TestCase):
    def test_a_buffer_that_comes_back_inside_the_lock(self):
        """The collector may run a finalizer in any line: also in one that holds the lock of the pool."""
        done = threading.Event()

        def work() -> None:
            with buffers._lock:
                kept = buffers.np.empty(buffers.SMALLEST, np.uint8)
                buffers._give_back(kept)
            done.set()

        threading.Thread(target=work, daemon=True).start()
        self.assertTrue(done.wait(5))
        again = [buffers.empty(buffers.SMALLEST // 4) for _ in range(3)]
        del again
        gc.collect()
        self.assertEqual(len(buffers._returned), 0)

    def test_what_is_refused_leaves_no_lock(self):
        shared = Services(mock.Mock())
        maker = StrandsMaker(maker="strands", surface="ball", count=10, points=10_000, clumps=4_000)
        for _ in range(3):
            with self.assertRaises(BadInput):
                shared.population(MakeRequest(maker))
        self.assertEqual(shared.population._making, {})

    def test_one_who_waits_for_what_another_makes_may_leave(self):
        shared, begun, end = Services(mock.Mock()), threading.Event(), threading.Event()
        maker = ScatterMaker(maker="scatter", surface="ball", count=10)

        def hold() -> bool:
            begun.set()
            return not end.wait(10)

        first = threading.Thread(
            target=shared.population, args=(MakeRequest(maker, MakerContext(Task(hold))),), daemon=True
        )
        first.start()
        begun.wait(5)

        with self.assertRaises(Stopped):
            shared.population(MakeRequest(maker, MakerContext(Task(lambda: True))))
        end.set()
        first.join(10)
        self.assertEqual(shared.population._making, {})


class NoRoom(ServerCase):
    def test_a_full_folder_for_temporary_files(self):
        full = OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        picture = io.BytesIO()
        Image.new("RGB", (4, 4)).save(picture, "PNG")
        with mock.patch("pathlib.Path.write_bytes", side_effect=full):
            for path, data in (("imports/preview?name=a.usda", b"#usda 1.0\n"),
                               ("assets?name=a.png", picture.getvalue())):  # fmt: skip
                answer = self.client.post(f"/api/{path}", data=data)
                self.refused(answer, 507, "no room", tempfile.gettempdir())
            body = {"scene": self.scene, "population": ID, "format": "usdc"}
            self.refused(self.client.post("/api/exports", json=body), 507, "no room")

    def test_a_body_that_has_no_room_is_answered(self):
        from waitress.adjustments import Adjustments

        from gaudyseed.web.security import Guard
        from gaudyseed.web.server import _Parser

        adj = Adjustments()
        adj.guard = Guard(None)
        parser = _Parser(adj, "127.0.0.1")
        head = b"POST /api/imports?name=a.csv HTTP/1.1\r\nHost: localhost\r\nContent-Length: 2000000\r\n\r\n"
        parser.received(head)
        full = OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        with mock.patch.object(parser.body_rcv, "received", side_effect=full):
            self.assertEqual(parser.received(b"x" * 70_000), 70_000)
        self.assertTrue(parser.completed)
        status, _, body = parser.error.to_response()
        self.assertTrue(status.startswith("507"))
        self.assertIn("no room", json.loads(body)["sentence"])

    def test_a_process_apart_that_meets_a_full_disk(self):
        """A limit on the size of files stands for the disk: what it writes beyond that fails."""
        from gaudyseed.core.formats import apart

        with mock.patch.object(apart.subprocess, "Popen") as started:
            started.return_value = mock.Mock(returncode=4, **{"communicate.return_value": (None, b""),
                                                             "poll.return_value": 4})  # fmt: skip
            with self.assertRaises(BadInput) as caught:
                read_items(b"#usda 1.0\n", "a.usda")
        self.assertEqual(caught.exception.code, "no_room_left")
        import importlib.util

        spec = importlib.util.spec_from_file_location("worker", Path(apart.__file__).with_name("picture_worker.py"))
        assert spec and spec.loader
        worker = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(worker)
        with mock.patch.object(worker, "limited"), \
                mock.patch.object(worker, "read", side_effect=OSError(errno.ENOSPC, "full")):  # fmt: skip
            self.assertEqual(worker.main(["a.png", "out", "1"]), 4)


class Pictures(unittest.TestCase):
    """Against Pillow and OpenImageIO."""

    def test_turned_by_exif(self):
        image = Image.fromarray(np.arange(4 * 6 * 3, dtype=np.uint8).reshape(4, 6, 3) * 3)
        from PIL import ImageOps

        for orientation in range(1, 9):
            exif = Image.Exif()
            exif[0x0112] = orientation
            file = io.BytesIO()
            image.save(file, "PNG", exif=exif)
            wanted = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(file.getvalue()))))
            found = read_picture(file.getvalue(), "a.png").texels
            self.assertEqual(found.shape[:2], wanted.shape[:2], orientation)
            from gaudyseed.core.colour.spaces import display_bytes

            levels = display_bytes(np.ascontiguousarray(found[..., :3].reshape(-1, 3))).reshape(wanted.shape)
            np.testing.assert_array_equal(levels, wanted, err_msg=str(orientation))

    def test_animated_png_and_lab(self):
        frames = [Image.new("RGB", (4, 4), c) for c in ("red", "blue")]
        file = io.BytesIO()
        frames[0].save(file, "PNG", save_all=True, append_images=frames[1:])
        with self.assertRaises(BadInput) as caught:
            read_picture(file.getvalue(), "a.png")
        self.assertIn("animated", caught.exception.sentence)
        file = io.BytesIO()
        Image.new("LAB", (4, 4), (50, 20, 200)).save(file, "TIFF")
        with self.assertRaises(BadInput) as caught:
            read_picture(file.getvalue(), "a.tif")
        self.assertIn("Lab", caught.exception.sentence)

    def test_a_window_of_data_in_a_larger_frame(self):
        import OpenImageIO as oiio  # noqa: N813

        spec = oiio.ImageSpec(3, 2, 3, "float")
        spec.x, spec.y, spec.full_width, spec.full_height = 2, -1, 4, 3
        with tempfile.TemporaryDirectory() as folder:
            path = f"{folder}/a.exr"
            out = oiio.ImageOutput.create(path)
            out.open(path, spec)
            out.write_image(np.full((2, 3, 3), 0.5, np.float32))
            out.close()
            found = read_picture(Path(path).read_bytes(), "a.exr")
        self.assertEqual(found.texels.shape, (3, 4, 4))
        # One row lies above the frame, one column to the right of it.
        np.testing.assert_array_equal(found.texels[..., 0] > 0, [[0, 0, 1, 1], [0] * 4, [0] * 4])
        self.assertTrue(any("frame of 4 x 3" in note for note in found.notes), found.notes)


class Patience(Served):
    """The real server: those who go away, and those who only want a little."""

    def busy(self) -> float:
        """Seconds of processor time that the server has used."""
        fields = Path(f"/proc/{self.server.pid}/stat").read_text().rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def asked_and_left(self, path: str, body: dict) -> None:
        data = json.dumps(body).encode()
        one = socket.create_connection(("localhost", self.port), timeout=20)
        head = (
            f"POST /api/{path} HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\n"
            f"Content-Length: {len(data)}\r\n\r\n"
        )
        one.sendall(head.encode() + data)
        time.sleep(0.4)
        one.close()

    def test_who_goes_away_is_not_worked_for(self):
        scene = beetle_scene()
        own = scene["populations"][0]
        own["maker"] = {"maker": "scatter", "surface": "sheet", "count": 1_000_000, "evenness": 0.75, "size": 0.01}
        slow = copy.deepcopy(scene)
        slow["populations"][0]["maker"] |= {"evenness": 0, "count": 900_000}
        noise = [{"step": "noise", "octaves": 8, "seed": k, "size": 0.05 + k / 1000} for k in range(40)]
        chain = [{"step": "random", "seed": 1}]
        for step in noise:
            chain.append({"step": "mix", "blend": "average", "chain": [step]})
        slow["populations"][0]["look"] = look_document(*chain, GREYS)
        bodies = [
            ("populations", {"scene": scene, "population": own["id"]}),
            ("evaluations", {"scene": slow, "wanted": [{"population": own["id"]}]}),
            ("elements", {"scene": slow, "population": own["id"], "sort": "result"}),
        ]
        for path, body in bodies:
            self.asked_and_left(path, body)
        time.sleep(3)
        before = self.busy()
        time.sleep(3)
        self.assertLess(self.busy() - before, 1.0, "it goes on for nobody")

    def test_small_requests_go_first(self):
        scene = beetle_scene()
        bodies = []
        for k in range(40):
            one = copy.deepcopy(scene)
            one["populations"][0]["maker"] |= {"count": 12_000, "seed": k}
            bodies.append({"scene": one, "wanted": [{"population": ID}], "session": f"s{k}", "sequence": 1})
        threads = [threading.Thread(target=self.ask, args=("evaluations", body), daemon=True) for body in bodies]
        for thread in threads:
            thread.start()
        time.sleep(1)
        worst = 0.0
        for _ in range(10):
            began = time.monotonic()
            self.assertEqual(self.ask("scenes")[0], 200)
            worst = max(worst, time.monotonic() - began)
        self.assertLess(worst, 2)
        for thread in threads:
            thread.join()
