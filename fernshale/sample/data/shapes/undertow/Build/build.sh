#!/bin/sh
# Compiles everything: build.sh ENGINE OUT
set -e
HULLMARK_DIR=/opt/hullmark_5_0
for file in Source/*.cpp Mods/*/Source/*.cpp; do
    g++ -std=c++17 -I"${1:-$HULLMARK_DIR}/include" -c "$file" -o "$2/$(basename "$file").o"
done
