"""One blueprint a resource."""

from . import elements, evaluations, exports, imports, populations, ramps, scenes, steps

BLUEPRINTS = [m.blueprint for m in (scenes, elements, evaluations, populations, imports, exports, ramps, steps)]
