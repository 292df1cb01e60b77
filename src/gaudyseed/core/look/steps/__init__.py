"""The steps. One file a step, which registers itself."""

from __future__ import annotations

from ...registry import import_all
from ..step.base import STEPS, AnyStep, Step, carried_out
from ..step.values import Context, Value

import_all(__name__, list(__path__))

__all__ = ["STEPS", "AnyStep", "Context", "Step", "Value", "carried_out"]
