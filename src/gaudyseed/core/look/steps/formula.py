"""formula: arithmetic over what elements carry."""

from __future__ import annotations

import operator
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...documents.paths import pointer, replacing
from ...errors import BadInput, Fix
from ...formula import FUNCTIONS, LOOKED_UP, Lookup, parse_formula, renamed_in_formula
from ...formula import Formula as Parsed
from ...geometry.nearest import spacing
from ...kernels import hashing
from ...kinds import NUMBER, Kind, vector
from ...names import nearest
from ...population.attribute import WHOLE_FLOAT32, WHOLE_FLOAT64, loses_digits
from ..scope import Scope
from ..step.base import Step
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value

#: Larger than usual: each part of a formula costs a call for each chunk.
CHUNK = 1 << 17
_STREAM = np.uint32(0x464F524D)
#: Names that are no attributes: the element's number from 0, how many there are, and time (still 0).
TIMES = ("frame", "seconds")
BUILT_IN = ("index", "count", *TIMES)


#: Counting off by more than so many is no pattern that is found.
_COUNTED_OFF = 64
#: How many spacings elements that follow one another stand apart at most where they stand in rows.
_BESIDE = 2.5


def _in_rows(places: np.ndarray) -> bool:
    """Whether most elements stand beside the ones before them."""
    apart = spacing(places)
    if not apart > 0:
        return False
    steps = np.linalg.norm(np.diff(places[:4096].astype(np.float64), axis=0), axis=1)
    return float((steps < _BESIDE * apart).mean()) > 0.8


class Formula(Step):
    """Arithmetic over attributes, signals, dials and index, count, frame, seconds; random(seed) per element.

    Comparisons give 1 or 0. Results that are no number (a division by zero) become 0.
    An attribute goes before a signal, a dial and a built-in name.
    """

    title: ClassVar[str] = "Formula"
    noun: ClassVar[str] = "a formula"
    summary: ClassVar[str] = "arithmetic over the values that elements carry"
    aim: ClassVar = "values"

    step: Literal["formula"]
    text: str = Field(
        "index / count", min_length=1, max_length=1000, title="Formula",
        description="Such as where(random(5) < 0.14, 1, random(3) * 0.5)",
        json_schema_extra={"control": "formula", "functions": [*FUNCTIONS, *LOOKED_UP]},
    )  # fmt: skip

    @field_validator("text")
    @classmethod
    def _readable(cls, text: str) -> str:
        parse_formula(text)
        return text

    def renamed_texts(self, old: str, new: str) -> dict[str, Any]:
        """The formula with a name renamed."""
        return {"text": renamed_in_formula(self.text, old, new)}

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """A warning that it counts off elements in a row, which makes a pattern that the eye finds."""
        found = parse_formula(self.text).counted_off(_COUNTED_OFF)
        elements = outcome.scope.elements
        position = elements.find("position")
        if found is None or elements.count < 4 * found[0] or position is None or not _in_rows(position.readable):
            return
        n, (start, stop) = found
        # Columns count in bytes of UTF-8.
        line = self.text.encode()
        other = (line[:start] + f"floor(random(1) * {n})".encode() + line[stop:]).decode()
        yield Advisory(
            "counted_off", outcome.place,
            f"{line[start:stop].decode()!r} counts off elements that stand beside one another, which makes a pattern "
            "that the eye finds.",
            (Fix(f"Take a random one of {n}", [put(f"{pointer(outcome.place)}/text", other)]),),
        )  # fmt: skip

    def attributes_read(self) -> tuple[str, ...]:
        """The attributes that its formula names."""
        return parse_formula(self.text).names

    def _parsed(self, scope: Scope, place: str) -> Parsed:
        """The formula with all its names found."""
        parsed = parse_formula(self.text)
        for name in parsed.names:
            if name in scope.elements.names:
                column = scope.attribute(name, f"{place}.text")
                exact = column.precise() if column.width == 1 and any(column.beyond) else None
                if exact is not None and exact.dtype.kind == "i" and np.abs(exact).max() > WHOLE_FLOAT64:
                    raise BadInput(
                        f"At character {parsed.place_of(name)}: {name!r} has whole numbers beyond {WHOLE_FLOAT64:,}, "
                        "whose last digits arithmetic would lose. Read random per it, or Attribute and Even out.",
                        place=f"{place}.text", code="digits_lost",
                    )  # fmt: skip
                if column.kind == "text":
                    raise BadInput(
                        f"At character {parsed.place_of(name)}: {name!r} holds texts, which have no arithmetic.",
                        place=f"{place}.text", code="wrong_kind",
                    )  # fmt: skip
            elif name in scope.signals:
                scope.signal_kind(name, f"{place}.text")
            elif name in scope.dials:
                if isinstance(scope.dials[name].value, str):
                    raise BadInput(
                        f"At character {parsed.place_of(name)}: the dial {name!r} is a colour without arithmetic.",
                        place=f"{place}.text", code="wrong_kind",
                    )  # fmt: skip
            elif name not in BUILT_IN:
                known = [*scope.elements.names, *scope.signals, *scope.dials]
                hint, twin = nearest(name, known)
                mended = [replacing(f"{place}.text", renamed_in_formula(self.text, name, twin))] if twin else []
                raise BadInput(
                    f"At character {parsed.place_of(name)}: No attribute, signal or dial is called {name!r} here. "
                    f"{hint}",
                    place=f"{place}.text", code="unknown_attribute",
                    fix=Fix(f"Read {twin} instead", mended) if twin else None,
                )  # fmt: skip
        return parsed

    def signals_read(self) -> set[str]:
        """All its names; those that are no signals do not count."""
        return set(parse_formula(self.text).names)

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """Tried on one element: a number or a vector of three."""
        parsed = self._parsed(scope, place)
        one = min(scope.elements.count, 1)
        stand_ins = {}
        for name in parsed.names:
            if name in scope.signals and name not in scope.elements.names:
                kind = scope.signal_kind(name, place)
                stand_ins[name] = Value(kind, np.zeros(kind.shape(one), np.float32))
        number = _number(parsed, scope)
        try:
            found = parsed.over(_lookup(scope, stand_ins, number), 0, one, None, number)
        except BadInput as error:
            raise BadInput(error.sentence, place=f"{place}.text", code=error.code) from None
        if found.ndim == 2 and found.shape[1] != 3:
            raise BadInput(
                f"The formula gives {found.shape[1]} numbers for each element; one or three are wanted. "
                "Take a part of it with x(), y() or z().",
                place=f"{place}.text", code="wrong_kind",
            )  # fmt: skip
        return vector(3) if found.ndim == 2 else NUMBER

    def depends_on(self, scope: Scope) -> list[Any]:
        """The columns and dials that it reads, and the element keys."""
        names, elements = parse_formula(self.text).names, scope.elements
        columns = [elements.attribute(n).digest for n in names if n in elements.names]
        dials = [scope.dials[n].value for n in names if n in scope.dials]
        moment = [getattr(scope.moment, n) for n in TIMES if n in names]
        return [columns, dials, moment, elements.key_digest, elements.count]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, 3) float32, chunk by chunk: no whole-array temporaries."""
        parsed = self._parsed(context.scope, context.place)
        number = _number(parsed, context.scope)
        lookup = _lookup(context.scope, context.signals, number)

        def fill(a: int, b: int, out: np.ndarray) -> None:
            try:
                parsed.over(lookup, a, b, out, number)
            except BadInput as error:
                raise BadInput(error.sentence, place=f"{context.place}.text", code=error.code) from None

        return Plan(fill, chunk=CHUNK)


def _number(parsed: Parsed, scope: Scope) -> type:
    """The type that a formula is worked out in: float64 where it reads whole numbers that float32 would round."""
    elements = scope.elements
    columns = [elements.find(name) for name in parsed.names]
    dials = [scope.dials[n].value for n in parsed.names if n in scope.dials]
    counted = {"index", "count"} & set(parsed.names) and _total(scope) > WHOLE_FLOAT32
    far = any(isinstance(v, float) and loses_digits(v) for v in dials)
    beyond = any(column is not None and any(column.beyond) for column in columns)
    return np.float64 if beyond or counted or far or parsed.far_constants else np.float32


def _total(scope: Scope) -> int:
    """How many elements there are, in all blocks."""
    return scope.surroundings.whole.measured("count", lambda: scope.elements.count, operator.add)


def _lookup(scope: Scope, signals: Mapping[str, Value], number: type) -> Lookup:
    elements = scope.elements

    def find(name: str, start: int, stop: int) -> Any:
        carried = elements.find(name)
        if carried is not None and any(carried.beyond):
            parts = [carried.precise(k)[start:stop].astype(np.float64) for k in range(carried.width)]
            return parts[0] if carried.values.ndim == 1 else np.stack(parts, axis=1)
        if carried is not None:
            return carried.readable[start:stop]
        if name in signals:
            return signals[name].array[start:stop]
        if name in scope.dials:
            return number(scope.dials[name].value)
        if name == "index":
            before = scope.surroundings.whole.offset
            return np.arange(before + start, before + stop, dtype=number)
        if name == "count":
            return number(_total(scope))
        if name.startswith("random("):
            low, high = elements.keys
            out = np.empty(stop - start, np.float32)
            seed = np.uint32(int(name[7:-1]))
            hashing.random_one(low[start:stop], high[start:stop], seed, _STREAM, out)
            return out
        return number(getattr(scope.moment, name)) if name in TIMES else np.float32(0)

    return find
