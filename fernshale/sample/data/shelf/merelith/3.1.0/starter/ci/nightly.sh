#!/bin/sh
# Nightly build of a game.
set -eu
MERELITH_RELEASE=3.1.0
ENGINE="/opt/merelith/$MERELITH_RELEASE"
BUILD="${TMPDIR:-/tmp}/nightly-$MERELITH_RELEASE"
python3 "$ENGINE/tools/generate.py" .
make --keep-going --jobs="$(nproc)" ENGINE="$ENGINE" BUILD="$BUILD"
"$BUILD/game" --out "$BUILD"
