"""What the house is like to read: figures that `make check` prints.  No gate: they are looked at.

python -m bench.house            the figures, for the whole package
python -m bench.house FILE ...   the longest functions of some files
"""

from __future__ import annotations

import ast
import io
import sys
import tokenize
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
LONGEST_LINE = 100
UNCOUNTED = {
    tokenize.NL,
    tokenize.NEWLINE,
    tokenize.INDENT,
    tokenize.DEDENT,
    tokenize.COMMENT,
    tokenize.ENDMARKER,
}
Function = ast.FunctionDef | ast.AsyncFunctionDef


@dataclass(frozen=True)
class Source:
    """One file: its lines, its tree and its tokens."""

    path: Path
    lines: list[str]
    tree: ast.Module
    tokens: list[tokenize.TokenInfo]

    @classmethod
    def of(cls, path: Path) -> Source:
        text = path.read_text(encoding="utf-8")
        tokens = tokenize.generate_tokens(io.StringIO(text).readline)
        counted = [one for one in tokens if one.type not in UNCOUNTED]
        return cls(path, text.splitlines(), ast.parse(text), counted)

    def nodes(self, *kinds: type[ast.AST]) -> list[ast.AST]:
        return [node for node in ast.walk(self.tree) if isinstance(node, kinds)]

    @property
    def code_lines(self) -> int:
        return sum(1 for line in self.lines if line.strip() and not line.strip().startswith("#"))


def body_tokens(source: Source, function: Function) -> int:
    """Tokens of a function without its signature and its docstring."""
    body = function.body
    if ast.get_docstring(function) is not None and len(body) > 1:
        body = body[1:]
    start = (body[0].lineno, body[0].col_offset)
    end = (function.end_lineno, function.end_col_offset)
    return sum(1 for one in source.tokens if one.start >= start and one.end <= end)


def functions(sources: list[Source]) -> Iterator[tuple[int, str]]:
    for source in sources:
        for node in source.nodes(ast.FunctionDef, ast.AsyncFunctionDef):
            assert isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef))
            place = f"{source.path.relative_to(ROOT)}:{node.lineno} {node.name}"
            yield body_tokens(source, node), place


def inner_imports(source: Source) -> int:
    inside = {
        id(node)
        for function in source.nodes(ast.FunctionDef, ast.AsyncFunctionDef)
        for node in ast.walk(function)
        if isinstance(node, (ast.Import, ast.ImportFrom))
    }
    return len(inside)


def figures() -> dict[str, str]:
    package = [Source.of(path) for path in sorted((ROOT / "olive_almanac").rglob("*.py"))]
    tests = [Source.of(path) for path in sorted((ROOT / "tests").rglob("*.py"))]
    lines = sum(len(one.lines) for one in package)
    sizes = sorted(size for size, _ in functions(package))
    ternaries = sum(len(one.nodes(ast.IfExp)) for one in package)
    imports = sum(len(one.nodes(ast.Import, ast.ImportFrom)) for one in package)
    inner = sum(inner_imports(one) for one in package)
    long_lines = sum(len(line) > LONGEST_LINE for one in package for line in one.lines)
    code, tested = (sum(one.code_lines for one in part) for part in (package, tests))
    public = [
        node
        for one in package
        for node in one.nodes(ast.FunctionDef)
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_")
    ]
    documented = sum(ast.get_docstring(node) is not None for node in public)
    return {
        "tokens a function, median (40)": f"{sizes[len(sizes) // 2]}",
        "tokens a function, 90 % (150)": f"{sizes[int(0.9 * len(sizes))]}",
        f"lines over {LONGEST_LINE} characters (0)": f"{long_lines}",
        "ternaries in 1,000 lines (10)": f"{1000 * ternaries / lines:.1f}",
        "imports inside functions (5 %)": f"{100 * inner / imports:.1f} %",
        "test share of code lines (25 to 33 %)": f"{100 * tested / (code + tested):.0f} %",
        "public functions with a docstring": f"{100 * documented / len(public):.0f} %",
    }


def main(paths: list[str]) -> None:
    if paths:
        sources = [Source.of((ROOT / path).resolve()) for path in paths]
        for size, place in sorted(functions(sources), reverse=True)[:20]:
            print(f"{size:6d}  {place}")
        return
    for name, value in figures().items():
        print(f"{name:45} {value:>8}")


if __name__ == "__main__":
    main(sys.argv[1:])
