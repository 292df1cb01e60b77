"""Compiled kernels: plain loops over arrays, serial, without the interpreter lock.

Every kernel has an explicit signature. Set-up compiles all of them into a disk cache; a kernel is loaded from
there when it is first called, which takes milliseconds, so that a start does not wait for those that nobody needs.

Numba's disk cache does not notice that a helper in another file changed. Each file's kernels therefore lie in
a folder of the cache that is named after a digest of the file and of all kernel files that it imports: an edit
of one compiles that one, and those that use it, anew.
"""

from __future__ import annotations

import ast
import functools
import hashlib
import importlib
import os
import threading
from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from functools import cache
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numba
import platformdirs
from numba.extending import typeof_impl

Kernel = Callable[..., Any]

_HERE = Path(__file__).parent
#: Options of every kernel. Serial and lock-free: threads come from ``parallel``.
_OPTIONS = {"nogil": True, "cache": True, "fastmath": False, "error_model": "numpy", "boundscheck": False}
#: Kernel files in the order in which a cold start compiles them: what others import first, then the slowest.
FILES = (
    "noise", "encoding", "waves", "oklab", "ramps", "hashing", "components", "grading", "blending", "scattering",
    "cells", "drift", "subdividing", "meshes", "text", "wavefront", "lists", "shaping", "spreading", "curves", "owners",
    "palettes", "census", "ranking", "nearest", "falloffs", "pictures", "brushing", "strands", "growing", "cubics",
    "digits", "flying", "trailing", "sweeping",
)  # fmt: skip


@cache
def _imports(name: str) -> tuple[str, ...]:
    """The kernel files that one imports, each once, those that these import too."""
    tree = ast.parse((_HERE / f"{name}.py").read_bytes())
    direct = [n.module for n in ast.walk(tree) if isinstance(n, ast.ImportFrom) and n.level == 1 and n.module in FILES]
    return tuple(dict.fromkeys(other for found in direct if found for other in (found, *_imports(found))))


@cache
def _folder(name: str) -> Path:
    """Where the compiled kernels of a file lie."""
    digest = hashlib.blake2b(digest_size=8)
    for part in (name, *sorted(_imports(name)), "__init__"):
        digest.update(part.encode() + b"\0" + (_HERE / f"{part}.py").read_bytes())
    base = os.environ.get("GAUDYSEED_KERNEL_CACHE")
    root = Path(base) if base else Path(platformdirs.user_cache_dir("gaudyseed")) / "kernels"
    return root / f"{name}-{digest.hexdigest()}"


def _stamp(name: str) -> Path:
    """What lies in the cache once all kernels of a file are there.

    Numba takes none that was made from a file elsewhere, or written at another time, so both are in its name.
    """
    file = _HERE / f"{name}.py"
    made_from = hashlib.blake2b(f"{file} {file.stat().st_mtime_ns}".encode(), digest_size=8)
    return _folder(name) / f"whole-{made_from.hexdigest()}"


class Lazy:
    """A kernel that is compiled, or loaded from the disk cache, when it is first called or put into another one."""

    _lock = threading.RLock()

    def __init__(self, kernel: Kernel, signature: Any, options: dict[str, Any]) -> None:
        self._kernel, self._signature, self._options = kernel, signature, options
        self._dispatcher: Any = None
        functools.update_wrapper(self, kernel)

    @property
    def dispatcher(self) -> Any:
        """Numba's form of it."""
        if self._dispatcher is None:
            with Lazy._lock:
                if self._dispatcher is None:
                    # Read by Numba when it makes the kernel's cache.
                    numba.config.CACHE_DIR = str(_folder(Path(self._kernel.__code__.co_filename).stem))
                    given = () if self._signature is None else (self._signature,)
                    self._dispatcher = numba.njit(*given, **self._options)(self._kernel)
        return self._dispatcher

    def __call__(self, *arguments: Any) -> Any:
        """Call it."""
        # The first call finds it; all others go straight there.
        call = self.__dict__["_dispatcher"] or self.dispatcher
        return call(*arguments)


@typeof_impl.register(Lazy)
def _typed(kernel: Lazy, _context: Any) -> Any:
    """What a kernel is to another one that calls it: the same as if it were not lazy."""
    return numba.types.Dispatcher(kernel.dispatcher)


def compiled(signature: Any = None, **more: Any) -> Callable[[Kernel], Kernel]:
    """Decorates a kernel: for a signature, compiled or loaded when it is first called.

    ``forceinline=True`` puts a helper into those that call it.
    """
    return lambda kernel: Lazy(kernel, signature, {**_OPTIONS, **more})


def cold() -> list[str]:
    """The kernel files that have not been compiled yet, as they stand."""
    return [name for name in FILES if not _stamp(name).exists()]


def warm(say: Callable[[str], None] = lambda _: None) -> None:
    """Compile every kernel that has not been. Called by set-up, and at a start.

    What is cold is compiled in processes of their own, as many at a time as there are processors; ``say`` hears
    how far that is.
    """
    missing = cold()
    if len(missing) > 1:
        _compile_apart(missing, say)
    for name in cold():
        _load(name)


def _load(name: str) -> None:
    """Compile all kernels of a file, and note that it is whole."""
    for kernel in vars(importlib.import_module(f"{__name__}.{name}")).values():
        if isinstance(kernel, Lazy):
            kernel.dispatcher  # noqa: B018 - what it is wanted for is that it is there
    _folder(name).mkdir(parents=True, exist_ok=True)
    _stamp(name).touch()


def _compile_apart(missing: list[str], say: Callable[[str], None]) -> None:
    """Compile kernel files in other processes, each as soon as those that it imports are there.

    What goes wrong there comes up when the files are imported here.
    """
    waiting, running, ready = list(missing), {}, 0
    with ProcessPoolExecutor(os.cpu_count() or 1, get_context("spawn")) as pool:
        while waiting or running:
            open_ = {*waiting, *running.values()}
            for name in [n for n in waiting if not open_ & set(_imports(n))]:
                waiting.remove(name)
                running[pool.submit(_load, name)] = name
            for done in wait(running, return_when=FIRST_COMPLETED).done:
                del running[done]
                ready += 1
                say(f"compiled {ready} of {len(missing)} kernel files")
