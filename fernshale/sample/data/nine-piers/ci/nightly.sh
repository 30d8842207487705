#!/bin/sh
# Nightly build of Nine Piers; the harbour office reads its report at six.
set -eu
MERELITH_RELEASE=2.6.1
ENGINE="/opt/merelith/$MERELITH_RELEASE"
BUILD="${TMPDIR:-/tmp}/nightly-$MERELITH_RELEASE"
python3 "$ENGINE/tools/generate.py" .
make --keep-going ENGINE="$ENGINE" BUILD="$BUILD"
"$BUILD/game" --out "$BUILD"
cp "$BUILD/day-report.txt" /srv/harbour/
