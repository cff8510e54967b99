"""Where a place's plants stand: set out once, whether they are filmed or ridden past."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from weakref import WeakValueDictionary

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.built.timber import footprint
from lumwick.growth.scatter import Plants
from lumwick.growth.standing import set_out
from lumwick.keep import digest
from lumwick.place.nature import Stand
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.kept_clear import kept_clear

_HELD: WeakValueDictionary[str, Plants] = WeakValueDictionary()
_SETTING_OUT = threading.Lock()


@dataclass(frozen=True)
class Planted:
    """A stand of a place, and all that says where its plants stand."""

    key: str
    stand: Stand
    clear: list[shapely.Geometry]
    level: float | None
    setting: Setting

    def plants(self, slope: NDArray[np.float64]) -> Plants:
        """Its plants; whoever else in this process asks for them meanwhile is given the same ones.

        Parameters
        ----------
        slope : ndarray, shape (ny, nx) [degrees]
            Of the setting's ground.
        """
        with _SETTING_OUT:
            found = _HELD.get(self.key)
            if found is None:
                _HELD[self.key] = found = set_out(
                    self.stand, self.setting.ground, slope, self.clear, self.level, self.key
                )
            return found


def area_shapes(setting: Setting) -> list[shapely.Geometry]:
    """Ground kept clear of plants by built things, by models that stand on it, and by water."""
    laid = zip(setting.place.waters, setting.beds(), strict=True) if setting.place.waters else ()
    waters = [shape for water, bed in laid if water.kind != "puddles" and (shape := bed.shape) is not None]
    stood = kept_clear(setting)
    return [
        *(footprint(thing) for thing in setting.place.built),
        *waters,
        *([shapely.unary_union(stood)] if stood else ()),
    ]


def planted(setting: Setting) -> Iterator[Planted]:
    """The stands of a place that holds still, in the document's order."""
    sea = setting.place.sea
    level = sea.level if sea.present else None
    clear = area_shapes(setting)
    common = digest(setting.ground.fingerprint, level, [shapely.to_wkt(c) for c in clear])
    for stand in setting.place.growth:
        yield Planted(digest(stand, common), stand, clear, level, setting)
