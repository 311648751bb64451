#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Looks for data races: what the core shares among threads, with the thread sanitizer.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/deps.sh --checks
cmake --preset races -DDRUBBLE_TESTS=ON >/dev/null
cmake --build --preset races --target core_tests
# Its own memory layout is not randomised: the sanitizer of g++ 12 cannot run otherwise on some kernels.
setarch -R build/races/tests/core_tests "[threads],a team does*,threads may*,pebbles beside*"
