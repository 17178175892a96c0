#!/usr/bin/env bash
# One line instead of a Qt abort when there is nowhere to draw.
if [ -z "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ] && [ "${QT_QPA_PLATFORM:-}" != offscreen ]; then
    echo "No display here. With a virtual one: apt-get install xvfb, then: xvfb-run -s '-screen 0 1280x800x24' make demo" >&2
    exit 1
fi
