"""The command line of the engine: gulch solve|scan|best|fit|region|check|addresses|schema|compile.

Only what the chosen command needs is loaded, and that not before it is chosen.
"""

from __future__ import annotations

import argparse
import errno
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gulch.engine.cli.codes import BAD_FILE, NOT_SOLVED, SOLVED

if TYPE_CHECKING:
    from argparse import ArgumentParser, Namespace


def _command(name: str) -> Callable[[Namespace], int]:
    """What runs a command of `commands`; unreadable files end in a sentence and exit code 2."""

    def run(args: Namespace) -> int:
        from gulch.engine.cli import commands
        from gulch.engine.document import DocumentError

        try:
            return getattr(commands, f"{name}_command")(args)
        except DocumentError as error:
            if getattr(args, "json", False):
                print(json.dumps({"error": str(error)}, ensure_ascii=False))
            else:
                print(error, file=sys.stderr)
            return BAD_FILE

    return run


def add_commands(commands: Any) -> None:
    """Register the engine's commands on argparse sub-parsers."""
    one = commands.add_parser("solve", help="solve a project file and print its streams")
    one.add_argument("file", type=Path)
    one.add_argument("--json", action="store_true", help="print the whole solution in SI")
    _with_variant(one)
    one.set_defaults(run=_command("solve"))
    one = commands.add_parser("scan", help="run a scan of a project file and print it as CSV")
    one.add_argument("file", type=Path)
    one.add_argument("--scan", help="id of the scan; the first one when left out")
    one.add_argument("--workers", type=int, default=1, help="processes that work on it")
    one.add_argument("--out", type=Path, help="file to write the table to (.csv or .xlsx), in place of printing it")
    _with_variant(one)
    one.set_defaults(run=_command("scan"))
    one = commands.add_parser("best", help="find the best operating point of a project file, or the trade-off of two aims")
    one.add_argument("file", type=Path)
    one.add_argument("--search", help="id of the search; the first one when left out")
    one.add_argument("--aim", help="id of a gauge to seek the best of, in place of a search of the file")
    one.add_argument("--lowest", action="store_true", help="with --aim: the lowest reading and not the highest")
    one.add_argument("--against", help="with --aim: id of a second gauge, of which the highest is wanted too")
    one.add_argument("--solves", type=_positive, help="solves that the search may take; by the number of knobs when left out")
    one.add_argument("--json", action="store_true", help="print the whole answer in SI")
    _with_variant(one)
    one.set_defaults(run=_command("best"))
    one = commands.add_parser("fit", help="find numbers of the rate laws from the measurements of a project file")
    one.add_argument("file", type=Path)
    one.add_argument("--fit", help="id of the fit; the first one when left out")
    one.add_argument("--use", type=Path, help="file to write the project to, with what was found in its laws")
    one.add_argument("--json", action="store_true", help="print the whole answer, values in the units of the laws")
    _with_variant(one)
    one.set_defaults(run=_command("fit"))
    one = commands.add_parser(
        "region", help="find what can be had at all of a stream of a project file, and the arrangement that reaches it"
    )
    one.add_argument("file", type=Path)
    one.add_argument("--stream", help="the stream that enters, in place of the file's own question")
    one.add_argument("--set", help="the reaction set that runs")
    one.add_argument("--temperature", help="at which vessels are held, as “80 degC”")
    one.add_argument("--up-to", help="each vessel at any temperature up to this one")
    one.add_argument("--json", action="store_true", help="print the whole answer in SI")
    _with_variant(one)
    one.set_defaults(run=_command("region"))
    one = commands.add_parser("check", help="say what is missing or doubtful in a project file")
    one.add_argument("file", type=Path)
    _with_variant(one)
    one.set_defaults(run=_command("check"))
    one = commands.add_parser("addresses", help="list the inputs and results of a project file that formulas and gauges can name")
    one.add_argument("file", type=Path)
    one.add_argument("words", nargs="*", help="show only lines that hold all of these words")
    _with_variant(one)
    one.set_defaults(run=_command("addresses"))
    one = commands.add_parser("schema", help="print the JSON Schema of the project file")
    one.set_defaults(run=_command("schema"))
    one = commands.add_parser("compile", help="compile the kernels, so that solves are fast (long commands do it themselves)")
    one.set_defaults(run=_command("compile"))


def _positive(text: Any) -> Any:
    """A whole number above zero, for argparse."""
    if not text.isdecimal() or int(text) == 0:
        raise argparse.ArgumentTypeError(f"{text} is no number of solves: give a whole number above zero")
    return int(text)


def _with_variant(command: ArgumentParser) -> None:
    command.add_argument("--variant", help="name of a variant instead of what is worked on; “base” for the base")


def run(parser: ArgumentParser, argv: list[str] | None) -> int:
    """Parse and dispatch; the command's exit code."""
    args = parser.parse_args(argv)
    try:
        outcome = args.run(args)
        sys.stdout.flush()
        return outcome
    except BrokenPipeError:  # whoever read the output has enough of it
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return SOLVED
    except OSError as error:
        if error.errno not in (errno.ENOSPC, errno.EIO, errno.EDQUOT):
            raise
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # what is left to be written would fail again at the end
        print(f"The output could not be written: {error.strerror}. Make room, or write it elsewhere.", file=sys.stderr)
        return NOT_SOLVED


def parser() -> ArgumentParser:
    """A parser with the engine's commands only."""
    out = argparse.ArgumentParser(prog="gulch")
    add_commands(out.add_subparsers(required=True, metavar="COMMAND"))
    return out
