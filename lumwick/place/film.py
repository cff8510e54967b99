"""The film: which frames of which shots each of its frames shows, and how much of each."""

from __future__ import annotations

from dataclasses import dataclass

from lumwick.errors import PlaceError
from lumwick.place.document import Piece, Place, Shot


@dataclass(frozen=True)
class Part:
    """A shot's frame in a film's frame, and its share; shares that add up to less than 1 leave black."""

    shot: str
    frame: int
    share: float


@dataclass(frozen=True)
class Spliced:
    """A piece of the film, laid out.

    Attributes
    ----------
    begins, ends : int
        Film frames of its first frame and after its last, whatever it shares with its neighbours.
    """

    piece: Piece
    shot: Shot
    first: int
    last: int
    begins: int
    ends: int


def pieces_of(place: Place) -> list[Piece]:
    """The film's pieces; all shots in their order, by hard cuts, where nobody has cut yet."""
    return list(place.cut.pieces) or [Piece(id=shot.id, shot=shot.id) for shot in place.shots]


def laid_out(place: Place) -> list[Spliced]:
    """The pieces with their place in the film; a dissolve lays the next over the end of one.

    Raises
    ------
    PlaceError
        A piece has no frames, or its joins are longer than it is.
    """
    out: list[Spliced] = []
    begins = 1
    pieces = pieces_of(place)
    for i, piece in enumerate(pieces):
        shot = place.shot(piece.shot).at_rate(place.cut.fps)
        first, last = piece.first, min(piece.last or shot.frames, shot.frames)
        if last < first:
            raise PlaceError(f"Piece {i + 1} of the film, {shot.name}, has no frames: it goes from {first} to {last}.")
        count = last - first + 1
        before = pieces[i - 1].over if i and pieces[i - 1].join == "dissolve" else 0
        after = piece.over if i < len(pieces) - 1 and piece.join == "dissolve" else 0
        if before + after > count:
            raise PlaceError(
                f"Piece {i + 1} of the film, {shot.name}, has {count} frames, "
                f"and its dissolves take {before + after}: shorten them."
            )
        begins -= before
        out.append(Spliced(piece, shot, first, last, begins, begins + count))
        begins += count
    return out


def film_frames(place: Place) -> int:
    """How many frames the film has."""
    return laid_out(place)[-1].ends - 1


def parts_at(place: Place, n: int, spliced: list[Spliced] | None = None) -> tuple[Part, ...]:
    """What frame ``n`` of the film shows.

    Raises
    ------
    PlaceError
        The film has no such frame.
    """
    spliced = spliced or laid_out(place)
    total = spliced[-1].ends - 1
    if not 1 <= n <= total:
        raise PlaceError(f"The film ends at frame {total}: there is no frame {n}.")
    light = 1.0
    if place.cut.fade_in:
        light = min(light, n / (place.cut.fade_in + 1))
    if place.cut.fade_out:
        light = min(light, (total - n + 1) / (place.cut.fade_out + 1))
    here = [(i, s) for i, s in enumerate(spliced) if s.begins <= n < s.ends]
    shares = [1.0]
    if len(here) > 1:
        a, b = here[0][1], here[1][1]
        share = (n - b.begins + 1) / (a.piece.over + 1)
        here, shares = here[:2], [1.0 - share, share]
    out = []
    for (i, s), share in zip(here, shares, strict=True):
        dim = 1.0
        if i < len(spliced) - 1 and s.piece.join == "fade":
            dim = min(dim, (s.ends - n) / (s.piece.over / 2 + 1))
        if i and spliced[i - 1].piece.join == "fade":
            dim = min(dim, (n - s.begins + 1) / (spliced[i - 1].piece.over / 2 + 1))
        out.append(Part(s.shot.id, s.first + n - s.begins, share * min(dim, 1.0) * light))
    return tuple(out)
