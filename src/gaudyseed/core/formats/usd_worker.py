"""Reads and writes USD in a process of its own, since some damaged files stop the library's whole process.

Run as ``python usd_worker.py FILE WISH OUT``: reads FILE after the JSON in WISH and writes what it found to OUT, a line
of JSON followed by the bytes of all arrays. ``python usd_worker.py --crate TEXT OUT`` writes readable USD as binary,
``--join ORDER OUT`` files of one frame each as one file.
It imports nothing of the product but its limits, so that it starts quickly. Nothing but FILE is ever opened: references
to other files are taken out before the stage is composed.
"""

from __future__ import annotations

import json
import os
import re
import sys
from pathlib import Path
from typing import Any

sys.path.append(str(Path(__file__).parent))  # last, so that nothing of it hides a package

from reader_limits import FULL, LARGEST_MATRIX, NO_ROOM, WIDEST, Refused, limited

MOST_PRIMS = 200_000


class Found:
    """What was found, and the arrays of it."""

    def __init__(self) -> None:
        self.things: list[dict[str, Any]] = []
        self.notes: list[str] = []
        self.frames: list[float] | None = None
        self.parts: list[Any] = []
        self.size = 0

    def array(self, values: Any) -> dict[str, Any]:
        """An array, kept for the end of the output."""
        import numpy as np

        held = np.ascontiguousarray(values)
        if held.dtype.kind == "b":
            held = held.astype(np.uint8)
        if held.dtype == np.float16:
            held = held.astype(np.float32)
        entry = {"dtype": held.dtype.newbyteorder("<").str, "shape": list(held.shape), "at": self.size}
        self.parts.append(held)
        self.size += held.nbytes
        return entry

    def write(self, out: Path) -> None:
        """A line of JSON, then the bytes."""
        with out.open("wb") as file:
            file.write(json.dumps({"things": self.things, "notes": self.notes, "frames": self.frames}).encode() + b"\n")
            for part in self.parts:
                file.write(part.tobytes())


def opened(path: str) -> tuple[Any, list[str]]:
    """The stage of a file alone, and sentences about what was left out."""
    from pxr import Sdf, Tf, Usd

    try:
        layer = Sdf.Layer.OpenAsAnonymous(path)
    except Tf.ErrorException as error:
        # Of a text the first complaint has its line.
        line = re.search(r"\bline (\d+)\b", str(error))
        where = f" at line {line[1]}" if line else ""
        raise Refused(f"The file cannot be read as USD{where}. Export it again.") from None
    if not layer:
        raise Refused("The file cannot be read as USD. Export it again.")
    notes = []
    outside = [a for a in layer.GetCompositionAssetDependencies() if a]
    inside: set[str] = set()
    if path.endswith(".usdz"):
        inside = set(Sdf.ZipFile.Open(path).GetFileNames())
    for asset in outside:
        layer.UpdateCompositionAssetDependency(asset, "")
    named = [a for a in outside if a not in inside]
    if named:
        listed = ", ".join(repr(a[:60]) for a in named[:4])
        notes.append(f"It refers to {len(named)} other files ({listed}), which are never read.")

    def clear(place: Any) -> None:
        prim = layer.GetPrimAtPath(place)
        if prim:
            for key in ("clips", "clipSets"):
                if prim.HasInfo(key):
                    prim.ClearInfo(key)

    layer.Traverse(Sdf.Path.absoluteRootPath, clear)
    stage = Usd.Stage.Open(layer)
    if not stage:
        raise Refused("The file cannot be composed. Export it again.")
    return stage, notes


def first_living(places: list[Any]) -> float | None:
    """The earliest time at which any of some points live; None where none ever do."""
    times = ((t, of) for of in places for t in of.GetTimeSamples())
    return next((t for t, of in sorted(times, key=lambda both: both[0]) if of.Get(t)), None)


def read(path: str, options: dict[str, Any]) -> Found:
    """Meshes, points and instancers of a file, in a space whose z is up."""
    import numpy as np
    from pxr import Usd, UsdGeom

    stage, notes = opened(path)
    found = Found()
    found.notes = notes
    moving = stage.HasAuthoredTimeCodeRange() and stage.GetStartTimeCode() < stage.GetEndTimeCode()
    frame = options.get("frame")
    time = (
        Usd.TimeCode(frame if frame is not None else stage.GetStartTimeCode())
        if moving
        else Usd.TimeCode.EarliestTime()
    )
    turned = np.eye(4)
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y:
        turned = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
    unit = UsdGeom.GetStageMetersPerUnit(stage)
    if UsdGeom.StageHasAuthoredMetersPerUnit(stage) and abs(unit - 1) > 1e-9:
        found.notes.append(f"A unit of the file is {unit:g} m; numbers are taken as they are.")
    xforms = UsdGeom.XformCache(time)
    reader = Reader(found, xforms, time, turned)
    prims = iter(Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()))
    for count, prim in enumerate(prims):
        if count > MOST_PRIMS:
            raise Refused(f"The file has more than {MOST_PRIMS:,} prims. Split it.")
        if not reader.prim(prim, options.get("repeated", "clones") == "clones"):
            prims.PruneChildren()
    reader.finish(stage)
    if frame is None and reader.empty and len(reader.empty) == len(found.things):
        later = first_living(reader.empty)
        if later is not None:
            return read(path, {**options, "frame": later})
    if reader.moving:
        found.frames = [stage.GetStartTimeCode(), stage.GetEndTimeCode()]
        listed = ", ".join(reader.moving[:6]) + (" and more" if len(reader.moving) > 6 else "")
        at = stage.GetStartTimeCode() if frame is None else frame
        found.notes.append(f"These move; they are taken at frame {at:g}: {listed}.")
    if reader.hidden:
        listed = ", ".join(reader.hidden[:6]) + (" and more" if len(reader.hidden) > 6 else "")
        found.notes.append(f"Left out, because they are invisible or guides: {listed}.")
    if reader.curves:
        found.notes.append(f"{reader.curves} NURBS or Hermite curves were left out: linear and cubic ones are read.")
    return found


def triangles(counts: Any, indices: Any, points: int) -> Any:
    """(t, 4): the corners of the faces cut into triangles from their first corner, and the face of each.

    None where the faces do not match the points.
    """
    import numpy as np

    if (counts < 0).any() or counts.sum() != len(indices) or (len(indices) and not indices.min() >= 0):
        return np.empty((0, 4), np.int64)
    if len(indices) and indices.max() >= points:
        return np.empty((0, 4), np.int64)
    pieces = np.maximum(counts - 2, 0)
    face = np.repeat(np.arange(len(counts)), pieces)
    first = (np.cumsum(counts) - counts)[face]
    step = np.arange(int(pieces.sum())) - np.repeat(np.cumsum(pieces) - pieces, pieces)
    return np.stack([indices[first], indices[first + step + 1], indices[first + step + 2], face], axis=1)


class Reader:
    """Goes through the prims of a stage."""

    def __init__(self, found: Found, xforms: Any, time: Any, turned: Any) -> None:
        self.found, self.xforms, self.time, self.turned = found, xforms, time, turned
        self.moving: list[str] = []
        #: The places of points of which none live at the moment, but may at others.
        self.empty: list[Any] = []
        self.curves = 0
        self.instances: dict[str, list[tuple[str, Any]]] = {}
        self.hidden: list[str] = []

    def matrix(self, prim: Any) -> Any:
        """(4, 4), columns last: from the prim's space into ours; Refused where it is not finite, or immense."""
        import numpy as np

        found = self.turned @ np.array(self.xforms.GetLocalToWorldTransform(prim)).T
        if not np.abs(found).max() <= LARGEST_MATRIX:
            raise Refused(
                f"The transform of {prim.GetName()!r}, with those above it, is not finite or beyond 1e12. "
                "Export it again."
            )
        return found

    def unseen(self, prim: Any) -> bool:
        """Whether a prim, and with it what hangs below it, is invisible or a guide."""
        from pxr import UsdGeom

        if not prim.IsA(UsdGeom.Imageable):
            return False
        shown = UsdGeom.Imageable(prim)
        hidden = self.get(shown.GetVisibilityAttr()) == UsdGeom.Tokens.invisible
        return hidden or self.get(shown.GetPurposeAttr()) == UsdGeom.Tokens.guide

    def prim(self, prim: Any, clones: bool) -> bool:
        """Take one prim; whether what hangs below it is wanted too, which below an instance comes once for each."""
        from pxr import UsdGeom

        if self.unseen(prim):
            self.hidden.append(prim.GetName())
            return False
        if prim.IsInstance() and clones:
            key = str(prim.GetPrototype().GetPath())
            self.instances.setdefault(key, []).append((prim.GetName(), self.matrix(prim)))
            return False
        if prim.IsA(UsdGeom.Mesh):
            self.mesh(UsdGeom.Mesh(prim), prim)
        elif prim.IsA(UsdGeom.Points):
            self.points(UsdGeom.Points(prim), prim)
        elif prim.IsA(UsdGeom.PointInstancer):
            self.instancer(UsdGeom.PointInstancer(prim), prim)
        elif prim.IsA(UsdGeom.BasisCurves):
            self.strands(UsdGeom.BasisCurves(prim), prim)
        elif prim.IsA(UsdGeom.Curves):
            self.curves += 1
        return not prim.IsA(UsdGeom.PointInstancer)

    def get(self, attribute: Any) -> Any:
        """An attribute's value at the chosen moment; None where it has none."""
        if not attribute or not attribute.HasValue():
            return None
        return attribute.Get(self.time)

    def note_motion(self, prim: Any, attributes: list[Any]) -> None:
        """Remember prims of which something has several time samples."""
        from pxr import UsdGeom

        moving = any(a and a.ValueMightBeTimeVarying() for a in attributes)
        parent = prim
        while not moving and parent and not parent.IsPseudoRoot():
            moving = UsdGeom.Xformable(parent).TransformMightBeTimeVarying() if UsdGeom.Xformable(parent) else False
            parent = parent.GetParent()
        if moving:
            self.moving.append(prim.GetName())

    def primvars(self, prim: Any) -> dict[str, Any]:
        """By name: interpolation, values flattened, what they are."""
        from pxr import UsdGeom

        found: dict[str, Any] = {}
        for primvar in UsdGeom.PrimvarsAPI(prim).FindPrimvarsWithInheritance():
            entry = self.values(self.flattened(primvar), str(primvar.GetTypeName()))
            if entry is None and primvar.HasValue():
                self.found.notes.append(f"{primvar.GetPrimvarName()!r} of {prim.GetName()} cannot be read; left out.")
            if entry is not None:
                entry["interpolation"] = str(primvar.GetInterpolation())
                entry["shown"] = str(primvar.GetAttr().GetMetadata("displayName") or "")
                size = primvar.GetElementSize()
                if size > WIDEST:
                    self.found.notes.append(
                        f"{primvar.GetPrimvarName()!r} of {prim.GetName()} has {size} numbers for each element, "
                        f"at most {WIDEST} are taken; left out."
                    )
                    continue
                if size > 1 and len(entry["array"]["shape"]) == 1:
                    entry["array"]["shape"] = [entry["array"]["shape"][0] // size, size]
                found[str(primvar.GetPrimvarName())] = entry
        return found

    def flattened(self, primvar: Any) -> Any:
        """The values of a primvar, looked up by its indices; None where these do not fit, or texts are none."""
        from pxr import Tf

        try:
            return primvar.ComputeFlattened(self.time)
        except (Tf.ErrorException, UnicodeDecodeError):
            return None

    def values(self, values: Any, type_name: str) -> dict[str, Any] | None:
        """Values and what they stand for; None for what cannot be carried."""
        import numpy as np

        if values is None:
            return None
        if type_name.startswith(("string", "token")):
            texts = [str(v) for v in (values if not isinstance(values, str) else [values])]
            labels = list(dict.fromkeys(texts))
            codes = {t: k for k, t in enumerate(labels)}
            return {
                "array": self.found.array(np.array([codes[t] for t in texts], np.int32)),
                "labels": labels,
                "type": "text",
            }
        try:
            held = np.array(values)
        except (TypeError, ValueError):
            return None
        if held.dtype.kind not in "fiub" or held.ndim > 2:
            return None
        if held.ndim == 0:
            held = held.reshape(1)
        elif held.ndim == 1 and not type_name.endswith("[]"):
            held = held.reshape(1, -1)
        return {"array": self.found.array(held), "type": type_name}

    def mesh(self, mesh: Any, prim: Any) -> None:
        """A mesh with all that it carries."""
        import numpy as np

        points, counts, indices = (self.get(a) for a in (mesh.GetPointsAttr(), mesh.GetFaceVertexCountsAttr(),
                                                         mesh.GetFaceVertexIndicesAttr()))  # fmt: skip
        if points is None or counts is None or indices is None or len(points) == 0 or len(counts) == 0:
            self.found.notes.append(f"The mesh {prim.GetName()} has no faces and was left out.")
            return
        self.note_motion(prim, [mesh.GetPointsAttr()])
        thing = {
            "kind": "mesh", "name": prim.GetName(), "matrix": self.matrix(prim).reshape(-1).tolist(),
            "points": self.found.array(np.array(points)), "counts": self.found.array(np.array(counts, np.int32)),
            "indices": self.found.array(np.array(indices, np.int32)),
            "left": str(mesh.GetOrientationAttr().Get()) == "leftHanded",
            "scheme": str(mesh.GetSubdivisionSchemeAttr().Get()), "primvars": self.primvars(prim),
            "subsets": self.subsets(mesh),
        }  # fmt: skip
        normals = self.get(mesh.GetNormalsAttr())
        if normals is not None and "normals" not in thing["primvars"]:
            entry = self.values(normals, "normal3f[]")
            if entry is not None:
                entry["interpolation"] = str(mesh.GetNormalsInterpolation())
                thing["primvars"]["normals"] = entry
        self.found.things.append(thing)

    def strands(self, curves: Any, prim: Any) -> None:
        """Curves, each a strand, with all that they carry."""
        import numpy as np

        places, counts = self.get(curves.GetPointsAttr()), self.get(curves.GetCurveVertexCountsAttr())
        if places is None or counts is None or len(places) == 0 or len(counts) == 0:
            self.found.notes.append(f"The curves {prim.GetName()} have no points and were left out.")
            return
        self.note_motion(prim, [curves.GetPointsAttr()])
        cubic = str(curves.GetTypeAttr().Get()) == "cubic"
        thing = {
            "kind": "strands", "name": prim.GetName(), "matrix": self.matrix(prim).reshape(-1).tolist(),
            "points": self.found.array(np.array(places)), "counts": self.found.array(np.array(counts, np.int32)),
            "basis": str(curves.GetBasisAttr().Get()) if cubic else "linear",
            "wrap": str(curves.GetWrapAttr().Get()), "primvars": self.primvars(prim),
        }  # fmt: skip
        pairs = (("widths", curves.GetWidthsAttr(), curves.GetWidthsInterpolation(), "float[]"),
                 ("normals", curves.GetNormalsAttr(), curves.GetNormalsInterpolation(), "normal3f[]"))  # fmt: skip
        for name, attribute, interpolation, type_name in pairs:
            entry = self.values(self.get(attribute), type_name)
            if entry is not None and name not in thing["primvars"]:
                entry["interpolation"] = str(interpolation)
                thing["primvars"][name] = entry
        self.found.things.append(thing)

    def subsets(self, mesh: Any) -> dict[str, Any]:
        """The faces of each named subset."""
        import numpy as np
        from pxr import UsdGeom

        found = {}
        for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh):
            indices = self.get(subset.GetIndicesAttr())
            if indices is not None and str(subset.GetElementTypeAttr().Get()) == "face":
                found[subset.GetPrim().GetName()] = self.found.array(np.array(indices))
        return found

    def points(self, points: Any, prim: Any) -> None:
        """Points of a prim, each an element."""
        import numpy as np
        from pxr import Vt

        places = self.get(points.GetPointsAttr())
        if not places:
            # Particles of which none live at the moment live at others.
            if not points.GetPointsAttr().ValueMightBeTimeVarying():
                return
            places = Vt.Vec3fArray()
            self.empty.append(points.GetPointsAttr())
        self.note_motion(prim, [points.GetPointsAttr()])
        more = {}
        known = {
            "widths": points.GetWidthsAttr(), "ids": points.GetIdsAttr(), "velocities": points.GetVelocitiesAttr(),
            "normals": points.GetNormalsAttr(),
        }  # fmt: skip
        for name, attribute in known.items():
            entry = self.values(self.get(attribute), "float[]")
            if entry is not None and entry["array"]["shape"][0] == len(places):
                more[name] = entry
        self.found.things.append(
            {
                "kind": "points",
                "name": prim.GetName(),
                "matrix": self.matrix(prim).reshape(-1).tolist(),
                "points": self.found.array(np.array(places)),
                "more": more,
                "primvars": self.primvars(prim),
            }
        )

    def instancer(self, instancer: Any, prim: Any) -> None:
        """An instancer's copies."""
        import numpy as np
        from pxr import UsdGeom

        kinds, places = self.get(instancer.GetProtoIndicesAttr()), self.get(instancer.GetPositionsAttr())
        targets = instancer.GetPrototypesRel().GetTargets()
        if not kinds or not places or not targets:
            self.found.notes.append(
                f"The instancer {prim.GetName()} has no positions, indices or prototypes and was left out."
            )
            return
        self.check(instancer, prim, len(places), np.array(kinds), len(targets))
        turns = [instancer.GetOrientationsAttr(), instancer.GetOrientationsfAttr()]
        self.note_motion(prim, [instancer.GetPositionsAttr(), *turns])
        matrices = instancer.ComputeInstanceTransformsAtTime(
            self.time, self.time, UsdGeom.PointInstancer.IncludeProtoXform, UsdGeom.PointInstancer.IgnoreMask
        )
        above = self.matrix(prim)
        # Rows times matrices there, matrices times columns here.
        placed = above @ np.array(matrices).reshape(-1, 4, 4).transpose(0, 2, 1)
        names = [target.name for target in targets]
        carried = {
            "ids": (instancer.GetIdsAttr(), "int64[]"), "velocities": (instancer.GetVelocitiesAttr(), "vector3f[]"),
            "angular_velocities": (instancer.GetAngularVelocitiesAttr(), "vector3f[]"),
            "accelerations": (instancer.GetAccelerationsAttr(), "vector3f[]"),
        }  # fmt: skip
        more = {name: self.values(self.get(attribute), kind) for name, (attribute, kind) in carried.items()}
        seen = np.array(instancer.ComputeMaskAtTime(self.time), bool)
        self.found.things.append(
            {
                "kind": "instances",
                "name": prim.GetName(),
                "matrix": above.reshape(-1).tolist(),
                "matrices": self.found.array(placed),
                "shapes": names,
                "parts": [self.parts(prim.GetStage().GetPrimAtPath(target)) for target in targets],
                "shape": self.found.array(np.array(kinds)),
                "more": {name: entry for name, entry in more.items() if entry is not None},
                "primvars": self.primvars(prim),
                "seen": self.found.array(seen) if len(seen) and not seen.all() else None,
            }
        )

    def check(self, instancer: Any, prim: Any, places: int, kinds: Any, prototypes: int) -> None:
        """Refused where what an instancer says of its copies is not of one length, or names no prototype."""
        told = {"indices": len(kinds)}
        for word, attribute in (("orientations", instancer.GetOrientationsAttr()),
                                ("scales", instancer.GetScalesAttr())):  # fmt: skip
            held = self.get(attribute)
            if held:
                told[word] = len(held)
        wrong = [f"{count:,} {word}" for word, count in told.items() if count != places]
        if wrong:
            raise Refused(
                f"The instancer {prim.GetName()!r} has {places:,} positions, but {' and '.join(wrong)}: "
                "they must be as many. Export it again."
            )
        beyond = [k for k in (int(kinds.min()), int(kinds.max())) if not 0 <= k < prototypes]
        if beyond:
            raise Refused(
                f"The instancer {prim.GetName()!r} names prototype {beyond[0]}, but it has {prototypes:,}, counted "
                "from 0. Export it again."
            )

    def parts(self, prototype: Any) -> list[dict[str, Any]]:
        """The meshes below a prototype in its space: points, triangles, uv, and the faces of each material."""
        import numpy as np
        from pxr import Usd, UsdGeom

        found = []
        for prim in Usd.PrimRange(prototype, Usd.TraverseInstanceProxies()) if prototype else ():
            if not prim.IsA(UsdGeom.Mesh):
                continue
            mesh = UsdGeom.Mesh(prim)
            points, counts, indices = (self.get(a) for a in (mesh.GetPointsAttr(), mesh.GetFaceVertexCountsAttr(),
                                                             mesh.GetFaceVertexIndicesAttr()))  # fmt: skip
            if points is None or counts is None or indices is None or not len(points):
                continue
            faces = triangles(np.array(counts, np.int64), np.array(indices, np.int64), len(points))
            if not len(faces):
                continue
            inner = (
                np.array(self.xforms.ComputeRelativeTransform(prim, prototype)[0]).T if prim != prototype else np.eye(4)
            )
            place = np.array(points) @ inner[:3, :3].T + inner[:3, 3]
            of, faces = faces[:, 3], faces[:, :3]
            materials, order = self.materials(prim, mesh, of)
            middle = (place.min(axis=0) + place.max(axis=0)) / 2
            found.append(
                {
                    "name": prim.GetName(),
                    "middle": middle.tolist(),
                    "points": self.found.array(place.astype(np.float32)),
                    "faces": self.found.array(faces[order].astype(np.int32)),
                    "uv": self.lying(prim, len(points)),
                    "materials": materials,
                }
            )
        return found

    def lying(self, prim: Any, count: int) -> dict[str, Any] | None:
        """The uv of the vertices of a mesh; None where it has none for each of them."""
        import numpy as np
        from pxr import UsdGeom

        st = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance("st")
        values = st.ComputeFlattened(self.time) if st else None
        held = None if values is None else np.array(values)
        if held is None or held.ndim != 2 or held.shape != (count, 2):
            return None
        return self.found.array(held.astype(np.float32))

    def materials(self, prim: Any, mesh: Any, of: Any) -> tuple[list[tuple[str, int]], Any]:
        """The names of the materials of a mesh with how many triangles each has, and the triangles in that order."""
        import numpy as np
        from pxr import UsdGeom, UsdShade

        kinds, names = np.zeros(len(of), np.int64), [prim.GetName()]
        for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh):
            indices = self.get(subset.GetIndicesAttr())
            if indices is None or str(subset.GetElementTypeAttr().Get()) != "face":
                continue
            own = subset.GetPrim()
            kinds[np.isin(of, np.array(indices))] = len(names)
            names.append(str(own.GetMetadata("displayName") or own.GetName()))
        if len(names) == 1:
            bound = UsdShade.MaterialBindingAPI(prim).GetDirectBinding().GetMaterialPath()
            names = [bound.name or prim.GetName()]
        counts = np.bincount(kinds, minlength=len(names))
        return [(n, int(c)) for n, c in zip(names, counts, strict=True) if c], np.argsort(kinds, kind="stable")

    def finish(self, stage: Any) -> None:
        """Instances of prototypes, as copies of these."""
        import numpy as np

        for k, (key, copies) in enumerate(self.instances.items()):
            names = [name for name, _ in copies]
            labels = list(dict.fromkeys(names))
            codes = {n: i for i, n in enumerate(labels)}
            self.found.things.append(
                {
                    "kind": "instances",
                    "name": f"instances {k + 1}",
                    "shapes": [labels[0]],
                    "matrix": np.eye(4).reshape(-1).tolist(),
                    "seen": None,
                    "matrices": self.found.array(np.stack([m for _, m in copies])),
                    "shape": self.found.array(np.zeros(len(copies), np.int32)),
                    "parts": [self.parts(stage.GetPrimAtPath(key))],
                    "more": {},
                    "primvars": {
                        "name": {
                            "array": self.found.array(np.array([codes[n] for n in names], np.int32)),
                            "labels": labels,
                            "type": "text",
                            "interpolation": "vertex",
                        }
                    },
                }
            )


def crate(text: str, arrays: str, out: str) -> None:
    """Readable USD as binary; in the place of each array of numbers stands which of the arrays is meant."""
    import numpy as np
    from pxr import Sdf, Tf

    layer = Sdf.Layer.OpenAsAnonymous(text)
    held: list[Any] = []
    with Path(arrays).open("rb") as file:
        size = os.fstat(file.fileno()).st_size
        while file.tell() < size:
            held.append(np.load(file, allow_pickle=False))

    def fill(path: Any) -> None:
        spec = layer.GetAttributeAtPath(path) if path.IsPropertyPath() else None
        kind = type(spec.default) if spec is not None and spec.default is not None else None
        if spec is None or kind is None or not hasattr(kind, "FromNumpy"):
            return
        meant = np.array(spec.default)
        values = held[int(meant.reshape(-1)[0])].astype(meant.dtype)
        # Quaternions stand real part first in the text, and last in arrays.
        spec.default = kind.FromNumpy(np.ascontiguousarray(values[:, [1, 2, 3, 0]] if "quat" in str(spec.typeName)
                                                           else values))  # fmt: skip

    if layer:
        layer.Traverse(Sdf.Path.absoluteRootPath, fill)
    try:
        written = layer and layer.Export(out)
    except Tf.ErrorException:
        written = False
    if not written:
        # The library does not say why: whether a byte more has room does.
        Path(f"{out}.more").write_bytes(b"\0" * 65_536)
        raise Refused("The file could not be written as binary USD.")


def join(order: str, out: str) -> None:
    """Files of one frame each as one file, in which all that differs stands as time samples."""
    from pxr import Sdf, Tf

    wanted = json.loads(Path(order).read_text())
    whole = Sdf.Layer.OpenAsAnonymous(wanted["files"][0])
    same: dict[Any, Any] = {}
    varies: set[Any] = set()
    for file, frame in zip(wanted["files"], wanted["frames"], strict=True):
        layer = Sdf.Layer.OpenAsAnonymous(file)

        def take(path: Any, layer: Any = layer, frame: float = frame) -> None:
            spec = layer.GetAttributeAtPath(path) if path.IsPropertyPath() else None
            if spec is None or spec.default is None or not spec.typeName.isArray:
                return
            if not whole.GetAttributeAtPath(path):
                Sdf.JustCreatePrimAttributeInLayer(whole, path, spec.typeName)
                varies.add(path)
            whole.SetTimeSample(path, frame, spec.default)
            if same.setdefault(path, spec.default) != spec.default:
                varies.add(path)

        layer.Traverse(Sdf.Path.absoluteRootPath, take)
    for path in same:
        if path not in varies:
            for frame in wanted["frames"]:
                whole.EraseTimeSample(path, frame)
    whole.startTimeCode, whole.endTimeCode = wanted["frames"][0], wanted["frames"][-1]
    whole.timeCodesPerSecond = whole.framesPerSecond = wanted["rate"]
    try:
        written = whole.Export(out)
    except Tf.ErrorException:
        written = False
    if not written:
        raise Refused("The file could not be written.")


def main(arguments: list[str]) -> int:
    """0 where it worked, 3 with a sentence on the error stream where it did not, 4 where the disk is full."""
    os.environ["PXR_WORK_THREAD_LIMIT"] = "1"
    limited()
    try:
        if arguments[0] == "--crate":
            crate(arguments[1], arguments[2], arguments[3])
        elif arguments[0] == "--join":
            join(arguments[1], arguments[2])
        else:
            options = json.loads(Path(arguments[1]).read_text())
            for k, frame in enumerate(options["frames"]):
                # Beside it until it is whole, so that it can be taken as soon as it is there.
                part = Path(f"{arguments[2]}.{k}.part")
                read(arguments[0], {**options, "frame": frame}).write(part)
                part.rename(f"{arguments[2]}.{k}")
    except Refused as error:
        print(error, file=sys.stderr)
        return 3
    except OSError as error:
        if error.errno in NO_ROOM:
            return FULL
        raise
    except ImportError:
        print("The package usd-core is missing, which reads USD. Set up again with ./gaudy demo.", file=sys.stderr)
        return 3
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
