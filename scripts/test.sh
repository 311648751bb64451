#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# On a fresh machine: does what demo.sh does, then builds and runs all tests.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/demo.sh
scripts/build.sh release tests
ctest --test-dir build/release --output-on-failure -j2
