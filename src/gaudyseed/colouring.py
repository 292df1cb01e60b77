"""Colouring from the command line: a file with a look, or populations of a scene; one frame after another.

What is read becomes a population of a scene, so that the page and the command line compute the same bytes.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import numpy as np

from .core.digest import digest_of
from .core.documents.document import LARGEST_DOCUMENT, parse, parse_json
from .core.errors import BadInput
from .core.formats import FORMATS, LARGEST_FILE, NOBODY, Format, ReadOptions, read_points
from .core.formats.blocks import table_in
from .core.formats.losses import losses
from .core.formats.pictures import LARGEST_PICTURE, read_picture
from .core.formats.sequences import numbered
from .core.formats.shape_files import LARGEST_MESH, read_shape
from .core.formats.shapes import OWN
from .core.formats.usd import is_usd
from .core.formats.usd.writer import sampled
from .core.geometry.shapes import SHAPES, ShapeMesh
from .core.in_blocks import coloured_table
from .core.look.evaluate import Evaluator
from .core.look.model import Look
from .core.look.results import Evaluation
from .core.names import nearest
from .core.pictures.picture import Picture
from .core.population import Attribute, Population
from .core.population.kinds.clones import taken_clones
from .core.population.makers.imported import ImportedMaker, store_columns
from .core.reports.report import Reporter
from .core.runtime.task import UNWATCHED, Task
from .core.scene.assets import NO_ASSETS, Asset, AssetSource
from .core.scene.dials import Dial
from .core.scene.follow import followers_of
from .core.scene.markers import Marker
from .core.scene.model import PopulationDocument, Scene
from .core.scene.provider import Provider
from .core.scene.run import SceneRun
from .core.scene.timeline import LAST_FRAME, checked_frame
from .files import read_file
from .store import AssetStore, Store

#: Frames of one run.
MOST_FRAMES = 10_000
#: The id of what was read from a file, in a scene of its own.
_READ = "file"
_ON, _OFF = ("on", "true", "yes"), ("off", "false", "no")


class Colouring:
    """A population to be coloured: out of a file, out of a scene, or a scene's with the elements of a file.

    Parameters
    ----------
    points
        The file; None to take what the scene makes.
    look_file
        In place of the look that the scene's population wears; wanted where there is no scene.
    population
        The name of what is meant in the file, and the id or name of the scene's population.
    data
        The data file that keeps what the scene imported, painted and shows.
    missing
        What is done where a frame has no file of its own: the earlier one holds, and that is told, or it stops.
    """

    def __init__(
        self, points: Path | None, look_file: Path | None, scene_file: Path | None, population: str,
        dials: tuple[str, ...], markers: tuple[str, ...], pictures: tuple[str, ...], meshes: tuple[str, ...] = (),
        shape: str | None = None, data: Path | None = None, missing: Literal["hold", "stop"] = "hold",
    ) -> None:  # fmt: skip
        self._missing = missing
        self._points, self._look_file, self._scene_file, self._population = points, look_file, scene_file, population
        look = _document(Look, look_file) if look_file else None
        scene = _document(Scene, scene_file) if scene_file else Scene()
        if points is None and scene_file is None:
            raise BadInput("Say what is to be coloured: a file, or --scene with a scene's document.", place="POINTS")
        if look is None and scene_file is None:
            raise BadInput("Say how it is to be coloured with --look.", place="--look")
        if shape is not None and shape not in SHAPES:
            raise BadInput(f"{shape[:40]!r} is no shape. There are: {', '.join(SHAPES)}.", place="--shape")
        self._shape = shape
        self._store = _opened(data) if data else None
        self._kept = _Given(AssetStore(self._store) if self._store else NO_ASSETS, data is not None)
        self._columns = _Columns(self._store)
        self._populations = Provider(self._columns)
        self._evaluator = Evaluator()
        self.reporter = Reporter(self._evaluator)
        self._read: tuple[Path, float | None, Population] | None = None
        #: Whether what was read are bare points, which go out as such.
        self._as_points = False
        #: All frames that are asked for.
        self._frames: Sequence[float | None] = ()
        self._told: set[str] = set()
        scene = self._given(scene, look, dials, markers, pictures, meshes)
        self._id, self._scene = self._chosen(scene, look)

    # What is coloured

    def _given(
        self, scene: Scene, look: Look | None, dials: tuple[str, ...], markers: tuple[str, ...],
        pictures: tuple[str, ...], meshes: tuple[str, ...],
    ) -> Scene:  # fmt: skip
        """The scene with the dials, markers, pictures and meshes that the command gives, by their names."""
        before = {dial.name: dial for dial in scene.dials}
        turned = {d.name: d for d in (_dial(text, before, look or scene) for text in dials)}
        moved = {m.name: m for m in map(_marker, markers)}
        shown = {name: self._kept.add(name, "picture", picture) for name, picture in map(_picture, pictures)}
        shown |= {name: self._kept.add(name, "mesh", mesh) for name, mesh in map(_mesh, meshes)}
        return scene.model_copy(
            update={
                "dials": _replaced(scene.dials, turned),
                "markers": _replaced(scene.markers, moved),
                "assets": _replaced(scene.assets, shown),
            }
        )

    def _chosen(self, scene: Scene, look: Look | None) -> tuple[str, Scene]:
        """The id of what is coloured, and the scene with the look in place."""
        if self._points is not None and self._look_file is not None:
            name = (self._population or self._points.stem)[:100] or "file"
            held = Look() if look is None else look
            taken = {p.id for p in scene.populations}
            fresh = next(f"{_READ}{k or ''}" for k in range(len(taken) + 1) if f"{_READ}{k or ''}" not in taken)
            document = PopulationDocument(id=fresh, name=name, maker=_NOTHING, look=held)
            return fresh, scene.model_copy(update={"populations": (*scene.populations, document)})
        document = self._of_scene(scene)
        if look is not None:
            document = document.model_copy(update={"look": look, "wears": None})
        if self._shape is not None:
            document = document.model_copy(update={"shape": self._shape})
        others = tuple(document if p.id == document.id else p for p in scene.populations)
        return document.id, scene.model_copy(update={"populations": others})

    def _of_scene(self, scene: Scene) -> PopulationDocument:
        """The population that is meant; BadInput lists them."""
        wanted = self._population
        found = [p for p in scene.populations if wanted in (p.id, p.name)] if wanted else list(scene.populations)
        if len(found) == 1:
            return found[0]
        listed = ", ".join(repr(p.name) for p in scene.populations[:12]) or "none"
        what = f"has no population {wanted!r}" if wanted and not found else "has several populations"
        raise BadInput(f"The scene {what}. Choose one with --population: {listed}.", place="--population")

    # Frames

    def asked(self, frame: float | None, frames: str | None, out: Path | None) -> Sequence[float | None]:
        """The frames to be coloured, in order; None for the first. BadInput for what is no whole frame."""
        self._frames = self._asked(frame, frames, out)
        return self._frames

    def _asked(self, frame: float | None, frames: str | None, out: Path | None) -> Sequence[float | None]:
        if frames is None:
            return [None if frame is None else float(checked_frame(frame, "--frame"))]
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
        if self._missing == "stop" and self._points is not None:
            self._check_files(self._points, range(first, last + 1))
        return [float(number) for number in range(first, last + 1)]

    @staticmethod
    def _check_files(points: Path, frames: range) -> None:
        """BadInput where a numbered file has none beside it for one of some frames; before anything is written."""
        for frame in frames:
            if numbered(points, frame)[1] not in (None, frame):
                raise BadInput(
                    f"Frame {frame} has no file beside {points.name}. Write it, or hold the earlier one with "
                    "--missing hold.",
                    place=points.name, code="missing_frame",
                )  # fmt: skip

    def coloured(
        self, frame: float | None, form: Format | None, task: Task = UNWATCHED
    ) -> tuple[Evaluation, bytes, list[str]]:  # fmt: skip
        """The results at a frame, the file (empty without a format), and the sentences not told before."""
        run = self._run(frame, task)
        said = [f"note: {note}" for note in run.notes]
        population = run.scene.population(self._id)
        if form and population.kind not in form.kinds:
            raise BadInput(f"{form.title} holds no {population.kind}. Write another format.", place=form.ending)
        try:
            evaluation = run.scene.evaluation(self._id)
            sent, results, context = run.scene.sent(self._id)
            if self._as_points and not evaluation.look.shapes:
                sent = _as_it_came(sent)
            written = form.write(sent, results, context, _told(task, 0.7, 1, "writing")) if form else b""
        except BadInput as error:
            sentence = error.sentence + _GIVEN.get(error.code, "")
            raise BadInput(sentence, place=f"{self._where}, {error.place}", code=error.code) from None
        said += [f"note: {note}" for note in (losses(form, population) if form else [])]
        mutes = run.scene.document(self._id).mutes
        advisories = [a for a in self.reporter.advisories(evaluation) if not mutes(a)]
        said += [f"advisory: {a['place']}: {a['sentence']}" for a in advisories]
        fresh = [sentence for sentence in dict.fromkeys(said) if sentence not in self._told]
        self._told.update(fresh)
        return evaluation, written, fresh

    def samples(
        self, frames: Sequence[float], form: Format, say: Callable[[str], None], task: Task = UNWATCHED
    ) -> bytes:  # fmt: skip
        """One USD file of all frames, with time samples of all that differs from frame to frame."""

        def one(frame: float, part: Task) -> bytes:
            _, written, sentences = self.coloured(frame, FORMATS["usdc"], part)
            for sentence in sentences:
                say(sentence)
            return written

        return sampled(frames, self._scene.timeline.rate, form.ending, one, task)

    def in_blocks(self, form: Format, task: Task = UNWATCHED) -> Iterator[bytes | memoryview]:
        """The file of a table with the look's results, piece by piece, whatever its length.

        BadInput where there is more to it than a table and a look, and where the look needs all elements at once.
        """
        if self._points is None or self._look_file is None or self._scene_file is not None:
            raise BadInput("Blocks are those of a file, coloured with --look alone.", place="--blocks")
        document = next(p for p in self._scene.populations if p.id == self._id)
        try:
            data = np.memmap(self._points, np.uint8, "r")
        except (OSError, ValueError) as error:
            why = getattr(error, "strerror", None) or "There is nothing in it"
            raise BadInput(f"{why}. Check the path.", place=str(self._points)) from None
        table = table_in(data, self._points.name, self._points.suffix, _told(task, 0, 0.3, "looking at all rows"))
        run = self._run_of(self._scene, None, UNWATCHED)  # kept: what the surroundings give comes from it
        colouring = _told(task, 0.3, 1, "colouring in blocks")
        try:
            yield from coloured_table(table, document.look, form, document.name, run.surroundings, colouring)
        except BadInput as error:
            if not error.place.startswith(("lanes", "signals")):
                raise
            raise BadInput(error.sentence, place=f"{self._where}, {error.place}", code=error.code) from None

    @property
    def _where(self) -> str:
        """The file that has the look."""
        named = self._look_file or self._scene_file
        return named.name if named else ""

    def _run(self, frame: float | None, task: Task) -> _Run:
        """The scene at a frame, with what was read in its place."""
        scene, notes = self._scene, []
        if self._points is not None:
            path, at = (self._points, None) if frame is None else numbered(self._points, frame)
            read = self._elements(path, frame, at is not None, _told(task, 0, 0.4, f"reading {path.name}"))
            notes = list(read.notes)
            if at is not None and frame is not None and at != math.floor(frame):
                notes.insert(0, f"frame {math.floor(frame)} has no file; that of frame {at} holds.")
            scene = self._standing_in(scene, read)
        return _Run(self._run_of(scene, frame, _told(task, 0.4, 0.7, "colouring")), notes)

    def _run_of(self, scene: Scene, frame: float | None, task: Task) -> SceneRun:
        """A scene at a frame, whole."""
        timeline = scene.timeline
        moment = timeline.moment(timeline.first if frame is None else frame)
        return SceneRun(scene, self._evaluator, self._populations, task, moment=moment, final=True, kept=self._kept)

    def _standing_in(self, scene: Scene, read: Population) -> Scene:
        """The scene with the elements of the file as those of the population."""
        maker, columns = store_columns(read, self._points.name if self._points else "")
        self._columns.fresh = columns
        before = next(p for p in scene.populations if p.id == self._id)
        update: dict[str, Any] = {"maker": maker}
        if self._look_file is not None:
            update["shape"] = self._shape or ("sequin" if read.models is None else OWN)
        elif isinstance(before.maker, ImportedMaker):
            kept = {"on": before.maker.on, "reach": before.maker.reach, "smooth": before.maker.smooth}
            update["maker"] = maker.model_copy(update={**kept, "subdivision": before.maker.subdivision})
        document = before.model_copy(update=update)
        return scene.model_copy(
            update={"populations": tuple(document if p.id == self._id else p for p in scene.populations)}
        )

    def _elements(self, path: Path, frame: float | None, of_frame: bool, task: Task) -> Population:
        """What a file holds at a frame; of one that is a frame's own the only moment counts."""
        if self._read is None or self._read[:2] != (path, frame):
            read = self._living(path, None if of_frame else frame, task)
            self._read = path, frame, self._nobody(path, frame, of_frame, task) if read is None else read
        return self._read[2]

    def _living(self, path: Path, frame: float | None, task: Task) -> Population | None:
        """What a file holds at one of its moments; None where that is nobody, though it may hold some at others."""
        named = self._population if self._look_file is not None else ""
        data = read_file(path, LARGEST_FILE)
        try:
            found = read_points(data, path.name, task, ReadOptions(frame=frame), named)
        except BadInput as error:
            if error.code != NOBODY or len(self._frames) < 2:
                raise
            return None
        self._as_points = self._shape is None and is_usd(data) and found.form.alone and found.models is None
        return found if found.count else None

    def _nobody(self, path: Path, frame: float | None, of_frame: bool, task: Task) -> Population:
        """None of those of another of the frames: of the one before, or else of the first at which any live."""
        found = self._read[2] if self._read else None
        later = [at for at in self._frames if at is not None and frame is not None and at > frame]
        while found is None and later:
            at = later.pop(0)
            other = numbered(path, at)[0] if of_frame else path
            found = self._living(other, None if of_frame else at, task)
        if found is None:
            raise BadInput(
                f"Nobody lives at any of these frames of {path.name}. Take others.", place=path.name, code=NOBODY
            )
        return taken_clones(found, np.zeros(0, np.intp))


def _told(task: Task, low: float, high: float, words: str) -> Task:
    """A part of a task, with what is done in it."""
    task.reach(low, words)
    return task.part(low, high)


def _as_it_came(points: Population) -> Population:
    """Bare points as particles; a size that was derived is none of theirs."""
    elements = points.elements
    own = {name: a for name, a in elements.own.items() if name != "width" and (name != "size" or a.fields)}
    width = elements.own.get("width")
    if width is not None and width.kind == "number":
        # A width is a diameter, a particle's size a radius.
        own["size"] = Attribute("size", "number", width.readable / 2)
    return replace(points, kind="particles", elements=replace(elements, own=own))


class _Run:
    """A scene at a frame, and what was noted when its file was read."""

    def __init__(self, scene: SceneRun, notes: list[str]) -> None:
        self.scene, self.notes = scene, notes


class _Columns:
    """Imported columns: of the file that was read, and of the data file."""

    def __init__(self, store: Store | None) -> None:
        self.fresh: dict[str, bytes] = {}
        self._store = store

    def column(self, digest: str) -> bytes | memoryview:
        """The bytes of a column; KeyError where there is none."""
        if digest in self.fresh or self._store is None:
            return self.fresh[digest]
        return self._store.column(digest)


class _Given:
    """Pictures and meshes that the command gives, beside what the data file keeps."""

    def __init__(self, kept: AssetSource, stored: bool) -> None:
        self._kept, self._stored = kept, stored
        self._held: dict[str, Picture | ShapeMesh] = {}

    def add(self, name: str, kind: str, held: Picture | ShapeMesh) -> Asset:
        """Hold one, and what stands for it in the scene."""
        self._held[held.digest] = held
        return parse(Asset, {"name": name, "kind": kind, "digest": held.digest}, f"--{kind} {name}")

    def column(self, digest: str, place: str) -> bytes:
        """The bytes of a painted column, from the data file."""
        self._check("What was painted", place)
        return self._kept.column(digest, place)

    def picture(self, asset: Asset, place: str) -> Picture:
        """A picture that the command gives, else of the data file."""
        held = self._given(asset, place)
        return held if isinstance(held, Picture) else self._kept.picture(asset, place)

    def mesh(self, asset: Asset, place: str) -> ShapeMesh:
        """A small mesh that the command gives, else of the data file."""
        held = self._given(asset, place)
        return held if isinstance(held, ShapeMesh) else self._kept.mesh(asset, place)

    def _given(self, asset: Asset, place: str) -> Picture | ShapeMesh | None:
        """What the command gave; None where it lies in the data file, BadInput where there is neither."""
        held = self._held.get(asset.digest)
        if held is None:
            kind = asset.kind
            self._check(f"The {kind} {asset.name!r}", place, f" or the {kind} with --{kind} {asset.name}=FILE")
        return held

    def _check(self, what: str, place: str, otherwise: str = "") -> None:
        if not self._stored:
            raise BadInput(f"{what} lies in the data file. Give that with --data{otherwise}.", place=place)


#: How the command is given what a look names and nothing here has.
_GIVEN = {
    "unknown_mesh": " Give it with --mesh NAME=FILE.", "unknown_picture": " Give it with --picture NAME=FILE.",
    "unknown_dial": " Give it with --dial NAME=VALUE.", "unknown_marker": " Give it with --marker NAME=X,Y,Z.",
}  # fmt: skip

#: What stands in a scene until the file is read.
_NOTHING = parse(
    ImportedMaker,
    {
        "maker": "import", "file": "", "count": 1,
        "attributes": [
            {"name": "position", "kind": "vector", "dtype": "<f4", "width": 3, "digest": "0" * 32, "fields": []},
        ],
    },
)  # fmt: skip


def _opened(data: Path) -> Store:
    if not data.exists():
        raise BadInput(f"There is no data file {data}.", place="--data")
    store = Store(data)
    store.migrate()
    return store


def _replaced(items: tuple[Any, ...], given: Mapping[str, Any]) -> tuple[Any, ...]:
    """Named items, those that are given in the place of those of the same name."""
    kept = tuple(given.get(item.name, item) for item in items)
    there = {item.name for item in items}
    return (*kept, *(item for name, item in given.items() if name not in there))


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


def _dial(text: str, before: Mapping[str, Dial], followed: Look | Scene) -> Dial:
    """A dial from ``name=value``: as the scene's dial of that name, else as what follows it wants it."""
    name, value = _named(text, "--dial", "name=0.5 or --dial name=#d8452f")
    place = f"--dial {name}"
    given = before.get(name)
    ways = list(followers_of(followed, name)) if given is None else []
    words = given.choices if given else next((w for w, _ in ways if w), ())
    switch = isinstance(given.value, bool) if given else any(s for _, s in ways)
    if words:
        return parse(Dial, {"name": name, "choices": list(words), "value": _word(value, words, place)}, place)
    if switch or value.lower() in (*_ON, *_OFF):
        if value.lower() not in (*_ON, *_OFF, "0", "1"):
            raise BadInput(f"The dial {name!r} is a switch: {value[:40]!r} is neither on nor off.", place=place)
        return parse(Dial, {"name": name, "value": value.lower() in (*_ON, "1")}, place)
    try:
        number: float | str = float(value)
    except ValueError:
        number = value
    if given is not None and isinstance(number, str) != isinstance(given.value, str):
        raise BadInput(f"The dial {name!r} is {given.said}, which {value[:40]!r} is not.", place=place)
    return parse(Dial, {"name": name, "value": number}, place)


def _word(value: str, words: tuple[str, ...], place: str) -> int:
    """The number of a word, which may stand there as itself; BadInput names the ways."""
    folded = [word.lower() for word in words]
    if value.lower() in folded:
        return folded.index(value.lower())
    if re.fullmatch(r"\d{1,4}", value) and int(value) < len(words):
        return int(value)
    raise BadInput(
        f"{value[:40]!r} is none of {', '.join(words)}. {nearest(value, words)[0]} A number from 0 to {len(words) - 1} "
        "does too.",
        place=place,
    )  # fmt: skip


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
