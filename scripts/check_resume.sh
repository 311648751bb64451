#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Runs that are killed again and again, or whose disk fills up, and go on with --resume end with the frames of a
# run that nobody disturbed, byte for byte. Usage: scripts/check_resume.sh [build/release/drubble] [kills] [full disks]
# Full disks are small file systems in memory: without the right to make them that half is left out, and said so.
set -euo pipefail
cd "$(dirname "$0")/.."
program=${1:-build/release/drubble} kills=${2:-50} full=${3:-10} setup=demo/jetty.toml
folder=$(mktemp -d) disk=""
trap 'if [ -n "$disk" ]; then umount "$disk"; fi; rm -rf "$folder"' EXIT
frames() {  # what the frames hold, or how much of it there is
  sqlite3 "$1" "SELECT frame, digest, key_frame, hash, hex(data) FROM frames ORDER BY frame;
    SELECT * FROM events ORDER BY rowid; SELECT * FROM bond_breaks ORDER BY rowid; SELECT * FROM joint_loads;"
}
resume() { "$program" run $setup --frames 1-60 --checkpoint 3 --resume -o "$1" >"$folder/out.txt" 2>&1; }
readable() {  # every frame that was committed, if there is any
  if [ "$(sqlite3 "$1" 'SELECT COUNT(*) FROM frames' 2>/dev/null || echo 0)" -gt 0 ]; then
    "$program" cache "$1" >"$folder/check.txt" || { cat "$folder/check.txt"; echo "resume: damaged"; exit 1; }
  fi
}
"$program" run $setup --frames 1-60 -o "$folder/whole.drub" 2>/dev/null >&2
frames "$folder/whole.drub" >"$folder/whole.txt"
killed=0 runs=0 RANDOM=7
while [ $killed -lt "$kills" ]; do
  rm -f "$folder"/cut.drub*
  while :; do
    "$program" run $setup --frames 1-60 --checkpoint 3 --resume -o "$folder/cut.drub" >"$folder/out.txt" 2>&1 & pid=$!
    sleep "$((RANDOM % 4)).$((RANDOM % 8 + 1))$((RANDOM % 10))"
    if kill -9 $pid 2>/dev/null && [ $killed -lt "$kills" ]; then killed=$((killed + 1)); fi
    if wait $pid 2>/dev/null; then break; fi
    if grep -q error "$folder/out.txt"; then cat "$folder/out.txt"; exit 1; fi
    readable "$folder/cut.drub"
    if [ $killed -ge "$kills" ]; then resume "$folder/cut.drub"; break; fi
  done
  runs=$((runs + 1))
  frames "$folder/cut.drub" | cmp - "$folder/whole.txt"
done
echo "resume: $killed kills in $runs runs: every frame as if never stopped"
mkdir "$folder/disk"
if ! mount -t tmpfs -o size=1m tmpfs "$folder/disk" 2>/dev/null; then
  echo "resume: no right to make a small disk: full ones not tried"
  exit 0
fi
disk=$folder/disk filled=0
while [ $filled -lt "$full" ]; do
  rm -rf "$disk"/*; size=300
  while :; do
    mount -o remount,size=${size}k "$disk"
    if resume "$disk/cut.drub"; then break; fi
    grep -q "disk is full" "$folder/out.txt" || { cat "$folder/out.txt"; exit 1; }
    filled=$((filled + 1)) size=$((size + 1000 + RANDOM % 3000))
    readable "$disk/cut.drub"
  done
  frames "$disk/cut.drub" | cmp - "$folder/whole.txt"
done
echo "resume: $filled times a full disk: every frame as if never stopped"
