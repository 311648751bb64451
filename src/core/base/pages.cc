// SPDX-License-Identifier: Apache-2.0
#include "core/base/pages.h"

#include <sys/mman.h>

#include <array>
#include <bit>
#include <mutex>

namespace drubble {

namespace {

constexpr std::size_t kAlign = 64;
constexpr std::size_t kLargePage = std::size_t{1} << 21;

// Given back blocks, by the power of two that they have room for.
struct Kept {
  std::mutex lock;
  std::array<std::vector<void*>, 64> of_size;
};

Kept& kept() {
  static Kept* k = new Kept;  // outlives whatever still gives back at the program's end
  return *k;
}

std::size_t sizeClass(std::size_t bytes) { return static_cast<std::size_t>(std::bit_width(bytes - 1)); }

}  // namespace

void* takePages(std::size_t bytes) {
  if (bytes < kLeastPages) return ::operator new (bytes, std::align_val_t{kAlign});
  const std::size_t size_class = sizeClass(bytes), room = std::size_t{1} << size_class;
  {
    const std::lock_guard guard(kept().lock);
    std::vector<void*>& list = kept().of_size[size_class];
    if (!list.empty()) {
      void* p = list.back();
      list.pop_back();
      return p;
    }
  }
  const bool large = room >= kLargePage;
  void* p = ::operator new (room, std::align_val_t{large ? kLargePage : kAlign});
  if (large) madvise(p, room, MADV_HUGEPAGE);
  return p;
}

void givePages(void* p, std::size_t bytes) {
  if (bytes < kLeastPages) return ::operator delete (p, std::align_val_t{kAlign});
  const std::lock_guard guard(kept().lock);
  kept().of_size[sizeClass(bytes)].push_back(p);
}

}  // namespace drubble
