"""The plant sheet's pictures: one stage a place, warm between changes."""

from __future__ import annotations

from collections import OrderedDict

from lumwick.disk_cache import digest
from lumwick.picture import picture_at
from lumwick.place.growing import Stand
from lumwick.plant_sheet import Sheet, sheet
from lumwick.snapshot.evaluate import Setting
from lumwick.trace.quality import Quality
from lumwick.trace.stage import Stage
from studio.looks.engine import jpeg
from studio.looks.request_queue import QUEUE

STEPS = (((240, 180), Quality(2, 1, "fast")), ((480, 360), Quality(12, 2, "high")))
"""What each refinement of a sheet is: size and quality."""
KEPT = 96
"""Pictures that are kept."""


class PlantSheets:
    """Renders plant sheets, one at a time; keeps two places' stages and the newest pictures."""

    def __init__(self, keep: int = 2) -> None:
        self._stages: OrderedDict[int, Stage] = OrderedDict()
        self._pictures: OrderedDict[str, bytes] = OrderedDict()
        self._keep = keep

    def picture(self, place_id: int, of: Setting, stand: Stand, asked: Sheet, t: float, step: int) -> bytes:
        """A JPEG of a stand's plant at a time of its own clip.

        Parameters
        ----------
        step : int
            Refinement: 0 at once, 1 finer.
        """
        key = digest(stand, asked, t, step, of.place.site.latitude, of.place.wind)

        def act() -> bytes:
            if key not in self._pictures:
                setting, shot = sheet(stand, asked, of)
                stage = self._stages.get(place_id)
                if stage is None:
                    stage = self._stages[place_id] = Stage(setting)
                    while len(self._stages) > self._keep:
                        self._stages.popitem(last=False)
                else:
                    stage.change(setting)
                self._stages.move_to_end(place_id)
                size, quality = STEPS[min(max(step, 0), len(STEPS) - 1)]
                made = picture_at(stage, shot, t % shot.seconds, size, quality)
                assert made is not None
                self._pictures[key] = jpeg(made.pixels)
                while len(self._pictures) > KEPT:
                    self._pictures.popitem(last=False)
            self._pictures.move_to_end(key)
            return self._pictures[key]

        return QUEUE.run(act, "a plant is drawn")


SHEETS = PlantSheets()
