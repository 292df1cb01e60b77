"""One blueprint a resource."""

from . import elements, evaluations, exports, imports, populations, ramps, scenes, signals, steps

BLUEPRINTS = [
    m.blueprint for m in (scenes, elements, evaluations, populations, imports, exports, ramps, signals, steps)
]
