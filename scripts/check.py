"""What `make check` looks at: the files that changed, and the tests that import them."""

from __future__ import annotations

import re
import subprocess

from scripts.base import ROOT, VENV, run, say

NEAREST = 12
"""Test files that are run, the most particular first: those that import fewest of our modules beside the changed."""


COMMON = {
    "studio",
    "places",
    "templates",
    "partials",
    "views",
    "models",
    "static",
    "workspace",
    "kit",
    "py",
    "html",
    "js",
}
COMMON |= {"urls", "drawings", "slips"}
"""Words of the studio's paths that say nothing of a subject."""


def changed_files() -> list[str]:
    """Files that differ from the last commit, or if none does, those that it changed; paths from the root."""

    def git(*args: str) -> list[str]:
        done = subprocess.run(["git", *args], cwd=ROOT, capture_output=True, text=True, check=False)
        return done.stdout.splitlines()

    files = {*git("diff", "--name-only", "HEAD"), *git("ls-files", "--others", "--exclude-standard")}
    files = files or set(git("diff", "--name-only", "HEAD~1", "HEAD"))
    return sorted(name for name in files if (ROOT / name).exists())


def lint_changed(files: list[str]) -> None:
    """The linters that the changed files call for; types and the direction of imports of all of them."""
    tools = VENV / "bin"
    python = [name for name in files if name.endswith(".py")]
    if python:
        run(tools / "ruff", "check", "-q", *python, quiet=True)
        run(tools / "ruff", "format", "--check", "-q", *python, quiet=True)
        run(tools / "mypy", "lumwick", "studio", "scripts", quiet=True)
        run(tools / "lint-imports", quiet=True)
    templates = [name for name in files if name.startswith("studio/templates/")]
    if templates:
        run(tools / "djlint", "--lint", "--quiet", *templates, quiet=True)
    scripts = [name for name in files if re.fullmatch(r"(studio/static(?!/vendor)|tests/scripts)/.*\.js", name)]
    node = ROOT / "frontend" / "node_modules" / ".bin"
    if scripts and node.exists():
        run(node / "prettier", "--check", "--log-level", "warn", *scripts)
        run(node / "eslint", *scripts)
        run("node", "--test", "--test-reporter=dot", "tests/scripts/")
    elif scripts:
        say("Node's tools are not here: scripts are not checked (`make lint` says more).")


def module_of(name: str) -> str:
    """The dotted name of a Python file."""
    return name.removesuffix(".py").removesuffix("/__init__").replace("/", ".")


def tests_of(files: list[str]) -> list[str]:
    """Test files that are changed themselves or import what is, the most particular first."""
    modules = [module_of(name) for name in files if name.endswith(".py") and not name.startswith("tests/")]
    known = [re.compile(rf"\b{re.escape(one)}\b|from {re.escape(a)} import [^\n]*\b{re.escape(b)}\b")
             for one in modules for a, _, b in [one.rpartition(".")]]  # fmt: skip
    # what is reached by its address alone: tests of the same subject
    subjects = {
        word for name in files if name.startswith("studio/") for word in re.split(r"[/._]", name) if word
    } - COMMON
    found: list[tuple[int, str]] = []
    for path in sorted((ROOT / "tests").rglob("test_*.py")):
        name, text = path.relative_to(ROOT).as_posix(), path.read_text()
        if name in files:
            found.append((-1, name))
        elif any(one.search(text) for one in known):
            found.append((len(re.findall(r"^from (?:lumwick|studio)", text, re.MULTILINE)), name))
        elif name.startswith(("tests/studio", "tests/browser")) and any(word in path.stem for word in subjects):
            found.append((100, name))
    return [name for _, name in sorted(found)][:NEAREST]
