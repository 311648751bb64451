#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Installs the Debian packages that building, testing and running Drubble need. Does nothing where all are there.
set -euo pipefail
packages=(
  g++ cmake ninja-build pkg-config git
  libboost-program-options-dev libeigen3-dev libfmt-dev nlohmann-json3-dev libtomlplusplus-dev
  libsqlite3-dev libzstd-dev libxxhash-dev libtinyobjloader-dev libassimp-dev
  libembree-dev libpng-dev libcairo2-dev fonts-dejavu-core gnuplot-nox
  catch2
)
[ "${1:-}" = --checks ] && packages+=(clang-format sqlite3 python3 python3-zstandard libbenchmark-dev)
missing=()
for p in "${packages[@]}"; do
  dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing+=("$p")
done
[ ${#missing[@]} -eq 0 ] && exit 0
echo "installing: ${missing[*]}" >&2
as_root=()
[ "$(id -u)" -eq 0 ] || as_root=(sudo)
"${as_root[@]}" apt-get update -qq
DEBIAN_FRONTEND=noninteractive "${as_root[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
