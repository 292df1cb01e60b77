"""Advisories about the channels of the material: what a lane does that is not seen, or that no surface does."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from ..colour.spaces import saturation
from ..documents.paths import pointer
from ..errors import BadInput, Fix
from ..look.material import ElementPicture
from ..look.results import Evaluation, LaneResult
from ..look.step.base import whole_step
from ..look.step.measured import spacing
from ..look.step.reported import Advisory, put
from ..plurals import having
from ..reports.coverage import coverage, hidden
from ..sampling import grey_part, sample
from ..sending import picture_of, threshold_of, ways
from .registered import ADVISERS, Adviser, Evidence

#: A picture leaks its colours into a tint from this mean saturation on (a choice of ours: below it hues hardly show).
LEAK = 0.08
#: Light of its own beyond this is shown as bright as can be (core/shown/shading.py: within 2 % of its peak).
BRIGHTEST = 3.0
#: Below this roughness highlights are smaller than a pixel (common practice in renderers, which hold it there).
SMOOTHEST = 0.02
#: Below this share of opacity or density a colour is hardly seen; told from this part of the elements on (a choice of
#: ours), and where its fix begins.
FAINT, FAINT_PART, SEEN = 0.1, 0.4, 0.25
#: An offset beyond so many spacings tears a surface apart.
FAR = 10.0


def _of_material(evidence: Evidence) -> Iterator[Advisory]:
    """All of them."""
    evaluation = evidence.evaluation
    yield from _pictures(evaluation)
    yield from _shapes(evaluation)
    yield from _covered(evaluation)
    for word, lane in evaluation.lanes.items():
        if not lane.layers or not len(lane.values):
            continue
        yield from _as_finish(evaluation, word, lane)
        judge = _OF.get(word)
        if judge is not None:
            yield from judge(evaluation, lane)


def _end(lane: LaneResult) -> str:
    """Where one more step of the topmost layer comes."""
    return f"{pointer(lane.layers[-1].compiled.place)}/paint/-"


def _at(lane: LaneResult) -> str:
    return lane.layers[-1].paint[-1].place


def _fit(label: str, lane: LaneResult, **parameters: Any) -> Fix:
    return Fix(label, [put(_end(lane), whole_step("range", **parameters))])


def _pictures(evaluation: Evaluation) -> Iterator[Advisory]:
    document = evaluation.look.document
    found: list[tuple[str, ElementPicture]] = [("picture", document.picture)] if document.picture else []
    found += [(f"shapes[{k}].picture", s.picture) for k, s in enumerate(document.shapes) if s.picture]
    tinted = bool(evaluation.layers) and grey_part(evaluation.colours) < 0.98
    for place, picture in found:
        try:
            texels = picture_of(evaluation, picture).levels
        except BadInput:
            continue
        small = next(level for level in texels if max(level.shape[:2]) <= 64).reshape(-1, 4)
        there = small[:, 3] > 0.5
        if tinted and not picture.grey and there.any():
            leak = float(saturation(np.ascontiguousarray(small[there, :3])).mean())
            if leak > LEAK:
                yield Advisory(
                    "picture_leaks", place,
                    f"The picture has colours of its own ({100 * leak:.0f} % saturated), which leak into the tint of "
                    "the base colour.",
                    (Fix("Grey it", [put(f"{pointer(place)}/grey", True)]),),
                )  # fmt: skip
        if picture.cut == "alpha" and bool((texels[0][..., 3] > 0.999).all()):
            yield Advisory(
                "picture_without_alpha", place, "The picture has no alpha, so nothing is cut out by it.",
                (Fix("Cut out by luma", [put(f"{pointer(place)}/cut", "luma")]),),
            )  # fmt: skip
    if not found:
        painted = [lane for lane in evaluation.lanes.values() if lane.channel.pictured and lane.layers]
        for lane in painted:
            yield Advisory(
                "no_picture", _at(lane), f"There is no picture on the elements that {lane.channel.title.lower()} could "
                "correct.", (Fix("Put a picture on them", [put("/picture", {"grey": True})]),),
            )  # fmt: skip


def _shapes(evaluation: Evaluation) -> Iterator[Advisory]:
    number, shapes = evaluation.chosen.shape, evaluation.look.shapes
    if number is None:
        return
    counts = np.bincount(number.astype(np.intp), minlength=len(shapes))
    for k in np.flatnonzero(counts == 0).tolist():
        name = shapes[k].mesh or shapes[k].shape
        fixes = [Fix("Remove the shape", [{"op": "remove", "path": f"/shapes/{k}"}])]
        if shapes[k].weight == 0:
            fixes.insert(0, Fix("Give it a weight", [put(f"/shapes/{k}/weight", 1.0)]))
        yield Advisory("shape_unused", f"shapes[{k}]", f"No element is shape {k + 1} ({name}).", tuple(fixes))


def _covered(evaluation: Evaluation) -> Iterator[Advisory]:
    lanes = evaluation.lanes
    if not {"size", "offset", "shape"} & set(lanes):
        return
    covered = coverage(evaluation)
    if covered is None or hidden(covered) <= 0.5:
        return
    flat = " What moves them out is hard to see among so many." if "offset" in lanes else ""
    fixes: tuple[Fix, ...] = ()
    if "size" in lanes and lanes["size"].layers:
        fixes = (_fit("Make them smaller", lanes["size"], to_high=1 / np.sqrt(covered), clamp=False),)
    yield Advisory(
        "covered", "lanes.size",
        f"The elements cover their surface {covered:.1f} times over, so about {100 * hidden(covered):.0f} % of them "
        f"lies under others.{flat}",
        fixes,
    )  # fmt: skip


def _as_finish(evaluation: Evaluation, word: str, lane: LaneResult) -> Iterator[Advisory]:
    """A lane that gives what the finish, or the channel's default, gives anyway."""
    if word in ("base_colour", "shape", "finish"):
        return
    channel = lane.channel
    bare = [finish.of(channel) for finish in evaluation.look.finishes] if channel.of_finish else []
    bare = bare or [np.array(channel.default, np.float32)]
    if len(bare) > 1 or bare[0] is None:
        return
    held = channel.held(lane.values).reshape(len(lane.values), -1)
    if float(np.abs(held - bare[0]).max()) < 0.5 / 255:
        whose = "their finish has" if channel.of_finish else "they have"
        yield Advisory(
            "lane_as_finish", _at(lane),
            f"This lane gives every element the {channel.title.lower()} that {whose} anyway.",
            (Fix("Switch the lane off", [put(f"/lanes/{word}/enabled", False)]),),
        )  # fmt: skip


def _metalness(evaluation: Evaluation, lane: LaneResult) -> Iterator[Advisory]:
    between = float(((lane.values > 0.1) & (lane.values < 0.9)).mean())
    if between > 0.5:
        steep = whole_step("levels", black_point=0.45, white_point=0.55)
        yield Advisory(
            "half_metal", _at(lane),
            f"{100 * between:.0f} % of the elements are neither metal nor not: their metalness lies between 0.1 and "
            "0.9, which no bare surface has.",
            (Fix("Make each one or the other", [put(_end(lane), steep)]),),
        )  # fmt: skip


def _roughness(evaluation: Evaluation, lane: LaneResult) -> Iterator[Advisory]:
    smooth = int((lane.values < SMOOTHEST).sum())
    if smooth > 0.01 * len(lane.values):
        yield Advisory(
            "too_smooth", _at(lane),
            f"{having(smooth, 'element')} a roughness below {SMOOTHEST:g}: their highlights are smaller than a pixel "
            "and will flicker.",
            (_fit("Begin at 0.05", lane, to_low=0.05),),
        )  # fmt: skip


def _strength(evaluation: Evaluation, lane: LaneResult) -> Iterator[Advisory]:
    greatest = evaluation.channel("emission_colour").max(axis=1)
    clipped = int((lane.values * greatest > BRIGHTEST).sum())
    if clipped and float(np.ptp(lane.values)) > 0:
        yield Advisory(
            "emission_clipped", _at(lane),
            f"{having(clipped, 'element', 'glows', 'glow')} beyond {BRIGHTEST:g}, where the view and most screens show "
            "all as bright as can be.",
            (_fit(f"Fit it to 0 to {BRIGHTEST:g}", lane, own=True, to_high=BRIGHTEST),),
        )  # fmt: skip


def _opacity(evaluation: Evaluation, lane: LaneResult) -> Iterator[Advisory]:
    threshold = threshold_of(evaluation)
    gone = lane.values < threshold if threshold is not None else lane.values <= 0.5 / 255
    part = float(gone.mean()) if threshold is not None else 1 - float(np.clip(lane.values, 0, 1).mean())
    nothing = not gone.any() if threshold is not None else bool((lane.values >= 1 - 0.5 / 255).all())
    if part > 0.95:
        sentence = f"Opacity hides {100 * part:.1f} % of the elements."
    elif nothing:
        sentence = "Opacity hides nothing."
    else:
        return
    if threshold is not None:
        middle = float(np.clip(np.median(sample(lane.values)), 0, 1))
        fix = Fix("Cut out half of them", [put("/lanes/opacity/threshold", round(middle, 4))])
    else:
        fix = _fit("Use the whole range", lane, own=True)
    yield Advisory("opacity_hides", _at(lane), sentence, (fix,))


def _hardly_seen(evaluation: Evaluation, lane: LaneResult) -> Iterator[Advisory]:
    """Colours given to elements of which next to nothing is left."""
    held = lane.channel.held(lane.values)
    faint = float(((held > 0.5 / 255) & (held < FAINT)).mean())
    if faint < FAINT_PART or threshold_of(evaluation) is not None or not evaluation.layers:
        return
    word = lane.channel.title.lower()
    yield Advisory(
        "hardly_seen", _at(lane),
        f"{100 * faint:.0f} % of the elements have a {word} below {100 * FAINT:g} %, so the colours given to them are "
        "hardly seen.",
        (_fit(f"Begin at {100 * SEEN:g} %", lane, to_low=SEEN),),
    )  # fmt: skip


def _see_through(evaluation: Evaluation, lane: LaneResult) -> Iterator[Advisory]:
    yield from _opacity(evaluation, lane)
    yield from _hardly_seen(evaluation, lane)


def _offset(evaluation: Evaluation, lane: LaneResult) -> Iterator[Advisory]:
    if evaluation.population.count < 2:
        return
    apart = spacing(evaluation.population.elements.attribute("position").readable)
    way = np.linalg.norm(ways(evaluation), axis=1)
    far = float((np.abs(lane.values) * way).max())
    if far > FAR * apart > 0:
        yield Advisory(
            "offset_far", _at(lane),
            f"Elements are moved by up to {far:.3g} units, {far / apart:.0f} times as far as they stand apart.",
            (_fit("Fit it to the spacing", lane, own=True, to_high=round(2 * apart, 6)),),
        )  # fmt: skip


_OF = {"metalness": _metalness, "roughness": _roughness, "emission_strength": _strength, "opacity": _see_through,
       "density": _hardly_seen, "offset": _offset}  # fmt: skip

ADVISERS.add("material", Adviser(90, of_all=_of_material))
