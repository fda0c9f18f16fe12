"""The house in numbers, read from the code itself, and what its documents say of it."""

from __future__ import annotations

import ast
import re
import tomllib
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from unittest import TestCase

from launcher.__main__ import HELP

ROOT = Path(__file__).parents[1]
PARTS = ("core", "web", "launcher", "demo", "bench", "tests", "frontend")
LEFT_OUT = {"migrations", "vendor", "dist", "node_modules", "__pycache__"}
LINES, WIDTH, TEMPLATE_WIDTH, COMPLEXITY = 500, 110, 160, 15
BRANCHES = (
    ast.If,
    ast.For,
    ast.While,
    ast.ExceptHandler,
    ast.IfExp,
    ast.comprehension,
    ast.Assert,
    ast.match_case,
)
DOCS = ("README.md", "CONTRIBUTING.md", *(f"docs/{path.name}" for path in (ROOT / "docs").glob("*.md")))


@cache
def files(*suffixes: str) -> list[Path]:
    paths = [path for part in PARTS for path in (ROOT / part).rglob("*") if path.suffix in suffixes]
    return [path for path in paths if not LEFT_OUT & set(path.parts)]


@cache
def tree_of(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


SQL = re.compile(r"\b(SELECT|FROM|UPDATE|INSERT|DELETE|JOIN|COPY|TABLE|LOCK)\b")
REFERRED_TO = {("journals", "companies_company"), ("journals", "people_person")}
"""Tables of another app that an app's SQL may name: its own rows refer to theirs."""


def foreign_tables() -> Iterator[str]:
    """Each place where a module's SQL names a table of another app."""
    apps = sorted(path.parent.name for path in (ROOT / "web").glob("*/models.py"))
    table = re.compile(rf"\b({'|'.join(apps)})_[a-z]+\b")
    for path in files(".py"):
        if path.parts[len(ROOT.parts)] != "web":
            continue
        app = path.relative_to(ROOT / "web").parts[0]
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and SQL.search(node.value):
                for match in table.finditer(node.value):
                    if match[1] != app and (app, match[0]) not in REFERRED_TO:
                        yield f"{path.relative_to(ROOT)}:{node.lineno} {match[0]}"


def functions(product: bool = True) -> Iterator[tuple[str, ast.FunctionDef]]:
    for path in files(".py"):
        if product and "tests" in path.parts:
            continue
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.FunctionDef):
                yield f"{path.relative_to(ROOT)}:{node.name}", node


def complexity(function: ast.FunctionDef) -> int:
    branches = 1
    for node in ast.walk(function):
        branches += isinstance(node, BRANCHES)
        branches += len(node.ifs) if isinstance(node, ast.comprehension) else 0
        branches += len(node.values) - 1 if isinstance(node, ast.BoolOp) else 0
    return branches


def typed(function: ast.FunctionDef) -> bool:
    given = function.args
    named = [*given.posonlyargs, *given.args, *given.kwonlyargs, given.vararg, given.kwarg]
    own = ("self", "cls")
    return function.returns is not None and all(
        one.annotation is not None or one.arg in own for one in named if one
    )


class House(TestCase):
    def test_lines_and_files_are_of_a_size_to_read(self) -> None:
        for path in files(".py", ".html", ".js"):
            most = TEMPLATE_WIDTH if path.suffix == ".html" else WIDTH
            lines = path.read_text().split("\n")
            wide = [number for number, line in enumerate(lines, 1) if len(line) > most]
            with self.subTest(str(path.relative_to(ROOT))):
                self.assertEqual(wide, [], "lines too wide")
                if path.suffix == ".py":
                    self.assertLessEqual(len(lines), LINES + 1)

    def test_sql_names_tables_of_its_own_app(self) -> None:
        self.assertEqual(list(foreign_tables()), [])

    def test_every_table_of_a_page_has_a_name(self) -> None:
        for path in files(".html"):
            text = path.read_text()
            for head in re.finditer(r"<table\b[^>]*>", text):
                with self.subTest(str(path.relative_to(ROOT)), line=text.count("\n", 0, head.start()) + 1):
                    self.assertTrue("aria-label" in head[0] or "<caption" in text[head.end() :][:60])

    def test_functions_are_simple(self) -> None:
        self.assertEqual([name for name, one in functions() if complexity(one) > COMPLEXITY], [])

    def test_every_function_is_typed_and_nothing_is_silenced_without_a_reason(self) -> None:
        self.assertEqual([name for name, one in functions(product=False) if not typed(one)], [])
        for path in files(".py"):
            text = path.read_text()
            with self.subTest(str(path.relative_to(ROOT))):
                self.assertNotIn("fmt: " + "skip", text)
                self.assertNotRegex(text, "type: " + r"ignore(?!\[)")

    def test_every_public_class_says_what_it_is(self) -> None:
        bare = [
            f"{path.relative_to(ROOT)}:{node.name}"
            for path in files(".py")
            if "tests" not in path.parts
            for node in tree_of(path).body
            if isinstance(node, ast.ClassDef)
            and not node.name.startswith("_")
            and not ast.get_docstring(node)
            and path.name not in ("models.py", "tables.py", "apps.py")
        ]
        self.assertEqual(bare, [])

    def test_folders_of_the_core_say_what_is_in_them(self) -> None:
        for folder in (ROOT / "core").iterdir():
            if not (folder / "__init__.py").exists() or folder.name in ("tests", "checks"):
                continue
            said = ast.get_docstring(tree_of(folder / "__init__.py")) or ""
            there = {path.name for path in folder.glob("*.py")} - {"__init__.py"}
            with self.subTest(folder.name):
                self.assertEqual(set(re.findall(r"^(\w+\.py)", said, re.M)), there)
                self.assertLessEqual(len(there), 10)


class Documents(TestCase):
    def test_files_that_documents_name_are_there(self) -> None:
        for name in DOCS:
            for path in re.findall(
                r"`((?:core|web|tests|demo|bench|launcher|docs|frontend)/[\w/.-]+)`",
                (ROOT / name).read_text(),
            ):
                with self.subTest(f"{name}: {path}"):
                    module = ROOT / path.rsplit(".", 1)[0]
                    self.assertTrue((ROOT / path).exists() or module.with_suffix(".py").exists())

    def test_commands_that_documents_name_are_there(self) -> None:
        known = set(re.findall(r"\./pine ([\w-]+)", HELP)) | {"help"}
        for name in DOCS:
            for command in re.findall(r"\./pine ([a-z][\w-]*)", (ROOT / name).read_text()):
                with self.subTest(f"{name}: {command}"):
                    self.assertIn(command, known)

    def test_the_layers_are_drawn_as_they_are_held(self) -> None:
        contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
        held = {
            part: [layer.replace(f"{part}.", "") for layer in contract["layers"]]
            for contract in contracts
            if contract["type"] == "layers"
            for part in (contract["layers"][0].split(".")[0],)
        }
        text = (ROOT / "docs/architecture.md").read_text()
        block = next(part for part in text.split("```") if part.strip().startswith("core  "))
        drawn: dict[str, list[str]] = {"core": [], "web": []}
        head, *lines = block.strip().splitlines()
        at = head.index("web")
        for line in lines:
            for name, layer in zip(("core", "web"), (line[:at].strip(), line[at:].strip()), strict=True):
                drawn[name] += [layer] if layer else []
        self.assertEqual(drawn["core"], held["core"])
        self.assertEqual(drawn["web"], [layer for layer in held["web"] if layer != "process_cache"])
