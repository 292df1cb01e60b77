"""Formulas: ordinary arithmetic over columns, in a safe subset of Python expressions.

The text is parsed by Python's ``ast`` and only listed nodes are accepted: numbers,
names, arithmetic, comparison, ``and``, ``or``, ``not``, ``a if c else b`` and calls of
the listed functions by position. There are no attributes, subscripts, texts (but for
``value("a name")``), comprehensions or assignments, and nothing is ever handed to
Python to run: the tree is walked here, over arrays.
"""

from __future__ import annotations

import ast
import difflib
import keyword
import warnings
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from .errors import BadInput
from .kernels import shaping
from .population.attribute import WHOLE_FLOAT32, WHOLE_FLOAT64, loses_digits

_BLANKS = str.maketrans("\n\r\t", "   ")
LONGEST = 1000
MOST_NODES = 300
DEEPEST = 40

#: Arrays, or single numbers that stand for all elements.
Array = Any

# Python warns of odd literals while it parses; the parser's error is what the person gets.
warnings.filterwarnings("ignore", category=SyntaxWarning, module="<unknown>")
#: Finds the column of a name for the elements start to stop: (m,), (m, 3) or one number.
Lookup = Callable[[str, int, int], Array]

CONSTANTS = {"pi": np.pi, "tau": 2 * np.pi}


def _numbers(mask: Array) -> Array:
    return np.asarray(mask, np.float32)


def _columns(a: Array, b: Array) -> tuple[Array, Array]:
    """Lay a number beside a vector: (m,) becomes (m, 1)."""
    a, b = np.asarray(a), np.asarray(b)
    if a.ndim == 1 and b.ndim == 2:
        return a[:, None], b
    if a.ndim == 2 and b.ndim == 1:
        return a, b[:, None]
    return a, b


def _joined(work: Callable[[Array, Array], Array]) -> Callable[[Array, Array], Array]:
    return lambda a, b: work(*_columns(a, b))


def _truth(value: Array) -> Array:
    value = np.asarray(value)
    return value if value.dtype == bool else value != 0


def _where(condition: Array, yes: Array, no: Array) -> Array:
    yes, no = _columns(yes, no)
    condition = _truth(condition)
    if condition.ndim == 1 and max(yes.ndim, no.ndim) == 2:
        condition = condition[:, None]
    if condition.ndim != 1 or max(yes.ndim, no.ndim) != 1 or np.float64 in (yes.dtype, no.dtype):
        return np.where(condition, yes, no)
    sides = [np.ascontiguousarray(np.broadcast_to(side, condition.shape), np.float32) for side in (yes, no)]
    out = np.empty(len(condition), np.float32)
    shaping.select(np.ascontiguousarray(condition), *sides, out)
    return out


def _mix(a: Array, b: Array, t: Array) -> Array:
    a, b = _columns(a, b)
    step, part = _columns(b - a, t)
    base, scaled = _columns(a, step * part)
    return base + scaled


def _clamp(v: Array, low: Array, high: Array) -> Array:
    return _joined(np.minimum)(_joined(np.maximum)(v, low), high)


def _length(v: Array) -> Array:
    v = np.asarray(v)
    return np.sqrt((v * v).sum(axis=1)) if v.ndim == 2 else np.abs(v)


def _normalise(v: Array) -> Array:
    v = np.asarray(v)
    size = _length(v)
    size = np.where(size > 0, size, 1).astype(np.float32)
    return v / (size[:, None] if v.ndim == 2 else size)


def _axis(k: int) -> Callable[[Array], Array]:
    def pick(v: Array) -> Array:
        v = np.asarray(v)
        if v.ndim != 2 or v.shape[1] <= k:
            raise TypeError(f"wants a vector with a {'xyz'[k]}")
        return v[:, k]

    return pick


def _fold(work: Callable[[Array, Array], Array]) -> Callable[..., Array]:
    def run(first: Array, *rest: Array) -> Array:
        for other in rest:
            first = _joined(work)(first, other)
        return first

    return run


#: Name: (fewest arguments, most arguments, arithmetic).
FUNCTIONS: dict[str, tuple[int, int, Callable[..., Array]]] = {
    "where": (3, 3, _where),
    "clamp": (3, 3, _clamp),
    "mix": (3, 3, _mix),
    "min": (2, 8, _fold(np.minimum)),
    "max": (2, 8, _fold(np.maximum)),
    "power": (2, 2, _joined(np.power)),
    "modulo": (2, 2, _joined(np.mod)),
    "floor": (1, 1, np.floor),
    "ceil": (1, 1, np.ceil),
    "round": (1, 1, np.round),
    "abs": (1, 1, np.abs),
    "sign": (1, 1, np.sign),
    "sqrt": (1, 1, np.sqrt),
    "exp": (1, 1, np.exp),
    "log": (1, 1, np.log),
    "sin": (1, 1, np.sin),
    "cos": (1, 1, np.cos),
    "length": (1, 1, _length),
    "normalise": (1, 1, _normalise),
    "x": (1, 1, _axis(0)),
    "y": (1, 1, _axis(1)),
    "z": (1, 1, _axis(2)),
}
#: Functions that are looked up like names: ``random(seed)`` and ``value("a name")``.
LOOKED_UP = ("random", "value")
_ALL = f"There are: {', '.join([*FUNCTIONS, *LOOKED_UP])}."

_BINARY: dict[type[ast.operator], Callable[[Array, Array], Array]] = {
    ast.Add: np.add,
    ast.Sub: np.subtract,
    ast.Mult: np.multiply,
    ast.Div: np.divide,
    ast.Mod: np.mod,
    ast.FloorDiv: np.floor_divide,
    ast.Pow: np.power,
}
_COMPARE: dict[type[ast.cmpop], Callable[[Array, Array], Array]] = {
    ast.Lt: np.less,
    ast.LtE: np.less_equal,
    ast.Gt: np.greater,
    ast.GtE: np.greater_equal,
    ast.Eq: np.equal,
    ast.NotEq: np.not_equal,
}


def _wrong(node: ast.AST, sentence: str) -> BadInput:
    at = getattr(node, "col_offset", 0)
    return BadInput(f"At character {at + 1}: {sentence}", code="bad_formula")


@dataclass(frozen=True)
class Formula:
    """A checked formula. ``names`` are the columns it reads, ``seeds`` those of its randoms."""

    text: str
    tree: ast.expr

    @cached_property
    def names(self) -> tuple[str, ...]:
        """Names it reads, without constants and functions."""
        called = {id(n.func) for n in ast.walk(self.tree) if isinstance(n, ast.Call)}
        found = {
            n.id: None
            for n in ast.walk(self.tree)
            if isinstance(n, ast.Name) and id(n) not in called and n.id not in CONSTANTS
        }
        for n in ast.walk(self.tree):
            if isinstance(n, ast.Constant) and isinstance(n.value, str):
                found[n.value] = None
        return tuple(found)

    def place_of(self, name: str) -> int:
        """The character, counted from 1, where a name first stands."""
        for n in ast.walk(self.tree):
            if (isinstance(n, ast.Name) and n.id == name) or (isinstance(n, ast.Constant) and n.value == name):
                return n.col_offset + 1
        return 1

    def counted_off(self, most: int) -> tuple[int, tuple[int, int]] | None:
        """The least n of ``index % n`` or ``id % n`` in it, up to so many, and where that stands; None where none does.

        >>> parse_formula("index % 3 / 3").counted_off(64)
        (3, (0, 9))
        """
        found = []
        for node in ast.walk(self.tree):
            pair: tuple[ast.expr, ast.expr] | None = None
            if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mod):
                pair = node.left, node.right
            elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "modulo":
                pair = node.args[0], node.args[1]
            if pair is None or not isinstance(pair[0], ast.Name) or pair[0].id not in ("index", "id"):
                continue
            by = pair[1].value if isinstance(pair[1], ast.Constant) else None
            if isinstance(by, int | float) and by == int(by) and 2 <= by <= most:
                assert isinstance(node, ast.expr) and node.end_col_offset is not None
                found.append((int(by), (node.col_offset, node.end_col_offset)))
        return min(found, default=None)

    @property
    def far_constants(self) -> bool:
        """Whether it holds whole numbers that float32 would round."""
        numbers = [n.value for n in ast.walk(self.tree) if isinstance(n, ast.Constant) and isinstance(n.value, int)]
        return any(map(loses_digits, numbers))

    def over(self, lookup: Lookup, start: int, stop: int, out: Array | None = None, number: type = np.float32) -> Array:
        """(m,) or (m, k) float32 for the elements start to stop; NaN and infinities become 0.

        Parameters
        ----------
        out
            Where the result is written, if that is given.
        number
            The type that its constants have. With float64, and columns of it, whole numbers are worked out exactly
            up to 2^53.

        Raises
        ------
        BadInput
            Where values do not go together, or the result is a whole number beyond 2^24 that float32 would round.
        """
        with np.errstate(all="ignore"):
            found = np.asarray(self._value(self.tree, lookup, start, stop, number))
            if found.dtype == np.float64:
                _keeps_digits(found)
            found = found.astype(np.float32, copy=False)
        if out is None:
            out = np.empty(found.shape if found.ndim else stop - start, np.float32)
        np.copyto(out, found)
        shaping.tidy(out.reshape(-1))
        return out

    def _value(self, node: ast.expr, lookup: Lookup, a: int, b: int, number: type) -> Array:
        def of(child: ast.expr) -> Array:
            return self._value(child, lookup, a, b, number)

        try:
            match node:
                case ast.Constant(value=int() | float() as v):
                    return number(v)
                case ast.Name(id=name):
                    return number(CONSTANTS[name]) if name in CONSTANTS else lookup(name, a, b)
                case ast.BinOp(left=left, op=op, right=right):
                    return _joined(_BINARY[type(op)])(of(left), of(right))
                case ast.UnaryOp(op=ast.Not()) | ast.BoolOp() | ast.Compare():
                    return _numbers(self._truth(node, lookup, a, b, number))
                case ast.UnaryOp(op=op, operand=operand):
                    return np.negative(of(operand)) if isinstance(op, ast.USub) else of(operand)
                case ast.IfExp(test=test, body=body, orelse=other):
                    return _where(self._truth(test, lookup, a, b, number), of(body), of(other))
                case ast.Call(func=ast.Name(id="where"), args=[test, body, other]):
                    return _where(self._truth(test, lookup, a, b, number), of(body), of(other))
                case ast.Call(func=ast.Name(id="value"), args=[ast.Constant(value=str() as name)]):
                    return lookup(name, a, b)
                case ast.Call(func=ast.Name(id="random"), args=[ast.Constant(value=int() as seed)]):
                    return lookup(f"random({seed})", a, b)
                case ast.Call(func=ast.Name(id=name), args=args):
                    return FUNCTIONS[name][2](*[of(v) for v in args])
        except BadInput:
            raise
        except (TypeError, ValueError) as error:
            raise _wrong(node, f"these values do not go together ({error}).") from None
        raise _wrong(node, "this cannot stand in a formula.")

    def _truth(self, node: ast.expr, lookup: Lookup, a: int, b: int, number: type) -> Array:
        """Whether the value of a part is not 0; comparisons need not become numbers for that."""
        match node:
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return np.logical_not(self._truth(operand, lookup, a, b, number))
            case ast.BoolOp(op=op, values=values):
                both = np.logical_and if isinstance(op, ast.And) else np.logical_or
                return _fold(both)(*[self._truth(v, lookup, a, b, number) for v in values])
            case ast.Compare(left=left, ops=ops, comparators=others):
                sides = [self._value(v, lookup, a, b, number) for v in (left, *others)]
                parts = [_joined(_COMPARE[type(op)])(p, q) for op, p, q in zip(ops, sides, sides[1:], strict=False)]
                return _fold(np.logical_and)(*parts)
        return _truth(self._value(node, lookup, a, b, number))


def _keeps_digits(values: np.ndarray) -> None:
    """BadInput where float32 would round a whole number beyond 2^24."""
    far = values[(np.abs(values) > WHOLE_FLOAT32) & (np.abs(values) <= WHOLE_FLOAT64)]
    lost = (far == np.floor(far)) & (far.astype(np.float32) != far)
    if lost.any():
        raise BadInput(
            f"The formula gives {far[lost][0]:,.0f}, whose last digits the next steps would lose: whole numbers are "
            f"kept up to {WHOLE_FLOAT32:,}. Subtract the least first, or take a remainder with %.",
            code="digits_lost",
        )  # fmt: skip


@lru_cache(maxsize=256)
def parse_formula(text: str) -> Formula:
    """Check a formula; BadInput points at the character that is wrong."""
    if len(text) > LONGEST:
        raise BadInput(f"The formula has {len(text)} characters; at most {LONGEST} are taken.", code="bad_formula")
    # Line ends would shift the characters that errors point at.
    line = text.translate(_BLANKS).rstrip()
    try:
        tree = ast.parse(line or " ", mode="eval").body
    except SyntaxError as error:
        at = error.offset or 1
        rest = text[max(at - 1, 0) :].rstrip()
        what = f"{rest[:12]!r} does not fit here"
        if not rest or _could_go_on(line):
            at, what = len(line) + 1, "something is missing"
        raise BadInput(f"At character {at}: {what}.", code="bad_formula") from None
    except (ValueError, MemoryError, RecursionError, OverflowError):
        raise BadInput(
            "The formula cannot be read: it is nested too deeply or holds odd characters.", code="bad_formula"
        ) from None
    _check(tree)
    return Formula(text, tree)


_MARKS = (ast.operator, ast.cmpop, ast.boolop, ast.unaryop, ast.expr_context)


def _could_go_on(line: str) -> bool:
    """Whether one more number would complete the text."""
    try:
        ast.parse(f"{line} 1", mode="eval")
    except (SyntaxError, ValueError, MemoryError, RecursionError, OverflowError):
        return False
    return bool(line)


def _check(tree: ast.expr) -> None:
    level: list[ast.AST] = [tree]
    seen = 0
    for _ in range(DEEPEST):
        seen += len(level)
        if seen > MOST_NODES:
            raise _wrong(level[0], f"the formula has more than {MOST_NODES} parts. Divide it.")
        for node in level:
            _check_node(node)
        level = [child for node in level for child in ast.iter_child_nodes(node) if not _part_of_call(node, child)]
        level = [n for n in level if not isinstance(n, _MARKS)]
        if not level:
            return
    raise _wrong(level[0], f"the formula is nested deeper than {DEEPEST} levels. Divide it.")


def _part_of_call(node: ast.AST, child: ast.AST) -> bool:
    """The function's name and a text or seed in brackets are checked with the call itself."""
    if not isinstance(node, ast.Call):
        return False
    return child is node.func or (isinstance(node.func, ast.Name) and node.func.id in LOOKED_UP)


def _check_node(node: ast.AST) -> None:
    match node:
        case ast.Constant(value=v):
            if isinstance(v, bool) or not isinstance(v, int | float) or not abs(v) <= 1e30:
                raise _wrong(node, f"{ascii(v)[:20]} is not a number that can be used.")
        case ast.Name() | ast.BoolOp() | ast.IfExp():
            pass
        case ast.BinOp(op=op):
            if type(op) not in _BINARY:
                raise _wrong(node, "this operator is not known. There are + - * / % // **.")
        case ast.UnaryOp(op=op):
            if isinstance(op, ast.Invert):
                raise _wrong(node, "~ is not known. Write not.")
        case ast.Compare(ops=ops):
            if any(type(op) not in _COMPARE for op in ops):
                raise _wrong(node, "this comparison is not known. There are < <= > >= == !=.")
        case ast.Call():
            _check_call(node)
        case _:
            raise _wrong(node, "this cannot stand in a formula: only numbers, names, arithmetic and functions.")


def _check_call(node: ast.Call) -> None:
    if not isinstance(node.func, ast.Name) or node.keywords or any(isinstance(a, ast.Starred) for a in node.args):
        raise _wrong(node, "a function is called by its name, with values in brackets.")
    name, given = node.func.id, len(node.args)
    if name == "value":
        if given != 1 or not isinstance(node.args[0], ast.Constant) or not isinstance(node.args[0].value, str):
            raise _wrong(node, 'value wants one name in quotes, such as value("part name").')
        return
    if name == "random":
        seed = node.args[0].value if given == 1 and isinstance(node.args[0], ast.Constant) else None
        if type(seed) is not int or not 0 <= seed < 2**32:
            raise _wrong(node, "random wants one whole number as its seed, such as random(7).")
        return
    if name not in FUNCTIONS:
        near = difflib.get_close_matches(name, [*FUNCTIONS, *LOOKED_UP], n=3, cutoff=0.5)
        raise _wrong(node, f"there is no function {name[:40]!r}. " + (f"Nearest: {', '.join(near)}." if near else _ALL))
    few, most, _ = FUNCTIONS[name]
    if not few <= given <= most:
        wanted = str(few) if few == most else f"{few} to {most}"
        raise _wrong(node, f"{name} wants {wanted} values, but {given} are given.")


def renamed_in_formula(text: str, old: str, new: str) -> str:
    """The formula with one name in place of another; all else stays as it was typed."""
    data = text.encode()
    tree = parse_formula(text).tree
    plain = new.isidentifier() and new not in CONSTANTS and not keyword.iskeyword(new)
    called = {id(n.func) for n in ast.walk(tree) if isinstance(n, ast.Call)}
    swaps: list[tuple[int, int, str]] = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and node.id == old and id(node) not in called:
            swaps.append((node.col_offset, node.end_col_offset or 0, new if plain else f'value("{new}")'))
        elif isinstance(node, ast.Constant) and node.value == old:
            swaps.append((node.col_offset, node.end_col_offset or 0, f'"{new}"'))
    for start, end, word in sorted(swaps, reverse=True):
        data = data[:start] + word.encode() + data[end:]
    return data.decode()
