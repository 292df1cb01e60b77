"""The reader of USD out of one process that has its libraries loaded, for tests of thousands of files.

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

from gaudyseed.core.formats.usd import reader as usd

_FORKS = """
import importlib.util, json, os, sys
spec = importlib.util.spec_from_file_location("worker", sys.argv[1])
worker = importlib.util.module_from_spec(spec)
spec.loader.exec_module(worker)
import numpy
from pxr import Gf, Sdf, Usd, UsdGeom, Vt

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


class Forking:
    """Reads in forks of a process that has the libraries loaded: a fresh one takes a third of a second."""

    def __init__(self) -> None:
        self.asked = 0
        self._others = subprocess.Popen
        self._folder = tempfile.TemporaryDirectory()
        self._said = Path(self._folder.name) / "said"
        self._parent = subprocess.Popen(
            [sys.executable, "-c", _FORKS, str(usd.WORKER)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
            stderr=subprocess.DEVNULL, env={**os.environ, "PXR_WORK_THREAD_LIMIT": "1"},
        )  # fmt: skip

    def process(self, command: list[str], **more: Any) -> Any:
        """In place of ``subprocess.Popen``: one that has ended already; all that reads no USD is started as ever."""
        if command[2] != str(usd.WORKER):
            return self._others(command, **more)
        self.asked += 1
        assert self._parent.stdin and self._parent.stdout
        print(json.dumps([command[3:], str(self._said)]), file=self._parent.stdin, flush=True)
        code = int(self._parent.stdout.readline())
        done = mock.Mock(returncode=code)
        done.communicate.return_value = (None, self._said.read_bytes())
        done.poll.return_value = code
        return done

    def end(self) -> None:
        """Let the parent end."""
        self._parent.communicate()
        self._folder.cleanup()


@contextlib.contextmanager
def forked() -> Iterator[Forking]:
    """While it lasts files of USD are read by forks of one process."""
    reader = Forking()
    try:
        with mock.patch("gaudyseed.core.formats.apart.subprocess.Popen", reader.process):
            yield reader
    finally:
        reader.end()
