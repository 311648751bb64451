#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# The full set, run by hand before an issue is called done: every test in release, debug and with address and
# undefined-behaviour checks, and the whole demo in release against debug, bit for bit.
set -euo pipefail
cd "$(dirname "$0")/.."
for preset in release debug checked; do
  scripts/build.sh $preset tests
  ctest --test-dir build/$preset --output-on-failure
done
build/release/tests/shots_tests "[full]"
scripts/check_bits.sh build/release/drubble build/debug/drubble 144
build/release/tests/core_tests "[fuzz]"
build/release/tests/files_tests "[fuzz]"
scripts/check_heap.sh
scripts/check_resume.sh
scripts/check_races.sh
scripts/check_layers.sh
scripts/check_symbols.sh
scripts/check_format.sh
