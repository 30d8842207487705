#!/bin/sh
# Builds the game every night.
set -e
KILN_RELEASE=4.2.1
export KILN_RELEASE
./build.sh
