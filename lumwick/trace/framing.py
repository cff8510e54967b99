"""What of a shot's picture is rendered."""

from __future__ import annotations

from dataclasses import dataclass

from lumwick.errors import RenderError


@dataclass(frozen=True)
class Window:
    """The part of a picture that a film shows.

    Attributes
    ----------
    width, height : int
        Pixels of the whole picture.
    left, top : int
        Where the film's first pixel lies in it.
    overscan : float
        How much the whole picture shows beyond the camera's, on each side, as a share of the camera's width.
    """

    width: int
    height: int
    left: int = 0
    top: int = 0
    overscan: float = 0.0


@dataclass(frozen=True)
class Framing:
    """What of the shot's picture is rendered.

    Attributes
    ----------
    percent : float
        Of the size asked for.
    overscan : float [%]
        Shown beyond the picture's edge, on each side, of its width; the film grows by as much.
    crop : tuple of float or None
        Left, top, right and bottom of the part wanted, as shares of the picture.
    """

    percent: float = 100.0
    overscan: float = 0.0
    crop: tuple[float, float, float, float] | None = None

    def film(self, size: tuple[int, int]) -> tuple[tuple[int, int], Window]:
        """The film's size, and where it lies in the whole picture.

        Raises
        ------
        RenderError
            Nothing would be left, or the shares are out of order.
        """
        if not 1 <= self.percent <= 400 or not 0 <= self.overscan <= 50:
            raise RenderError("A picture's size is 1 to 400 percent, and its overscan 0 to 50.")
        w, h = (max(1, round(side * self.percent / 100)) for side in size)
        edge = round(w * self.overscan / 100)
        whole = (w + 2 * edge, h + 2 * edge)
        left, top, right, bottom = self.crop or (0.0, 0.0, 1.0, 1.0)
        if not (0 <= left < right <= 1 and 0 <= top < bottom <= 1):
            raise RenderError("A crop is left, top, right, bottom in shares of the picture, like 0.25,0.25,0.75,0.75.")
        x0, y0 = round(left * whole[0]), round(top * whole[1])
        film = (max(1, round(right * whole[0]) - x0), max(1, round(bottom * whole[1]) - y0))
        return film, Window(whole[0], whole[1], x0, y0, edge / w)
