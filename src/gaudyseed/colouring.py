"""Colouring files from the command line: what a look follows there, and one frame after another."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from .core.digest import digest_of
from .core.document import LARGEST_DOCUMENT, parse, parse_json
from .core.errors import BadInput
from .core.formats import LARGEST_FILE, Format, Wish, read_points
from .core.formats.pictures import LARGEST_PICTURE, read_picture
from .core.formats.sequences import numbered
from .core.formats.shape_files import LARGEST_MESH, read_shape
from .core.geometry.shapes import SHAPES, ShapeMesh
from .core.look.evaluate import Evaluation, Evaluator
from .core.look.model import Dial, Look, Marker, Scene
from .core.look.scope import Surroundings
from .core.picture import Picture, shipped
from .core.population import Population
from .core.report import Reporter
from .core.sending import sent
from .core.timeline import LAST_FRAME, checked_frame
from .files import read_file

#: Frames of one run.
MOST_FRAMES = 10_000


class Colouring:
    """Files to be coloured with a look, and all that the look follows."""

    def __init__(
        self, points: Path, look_file: Path, scene_file: Path | None, population: str, dials: tuple[str, ...],
        markers: tuple[str, ...], pictures: tuple[str, ...], meshes: tuple[str, ...] = (), shape: str = "sequin",
    ) -> None:  # fmt: skip
        self._points, self._look_file, self._population = points, look_file, population
        self._look = _document(Look, look_file)
        self._scene = _document(Scene, scene_file) if scene_file else Scene()
        self._dials = {d.name: d for d in (*self._scene.dials, *map(_dial, dials))}
        self._markers = {m.name: m for m in (*self._scene.markers, *map(_marker, markers))}
        self._pictures = dict(map(_picture, pictures))
        self._meshes = dict(map(_mesh, meshes))
        if shape not in SHAPES:
            raise BadInput(f"{shape[:40]!r} is no shape. There are: {', '.join(SHAPES)}.", place="--shape")
        self._shape = shape
        self._evaluator = Evaluator()
        self.reporter = Reporter(self._evaluator)
        self._read: tuple[Path, float | None, Population] | None = None
        self._told: set[str] = set()

    def asked(self, frame: float | None, frames: str | None, out: Path | None) -> Iterator[float | None]:
        """The frames to be coloured, one after another; None for the file as it is. BadInput for wrong ones."""
        if frames is None:
            if frame is not None and self._follows_time:
                checked_frame(frame, "--frame")
            yield frame
            return
        if frame is not None:
            raise BadInput("Give --frame or --frames, not both.", place="--frames")
        if out is None:
            raise BadInput("Say where the frames are written with --out.", place="--frames")
        ends = re.fullmatch(r"(\d{1,9})-(\d{1,9})", frames)
        if ends is None or int(ends[1]) > int(ends[2]) or int(ends[2]) > LAST_FRAME:
            raise BadInput(f"{frames!r} is no range of frames. Write --frames 1-48.", place="--frames")
        first, last = int(ends[1]), int(ends[2])
        if last - first >= MOST_FRAMES:
            raise BadInput(f"These are {last - first + 1:,} frames; at most {MOST_FRAMES:,} are written.",
                           place="--frames")  # fmt: skip
        for number in range(first, last + 1):
            yield float(number)

    @property
    def _follows_time(self) -> bool:
        """Whether the frame is one of a timeline, not only a time of the file."""
        return any(d.keys for d in self._dials.values()) or any(m.keys for m in self._markers.values())

    def evaluated(self, frame: float | None, form: Format | None) -> tuple[Evaluation, list[str]]:
        """The results at a frame, and the sentences that have not been told before."""
        population = self._elements(frame)
        if form and population.kind not in form.kinds:
            raise BadInput(f"{form.title} holds no {population.kind}. Write another format.", place=form.ending)
        try:
            evaluation = self._evaluator.evaluate(
                population, self._look, surroundings=self._around(frame), shared=self._scene.signals
            )
        except BadInput as error:
            place = f"{self._look_file.name}, {error.place}"
            raise BadInput(error.sentence, place=place, code=error.code) from None
        said = [f"note: {note}" for note in population.notes]
        said += [f"advisory: {a['place']}: {a['sentence']}" for a in self.reporter.advisories(evaluation)]
        fresh = [sentence for sentence in said if sentence not in self._told]
        self._told.update(fresh)
        return evaluation, fresh

    def written(self, evaluation: Evaluation, form: Format) -> bytes:
        """The coloured elements in a format."""
        name = self._population or self._points.stem
        population, results, about = sent(evaluation, name, self._shape, mesh_of=self._mesh_of)
        return form.write(population, results, about)

    def _elements(self, frame: float | None) -> Population:
        path = numbered(self._points, frame) if frame is not None else self._points
        if self._read is None or self._read[:2] != (path, frame):
            data = read_file(path, LARGEST_FILE)
            # Of a file for each frame the only moment counts.
            wish = Wish(frame=frame if path == self._points else None)
            self._read = path, frame, read_points(data, path.name, wish=wish, population=self._population)
        return self._read[2]

    def _around(self, frame: float | None) -> Surroundings:
        moment = self._scene.timeline.moment(self._scene.timeline.first if frame is None else frame)
        dials = {name: dial.at(moment.frame) for name, dial in self._dials.items()}
        markers = {name: marker.at(moment.frame) for name, marker in self._markers.items()}
        return Surroundings(dials, moment, markers, assets=self._asset, pictures=tuple(self._pictures))

    def _mesh_of(self, name: str, place: str) -> ShapeMesh:
        found = self._meshes.get(name)
        if found is None:
            raise BadInput(f"The look draws a mesh {name!r}. Give it with --mesh {name}=FILE.", place=place)
        return found

    def _asset(self, name: str, place: str) -> Picture:
        found = self._pictures.get(name)
        return shipped(name, place) if found is None else found


def framed(path: Path, frame: float | None) -> Path:
    """A path with the number of a frame before its ending.

    >>> framed(Path("out/wall.ply"), 7.0).as_posix()
    'out/wall.0007.ply'
    """
    return path if frame is None else path.with_name(f"{path.stem}.{int(frame):04d}{path.suffix}")


def _document(model: type[Any], path: Path) -> Any:
    return parse(model, parse_json(read_file(path, LARGEST_DOCUMENT), path.name), path.name)


def _named(text: str, option: str, example: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not equals:
        raise BadInput(f"{text!r} is no {option[2:]}. Write {option} {example}.", place=option)
    return name, value


def _dial(text: str) -> Dial:
    """A dial from ``name=value``: a number, or a colour as #rrggbb."""
    name, value = _named(text, "--dial", "name=0.5 or --dial name=#d8452f")
    try:
        number: float | str = float(value)
    except ValueError:
        number = value
    return parse(Dial, {"name": name, "value": number}, f"--dial {name}")


def _marker(text: str) -> Marker:
    """A marker from ``name=x,y,z``."""
    name, value = _named(text, "--marker", "baton=0,1.5,2")
    try:
        position = [float(part) for part in value.split(",")]
    except ValueError:
        position = []
    if len(position) != 3 or not np.isfinite(position).all():
        raise BadInput(f"{value!r} is no place. Write three numbers: --marker {name}=0,1.5,2.", place="--marker")
    return parse(Marker, {"name": name, "position": position}, f"--marker {name}")


def _picture(text: str) -> tuple[str, Picture]:
    """A picture from ``name=file``."""
    name, value = _named(text, "--picture", "dusk=dusk.png")
    data = read_file(Path(value), LARGEST_PICTURE)
    return name, Picture(digest_of(data), read_picture(data, Path(value).name).texels)


def _mesh(text: str) -> tuple[str, ShapeMesh]:
    """A small mesh from ``name=file``."""
    name, value = _named(text, "--mesh", "skittle=skittle.obj")
    return name, read_shape(read_file(Path(value), LARGEST_MESH), Path(value).name)
