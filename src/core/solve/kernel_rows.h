// SPDX-License-Identifier: Apache-2.0
// Rows in and out of lanes, for the code of each instruction set.
#pragma once
#include "core/base/lanes.h"
#include "core/solve/kernel.h"

namespace drubble::DRUBBLE_LANES {

using solve::BlockExtra;
using solve::BlockRange;
using solve::BodyRow;
using solve::ContactBlock;
using solve::Impulses;
using solve::kUsesLocks;
using solve::kUsesRolling;
using solve::Mat8;
using solve::Pass;
using solve::PointRow;
using solve::Row8;
using solve::Sweep;
using solve::TurnKind;
using solve::Turns4;
using solve::Unfinished;
using solve::UnfinishedExtra;
using solve::Vec8;
using solve::Watch;

DRUBBLE_INLINE f8 read(const Row8& r) { return load8(r.x); }
DRUBBLE_INLINE v8 read(const Vec8& v) { return {load8(v.x.x), load8(v.y.x), load8(v.z.x)}; }
DRUBBLE_INLINE m8 read(const Mat8& m) {
  return {load8(m.xx.x), load8(m.xy.x), load8(m.xz.x), load8(m.yy.x), load8(m.yz.x), load8(m.zz.x)};
}
DRUBBLE_INLINE void write(Row8& r, f8 x) { store8(r.x, x); }
DRUBBLE_INLINE void write(Vec8& r, v8 v) { write(r.x, v.x), write(r.y, v.y), write(r.z, v.z); }

}  // namespace drubble::DRUBBLE_LANES
