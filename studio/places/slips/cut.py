"""The Cut bench's columns: the film's pieces, the shot, how it is developed and finished."""

from __future__ import annotations

from lumwick.place.document import Piece
from lumwick.place.filming import Develop
from studio.places.slips.slip_request import Column, SlipRequest, column, note_column


def columns(asked: SlipRequest) -> list[Column]:
    return {"shot": _shot, "develop": _develop, "finish": _finish}.get(asked.tab, _film)(asked)


def _shot(asked: SlipRequest) -> list[Column]:
    shot = asked.shot
    return [
        asked.column(
            "Shot",
            shot,
            asked.base,
            ("name", "frames", "fps", "loop"),
            command={"op": "duplicate_shot", "shot": shot.id},
            command_text="Duplicate this shot",
            remove={"op": "remove_shot", "shot": shot.id} if len(asked.place.shots) > 1 else None,
        ),
        asked.clock(),
    ]


def _developed(asked: SlipRequest) -> tuple[Develop, str]:
    """How the picture is developed: by the film's settings or the shot's own; and their path."""
    if asked.shot.as_film:
        return asked.place.cut.develop, "/cut/develop"
    return asked.shot.develop, f"{asked.base}/develop"


def _develop(asked: SlipRequest) -> list[Column]:
    develop, base = _developed(asked)
    table = ("lut", "lut_strength") if develop.lut else ("lut",)
    basic = asked.fields(develop, base, ("tint", "contrast", "saturation"))
    return [
        column(
            "Film's" if asked.shot.as_film else "Print",
            [*asked.fields(asked.shot, asked.base, ("as_film",)), *basic],
            command_js="pickGrey()",
            command_text="White from a grey in the look",
        ),
        asked.column("Tones", develop, base, ("lift", "gamma", "gain")),
        asked.column(
            "Curve", develop, base, ("curve_deep", "curve_dark", "curve_middle", "curve_light", "curve_bright")
        ),
        asked.column("As seen", develop, base, ("view", "screen", *table)),
    ]


def _finish(asked: SlipRequest) -> list[Column]:
    develop, base = _developed(asked)
    return [
        asked.column("Finish", develop, base, ("bloom", "vignette", "sharpen", "grain")),
        asked.exposure(("ev100", "kelvin")),
    ]


def _film(asked: SlipRequest) -> list[Column]:
    place = asked.place
    film = asked.column("Film", place.cut, "/cut", ("fps", "fade_in", "fade_out"))
    shots = column("Add a piece", [], pieces=[{"id": x.id, "name": x.name} for x in place.shots])
    piece = asked.chosen(place.cut.pieces)
    if piece is None:
        note = "Pick a piece on the strip to choose its range and what joins it to the next; drag it to another turn."
        return [film, shots, note_column("Pieces", note)]
    return [_piece(asked, piece), film, shots]


def _piece(asked: SlipRequest, piece: Piece) -> Column:
    pieces = asked.place.cut.pieces
    i = pieces.index(piece)
    join = ("join", *(("over",) if piece.join != "cut" else ())) if i < len(pieces) - 1 else ()
    return asked.column(
        f"Piece {i + 1} of {len(pieces)}",
        piece,
        f"/cut/pieces/{piece.id}",
        ("first", "last", *join),
        drop=piece.id,
        note=asked.place.shot(piece.shot).name,
    )
