"""The `gulch` command: the engine's commands, and `demo`, which serves the web application."""

from __future__ import annotations

import argparse
import gc
import os
import sys
from typing import Any

import gulch
from gulch.engine import cli


def main(argv: list[str] | None = None) -> int:
    gc.set_threshold(50_000)  # what is loaded stays: looking through it for garbage takes a tenth of a start
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(encoding="utf-8", errors="replace")
    parser = argparse.ArgumentParser(prog="gulch", description="Reactors, recycle loops and scans for reaction engineers.")
    parser.add_argument("--version", action="version", version=f"gulch {gulch.__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    cli.add_commands(commands)
    demo = commands.add_parser("demo", help="serve the web application with the demo project on this computer")
    demo.add_argument("--port", type=port, default=8765)
    demo.set_defaults(run=serve_demo)
    server = commands.add_parser("serve", help="serve the web application on this computer, with sign-in")
    server.add_argument("--port", type=port, default=8765)
    server.add_argument("--host", default="127.0.0.1", help="address to serve on (default: this computer only)")
    server.add_argument("--workers", type=int, help="processes for scans (default: one for each core)")
    server.set_defaults(run=serve)
    user = commands.add_parser("user", help="create an account for signing in, close one, or set its password")
    user.add_argument("name")
    user.add_argument("--admin", action="store_true", help="an administrator, who may set passwords of others")
    user.add_argument("--reset", action="store_true", help="set a new password for an account that is there")
    user.add_argument("--close", action="store_true", help="let nobody sign in with an account; its projects stay")
    user.add_argument("--open", action="store_true", help="open a closed account again")
    user.set_defaults(run=add_user)
    prune = commands.add_parser("prune", help="say which old data may go, and with --yes remove them")
    prune.add_argument("--days", type=days, default=90, help="how old they must be (default: 90)")
    prune.add_argument("--yes", action="store_true", help="remove them")
    prune.set_defaults(run=prune_data)
    return cli.run(parser, argv)


def port(text: str) -> Any:
    """A port as typed."""
    if not text.isdigit() or not 1 <= int(text) <= 65535:
        raise argparse.ArgumentTypeError(f"“{text}” is no port: give a whole number from 1 to 65535")
    return int(text)


def days(text: str) -> Any:
    """A number of days as typed."""
    if not text.isdigit() or not 1 <= int(text) <= 36_500:
        raise argparse.ArgumentTypeError(f"“{text}” is no number of days: give a whole number above zero")
    return int(text)


def prune_data(args: Any) -> Any:
    from gulch.web.serve import prune

    return prune(args.days, args.yes)


def serve(args: Any) -> Any:
    from gulch.web.serve import serve

    if args.workers is not None:
        os.environ["GULCH_WORKERS"] = str(args.workers)
    return serve(args.host, args.port)


def add_user(args: Any) -> Any:
    from gulch.web.serve import add_user, close_account

    if args.close or args.open:
        return close_account(args.name, args.close)
    return add_user(args.name, args.admin, args.reset)


def serve_demo(args: Any) -> Any:
    from gulch.web.serve import demo

    return demo(args.port)


if __name__ == "__main__":
    sys.exit(main())
