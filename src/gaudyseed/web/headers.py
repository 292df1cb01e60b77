"""The headers of answers that are bytes (``binary.py``), declared: the page's types are made from them.

Numbers that are not finite become null. A key that is not required stands there where there is something to say.
"""

from __future__ import annotations

from typing import Any, Literal, NotRequired

from pydantic import BaseModel, ConfigDict
from typing_extensions import TypedDict

from ..core.errors import Fix

Three = tuple[float, float, float]
Two = tuple[float, float]


class Header(BaseModel):
    """A header: what it declares, and nothing else."""

    model_config = ConfigDict(extra="forbid")


# What is told of values


class Histogram(TypedDict):
    """Counts in equal bins of low to high, of what lies beyond, and the extremes."""

    low: float
    high: float
    bins: list[int]
    below: int
    above: int
    least: float
    greatest: float


class RampCensus(TypedDict):
    """A ramp's bar, what comes in, and each stop: its place and colour, means where they differ, and its count."""

    bar: str
    incoming: Histogram
    counts: list[int]
    places: list[float]
    colours: list[str]
    reached: float


class SwatchCensus(TypedDict):
    """Colours along 0..1 as base64 of rows of levels."""

    swatches: str
    columns: int
    rows: int


class PaletteCensus(TypedDict):
    """How many elements each swatch has, and its colour; the mean where it differs from element to element."""

    counts: list[int]
    colours: list[str]


class PlacementEntry(TypedDict):
    """Where a placement stands, also where it was fitted, and in whose space these numbers are."""

    centre: Three
    size: Three
    end: Three
    turn: NotRequired[Three]
    space: Literal["own", "scene"]


class DriftAxis(TypedDict):
    """One component of a drift: its ends as drawn, its axis in colours, and those at the ends, unless numbers drift."""

    ends: Two
    bar: str
    colours: list[str]


class PatchCensus(TypedDict):
    """Patches of a noise along each axis of the elements' box, and the size of one."""

    across: Three
    size: float


class PictureSize(TypedDict):
    """The size of a picture in texels."""

    width: int
    height: int


class StepCensus(TypedDict):
    """What the elements got from a step. Of one that the page has, only the digest comes."""

    digest: str
    kind: NotRequired[Literal["number", "vector", "colour"]]
    numbers: NotRequired[Histogram]
    flow: NotRequired[list[Two]]
    colours: NotRequired[SwatchCensus]
    ramp: NotRequired[RampCensus]
    #: Of a curve: heights over 0..1, its points as they are drawn, and what comes in.
    curve: NotRequired[list[float]]
    points: NotRequired[list[list[float]]]
    incoming: NotRequired[Histogram]
    facts: NotRequired[dict[str, float]]
    #: What every part of the incoming colours or vectors would give.
    parts: NotRequired[dict[str, Histogram]]
    drift: NotRequired[dict[str, DriftAxis]]
    reached: NotRequired[float]
    palette: NotRequired[PaletteCensus]
    placement: NotRequired[PlacementEntry]
    patches: NotRequired[PatchCensus]
    picture: NotRequired[PictureSize]


class AdvisoryEntry(TypedDict):
    """One thing noticed, and what one click can do."""

    code: str
    place: str
    sentence: str
    fixes: list[Fix]


class TraceStep(TypedDict):
    """What a step gave one element."""

    place: str
    kind: Literal["number", "vector", "colour"]
    number: NotRequired[float]
    vector: NotRequired[list[float]]
    colour: NotRequired[str]
    stop: NotRequired[int]
    at: NotRequired[float]


class OwnerEntry(TypedDict):
    """Which owner of a level an element belongs to."""

    level: str
    number: int
    name: str


class StrandEntry(TypedDict):
    """Which point of its strand an element is, how far along that lies, and the strand's tones from root to tip."""

    points: int
    point: int
    along: float
    first: int
    tones: list[str]


class FlightEntry(TypedDict):
    """The way of a particle from its birth to now: frames, three numbers of the scene each, speed and radius."""

    frames: list[float]
    places: list[list[float]]
    speeds: list[float]
    sizes: list[float]


class Trace(TypedDict):
    """One element, step by step."""

    element: int
    id: int
    owners: list[OwnerEntry]
    steps: list[TraceStep]
    result: str
    lanes: dict[str, list[float]]
    strand: StrandEntry | None
    flight: NotRequired[FlightEntry | None]


# What the view draws


class FinishEntry(TypedDict):
    """A finish as numbers; colours as levels of the display, null where they follow the base colour."""

    name: str
    metalness: list[float]
    roughness: list[float]
    transmission: list[float]
    subsurface: list[float]
    subsurface_colour: list[float] | None
    subsurface_radius: list[float]
    emission_colour: list[float]
    emission_strength: list[float]
    opacity: list[float]


class PictureEntry(TypedDict):
    """Under what a picture on elements is asked for, and how it lies on their uv: two rows of three."""

    key: str
    source: str
    picture: dict[str, Any]
    into: list[float]
    cut: bool
    threshold: float
    through: float


class ShapeEntry(TypedDict):
    """Under what key a shape is asked for."""

    key: str
    size: float
    picture: PictureEntry | None


class Material(TypedDict):
    """Finishes, shapes, and how opacity and offset go.

    ``tables`` says how many rows the table of each lane has that ends per pixel, ``also`` the digests of what comes
    with the lanes.
    """

    finishes: list[FinishEntry]
    shapes: list[ShapeEntry]
    threshold: float | None
    along: Literal["normal", "up", "ways"]
    up: Three
    tables: dict[str, int]
    also: dict[str, str]


class PreviewLegend(TypedDict):
    """The scale of a value that is shown: what its ends stand for, its colours, the part of the elements beyond."""

    ends: Two | None
    bar: str
    trimmed: float


class Reads(TypedDict):
    """Ids of other populations, names of assets and markers; "*" where whatever there is makes a difference."""

    populations: list[str]
    assets: list[str]
    markers: list[str]


class ErrorEntry(TypedDict):
    """What is wrong with one population, and what the steps of its look give that come before."""

    code: str
    sentence: str
    place: str
    fix: Fix | None
    kinds: dict[str, str]


class Seen(TypedDict):
    """What comes first about a population: what the view needs.

    ``made`` names what is made of it, so that geometry of another name is fetched again; ``reads`` is null where it is
    not known; ``placement`` leads from its own space into the scene's, 16 numbers column by column; ``lanes`` are the
    digests of each channel's values.
    """

    error: None
    count: int
    shape: str
    shown: bool
    made: str
    reads: Reads | None
    placement: list[float]
    computed: list[str]
    reused: int
    timed: bool
    lanes: dict[str, str]
    material: Material
    preview: PreviewLegend | None


class Wrong(TypedDict):
    """What comes instead where a population is wrong."""

    error: ErrorEntry
    made: str
    reads: None


class GroupsEntry(TypedDict):
    """Counts and mean colours of the groups, the step that decides, and weights where these are asked for."""

    digest: str
    counts: list[int]
    colours: list[str | None]
    place: str | None
    weighed: list[float] | None


class MaterialShares(TypedDict):
    """How many elements have each shape and finish, where there are several; how often clones cover their ground."""

    shape: NotRequired[list[int]]
    finish: NotRequired[list[int]]
    coverage: NotRequired[float | None]


class Report(TypedDict):
    """What is told of a population after it was seen; ``signals`` are the places of their last steps."""

    groups: GroupsEntry
    signals: dict[str, str]
    steps: dict[str, StepCensus]
    advisories: list[AdvisoryEntry]
    shares: MaterialShares
    trace: Trace | None


class Moment(TypedDict):
    """What has keys, as it is at the frame."""

    markers: dict[str, Three]
    dials: dict[str, float | str]


class LanesAnswer(Header):
    """The first message of an evaluation; its arrays are named "population/channel" and "population/preview"."""

    sequence: int
    populations: dict[str, Seen | Wrong]
    milliseconds: float
    moment: Moment


class ReportAnswer(Header):
    """The second message; without populations where a newer request has overtaken this one."""

    sequence: int
    populations: dict[str, Report]
    milliseconds: float
    errors: dict[str, ErrorEntry]


# What makers make


class AttributeCensus(TypedDict):
    """An attribute, with the distribution of its values; of a vector that of each component too."""

    name: str
    kind: Literal["number", "integer", "vector", "colour", "text"]
    level: str
    width: int
    census: Histogram | None
    parts: list[Histogram]
    texts: int
    derived: bool
    unreadable: int
    role: str


class Level(TypedDict):
    """A level at which attributes live, and how many there are."""

    name: str
    count: int


class PopulationHeader(Header):
    """What the view wants of a population; the first level is that of the elements.

    ``drawn`` is what draws it, ``ground`` the surface that it stands on, ``unfit`` why steps can do nothing for it.
    """

    kind: str
    count: int
    notes: list[str]
    levels: list[Level]
    attributes: list[AttributeCensus]
    made: str
    drawn: str
    ground: str | None
    unfit: dict[str, str]
    low: Three
    high: Three
    faces: int
    milliseconds: float


class SurfaceHeader(Header):
    """A surface, and the box around it."""

    name: str
    low: Three
    high: Three


class ShapeHeader(Header):
    """The header of a shape's mesh."""

    name: str
    triangles: int
