"""One blueprint a resource."""

from . import (
    assets,
    colours,
    costs,
    elements,
    evaluations,
    exports,
    imports,
    library,
    painting,
    palettes,
    populations,
    scenes,
    signals,
    steps,
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
        exports,
        colours,
        palettes,
        library,
        signals,
        steps,
        assets,
        painting,
    )
]
