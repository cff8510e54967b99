"""What the formats' own makers say of a file: Khronos' validator for glTF, Pixar's for USD."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest

FRONTEND = Path(__file__).parents[2] / "frontend"


def khronos(path: Path) -> dict[str, Any]:
    """The Khronos validator's report on a glTF file."""
    if shutil.which("npm") is None:
        pytest.skip("Node is not here, and the Khronos validator is a Node package")
    if not (FRONTEND / "node_modules" / "gltf-validator").exists():
        subprocess.run(
            ["npm", "ci", "--silent", "--ignore-scripts"], cwd=FRONTEND, check=True, capture_output=True, timeout=300
        )
    said = subprocess.run(
        ["node", str(Path(__file__).parent / "check_gltf.cjs"), str(FRONTEND / "node_modules"), str(path)],
        check=True,
        capture_output=True,
        text=True,
        timeout=120,
    )
    report: dict[str, Any] = json.loads(said.stdout)
    return report


def pixar(path: Path) -> list[str]:
    """What USD's own validators find wrong with a stage."""
    from pxr import Usd, UsdValidation

    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    return [f"{e.GetName()}: {e.GetMessage()}" for e in context.Validate(Usd.Stage.Open(str(path)))]
