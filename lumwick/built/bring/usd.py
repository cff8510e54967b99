"""USD models, by Pixar's own library: units, axis, instances, subsets and preview materials.

References
----------
USD specifications of UsdGeomMesh, UsdGeomSubset, UsdGeomPointInstancer and UsdPreviewSurface (openusd.org).
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.bring.bundle import Bundle
from lumwick.built.bring.usd_layers import opened_stage
from lumwick.built.bring.usd_motion import bake_skins, moves
from lumwick.built.gltf import DAMAGE
from lumwick.built.gltf_scene import NITS, turned
from lumwick.built.images import pixels_of
from lumwick.built.meshes import TRIANGLES_AT_MOST, Mesh, MeshPart, MeshSurface, beside_file, check_amount
from lumwick.errors import PlaceError
from lumwick.strangers import inside, unzipped

LEFT_OUT = {"BasisCurves": "curves", "NurbsPatch": "NURBS patches", "Points": "points", "Volume": "volumes"}
SOLIDS = ("Cube", "Sphere", "Cylinder", "Cone", "Capsule")
INSTANCES_AT_MOST = 200_000


@dataclass
class _Piece:
    surface: MeshSurface
    vertices: NDArray[np.float64]
    triangles: NDArray[np.int64]
    uv: NDArray[np.float64] | None
    normals: NDArray[np.float64] | None


@dataclass(frozen=True)
class UsdModel:
    """A USD model in metres, east, north, up, as it stands at its first time, and how it moves.

    Attributes
    ----------
    times : ndarray, shape (n,) [s]
        From its start; empty if it stands still.
    moved : list of list of ndarray of float32, shape (k, 3) [m]
        Of each of the mesh's parts, its vertices at each time.
    """

    mesh: Mesh
    times: NDArray[np.float64]
    moved: list[list[NDArray[np.float32]]]


def read_usd(files: Bundle, path: str, notes: list[str]) -> UsdModel:
    """A USD model, with its time samples.

    Raises
    ------
    PlaceError
        It is damaged, or holds no mesh.
    """
    from pxr import Tf

    name = PurePosixPath(path).name
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        if path.lower().endswith(".usdz"):  # its own textures are read out of the package
            files = {**files, **dict(unzipped(files[path], name))}
        for file, data in files.items():
            file = inside(file)
            (root / file).parent.mkdir(parents=True, exist_ok=True)
            (root / file).write_bytes(data)
        stage = opened_stage(root, root / path, lambda why: PlaceError(f"{name} cannot be read as a model: {why}."))
        try:
            lost = [str(PurePosixPath(str(p)).name) for p in _unresolved(stage)]
            notes += [f"{file}, which it refers to, is missing and was left out" for file in lost]
            bake_skins(stage)
            reader = _Reader(stage, files, path, notes)
            parts = reader.parts(name)
            times, moved = moves(stage, reader, parts, name, notes)
        except (Tf.ErrorException, *DAMAGE) as error:
            raise PlaceError(f"{name} cannot be read as a model: what it holds does not fit together.") from error
    return UsdModel(Mesh(tuple(parts), tuple(dict.fromkeys(notes))), times, moved)


def _unresolved(stage: Any) -> list[Any]:
    """Layers that are named and not there."""
    from pxr import Sdf

    out = []
    for layer in stage.GetUsedLayers():
        for name in layer.GetCompositionAssetDependencies():
            if not Sdf.Layer.FindOrOpen(layer.ComputeAbsolutePath(name)):
                out.append(name)
    return out


def _joined(group: list[_Piece], per: float, y_up: bool) -> MeshPart:
    starts = np.cumsum([0] + [len(p.vertices) for p in group[:-1]])
    v = np.concatenate([p.vertices for p in group]) * per
    t = np.concatenate([p.triangles + s for p, s in zip(group, starts, strict=True)])
    uv = np.concatenate([p.uv for p in group]) if group[0].uv is not None else None
    normals = np.concatenate([p.normals for p in group]) if group[0].normals is not None else None
    if y_up:
        v = np.stack([v[:, 0], -v[:, 2], v[:, 1]], 1)
        if normals is not None:
            normals = np.stack([normals[..., 0], -normals[..., 2], normals[..., 1]], -1)
    return MeshPart(
        group[0].surface,
        v.astype(np.float32),
        t.astype(np.uint32),
        None if uv is None else np.nan_to_num(uv).astype(np.float32),
        None if normals is None else np.nan_to_num(normals).astype(np.float32),
    )


class _Reader:
    def __init__(self, stage: Any, files: Bundle, path: str, notes: list[str]) -> None:

        self.stage, self.files, self.path, self.notes = stage, files, path, notes
        self.turn_to(stage.GetStartTimeCode() if stage.HasAuthoredTimeCodeRange() else 0.0)
        self._surfaces: dict[Any, MeshSurface] = {}

    def turn_to(self, code: float) -> None:
        """Read what follows at a time code."""
        from pxr import Usd, UsdGeom

        self.time = Usd.TimeCode(code)
        self.cache = UsdGeom.XformCache(self.time)

    def parts(self, name: str) -> list[MeshPart]:
        """The model's parts now, those of one surface joined."""
        from pxr import UsdGeom

        per = float(UsdGeom.GetStageMetersPerUnit(self.stage))
        y_up = UsdGeom.GetStageUpAxis(self.stage) == UsdGeom.Tokens.y
        groups: dict[tuple[int, bool, bool], list[_Piece]] = {}
        corners = 0
        for piece in self.pieces():
            corners += len(piece.vertices) + 3 * len(piece.triangles)
            if corners > 6 * TRIANGLES_AT_MOST:
                check_amount(name, corners)
            key = (id(piece.surface), piece.uv is not None, piece.normals is not None)
            groups.setdefault(key, []).append(piece)
        check_amount(name, sum(len(p.triangles) for group in groups.values() for p in group))
        return [_joined(group, per, y_up) for group in groups.values()]

    def pieces(self) -> Iterator[_Piece]:
        from pxr import Usd, UsdGeom

        walk = iter(Usd.PrimRange(self.stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()))
        for prim in walk:
            kind = prim.GetTypeName()
            if prim.IsA(UsdGeom.Imageable) and not self._shown(prim):
                walk.PruneChildren()
                continue
            if kind in LEFT_OUT:
                self.notes.append(f"{LEFT_OUT[kind]} in it were left out")
            if prim.IsA(UsdGeom.PointInstancer):
                walk.PruneChildren()
                yield from self._instances(UsdGeom.PointInstancer(prim))
            elif prim.IsA(UsdGeom.Mesh):
                yield from self._mesh(UsdGeom.Mesh(prim), self._matrix(prim))
            elif kind in SOLIDS:
                yield self._solid(prim, kind)

    def _solid(self, prim: Any, kind: str) -> _Piece:
        """A built-in shape as triangles."""
        from pxr import UsdShade
        from trimesh import creation

        def told(name: str) -> float:
            return float(prim.GetAttribute(name).Get(self.time))

        if kind == "Cube":
            made = creation.box([told("size")] * 3)
        elif kind == "Sphere":
            made = creation.icosphere(4, told("radius"))
        elif kind == "Cylinder":
            made = creation.cylinder(told("radius"), told("height"), 48)
        elif kind == "Cone":  # USD's is centred, trimesh's stands on its foot
            made = creation.cone(told("radius"), told("height"), 48)
            made.apply_translation((0, 0, -told("height") / 2))
        else:
            made = creation.capsule(told("height"), told("radius"), [24, 24])
            made.apply_translation((0, 0, -(made.bounds[0, 2] + made.bounds[1, 2]) / 2))
        v = np.asarray(made.vertices, float)
        axis = prim.GetAttribute("axis")
        lies = axis.Get(self.time) if axis else "Z"
        if lies == "X":
            v = v[:, [2, 0, 1]]
        elif lies == "Y":
            v = v[:, [1, 2, 0]]
        m = self._matrix(prim)
        material = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        t = np.asarray(made.faces, np.int64)
        return _Piece(self._surface(material, prim), v @ m[:3, :3].T + m[:3, 3], t, None, None)

    def _shown(self, prim: Any) -> bool:
        from pxr import UsdGeom

        image = UsdGeom.Imageable(prim)
        hidden = image.ComputeVisibility(self.time) == UsdGeom.Tokens.invisible
        return not hidden and image.ComputePurpose() in (UsdGeom.Tokens.default_, UsdGeom.Tokens.render)

    def _matrix(self, prim: Any) -> NDArray[np.float64]:
        return np.array(self.cache.GetLocalToWorldTransform(prim), float).T

    def _instances(self, many: Any) -> Iterator[_Piece]:
        from pxr import Usd, UsdGeom

        matrices = many.ComputeInstanceTransformsAtTime(self.time, self.time)
        which = many.GetProtoIndicesAttr().Get(self.time)
        if len(matrices) > INSTANCES_AT_MOST:
            raise PlaceError(f"It sets out {len(matrices):,} copies: at most {INSTANCES_AT_MOST:,} are taken.")
        over, made = self._matrix(many.GetPrim()), 0
        for number, path in enumerate(many.GetPrototypesRel().GetTargets()):
            root = self.stage.GetPrimAtPath(path)
            above = np.linalg.inv(self._matrix(root))
            for prim in Usd.PrimRange(root, Usd.TraverseInstanceProxies()):
                if not prim.IsA(UsdGeom.Mesh):
                    continue
                # a prototype's own matrix counts, as the instancer's matrices already hold it
                local = above @ self._matrix(prim)
                mine = np.flatnonzero(np.asarray(which) == number)
                made += len(mine) * len(UsdGeom.Mesh(prim).GetFaceVertexIndicesAttr().Get(self.time) or [])
                if made > 3 * TRIANGLES_AT_MOST:
                    raise PlaceError(f"Its copies come to more than {TRIANGLES_AT_MOST:,} triangles: reduce it first.")
                for k in mine:
                    yield from self._mesh(UsdGeom.Mesh(prim), over @ np.array(matrices[int(k)], float).T @ local)

    def _mesh(self, mesh: Any, m: NDArray[np.float64]) -> Iterator[_Piece]:
        from pxr import UsdGeom, UsdShade

        points = np.asarray(mesh.GetPointsAttr().Get(self.time) or [], float).reshape(-1, 3)
        counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get(self.time) or [], np.int64)
        corners = np.asarray(mesh.GetFaceVertexIndicesAttr().Get(self.time) or [], np.int64)
        where = str(mesh.GetPrim().GetPath())
        if counts.sum() != len(corners) or (len(corners) and not 0 <= corners.min() <= corners.max() < len(points)):
            self.notes.append(f"the mesh {where} has corners that are not there and was left out")
            return
        if mesh.GetSubdivisionSchemeAttr().Get() not in (None, "none") and len(counts):
            self.notes.append("its subdivision surfaces stand as the meshes that they are made from")
        face, at = _fans(counts)
        gone = set(mesh.GetHoleIndicesAttr().Get(self.time) or [])
        t = corners[at]
        v = points @ m[:3, :3].T + m[:3, 3]
        normals = self._normals(mesh, t, at, face, m)
        uv = self._uv(UsdGeom.PrimvarsAPI(mesh.GetPrim()), t, at, face)
        whole = UsdShade.MaterialBindingAPI(mesh.GetPrim()).ComputeBoundMaterial()[0]
        owner = np.zeros(len(counts), np.int64)
        materials = [whole]
        for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh):
            bound = UsdShade.MaterialBindingAPI(subset.GetPrim()).ComputeBoundMaterial()[0]
            if bound and subset.GetElementTypeAttr().Get() == UsdGeom.Tokens.face:
                owner[np.asarray(subset.GetIndicesAttr().Get(self.time), np.int64)] = len(materials)
                materials.append(bound)
        keep = ~np.isin(face, list(gone)) if gone else np.ones(len(face), bool)
        finite = np.asarray(np.isfinite(v).all(1))
        keep &= finite[t].all(1)
        v[~finite] = 0
        for number, material in enumerate(materials):
            mine = keep & (owner[face] == number)
            if mine.any():
                surface = self._surface(material, mesh.GetPrim())
                yield _Piece(
                    surface, v, t[mine], None if uv is None else uv[mine], None if normals is None else normals[mine]
                )

    def _normals(
        self, mesh: Any, t: NDArray[np.int64], at: NDArray[np.int64], face: NDArray[np.int64], m: NDArray[np.float64]
    ) -> NDArray[np.float64] | None:
        values = np.asarray(mesh.GetNormalsAttr().Get(self.time) or [], float).reshape(-1, 3)
        chosen = _by_corner(values, mesh.GetNormalsInterpolation(), t, at, face) if len(values) else None
        if chosen is None:
            return None
        return turned(chosen.reshape(-1, 3), m).reshape(-1, 3, 3)

    def _uv(
        self, primvars: Any, t: NDArray[np.int64], at: NDArray[np.int64], face: NDArray[np.int64]
    ) -> NDArray[np.float64] | None:
        for name in ("st", "st0", "UVMap", "uv", "map1"):
            primvar = primvars.FindPrimvarWithInheritance(name)
            if primvar and primvar.HasValue():
                flat = primvar.ComputeFlattened(self.time)
                values = np.asarray(flat if flat is not None else [], float).reshape(-1, 2)
                if len(values):
                    return _by_corner(values, primvar.GetInterpolation(), t, at, face)
        return None

    def _surface(self, material: Any, prim: Any) -> MeshSurface:
        from pxr import UsdGeom

        if not material:
            told = UsdGeom.Gprim(prim).GetDisplayColorAttr().Get(self.time)
            colour = tuple(float(x) for x in told[0]) if told else (0.5, 0.5, 0.5)
            return self._surfaces.setdefault(("plain", colour), MeshSurface("plain", colour))  # type: ignore[arg-type]
        path = material.GetPath()
        if path not in self._surfaces:
            self._surfaces[path] = self._preview(material)
        return self._surfaces[path]

    def _preview(self, material: Any) -> MeshSurface:
        shader = material.ComputeSurfaceSource()[0]
        if not shader or shader.GetIdAttr().Get() != "UsdPreviewSurface":
            self.notes.append(
                f"the material {material.GetPrim().GetName()} has no preview surface: a grey stands for it"
            )
            return MeshSurface(material.GetPrim().GetName())
        number = {"roughness": 0.5, "metallic": 0.0, "opacity": 1.0, "opacityThreshold": 0.0, "clearcoat": 0.0}
        number |= {"clearcoatRoughness": 0.01, "ior": 1.5}
        for name in number:
            value = self._value(shader, name)
            number[name] = float(value) if value is not None else number[name]
        colour, colour_map = self._value(shader, "diffuseColor"), self._texture(shader, "diffuseColor")
        glow, glow_map = self._value(shader, "emissiveColor"), self._texture(shader, "emissiveColor")
        rough, metal = self._texture(shader, "roughness"), self._texture(shader, "metallic")
        opacity = self._texture(shader, "opacity")
        if opacity is not None and colour_map is not None and opacity.shape == colour_map.shape:
            channel = opacity[..., 3] if (opacity[..., 3] < 255).any() else opacity[..., 0]
            colour_map = np.concatenate([colour_map[..., :3], channel[..., None]], -1)
        cut = number["opacityThreshold"] or (0.5 if opacity is not None else 0.0)
        rgb = tuple(float(x) for x in colour) if colour is not None else (0.18, 0.18, 0.18)
        lit = tuple(float(x) * NITS for x in glow) if glow is not None else (0.0, 0.0, 0.0)
        return MeshSurface(
            material.GetPrim().GetName(),
            (1.0, 1.0, 1.0) if colour_map is not None else rgb,  # type: ignore[arg-type]
            1.0 if rough is not None else number["roughness"],
            1.0 if metal is not None else number["metallic"],
            (NITS, NITS, NITS) if glow_map is not None else lit,  # type: ignore[arg-type]
            1 - number["opacity"] if opacity is None and not number["opacityThreshold"] else 0.0,
            cut if colour_map is not None else 0.0,
            colour_map,
            self._texture(shader, "normal"),
            _roughness(rough, metal),
            glow_map,
            number["clearcoat"],
            number["clearcoatRoughness"],
            number["ior"],
        )

    def _value(self, shader: Any, name: str) -> Any:
        """A constant that a shader has of its own, or by its material's interface."""
        given = shader.GetInput(name)
        if not given:
            return None
        found = given.GetValueProducingAttributes()
        return found[0].Get(self.time) if found and not _is_output(found[0]) else None

    def _texture(self, shader: Any, name: str) -> NDArray[np.uint8] | None:
        from pxr import UsdShade

        given = shader.GetInput(name)
        found = given.GetValueProducingAttributes() if given else []
        if not found or not _is_output(found[0]):
            return None
        source = UsdShade.Shader(found[0].GetPrim())
        if source.GetIdAttr().Get() != "UsdUVTexture":
            return None
        file = source.GetInput("file").Get(self.time) if source.GetInput("file") else None
        asked = str(file.path) if file else ""
        inner = asked.partition("[")[2].rstrip("]") or asked
        data = beside_file(self.files, inner, self.path) if inner else None
        if data is None:
            self.notes.append(
                f"the texture {PurePosixPath(inner).name or 'without a name'} is missing and was left out"
            )
            return None
        pixels = pixels_of(data, self.notes, name)
        channel = found[0].GetName().rpartition(":")[2]
        if (
            pixels is not None
            and channel in "rgba"
            and len(channel) == 1
            and name in ("roughness", "metallic", "opacity")
        ):
            return np.repeat(pixels[..., "rgba".index(channel)][..., None], 4, -1)
        return pixels


def _is_output(attribute: Any) -> bool:
    return str(attribute.GetName()).startswith("outputs:")


def _fans(counts: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The face of each triangle, and the corners that it takes, shape (m, 3), of faces cut into fans."""
    many = np.maximum(counts - 2, 0)
    face = np.repeat(np.arange(len(counts)), many)
    start = np.cumsum(counts) - counts
    k = np.arange(len(face)) - np.repeat(np.cumsum(many) - many, many)
    first = start[face]
    return face, np.stack([first, first + k + 1, first + k + 2], 1)


def _by_corner(
    values: NDArray[np.float64], how: str, t: NDArray[np.int64], at: NDArray[np.int64], face: NDArray[np.int64]
) -> NDArray[np.float64] | None:
    """Values for each triangle's corners, shape (m, 3, k), by their interpolation; None if they do not fit."""
    index = {"faceVarying": at, "vertex": t, "varying": t, "uniform": np.repeat(face[:, None], 3, 1)}.get(how)
    if how == "constant":
        index = np.zeros_like(t)
    if index is None or (index.size and index.max() >= len(values)):
        return None
    return np.asarray(values[index])


def _roughness(rough: NDArray[np.uint8] | None, metal: NDArray[np.uint8] | None) -> NDArray[np.uint8] | None:
    """Roughness in green and metalness in blue, as glTF keeps them."""
    if rough is None and metal is None:
        return None
    like = rough if rough is not None else metal
    assert like is not None
    out = np.full_like(like, 255)
    if rough is not None:
        out[..., 1] = rough[..., 0]
    if metal is not None and metal.shape == like.shape:
        out[..., 2] = metal[..., 0]
    return out
