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

  // Of the next frame; frames ascend.
  struct Packed {
    int key_frame = 0;
    std::uint32_t count = 0;
    Blob blob;
  };
  Packed pack(int frame, std::vector<PieceState>&& states);
  // Within a transaction. Times that it took come with it.
  static void write(Database& db, const CachedFrame& about, const Packed& packed);

 private:
  std::vector<PieceState> key_;  // the last key frame
  int key_frame_ = 0;
  int since_key_ = 0;
};

}  // namespace drubble::files
