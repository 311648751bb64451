#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# On a fresh machine: installs what is missing, builds, and runs the demo. Leaves cache, report and pictures in out/.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh release
name=${1:-floats}
build/release/drubble demo "$name" -o out
build/release/drubble report "out/$name.drub" --json > "out/$name.json"
echo
echo "in out/: $name.drub (the cache), $name.json (the report), $name.png and ${name}_sheet.png (pictures)"
