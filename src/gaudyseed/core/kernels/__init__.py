"""Compiled kernels: plain loops over arrays, serial, without the interpreter lock.

Every kernel has an explicit signature, so importing a module of this package
either compiles it or loads it from the disk cache; nothing compiles at a click.

Numba's disk cache does not notice that a helper in another file changed. The
cache folder is therefore named after a digest of all kernel sources, set here
before any kernel module is imported.
"""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

import numba
import platformdirs


def _source_digest() -> str:
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(Path(__file__).parent.glob("*.py")):
        digest.update(path.name.encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()


def _cache_folder() -> str:
    base = os.environ.get("GAUDYSEED_KERNEL_CACHE")
    root = Path(base) if base else Path(platformdirs.user_cache_dir("gaudyseed")) / "kernels"
    return str(root / _source_digest())


numba.config.CACHE_DIR = _cache_folder()

#: Options of every kernel. Serial and lock-free: threads come from ``parallel``.
OPTIONS = {"nogil": True, "cache": True, "fastmath": False, "error_model": "numpy", "boundscheck": False}


def warm() -> None:
    """Import, and with that compile or load, every kernel. Called by set-up."""
    from . import (  # noqa: F401
        blending,
        census,
        components,
        curves,
        drift,
        encoding,
        grading,
        hashing,
        palettes,
        ramps,
        ranking,
        scattering,
        shaping,
        spreading,
        text,
    )
