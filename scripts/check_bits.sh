#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Two builds of the program give the same motion and byte-identical frame blocks. Usage:
# scripts/check_bits.sh [build/release/drubble] [build/debug/drubble] [last frame]
set -euo pipefail
cd "$(dirname "$0")/.."
one=${1:-build/release/drubble} two=${2:-build/debug/drubble} last=${3:-24}
folder=$(mktemp -d); trap 'rm -rf "$folder"' EXIT
for n in one two; do
  "${!n}" run demo/floats.toml --frames "1-$last" -o "$folder/$n.drub" 2>/dev/null
  sqlite3 "$folder/$n.drub" "SELECT frame, digest, hash, hex(data) FROM frames ORDER BY frame" > "$folder/$n.txt"
done
cmp "$folder/one.txt" "$folder/two.txt"
echo "bits: $last frames of $one and $two are the same"
