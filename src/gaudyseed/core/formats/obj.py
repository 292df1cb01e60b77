"""Wavefront OBJ: polygons, polylines, objects, groups, material names, uv, normals and colours of vertices.

Read here rather than by a library, because those at hand cut polygons into triangles, renumber vertices and lose the
names of objects and groups.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import PurePath

import numpy as np

from ..errors import BadInput
from ..kernels import wavefront as kernels
from ..plurals import counted, of_mesh
from ..population import Attribute, Curves, Field, Polygons, Population
from ..population.meshes import PART
from ..population.naming import fits
from ..population.strands import of_strands
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, Format, ImportedItem, ReadOptions, WriterContext
from .cells import is_number
from .columns import Results, check_count, check_results, clones_of
from .lines import Cells, between_rows, joined, lines, number_cells, number_lines, runs
from .meshing import MOST_PARTS, mesh_of, part_attribute, polygons_of, shown_colours
from .stranding import strands_of

#: Bytes read at a time, so that a reader can be stopped and lets others work.
_PIECE = 1 << 22
_INDICES = ("vertex", "uv", "normal")
_WORDS = (b"v ", b"v\t", b"vt", b"vn", b"vp", b"f ", b"o ", b"g ", b"s ", b"l ", b"p ", b"usemtl", b"mtllib", b"#")


def read(data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions()) -> list[ImportedItem]:
    """The mesh in an OBJ file, and its polylines as strands; without either its vertices become clones.

    BadInput names the line.
    """
    table = np.frombuffer(data, np.uint8)
    totals = np.zeros(16, np.int64)
    counting, reading = task.part(0, 0.2), task.part(0.2, 0.9)
    for at in _pieces(len(table)):
        counting.reach(at / len(table))
        totals[10] = kernels.count(table, totals[10], at + _PIECE, totals)[0]
    lines = _Lines(table, totals, name)
    for at in _pieces(len(table)):
        reading.reach(at / len(table))
        lines.read(at + _PIECE)
    stem = PurePath(name).stem
    found = []
    if lines.have[8]:
        strands = lines.strands()
        count = strands.elements.owners[0].count
        beside = f"{stem} lines" if lines.have[3] else stem
        found.append(ImportedItem(beside, strands, f"{counted(count, 'strand')} of {counted(strands.count, 'point')}"))
    if lines.have[3] or not found:
        population = lines.population()
        found.insert(0, ImportedItem(stem, population, _becomes(population)))
    return found


def _becomes(population: Population) -> str:
    faces = population.form.polygons
    if faces is None:
        return "clones, one a vertex"
    return of_mesh(faces.faces, population.elements.owners[0].count)


def _pieces(size: int) -> Iterator[int]:
    yield from range(0, max(size, 1), _PIECE)


class _Lines:
    """The arrays that the lines of a file fill."""

    def __init__(self, table: np.ndarray, totals: np.ndarray, name: str) -> None:
        vertices, uvs, normals, faces, corners, _, events, others, _ = (int(t) for t in totals[:9])
        if not vertices:
            raise BadInput(f"{name} has no vertices (lines that begin with v). Export it again.", place=name)
        check_count(max(vertices, faces, int(totals[12])), name)
        self.data, self.name, self.at = table, name, 0
        self.totals, self.have = totals, np.zeros(10, np.int64)
        # What an index may name is what there is in the whole file.
        self.most = np.array([vertices, uvs, normals], np.int64)
        wide = 6 if totals[8] >= 6 else int(max(3, min(totals[8], 4)))
        self.vertices, self.widths = np.zeros((vertices, wide)), np.zeros(vertices, np.int64)
        self.uvs, self.normals = np.zeros((uvs, 2)), np.zeros((normals, 3))
        self.starts, self.corners = np.zeros(faces + 1, np.int64), np.empty((corners, 3), np.int32)
        self.face_lines, self.events = np.empty(faces, np.int64), np.empty(3 * events, np.int64)
        self.line_starts, self.line_corners = np.zeros(totals[11] + 1, np.int64), np.empty((totals[12], 2), np.int32)
        self.long = np.empty((4096, 5), np.int64)
        self.others = others

    def read(self, stop: int) -> None:
        """The lines that begin before a place; BadInput names the first that is wrong."""
        self.at, wrong, where, one, two = (
            int(v) for v in kernels.read(
                self.data, self.at, stop, self.have, self.most, self.vertices, self.widths, self.uvs, self.normals,
                self.starts, self.corners, self.face_lines, self.events, self.long, self.line_starts,
                self.line_corners,
            )
        )  # fmt: skip
        if wrong:
            raise self._refused(wrong, where, one, two)
        self._long()

    def _long(self) -> None:
        """Numbers of very many digits, read as Python reads them."""
        count = int(self.have[7])
        if count > len(self.long):
            # Rare: as many again as are wanted, from the beginning.
            self.long = np.empty((max(count, 2 * len(self.long)), 5), np.int64)
            self.have[:], self.at = 0, 0
            return self.read(self.at + len(self.data))
        arrays = (self.vertices, self.uvs, self.normals)
        for which, row, column, begin, end in self.long[:count].tolist():
            cell = self.data[begin:end].tobytes()
            if len(cell) > 400 or not is_number(cell):
                raise self._refused(kernels.NO_NUMBER, begin, 0, 0)
            if column < arrays[which].shape[1]:
                arrays[which][row, column] = float(cell)
        self.have[7] = 0
        return None

    def _refused(self, wrong: int, where: int, one: int, two: int) -> BadInput:
        line = int(np.count_nonzero(self.data[:where] == 10)) + 1
        place, cell = f"{self.name}, line {line}", self._cell(where)
        if wrong == kernels.NO_NUMBER:
            sentence = f"Line {line} has {cell!r} where a number is wanted. Export the file again."
        elif wrong == kernels.TOO_FEW:
            wanted = {"f": "a face has three corners or more", "l": "a polyline has one corner or more"}
            what = wanted.get(cell, f"{two} numbers are wanted")
            sentence = f"Line {line} begins with {cell!r} and has {one}; {what}. Remove the line, or export again."
        elif one // 4 == 1:
            sentence = f"Line {line} has the corner {cell!r}; v, v/vt, v//vn or v/vt/vn is wanted, in whole numbers."
        elif one // 4 == 2:
            sentence = f"Line {line} has the index 0 in {cell!r}; OBJ counts from 1."
        else:
            what = _INDICES[one % 4]
            sentence = (
                f"Line {line} names {what} {two:,} in {cell!r}, but the file has {int(self.most[one % 4]):,}. "
                "It is damaged or was cut off: export it again."
            )
        return BadInput(sentence, place=place, code="bad_obj")

    def _cell(self, where: int) -> str:
        text = self.data[where : where + 60].tobytes()
        return text.split()[0].decode("utf-8", "replace") if text.split() else ""

    def population(self) -> Population:
        """The mesh, or clones where there are no faces."""
        notes = []
        if self.totals[5]:
            notes.append(f"{self.totals[5]:,} lines of points (p) were left out.")
        attributes = {a.name: a for a in self._of_vertices()}
        if not self.have[3]:
            return clones_of(attributes, self.name, ("It has no faces.", *notes))
        self.starts[-1] = self.have[4]
        of_faces = {a.name: a for a in self._of_faces()}
        of_corners = {a.name: a for a in self._of_corners()}
        return mesh_of(
            attributes, self.starts, self._column(0), self.name, of_faces=of_faces, of_corners=of_corners, notes=notes
        )

    def strands(self) -> Population:
        """The polylines: their points in order, those that several share once for each."""
        count, corners = int(self.have[8]), int(self.have[9])
        self.line_starts[-1] = corners
        vertex = self.line_corners[:corners, 0]
        table = {a.name: a.taken(vertex) for a in self._of_vertices()}
        uv = self.line_corners[:corners, 1]
        if len(self.uvs) and (uv >= 0).any():
            picked = _vector("uv", self.uvs[np.maximum(uv, 0)], "uv")
            table["uv"] = replace(picked, missing=None if (uv >= 0).all() else uv < 0)
        named = {a.name: a for a in self._named(count, 2)}
        return strands_of(table, np.diff(self.line_starts), self.name, strands=named)

    def _of_vertices(self) -> Iterator[Attribute]:
        yield _vector("position", self.vertices[:, :3], "xyz")
        if self.vertices.shape[1] == 6:
            coloured = self.widths >= 6
            fields = tuple(Field(c, "<f8") for c in ("red", "green", "blue"))
            missing = None if coloured.all() else ~coloured
            values = np.ascontiguousarray(self.vertices[:, 3:6])
            # Levels of the display (common practice: OBJ has no rule of its own for colours).
            yield Attribute("colour", "colour", values, (), fields, missing, light="display")
        elif self.vertices.shape[1] == 4 and (self.widths == 4).any():
            weights = np.where(self.widths == 4, self.vertices[:, 3], 1.0)
            yield Attribute("weight", "number", weights, (), (Field("w", "<f8"),))

    def _column(self, part: int) -> np.ndarray:
        out = np.empty(int(self.have[4]), np.int32)
        kernels.column(self.corners, part, out)
        return out

    def _of_corners(self) -> Iterator[Attribute]:
        for part, name, values, axes in ((1, "uv", self.uvs, "uv"), (2, "normal", self.normals, "xyz")):
            index = self._column(part)
            absent = index < 0
            if not len(values) or absent.all():
                continue
            picked = _vector(name, values[np.maximum(index, 0)], axes)
            yield (
                picked
                if not absent.any()
                else Attribute(name, "vector", picked.values, (), picked.fields, absent.copy())
            )

    def _of_faces(self) -> Iterator[Attribute]:
        """Parts, and names of objects, groups, materials and smoothing groups, from the lines between the faces."""
        return self._named(int(self.have[3]), 1)

    def _named(self, faces: int, column: int) -> Iterator[Attribute]:
        """The same for faces, or for polylines, by the column of the events that counts them."""
        events = self.events.reshape(-1, 3)[:, [0, column]]
        now = {"o": "", "g": "", "usemtl": "", "s": ""}
        runs: list[int] = []
        names: list[str] = []
        rows: dict[str, list[tuple[int, str]]] = {word: [] for word in now}
        for begin, face in events.tolist():
            word, _, rest = self._line(begin).partition(" ")
            word = word if word in now else word.strip()
            now[word] = rest.strip()
            rows[word].append((face, now[word]))
            if word == "o":
                now["g"] = ""
                rows["g"].append((face, ""))
            if word in ("o", "g"):
                if runs and runs[-1] == face:
                    runs.pop()
                    names.pop()
                runs.append(face)
                names.append(now["g"] or now["o"])
        if len(names) > MOST_PARTS:
            raise BadInput(f"{self.name} has {len(names):,} parts; at most {MOST_PARTS:,} are taken.", place=self.name)
        if names:
            if runs[0] > 0:
                runs.insert(0, 0)
                names.insert(0, "")
            if runs[-1] == faces and len(runs) > 1:
                runs.pop()
                names.pop()
            yield part_attribute(np.repeat(np.arange(len(runs), dtype=np.int32), np.diff([*runs, faces])), names)
        for word, name in (("o", "object"), ("g", "group"), ("usemtl", "material"), ("s", "smoothing")):
            if rows[word] and any(text for _, text in rows[word]):
                yield _named(name, rows[word], faces)

    def _line(self, begin: int) -> str:
        """A line's text, cut at 1000 characters, blanks as one space."""
        text = self.data[begin : begin + 1000].tobytes().split(b"\n", 1)[0].split(b"\r", 1)[0]
        return " ".join(text.decode("utf-8", "replace").replace("\x00", "").split())


def _named(name: str, rows: list[tuple[int, str]], faces: int) -> Attribute:
    """A text for each face from where it changes."""
    starts = [0, *(face for face, _ in rows)]
    texts = ["", *(text for _, text in rows)]
    labels = tuple(dict.fromkeys(texts))
    codes = {label: k for k, label in enumerate(labels)}
    lengths = np.diff([*starts, faces])
    values = np.repeat(np.array([codes[text] for text in texts], np.int32), lengths)
    return Attribute(name, "text", values, labels, (Field(name, "<i4"),))


def _vector(name: str, values: np.ndarray, axes: str) -> Attribute:
    return Attribute(name, "vector", np.ascontiguousarray(values), (), tuple(Field(a, "<f8") for a in axes))


# Writing


def write(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """OBJ in text with digits that read back exactly; colours of vertices as display levels after their places.

    Strands go out as polylines.
    """
    check_results(results)
    strands = population.form.curves
    form = None if strands else polygons_of(population, "OBJ")
    colours = shown_colours(population, results)
    parts: list[bytes | memoryview] = [b"# made by Gaudy Seed\n"]
    places = population.elements.attribute("position").values
    columns = [places[:, k] for k in range(3)]
    if colours is not None:
        columns += [colours[:, k] for k in range(3)]
    parts.append(_rows("v", columns, task.part(0, 0.4)))
    if form is None:
        assert strands is not None
        return b"".join([*parts, *_polylines(population, strands, task.part(0.4, 1))])
    corners = [form.corners]
    for (word, name), part in task.part(0.4, 0.6).each((("vt", "uv"), ("vn", "normal"))):
        carried = form.of_corners.get(name)
        rows, index = _corner_rows(word, carried if carried is not None and fits(carried) else None, part)
        parts.append(rows)
        corners.append(index)
    if len(corners[1]) == 0 and (uv := population.elements.own.get("uv")) is not None and fits(uv):
        parts.append(_rows("vt", [uv.values[:, k] for k in range(2)], task))
        corners[1] = form.corners
    faces = _face_lines(form, corners, task.part(0.6, 1))
    return b"".join([*parts, *between_rows(faces, _events(form))])


def _polylines(population: Population, form: Curves, task: Task) -> Iterator[bytes | memoryview]:
    """The lines of strands, with their names before those where they change."""
    uv = population.elements.own.get("uv")
    textured = uv is not None and fits(uv)
    if uv is not None and textured:
        yield _rows("vt", [uv.values[:, k] for k in range(2)], task.part(0, 0.5))
    carried = of_strands(population)
    events: dict[int, list[str]] = {}
    for name, word in (("object", "o"), ("part", "o"), ("group", "g"), ("material", "usemtl")):
        a = carried.get(name)
        if a is not None and a.kind == "text" and not (name == "part" and "object" in carried):
            for strand in _changes(a.values).tolist():
                events.setdefault(strand, []).append(f"{word} {_line(a.labels[a.values[strand]])}".rstrip())
    yield from between_rows(_strand_lines(form, textured, task.part(0.5, 1)), events)


def _strand_lines(form: Curves, textured: bool, task: Task) -> Cells:
    """The points of each strand by their numbers, with uv as "v/vt"."""

    def cells(a: int, b: int) -> list[Cells]:
        starts = form.starts[a : b + 1]
        numbers = number_cells(np.arange(starts[0], starts[-1]) + 1)
        points = joined([numbers] * (2 if textured else 1), between=b"/", after=b" ")
        return [runs(points, starts - starts[0])]

    return lines(form.count, cells, before=b"l ", task=task)


def _rows(word: str, columns: list[np.ndarray], task: Task) -> memoryview:
    return number_lines(columns, before=f"{word} ".encode(), task=task).text


def _corner_rows(word: str, attribute: Attribute | None, task: Task) -> tuple[bytes | memoryview, np.ndarray]:
    """The different values of corners as lines, and for each corner which of them it has, -1 for none."""
    if attribute is None:
        return b"", np.empty(0, np.int32)
    held = np.ascontiguousarray(attribute.values)
    keys = held.view([("", held.dtype)] * held.shape[1]).reshape(-1)
    _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
    # In the order in which they are first used.
    order = np.argsort(first, kind="stable")
    rank = np.empty(len(order), np.int32)
    rank[order] = np.arange(len(order), dtype=np.int32)
    kept = held[first[order]]
    index = rank[inverse.reshape(-1)]
    if attribute.missing is not None:
        index = np.where(attribute.missing, -1, index)
    return _rows(word, [kept[:, k] for k in range(kept.shape[1])], task), index


def _face_lines(form: Polygons, corners: list[np.ndarray], task: Task) -> Cells:
    """The lines of the faces."""

    def cells(a: int, b: int) -> list[Cells]:
        starts = form.starts[a : b + 1]
        held = [c[starts[0] : starts[-1]] + 1 if len(c) else None for c in corners]
        return [runs(_corners(*held), starts - starts[0])]  # type: ignore[arg-type]

    return lines(form.faces, cells, before=b"f ", task=task)


def _corners(v: np.ndarray, vt: np.ndarray | None, vn: np.ndarray | None) -> Cells:
    """Corners as "v", "v/vt", "v//vn" or "v/vt/vn", each with a blank behind; 0 stands for none."""
    cells = [number_cells(v)]
    textured, shaded = (np.zeros(len(v), bool) if c is None else c > 0 for c in (vt, vn))
    if vt is not None or vn is not None:
        second = cells[0] if vt is None else number_cells(vt)
        cells.append(joined([second.only(textured)], before=b"/").only(textured | shaded))
    if vn is not None:
        cells.append(joined([number_cells(vn)], before=b"/").only(shaded))
    return joined(cells, after=b" ")


def _events(form: Polygons) -> dict[int, list[str]]:
    """The lines o, g, usemtl and s before the faces where they change."""
    found: dict[int, list[str]] = {}
    part = form.of_faces.get(PART)
    changes: np.ndarray = np.empty(0, np.int64)
    if part is not None:
        changes = _changes(part.values)
    words = [("object", "o"), ("group", "g"), ("material", "usemtl"), ("smoothing", "s")]
    named = [(form.of_faces[name], word) for name, word in words if name in form.of_faces]
    named = [(a, word) for a, word in named if a.kind == "text"]
    if part is not None and not any(word in ("o", "g") for _, word in named):
        for face in changes.tolist():
            label = part.labels[part.values[face]]
            found[face] = [f"o {_line(label)}" if label else f"o part_{part.values[face]}"]
    for attribute, word in named:
        at = set(_changes(attribute.values).tolist())
        if word in ("o", "g"):
            at |= set(changes.tolist())
        for face in at:
            label = attribute.labels[attribute.values[face]]
            if label or (face and word in ("g", "s")):
                found.setdefault(face, []).append(f"{word} {_line(label)}".rstrip())
    return found


def _changes(values: np.ndarray) -> np.ndarray:
    """The faces that have another value than the one before, the first too."""
    if not len(values):
        return np.empty(0, np.int64)
    return np.concatenate([[0], np.flatnonzero(values[1:] != values[:-1]) + 1])


def _line(text: str) -> str:
    """A name as a part of a line."""
    return " ".join(text.split())[:900]


def _is_obj(data: bytes) -> bool:
    """Whether the first lines that say anything begin with words of OBJ."""
    seen = 0
    for line in data[:16_384].splitlines():
        words = line.strip()
        if not words:
            continue
        if not (words + b" ").startswith(_WORDS):
            return False
        if not words.startswith(b"#"):
            seen += 1
        if seen >= 3:
            break
    return seen > 0 and not data.startswith(b"ply")


FORMATS.add(
    "obj",
    Format(
        "obj",
        "OBJ",
        ".obj",
        "model/obj",
        write,
        read,
        _is_obj,
        shapes=True,
        kinds=("mesh", "strands", "trails"),
        lacks=("attributes",),
    ),
)
