"""What the core notices: why a look does less than it seems to, and what to do.

An advisory has a code, a place in the look, the reason as a sentence and, where
there are any, fixes: a label and JSON Patch operations (RFC 6902) on the look.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from ..look.step.reported import Advisory
from ..registry import import_all
from .registered import ADVISERS, Adviser, Evidence, advise, read_by_all

import_all(__name__, __path__)

__all__ = ["ADVISERS", "Adviser", "Advisory", "Evidence", "advise", "document", "read_by_all"]


def document(advisory: Advisory) -> dict[str, Any]:
    """An advisory as JSON."""
    return asdict(advisory)
