"""The command line: the same bytes as the application, exit 2 and one sentence on bad input."""

import contextlib
import json
import os
import pty
import re
import signal
import socket
import stat
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from click.testing import CliRunner
from flask import Flask

from gaudyseed.cli import _bound, main
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import read_points
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.scene.model import Scene
from gaudyseed.web.security import Guard
from tests.support import FIVE, beetle_scene, look_document, ply_text, ramp


class CommandLine(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        places = np.random.default_rng(1).normal(size=(300, 3))
        cls.points = cls.folder / "points.ply"
        cls.points.write_bytes(ply_text([" ".join(map(repr, p)) for p in places.tolist()]))
        cls.document = look_document({"step": "random", "seed": 42}, ramp([0, 0.2, 0.5, 0.7, 0.9], FIVE))
        cls.look = cls.folder / "look.json"
        cls.look.write_text(json.dumps(cls.document))

    def run_it(self, *arguments):
        """The command in this process; what it does not foresee is raised."""
        with contextlib.chdir(self.folder):
            done = CliRunner().invoke(main, ["colour", *map(str, arguments)])
        if done.exception and not isinstance(done.exception, SystemExit):
            raise done.exception
        return subprocess.CompletedProcess(arguments, done.exit_code, done.stdout, done.stderr)

    def run_apart(self, *arguments):
        """The command in a process of its own."""
        command = [sys.executable, "-m", "gaudyseed.cli", "colour", *map(str, arguments)]
        return subprocess.run(command, capture_output=True, text=True, cwd=self.folder, check=False)


class Watched(CommandLine):
    def test_a_bar_on_a_terminal_and_a_clean_end(self):
        """Frames that are there are whole when it is interrupted; the bar is drawn on a terminal alone."""
        out = self.folder / "frames" / "f.csv"
        out.parent.mkdir()
        command = [sys.executable, "-m", "gaudyseed.cli", "colour", str(self.points), "--look", str(self.look)]
        ours, theirs = pty.openpty()
        process = subprocess.Popen([*command, "--frames", "1-9000", "--out", str(out)], stderr=theirs)
        os.close(theirs)
        deadline = time.monotonic() + 60
        while len(list(out.parent.glob("f.*.csv"))) < 3 and time.monotonic() < deadline:
            time.sleep(0.02)
        process.send_signal(signal.SIGINT)
        self.assertEqual(process.wait(20), 130)
        said = b""
        with contextlib.suppress(OSError):  # a terminal whose other end is closed
            while part := os.read(ours, 65_536):
                said += part
        os.close(ours)
        written = sorted(out.parent.iterdir())
        self.assertGreaterEqual(len(written), 3)
        count, last = re.search(r"Stopped; (\d+) written, the last is (\S+)\.\s", said.decode()).groups()
        # One may have come into its place right before the end.
        self.assertIn(len(written) - int(count), (0, 1))
        self.assertEqual(last, written[int(count) - 1].name)
        self.assertIn(b"writing", said)
        for path in written:
            self.assertEqual(read_points(path.read_bytes(), path.name).count, 300)
        done = self.run_it(self.points, "--look", self.look, "--out", "quiet.csv")
        self.assertEqual(done.returncode, 0)
        self.assertNotIn("%", done.stderr)


class Colour(CommandLine):
    def test_the_same_bytes_as_the_core(self):
        population = read_points(self.points.read_bytes(), "points.ply")
        evaluator = Evaluator()
        wanted = evaluator.sent(
            evaluator.evaluate(population, Look.model_validate(self.document)).lanes["base_colour"]
        )[1]
        for name, run in (("out.ply", self.run_apart), ("out.csv", self.run_it)):
            done = run(self.points, "--look", self.look, "--out", name, "--census")
            self.assertEqual(done.returncode, 0, done.stderr)
            back = read_points((self.folder / name).read_bytes(), name)
            np.testing.assert_array_equal(back.elements.own["colour"].values, wanted)
            self.assertIn("300 elements", done.stdout)
            shares = [line.split() for line in done.stdout.splitlines()[1:]]
            self.assertEqual([s[0] for s in shares], FIVE)
            self.assertEqual(sum(int(s[1]) for s in shares), 300)

    def test_dials_are_given_by_name(self):
        follows = self.folder / "follows.json"
        colours = ["#000000", {"dial": "glow"}]
        chain = look_document({"step": "random", "seed": {"dial": "night"}}, ramp([0, 0.5], colours))
        follows.write_text(json.dumps(chain))
        command = (self.points, "--look", follows, "--census")
        done = self.run_it(*command, "--dial", "night=7", "--dial", "glow=#ff8800")
        self.assertIn("#ff8800", done.stdout, done.stderr)
        for dials, word in (
            ((), "'night'"),
            (("--dial", "night"), "no dial"),
            (("--dial", "night=nope"), "not a colour"),
        ):
            refused = self.run_it(*command, *dials)
            self.assertEqual(refused.returncode, 2)
            self.assertIn(word, refused.stderr)

    def test_bad_input(self):
        bad = self.folder / "bad.json"
        bad.write_text('{"gaudyseed": 3, "lanez": {}}')
        wrong = self.folder / "wrong.json"
        wrong.write_text(json.dumps(look_document({"step": "attribute", "name": "wear"}, ramp([0], FIVE[:1]))))
        cases = [
            ((self.points, "--look", bad, "--out", "no.ply"), "lanez"),
            (
                (self.points, "--look", wrong, "--out", "no.ply"),
                "wrong.json, lanes.base_colour.layers[0].paint[0].name",
            ),
            ((self.folder / "none.ply", "--look", self.look, "--out", "no.ply"), "none.ply"),
            ((self.points, "--look", self.look, "--out", "no.xyz"), ".xyz"),
            ((self.look, "--look", self.look, "--out", "no.ply"), "look.json"),
            ((self.points, "--look", self.look), "--out"),
            ((self.points, "--look", self.look, "--out", "nowhere/no.ply"), "nowhere"),
        ]
        for arguments, word in cases:
            done = self.run_it(*arguments)
            self.assertEqual(done.returncode, 2, arguments)
            self.assertIn(word, done.stderr)
            self.assertEqual(len([x for x in done.stderr.splitlines() if x.startswith("gaudyseed:")]), 1)
            self.assertFalse((self.folder / "no.ply").exists())
        self.assertEqual([p.name for p in self.folder.glob(".*")], [])


class Channels(CommandLine):
    """Shapes, finishes and channels without the page."""

    def test_all_go_home_headless(self):
        look = self.folder / "send.json"
        lanes = {**self.document["lanes"], "roughness": {"layers": [{"paint": [{"step": "random", "seed": 5}]}]}}
        shapes = [{"shape": "card"}, {"mesh": "knob"}]
        document = {**self.document, "lanes": lanes, "shapes": shapes, "finishes": [{"name": "Foil", "metalness": 1}]}
        look.write_text(json.dumps(document))
        knob = self.folder / "knob.obj"
        knob.write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n")
        for ending, words in (("glb", b"knob"), ("usda", b'"knob"'), ("mtlx", b"open_pbr_surface"),
                              ("ply", b"property float roughness")):  # fmt: skip
            out = self.folder / f"sent.{ending}"
            done = self.run_it(self.points, "--look", look, "--out", out, "--mesh", f"knob={knob}")
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn(words, out.read_bytes())
        plain = self.run_it(self.points, "--look", self.look, "--out", self.folder / "a.usda", "--shape", "rosette")
        self.assertEqual(plain.returncode, 0, plain.stderr)
        self.assertIn(b'"rosette"', (self.folder / "a.usda").read_bytes())
        wrong = {
            "--mesh NAME=FILE": (),
            "is no mesh": ("--mesh", "knob"),
            "no faces": ("--mesh", f"knob={self.points}"),
            "is no shape": ("--shape", "egg"),
        }
        for sentence, more in wrong.items():
            done = self.run_it(self.points, "--look", look, "--out", self.folder / "no.glb", *more)
            self.assertEqual(done.returncode, 2)
            self.assertIn(sentence, done.stderr)
            self.assertFalse((self.folder / "no.glb").exists())


class Writing(CommandLine):
    """A written file is whole or not there; what was there keeps its rights and its links."""

    def setUp(self):
        self.out = self.folder / "written.ply"
        self.out.unlink(missing_ok=True)
        self.command = (self.points, "--look", self.look, "--out")

    def hidden(self) -> list[str]:
        return [p.name for p in self.folder.rglob("*") if p.name.startswith(".")]

    def test_rights_and_links_are_kept(self):
        real = self.folder / "elsewhere"
        real.mkdir(exist_ok=True)
        target = real / "target.ply"
        target.write_bytes(b"old")
        target.chmod(0o640)
        self.out.symlink_to(target)
        self.assertEqual(self.run_it(*self.command, self.out).returncode, 0)
        self.assertTrue(self.out.is_symlink())
        self.assertEqual(stat.S_IMODE(target.stat().st_mode), 0o640)
        self.assertTrue(target.read_bytes().startswith(b"ply"))
        fresh = self.folder / "fresh.csv"
        self.assertEqual(self.run_it(*self.command, fresh).returncode, 0)
        mask = os.umask(0)
        os.umask(mask)
        self.assertEqual(stat.S_IMODE(fresh.stat().st_mode), 0o666 & ~mask)
        self.assertEqual(self.hidden(), [])

    def test_a_pipe_is_written_to_as_it_is(self):
        pipe = self.folder / "pipe.csv"
        os.mkfifo(pipe)
        self.addCleanup(pipe.unlink)
        read: list[bytes] = []
        reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
        reader.start()
        self.assertEqual(self.run_it(*self.command, pipe).returncode, 0)
        reader.join(20)
        self.assertEqual(len(read[0].splitlines()), 301)
        self.assertTrue(stat.S_ISFIFO(pipe.stat().st_mode))

    def test_names_of_every_length(self):
        for length in (200, 251, 255):
            name = "n" * (length - 4) + ".ply"
            done = self.run_it(*self.command, name)
            self.assertEqual(done.returncode, 0, done.stderr)
            (self.folder / name).unlink()
        done = self.run_it(*self.command, "n" * 300 + ".ply")
        self.assertEqual(done.returncode, 2)
        self.assertIn("File name too long", done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(self.hidden(), [])

    def test_a_file_that_claims_a_hundred_gigabytes(self):
        sparse = self.folder / "sparse.ply"
        with sparse.open("wb") as file:
            file.write(b"ply\nformat binary_little_endian 1.0\n")
            file.truncate(100 * 10**9)
        self.addCleanup(sparse.unlink)
        for arguments in ((sparse, "--look", self.look), (self.points, "--look", sparse)):
            done = self.run_it(*arguments, "--out", self.out)
            self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
            self.assertIn("MB are taken", done.stderr)

    def test_an_end_in_the_middle_leaves_no_partial_file(self):
        """The write is held up in its sync, and the program told to end there."""
        self.out.write_bytes(b"old")
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            code = (
                "import os, signal, sys, time\n"
                "signal.signal(signal.SIGINT, signal.default_int_handler)\n"  # a shell's background jobs ignore it
                "signal.signal(signal.SIGHUP, signal.SIG_DFL)\n"
                "def held(handle):\n    print('held', flush=True)\n    time.sleep(30)\n"
                "os.fsync = held\n"
                f"sys.argv = ['gaudyseed', 'colour', {str(self.points)!r}, '--look', {str(self.look)!r}, "
                f"'--out', {str(self.out)!r}]\n"
                "from gaudyseed.cli import main\nmain()\n"
            )
            running = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, stderr=subprocess.PIPE)
            self.assertEqual(running.stdout.readline(), b"held\n")
            self.assertEqual(len(self.hidden()), 1)
            running.send_signal(number)
            said = running.communicate(timeout=20)[1]
            self.assertNotEqual(running.returncode, 0)
            self.assertNotIn(b"Traceback", said)
            self.assertEqual((self.hidden(), self.out.read_bytes()), ([], b"old"), number)

    def test_no_number_and_no_infinity_in_a_file(self):
        far = self.folder / "far.csv"
        far.write_text("x,y,z,v\n0,0,0,3e38\n1,0,0,-3e38\n0,1,0,1\n")
        wild = self.folder / "wild.json"
        chain = look_document(
            {"step": "formula", "text": "position * v * 1e30"}, {"step": "component", "part": "length"},
            {"step": "range", "own": True}, ramp([0, 0.5], FIVE[:2], interpolation="straight"),
        )  # fmt: skip
        wild.write_text(json.dumps(chain))
        done = self.run_it(far, "--look", wild, "--out", "far-out.csv")
        self.assertEqual(done.returncode, 0, done.stderr)
        text = (self.folder / "far-out.csv").read_text().lower()
        self.assertNotIn("nan", text)
        self.assertNotIn("inf", text)


class Serving(unittest.TestCase):
    def run_it(self, *arguments: str) -> subprocess.CompletedProcess:
        with tempfile.TemporaryDirectory() as folder:
            command = [sys.executable, "-m", "gaudyseed.cli", "serve", "--no-open", "--data", f"{folder}/data.sqlite"]
            return subprocess.run([*command, *arguments], capture_output=True, text=True, timeout=60)

    def test_a_first_start_says_that_it_compiles(self):
        def warm(say) -> None:
            say("compiled 1 of 31 kernel files")

        kernels = "gaudyseed.core.kernels"
        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch(f"{kernels}.cold", return_value=["noise"]),
            mock.patch(f"{kernels}.warm", warm),
            mock.patch("gaudyseed.cli._bound", side_effect=KeyError),
        ):
            done = CliRunner().invoke(main, ["serve", "--no-open", "--data", f"{folder}/data.sqlite"])
        self.assertIn("takes about two minutes", done.stderr)
        self.assertIn("compiled 1 of 31", done.stderr)

    def test_ports_and_addresses_that_cannot_be_had(self):
        holders = []
        for port in range(65500, 65536):
            holder = socket.socket()
            self.addCleanup(holder.close)
            holder.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                holder.bind(("127.0.0.1", port))
                holder.listen()
            except OSError:
                continue
            holders.append(holder)
        self.assertGreater(len(holders), 30)
        done = self.run_it("--port", "65500")
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
        self.assertIn("No free port from 65500 to 65535", done.stderr)
        for host, port, word in (
            ("127.0.0.1", 65535, "No free port from 65535"),
            ("no.such.host.invalid", 8473, "--host"),
            ("203.0.113.7", 8473, "cannot be used"),
        ):
            with self.assertRaises(BadInput) as caught:
                _bound(Flask("nothing"), Guard("x", (host,)), host, port)
            self.assertIn(word, caught.exception.sentence)


class Demo(unittest.TestCase):
    def test_the_scene_is_valid_and_has_twelve_thousand_sequins(self):
        maker = parse(Scene, beetle_scene()).populations[0].maker
        self.assertEqual(maker.make(None).count, 12_000)
