#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# clang-format over all C++; with --fix it rewrites.
set -euo pipefail
cd "$(dirname "$0")/.."
files=$(git ls-files --cached --others --exclude-standard 'src/*.h' 'src/*.cc' 'tests/*.h' 'tests/*.cc' 'bench/*.cc')
if [ "${1:-}" = --fix ]; then
  xargs clang-format -i <<<"$files"
else
  xargs clang-format --dry-run -Werror <<<"$files"
  echo "format: as .clang-format says"
fi
missing=$(grep -L 'SPDX-License-Identifier' $files || true)
[ -z "$missing" ] || { echo "no SPDX line in: $missing"; exit 1; }
