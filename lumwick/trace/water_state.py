"""All waters of a stage at an instant, laid out for the kernel."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.lens.camera import Camera
from lumwick.place.nature import Water
from lumwick.snapshot.creeks import Current, current_of
from lumwick.snapshot.disturbances import level_at, posts_of
from lumwick.snapshot.evaluate import Setting, Snapshot
from lumwick.snapshot.waters import Stirrer
from lumwick.trace import records
from lumwick.trace.part import Part
from lumwick.trace.sections.daylight import Daylight, WaterLight
from lumwick.trace.sections.inland import InlandInputs, carried, make_inland, running
from lumwick.trace.sections.sea import SeaInputs, SeaMade
from lumwick.trace.sections.section import Section
from lumwick.trace.sections.sheet import Sheet
from lumwick.trace.sections.stirring import StirringInputs, caustics_by, make_caustics, make_stirring
from lumwick.trace.world import Waters
from lumwick.water import caustics
from lumwick.water.cells import HEIGHT, NO_WATER
from lumwick.water.spectrum import significant_height, slope_variance
from lumwick.water.surface import lace_drift

CAUSTICS_FROM = 0.17
"""Sine of the sun's height from which the light is told that waves gather (practice)."""
WETS = 0.15
"""Metres over all water that nothing of it wets."""
RUFFLED, BREEZE = 0.6, 2.0
"""Slopes of a pond's ripples against those of the sea in the same wind, and the wind [m/s] under which they die away
(practice: short fetch)."""
PORT, PORT_NEAR = 0.12, 0.6
"""Radius of the dome that keeps water off a lens [m], and how high over calm water it may still be wetted [m]."""


def ruffle(water: Water, breeze: float) -> float:
    """Root mean square slope of the ripples that a wind [m/s] gives a water at an instant."""
    return float(RUFFLED * np.sqrt(slope_variance(breeze)) * (1 - water.sheltered) * min(1.0, breeze / BREEZE))


class WaterState:
    """The stage's waters: what they are made of, kept until it is otherwise."""

    def __init__(self) -> None:
        self._current: Current | None = None
        self.inland = Section(make_inland)
        self._stirring = Section(make_stirring)
        self._caustics = Section(make_caustics)

    @property
    def parts(self) -> dict[str, Part]:
        return self.inland.made.parts if self.inland.key else {}

    def set(self, setting: Setting, snapshot: Snapshot, sheet: Sheet, sea: Section[SeaInputs, SeaMade]) -> None:
        """Lay out all waters but the sea at an instant, and what stirs any.

        Parameters
        ----------
        setting : Setting
            As it stands on the stage.
        """
        self._current = current_of(setting.ground, snapshot.place.sea)
        waters = tuple(snapshot.place.waters)
        beds = setting.beds() if waters else ()
        posts = tuple(posts_of(setting, snapshot.stood, *laid) for laid in zip(beds, waters, strict=True))
        self.inland.of(InlandInputs(setting.ground, waters, beds, posts))
        found: list[tuple[int, float, float, Stirrer]] = []
        for one in snapshot.stirrers:
            x, y = (float(v) for v in one.place[0, :2])
            where = level_at(beds, waters, x, y)
            if snapshot.sea is not None and not where:
                level = snapshot.place.sea.surface
                where = [(0, level, max(0.1, level - float(setting.ground.height(x, y))))]
            found += [(*at, one) for at in where]
        seed = waters[0].seed if waters else snapshot.place.sea.seed
        ripples = bool(waters) or self._current is not None
        stirring = self._stirring.of(
            StirringInputs(snapshot.rain, seed, snapshot.t, snapshot.loop, ripples, tuple(found))
        )
        by_sea, lit = snapshot.sea is not None, snapshot.sun_direction[2] > CAUSTICS_FROM
        key = (sea.key if by_sea else self._stirring.key) if lit and (waters or sheet.near) else ""
        self._caustics.of(caustics_by(key, sea.made.slopes, stirring.chop, by_sea, snapshot.sun_direction))
        self.snapshot = snapshot

    def laid_out(self, sea: SeaMade, light: Daylight) -> Waters:
        """For the kernel, in the light of the instant."""
        stirring, caustic, flow = self._stirring.made, self._caustics.made, self.inland.made.flow
        tiles, body = sea.tiles.copy(), self._lit(light)
        if self._current is not None:
            body[0], carried_by = running(body[0], self._current, len(flow))
            flow = np.concatenate([flow, carried_by])
        tiles["rain"] = stirring.rain_length
        if caustic.shape[2] > 1:
            tiles["caustic"], tiles["deepest"] = caustics.LENGTH, caustics.DEEPEST
        tiles["wet_top"] = (
            max(float(body["level"].max()), float(flow[:, HEIGHT].max())) + float(tiles["splash"][0]) + WETS
        )
        return Waters(
            slope0=sea.slopes[0],
            slope1=sea.slopes[1],
            slope2=sea.slopes[2],
            slope3=sea.slopes[3],
            crests=sea.crests,
            tiles=tiles,
            body=body,
            chop=stirring.chop,
            rain=stirring.rain,
            flow=flow,
            patch=stirring.patch,
            stirred=stirring.stirred,
            caustic=caustic,
            wash=sea.wash,
        )

    def _bodies(self) -> NDArray[np.void]:
        """The sea's record, then one for each other water."""
        snap, inland = self.snapshot, self.inland.made.body
        body = np.zeros(1 + len(inland), records.BODY)
        body[1:] = inland
        body[0]["level"] = NO_WATER if snap.sea is None else snap.place.sea.surface
        return body

    def _lit(self, light: Daylight) -> NDArray[np.void]:
        """The same with their light and what goes by the moment."""
        snap, body = self.snapshot, self._bodies()
        body["drift"] = lace_drift(snap.t, snap.loop)
        body["offset"], body["share"] = carried(snap.t, snap.loop)
        lights = [light.sea, *(WaterLight.of_kind(water.water, light.down) for water in snap.place.waters)]
        for k, of in enumerate(lights):
            body[k]["absorption"], body[k]["fading"], body[k]["colour"] = of.lost, of.fading, of.colour
        for k, water in enumerate(snap.place.waters, 1):
            body[k]["ruffle"] = ruffle(water, snap.breeze)
        return body

    def port(self, camera: Camera) -> float:
        """How far before a lens rays start [m]: where it may be wetted, else 0."""
        if camera.around:
            return 0.0
        x, y, z = (float(v) for v in camera.position)
        bodies = self._bodies()
        for body in bodies[1:]:
            east, north = body["spacing"] * body["columns"], body["spacing"] * body["rows"]
            over = body["west"] < x < body["west"] + east and body["south"] < y < body["south"] + north
            if over and z < body["level"] + PORT_NEAR:
                return PORT
        high = 0.0 if self.snapshot.sea is None else significant_height(self.snapshot.sea)
        return PORT if z < bodies[0]["level"] + 1.5 * high + PORT_NEAR else 0.0
