#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# A heap of 10 000 boxes falls with 1 to 4 threads and with SSE2 and AVX2 lanes: the same motion. Usage:
# scripts/check_heap.sh [pieces] [frames]
set -euo pipefail
cd "$(dirname "$0")/.."
pieces=${1:-10000} frames=${2:-30}
scripts/deps.sh --checks
cmake --preset release -DDRUBBLE_BENCH=ON >/dev/null
cmake --build --preset release --target step_bench
first=
for run in "1 avx2" "2 avx2" "3 avx2" "4 avx2" "1 sse2" "2 sse2" "3 sse2" "4 sse2"; do
  read -r threads lanes <<<"$run"
  motion=$(build/release/bench/step_bench heap "$pieces" "$threads" "$frames" "$lanes" | grep '^motion')
  echo "$threads threads, $lanes: $motion"
  [ -z "$first" ] && first=$motion
  [ "$motion" = "$first" ] || { echo "not the same motion"; exit 1; }
done
echo "heap: $frames frames of $pieces boxes are the same"
