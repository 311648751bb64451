// SPDX-License-Identifier: Apache-2.0
#include "core/base/pages.h"

#include <catch2/catch.hpp>
#include <cstdint>
#include <numeric>
#include <set>
#include <thread>

using namespace drubble;

TEST_CASE("a large block that was given back is taken again; every block starts on a cache line") {
  for (const std::size_t bytes : {std::size_t{1}, std::size_t{100}, kLeastPages + kLeastPages / 5,
                                  3 * kLeastPages - 17, 5 * (kLeastPages << 4)}) {
    void* p = takePages(bytes);
    CHECK(reinterpret_cast<std::uintptr_t>(p) % 64 == 0);
    static_cast<char*>(p)[bytes - 1] = 1;
    givePages(p, bytes);
    if (bytes < kLeastPages) continue;
    void* again = takePages(bytes - bytes / 64);  // a little less fits into the same room
    CHECK(again == p);
    givePages(again, bytes - bytes / 64);
  }
}

TEST_CASE("blocks of any size hold what they were asked for and share nothing") {
  std::set<std::pair<std::uintptr_t, std::size_t>> taken;
  for (std::size_t bytes = kLeastPages; bytes < 40 * kLeastPages; bytes += bytes / 7 + 1)
    taken.insert({reinterpret_cast<std::uintptr_t>(takePages(bytes)), bytes});
  std::uintptr_t end = 0;
  for (const auto& [at, bytes] : taken) {
    CHECK(at >= end);
    end = at + bytes;
  }
  for (const auto& [at, bytes] : taken) givePages(reinterpret_cast<void*>(at), bytes);
}

TEST_CASE("a paged vector grows as a vector does; what is added unset is for the caller to write") {
  PagedVector<int> v(10);
  CHECK(std::accumulate(v.begin(), v.end(), 0) == 0);
  for (int i = 0; i < 100000; ++i) v.push_back(i);
  const std::size_t had = v.size();
  addUnset(v, 50000);
  REQUIRE(v.size() == had + 50000);
  CHECK(v[had - 1] == 99999);
  for (std::size_t i = had; i < v.size(); ++i) v[i] = 7;
  CHECK(std::accumulate(v.begin() + static_cast<std::ptrdiff_t>(had), v.end(), 0) == 350000);
}

TEST_CASE("a raw array is moved, made anew and emptied") {
  Raw<double> a;
  CHECK(a.size() == 0);
  a.make(100000);
  a[99999] = 3;
  Raw<double> b = std::move(a);
  CHECK(b.size() == 100000);
  CHECK(b[99999] == 3);
  b.make(5);
  CHECK(b.size() == 5);
  b.make(0);
  CHECK(b.size() == 0);
}

TEST_CASE("an array in parts is one array; its parts stand where a longer one was given back") {
  constexpr std::size_t kPart = Parted<double>::kPart, kCount = 20 * kPart + 3;
  void* const before = takePages(kCount * sizeof(double));
  void* const fence = takePages(kLeastPages);
  givePages(before, kCount * sizeof(double));
  Parted<double> a;
  a.make(kCount);
  REQUIRE(a.size() == kCount);
  for (std::size_t i = 0; i < kCount; ++i) a[i] = static_cast<double>(i);
  for (std::size_t i = 0; i < kCount; ++i) REQUIRE(a[i] == static_cast<double>(i));
  CHECK(a.endOfPart(0) == kPart);
  CHECK(a.endOfPart(kPart) == 2 * kPart);
  CHECK(a.endOfPart(kCount - 1) == kCount);
  a.make(0);
  CHECK(a.size() == 0);
  givePages(fence, kLeastPages);
}

TEST_CASE("what neighbours leave, a larger block can have") {
  void* const a = takePages(3 * kLeastPages);
  void* const b = takePages(2 * kLeastPages);
  void* const c = takePages(4 * kLeastPages);
  const std::set<void*> places{a, b, c};
  for (const auto& [p, n] : {std::pair(a, 3), std::pair(c, 4), std::pair(b, 2)})
    givePages(p, static_cast<std::size_t>(n) * kLeastPages);
  void* const all = takePages(9 * kLeastPages);
  CHECK(all == *places.begin());
  givePages(all, 9 * kLeastPages);
}

TEST_CASE("threads may take and give at the same time") {
  std::vector<std::thread> threads;
  for (int t = 0; t < 3; ++t)
    threads.emplace_back([t] {
      for (std::size_t n = 1; n < 200; ++n) {
        PagedVector<int> v(40000 + 100 * n, t);
        if (v.back() != t) std::abort();
      }
    });
  for (std::thread& t : threads) t.join();
}
