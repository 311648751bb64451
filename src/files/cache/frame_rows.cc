// SPDX-License-Identifier: Apache-2.0
#include "files/cache/frame_rows.h"

#include "files/cache/format.h"

namespace drubble::files {

void FrameRows::add(Database& db, const CachedFrame& f, std::vector<PieceState>&& states) {
  const bool whole = key_.empty() || since_key_ + 1 >= kKeyFrameEvery;
  std::vector<std::uint32_t> index;
  std::vector<PieceState> changed;
  if (whole) {
    key_frame_ = f.frame;
    since_key_ = 0;
  } else {
    for (std::size_t i = 0; i < states.size(); ++i) {
      if (states[i] == key_[i]) continue;
      index.push_back(u32(i));
      changed.push_back(states[i]);
    }
    ++since_key_;
  }
  const Blob blob = packFrame(index, whole ? states : changed);
  Statement row(db, "INSERT INTO frames VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
  row.bind(f.frame).bind(key_frame_).bind(u32(whole ? states.size() : index.size()));
  row.bind(std::span<const std::byte>(blob.data)).bind(blob.hash).bind(f.digest);
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
  if (whole) key_ = std::move(states);
}

}  // namespace drubble::files
