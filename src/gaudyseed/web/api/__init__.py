"""One blueprint a resource."""

from . import (
    assets,
    colours,
    costs,
    elements,
    evaluations,
    exports,
    imports,
    jobs,
    library,
    motion,
    painting,
    palettes,
    populations,
    scenes,
    signals,
    steps,
    uploads,
)

BLUEPRINTS = [
    m.blueprint
    for m in (
        scenes,
        elements,
        evaluations,
        populations,
        costs,
        imports,
        uploads,
        jobs,
        exports,
        colours,
        palettes,
        library,
        motion,
        signals,
        steps,
        assets,
        painting,
    )
]
