// SPDX-License-Identifier: Apache-2.0
// Contacts that are put away come back, each once, whoever asks.
#include "core/world/resting.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <limits>

#include "../../../tests/support/stage.h"
#include "core/act/path.h"
#include "core/base/random.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

using Key = std::array<std::uint32_t, 3>;  // lower, upper, which of the pair's

Key keyOf(const solve::Contact& c) { return {c.a.value, c.b.value, c.patch.sub}; }

solve::Contact contact(std::uint32_t a, std::uint32_t b, std::uint32_t sub) {
  solve::Contact c;
  c.a = PieceId{a};
  c.b = PieceId{b};
  c.patch.sub = sub;
  return c;
}

}  // namespace

TEST_CASE("contacts put away and taken out at random are those of a plain list") {
  constexpr std::uint32_t kPieces = 30;
  world::RestingContacts store(kPieces);
  std::vector<Key> plain;
  RandomStream r(21, "store");
  const auto any = [&] { return static_cast<std::uint32_t>(r.between(0, kPieces)); };
  for (int round = 0; round < 400; ++round) {
    const std::uint32_t a = any(), b = any();
    const auto has = [&](const Key& k) { return k[0] == std::min(a, b) && k[1] == std::max(a, b); };
    if (a != b && std::none_of(plain.begin(), plain.end(), has)) {
      for (std::uint32_t sub = 0; sub < 1 + round % 3u; ++sub) {
        store.put(contact(std::min(a, b), std::max(a, b), sub));
        plain.push_back({std::min(a, b), std::max(a, b), sub});
      }
    }
    if (round % 4 != 0) continue;
    const std::uint32_t piece = any();
    solve::Contacts taken;
    store.take(piece, taken);
    std::vector<Key> got, expected;
    for (const solve::Contact& c : taken) got.push_back(keyOf(c));
    std::sort(got.begin(), got.end());
    std::erase_if(plain, [&](const Key& k) {
      const bool of_piece = k[0] == piece || k[1] == piece;
      if (of_piece) expected.push_back(k);
      return of_piece;
    });
    std::sort(expected.begin(), expected.end());
    REQUIRE(got == expected);
    REQUIRE(store.size() == plain.size());
  }
  // What is left comes by pair, a pair's in their order, and everyone knows their neighbours.
  std::vector<Key> left;
  for (std::uint32_t i = 0; i < kPieces; ++i)
    for (const solve::Contact& c : store.of(i)) left.push_back(keyOf(c));
  std::sort(plain.begin(), plain.end());
  CHECK(left == plain);
  CHECK(plain.size() > 10);
  for (std::uint32_t i = 0; i < kPieces; ++i) {
    std::size_t seen = 0;
    store.eachNeighbour(i, [&](std::uint32_t j) {
      ++seen;
      CHECK(std::any_of(plain.begin(), plain.end(),
                        [&](const Key& k) { return k[0] == std::min(i, j) && k[1] == std::max(i, j); }));
    });
    CHECK(seen == static_cast<std::size_t>(std::count_if(
                      plain.begin(), plain.end(), [&](const Key& k) { return k[0] == i || k[1] == i; })));
  }
  store.clear();
  CHECK(store.size() == 0);
}

TEST_CASE("a sleeping stack's contacts are put away, and all are there for whoever asks") {
  Stage s;
  s.ground();
  for (int i = 0; i < 5; ++i) s.box(Vec3::Constant(0.2), vec3(0, 0.1 + 0.2 * i, 0));
  s.frames(48);
  REQUIRE(s.world().stats().awake == 0);
  s.frames(1);
  CHECK(s.world().contacts().empty());
  CHECK(s.world().restingContacts().size() == 5);
  CHECK(s.world().stats().contacts == 5);
  std::vector<std::uint32_t> lower;
  s.world().eachContact([&](const solve::Contact& c) {
    lower.push_back(c.a.value);
    CHECK(c.totalForce() > 0);
  });
  CHECK(lower == std::vector<std::uint32_t>{0, 1, 2, 3, 4});
  CHECK(s.world().allAtRest());
}

TEST_CASE("a path tells when it is done changing") {
  act::Path p;
  CHECK(act::lastChange(p) == 0);
  p.at.keys = {{5, Vec3::Zero()}};
  CHECK(act::lastChange(p) == 0);  // one key moves nothing
  p.at.keys = {{5, Vec3::Zero()}, {20, Vec3::UnitX()}};
  p.turn.keys = {{5, Vec3::Zero()}, {31, Vec3::UnitX()}};
  CHECK(act::lastChange(p) == 31);
  p.wobble.turn = Vec3::UnitY();
  CHECK(act::lastChange(p) == std::numeric_limits<double>::infinity());
}
