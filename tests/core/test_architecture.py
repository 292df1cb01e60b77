"""The dependency rule: core knows nobody; store and web know core; web knows store."""

import ast
import shutil
import subprocess
import sys
import tempfile
import unittest
from functools import cache
from pathlib import Path
from unittest.mock import patch

from gaudyseed.core import kernels
from gaudyseed.core.look.steps import STEPS
from tests.support import ROOT

PACKAGE = ROOT / "src/gaudyseed"
FORBIDDEN = {
    "core": {"flask", "sqlalchemy", "alembic", "waitress", "click", "store", "web", "cli", "demo"},
    "store": {"flask", "waitress", "click", "web", "cli", "demo"},
    "web": {"sqlalchemy", "alembic", "cli", "demo"},
}


@cache
def imported(path: Path) -> set[str]:
    """First words of absolute imports, and of the package's own subpackages."""
    found = set()
    inside = path.relative_to(PACKAGE.parent).with_suffix("").parts[:-1]
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found.update(alias.name.split(".")[0] for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            names = [node.module] if node.module else [alias.name for alias in node.names]
            if node.level == 0:
                found.update(n.split(".")[1] if n.startswith("gaudyseed.") else n.split(".")[0] for n in names)
            else:
                base = inside[: len(inside) - node.level + 1]
                found.update((*base, *n.split("."))[1] for n in names if len((*base, *n.split("."))) > 1)
    return found


class Dependencies(unittest.TestCase):
    def test_each_layer_knows_only_what_it_may(self):
        for layer, forbidden in FORBIDDEN.items():
            files = sorted((PACKAGE / layer).rglob("*.py"))
            self.assertGreater(len(files), 2)
            for path in files:
                self.assertEqual(imported(path) & forbidden, set(), str(path))

    def test_the_rule_can_see_a_breach(self):
        """The checker finds what it should in files that are allowed to know more."""
        self.assertIn("store", imported(PACKAGE / "web/app.py"))
        self.assertIn("flask", imported(PACKAGE / "web/app.py"))
        self.assertIn("core", imported(PACKAGE / "store/store.py"))


class Registry(unittest.TestCase):
    def test_one_file_a_step(self):
        files = {p.stem for p in (PACKAGE / "core/look/steps").glob("*.py")} - {"__init__"}
        self.assertEqual(set(STEPS), files)

    def test_every_parameter_has_a_title_and_limits(self):
        for name, step in STEPS.items():
            self.assertTrue(step.summary, name)
            whole = step.model_json_schema()
            whole = whole["$defs"][whole["$ref"].rpartition("/")[2]] if "$ref" in whole else whole
            for parameter, schema in whole["properties"].items():
                if parameter in ("step", "enabled"):
                    continue
                self.assertIn("title", schema, f"{name}.{parameter}")
                for branch in (schema, *schema.get("anyOf", ())):
                    if branch.get("type") in ("number", "integer") and name != "constant":
                        self.assertIn("minimum", branch, f"{name}.{parameter}")
                        self.assertIn("maximum", branch, f"{name}.{parameter}")


class Kernels(unittest.TestCase):
    """The disk cache of each file is named after what that file really imports."""

    def test_every_file_is_listed(self):
        files = {p.stem for p in (PACKAGE / "core/kernels").glob("*.py")} - {"__init__", "parallel"}
        self.assertEqual(set(kernels.FILES), files)
        self.assertEqual(kernels.cold(), [])

    def test_an_edit_of_one_compiles_that_one_and_those_that_use_it(self):
        before = {name: kernels._folder(name).name for name in kernels.FILES}
        with tempfile.TemporaryDirectory() as folder:
            for path in kernels._HERE.glob("*.py"):
                text = path.read_text() + ("\n# edited\n" if path.stem == "hashing" else "")
                (Path(folder) / path.name).write_text(text)
            program = (
                "from pathlib import Path; from gaudyseed.core import kernels; "
                f"kernels._HERE = Path({folder!r}); print([kernels._folder(n).name for n in kernels.FILES])"
            )
            done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True)
        after = dict(zip(kernels.FILES, ast.literal_eval(done.stdout), strict=True))
        changed = {name for name in kernels.FILES if before[name] != after[name]}
        self.assertEqual(changed, {"hashing", "scattering", "drift", "spreading", "growing"})

    def test_a_copy_elsewhere_is_compiled_before_it_is_used(self):
        # Numba's index of what is cached: by the file's folder and the time when it was written.
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(kernels._HERE, folder, dirs_exist_ok=True, ignore=shutil.ignore_patterns("__pycache__"))
            with patch.object(kernels, "_HERE", Path(folder)):
                self.assertEqual(kernels.cold(), list(kernels.FILES))
