"""Exit codes of the commands."""

SOLVED, NOT_SOLVED, BAD_FILE = 0, 1, 2
