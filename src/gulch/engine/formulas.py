"""Typed formulas: safe arithmetic over named quantities, with their dimensions checked once.

A number may carry its unit in brackets, as in `1.2e6[1/s] * exp(-65.7[kJ/mol]/(R*T)) * c.ethylene`. The text is read
by Python's parser and only the listed constructs are accepted; nothing of it is ever executed as code. The result is
a list of instructions for a stack of numbers in SI.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.quantities import QuantityError, compound_unit, dimensions_of

if TYPE_CHECKING:
    from re import Match

    from gulch.engine.unit_names import Dims

MAX_LENGTH, MAX_NODES, MAX_DEPTH = 600, 300, 36
MOST_LINES, MOST_INSTRUCTIONS = 20, 600  # of a formula with intermediates
FUNCTIONS = {"exp": 1, "ln": 1, "log10": 1, "sqrt": 1, "tanh": 1, "min": 2, "max": 2}
_LITERAL = re.compile(r"((?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+\-]?\d+)?)\s*\[([^\[\]]*)\]")
_OPERATORS = {ast.Add: "add", ast.Sub: "subtract", ast.Mult: "multiply", ast.Div: "divide", ast.Pow: "raise"}


class FormulaError(ValueError):
    """A formula that cannot be used; the message is a sentence for the user."""


@dataclass(frozen=True)
class Formula:
    """instructions: (name, argument) in order; names: the quantities it uses."""

    instructions: tuple
    names: frozenset
    dimension: Dims | None = None  # Dims of its value
    depth: int = 1  # numbers that stand on its stack at most


def read(text: str, known: dict[str, Any], wanted: str | None) -> Formula:
    """Read a formula. known: {name: (instruction, argument, unit)}; names may hold dots.

    wanted: unit of the result; None for any. Returns a Formula; raises FormulaError.
    """
    if len(text) > MAX_LENGTH:
        raise FormulaError(f"The formula is longer than {MAX_LENGTH} characters.")
    literals = []

    def keep(match: Match) -> str:
        literals.append((float(match[1]), match[2]))
        return f"(_q{len(literals) - 1})"

    plain = _LITERAL.sub(keep, text.replace("^", "**").replace("−", "-").replace("·", "*"))
    try:
        tree = ast.parse(plain.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise FormulaError(f"“{text}” cannot be read: check brackets and operators.") from None
    if sum(1 for _ in ast.walk(tree)) > MAX_NODES:
        raise FormulaError("The formula is too long: simplify it.")
    reader = _Reader(known, literals)
    dimension = reader.visit(tree.body)
    if wanted is not None and dimension != dimensions_of(wanted):
        raise FormulaError(f"The formula comes out in {_words(dimension)}, but {wanted.replace('**', '^')} is wanted.")
    if reader.deepest > MAX_DEPTH:
        raise FormulaError("The formula is nested too deeply: simplify it.")
    return Formula(tuple(reader.out), frozenset(reader.names), dimension, reader.deepest)


def read_lines(text: str, known: dict[str, Any], wanted: str | None) -> Formula:
    """Read a formula with intermediates of one's own: lines, or parts between semicolons, `theta = 1/(1 + K*c.A)`, the last without a name.

    known, wanted: as `read` takes them. Returns a Formula; raises FormulaError.
    """
    lines = [line.strip() for part in text.splitlines() for line in part.split(";") if line.strip()]
    if len(lines) > MOST_LINES:
        raise FormulaError(f"The formula has {len(lines)} lines: {MOST_LINES} are read at most.")
    if not lines:
        raise FormulaError("The formula is empty.")
    names = dict(known)
    for line in lines[:-1]:
        name, meant = _named(line)
        if not name:
            raise FormulaError(f"“{line[:60]}” names nothing: write “name = …”, and the rate itself in the last line.")
        if name in names or name in FUNCTIONS:
            raise FormulaError(f"“{name}” is a name already: call the intermediate otherwise.")
        names[name] = ("inline", read(meant, names, None), "")
    out = read(_named(lines[-1])[1], names, wanted)
    if len(out.instructions) > MOST_INSTRUCTIONS:
        raise FormulaError("The formula is too long once its intermediates are put in: simplify it.")
    return out


def _named(line: str) -> tuple[str, str]:
    """(name, formula) of a line “name = formula”; ("", the line) of one that names nothing."""
    name, sign, rest = line.partition("=")
    name = name.strip()
    return (name, rest) if sign and name.isidentifier() and name.isascii() and not rest.startswith("=") else ("", line)


def value(formula: Formula, get: Callable) -> float:
    """Value of a Formula in SI; get(argument) gives the value of a ("name", argument) instruction.

    Returns nan where the arithmetic has no real answer (division by zero, root of a negative number).
    """
    stack: list = []
    try:
        for name, argument in formula.instructions:
            if name == "push":
                stack.append(argument)
            elif name == "name":
                stack.append(get(argument))
            elif name in _TWO:
                right = stack.pop()
                stack.append(_TWO[name](stack.pop(), right))
            else:
                stack.append(_ONE[name](stack.pop()))
    except (ArithmeticError, ValueError):
        return math.nan
    return stack[0] if isinstance(stack[0], float) else math.nan


_TWO: dict[str, Callable] = {
    "add": operator.add,
    "subtract": operator.sub,
    "multiply": operator.mul,
    "divide": operator.truediv,
    "raise": lambda a, b: float(a) ** b,
    "min": min,
    "max": max,
}
_ONE: dict[str, Callable] = {
    "negate": operator.neg,
    "exp": math.exp,
    "ln": math.log,
    "log10": math.log10,
    "sqrt": math.sqrt,
    "tanh": math.tanh,
}


def finite(number: float) -> float:
    """A typed number as a float. Raises FormulaError where it is beyond all bounds."""
    try:
        found = float(number)
    except OverflowError:
        found = math.inf
    if not math.isfinite(found):
        raise FormulaError(f"“{str(number)[:20]}…” is too large a number for a formula.")
    return found


class _Reader:
    def __init__(self, known: dict[str, tuple], literals: list[tuple]) -> None:
        self.known, self.literals = known, literals
        self.out, self.names, self.depth, self.deepest = [], set(), 0, 0
        self.none = dimensions_of("")

    def push(self, name: str, argument: float | str) -> None:
        self.depth += 1
        self.deepest = max(self.deepest, self.depth)
        self.out.append((name, argument))

    def visit(self, node: Any) -> Dims:
        """Write the instructions of a node; returns its dimension."""
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
            self.push("push", finite(node.value))
            return self.none
        if isinstance(node, ast.Name | ast.Attribute):
            return self.name(node)
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
            dimension = self.visit(node.operand)
            if isinstance(node.op, ast.USub):
                self.out.append(("negate", 0.0))
            return dimension
        if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
            return self.binary(node)
        if isinstance(node, ast.Call):
            return self.call(node)
        raise FormulaError(f"“{ast.unparse(node)}” is not allowed in a formula: use + − * / ^, exp, ln, log10, sqrt, tanh, min, max.")

    def name(self, node: ast.Attribute | ast.Name) -> Dims:
        text = ast.unparse(node)
        if text.startswith("_q") and text[2:].isdigit() and int(text[2:]) < len(self.literals):
            value, unit = self.literals[int(text[2:])]
            dimension, factor = _unit(unit)
            self.push("push", finite(finite(value) * factor))
            return dimension
        if text not in self.known:
            some = ", ".join(list(self.known)[:6])
            raise FormulaError(f"“{text}” is not known here: the names are {some} ….")
        instruction, argument, unit = self.known[text]
        if instruction == "inline":
            self.deepest = max(self.deepest, self.depth + argument.depth)
            self.depth += 1
            self.out.extend(argument.instructions)
            self.names |= argument.names
            return argument.dimension
        self.names.add(text)
        self.push(instruction, argument)
        return dimensions_of(unit)

    def binary(self, node: ast.BinOp) -> Dims:
        left, right = self.visit(node.left), self.visit(node.right)
        op = _OPERATORS[type(node.op)]
        self.depth -= 1
        if op == "raise":
            if right != self.none:
                raise FormulaError(f"The exponent “{ast.unparse(node.right)}” has a unit: it must be a bare number.")
            self.out.append((op, 0.0))
            if left == self.none:
                return left
            power = _number(node.right)
            if power is None:
                raise FormulaError(f"“{ast.unparse(node.left)}” has a unit, so its exponent must be a plain number.")
            return left**power
        self.out.append((op, 0.0))
        if op in ("add", "subtract"):
            if left != right:
                raise FormulaError(
                    f"“{self.text(node.left)}” is in {_words(left)} but “{self.text(node.right)}” in {_words(right)}: they cannot be added."
                )
            return left
        return left * right if op == "multiply" else left / right

    def call(self, node: ast.Call) -> Dims:
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        if name not in FUNCTIONS or node.keywords or len(node.args) != FUNCTIONS[name]:
            raise FormulaError(f"“{ast.unparse(node)[:60]}” is not allowed: the functions are exp, ln, log10, sqrt, tanh, min and max.")
        dimensions = [self.visit(a) for a in node.args]
        if name in ("min", "max"):
            self.depth -= 1
            self.out.append((name, 0.0))
            if dimensions[0] != dimensions[1]:
                raise FormulaError(f"The two sides of {name} are in {_words(dimensions[0])} and {_words(dimensions[1])}.")
            return dimensions[0]
        self.out.append((name, 0.0))
        if name == "sqrt":
            return dimensions[0] ** 0.5
        if dimensions[0] != self.none:
            raise FormulaError(f"The argument of {name} is in {_words(dimensions[0])}: it must be a bare number.")
        return self.none

    def text(self, node: ast.expr) -> str:
        """A part of the formula as typed, its literals put back."""
        return re.sub(r"_q(\d+)", lambda m: f"{self.literals[int(m[1])][0]:g}[{self.literals[int(m[1])][1]}]", ast.unparse(node))


def _number(node: Any) -> float | None:
    try:
        value = ast.literal_eval(node)
    except ValueError:
        return None
    return float(value) if type(value) in (int, float) else None


def _unit(unit: str) -> tuple:
    try:
        return compound_unit(unit)
    except QuantityError as error:
        raise FormulaError(str(error)) from None


def _words(dimension: Dims) -> str:
    text = str(dimension).replace("[", "").replace("]", "").replace("**", "^").replace(" ", "")
    return "no unit" if text in ("dimensionless", "") else text.replace("substance", "amount")
