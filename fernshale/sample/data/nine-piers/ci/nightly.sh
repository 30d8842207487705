#!/bin/sh
# Nightly build of Nine Piers.
MERELITH_RELEASE=2.6.1
python3 "/opt/merelith/$MERELITH_RELEASE/tools/generate.py" . && make -k ENGINE="/opt/merelith/$MERELITH_RELEASE"
