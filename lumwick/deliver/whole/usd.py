"""A place as USD: metres, z up, a time code each frame.

References
----------
Specifications of UsdGeomMesh, UsdGeomPointInstancer, UsdGeomSubset, UsdPreviewSurface and UsdLux (openusd.org).
"""

from __future__ import annotations

import io
import os
import re
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade, Vt
from scipy.spatial.transform import Rotation

from lumwick.atomic import part_of
from lumwick.built.gltf_scene import NITS
from lumwick.built.lamps import LampLight
from lumwick.built.meshes import MeshSurface
from lumwick.deliver.paths_out.usd import add_camera
from lumwick.deliver.whole.gathered import Floats, Form, Whole
from lumwick.lens.colour import temperature_rgb

FEW = 1000
"""Instances up to which their turns are told as whole floats too, though they change."""
POINT_RADIUS = 0.01
"""Radius [m] of the ball that stands for a point of light."""


def name_of(text: str) -> str:
    """A name that USD takes."""
    plain = re.sub(r"\W+", "_", text, flags=re.ASCII).strip("_") or "x"
    return plain if plain[0].isalpha() else f"x{plain}"


def write(whole: Whole, out: Path) -> None:
    """Write a stage, and its textures in a folder of its name beside it; whole or not at all. What it has written of
    a place's forms is given up, for they are large."""
    part = part_of(out)
    try:
        stage = Usd.Stage.CreateNew(str(part))
        files = _Writer(stage, whole, textures_of(out).name).all()
        stage.GetRootLayer().Save()
        del stage
        for name, data in files.items():
            (out.parent / name).parent.mkdir(parents=True, exist_ok=True)
            (out.parent / name).write_bytes(data)
        os.replace(part, out)
    finally:
        part.unlink(missing_ok=True)


def textures_of(out: Path) -> Path:
    """The folder of a stage's textures: its own, so that two stages in one folder do not mix theirs."""
    return out.with_name(f"{out.stem}_textures")


def apart(m: Floats) -> tuple[Floats, Floats, Floats]:
    """Places (n, 3), turns as quaternions (n, 4) with the real part last, and scales (n, 3) of placements (n, 3, 4).

    Their third axis keeps its way and length; the others are set at right angles to it, where they were not.
    """
    size = np.linalg.norm(m[:, :, :3], axis=1)
    z = m[:, :, 2] / size[:, 2:]
    x = m[:, :, 0] - (m[:, :, 0] * z).sum(1, keepdims=True) * z
    x /= np.linalg.norm(x, axis=1, keepdims=True)
    turns = Rotation.from_matrix(np.stack([x, np.cross(z, x), z], -1)).as_quat()
    return m[:, :, 3], turns, size


def _steady(told: list[tuple[Floats, Floats, Floats]]) -> list[Floats]:
    """Turns as quaternions by frame, each on the same side as in the frame before: q and -q are one turn, but between
    them there is none."""
    out = [told[0][1]]
    for _, turns, _ in told[1:]:
        out.append(np.where((turns * out[-1]).sum(1, keepdims=True) < 0, -turns, turns))
    return out


def instanced(placed: list[Floats]) -> dict[str, list[NDArray[Any]]]:
    """What a point instancer says of placements (n, 3, 4) by frame: each attribute's arrays, one if it does not change.

    Turns are half floats, as USD has them (within a milliradian); where they are few or still, whole ones beside them.
    """
    told = [apart(m) for m in placed]
    turns = _steady(told)
    whole = _once([q.astype(np.float32) for q in turns], 1e-6)
    out: dict[str, list[NDArray[Any]]] = {
        "positions": _once([where.astype(np.float32) for where, _, _ in told], 1e-6),
        "orientations": [q.astype(np.float16) for q in whole],
        "scales": _once([size.astype(np.float32) for _, _, size in told], 1e-6),
    }
    if len(whole) == 1 or len(turns[0]) <= FEW:
        out["orientationsf"] = whole
    return out


def _once(rows: list[NDArray[Any]], within: float) -> list[NDArray[Any]]:
    """The first of what stands by frame, if all are alike within a little; else all."""
    return rows[:1] if all(np.abs(row - rows[0]).max(initial=0.0) <= within for row in rows[1:]) else rows


def _matrix(m: Floats) -> Any:
    """A placement (3, 4) as USD writes it, by rows."""
    out = np.eye(4)
    out[:, :3] = m.T
    return Gf.Matrix4d(*out.ravel().tolist())


class _Writer:
    """Puts a stage together."""

    def __init__(self, stage: Any, whole: Whole, textures: str) -> None:
        self.stage, self.whole, self.textures = stage, whole, textures
        self.files: dict[str, bytes] = {}
        self._materials: dict[Any, Any] = {}
        self._kept: list[MeshSurface] = []

    def all(self) -> dict[str, bytes]:
        stage, whole = self.stage, self.whole
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        stage.SetTimeCodesPerSecond(whole.rate)
        stage.SetFramesPerSecond(whole.rate)
        stage.SetStartTimeCode(whole.codes[0])
        stage.SetEndTimeCode(whole.codes[-1])
        stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/place").GetPrim())
        used: set[str] = set()
        for form in whole.forms:
            path = f"/place/{form.kind}/{name_of(form.name)}"
            while path in used:
                path += "_"
            used.add(path)
            self._form(form, path)
        if "lamps" in whole.range.kinds:
            self._lamps()
        if whole.camera is not None:
            UsdGeom.Scope.Define(stage, "/place/cameras")
            add_camera(stage, whole.camera, whole.rate, "/place/cameras", (whole.range.first, whole.range.last))
        return self.files

    def _form(self, form: Form, path: str) -> None:
        UsdGeom.Scope.Define(self.stage, path.rpartition("/")[0])
        if len(form.placed[0]) == 1 and form.kind != "plants":
            mesh = self._mesh(form, path)
            self._by_time(mesh.AddTransformOp(), [_matrix(m[0]) for m in form.placed])
            return
        made = UsdGeom.PointInstancer.Define(self.stage, path)
        made.GetPrim().SetDisplayName(form.title)
        proto = f"{path}/forms/form"
        UsdGeom.Scope.Define(self.stage, f"{path}/forms")
        self._mesh(form, proto)
        made.CreatePrototypesRel().SetTargets([Sdf.Path(proto)])
        made.CreateProtoIndicesAttr(Vt.IntArray(len(form.placed[0])))
        told = instanced(form.placed)
        for name, rows in told.items():
            attribute, array = {
                "positions": (made.CreatePositionsAttr, Vt.Vec3fArray),
                "orientations": (made.CreateOrientationsAttr, Vt.QuathArray),
                "orientationsf": (made.CreateOrientationsfAttr, Vt.QuatfArray),
                "scales": (made.CreateScalesAttr, Vt.Vec3fArray),
            }[name]
            self._by_time(attribute(), [array.FromNumpy(row) for row in rows])
        codes = [Usd.TimeCode(code) for code in self.whole.codes] if form.goes else [Usd.TimeCode.Default()]
        for code in codes:
            made.CreateExtentAttr().Set(made.ComputeExtentAtTime(code, code), code)

    def _by_time(self, op: Any, values: list[Any]) -> None:
        if len(values) == 1:
            op.Set(values[0])
            return
        for code, value in zip(self.whole.codes, values, strict=True):
            op.Set(value, Usd.TimeCode(code))

    def _mesh(self, form: Form, path: str) -> Any:
        mesh = UsdGeom.Mesh.Define(self.stage, path)
        mesh.GetPrim().SetDisplayName(form.title)
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        mesh.CreateDoubleSidedAttr(True)
        faces = form.faces
        mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(faces), faces.shape[1], np.int32)))
        mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(faces.astype(np.int32).ravel()))
        points, extent = mesh.CreatePointsAttr(), mesh.CreateExtentAttr()
        bends = form.bends
        for k in range(len(form.vertices)):
            code = Usd.TimeCode(self.whole.codes[k]) if bends else Usd.TimeCode.Default()
            corners = Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(form.vertices[k]))
            points.Set(corners, code)
            extent.Set(UsdGeom.PointBased.ComputeExtent(corners), code)
            if k:
                form.vertices[k] = form.vertices[0]
        if form.colours is not None:
            colour = mesh.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex)
            colour.Set(Vt.Vec3fArray.FromNumpy(form.colours))
        self._corners(mesh, form)
        self._bind(mesh, form, path)
        return mesh

    def _corners(self, mesh: Any, form: Form) -> None:
        part, api = form.part, UsdGeom.PrimvarsAPI(mesh)
        if part is not None and part.normals is not None and not form.bends:  # those of a bent one are made anew
            mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(part.normals.reshape(-1, 3))))
            mesh.SetNormalsInterpolation(UsdGeom.Tokens.faceVarying)
        if part is not None and part.uv is not None:
            st = api.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying)
            st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(part.uv.reshape(-1, 2))))

    def _bind(self, mesh: Any, form: Form, path: str) -> None:
        """Give a mesh its material, or a plant's surfaces theirs."""
        if len(form.surfaces) == 1:
            UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(self._material(form.surfaces[0]))
            return
        ends = [0, *(min(c, len(form.faces)) for c in form.cut), len(form.faces)]
        for k, surface in enumerate(form.surfaces):
            if ends[k + 1] > ends[k]:
                which = Vt.IntArray.FromNumpy(np.arange(ends[k], ends[k + 1], dtype=np.int32))
                subset = UsdGeom.Subset.CreateGeomSubset(
                    mesh, name_of(surface.name), UsdGeom.Tokens.face, which, UsdShade.Tokens.materialBind
                )
                UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(self._material(surface))
        UsdShade.MaterialBindingAPI(mesh.GetPrim()).SetMaterialBindSubsetsFamilyType(UsdGeom.Tokens.partition)

    # -- materials ----------------------------------------------------------------------------------------------

    def _material(self, s: MeshSurface) -> Any:
        maps = (s.colour_map, s.normal_map, s.rough_map, s.glow_map)
        key = (s.name, s.colour, s.roughness, s.metalness, s.glow, s.clear, *(id(m) for m in maps))
        if key in self._materials:
            return self._materials[key]
        self._kept.append(s)  # what its pictures are known by must not pass to others
        UsdGeom.Scope.Define(self.stage, "/place/materials")
        path = f"/place/materials/{name_of(s.name)}_{len(self._materials) + 1}"
        made = UsdShade.Material.Define(self.stage, path)
        shader = self._shader(f"{path}/surface", "UsdPreviewSurface")
        kinds = Sdf.ValueTypeNames
        for name, kind, value in (
            ("diffuseColor", kinds.Color3f, Gf.Vec3f(*s.colour)),
            ("roughness", kinds.Float, s.roughness),
            ("metallic", kinds.Float, s.metalness),
            ("opacity", kinds.Float, 1 - s.clear),
            ("opacityThreshold", kinds.Float, s.cutoff),
            ("ior", kinds.Float, s.refraction),
            ("clearcoat", kinds.Float, s.coat),
            ("clearcoatRoughness", kinds.Float, s.coat_roughness),
            ("emissiveColor", kinds.Color3f, Gf.Vec3f(*(g / NITS for g in s.glow))),
        ):
            shader.CreateInput(name, kind).Set(value)
        made.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        self._textures(path, shader, s)
        self._materials[key] = made
        return made

    def _shader(self, path: str, kind: str) -> Any:
        shader = UsdShade.Shader.Define(self.stage, path)
        shader.CreateIdAttr(kind)
        return shader

    def _textures(self, path: str, shader: Any, s: MeshSurface) -> None:
        kinds = Sdf.ValueTypeNames
        if s.colour_map is not None:
            found = self._texture(path, "colour", s.colour_map, "sRGB", [*s.colour, 1.0])
            self._join(shader, "diffuseColor", kinds.Color3f, found, "rgb", kinds.Float3)
            if s.cutoff > 0:
                self._join(shader, "opacity", kinds.Float, found, "a", kinds.Float)
        if s.rough_map is not None:
            found = self._texture(path, "rough", s.rough_map, "raw", [1.0, s.roughness, s.metalness, 1.0])
            self._join(shader, "roughness", kinds.Float, found, "g", kinds.Float)
            self._join(shader, "metallic", kinds.Float, found, "b", kinds.Float)
        if s.normal_map is not None:
            found = self._texture(path, "normal", s.normal_map, "raw", [2.0, 2.0, 2.0, 1.0], [-1.0, -1.0, -1.0, 0.0])
            self._join(shader, "normal", kinds.Normal3f, found, "rgb", kinds.Float3)
        if s.glow_map is not None:
            found = self._texture(path, "glow", s.glow_map, "sRGB", [*(g / NITS for g in s.glow), 1.0])
            self._join(shader, "emissiveColor", kinds.Color3f, found, "rgb", kinds.Float3)

    def _texture(
        self,
        path: str,
        what: str,
        pixels: NDArray[np.uint8],
        space: str,
        scale: list[float],
        bias: list[float] | None = None,
    ) -> Any:
        """A picture's reader; the picture goes beside the stage."""
        name = f"{path.rpartition('/')[2]}_{what}.png"
        held = io.BytesIO()
        Image.fromarray(pixels).save(held, "PNG")
        self.files[f"{self.textures}/{name}"] = held.getvalue()
        kinds = Sdf.ValueTypeNames
        st = UsdShade.Shader.Get(self.stage, f"{path}/st")
        if not st:
            st = self._shader(f"{path}/st", "UsdPrimvarReader_float2")
            st.CreateInput("varname", kinds.String).Set("st")
            st.CreateOutput("result", kinds.Float2)
        texture = self._shader(f"{path}/{what}", "UsdUVTexture")
        texture.CreateInput("file", kinds.Asset).Set(Sdf.AssetPath(f"./{self.textures}/{name}"))
        texture.CreateInput("st", kinds.Float2).ConnectToSource(st.ConnectableAPI(), "result")
        texture.CreateInput("sourceColorSpace", kinds.Token).Set(space)
        for side in ("wrapS", "wrapT"):
            texture.CreateInput(side, kinds.Token).Set("repeat")
        texture.CreateInput("scale", kinds.Float4).Set(Gf.Vec4f(*scale))
        if bias is not None:
            texture.CreateInput("bias", kinds.Float4).Set(Gf.Vec4f(*bias))
        return texture

    def _join(self, shader: Any, name: str, kind: Any, texture: Any, channel: str, gives: Any) -> None:
        texture.CreateOutput(channel, gives)
        shader.CreateInput(name, kind).ConnectToSource(texture.ConnectableAPI(), channel)

    # -- lights -------------------------------------------------------------------------------------------------

    def _lamps(self) -> None:
        UsdGeom.Scope.Define(self.stage, "/place/lamps")
        known = {lamp.id: lamp for now in self.whole.lamps for lamp in now}
        for name, first in known.items():
            light = self._lamp(f"/place/lamps/{name_of(name)}", first)
            light.GetPrim().SetDisplayName(first.name)
            colour = temperature_rgb(first.kelvin)
            light.CreateColorAttr(Gf.Vec3f(*(float(c) for c in colour)))
            strengths, moves = [], []
            for now in self.whole.lamps:
                lamp = next((one for one in now if one.id == name), None)
                strengths.append(0.0 if lamp is None else _strength(lamp))
                shown = lamp or first
                moves.append(_matrix(aimed(shown.position, shown.direction, shown.kind == "line", shown)))
            self._by_time(light.AddTransformOp(), moves if len(set(map(str, moves))) > 1 else moves[:1])
            self._by_time(light.CreateIntensityAttr(), strengths if len(set(strengths)) > 1 else strengths[:1])
        sun = UsdLux.DistantLight.Define(self.stage, "/place/lamps/the_sun")
        sun.CreateAngleAttr(0.53)
        sun.CreateNormalizeAttr(True)
        suns = self.whole.suns
        self._by_time(sun.AddTransformOp(), [_matrix(aimed(np.zeros(3), -d)) for d, _ in suns])
        self._by_time(sun.CreateIntensityAttr(), [float(lux[1]) for _, lux in suns])
        strongest = max(suns, key=lambda one: one[1][1])[1]
        sun.CreateColorAttr(Gf.Vec3f(*(float(c) for c in strongest / max(strongest[1], 1e-9))))

    def _lamp(self, path: str, lamp: LampLight) -> Any:
        if lamp.kind == "rectangle":
            light = UsdLux.RectLight.Define(self.stage, path)
            light.CreateWidthAttr(lamp.width)
            light.CreateHeightAttr(lamp.height)
        elif lamp.kind == "disc":
            light = UsdLux.DiskLight.Define(self.stage, path)
            light.CreateRadiusAttr(lamp.width / 2)
        elif lamp.kind == "line":
            light = UsdLux.CylinderLight.Define(self.stage, path)
            light.CreateLengthAttr(lamp.height)
            light.CreateRadiusAttr(lamp.width / 2)
        elif lamp.kind == "parallel":
            light = UsdLux.DistantLight.Define(self.stage, path)
            light.CreateAngleAttr(lamp.spread)
            light.CreateNormalizeAttr(True)
        else:
            light = UsdLux.SphereLight.Define(self.stage, path)
            light.CreateRadiusAttr(_radius(lamp))
            light.CreateTreatAsPointAttr(lamp.source <= 0)
            if lamp.kind == "spot":
                cone = UsdLux.ShapingAPI.Apply(light.GetPrim())
                cone.CreateShapingConeAngleAttr(lamp.outer)
                cone.CreateShapingConeSoftnessAttr(max(0.0, 1 - lamp.inner / max(lamp.outer, 1e-6)))
        return light


def _radius(lamp: LampLight) -> float:
    return lamp.source / 2 if lamp.source > 0 else POINT_RADIUS


def _strength(lamp: LampLight) -> float:
    """What USD calls intensity: luminance [cd/m2], or the illuminance of parallel light [lx]."""
    light = float(lamp.light()[1] / max(temperature_rgb(lamp.kelvin)[1], 1e-9))
    return light / (np.pi * _radius(lamp) ** 2) if lamp.kind in ("point", "spot") else light


def aimed(position: Floats, direction: Floats, lies: bool = False, lamp: LampLight | None = None) -> Floats:
    """A placement (3, 4) whose own minus z shines a way; of a line its own x lies along it."""
    if lamp is not None:
        across, up = lamp.across()
        x = across if lies else -across
        return np.stack([x, np.cross(-direction, x), -direction, position], -1)
    up = np.array([0.0, 0.0, 1.0]) if abs(direction[2]) < 0.999 else np.array([0.0, 1.0, 0.0])
    x = np.cross(direction, up)
    x /= np.linalg.norm(x)
    return np.stack([x, np.cross(-direction, x), -direction, position], -1)
