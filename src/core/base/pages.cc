// SPDX-License-Identifier: Apache-2.0
#include "core/base/pages.h"

#include <sys/mman.h>

#include <algorithm>
#include <cstdint>
#include <iterator>
#include <map>
#include <mutex>
#include <new>

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
constexpr std::size_t kGrain = std::size_t{1} << 16;  // every room is a multiple of it
constexpr std::size_t kLargePage = std::size_t{1} << 21;

std::size_t roomFor(std::size_t bytes, std::size_t grain) { return (bytes + grain - 1) / grain * grain; }

// What is free, by address. Neighbours are one: so what several small arrays leave, a large one can have.
class Store {
 public:
  void* take(std::size_t room) {
    auto at = free_.begin();
    while (at != free_.end() && at->second < room) ++at;
    if (at == free_.end()) at = grow(room);
    char* const p = at->first;
    const std::size_t rest = at->second - room;
    free_.erase(at);
    if (rest > 0) free_.emplace(p + room, rest);
    return p;
  }

  void give(char* p, std::size_t room) {
    const auto next = free_.lower_bound(p);
    if (next != free_.end() && p + room == next->first) {
      room += next->second;
      free_.erase(next);
    }
    const auto after = free_.lower_bound(p);
    if (after != free_.begin()) {
      const auto before = std::prev(after);
      if (before->first + before->second == p) {
        before->second += room;
        return;
      }
    }
    free_.emplace(p, room);
  }

 private:
  using Free = std::map<char*, std::size_t>;

  // Makes usable what is wanting behind the last free piece.
  Free::iterator grow(std::size_t room) {
    const auto behind = [&] {
      return free_.empty() || free_.rbegin()->first + free_.rbegin()->second != usable_
                 ? 0
                 : free_.rbegin()->second;
    };
    std::size_t more = roomFor(room - behind(), kLargePage);
    if (static_cast<std::size_t>(end_ - usable_) < more) {
      reserve(roomFor(room, kLargePage));
      more = roomFor(room, kLargePage);
    }
    if (mprotect(usable_, more, PROT_READ | PROT_WRITE) != 0) throw std::bad_alloc();
    madvise(usable_, more, MADV_HUGEPAGE);
    forbid(usable_, more);
    char* const p = usable_;
    usable_ += more;
    give(p, more);
    return std::prev(free_.upper_bound(p));
  }

  // Addresses for that many bytes and for all that may follow; memory only comes with use.
  void reserve(std::size_t bytes) {
    for (std::size_t all = std::max(bytes, kAddresses);; all = std::max(bytes, all / 2)) {
      void* const p =
          mmap(nullptr, all + kLargePage, PROT_NONE, MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
      if (p == MAP_FAILED && all == bytes) throw std::bad_alloc();
      if (p == MAP_FAILED) continue;
      const auto at = reinterpret_cast<std::uintptr_t>(p);
      usable_ = static_cast<char*>(p) + (roomFor(at, kLargePage) - at);
      end_ = usable_ + all;
      return;
    }
  }

  static constexpr std::size_t kAddresses = std::size_t{1} << 38;
  Free free_;
  char *usable_ = nullptr, *end_ = nullptr;  // of the addresses: where the unused begin, and end
};

struct Kept {
  std::mutex lock;
  Store store;
};

Kept& kept() {
  static Kept* k = new Kept;  // outlives whatever still gives back at the program's end
  return *k;
}

}  // namespace

void* takePages(std::size_t bytes) {
  if (bytes < kLeastPages) return ::operator new (bytes, std::align_val_t{kAlign});
  const std::lock_guard guard(kept().lock);
  void* p = kept().store.take(roomFor(bytes, kGrain));
  allow(p, bytes);
  return p;
}

void givePages(void* p, std::size_t bytes) {
  if (bytes < kLeastPages) return ::operator delete (p, std::align_val_t{kAlign});
  const std::size_t room = roomFor(bytes, kGrain);
  forbid(p, room);
  const std::lock_guard guard(kept().lock);
  kept().store.give(static_cast<char*>(p), room);
}

}  // namespace drubble
