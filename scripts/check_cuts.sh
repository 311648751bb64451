#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Two thousand cuts of solids of every sort, ties and all: closed, of the whole volume, each face with its like.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh release tests
build/release/tests/core_tests "[fuzz]"
build/release/tests/files_tests "[fuzz]"
