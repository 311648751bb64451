// SPDX-License-Identifier: Apache-2.0
#include "core/base/pages.h"

#include <sys/mman.h>

#include <array>
#include <bit>
#include <mutex>

#if defined(__SANITIZE_ADDRESS__)
#include <sanitizer/asan_interface.h>
#endif

namespace drubble {

namespace {

// What is kept is nobody's: where addresses are checked, using it is found as after giving it back to the
// system.
void forbid([[maybe_unused]] void* p, [[maybe_unused]] std::size_t bytes) {
#if defined(__SANITIZE_ADDRESS__)
  ASAN_POISON_MEMORY_REGION(p, bytes);
#endif
}

// From here on that many bytes may be used.
void allow([[maybe_unused]] void* p, [[maybe_unused]] std::size_t asked) {
#if defined(__SANITIZE_ADDRESS__)
  ASAN_UNPOISON_MEMORY_REGION(p, asked);
#endif
}

constexpr std::size_t kAlign = 64;
constexpr std::size_t kLargePage = std::size_t{1} << 21;

// Given back blocks, by their room: four sizes to a power of two.
struct Kept {
  std::mutex lock;
  std::array<std::vector<void*>, 256> of_size;
};

Kept& kept() {
  static Kept* k = new Kept;  // outlives whatever still gives back at the program's end
  return *k;
}

struct Room {
  std::size_t size_class, bytes;
};

Room roomFor(std::size_t bytes) {
  const auto bits = static_cast<std::size_t>(std::bit_width(bytes - 1));
  const std::size_t quarter = std::size_t{1} << (bits - 3),
                    quarters = (bytes + quarter - 1) / quarter;  // 5 to 8
  return {4 * bits + quarters - 5, quarters * quarter};
}

}  // namespace

void* takePages(std::size_t bytes) {
  if (bytes < kLeastPages) return ::operator new (bytes, std::align_val_t{kAlign});
  const Room room = roomFor(bytes);
  {
    const std::lock_guard guard(kept().lock);
    std::vector<void*>& list = kept().of_size[room.size_class];
    if (!list.empty()) {
      void* p = list.back();
      list.pop_back();
      allow(p, bytes);
      return p;
    }
  }
  const bool large = room.bytes >= kLargePage;
  void* p = ::operator new (room.bytes, std::align_val_t{large ? kLargePage : kAlign});
  if (large) madvise(p, room.bytes, MADV_HUGEPAGE);
  forbid(p, room.bytes);
  allow(p, bytes);
  return p;
}

void givePages(void* p, std::size_t bytes) {
  if (bytes < kLeastPages) return ::operator delete (p, std::align_val_t{kAlign});
  const Room room = roomFor(bytes);
  forbid(p, room.bytes);
  const std::lock_guard guard(kept().lock);
  kept().of_size[room.size_class].push_back(p);
}

}  // namespace drubble
