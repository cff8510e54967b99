"""``make bench``: measure everything, print a table, write var/bench.json.

python -m bench [--only NAME]
"""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from bench import air, engine, growth, moving, names, pages, price, route, strangers, things, visitors, water

ALL = {
    "rays": engine.rays,
    "replay": engine.replay,
    "stress": engine.stressed,
    "likeness": engine.likeness,
    "steadiness": engine.steadiness,
    "price": price.price,
    "estimate": price.estimate,
    "rehearsal": price.rehearsal,
    "instant": price.instant,
    "first": engine.first_look,
    "second": engine.second_worker,
    "compile": engine.cold_compile,
    "slice": engine.against_first_slice,
    "stillness": engine.first_rays,
    "things": things.things,
    "water": water.water,
    "growth": growth.growth,
    "air": air.air,
    "names": names.names,
    "channels": moving.channels,
    "lanes": moving.lanes,
    "playing": moving.playing,
    "route": route.route,
    "look": pages.look,
    "pages": pages.pages,
    "strangers": strangers.strangers,
    "opening": visitors.opening,
    "visitors": visitors.visitors,
    "worker": pages.worker_memory,
}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--only", choices=sorted(ALL))
    chosen = parser.parse_args().only
    results: list[dict[str, Any]] = []
    for name, measure in ALL.items():
        if chosen in (None, name):
            print(f"measuring {name} …", file=sys.stderr, flush=True)
            results += measure()
    for r in results:
        r["ok"] = r["value"] <= r["bar"] if r["better"] == "lower" else r["value"] >= r["bar"]
    out = Path(__file__).resolve().parent.parent / "var" / "bench.json"
    kept = (
        [r for r in json.loads(out.read_text()) if r["name"] not in {x["name"] for x in results}]
        if chosen and out.exists()
        else []
    )
    out.write_text(json.dumps(kept + results, indent=1))
    wide = max(len(r["name"]) for r in results)
    for r in results:
        sign = "<=" if r["better"] == "lower" else ">="
        print(
            f"{r['name']:<{wide}}  {r['value']:>10.3f} {r['unit']:<6} "
            f"{sign} {r['bar']:<8g} {'ok' if r['ok'] else 'SHORT'}"
        )
    if not all(r["ok"] for r in results):
        sys.exit(1)  # a bar was missed


main()
