#!/bin/sh
# Runs a command with a screen: the one that is there, or a virtual one of 1280x800.
set -eu
if [ -n "${DISPLAY:-}" ] || [ "${QT_QPA_PLATFORM:-}" = offscreen ]; then exec "$@"; fi
exec xvfb-run -a -s "-screen 0 2560x1600x24" "$@"
