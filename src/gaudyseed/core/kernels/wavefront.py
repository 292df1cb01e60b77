"""Wavefront OBJ: its lines counted, then read, without the interpreter's lock."""

from __future__ import annotations

import numpy as np
from numba import boolean, float64, int64, types, uint8, void
from numba.types import Array

from . import compiled
from .text import BYTES, LONG, ODD, OFFSETS, _blank, number

_LINE, _RETURN, _BACKSLASH, _SLASH, _HASH, _MINUS = 10, 13, 92, 47, 35, 45
#: What a line is.
NOTHING, VERTEX, UV, NORMAL, FACE, POLYLINE, POINTS, EVENT, OTHER = 0, 1, 2, 3, 4, 5, 6, 7, 8
#: What is wrong with a line: nothing; no number; no index; fewer than wanted; a number that must be read elsewhere.
FINE, NO_NUMBER, NO_INDEX, TOO_FEW, TOO_MANY = 0, 1, 2, 3, 4


@compiled(boolean(uint8), forceinline=True)
def _ends(c):  # type: ignore[no-untyped-def]
    return c == _LINE or c == _RETURN


@compiled(boolean(uint8), forceinline=True)
def _digit(c):  # type: ignore[no-untyped-def]
    return c >= 48 and c <= 57


@compiled(types.UniTuple(int64, 2)(BYTES, int64), forceinline=True)
def _word(data, at):  # type: ignore[no-untyped-def]
    """What the line is whose first character stands here, and where its cells begin."""
    n = data.shape[0]
    end = at
    while end < n and not _blank(data[end]) and not _ends(data[end]):
        end += 1
    size = end - at
    a = data[at]
    b = data[at + 1] if size > 1 else uint8(0)
    if a == _HASH or size == 0:
        return np.int64(NOTHING), end
    if a == 118:  # v
        if size == 1:
            return np.int64(VERTEX), end
        if size == 2 and b == 116:
            return np.int64(UV), end
        if size == 2 and b == 110:
            return np.int64(NORMAL), end
        return np.int64(OTHER), end
    if size == 1 and a == 102:
        return np.int64(FACE), end
    if size == 1 and a == 108:
        return np.int64(POLYLINE), end
    if size == 1 and a == 112:
        return np.int64(POINTS), end
    if size == 1 and (a == 111 or a == 103 or a == 115):  # o g s
        return np.int64(EVENT), end
    if size == 6 and a == 117 and b == 115 and data[at + 2] == 101 and data[at + 3] == 109:  # usem..
        return np.int64(EVENT), end
    return np.int64(OTHER), end


@compiled(int64(BYTES, int64), forceinline=True)
def _skip(data, at):  # type: ignore[no-untyped-def]
    """The next character of a line that is no blank; a backslash before the line's end goes on with the next line."""
    n = data.shape[0]
    while at < n:
        if _blank(data[at]):
            at += 1
        elif data[at] == _BACKSLASH and at + 1 < n and _ends(data[at + 1]):
            at += 3 if data[at + 1] == _RETURN and at + 2 < n and data[at + 2] == _LINE else 2
        else:
            break
    return at


@compiled(int64(BYTES, int64), forceinline=True)
def _cell_end(data, at):  # type: ignore[no-untyped-def]
    n = data.shape[0]
    while at < n and not _blank(data[at]) and not _ends(data[at]):
        if data[at] == _BACKSLASH and at + 1 < n and _ends(data[at + 1]):
            break
        at += 1
    return at


@compiled(int64(BYTES, int64), forceinline=True)
def _next_line(data, at):  # type: ignore[no-untyped-def]
    n = data.shape[0]
    while at < n and not _ends(data[at]):
        if data[at] == _BACKSLASH and at + 1 < n and _ends(data[at + 1]):
            at += 3 if data[at + 1] == _RETURN and at + 2 < n and data[at + 2] == _LINE else 2
        else:
            at += 1
    return at + (2 if at + 1 < n and data[at] == _RETURN and data[at + 1] == _LINE else 1)


@compiled(types.UniTuple(int64, 2)(BYTES, int64, int64, OFFSETS), forceinline=False)
def count(data, at, stop, found):  # type: ignore[no-untyped-def]
    """Count lines from a place on until one begins at or beyond ``stop``.

    ``found`` holds, and is added to: vertices, uvs, normals, faces, their corners, points, events, other lines, the
    most numbers of a vertex, lines; 11 and 12 are polylines and their corners. Returns where the next line begins and
    how many lines there were.
    """
    n = data.shape[0]
    lines = np.int64(0)
    while at < stop and at < n:
        begin = _skip(data, at)
        if begin < n and not _ends(data[begin]):
            kind, cells = _word(data, begin)
            if kind == VERTEX or kind == FACE or kind == POLYLINE:
                k = _skip(data, cells)
                many = np.int64(0)
                while k < n and not _ends(data[k]) and data[k] != _HASH:
                    many += 1
                    k = _skip(data, _cell_end(data, k))
                if kind == VERTEX:
                    found[0] += 1
                    found[8] = max(found[8], many)
                elif kind == POLYLINE:
                    found[11] += 1
                    found[12] += many
                else:
                    found[3] += 1
                    found[4] += many
            elif kind == UV:
                found[1] += 1
            elif kind == NORMAL:
                found[2] += 1
            elif kind == POINTS:
                found[5] += 1
            elif kind == EVENT:
                found[6] += 1
            elif kind == OTHER:
                found[7] += 1
        at = _next_line(data, at)
        lines += 1
    return at, lines


@compiled(types.UniTuple(int64, 3)(BYTES, int64, int64, OFFSETS, OFFSETS, OFFSETS), forceinline=True)
def _corner(data, at, end, have, found, shift):  # type: ignore[no-untyped-def]
    """Read ``v``, ``v/vt``, ``v//vn`` or ``v/vt/vn`` into ``found``, from 0, -1 for what is absent.

    Returns 0, or what is wrong: 1 it is no index, 2 an index of 0, 3 one beyond what there is; and which of the
    three, and the index.
    """
    found[0] = found[1] = found[2] = -1
    part = 0
    while part < 3:
        if at < end and data[at] != _SLASH:
            negative = data[at] == _MINUS
            if negative:
                at += 1
            index, digits = np.int64(0), 0
            while at < end and _digit(data[at]):
                index = min(index * 10 + (data[at] - 48), np.int64(1) << 40)
                digits += 1
                at += 1
            if digits == 0:
                return np.int64(1), np.int64(part), np.int64(0)
            if index == 0:
                return np.int64(2), np.int64(part), np.int64(0)
            found[part] = have[part] - index if negative else index - 1
            if found[part] < 0 or (negative and found[part] >= have[part]):
                return np.int64(3), np.int64(part), (-index if negative else index)
            if found[part] >= shift[part]:
                return np.int64(3), np.int64(part), (-index if negative else index)
        elif part == 0:
            return np.int64(1), np.int64(0), np.int64(0)
        if at >= end:
            break
        if data[at] != _SLASH:
            return np.int64(1), np.int64(part), np.int64(0)
        at += 1
        part += 1
    if at < end:
        return np.int64(1), np.int64(2), np.int64(0)
    return np.int64(0), np.int64(0), np.int64(0)


_ANSWER = types.UniTuple(int64, 5)
_F64_2 = Array(float64, 2, "C")


@compiled(_ANSWER(BYTES, int64, int64, OFFSETS, OFFSETS, _F64_2, OFFSETS, _F64_2, _F64_2, OFFSETS,
                  Array(types.int32, 2, "C"), OFFSETS, OFFSETS, Array(int64, 2, "C"), OFFSETS,
                  Array(types.int32, 2, "C")))  # fmt: skip
def read(data, at, stop, have, totals, vertices, widths, uvs, normals, starts, corners, face_lines, events, long,
         line_starts, line_corners):  # type: ignore[no-untyped-def]  # fmt: skip
    """Read the lines that ``count`` counted.

    ``have`` says how much there is already: vertices, uvs, normals, faces, corners, events, lines, long numbers,
    polylines, their corners; it is added to. Numbers that are too long to be read here are noted in ``long``: which
    array, row, column, begin and end. Returns where the next line begins; 0, or what is wrong (``NO_NUMBER`` and so
    on); where it lies in the data; and for an index which of the three it is, and the index.
    """
    n = data.shape[0]
    found = np.empty(3, np.int64)
    while at < stop and at < n:
        begin = _skip(data, at)
        if begin < n and not _ends(data[begin]):
            kind, cells = _word(data, begin)
            if kind == VERTEX or kind == UV or kind == NORMAL:
                which = kind - VERTEX
                row = have[which]
                least = 2 if kind == UV else 3
                most = vertices.shape[1] if kind == VERTEX else 2 if kind == UV else 3
                k = _skip(data, cells)
                many = 0
                while k < n and not _ends(data[k]) and data[k] != _HASH:
                    end = _cell_end(data, k)
                    if many < most:
                        value, _, kind_of = number(data, k, end)
                        if kind_of == ODD:
                            return at, np.int64(NO_NUMBER), k, np.int64(0), np.int64(0)
                        if kind_of == LONG:
                            if have[7] < len(long):
                                long[have[7], 0], long[have[7], 1], long[have[7], 2] = which, row, many
                                long[have[7], 3], long[have[7], 4] = k, end
                            have[7] += 1
                        if kind == VERTEX:
                            vertices[row, many] = value
                        elif kind == UV:
                            uvs[row, many] = value
                        else:
                            normals[row, many] = value
                    many += 1
                    k = _skip(data, end)
                if many < least and not (kind == UV and many == 1):
                    return at, np.int64(TOO_FEW), begin, np.int64(many), np.int64(least)
                if kind == VERTEX:
                    widths[row] = many
                have[which] += 1
            elif kind == FACE:
                k = _skip(data, cells)
                row = have[3]
                starts[row] = have[4]
                while k < n and not _ends(data[k]) and data[k] != _HASH:
                    end = _cell_end(data, k)
                    wrong, part, index = _corner(data, k, end, have, found, totals)
                    if wrong > 0:
                        return at, np.int64(NO_INDEX), k, np.int64(wrong * 4 + part), index
                    c = have[4]
                    corners[c, 0], corners[c, 1], corners[c, 2] = found[0], found[1], found[2]
                    have[4] += 1
                    k = _skip(data, end)
                if have[4] - starts[row] < 3:
                    return at, np.int64(TOO_FEW), begin, have[4] - starts[row], np.int64(3)
                face_lines[row] = have[6]
                have[3] += 1
            elif kind == POLYLINE:
                k = _skip(data, cells)
                line_starts[have[8]] = have[9]
                while k < n and not _ends(data[k]) and data[k] != _HASH:
                    end = _cell_end(data, k)
                    wrong, part, index = _corner(data, k, end, have, found, totals)
                    if wrong > 0:
                        return at, np.int64(NO_INDEX), k, np.int64(wrong * 4 + part), index
                    line_corners[have[9], 0], line_corners[have[9], 1] = found[0], found[1]
                    have[9] += 1
                    k = _skip(data, end)
                if have[9] == line_starts[have[8]]:
                    return at, np.int64(TOO_FEW), begin, np.int64(0), np.int64(1)
                have[8] += 1
            elif kind == EVENT:
                # Three numbers an event: where its line begins, and the face and the polyline that come next.
                events[3 * have[5]] = begin
                events[3 * have[5] + 1] = have[3]
                events[3 * have[5] + 2] = have[8]
                have[5] += 1
        at = _next_line(data, at)
        have[6] += 1
    return at, np.int64(FINE), np.int64(0), np.int64(0), np.int64(0)


@compiled(void(Array(types.int32, 2, "C"), int64, Array(types.int32, 1, "C")))
def column(corners, part, out):  # type: ignore[no-untyped-def]
    """One of the three indices of every corner."""
    for k in range(len(out)):
        out[k] = corners[k, part]
