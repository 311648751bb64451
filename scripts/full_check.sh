#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# The full set, run by hand before an issue is called done: every test in release and, as a debug build, with address
# and undefined-behaviour checks, the whole demo in release against debug, bit for bit, and what takes long. Usage:
# scripts/full_check.sh [STAGE…], for those that a stop or a mend has left: all stages need the same commit.
set -euo pipefail
cd "$(dirname "$0")/.."

# The quick_ tests are parts of those without it.
all_tests() { scripts/build.sh "$1" tests && ctest --test-dir "build/$1" --output-on-failure -j2 -E '^quick_'; }
stage_text() { scripts/check_layers.sh && scripts/check_symbols.sh && scripts/check_format.sh; }
stage_release() { all_tests release; }
stage_full() { build/release/tests/shots_tests "[full]" && build/release/tests/law_tests "[momentum]"; }
stage_fuzz() { build/release/tests/core_tests "[fuzz]" && build/release/tests/files_tests "[fuzz]"; }
stage_heap() { scripts/check_heap.sh; }
stage_resume() { scripts/check_resume.sh; }
stage_exports() { scripts/check_exports.sh; }
stage_bits() { scripts/build.sh debug && scripts/check_bits.sh build/release/drubble build/debug/drubble 144; }
stage_checked() { all_tests checked; }
stage_races() { scripts/check_races.sh; }

stages=("$@")
[ $# -gt 0 ] || stages=(release text full fuzz heap resume exports bits checked races)
for stage in "${stages[@]}"; do
  declare -F "stage_$stage" >/dev/null || { echo "no such stage: $stage" >&2; exit 2; }
done
for stage in "${stages[@]}"; do
  echo "== $stage, $(git rev-parse --short HEAD)"
  begun=$SECONDS
  # In a shell of its own with -e again: a list after && would go on after a failure.
  ( set -e; "stage_$stage" )
  echo "== $stage held, $((SECONDS - begun)) s"
done
