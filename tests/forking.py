"""The readers of USD and of pictures out of processes that have their libraries loaded, for tests of many files.

A fork of it reads up to a hundred of them, or as many until one stops it; then it forks anew.
"""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import mock

from gaudyseed.core.formats import pictures
from gaudyseed.core.formats.usd import reader as usd

_FORKS = """
import importlib, importlib.util, json, os, sys
spec = importlib.util.spec_from_file_location("worker", sys.argv[1])
worker = importlib.util.module_from_spec(spec)
spec.loader.exec_module(worker)
for library in sys.argv[2:]:
    importlib.import_module(library)

def begun():
    asked, answered = os.pipe(), os.pipe()
    child = os.fork()
    if child:
        os.close(asked[0]), os.close(answered[1])
        return child, os.fdopen(asked[1], "w"), os.fdopen(answered[0])
    os.close(asked[1]), os.close(answered[0])
    answers = os.fdopen(answered[1], "w")
    for line in os.fdopen(asked[0]):
        arguments, said = json.loads(line)
        file = os.open(said, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
        os.dup2(file, 2)
        os.close(file)
        print(worker.main(arguments), file=answers, flush=True)
    os._exit(0)

child = None
for k, line in enumerate(sys.stdin):
    if child is None:
        child, questions, answers = begun()
    print(line, end="", file=questions, flush=True)
    code = answers.readline()
    if not code or k % 100 == 99:
        questions.close(), answers.close()
        ended = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        child = None
    print(code.strip() or ended, flush=True)
"""


#: The workers that read files apart, each with the libraries that it takes a third of a second to load.
_WORKERS = {
    str(usd.WORKER): ("numpy", "pxr.Gf", "pxr.Sdf", "pxr.Usd", "pxr.UsdGeom", "pxr.Vt"),
    str(pictures.WORKER): ("numpy", "OpenImageIO"),
}


class Forking:
    """Reads in forks of processes that have the libraries loaded."""

    def __init__(self) -> None:
        self.asked = 0
        self._others = subprocess.Popen
        self._folder = tempfile.TemporaryDirectory()
        self._said = Path(self._folder.name) / "said"
        self._parents: dict[str, subprocess.Popen[str]] = {}

    def _parent(self, worker: str) -> subprocess.Popen[str]:
        if worker not in self._parents:
            self._parents[worker] = self._others(
                [sys.executable, "-c", _FORKS, worker, *_WORKERS[worker]], stdin=subprocess.PIPE,
                stdout=subprocess.PIPE, text=True, stderr=subprocess.DEVNULL,
                env={**os.environ, "PXR_WORK_THREAD_LIMIT": "1"},
            )  # fmt: skip
        return self._parents[worker]

    def process(self, command: list[str], **more: Any) -> Any:
        """In place of ``subprocess.Popen``: one that has ended already; all other is started as ever."""
        if command[2] not in _WORKERS:
            return self._others(command, **more)
        self.asked += 1
        parent = self._parent(command[2])
        assert parent.stdin and parent.stdout
        print(json.dumps([command[3:], str(self._said)]), file=parent.stdin, flush=True)
        code = int(parent.stdout.readline())
        done = mock.Mock(returncode=code)
        done.communicate.return_value = (None, self._said.read_bytes())
        done.poll.return_value = code
        return done

    def end(self) -> None:
        """Let the parents end."""
        for parent in self._parents.values():
            parent.communicate()
        self._folder.cleanup()


@contextlib.contextmanager
def forked() -> Iterator[Forking]:
    """While it lasts files of USD and pictures are read by forks of one process each."""
    reader = Forking()
    try:
        with mock.patch("gaudyseed.core.formats.apart.subprocess.Popen", reader.process):
            yield reader
    finally:
        reader.end()
