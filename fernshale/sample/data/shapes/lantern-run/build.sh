#!/bin/sh
# Compiles the game and its add-ons: build.sh ENGINE OUT
set -e
mkdir -p "$2/classes"
find src addons generated -name '*.java' > "$2/sources.txt"
exec javac -Xmaxerrs 1000 -Xlint:none -d "$2/classes" -cp "$1/lib" -sourcepath "$1/src" @"$2/sources.txt"
