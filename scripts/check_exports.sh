#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Every demo, handed on as glTF and USD, passes the public checkers (see shared/dependencies.md) and our own. Needs
# node and npm, and a network the first time; says so where they are missing. Usage:
# scripts/check_exports.sh [build/release/drubble] [last frame, or all]
set -euo pipefail
cd "$(dirname "$0")/.."
program=${1:-build/release/drubble} last=${2:-24} still=${2:-24} modules=build/npm/node_modules
frames=(--frames "1-$last")
[ "$last" = all ] && frames=() still=24
if ! command -v npm >/dev/null; then echo "exports: no npm here: not checked"; exit 0; fi
if [ ! -d $modules/gltf-validator ]; then
  mkdir -p build/npm
  npm install --silent --no-audit --no-fund --prefix build/npm gltf-validator@2.0.0-dev.3.10 \
    @kroxilon/usda-parser@0.0.4 tinyusdz@0.9.0-rc10 >/dev/null || { echo "exports: no checkers to be had: not checked"; exit 0; }
fi
folder=$(mktemp -d); trap 'rm -rf "$folder"' EXIT
# What quayside starts from.
[ -f out/floats_settled.drub ] || "$program" settle demo/floats.toml >/dev/null 2>&1
for setup in demo/*.toml; do
  name=$(basename "$setup" .toml)
  "$program" run "$setup" "${frames[@]}" -o "$folder/$name.drub" >/dev/null 2>&1 || { echo "exports: $name does not run"; exit 1; }
  for how in "$name.usda" "$name.nodes.usda --as nodes --bonds --step 4" "$name.glb" "$name.still.glb --as instances --frame $still" \
             "$name.events.usda --events all"; do
    # shellcheck disable=SC2086
    "$program" export "$folder/$name.drub" -o "$folder/"$how >/dev/null 2>&1
  done
  node scripts/check_exports.mjs $modules "$folder/$name".*usda "$folder/$name".*glb
  rm -f "$folder/$name".*
done
echo "exports: all demos' glTF and USD are as they should be"
