"""Jobs and uploads: followed, stopped, found again, bounded; a file is sent once however often it is read."""

from __future__ import annotations

import json
import threading
import time
import unittest
from unittest import mock

from gaudyseed.core.digest import digest_of
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.population.makers.recipe import ImportRecipe
from gaudyseed.core.runtime.task import Progress, Stopped, Task
from gaudyseed.core.scene.timecache import TimeCache
from gaudyseed.web import jobs as module
from gaudyseed.web import uploads as uploads_module
from gaudyseed.web.api import imports
from gaudyseed.web.jobs import FileMade, Jobs
from tests.forking import forked
from tests.web.test_api import POINTS, ServerCase

MOVING = """#usda 1.0
(
    startTimeCode = 1
    endTimeCode = 4
    upAxis = "Z"
)
def Points "Dust"
{
    point3f[] points.timeSamples = {1: [(0, 0, 0), (1, 0, 0)], 4: [(0, 0, 3), (1, 0, 3)]}
}
"""


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


class Following(ServerCase):
    """What each test begins is waited for by asking as the page does."""

    def ended(self, job: dict) -> dict:
        """A job once it is over."""
        version, deadline = -1, time.monotonic() + 30
        while time.monotonic() < deadline:
            answer = self.client.get(f"/api/jobs?since={version}&wait=5").json
            version = answer["version"]
            found = next((j for j in answer["jobs"] if j["id"] == job["id"]), None)
            if found is None or found["state"] not in ("waiting", "running"):
                return found or {**job, "state": "gone"}
        raise AssertionError(f"{job} does not end")

    def sent(self, data: bytes, name: str) -> str:
        return self.client.post(f"/api/uploads?name={name}", data=data).json["upload"]

    def result(self, job: dict):
        return self.client.get(f"/api/jobs/{job['id']}/result")

    def test_a_file_is_sent_once_looked_at_and_imported(self):
        upload = self.sent(POINTS, "three.ply")
        seen = self.ended(self.client.post("/api/jobs/previews", json={"upload": upload}).json)
        self.assertEqual((seen["state"], seen["share"], seen["kind"]), ("done", 1.0, "preview"))
        self.assertEqual(self.result(seen).json["things"][0]["count"], 3)
        made = self.ended(self.client.post("/api/jobs/imports", json={"upload": upload, "ways": {"only": [0]}}).json)
        plain = self.client.post("/api/imports?name=three.ply", data=POINTS).json
        self.assertEqual(self.result(made).json, plain)
        recipe = parse(ImportRecipe, plain["things"][0]["maker"]["recipe"])
        self.assertEqual((recipe.fingerprint, recipe.thing), (digest_of(POINTS), plain["things"][0]["name"]))
        wrong = self.ended(self.client.post("/api/jobs/imports", json={"upload": upload, "ways": {"only": [7]}}).json)
        self.assertEqual((wrong["state"], wrong["error"]["place"]), ("failed", "only"))
        self.refused(self.result(wrong), 422, "no result")
        self.client.post(f"/api/uploads/{upload}/discard")
        self.refused(self.client.post("/api/jobs/previews", json={"upload": upload}), 422, "Bring it again")

    def test_all_frames_of_a_file_that_is_sent_once(self):
        upload = self.sent(MOVING.encode(), "dust.usda")
        frames = [{"frame": k, "upload": upload} for k in range(1, 5)]
        body = {"name": "Dust", "frames": frames, "ways": {"only": [0]}}
        job = self.ended(self.client.post("/api/jobs/sequences", json=body).json)
        self.assertEqual(job["state"], "done", job)
        made = self.result(job).json
        self.assertEqual((made["maker"]["first"], made["maker"]["last"], made["maker"]["count"]), (1, 4, 2))
        population = {"id": "dust", "name": "Dust", "maker": made["maker"], "look": made["look"]}
        scene = {**self.scene, "populations": [population]}
        # Between the samples at 1 and 4 places go straight (USD's own rule for linear interpolation).
        for frame, height in ((1, 0.0), (3, 2.0), (4, 3.0)):
            body = {"scene": scene, "population": "dust", "format": "csv", "frame": frame}
            rows = self.client.post("/api/exports", json=body).data.decode().splitlines()
            self.assertEqual(float(rows[1].split(",")[rows[0].split(",").index("z")]), height)

    def test_a_frame_in_which_nobody_lives(self):
        """It has none of those of its neighbours; a file in which nobody ever lives is refused."""
        frames = []
        for k, many in enumerate((0, 2, 0)):
            rows = "".join(f"{n},{k},0,{n}\n" for n in range(many))
            frames.append({"frame": k, "upload": self.sent(f"x,y,z,id\n{rows}".encode(), f"a.{k}.csv")})
        body = {"name": "Sparks", "frames": frames, "into": "still"}
        made = self.result(self.ended(self.client.post("/api/jobs/sequences", json=body).json)).json
        self.assertEqual((made["maker"]["count"], made["into"]), (2, "still"))
        for particles in (False, True):
            maker = {**made["maker"], "particles": particles}
            scene = {**self.scene, "populations": [{"id": "s", "name": "S", "maker": maker, "look": made["look"]}]}
            for frame, many in ((0, 0), (1, 2), (2, 0)):
                asked = {"scene": scene, "population": "s", "format": "csv", "frame": frame}
                rows = self.client.post("/api/exports", json=asked).data.decode().splitlines()
                self.assertEqual(len(rows) - 1, many, (particles, frame))
                self.assertTrue(rows[0].startswith("id,") or ",id" in rows[0])
        never = self.ended(self.client.post("/api/jobs/sequences", json={**body, "frames": frames[:1]}).json)
        self.assertEqual((never["state"], never["error"]["place"]), ("failed", "frames"))

    def test_a_frame_that_was_read_is_not_parsed_again(self):
        """In another window neither, nor after a restart; where what was kept is damaged it is."""
        upload = self.sent(MOVING.encode(), "dust.usda")
        frames = [{"frame": k, "upload": upload} for k in range(1, 5)]
        body = {"name": "Dust", "frames": frames, "ways": {"only": [0]}}
        parsed, made = [], []
        plain = imports.read_frames

        def read(data, name, frames, *more):
            parsed.extend(frames)
            return plain(data, name, frames, *more)

        shared = self.app.extensions["services"]
        with mock.patch.object(imports, "read_frames", read):
            for turn in range(3):
                shared.states = TimeCache(shared.states.folder)
                if turn == 2:
                    path = next(p for p in shared.states.folder.rglob("*") if p.is_file())
                    path.write_bytes(path.read_bytes()[:-70] + bytes(70))
                made.append(self.result(self.ended(self.client.post("/api/jobs/sequences", json=body).json)).json)
                self.assertEqual(len(parsed), (4, 4, 5)[turn])
        self.assertEqual(made[1:], made[:1] * 2)

    def test_a_written_file_is_the_same_bytes(self):
        body = {"scene": self.scene, "population": self.scene["populations"][0]["id"], "format": "csv"}
        job = self.ended(self.client.post("/api/jobs/exports", json=body).json)
        plain = self.client.post("/api/exports", json=body)
        fetched = self.result(job)
        self.assertEqual(fetched.data, plain.data)
        self.assertEqual(fetched.headers["Content-Disposition"], plain.headers["Content-Disposition"])
        self.assertEqual(job["size"], len(plain.data))
        # It is kept until it is thrown away.
        self.assertEqual(self.result(job).status_code, 200)
        listed = self.client.post(f"/api/jobs/{job['id']}/stop").json["jobs"]
        self.assertNotIn(job["id"], [j["id"] for j in listed])
        self.refused(self.result(job), 404)

    def test_what_cannot_be_written_is_told(self):
        body = {"scene": self.scene, "population": "nobody", "format": "csv"}
        job = self.ended(self.client.post("/api/jobs/exports", json=body).json)
        self.assertEqual((job["state"], job["error"]["code"]), ("failed", "unknown_population"))

    def test_odd_questions(self):
        for asked in ("since=-1&wait=x", "since=99999999999999999999&wait=1", "wait=99999", "since=0&wait=0"):
            self.assertEqual(self.client.get(f"/api/jobs?{asked}").status_code, 200)
        self.refused(self.client.post("/api/uploads", data=b"x"), 422, "name")
        self.refused(self.client.post("/api/jobs/nobody/stop"), 404)
        self.refused(self.client.post("/api/jobs/sequences", json={"name": "a", "frames": []}), 422)

    def test_writing_is_stopped(self):
        """A download that is cancelled stops what writes it, not only what carries it."""
        reached, go = threading.Event(), threading.Event()

        def told(progress: Progress, share: float, words: str | None) -> None:
            if progress.words == "writing":
                reached.set()
                go.wait(10)
            plain(progress, share, words)

        plain = Progress.at
        body = {"scene": self.scene, "population": self.scene["populations"][0]["id"], "format": "csv"}
        with mock.patch.object(Progress, "at", told):
            job = self.client.post("/api/jobs/exports", json=body).json
            self.assertTrue(reached.wait(10))
            self.client.post(f"/api/jobs/{job['id']}/stop")
            go.set()
            self.assertEqual(self.ended(job)["state"], "gone")


class Queue(ServerCase):
    def setUp(self):
        super().setUp()
        self.jobs = Jobs()
        self.go = threading.Event()
        self.addCleanup(self.go.set)

    def held(self, task: Task) -> FileMade:
        """Work that goes on until it is let go or stopped."""
        while not self.go.wait(0.01):
            task.check()
        return FileMade(b"x" * 600, "a", "b")

    def until(self, holds) -> None:
        deadline = time.monotonic() + 10
        while not holds():
            self.assertLess(time.monotonic(), deadline)
            time.sleep(0.005)

    def test_so_many_at_once_and_the_others_wait(self):
        begun = [self.jobs.begin("export", str(k), "", self.held) for k in range(4)]
        self.until(lambda: [j.state for j in begun].count("running") == module.AT_ONCE)
        self.assertEqual([j.state for j in begun].count("waiting"), 2)
        # What somebody sits and waits for has places of its own.
        seen = self.jobs.begin("preview", "a look", "", self.held)
        self.until(lambda: seen.state == "running")
        # One that waits is stopped without having begun.
        waiting = next(j for j in begun if j.state == "waiting")
        self.jobs.stop(waiting.id)
        self.until(lambda: waiting.state == "stopped")
        self.assertEqual(waiting.began, 0)
        self.go.set()
        self.until(lambda: all(j.over for j in begun))
        self.assertEqual([j.state for j in begun if j is not waiting], ["done"] * 3)

    def test_kept_within_a_bound(self):
        self.go.set()
        with mock.patch.object(module, "MOST_BYTES", 1500):
            for k in range(6):
                job = self.jobs.begin("export", str(k), "", self.held)
                self.until(lambda job=job: job.over)
        self.assertEqual([j.title for j in self.jobs.changes(None)[1]], ["3", "4", "5"])
        self.go.clear()
        with mock.patch.object(module, "MOST_JOBS", 3):
            for k in range(3):
                self.jobs.begin("export", f"more {k}", "", self.held)
            with self.assertRaises(BadInput):
                self.jobs.begin("export", "one too many", "", self.held)

    def test_questions_are_held_until_something_changes(self):
        version = self.jobs.changes(None)[0]
        answers: list[bool] = []
        asking = [
            threading.Thread(target=lambda: answers.append(self.jobs.changes(version, 10)[2]))
            for _ in range(module.MOST_HELD + 2)
        ]
        for thread in asking:
            thread.start()
        # Those beyond the number that is held are answered at once, so that threads of the server stay free.
        self.until(lambda: len(answers) == 2)
        self.assertEqual(answers, [False, False])
        self.jobs.begin("export", "a", "", self.held)
        for thread in asking:
            thread.join(10)
        self.assertEqual(answers.count(True), module.MOST_HELD)

    def test_what_is_left_is_told_after_a_while(self):
        progress_told = threading.Event()

        def work(task: Task) -> FileMade:
            task.reach(0.25, "half of a half")
            progress_told.set()
            return self.held(task)

        job = self.jobs.begin("export", "a", "", work)
        progress_told.wait(10)
        self.assertIsNone(job.left)
        job.began -= 10
        self.assertAlmostEqual(job.left or 0, 30, delta=2)

    def test_uploads_are_bounded(self):
        with mock.patch.object(uploads_module, "MOST_BYTES", 2500):
            sent = [self.client.post(f"/api/uploads?name=a{k}.ply", data=b"x" * 1000).json["upload"] for k in range(4)]
        kept = [self.client.post("/api/jobs/previews", json={"upload": word}).status_code for word in sent]
        self.assertEqual(kept, [422, 422, 200, 200])


class Tasks(ServerCase):
    def test_parts_nest_and_never_go_back(self):
        heard: list[tuple[float, str]] = []
        progress = Progress(told=lambda p: heard.append((round(p.share, 3), p.words)))
        task = Task(progress=progress)
        for name, part in task.part(0.5, 1).each(["a", "b"], "frame"):
            part.reach(0.5, name)
        task.reach(0.1)
        self.assertEqual(
            heard, [(0.5, "frame 1 of 2"), (0.625, "a"), (0.75, "frame 2 of 2"), (0.875, "b"), (0.875, "b")]
        )

    def test_two_reasons_to_stop(self):
        first, second = threading.Event(), threading.Event()
        task = Task(first.is_set).until(second.is_set).part(0.2, 0.4)
        task.check()
        for reason in (first, second):
            reason.set()
            with self.assertRaises(Stopped):
                task.check()
            reason.clear()

    def test_what_a_request_made_is_json(self):
        """The document of the API lists what a job's result can be."""
        content = self.client.get("/api/openapi.json").json["paths"]["/api/jobs/{job}/result"]["get"]["responses"]
        listed = json.dumps(content["200"])
        for name in ("ImportPreview", "ImportAnswer", "SequenceMade"):
            self.assertIn(name, listed)
