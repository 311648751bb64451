#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Speed beside the yardstick, in one quarter of an hour: the yardstick (where it is there), our goals as ratios to it,
# and the pair tests. Usage: scripts/bench.sh [--quick] [--json FILE]. --quick leaves out 100 000 pieces.
set -euo pipefail
here=$PWD; cd "$(dirname "$0")/.."
quick=() json=()
while [ $# -gt 0 ]; do
  case "$1" in
    --quick) quick=(--quick); shift;;
    --json) [ $# -ge 2 ] || { echo "--json wants a file" >&2; exit 2; }
            case "$2" in /*) json=(--json "$2");; *) json=(--json "$here/$2");; esac; shift 2;;
    *) echo "usage: scripts/bench.sh [--quick] [--json FILE]" >&2; exit 2;;
  esac
done
scripts/deps.sh >/dev/null
cmake --preset release -DDRUBBLE_BENCH=ON >/dev/null
cmake --build --preset release --target goals_bench pairs_bench step_bench drubble
folder=$(mktemp -d); trap 'rm -rf "$folder"' EXIT
yardstick=${DRUBBLE_YARDSTICK:-../shared/limit/run.sh}
if [ -f "$yardstick" ]; then
  echo "the yardstick"
  sh "$yardstick" > "$folder/yardstick.txt"
  grep -E '8-wide lean  .*4-pt|lean warm' "$folder/yardstick.txt"
else
  echo "no yardstick at $yardstick: figures without ratios"; : > "$folder/yardstick.txt"
fi
build/release/drubble run demo/floats.toml --stats --json -o "$folder/floats.drub" 2>/dev/null > "$folder/run.json"
echo "goals"
build/release/bench/goals_bench --yardstick "$folder/yardstick.txt" --run "$folder/run.json" "${quick[@]}" "${json[@]}"
echo "pair tests"
build/release/bench/pairs_bench --benchmark_min_time=0.2
