"""Embree, called through ctypes for scenes and from inside Numba kernels for rays.

The library is the one that the ``embreex`` wheel bundles. Scenes share their vertex buffers with numpy, so a
deformed mesh is seen after ``Mesh.moved`` and ``Scene.commit`` without a copy.
"""

from __future__ import annotations

import ctypes as C
import glob
import os
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import Any

import embreex
import llvmlite.binding
import numba as nb
import numba.types
import numpy as np
from numpy.typing import NDArray

from lumwick.errors import RenderError

# Values of rtcore's enumerations (Embree 4 headers).
TRIANGLE, QUAD, INSTANCE = 0, 1, 121
UINT3, UINT4, FLOAT3, FLOAT3X4 = 0x5003, 0x5004, 0x9003, 0x9234
INDEX, VERTEX = 0, 1
LOW, MEDIUM, REFIT = 0, 1, 3
DYNAMIC, ROBUST = 1, 4

MASK_SOLID, MASK_WATER, MASK_FINE, MASK_COARSE, MASK_CUT, MASK_CLEAR = 1, 2, 4, 8, 16, 32
"""What rays may hit: solid things; water; plants as the camera and the sun's first shadow see them; plants as
light that was scattered once sees them, in their simplest form; and things that are cut out by a texture, and
clear ones, through which shadow rays must look."""
SEEN, SCATTERED = MASK_SOLID | MASK_FINE, MASK_SOLID | MASK_COARSE
CAMERA_MASK = SEEN | MASK_WATER | MASK_CUT | MASK_CLEAR
"""What the camera's rays may hit."""
COHERENT, EVERY_FEATURE = 1 << 16, 0xFFFFFFFF
"""What the library may be told of rays: that they keep together; and that any kind of geometry may be met."""
NO_HIT = 0xFFFFFFFF


def library_path() -> str:
    """Path of the bundled libembree4.

    Raises
    ------
    RenderError
        The wheel does not carry the library.
    """
    root = os.path.dirname(os.path.dirname(embreex.__file__))
    found = sorted(glob.glob(os.path.join(root, "embreex.libs", "libembree4*")))
    if not found:
        raise RenderError("The ray library is missing from the embreex package: run `make setup` again.")
    return found[0]


@cache
def _library() -> C.CDLL:
    root = os.path.dirname(library_path())
    for tbb in glob.glob(os.path.join(root, "libtbb*")):
        C.CDLL(tbb, mode=C.RTLD_GLOBAL)
    lib = C.CDLL(library_path(), mode=C.RTLD_GLOBAL)
    p, u, z = C.c_void_p, C.c_uint, C.c_size_t
    for name, restype, argtypes in (
        ("rtcNewDevice", p, [C.c_char_p]),
        ("rtcGetDeviceError", C.c_int, [p]),
        ("rtcNewScene", p, [p]),
        ("rtcReleaseScene", None, [p]),
        ("rtcSetSceneFlags", None, [p, C.c_int]),
        ("rtcSetSceneBuildQuality", None, [p, C.c_int]),
        ("rtcCommitScene", None, [p]),
        ("rtcGetSceneBounds", None, [p, p]),
        ("rtcNewGeometry", p, [p, C.c_int]),
        ("rtcReleaseGeometry", None, [p]),
        ("rtcCommitGeometry", None, [p]),
        ("rtcAttachGeometryByID", None, [p, p, u]),
        ("rtcSetSharedGeometryBuffer", None, [p, C.c_int, u, C.c_int, p, z, z, z]),
        ("rtcUpdateGeometryBuffer", None, [p, C.c_int, u]),
        ("rtcSetGeometryBuildQuality", None, [p, C.c_int]),
        ("rtcSetGeometryMask", None, [p, u]),
    ):
        f = getattr(lib, name)
        f.restype, f.argtypes = restype, argtypes
    return lib


nt: Any = numba.types  # its names are made at run time
llvmlite.binding.load_library_permanently(library_path())
_ray_call = nt.void(nt.uint64, nt.uint64, nt.uint64)
rtcIntersect1 = nt.ExternalFunction("rtcIntersect1", _ray_call)
rtcOccluded1 = nt.ExternalFunction("rtcOccluded1", _ray_call)
rtcIntersect16 = nt.ExternalFunction("rtcIntersect16", nt.void(nt.uint64, nt.uint64, nt.uint64, nt.uint64))
_rtcNewGeometry = nt.ExternalFunction("rtcNewGeometry", nt.uint64(nt.uint64, nt.int32))
_rtcSetGeometryInstancedScene = nt.ExternalFunction("rtcSetGeometryInstancedScene", nt.void(nt.uint64, nt.uint64))
_rtcSetGeometryTransform = nt.ExternalFunction(
    "rtcSetGeometryTransform", nt.void(nt.uint64, nt.uint32, nt.int32, nt.uint64)
)
_rtcSetGeometryMask = nt.ExternalFunction("rtcSetGeometryMask", nt.void(nt.uint64, nt.uint32))
_rtcCommitGeometry = nt.ExternalFunction("rtcCommitGeometry", nt.void(nt.uint64))
_rtcAttachGeometryByID = nt.ExternalFunction("rtcAttachGeometryByID", nt.void(nt.uint64, nt.uint64, nt.uint32))
_rtcReleaseGeometry = nt.ExternalFunction("rtcReleaseGeometry", nt.void(nt.uint64))


@nb.njit(cache=True, nogil=True)
def _place(device, scene, children, masks, owner, transforms):
    for i in range(len(owner)):
        g = _rtcNewGeometry(device, INSTANCE)
        _rtcSetGeometryInstancedScene(g, children[owner[i]])
        _rtcSetGeometryTransform(g, 0, FLOAT3X4, transforms[i].ctypes.data)
        _rtcSetGeometryMask(g, masks[owner[i]])
        _rtcCommitGeometry(g)
        _rtcAttachGeometryByID(scene, g, i)
        _rtcReleaseGeometry(g)


WIDE = b"frequency_level=simd256"
"""Lets the library use eight lanes at once where the machine has them. By itself it keeps to four on many servers, so
that their clock does not fall; nothing else here is as wide (a sixth to a quarter more rays a second, the same hits:
docs/decisions/0016)."""


@cache
def device() -> int:
    """The one Embree device of this process."""
    handle = _library().rtcNewDevice(WIDE)
    if not handle:
        raise RenderError("The ray library would not start on this machine.")
    return int(handle)


def _check(what: str) -> None:
    code = _library().rtcGetDeviceError(device())
    if code:
        raise RenderError(f"The ray library refused {what} (error {code}).")


def padded(array: NDArray[np.float32]) -> NDArray[np.float32]:
    """The same float32 array with 16 readable bytes behind its end, as Embree's buffers need."""
    flat = np.zeros(array.size + 4, np.float32)
    flat[: array.size] = array.ravel()
    return flat[: array.size].reshape(array.shape)


class Geometry:
    """One Embree geometry: a quad or triangle mesh."""

    def __init__(self, kind: int, mask: int = MASK_SOLID, quality: int = MEDIUM) -> None:
        self._lib = _library()
        self.handle = self._lib.rtcNewGeometry(device(), kind)
        self._kept: list[object] = []
        self.vertices: NDArray[np.float32] = np.zeros((0, 3), np.float32)
        self.faces: NDArray[np.uint32] = np.zeros((0, 3), np.uint32)
        self._lib.rtcSetGeometryMask(self.handle, mask)
        self._lib.rtcSetGeometryBuildQuality(self.handle, quality)

    def _share(self, use: int, fmt: int, array: NDArray[np.generic]) -> None:
        self._kept.append(array)
        stride = array.shape[1] * 4
        self._lib.rtcSetSharedGeometryBuffer(self.handle, use, 0, fmt, array.ctypes.data, 0, stride, len(array))

    def moved(self) -> None:
        """Tell Embree that the shared vertices have new values."""
        self._lib.rtcUpdateGeometryBuffer(self.handle, VERTEX, 0)
        self._lib.rtcCommitGeometry(self.handle)

    def __del__(self) -> None:
        if getattr(self, "handle", None):
            self._lib.rtcReleaseGeometry(self.handle)
            self.handle = None


def mesh(
    vertices: NDArray[np.float32], faces: NDArray[np.uint32], mask: int = MASK_SOLID, quality: int = MEDIUM
) -> Geometry:
    """A mesh over shared arrays.

    Parameters
    ----------
    vertices : ndarray of float32, shape (n, 3) [m]
        Made by `padded`.
    faces : ndarray of uint32, shape (m, 3) or (m, 4)
        Triangles or quads.
    """
    quads = faces.shape[1] == 4
    g = Geometry(QUAD if quads else TRIANGLE, mask, quality)
    g.vertices, g.faces = vertices, faces
    g._share(VERTEX, FLOAT3, vertices)
    g._share(INDEX, UINT4 if quads else UINT3, faces)
    g._lib.rtcCommitGeometry(g.handle)
    _check("a mesh")
    return g


def placed(children: list[Scene], masks: list[int], owner: NDArray[np.int32], transforms: NDArray[np.float32]) -> Scene:
    """A scene of placements of child scenes; the i-th placement has instance number i.

    Single instances are traced a fifth faster than Embree's instance arrays here, and are made from inside a
    kernel, so that tens of thousands cost some milliseconds (docs/decisions/0003-instances.md).

    Parameters
    ----------
    owner : ndarray of int32, shape (n,)
        Which child each placement is of.
    transforms : ndarray of float32, shape (n, 12)
        3x4 column-major: the three axes, then the position [m].
    """
    scene = Scene()
    handles = np.array([c.handle for c in children], np.uint64)
    _place(
        np.uint64(device()),
        np.uint64(scene.handle),
        handles,
        np.array(masks, np.uint32),
        owner,
        np.ascontiguousarray(transforms),
    )
    scene.kept = list(children)
    scene.commit()
    return scene


def commit_all(scenes: list[Scene]) -> None:
    """Commit many small scenes at once, two at a time: one alone hardly uses a second core."""
    if scenes:
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(Scene.commit, scenes))


def still_scene(vertices: NDArray[np.float32], faces: NDArray[np.uint32], mask: int = MASK_SOLID) -> Scene:
    """A scene of one mesh that stays as it is: vertices (n, 3) [m], triangles or quads (m, 3 or 4)."""
    scene = Scene(robust=True)
    scene.attach(0, mesh(padded(vertices.astype(np.float32)), np.ascontiguousarray(faces.astype(np.uint32)), mask))
    scene.commit()
    return scene


class Scene:
    """An Embree scene; geometries keep the number they are attached under."""

    def __init__(self, robust: bool = False, quality: int = MEDIUM, dynamic: bool = False) -> None:
        self._lib = _library()
        self.handle = self._lib.rtcNewScene(device())
        self._lib.rtcSetSceneFlags(self.handle, (ROBUST if robust else 0) | (DYNAMIC if dynamic else 0))
        self._lib.rtcSetSceneBuildQuality(self.handle, quality)
        self.geometries: dict[int, Geometry] = {}
        self.kept: list[Scene] = []

    def attach(self, number: int, geometry: Geometry) -> None:
        self._lib.rtcAttachGeometryByID(self.handle, geometry.handle, number)
        self.geometries[number] = geometry

    def commit(self) -> None:
        self._lib.rtcCommitScene(self.handle)
        _check("a scene")

    def bounds(self) -> NDArray[np.float32]:
        """The corners of least and of greatest coordinates, shape (2, 3)."""
        room = np.zeros(16, np.float32)
        first = -(room.ctypes.data // 4) % 4  # Embree wants it aligned to 16 bytes
        self._lib.rtcGetSceneBounds(self.handle, room[first:].ctypes.data)
        return np.stack([room[first : first + 3], room[first + 4 : first + 7]])

    def __del__(self) -> None:
        if getattr(self, "handle", None):
            self._lib.rtcReleaseScene(self.handle)
            self.handle = None
