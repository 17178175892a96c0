#!/usr/bin/env bash
# Makes .venv and fills it from a lock file: "app" to run Fair Margin, "dev" to test it as well.
# A second call with unchanged lock files returns at once.
set -euo pipefail
cd "$(dirname "$0")/.."
want=${1:-app}

find_python() {
    for candidate in python3.11 python3.12 python3.13 python3; do
        if command -v "$candidate" >/dev/null 2>&1 &&
            "$candidate" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info[:2] < (3, 14))' 2>/dev/null; then
            command -v "$candidate"
            return
        fi
    done
    echo "Fair Margin needs Python 3.11, 3.12 or 3.13, of which none was found. On Debian: apt-get install python3.11 python3.11-venv" >&2
    exit 1
}

mark() { cat requirements/app.lock requirements/"$1".lock pyproject.toml | sha256sum | cut -d' ' -f1; }
stamped() { [ -x .venv/bin/fairmargin ] && [ "$(cat .venv/"$1".stamp 2>/dev/null)" = "$(mark "$1")" ]; }

if ! stamped "$want" && ! { [ "$want" = app ] && stamped dev; }; then
    if [ ! -x .venv/bin/python ]; then
        python=$(find_python)
        echo "Step 1 of 3: an environment of its own, in .venv"
        "$python" -m venv .venv || {
            echo "The venv module is missing. On Debian: apt-get install python3.11-venv" >&2
            rm -rf .venv
            exit 1
        }
    fi
    count=$(grep -c '^[A-Za-z].*==' requirements/"$want".lock)
    echo "Step 2 of 3: $count pinned packages (requirements/$want.lock), about a minute and a half; the toolkit is the largest"
    # Each package with its bar: nobody waits before a silent screen.
    .venv/bin/python -m pip install --no-deps --progress-bar on -r requirements/"$want".lock |
        { grep --line-buffered -v -e '^Requirement already' -e '^Installing collected' -e '^Successfully' || true; }
    echo "Step 3 of 3: Fair Margin itself"
    # hatchling builds the editable install; it is pinned in both lock files.
    .venv/bin/python -m pip install --quiet --no-deps --no-build-isolation -e .
    mark "$want" >.venv/"$want".stamp
fi

.venv/bin/python scripts/qt_libraries.py
