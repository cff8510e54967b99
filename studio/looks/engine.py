"""The engine behind the look: stages kept warm in this process, and pictures refined while one waits.

Only the newest wish of a viewer is worth rendering: an older one is dropped as soon as a newer arrives.
"""

from __future__ import annotations

import io
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumwick.develop.meter import clipped, tones
from lumwick.develop.view import develop
from lumwick.disk_cache import digest
from lumwick.errors import LumwickError, RenderError
from lumwick.lens.camera import Camera, direction_of
from lumwick.lens.lens import FULL_FRAME_MM
from lumwick.lens.stereo import PEOPLES_EYES
from lumwick.picture import Step, pair_at, panorama, seam_step
from lumwick.place.document import Cut, Shot
from lumwick.place.document import Place as Document
from lumwick.place.filming import Develop
from lumwick.route.camera_path import goes
from lumwick.snapshot.evaluate import Setting, Snapshot, camera_with, clip_time, evaluate
from lumwick.trace.amount import Motion, amount_of_motion, wild_for
from lumwick.trace.cleaning import clean
from lumwick.trace.film import Film, blank
from lumwick.trace.moments import FEW
from lumwick.trace.motion_vectors import skyline
from lumwick.trace.quality import QUALITIES, Quality
from lumwick.trace.render import MANY, Sight, Stop, expose
from lumwick.trace.stage import Stage
from studio.looks.opening import OpeningAttempt
from studio.looks.request_queue import ASKER, QUEUE, Superseded, give_back, resident
from studio.looks.settings import revision_setting

T = TypeVar("T")


STEPS = (
    ((160, 90), 1, "fast"),
    ((480, 270), 1, "fast"),
    ((640, 360), 2, "balanced"),
    ((640, 360), 4, "balanced"),
    ((640, 360), 10, "high"),
)
"""What each refinement of a look adds: size, samples, cleaning. The last is as good as a study take."""


@dataclass
class _Open:
    stage: Stage
    revision: int
    opening: OpeningAttempt
    ready: bool = False
    """Whether anything of it was made yet."""
    key: tuple[Any, ...] = ()
    film: Film | None = None
    light: NDArray[np.float32] | None = None
    """The film, cleaned, as it was last shown."""
    step: int = -1


def light_key(place: Document, shot: Shot) -> str:
    """A digest of all that the light on the film depends on: names, other shots and how the film is developed do not
    count."""
    e = shot.exposure
    bare = shot.model_copy(
        update={
            "name": "-",
            "develop": Develop(),
            "as_film": False,
            "exposure": e.model_copy(update={"ev100": 0.0, "kelvin": 6500.0}),
        }
    )
    return digest(place.model_copy(update={"name": "-", "shots": [bare], "cut": Cut()}))


CLOUDS_GROW = 4.0
"""How many times the spots of a small picture's clouds a large one's are, at most (`lumwick.trace.cloud_lattice`: about
a million for any size)."""
VIEWERS_AT_MOST = 512
"""Viewers whose newest wish is remembered; of one that was forgotten nothing is stale."""


AMBER = (232, 160, 40)
BRICK, DEEP = (214, 62, 40), (38, 92, 190)
"""Marks of what is cut off at white, and lost in black."""


@dataclass(frozen=True)
class PreviewRequest:
    """A look that somebody wishes to have.

    Attributes
    ----------
    viewer : str
        Whose wishes replace one another.
    t : float [s]
        Clip time.
    camera : dict or None
        x, y, z [m], bearing, pitch [degrees], focal [mm]; the shot's camera if None.
    step : int
        Refinement wanted, 0 the coarsest.
    number : int
        Grows with every new view or edit of the viewer.
    show_noise : bool
        Lay amber over what is still noisier than a study take would leave it.
    show_tones : bool
        Tell how the picture's tones lie, and mark what is cut off at white and lost in black.
    """

    viewer: str
    place_id: int
    revision_id: int
    shot_id: str
    t: float
    camera: dict[str, float] | None
    step: int
    number: int
    show_noise: bool = False
    show_tones: bool = False


ROOM, KEPT_AT_MOST = 2_000_000_000, 8


class LookEngine:
    """Renders looks, one at a time; keeps as many places' stages as there is room for."""

    def __init__(self, room: int = ROOM, keep: int = KEPT_AT_MOST) -> None:
        self._open: OrderedDict[int, _Open] = OrderedDict()
        self._newest: OrderedDict[tuple[str, int], int] = OrderedDict()
        self.room, self.keep = room, keep
        """Bytes that this process may take before the place that was not looked at for longest is let go; and how many
        are kept at most."""

    def look(self, request: PreviewRequest) -> tuple[bytes, dict[str, Any]]:
        """A JPEG of the place, and what is known of it.

        Raises
        ------
        Superseded
        """
        who = (request.viewer, request.place_id)
        self._newest[who] = max(request.number, self._newest.pop(who, 0))
        while len(self._newest) > VIEWERS_AT_MOST:
            self._newest.popitem(last=False)

        asker = ASKER.get()

        def stale() -> bool:
            return self._newest.get(who, 0) > request.number or (asker is not None and not asker.wanted())

        setting = revision_setting(request.revision_id)
        if stale():
            raise Superseded
        return QUEUE.run(lambda: self._look(request, setting, stale), "another picture is traced")

    def _look(
        self, request: PreviewRequest, setting: Setting, stale: Callable[[], bool]
    ) -> tuple[bytes, dict[str, Any]]:
        """A look, in the engine's own thread."""
        if stale():
            raise Superseded
        state = self._state(request.place_id, request.revision_id, setting)
        shot = setting.place.shot(request.shot_id)
        snapshot = evaluate(setting, shot, request.t, self.camera(setting, shot, request.t, request.camera))
        key = (light_key(setting.place, shot), round(request.t, 6), tuple(sorted((request.camera or {}).items())))
        if state.key != key or request.step > state.step:
            self._expose(state, key, snapshot, request.step, stale)
        assert state.film is not None and state.light is not None
        # what does not change the light is developed again, not traced
        light = state.light
        known = {
            "samples": round(state.film.samples),
            "last": state.step >= len(STEPS) - 1,
            "step": state.step,
            "note": "; ".join(state.stage.notes),
        }
        noisy = state.film.error() > QUALITIES["study"].noise if request.show_noise else None
        pixels = develop(light, snapshot.camera, snapshot.grade, snapshot.frame)
        if noisy is not None:
            pixels[noisy] = (0.55 * pixels[noisy] + 0.45 * np.array(AMBER)).astype(np.uint8)
        if request.show_tones:
            told, (white, black) = tones(pixels), clipped(pixels)
            known["tones"] = {"shares": told.shares.round(5).tolist(), "white": told.white, "black": told.black}
            pixels[white], pixels[black] = BRICK, DEEP
        return jpeg(pixels), known

    def waits_for(self, who: str, place_id: int) -> str:
        """What a look at a place waits for, in words."""
        before = QUEUE.ahead(who)
        if before:
            others = "another's picture is" if before == 1 else f"the pictures of {before} others are"
            return f"{others} made first" + ("" if place_id in self._open else ", then this place is opened")
        state = self._open.get(place_id)
        if state is None or not state.ready:
            return "this place is opened: its ground, waters and plants are made ready"
        return "the picture is traced"

    @property
    def wished(self) -> bool:
        """Whether anybody has wished for a look yet."""
        return bool(self._newest)

    def open(self, place_id: int, revision_id: int) -> None:
        """Set a place's stage up, if it is not, so that the first look at it need not wait for it."""
        setting = revision_setting(revision_id)

        def act() -> None:
            if place_id in self._open:
                return
            state, shot = self._state(place_id, revision_id, setting), setting.place.shots[0]
            snapshot = evaluate(setting, shot, 0.0, self.camera(setting, shot, 0.0, None))
            state.stage.set(snapshot)
            expose(state.stage, blank(32, 18), 1)
            self._opened(state)

        QUEUE.run(act, "a place is opened")

    def spot(self, place_id: int, u: float, v: float) -> NDArray[np.float64]:
        """Mean light [cd/m2] of a small spot of the look that was last shown, at shares of its width and height.

        Raises
        ------
        RenderError
            Nothing was shown yet.
        """
        state = self._open.get(place_id)
        light = None if state is None else state.light
        if light is None:
            raise RenderError("Wait for the look to appear, then pick again.")
        h, w = light.shape[:2]
        x, y, r = int(u * (w - 1)), int(v * (h - 1)), max(1, w // 120)
        part = light[max(0, y - r) : y + r + 1, max(0, x - r) : x + r + 1]
        return np.asarray(part.reshape(-1, 3).mean(0), float)

    def point(self, place_id: int, u: float, v: float) -> tuple[NDArray[np.float64], float]:
        """The spot of the place (3,) [m] that the look last showed at shares of its width and height, and how far it
        is along the axis [m].

        Raises
        ------
        RenderError
            Nothing was shown yet, or there is only sky.
        """

        def act() -> tuple[NDArray[np.float64], float]:
            state = self._open.get(place_id)
            if state is None or state.film is None or state.stage.snapshot is None:
                raise RenderError("Wait for the look to appear, then pick again.")
            h, w = state.film.sums.shape[:2]
            x, y = int(np.clip(u, 0, 1) * (w - 1)), int(np.clip(v, 0, 1) * (h - 1))
            part = state.film.distance[max(0, y - 1) : y + 2, max(0, x - 1) : x + 2].ravel()
            near = part[(part > 0) & (part < 20000)]
            if not len(near):
                raise RenderError("There is only sky at this spot: pick something that stands there.")
            camera = state.stage.snapshot.camera
            right, up = camera.axes()
            tan = camera.lens.tangent
            ray = camera.forward + right * (2 * u - 1) * tan + up * (1 - 2 * v) * tan * h / w
            ray /= np.linalg.norm(ray)
            distance = float(np.median(near))
            return camera.position + ray * distance, distance * float(ray @ camera.forward)

        return QUEUE.run(act)

    def _expose(
        self, state: _Open, key: tuple[Any, ...], snapshot: Snapshot, step: int, stale: Callable[[], bool]
    ) -> None:
        """Bring the film to one step of its refinement, and clean it; what was there stays if a newer wish comes
        first."""
        size, samples, grade = STEPS[min(step, len(STEPS) - 1)]
        film = state.film if state.key == key else None
        if film is None or film.sums.shape[1::-1] != size:
            if step == 0:
                state.stage.set_view_and_light(snapshot)
            elif film is None or state.step < 1:  # or it stands there already
                state.stage.set(snapshot)
            state.key, state.step, film = key, -1, blank(*size)
            state.film = film
        sight = Sight(many=samples >= MANY, planned=sum(n for of_size, n, _ in STEPS if of_size == size))
        stop = Stop(stale, 10_000 if step > 1 else 40_000) if step else None
        if not expose(state.stage, film, samples, sight=sight, stop=stop):
            raise Superseded
        state.light, state.step = clean(film, snapshot.camera.ev100, grade), step
        self._opened(state)

    def camera(self, setting: Setting, shot: Shot, t: float, given: dict[str, float] | None) -> Camera | None:
        """The look's own camera, or None for the shot's."""
        if given is None:
            if goes(shot.route):
                return None
            given = {"x": 0.0, "y": 0.0, "z": 5.0, "bearing": 0.0, "pitch": -5.0, "focal": 28.0}
        at = clip_time(shot, t)
        own: dict[str, float] = {}
        if goes(shot.route):  # light and white as on the route, so that stepping off it changes only the view
            try:
                own = {
                    name: float(v[0]) for name, v in setting.camera_path(shot).at(at).own.items() if np.isfinite(v[0])
                }
            except LumwickError:  # a way that cannot run is told beside the drawing; the view that left it still shows
                own = {}
        own["roll"] = given.get("roll", 0.0)
        exposure = setting.motions(shot).at(at)[1].exposure
        return camera_with(
            exposure.model_copy(update={"sensor": FULL_FRAME_MM}),
            np.array([given["x"], given["y"], given["z"]]),
            direction_of(given["bearing"], given["pitch"]),
            given["focal"],
            own,
        )

    def _state(self, place_id: int, revision_id: int, setting: Setting) -> _Open:
        state = self._open.get(place_id)
        if state is None:
            opening = OpeningAttempt(revision_id)
            opening.begin()
            self._evict(1)
            state = _Open(Stage(setting), revision_id, opening)
            self._open[place_id] = state
        elif state.revision != revision_id:
            state.stage.change(setting)
            state.revision = revision_id
        self._open.move_to_end(place_id)
        return state

    def with_stage(self, place_id: int, revision_id: int, act: Callable[[Stage, Setting], T]) -> T:
        """Do something with a place's stage; the look makes its picture anew afterwards."""
        setting = revision_setting(revision_id)

        def acted() -> T:
            state = self._state(place_id, revision_id, setting)
            try:
                made = act(state.stage, setting)
                self._opened(state)
                return made
            finally:
                state.key, state.light = (), None

        return QUEUE.run(acted, "something is measured")

    def _opened(self, state: _Open) -> None:
        """Note that a place could be opened, once something of it was made."""
        if not state.ready:
            state.ready = True
            state.opening.end()
            self._evict(0)

    def _evict(self, coming: int) -> None:
        """Let places go that were not looked at for longest, until so many more may come."""
        gone = False
        while self._open and (
            len(self._open) + coming > self.keep or (resident() > self.room and len(self._open) + coming > 1)
        ):
            self._open.popitem(last=False)
            give_back()
            gone = True
        if not gone and coming:
            give_back()

    def still(self, place_id: int, revision_id: int, shot_id: str, t: float, kind: str) -> NDArray[np.uint8]:
        """A panorama, one for two eyes, or a side-by-side pair, at a clip time of a shot.

        Raises
        ------
        RenderError
            There is no such kind.
        """

        def act(stage: Stage, setting: Setting) -> NDArray[np.uint8]:
            shot, grade = setting.place.shot(shot_id), QUALITIES["study"]
            eyes = shot.exposure.eyes or PEOPLES_EYES
            if kind == "panorama":
                return panorama(stage, shot, t, 2048, grade)
            if kind == "panorama-pair":
                return panorama(stage, shot, t, 1536, grade, eyes)
            if kind != "pair":
                raise RenderError("A still is a panorama, a panorama-pair or a pair.")
            made = pair_at(
                stage,
                shot.model_copy(update={"exposure": shot.exposure.model_copy(update={"eyes": eyes})}),
                t,
                (1920, 540),
                grade,
            )
            assert made is not None
            return made.pixels

        return self.with_stage(place_id, revision_id, act)

    def skyline(
        self, place_id: int, revision_id: int, shot_id: str, t: float, camera: Camera | None
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Bearings and elevations of the skyline of a view (`lumwick.trace.motion_vectors.skyline`)."""
        return self.with_stage(
            place_id,
            revision_id,
            lambda stage, setting: skyline(stage, evaluate(setting, setting.place.shot(shot_id), t, camera)),
        )

    def amount(self, place_id: int, revision_id: int, shot_id: str, t: float, camera: Camera | None) -> Motion:
        """How much moves in a view."""
        return self.with_stage(
            place_id,
            revision_id,
            lambda stage, setting: amount_of_motion(stage, setting, setting.place.shot(shot_id), t, camera),
        )

    def wild_for(
        self, place_id: int, revision_id: int, shot_id: str, t: float, stand: str, wanted: float
    ) -> tuple[float, float]:
        """How wild a stand must be to be seen moving by so much, and by how much it is then."""
        return self.with_stage(
            place_id,
            revision_id,
            lambda stage, setting: wild_for(stage, setting, setting.place.shot(shot_id), t, stand, wanted),
        )

    def seam_step(self, place_id: int, revision_id: int, shot_id: str) -> Step:
        """The rendered step from the last frame to the first, and the usual one.

        Raises
        ------
        RenderError
            The shot has no route.
        """

        def act(stage: Stage, setting: Setting) -> Step:
            shot = setting.place.shot(shot_id)
            if not goes(shot.route):
                raise RenderError("This shot's route has no station: set one, then compare its pictures.")
            return seam_step(stage, shot)

        return self.with_stage(place_id, revision_id, act)

    def measure(
        self, place_id: int, revision_id: int, shot_id: str, size: tuple[int, int], quality: Quality
    ) -> dict[str, float]:
        """What one frame of a shot costs, measured on small pictures of its first, middle and last frames.

        Returns
        -------
        dict
            ``seconds`` a frame and ``bytes`` a frame of PNG, scaled to ``size``.
        """

        def act(stage: Stage, setting: Setting) -> tuple[list[float], list[float]]:
            shot = setting.place.shot(shot_id)
            small = (max(16, size[0] // 5), max(16, size[1] // 5))
            ratio = size[0] * size[1] / (small[0] * small[1])
            few = min(quality.samples, 4)
            seconds: list[float] = []
            weight: list[float] = []
            for t in (0.0, shot.seconds / 2, shot.seconds * (1 - 1 / shot.frames)):
                start = time.perf_counter()
                stage.set(evaluate(setting, shot, t))
                placed = time.perf_counter()
                film, sight = blank(*small), Sight(many=quality.samples >= MANY)
                expose(stage, film, few, quality.limit, sight=sight)
                met = time.perf_counter()
                # once more: by then its clouds are known, which a picture of any size looks up as often
                expose(stage, film, few, quality.limit, sight=sight)
                traced = time.perf_counter()
                clouds = max(0.0, 2 * met - placed - traced) * min(ratio, CLOUDS_GROW)
                light = clean(film, stage.snapshot.camera.ev100, quality.denoise)
                picture = develop(light, stage.snapshot.camera, stage.snapshot.grade)
                out = io.BytesIO()
                Image.fromarray(picture).save(out, "PNG", compress_level=4)
                end = time.perf_counter()
                seconds.append(
                    (placed - start) * min(quality.moments, FEW)
                    + clouds
                    + (traced - met) * ratio * quality.samples / few
                    + (end - traced) * ratio
                )
                weight.append(out.tell() * ratio)
            return seconds, weight

        seconds, weight = self.with_stage(place_id, revision_id, act)
        return {
            "seconds": float(np.mean(seconds)),
            "bytes": float(np.mean(weight)),
            "least": float(min(seconds)),
            "most": float(max(seconds)),
        }


ENGINE_OF_LOOKS = LookEngine()


def jpeg(pixels: NDArray[np.uint8], quality: int = 90) -> bytes:
    """A JPEG file of a picture."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "JPEG", quality=quality)
    return out.getvalue()
