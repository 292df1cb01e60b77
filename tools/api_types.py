"""Generate the front end's API types from the OpenAPI document.

Run by hand after the API has changed (``.venv/bin/python tools/api_types.py``);
the tests call ``generate`` to see whether the file in the tree is fresh.
"""

from __future__ import annotations

import json
import subprocess
import tempfile
from pathlib import Path

from gaudyseed.web import app  # noqa: F401  (registers the operations)
from gaudyseed.web.openapi import document

ROOT = Path(__file__).resolve().parent.parent
TYPES = ROOT / "frontend/generated/schema.d.ts"


def generate(target: Path) -> None:
    """Write the types to ``target``."""
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "openapi.json"
        source.write_text(json.dumps(document()))
        command = ["npm", "run", "--silent", "api", "--", str(source), "-o", str(target)]
        subprocess.run(command, cwd=ROOT / "frontend", check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


if __name__ == "__main__":
    generate(TYPES)
