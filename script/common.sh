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
# debian PACKAGE…: install packages of the system, quietly. Fails where that is not possible.
debian() {
  command -v apt-get >/dev/null || return 1
  local root=
  [ "$(id -u)" = 0 ] || { command -v sudo >/dev/null && sudo -n true 2>/dev/null || return 1; root=sudo; }
  { $root apt-get update -qq && DEBIAN_FRONTEND=noninteractive $root apt-get install -y -qq "$@"; } >/dev/null 2>&1
}
# printing: the library that reports as PDF need. Everything else works without it.
printing() {
  .venv/bin/python -c 'import weasyprint' 2>/dev/null && return
  echo "Installing Pango for reports as PDF …"
  debian libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0 || echo "Pango could not be installed: reports come as HTML only. (Debian: apt-get install libpango-1.0-0 libpangoft2-1.0-0)" >&2
}
# front: what checks the browser's code, with the Node.js that the environment holds.
front() {
  local stamp
  stamp=.venv/front/installed-$(cat script/vendor.d/package-lock.json | cksum | tr ' ' '-')
  [ -e "$stamp" ] && return
  echo "Installing what checks the scripts of the page …"
  rm -rf .venv/front; mkdir -p .venv/front
  cp script/vendor.d/package.json script/vendor.d/package-lock.json script/vendor.d/.npmrc .venv/front/
  (PATH="$PWD/.venv/bin:$PATH"; cd .venv/front && npm ci --silent) || { echo "They could not be installed: is the npm registry reachable?" >&2; exit 1; }
  touch "$stamp"
}
# scripts: linter, formatter, types and unit tests of the browser's code.
scripts() {
  front
  echo "Checking the scripts of the page …"
  .venv/front/node_modules/.bin/biome ci --log-level=warn || { echo "Run .venv/front/node_modules/.bin/biome check --write" >&2; exit 1; }
  .venv/front/node_modules/.bin/tsc -p .
  .venv/bin/node --test --test-reporter=dot "tests/scripts/*.test.js"
}
# lint: linters, import contracts, types of the engine, and the scripts of the page.
lint() {
  echo "Linting …"
  .venv/bin/ruff check .
  .venv/bin/ruff format --check --quiet . || { echo "Run .venv/bin/ruff format ." >&2; exit 1; }
  .venv/bin/lint-imports
  .venv/bin/mypy
  scripts
}
