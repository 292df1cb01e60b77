"""Cells of text files, found and read as numbers without the interpreter's lock.

A number is worked out here where that is exact: a mantissa below 2^53 times or divided by a power
of ten up to 10^22, both of which float64 holds (Clinger 1990, "How to Read Floating Point Numbers
Accurately"). What is longer is left to the caller.
"""

from __future__ import annotations

import numpy as np
from numba import int64, types, void
from numba.types import Array, float64, uint8

from . import compiled

BYTES = Array(uint8, 1, "C", readonly=True)
OFFSETS = Array(int64, 1, "C")
OFFSETS_IN = Array(int64, 1, "C", readonly=True)

#: What a cell is: nothing, a whole number of at most 18 digits, a number that was worked out, one with too many digits
#: for that, or something else.
EMPTY, WHOLE, NUMBER, LONG, ODD = 0, 1, 2, 3, 4
#: Why a reader of cells stopped: it did not; a row has another number of cells; a cell is too long; a quote is not
#: closed; something follows a closing quote.
FINE, RAGGED, TOO_LONG, OPEN_QUOTE, AFTER_QUOTE = 0, 1, 2, 3, 4

TENS = np.array([10.0**k for k in range(23)])
_MOST = np.int64(2**53)
_TAB, _LINE, _RETURN, _SPACE, _QUOTE, _COMMA = 9, 10, 13, 32, 34, 44
_ANSWER = types.UniTuple(int64, 4)


@compiled("boolean(uint8)", forceinline=True)
def _blank(c):  # type: ignore[no-untyped-def]
    """White space within a line, as ``bytes.split`` has it."""
    return c == _SPACE or (c >= _TAB and c <= 12 and c != _LINE)


@compiled(_ANSWER(BYTES, int64, int64, int64, int64, OFFSETS, OFFSETS))
def blank_cells(data, at, width, rows, longest, starts, stops):  # type: ignore[no-untyped-def]
    """Find the cells of up to ``rows`` lines, parted by blanks, ``width`` in each.

    Returns how many lines were read, where the next one begins, why it stopped, and how many
    cells the line has that stopped it.
    """
    n = data.shape[0]
    row = np.int64(0)
    while row < rows and at < n:
        found = np.int64(0)
        first = at
        while at < n and data[at] != _LINE and data[at] != _RETURN:
            if _blank(data[at]):
                at += 1
                continue
            begin = at
            while at < n and not _blank(data[at]) and data[at] != _LINE and data[at] != _RETURN:
                at += 1
            if at - begin > longest:
                return row, first, np.int64(TOO_LONG), at - begin
            if found < width:
                starts[row * width + found] = begin
                stops[row * width + found] = at
            found += 1
        if found != width:
            return row, first, np.int64(RAGGED), found
        at += 2 if at + 1 < n and data[at] == _RETURN and data[at + 1] == _LINE else 1
        row += 1
    return row, min(at, n), np.int64(FINE), np.int64(0)


@compiled(int64(BYTES, int64, int64))
def skip_lines(data, at, lines):  # type: ignore[no-untyped-def]
    """Where the line begins that comes so many lines later; -1 where there are not so many."""
    n = data.shape[0]
    for _ in range(lines):
        if at >= n:
            return np.int64(-1)
        while at < n and data[at] != _LINE and data[at] != _RETURN:
            at += 1
        at += 2 if at + 1 < n and data[at] == _RETURN and data[at + 1] == _LINE else 1
    return min(at, n)


@compiled(int64(BYTES, int64, int64))
def filled_lines(data, at, most):  # type: ignore[no-untyped-def]
    """How many lines hold more than blanks, at most ``most``."""
    n = data.shape[0]
    found = np.int64(0)
    filled = False
    while at < n and found < most:
        if data[at] == _LINE or data[at] == _RETURN:
            found += 1 if filled else 0
            filled = False
        elif not _blank(data[at]):
            filled = True
        at += 1
    return found + (1 if filled and at >= n else 0)


@compiled(_ANSWER(BYTES, int64, int64, int64, int64, OFFSETS, OFFSETS, Array(uint8, 1, "C")))
def comma_cells(data, at, width, rows, longest, starts, stops, quoted):  # type: ignore[no-untyped-def]
    """Find the cells of up to ``rows`` records of CSV (RFC 4180), ``width`` in each; empty lines are passed over.

    ``quoted`` becomes 1 where a cell stood in quotes, 2 where quotes within it are doubled; its
    ends lie inside the quotes. Returns what ``blank_cells`` does.
    """
    n = data.shape[0]
    row = np.int64(0)
    while row < rows and at < n:
        if data[at] == _LINE or data[at] == _RETURN:
            at += 1
            continue
        first = at
        found = np.int64(0)
        more = True
        while more:
            mark = np.uint8(0)
            if at < n and data[at] == _QUOTE:
                mark = np.uint8(1)
                at += 1
                begin = at
                while at < n:
                    if data[at] == _QUOTE:
                        if at + 1 < n and data[at + 1] == _QUOTE:
                            mark = np.uint8(2)
                            at += 1
                        else:
                            break
                    at += 1
                if at >= n:
                    return row, first, np.int64(OPEN_QUOTE), found
                end = at
                at += 1
                if at < n and data[at] != _COMMA and data[at] != _LINE and data[at] != _RETURN:
                    return row, first, np.int64(AFTER_QUOTE), found
            else:
                begin = at
                while at < n and data[at] != _COMMA and data[at] != _LINE and data[at] != _RETURN:
                    at += 1
                end = at
            if end - begin > longest:
                return row, first, np.int64(TOO_LONG), end - begin
            if found < width:
                k = row * width + found
                starts[k], stops[k], quoted[k] = begin, end, mark
            found += 1
            more = at < n and data[at] == _COMMA
            at += 1 if more else 0
        if found != width:
            return row, first, np.int64(RAGGED), found
        row += 1
    return row, min(at, n), np.int64(FINE), np.int64(0)


@compiled(types.Tuple((float64, int64, uint8))(BYTES, int64, int64), forceinline=True)
def number(data, at, b):  # type: ignore[no-untyped-def]
    """The number in the bytes up to ``b``, its value as a whole number where it is one, and what it is."""
    negative = data[at] == 45
    if data[at] == 45 or data[at] == 43:
        at += 1
    mantissa, digits, scale = np.int64(0), 0, 0
    significant, plain, fits = 0, True, True
    point = False
    while at < b:
        c = data[at]
        if c >= 48 and c <= 57:
            digits += 1
            scale += 1 if point else 0
            significant += 1 if significant > 0 or c != 48 else 0
            if significant <= 18:
                mantissa = mantissa * 10 + (c - 48)
            else:
                fits = False
        elif c == 46 and not point:
            point = True
            plain = False
        else:
            break
        at += 1
    exponent, signed, places = 0, False, 0
    if at < b and digits > 0 and (data[at] == 101 or data[at] == 69):
        plain = False
        at += 1
        if at < b and (data[at] == 43 or data[at] == 45):
            signed = data[at] == 45
            at += 1
        while at < b and data[at] >= 48 and data[at] <= 57:
            exponent = min(exponent * 10 + (data[at] - 48), 100_000)
            places += 1
            at += 1
        if places == 0:
            return 0.0, np.int64(0), np.uint8(ODD)
    if at < b or digits == 0:
        return 0.0, np.int64(0), np.uint8(ODD)
    power = (-exponent if signed else exponent) - scale
    if plain and digits <= 18:
        whole = -mantissa if negative else mantissa
        value = np.float64(whole)
        return (-0.0 if mantissa == 0 and negative else value), whole, np.uint8(WHOLE)
    if fits and mantissa <= _MOST and power >= -22 and power <= 22:
        value = np.float64(mantissa)
        value = value * TENS[power] if power >= 0 else value / TENS[-power]
        return (-value if negative else value), np.int64(0), np.uint8(NUMBER)
    return 0.0, np.int64(0), np.uint8(LONG)


@compiled(
    void(BYTES, OFFSETS_IN, OFFSETS_IN, int64, int64, Array(float64, 1, "C"), OFFSETS, Array(uint8, 1, "C")),
)
def numbers(data, starts, stops, first, step, out, whole, kinds):  # type: ignore[no-untyped-def]
    """Read every ``step``-th cell from the ``first`` one on: ``out``, for whole numbers ``whole`` too, and ``kinds``.

    Blanks around a number do not count. Cells that are longer or odd are left as they are.
    """
    for i in range(out.shape[0]):
        k = first + i * step
        a, b = starts[k], stops[k]
        while a < b and _blank(data[a]):
            a += 1
        while b > a and _blank(data[b - 1]):
            b -= 1
        kinds[i] = EMPTY
        if a == b:
            continue
        value, exact, kind = number(data, a, b)
        kinds[i] = kind
        if kind == WHOLE:
            whole[i] = exact
        if kind == WHOLE or kind == NUMBER:
            out[i] = value


@compiled(void(BYTES, OFFSETS_IN, OFFSETS_IN, OFFSETS_IN, Array(uint8, 2, "C")))
def padded(data, starts, stops, wanted, out):  # type: ignore[no-untyped-def]
    """The bytes of the wanted cells, padded with zeros to one length."""
    for i in range(wanted.shape[0]):
        a, b = starts[wanted[i]], stops[wanted[i]]
        for j in range(out.shape[1]):
            out[i, j] = data[a + j] if a + j < b else 0
