# Sourced by the scripts: a virtual environment with the locked packages.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
find_python() {
  for name in "${PYTHON:-}" python3 python3.14 python3.13 python3.12 python3.11; do
    [ -n "$name" ] && command -v "$name" >/dev/null 2>&1 || continue
    "$name" -c 'import sys; raise SystemExit(sys.version_info < (3, 11))' 2>/dev/null && { echo "$name"; return; }
  done
  echo "Gulch needs Python 3.11 or newer, which is not on this machine. Install it (Debian: apt-get install python3 python3-venv) and run this again." >&2
  return 1
}
# environment LOCKFILE: create .venv when missing and install the locked packages when they changed.
environment() {
  local python stamp
  if [ ! -x .venv/bin/python ]; then
    python=$(find_python) || exit 1
    echo "Creating the virtual environment …"
    "$python" -m venv .venv 2>/dev/null || { rm -rf .venv; echo "Python's venv module is missing: install it (Debian: apt-get install python3-venv) and run this again." >&2; exit 1; }
  fi
  stamp=".venv/installed-$(basename "$1")-$(cat "$1" pyproject.toml | cksum | tr ' ' '-')"
  if [ ! -e "$stamp" ]; then
    echo "Installing packages …"
    .venv/bin/python -m pip install --quiet --disable-pip-version-check -r "$1" || { echo "The packages could not be installed: is the package index reachable?" >&2; exit 1; }
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps -e . || exit 1
    touch "$stamp"
  fi
}
# lint: linters, import contracts, types of the engine.
lint() {
  echo "Linting …"
  .venv/bin/ruff check .
  .venv/bin/ruff format --check --quiet . || { echo "Run .venv/bin/ruff format ." >&2; exit 1; }
  .venv/bin/lint-imports
  .venv/bin/mypy
}
