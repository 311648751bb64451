#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Installs what is missing and builds: scripts/build.sh [release|debug|checked] [tests [TARGET…]]; without targets all.
set -euo pipefail
cd "$(dirname "$0")/.."
preset=${1:-release}
tests=OFF
if [ "${2:-}" = tests ]; then
  tests=ON
  scripts/deps.sh --checks
else
  scripts/deps.sh
fi
together=()  # a folder that is there stays as it was set up
[ -e "build/$preset/CMakeCache.txt" ] || together=(-DDRUBBLE_TOGETHER=ON)
cmake --preset "$preset" -DDRUBBLE_TESTS=$tests ${together[@]:+"${together[@]}"} >/dev/null
targets=("${@:3}")
cmake --build --preset "$preset" ${targets[@]:+--target "${targets[@]}"}
