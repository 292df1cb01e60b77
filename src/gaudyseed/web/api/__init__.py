"""One blueprint a resource."""

from . import elements, evaluations, exports, imports, library, palettes, populations, ramps, scenes, signals, steps

BLUEPRINTS = [
    m.blueprint
    for m in (scenes, elements, evaluations, populations, imports, exports, ramps, palettes, library, signals, steps)
]
