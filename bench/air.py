"""Air: what skies, clouds, fog and rain cost before the first ray, and in a study frame of the demo."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from bench.engine import figure
from bench.water import best
from lumwick.air.clouds import Deck
from lumwick.demo import saltmere
from lumwick.metering import at_hour
from lumwick.picture import load_setting, picture_at
from lumwick.place.nature import Air, FogBank, HighClouds, LowClouds, Sea
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.memory import Memory
from lumwick.trace.quality import Quality
from lumwick.trace.sections.clouds import Daystar, clouds
from lumwick.trace.stage import Stage

FRAME = Quality(8, 2, "high")
WAY = np.array([0.5, 0.5, 0.70710678])


def air() -> list[dict[str, Any]]:
    return [*_ready(), *_skies(), *_priced()]


def _ready() -> list[dict[str, Any]]:
    """Clouds ready for rays: of another sky, and of the same a moment later."""
    lux = np.array([90_000.0, 85_000.0, 75_000.0])
    by = Daystar(WAY, lux, lux, np.full(3, 4000.0), np.full(3, 3000.0), np.full(3, 3e-5))
    seeds, ages = iter(range(1000)), iter(np.linspace(0.01, 0.09, 20).tolist())

    def make(seed: int, age: float) -> None:
        clouds(Deck(4.0, 1000.0, 900.0, 0.02, 0.25, 1500.0, 0.0, seed, age, ((0, 0), (0, 0)), 1.0), None, by)

    make(0, 0.0)
    another = best(lambda: make(next(seeds), 0.0), 4)
    later = best(lambda: make(0, next(ages)), 6)
    return [
        figure("clouds of another sky", another, "s", 0.25, "lower"),
        figure("clouds an instant later", later, "s", 0.25, "lower"),
    ]


def _skies() -> list[dict[str, Any]]:
    """The sky of another hour, and a day and a night of them, as a study frame takes them."""
    whole = load_setting(saltmere())
    # neither a tide, which follows the hour too, nor what floats on it
    bare = whole.place.model_copy(update={"sea": Sea(present=False), "things": []})
    setting = replace(whole, place=bare, told=None, memory=Memory())
    shot = setting.place.shot("boardwalk")
    stage, clear = Stage(setting), shot.model_copy(update={"air": Air(fog_visibility=30_000)})
    stage.set(evaluate(setting, clear, 0.0))
    hours = iter(np.linspace(3.0, 21.0, 40).tolist())

    def another(hour: float) -> None:
        stage.set_view_and_light(evaluate(setting, at_hour(clear, hour), 0.0))

    another(12.0)
    hour = best(lambda: another(next(hours)), 8)
    begins = time.perf_counter()
    for at in np.arange(240) / 10:
        another(float(at))
    return [
        figure("sky of another hour, ready for rays", hour, "s", 0.15, "lower"),
        figure("a day of 240 skies", time.perf_counter() - begins, "s", 30.0, "lower"),
    ]


def _changed(setting: Setting, change: Callable[[Air], Air], banks: bool = False) -> Setting:
    """The same place with other air in all its shots, and with a bank of fog where its routes go."""
    place = setting.place
    shots = [x if x.air is None else x.model_copy(update={"air": change(x.air)}) for x in place.shots]
    over = [(-160.0, -160.0), (160.0, -160.0), (160.0, 160.0), (-160.0, 160.0)]
    more = [FogBank(id="bench", area=over, visibility=150.0, thick=8.0)] if banks else []
    told = place.model_copy(update={"air": change(place.air), "shots": shots, "banks": more})
    return replace(setting, place=told, told=None, memory=Memory())


def _clear(air: Air) -> Air:
    return air.model_copy(update={"low": LowClouds(), "high": HighClouds(), "shafts": False})


def _rainy(air: Air) -> Air:
    return _clear(air).model_copy(update={"rain": 12.0})


def _wet(air: Air) -> Air:
    """As after rain: all that it leaves, but nothing falls."""
    return _clear(air).model_copy(update={"wetted": "wet"})


def _foggy(air: Air) -> Air:
    return _clear(air).model_copy(update={"shafts": True})


def _priced() -> list[dict[str, Any]]:
    """A study frame of each shot of the demo with its clouds, in banks of fog with shafts, and in rain, over one
    without, by turns in one run."""
    cloudy = load_setting(saltmere())
    kinds = {
        "clear": _changed(cloudy, _clear),
        "clouds": cloudy,
        "banks and shafts": _changed(cloudy, _foggy, banks=True),
        "wet": _changed(cloudy, _wet),
        "rain": _changed(cloudy, _rainy),
    }
    stage, out = Stage(cloudy), []
    for shot in cloudy.place.shots:
        took: dict[str, list[float]] = {name: [] for name in kinds}
        for turn in range(2):
            t = shot.seconds / 2 + 0.1 * turn
            for name, setting in kinds.items():
                stage.change(setting)
                one = setting.place.shot(shot.id)
                stage.set(evaluate(setting, one, t))
                begins = time.perf_counter()
                picture_at(stage, one, t, (480, 270), FRAME)
                took[name].append(time.perf_counter() - begins)
        least = {name: min(times) for name, times in took.items()}
        out += [
            figure(f"{shot.id} with clouds over it without", least["clouds"] / least["clear"], "x", 1.4, "lower"),
            figure(f"{shot.id} in banks with shafts", least["banks and shafts"] / least["clear"], "x", 2.0, "lower"),
            figure(f"{shot.id} with drops over only wet", least["rain"] / least["wet"], "x", 1.1, "lower"),
        ]
    return out
