"""Random requests and files, most of them nearly sound; what the server makes of them."""

from __future__ import annotations

import contextlib
import copy
import io
import json
import os
import random
import resource
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from flask.testing import FlaskClient
from PIL import Image

from gaudyseed.core.formats import FORMATS
from gaudyseed.core.look.steps import STEPS
from tests.forking import forked
from tests.support import beetle_scene, ply_text
from tests.web import mutations

#: What is put in place of something in a document.
ODD: list[Any] = [
    None, True, -1, 0, 0.5, 1e30, -1e30, 2**53 + 1, "", "x", "\u00b2", "#ff0000", "size",
    "position", "element", "hue", "display", "value",
    [], {}, {"signal": "s"}, {"dial": "d"}, {"dial": "c"}, {"signal": "t", "low": -1e9, "high": 1e9}, [1, 2, 3], 4096,
]  # fmt: skip
READS = {"random": "number", "attribute": "number", "constant": "number", "formula": "number"}


class Documents:
    """Random looks, most of them sound."""

    def __init__(self, seed: int) -> None:
        self.rng = random.Random(seed)

    def step(self, word: str) -> dict[str, Any]:
        """A step with some settings."""
        choice = self.rng.choice
        colours = ["#123456", "#f0e0d0", {"signal": "t"}, {"dial": "c"}]
        stops = [{"at": a, "colour": choice(colours)} for a in sorted(self.rng.sample([0, 0.1, 0.5, 0.9, 1], 3))]
        made: dict[str, dict[str, Any]] = {
            "random": {"seed": choice([1, {"dial": "n"}]), "per": choice(["element", "id"])},
            "attribute": {"name": "size"},
            "constant": {"value": choice([0.5, {"dial": "d"}])},
            "formula": {
                "text": choice(
                    [
                        "index / count",
                        "d * 2 + size",
                        "random(4)",
                        "1 / 0",
                        "x(position)",
                        "size * 1e30",
                        "not (size > 0.02)",
                    ]
                )
            },
            "signal": {"name": "s"},
            "drift": {
                "seed": 2,
                "hue": choice([[-9, 9], [0, {"signal": "s", "high": 90}]]),
                "space": choice(["hsv", "oklch"]),
            },
            "spread": {"seed": 3},
            "grade": {"hue_turn": choice([30, {"signal": "s", "low": -180, "high": 180}]), "gamma": choice([1, 2])},
            "component": {"part": choice(["hue", "luma", "chroma", "red"])},
            "palette": {"swatches": [{"colour": "#123456"}] * self.rng.randint(1, 5)},
            "choose": {"chains": [[{"step": "constant", "value": c}] for c in ("#ffeedd", "#102030")]},
            "ramp": {
                "interpolation": choice(["steps", "straight", "eased", "through", "soft"]),
                "mix_in": choice(["oklab", "oklch", "hsv", "display_rgb", "linear_rgb"]),
                "stops": stops,
            },
        }
        return {"step": word, **made.get(word, {})}

    def chain(self, end: str, reads: dict[str, str]) -> list[dict[str, Any]]:
        """A chain that fits together and ends in a kind."""
        word = self.rng.choice(list(reads))
        steps, kind = [self.step(word)], reads[word]
        for _ in range(self.rng.randint(0, 5)):
            word = self.rng.choice([w for w, step in STEPS.items() if kind in step.takes])
            step = self.step(word)
            if word == "mix":
                other = 0.3 if kind == "number" else "#aabbcc"
                step |= {"chain": [{"step": "constant", "value": other}], "blend": self.rng.choice(["add", "overlay"])}
            elif word not in ("drift", "unify"):
                kind = "colour" if word == "choose" else STEPS[word].gives.word
            steps.append(step)
        if kind != end:
            steps.append(self.step("ramp") if end == "colour" else {"step": "component", "part": "luma"})
        return steps

    def look(self) -> dict[str, Any]:
        """Two signals, a layer with a mask."""
        tint = [{"step": "random", "seed": 2}, {"step": "palette", "swatches": [{"colour": "#7f8081"}]}]
        signals = [
            {"name": "s", "chain": [self.chain("number", READS)[0], {"step": "even_out"}]},
            {"name": "t", "chain": tint},
        ]
        layer = {
            "name": "Top", "paint": self.chain("colour", {**READS, "signal": "number"}),
            "mask": self.rng.choice([None, self.chain("number", READS)]),
            "amount": self.rng.choice([1, 0.5, {"signal": "s"}]),
            "blend": self.rng.choice(["normal", "hue", "overlay", "colour_burn", "average"]),
            "blend_in": self.rng.choice(["linear", "display"]),
        }  # fmt: skip
        return {"gaudyseed": 3, "signals": signals, "lanes": {"base_colour": {"layers": [layer]}}}

    def spoiled(self, look: dict[str, Any]) -> dict[str, Any]:
        """The look with something odd in one place."""
        path = self.rng.choice([p for p in paths(look) if p])
        held: Any = look
        for key in path[:-1]:
            held = held[key]
        held[path[-1]] = self.rng.choice(ODD)
        return look


def paths(value: Any, before: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The places of everything in a document."""
    yield before
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, child in items:
        yield from paths(child, (*before, key))


def request(rng: random.Random, scene: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    """A path and a body for it."""
    body = {"scene": scene, "population": "beetle-sequins"}
    one = {"population": "beetle-sequins", "have": {"base_colour": "x"}}
    first = "lanes.base_colour.layers[0].paint[1]"
    step = {"of": "step", "name": "signals[0].chain[1]"}
    shown = [None, {"of": "signal", "name": "t", "scale": "false_colour"}, {"of": "signal", "name": "s"}, step]
    kept = ["", "s > 0.5", "t", "d"]
    return rng.choice(
        [
            (
                "/evaluations",
                {"scene": scene, "wanted": [{**one, "trace": 3, "preview": rng.choice(shown)}], "vision": "tritanopia"},
            ),
            ("/evaluations", {"scene": scene, "wanted": [{**one, "trace": 59}]}),
            ("/elements", {**body, "keep": rng.choice(kept), "sort": rng.choice(["s", "t", "result"])}),
            ("/step-edits", {**body, "place": first, "action": rng.choice(["flip", "snap", "space_by_share"])}),
            ("/dial-names", {"scene": body["scene"], "old": "d", "new": rng.choice(["u", "a b", "t", "", "sin"])}),
            ("/signal-names", {**body, "old": "s", "new": rng.choice(["u", "a b", "t", "", "sin"])}),
            ("/step-edits", {**body, "place": "signals[0].chain[1]", "action": "hold"}),
            ("/exports", {**body, "format": rng.choice(["csv", "ply", "look"])}),
        ]
    )


def drafts(seed: int, count: int) -> Iterator[tuple[str, dict[str, Any]]]:
    """Requests with looks of which every other one is spoiled in a place."""
    scene = beetle_scene()
    scene["populations"][0]["maker"]["count"] = 60
    scene["dials"] = [{"name": "d", "value": 0.5}, {"name": "n", "value": 7}, {"name": "c", "value": "#ff8800"}]
    documents = Documents(seed)
    for k in range(count):
        draft = copy.deepcopy(scene)
        look = documents.look()
        draft["populations"][0]["look"] = documents.spoiled(look) if k % 2 else look
        yield request(documents.rng, draft)


class Stored:
    """What documents name and a store keeps: painted columns, right and wrong ones, and the makers of imports."""

    def __init__(self, client: FlaskClient) -> None:
        scene = beetle_scene()
        scene["populations"][0] |= {"painted": [{"name": "wear"}]}
        scene["populations"][0]["maker"]["count"] = 60
        body = {"scene": scene, "population": "beetle-sequins", "column": "wear", "dabs": [[0, 0, 1]]}
        self.columns = ["", "0" * 32, client.post("/api/strokes", json=body).json["painted"]["digest"]]
        makers = []
        for k in (1, 2):
            rows = "".join(f"{n},{k},{n % 3},t{n}\n" for n in range(20 * k))
            data = f"x,y,z,kind\n{rows}".encode()
            makers.append(client.post(f"/api/imports?name=a.{k}.csv", data=data).json["things"][0]["maker"])
        frames = [{"frame": k, "maker": maker} for k, maker in enumerate(makers)]
        sequence = client.post("/api/sequences", json={"file": "a.1.csv", "frames": frames}).json["maker"]
        #: What may stand in the place of a maker, and the digests of their columns.
        self.makers = [*makers, sequence]
        self.columns += [a["digest"] for maker in makers for a in maker["attributes"]]


def whole_documents(seed: int, count: int, stored: Stored) -> Iterator[tuple[str, dict[str, Any]]]:
    """Requests with scenes that have painted columns, placements, drafts and sequences; most have something odd."""
    documents = Documents(seed)
    rng = documents.rng
    for k in range(count):
        scene = beetle_scene()
        own = scene["populations"][0]
        own["maker"] = copy.deepcopy(rng.choice([{**own["maker"], "count": 60}, *stored.makers]))
        own["look"] = documents.look()
        own["painted"] = [
            {"name": rng.choice(["wear", "position", "normal", "id", "uv", "size", "kind"]), "digest": digest,
             "kind": rng.choice(["number", "colour", "vector"]), "subdivision": rng.choice([0, 3])}
            for digest in rng.sample(stored.columns, rng.randint(0, 2))
        ]  # fmt: skip
        for column in own["painted"]:
            column["fill"] = "#808080" if column["kind"] == "colour" else rng.choice([0, 1e30, -1])
        far, size = [0, 1e6, -1e6, 1e-300], rng.choice([1, 1e-300, 1e-9, 1e6])
        turn = [rng.choice([0, 45, 36_000]), 0, 0]
        own["place"] = {"position": [rng.choice(far) for _ in "xyz"], "turn": turn, "size": size}
        own["draft"] = {"every": rng.choice([1, 5, 100_000]), "count": rng.choice([None, 1, 7])}
        scene["dials"] = [{"name": "d", "value": 0.5}, {"name": "n", "value": 7}, {"name": "c", "value": "#ff8800"}]
        scene["timeline"] = {"first": 0, "last": rng.choice([0, 5])}
        if k % 3:
            # In the document as a whole, or in what these tests are about.
            where = rng.choice([scene, own, own["maker"], own["place"], {"painted": own["painted"]}])
            documents.spoiled(where)
        body = {"scene": scene, "population": "beetle-sequins"}
        brush = {"radius": rng.choice([0.3, 1e-6, 1e6]), "way": rng.choice(["add", "soften", "set_all"])}
        stroke = {"column": "wear", "dabs": [[0, 0, rng.choice([0.5, 1e9])]] * rng.choice([1, 40]), "brush": brush}
        yield rng.choice([
            ("/evaluations", {"scene": scene, "wanted": [{"population": "beetle-sequins", "trace": 1}],
                              "frame": rng.choice([None, 1, 3.5])}),
            ("/populations", {**body, "frame": rng.choice([None, 2])}), ("/strokes", {**body, **stroke}),
            ("/kept-values", {**body, "signal": "s", "name": rng.choice(["held", "", "position", "a b"])}),
            ("/exports", {**body, "format": rng.choice(["csv", "ply", "glb", "usd", "materialx"])}),
            ("/exports/losses", body), ("/elements", body), ("/scenes", {"document": scene}),
        ])  # fmt: skip


def _picture(form: str, rng: np.random.Generator) -> bytes:
    out = io.BytesIO()
    Image.fromarray(rng.integers(0, 256, (12, 16, 3), np.uint8)).save(out, form)
    return out.getvalue()


_FORMS = ((8, "PNG"), (3, "JPEG"), (64, "WEBP"), (2, "GIF"))


def _sound_files(seed: int) -> list[tuple[str, bytes]]:
    """Address and bytes of files of every kind that is taken."""
    rng = np.random.default_rng(seed)
    rows = [" ".join(f"{v:.5g}" for v in row) for row in rng.normal(size=(20, 4)).tolist()]
    names = ("float x", "float y", "float z", "double w")
    text = ply_text(rows, names)
    table = np.zeros(20, [("x", "<f4"), ("y", "<f4"), ("z", "<f4"), ("i", "<i4")])
    head = b"ply\nformat binary_little_endian 1.0\nelement vertex 20\nproperty float x\nproperty float y\n"
    head += b"property float z\nproperty int i\nend_header\n"
    commas = "x,y,z,n\n" + "\n".join(f'{r.replace(" ", ",").rpartition(",")[0]},"t{k}"' for k, r in enumerate(rows))
    tokens = {"g": {"$type": "color", "a": {"$value": {"colorSpace": "oklch", "components": [0.5, 0.1, 30]}},
                    "b": {"$value": "{g.a}"}}}  # fmt: skip
    return [
        ("imports/preview?name=a.ply", text), ("imports/preview?name=a.ply", head + table.tobytes()),
        ("imports/preview?name=a.csv", commas.encode()), ("imports?name=a.csv", commas.encode()),
        ("palettes/file?name=a.txt", b"#d8452f 20%, rgb(1,2,3) @ 40 %; hsl(200, 50%, 50%) tomato"),
        ("palettes/file?name=a.json", json.dumps(tokens).encode()),
        ("palettes/file?name=a.png", _picture("PNG", rng)),
        *((f"palettes/picture?count={k}", _picture(form, rng)) for k, form in _FORMS),
    ]  # fmt: skip


#: Bytes that are put into files.
_BITS = (
    b"\x00", b"\xff" * 4, b"\n", b"\r", b",", b'"', b"=1+1", b"nan", b"1e999", b"-", b"9" * 400, b" " * 3000,
    b"\xef\xbb\xbf",
    b"999999999999", b"list uchar int", b"element vertex 4000000000\n", b"end_header\n", b"{{{{", b"[" * 60,
    "\u00b2".encode(),
    b"\xff\xd8\xff", b"IHDR", b"\x7f\xff\xff\xff",
)  # fmt: skip


def files(seed: int, count: int) -> Iterator[tuple[str, bytes]]:
    """Files that were cut, doubled, turned round, or got odd bytes somewhere."""
    rng, sound = random.Random(seed), _sound_files(seed)
    for _ in range(count):
        address, data = rng.choice(sound)
        for _ in range(rng.randint(1, 4)):
            at = rng.randrange(len(data) + 1)
            to = min(len(data), at + rng.randrange(1, 40))
            data = rng.choice(
                (data[:at], data[:at] + rng.choice(_BITS) + data[at:], data[:at] + rng.choice(_BITS) + data[to:],
                 data[:at] + data[to:], data[:to] + data[at:], data[at:] + data[:at],
                 data[:at] + bytes(rng.randrange(256) for _ in range(to - at)) + data[to:])
            )  # fmt: skip
        yield address, data


@dataclass
class Report:
    """What came of all: answers by status, those that were wrong, the slowest with its seconds, growth in bytes."""

    answers: Counter[int] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)
    slowest: tuple[float, str] = (0.0, "")
    growth: int = 0


def fuzz_files(client: FlaskClient, form: str, seed: int, count: int) -> Report:
    """Send so many changed files of a format for a look at them.

    Of those that are taken every tenth is imported, coloured and written again: what was read must hold.
    """
    report, before = Report(), _peak()
    ending = FORMATS[form].ending
    # Another process for each would take hours.
    with forked() if form.startswith("usd") else contextlib.nullcontext():
        for k, data in enumerate(mutations.mutated(form, seed, count)):
            what = f"{form} {seed} {k}"
            taken = _note(report, what, lambda d=data: client.post(f"/api/imports/preview?name=a{ending}", data=d))
            if taken and k % 10 == 0:
                _carried_through(client, report, what, data, ending)
    report.growth = _peak() - before
    return report


def _carried_through(client: FlaskClient, report: Report, what: str, data: bytes, ending: str) -> None:
    brought: list[Any] = []

    def bring() -> Any:
        brought.append(client.post(f"/api/imports?name=a{ending}", data=data))
        return brought[0]

    if not _note(report, f"{what} brought", bring):
        return
    for thing in brought[0].json["things"][:4]:
        scene = beetle_scene()
        own = scene["populations"][0]
        scene["populations"] = [{**own, "maker": thing["maker"], "look": thing["look"], "shape": thing["shape"]}]
        body = {"scene": scene, "population": own["id"]}
        asked = {"scene": scene, "wanted": [{"population": own["id"], "trace": 0}]}
        sent = {"/evaluations": asked, "/populations": body, "/elements": body}
        sent |= {f"/exports?{word}": {**body, "format": word} for word in ("csv", "ply", "glb", "usd", "obj")}
        for path, document in sent.items():
            address = f"/api{path.partition('?')[0]}"
            _note(report, f"{what} {path}", lambda a=address, b=document: client.post(a, json=b))


def fuzz(client: FlaskClient, seed: int, requests: int, of_files: int) -> Report:
    """Send so many requests and files; an answer of 5xx or without a sentence is wrong."""
    report, before = Report(), _peak()
    for path, body in whole_documents(seed, requests, Stored(client)):
        _note(report, f"{path} {json.dumps(body)}", lambda p=path, b=body: client.post(f"/api{p}", json=b))
    for path, body in drafts(seed, requests):
        _note(report, f"{path} {json.dumps(body)}", lambda p=path, b=body: client.post(f"/api{p}", json=b))
    for address, data in files(seed, of_files):
        _note(report, f"{address} {data[:400]!r}", lambda a=address, d=data: client.post(f"/api/{a}", data=d))
    report.growth = _peak() - before
    return report


def _peak() -> int:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


def _worked() -> float:
    """Seconds of the processors, ours and of processes that have ended: a busy machine makes nothing slower."""
    return sum(os.times()[:4])


def _note(report: Report, what: str, send: Any) -> bool:
    """Send, and note what came; whether it was taken."""
    began = _worked()
    answer = send()
    report.slowest = max(report.slowest, (_worked() - began, what))
    report.answers[answer.status_code] += 1
    told = answer.status_code in (200, 201) or (400 <= answer.status_code < 500 and len(answer.json["sentence"]) > 10)
    if not told:
        report.wrong.append(f"{answer.status_code} {what} {answer.data[:300]!r}")
    if b'"unforeseen"' in answer.data[-4000:]:
        report.wrong.append(f"told after it had begun: {what}")
    return answer.status_code == 200
