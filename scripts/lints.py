"""What the code is held to."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

from scripts.base import ROOT, VAR, VENV, fail, run, say

LINTS = (
    ("ruff", "check", "-q", "."),
    ("ruff", "format", "--check", "-q", "."),
    ("mypy", "lumwick", "studio", "scripts"),
    ("lint-imports",),
    ("djlint", "--lint", "--quiet", "studio/templates"),
)


OWN_SCRIPTS = (
    "studio/static/*.js",
    "studio/static/kit/*.js",
    "studio/static/workspace/*.js",
    "studio/static/drawings/*.js",
    "tests/scripts/*.js",
)


def node_tools() -> Path | None:
    """Where the scripts' own tools are, installed if they are not there yet; None without Node."""
    if shutil.which("npm") is None:
        return None
    front = ROOT / "frontend"
    tools = front / "node_modules" / ".bin"
    if not (tools / "prettier").exists():
        run("npm", "ci", "--silent", "--ignore-scripts", "--prefix", front)
    return tools


def lint() -> None:
    """Formatters, linters, types, the direction of imports; and, where Node is, scripts and built assets."""
    for command in LINTS:
        run(VENV / "bin" / command[0], *command[1:], quiet=True)
    tools = node_tools()
    if tools is None:
        say("Node is not here: the scripts' form and types, and the built assets, are not checked.")
        return
    scripts = sorted(str(path.relative_to(ROOT)) for glob in OWN_SCRIPTS for path in ROOT.glob(glob))
    run(tools / "prettier", "--check", "--log-level", "warn", *scripts)
    run(tools / "eslint", *scripts)
    run(tools / "tsc", "-p", ROOT / "frontend" / "tsconfig.json")
    front, built = ROOT / "frontend", VAR / "assets"
    shutil.rmtree(built, ignore_errors=True)
    made = subprocess.run(["sh", "build.sh", str(built)], cwd=front, capture_output=True, text=True, check=False)
    if made.returncode:
        fail(f"the assets cannot be built: {made.stderr.strip()[-300:]}")
    for path in sorted(p for p in built.rglob("*") if p.is_file()):
        committed = ROOT / "studio" / "static" / path.relative_to(built)
        if not committed.exists() or committed.read_bytes() != path.read_bytes():
            fail(f"{committed.relative_to(ROOT)} is not what the sources build: run `make assets`.")
    say("formatted, linted, typed, and the committed assets are what the sources build")
