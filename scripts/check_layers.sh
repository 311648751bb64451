#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# An include goes down the list of layers or stays inside its folder, never up. Core includes only itself, Eigen and the
# standard library.
set -euo pipefail
cd "$(dirname "$0")/.."
layers=(core/base core/mesh core/cut core/shape core/collide core/solve core/bond core/place core/act core/world core/measure
        files draw cli)
rank() { local i; for i in "${!layers[@]}"; do case "$1" in "${layers[$i]}"/*) echo "$i"; return;; esac; done; echo 99; }
bad=0
while IFS=: read -r file _ line; do
  case "$file" in *_test.cc) continue;; esac
  target=$(sed -E 's/.*#include "([^"]*)".*/\1/' <<<"$line")
  from=$(rank "${file#src/}"); to=$(rank "$target")
  [ "$file" = src/main.cc ] && continue
  if [ "$to" -gt "$from" ]; then echo "$file includes $target, which stands above it"; bad=1; fi
done < <(grep -rn '#include "' src --include='*.h' --include='*.cc')
if grep -rnE '#include <(fstream|iostream|cstdio|filesystem|chrono|cstdlib|fmt/|toml|sqlite|nlohmann)' src/core --include='*.h' --include='*.cc' | grep -v _test.cc; then
  echo "core knows no files, terminal, clock or environment"; bad=1
fi
[ $bad = 0 ] && echo "layers: in order"
exit $bad
