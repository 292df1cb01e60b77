"""One blueprint a resource."""

from . import evaluations, exports, imports, populations, ramps, scenes, steps

BLUEPRINTS = [m.blueprint for m in (scenes, evaluations, populations, imports, exports, ramps, steps)]
