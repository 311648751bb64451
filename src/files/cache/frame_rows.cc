// SPDX-License-Identifier: Apache-2.0
#include "files/cache/frame_rows.h"

#include "files/cache/format.h"

namespace drubble::files {

FrameRows::Packed FrameRows::pack(int frame, std::vector<PieceState>&& states) {
  const bool whole = key_.empty() || since_key_ + 1 >= kKeyFrameEvery;
  Packed out;
  if (whole) {
    out = {frame, u32(states.size()), packFrame({}, states)};
    key_ = std::move(states);
    key_frame_ = frame;
    since_key_ = 0;
    return out;
  }
  std::vector<std::uint32_t> index;
  std::vector<PieceState> changed;
  for (std::size_t i = 0; i < states.size(); ++i) {
    if (states[i] == key_[i]) continue;
    index.push_back(u32(i));
    changed.push_back(states[i]);
  }
  ++since_key_;
  return {key_frame_, u32(index.size()), packFrame(index, changed)};
}

void FrameRows::write(Database& db, const CachedFrame& f, const Packed& packed) {
  Statement row(db, "INSERT INTO frames VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
  row.bind(f.frame).bind(packed.key_frame).bind(packed.count);
  row.bind(std::span<const std::byte>(packed.blob.data)).bind(packed.blob.hash).bind(f.digest);
  row.bind(f.substeps).bind(f.iterations).bind(f.awake).bind(f.asleep).bind(f.contacts);
  row.bind(f.kinetic).bind(f.potential).bind(f.work).bind(f.asks).bind(f.asking).bind(f.simulated);
  row.bind(f.depth_worst).bind(f.depth_p99).bind(f.share_worst).bind(f.share_p99);
  row.bind(f.deepest_a).bind(f.deepest_b).once();
  Statement(db, "INSERT INTO timings VALUES (?, ?, ?, ?)")
      .bind(f.frame)
      .bind(f.solve_seconds)
      .bind(f.measure_seconds)
      .bind(f.store_seconds)
      .once();
}

}  // namespace drubble::files
