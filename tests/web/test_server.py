"""The real server: its doors, its places, its memory, and what a data file that cannot be used does to it."""

from __future__ import annotations

import http.client
import json
import os
import socket
import sqlite3
import stat
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.error
import urllib.request
from pathlib import Path
from unittest import mock

from click.testing import CliRunner

from gaudyseed.cli import main
from gaudyseed.web.server import HEAD_SECONDS
from tests.support import beetle_scene


class Served(unittest.TestCase):
    """One server in a process of its own."""

    OPTIONS: tuple[str, ...] = ()

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.data = Path(folder.name) / "data.sqlite"
        self.start()

    def start(self) -> None:
        command = [sys.executable, "-m", "gaudyseed.cli", "serve", "--no-open", "--port", "0", "--data", str(self.data)]
        self.server = subprocess.Popen(
            [*command, *self.OPTIONS], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
        )
        self.addCleanup(self.end)
        self.address = self.server.stdout.readline().split()[-1]
        self.port = int(self.address.split(":")[2].split("/")[0])

    def end(self) -> None:
        self.server.terminate()
        self.server.wait(20)
        self.server.stdout.close()

    def ask(self, path: str, body: dict | bytes | None = None, **headers: str) -> tuple[int, dict]:
        """Status and answer, however it ends."""
        data = json.dumps(body).encode() if isinstance(body, dict) else body
        head = {"Content-Type": "application/json", **headers}
        request = urllib.request.Request(f"http://localhost:{self.port}/api/{path}", data, head)
        try:
            with urllib.request.urlopen(request, timeout=120) as answer:
                return answer.status, json.loads(answer.read() or b"{}") if "json" in answer.headers[
                    "Content-Type"
                ] else {}
        except urllib.error.HTTPError as error:
            return error.code, json.loads(error.read())

    def connected(self) -> socket.socket:
        found = socket.create_connection(("localhost", self.port), timeout=20)
        self.addCleanup(found.close)
        return found


class Places(Served):
    def test_half_open_connections_lock_nobody_out(self):
        self.assertNotEqual(self.port, 0)
        held = [self.connected() for _ in range(450)]
        for one in held[::2]:
            one.sendall(b"GET /api/scenes HT")
        began = time.monotonic()
        self.assertEqual(self.ask("scenes")[0], 200)
        self.assertLess(time.monotonic() - began, 5)
        # One byte now and then keeps no place.
        slow, end = held[-2], time.monotonic() + HEAD_SECONDS + 8
        while time.monotonic() < end:
            try:
                slow.sendall(b"T")
                time.sleep(1)
            except OSError:
                break
        self.assertLess(time.monotonic(), end, "it was closed")

    def test_a_body_is_not_received_where_documents_are_smaller(self):
        one = self.connected()
        one.sendall(b"POST /api/evaluations HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\n"
                    b"Content-Length: 500000000\r\n\r\n")  # fmt: skip
        self.assertIn(b"413", one.recv(200))

    def test_the_files_beside_the_data_are_nobody_elses(self):
        self.ask("scenes", {"document": beetle_scene()})
        beside = [p for p in self.data.parent.iterdir() if p.name.startswith("data.sqlite")]
        self.assertGreater(len(beside), 1, "the write-ahead log is there")
        for path in beside:
            self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o600, path.name)


class Token(Served):
    OPTIONS = ("--token", "open sesame \u00e9")

    def test_nobody_sends_a_body_without_it(self):
        for head in (b"Content-Length: 500000000", b"Transfer-Encoding: chunked"):
            one = self.connected()
            one.sendall(b"POST /api/imports?name=a.csv HTTP/1.1\r\nHost: localhost\r\n" + head + b"\r\n\r\n")
            answer = one.recv(2000)
            self.assertIn(b"401", answer)
            self.assertIn(b"token_wanted", answer + one.recv(2000))
        self.assertEqual(self.ask("scenes", Authorization="Bearer nothing")[0], 401)
        token = self.OPTIONS[1].encode().decode("latin-1")
        plain = http.client.HTTPConnection("localhost", self.port, timeout=20)
        plain.request("GET", "/api/scenes?token=open%20sesame%20%C3%A9")
        answer = plain.getresponse()
        self.assertEqual((answer.status, answer.read() != b""), (302, True))
        plain.request("GET", "/api/scenes", headers={"Cookie": answer.headers["Set-Cookie"].split(";")[0]})
        self.assertEqual(plain.getresponse().status, 200)
        plain.close()
        self.assertEqual(self.ask("scenes", Authorization=f"Bearer {token}")[0], 200)


class Memory(Served):
    OPTIONS = ("--memory", "0.4")

    def test_large_looks_give_their_memory_back(self):
        """Six looks of 120 steps on some 200,000 elements, 1 GB of results; 0.4 GB are kept."""
        scene = beetle_scene()
        chain = [{"step": "random", "seed": 1}, *[{"step": "levels", "gamma": 1 + 0.01 * k} for k in range(40)]]
        ends = [{"at": 0, "colour": "#112233"}, {"at": 1, "colour": "#ffeeaa"}]
        chain += [{"step": "ramp", "stops": ends}, *[{"step": "grade", "gamma": 1.2 + 0.01 * k} for k in range(20)]]
        statuses = []

        def one(k: int) -> None:
            layers = [{"paint": [{"step": "random", "seed": 10 * k + j}, *chain[1:]], "amount": 0.5} for j in range(2)]
            maker = {"maker": "scatter", "surface": "sheet", "count": 187_000 + 3_000 * k, "evenness": 0, "size": 0.01}
            look = {"gaudyseed": 3, "lanes": {"base_colour": {"layers": layers}}}
            entry = {**scene["populations"][0], "maker": maker, "look": look}
            wanted = [{"population": entry["id"], "census": False}]
            body = {"scene": {**scene, "populations": [entry]}, "wanted": wanted}
            statuses.append(self.ask("evaluations", body)[0])

        for k in range(0, 6, 3):
            threads = [threading.Thread(target=one, args=(k + j,)) for j in range(3)]
            [t.start() for t in threads]
            [t.join() for t in threads]
        self.assertEqual(statuses, [200] * 6)
        # The server lets go of a result after its last byte was sent, which may be after it was received.
        until = time.monotonic() + 10
        while (held := self.held()) >= 900 and time.monotonic() < until:
            time.sleep(0.2)
        self.assertLess(held, 900)

    def held(self) -> float:
        """MB in memory."""
        status = Path(f"/proc/{self.server.pid}/status").read_text()
        return next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmRSS")) / 1024

    def test_an_import_stops_when_its_client_has_gone(self):
        rows = "0.123456789,0.2,0.3\n" * 2_000_000
        data = b"x,y,z\n" + rows.encode()
        one = self.connected()
        head = (
            f"POST /api/imports/preview?name=a.csv HTTP/1.1\r\nHost: localhost\r\nContent-Length: {len(data)}\r\n\r\n"
        )
        one.sendall(head.encode() + data)
        one.close()
        worst = 0.0
        for _ in range(20):
            began = time.monotonic()
            self.assertEqual(self.ask("scenes")[0], 200)
            worst = max(worst, time.monotonic() - began)
        self.assertLess(worst, 1)


class Bad(unittest.TestCase):
    """Each data file that cannot be used: one sentence at the start, exit code 2, and the file is left as it is."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "data.sqlite"

    def refused(self, word: str, process: bool = False) -> None:
        """In a process of its own, as the user has it, or in this one, which must not come to serving."""
        arguments = ["serve", "--no-open", "--port", "0", "--data", str(self.path)]
        if process:
            command = [sys.executable, "-m", "gaudyseed.cli", *arguments]
            done = subprocess.run(command, capture_output=True, text=True, timeout=60)
            code, told = done.returncode, done.stderr
        else:
            with mock.patch("gaudyseed.cli._bound", side_effect=AssertionError("it serves")):
                ended = CliRunner().invoke(main, arguments)
            code, told = ended.exit_code, ended.stderr
        self.assertEqual(code, 2, told)
        self.assertEqual(len(told.strip().splitlines()), 1, told)
        self.assertIn(word, told)

    def made(self) -> None:
        from gaudyseed.store import Store

        store = Store(self.path)
        store.migrate()
        store.create('{"name": "A"}', "Begin")
        store.close()

    def test_foreign_and_damaged(self):
        self.path.write_bytes(b"not a database, but a text that is long enough to be taken for one" * 40)
        before = self.path.read_bytes()
        self.refused("no data file of Gaudy Seed")
        self.assertEqual(self.path.read_bytes(), before)
        self.path.unlink()
        other = sqlite3.connect(self.path)
        other.execute("create table recipes (name text)")
        other.commit()
        other.close()
        self.refused("no data file of Gaudy Seed")
        with sqlite3.connect(self.path) as again:
            self.assertEqual([r[0] for r in again.execute("select name from sqlite_master")], ["recipes"])
        self.path.unlink()
        self.made()
        whole = self.path.read_bytes()
        self.path.write_bytes(whole[:100] + b"\xff" * (len(whole) - 100))
        self.refused("damaged")

    def test_newer(self):
        self.made()
        with sqlite3.connect(self.path) as connection:
            connection.execute("update alembic_version set version_num = '9999'")
        self.refused("newer Gaudy Seed", process=True)

    def test_locked(self):
        self.made()
        holder = sqlite3.connect(self.path, isolation_level=None)
        holder.execute("begin exclusive")
        self.addCleanup(holder.close)
        self.refused("held by another program")

    def test_a_folder_in_its_place_and_a_folder_that_is_a_file(self):
        self.path.mkdir()
        self.refused("cannot be opened")
        self.path.rmdir()
        blocked = self.folder / "file"
        blocked.write_text("x")
        self.path = blocked / "data.sqlite"
        self.refused("cannot be opened")

    def test_read_only(self):
        self.made()
        # Another user's file: rights say nothing to root, so the file system itself refuses.
        if os.geteuid() == 0 and subprocess.run(["chattr", "+i", str(self.path)], capture_output=True).returncode == 0:
            self.addCleanup(lambda: subprocess.run(["chattr", "-i", str(self.path)], check=True))
        else:
            self.path.chmod(0o400)
            if os.geteuid() == 0:
                self.skipTest("nothing is read-only to root here")
        self.refused("cannot be")

    def test_two_starts_at_the_same_moment(self):
        options = ["--no-open", "--port", "8911", "--data", str(self.path)]
        command = [sys.executable, "-m", "gaudyseed.cli", "demo", *options]
        both = [subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) for _ in range(2)]
        addresses = [one.stdout.readline().split()[-1:] for one in both]
        for one in both:
            one.terminate()
            said = one.communicate(timeout=20)[1]
            self.assertNotIn("Traceback", said)
        self.assertEqual(len({a[0] for a in addresses if a}), 2, addresses)
