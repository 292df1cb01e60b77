"""melanin: the colour of hair from how much of its two pigments it has."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from ...colour.spaces import to_hex
from ...documents.limits import Share
from ...kinds import COLOUR, Kind
from ...scene.follow import Follow
from ..step.base import Step
from ..step.reported import Outcome
from ..step.values import Context, Plan, Value

#: What a unit of eumelanin and of pheomelanin absorbs of red, green and blue: d'Eon, Francois, Hill, Letteri and Aubry,
#: "An Energy-Conserving Hair Reflectance Model", EGSR 2011, table of the supplemental material.
EUMELANIN, PHEOMELANIN = (0.419, 0.697, 1.37), (0.187, 0.4, 1.05)
#: Named by what they look like: eumelanin and pheomelanin, chosen by eye.
SWATCHES: dict[str, tuple[float, float]] = {
    "Black": (3.0, 0.2), "Dark brown": (0.9, 0.15), "Chestnut": (0.3, 0.4), "Copper": (0.02, 0.6),
    "Fair": (0.012, 0.04), "White": (0.0, 0.0),
}  # fmt: skip

_Amount = Annotated[float, Field(ge=0, le=8)]


def breadth(roughness: Any) -> Any:
    """The denominator between the root of an absorption and the logarithm of the colour seen.

    A polynomial in the azimuthal roughness, fitted to simulated fibres: Chiang, Bitterli, Tappan and Burley, "A
    Practical and Controllable Hair and Fur Model for Production Path Tracing", CGF 35(2), 2016, equation 9.

    >>> breadth(0.0), round(breadth(0.3), 6)
    (5.969, 5.888415)
    """
    b = roughness
    return 5.969 - 0.215 * b + 2.532 * b**2 - 10.73 * b**3 + 5.574 * b**4 + 0.245 * b**5


def hair_colour(eumelanin: np.ndarray, pheomelanin: np.ndarray, roughness: np.ndarray | float) -> np.ndarray:
    """(m, 3) linear float32 in 0..1: the colour of a mass of hair with these amounts of pigment, (m,) each.

    ``roughness`` is one for all, or (m,).

    Chiang et al. 2016, equation 9 solved for the colour: exp(-breadth * sqrt(absorption)).

    >>> hair_colour(np.array([0.0]), np.array([0.0]), 0.3).tolist()
    [[1.0, 1.0, 1.0]]
    """
    eu, pheo = np.array(EUMELANIN, np.float32), np.array(PHEOMELANIN, np.float32)
    found = eumelanin.astype(np.float32)[:, None] * eu
    found += pheomelanin.astype(np.float32)[:, None] * pheo
    np.sqrt(found, out=found)
    found *= -np.asarray(breadth(roughness), np.float32).reshape(-1, 1)
    return np.exp(found, out=found)


def _swatches() -> list[JsonDict]:
    found: list[JsonDict] = []
    for name, (eumelanin, pheomelanin) in SWATCHES.items():
        colour = to_hex(hair_colour(np.array([eumelanin]), np.array([pheomelanin]), 0.3)[0])
        found.append({"name": name, "eumelanin": eumelanin, "pheomelanin": pheomelanin, "colour": colour})
    return found


class Melanin(Step):
    """The colour of hair by its pigments, after Chiang et al. 2016 with the coefficients of d'Eon et al. 2011.

    By the amounts of eumelanin (black and brown) and pheomelanin (red and yellow), or by their sum and the part of it
    that is pheomelanin.
    """

    title: ClassVar[str] = "Melanin"
    noun: ClassVar[str] = "a hair colour"
    summary: ClassVar[str] = "hair colours by their two pigments"
    gives: ClassVar[Kind] = COLOUR

    step: Literal["melanin"]
    by: Literal["amounts", "redness"] = Field(
        "amounts", title="By", json_schema_extra={"words": ["Two amounts", "Amount and redness"]}
    )
    eumelanin: _Amount | Follow = Field(
        0.3, title="Eumelanin", description="Black and brown pigment.",
        json_schema_extra={"when": {"by": "amounts"}, "swatches": _swatches()},  # type: ignore[dict-item]
    )  # fmt: skip
    pheomelanin: _Amount | Follow = Field(
        0.4, title="Pheomelanin", description="Red and yellow pigment.", json_schema_extra={"when": {"by": "amounts"}}
    )
    amount: _Amount | Follow = Field(
        0.7, title="Amount", description="Of both pigments.", json_schema_extra={"when": {"by": "redness"}}
    )
    redness: Share | Follow = Field(
        0.4, title="Redness", description="The part of the amount that is pheomelanin.",
        json_schema_extra={"when": {"by": "redness"}, "unit": "share"},
    )  # fmt: skip
    roughness: Share | Follow = Field(
        0.3, title="Roughness around", description="How far light spreads around the fibre; rough hair looks a little "
        "more saturated.",
    )  # fmt: skip

    @property
    def _names(self) -> tuple[str, str]:
        """The two numbers that tell the pigments."""
        return ("eumelanin", "pheomelanin") if self.by == "amounts" else ("amount", "redness")

    def _amounts(self, one: np.ndarray, two: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Eumelanin and pheomelanin out of these two numbers."""
        return (one, two) if self.by == "amounts" else (one * (1 - two), one * two)

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear float32 in 0..1."""
        one, two = (context.numbers(self, name) for name in self._names)
        fixed = self.roughness if isinstance(self.roughness, float) else None
        rough = context.numbers(self, "roughness")

        def fill(a: int, b: int, out: np.ndarray) -> None:
            out[:] = hair_colour(*self._amounts(one(a, b), two(a, b)), rough(a, b) if fixed is None else fixed)

        return Plan(fill)

    def strip(self, count: int) -> list[str]:
        """Its one colour; none where it differs from element to element."""
        if self.followed:
            return []
        one, two = (np.array([getattr(self, name)], float) for name in self._names)
        found = hair_colour(*self._amounts(one, two), float(self.roughness))  # type: ignore[arg-type]
        return [to_hex(found[0])]

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """Its colour, where that is one for all."""
        return {"melanin": self.strip(1)}
