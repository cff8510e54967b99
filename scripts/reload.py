"""The web server for development: code that changes is served within two seconds, on loopback, with debug pages.

Most of a start is the import of what others wrote. A parent imports that once and forks a child for the project's own
code; when a file of ours changes, that child ends and another is forked. Templates, scripts and styles are read anew
for each request, without a restart.

python -m scripts.reload PORT
"""

from __future__ import annotations

import contextlib
import importlib
import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
OWN = ("lumwick", "studio", "scripts", "bench", "tests", "manage")
LOOKS_EVERY = 0.25
"""Seconds between two looks at the files' times."""


def others_modules() -> list[str]:
    """Modules that the server imports and others wrote, found by importing it in a process of its own."""
    code = (
        "import json, sys, django, studio.wsgi;"
        f"print('MODULES ' + json.dumps([name for name in sys.modules if name.partition('.')[0] not in {OWN!r}]))"
    )
    told = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True)
    line = next(one for one in told.stdout.splitlines() if one.startswith("MODULES "))
    names: list[str] = json.loads(line.removeprefix("MODULES "))
    return names


def stamps() -> dict[Path, int]:
    """Times of all our own Python files."""
    found = {}
    for folder in ("lumwick", "studio"):
        for path in (ROOT / folder).rglob("*.py"):
            try:
                found[path] = path.stat().st_mtime_ns
            except FileNotFoundError:  # it was just moved
                continue
    return found


def serve(port: int) -> None:
    """Serve in this process, until it is told to end."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(["manage.py", "runserver", "--noreload", f"127.0.0.1:{port}"])


def forked(port: int) -> int:
    """The number of a child that serves."""
    child = os.fork()
    if child == 0:
        code = 1
        try:
            signal.signal(signal.SIGTERM, lambda *_: os._exit(0))
            serve(port)
            code = 0
        except BaseException as error:  # a file that is half written: told, and served again when it is mended
            print(f"{type(error).__name__}: {error}", file=sys.stderr, flush=True)
        finally:
            os._exit(code)
    return child


def ended(child: int) -> None:
    """End a child."""
    with contextlib.suppress(ProcessLookupError, ChildProcessError):
        os.kill(child, signal.SIGTERM)
        os.waitpid(child, 0)


def main() -> None:
    port = int(sys.argv[1])
    os.environ |= {"LUMWICK_DEBUG": "1", "LUMWICK_PRELOAD": "0"}
    for name in others_modules():
        with contextlib.suppress(Exception):  # some are only made by others; the child imports what it needs
            importlib.import_module(name)
    seen, child = stamps(), forked(port)
    try:
        while True:
            time.sleep(LOOKS_EVERY)
            now = stamps()
            if now != seen:
                changed = sorted(
                    str(p.relative_to(ROOT)) for p in now.keys() | seen.keys() if now.get(p) != seen.get(p)
                )
                print(f"  changed: {', '.join(changed[:3])}{' …' if len(changed) > 3 else ''}", flush=True)
                ended(child)
                seen, child = now, forked(port)
    except KeyboardInterrupt:
        pass
    finally:
        ended(child)


if __name__ == "__main__":
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    main()
