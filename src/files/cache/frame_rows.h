// SPDX-License-Identifier: Apache-2.0
// Frames going into a cache: whole ones every so often, between them what differs.
#pragma once
#include <vector>

#include "files/cache/past.h"
#include "files/cache/reader.h"

namespace drubble::files {

class FrameRows {
 public:
  FrameRows() = default;
  explicit FrameRows(const CachePast& past)
      : key_(past.key), key_frame_(past.key_frame), since_key_(past.since_key) {}

  // Within a transaction; frames ascend. Times that it took come with it.
  void add(Database& db, const CachedFrame& about, std::vector<PieceState>&& states);

 private:
  std::vector<PieceState> key_;  // the last key frame
  int key_frame_ = 0;
  int since_key_ = 0;
};

}  // namespace drubble::files
