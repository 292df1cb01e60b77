"""Scenes as the page sends them: populations may come as texts of JSON.

Those that came before are not read again.
"""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BeforeValidator

from ..core.documents.document import parse, parse_json
from ..core.runtime.cache import ResultCache
from ..core.scene.model import PopulationDocument, Scene

#: Populations by their text: of a scene that is edited, most come again and again.
_read = ResultCache(64 * 1024 * 1024)


def _unfolded(scene: Any) -> Any:
    if not isinstance(scene, dict) or not isinstance(scene.get("populations"), list):
        return scene
    return {**scene, "populations": [_population(p, k) for k, p in enumerate(scene["populations"])]}


def _population(given: Any, number: int) -> Any:
    if not isinstance(given, str):
        return given
    found = _read.get(given)
    if found is None:
        place = f"scene.populations[{number}]"
        found = parse(PopulationDocument, parse_json(given, place), place)
        _read.put(given, found, 20 * len(given))
    return found


#: A scene as the page sends it.
Draft = Annotated[Scene, BeforeValidator(_unfolded)]
