"""One blueprint a resource."""

from . import colours, elements, evaluations, exports, imports, library, palettes, populations, scenes, signals, steps

BLUEPRINTS = [
    m.blueprint
    for m in (scenes, elements, evaluations, populations, imports, exports, colours, palettes, library, signals, steps)
]
