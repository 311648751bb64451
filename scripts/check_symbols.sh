#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# The core library calls nothing of the C library whose results differ from machine to machine, and nothing that opens
# files, prints, reads the clock or the environment. Usage: scripts/check_symbols.sh [build/release]
set -euo pipefail
cd "$(dirname "$0")/.."
library=${1:-build/release}/libdrubble_core.a
wanted=$(nm -C --undefined-only "$library" | sed -E 's/^ *U //' | sort -u)
maths='^(a?(sin|cos|tan)h?f?l?|sincosf?l?|atan2f?l?|expm?1?2?f?l?|log(1p|2|10|b)?f?l?|powf?l?|cbrtf?l?|hypotf?l?|fmaf?l?|fmodf?l?|tgammaf?l?|lgammaf?l?|erfc?f?l?)(@.*)?$'
outside='^(fopen|open|printf|puts|fwrite|getenv|time|clock_gettime|gettimeofday|std::chrono::.*now.*|std::cout|std::cerr|rand|srand|std::random_device.*)(@.*)?$'
if grep -E "$maths" <<<"$wanted"; then echo "the core library calls library maths: use core/base/trig.h"; exit 1; fi
if grep -E "$outside" <<<"$wanted"; then echo "the core library reaches outside itself"; exit 1; fi
grep -q drubble <<<"$wanted" || { echo "no symbols read: is $library there?"; exit 1; }
echo "symbols: nothing forbidden in $library"
