// SPDX-License-Identifier: Apache-2.0
#include "core/world/clusters.h"

#include <algorithm>
#include <catch2/catch.hpp>

#include "../../../tests/support/bonds.h"
#include "core/base/random.h"
#include "core/base/sets.h"
#include "core/world/bond_shares.h"

namespace drubble::world {

namespace {

// A block of cubes on a static slab, all bonded.
struct Block {
  test::Stage s;
  std::vector<char> own, broken;

  Block() {
    for (int k = 0; k < 4 * 4 * 3; ++k)
      s.box(Vec3(0.2, 0.2, 0.2), 0.2 * Vec3(k % 4, k / 16 + 0.5, k / 4 % 4), Vec3::Zero(), 2000);
    s.box(Vec3(4, 0.2, 4), Vec3(0, -0.1, 0), Vec3::Zero(), 2000);
    s.scene.pieces.back().role = Role::Static;
    test::bondAll(s);
    own.assign(s.scene.pieces.size(), 1);
    own.back() = 0;
    broken.assign(s.scene.bonds.size(), 0);
  }
};

void checkSame(const Cluster& a, const Cluster& b) {
  REQUIRE(a.pieces == b.pieces);
  REQUIRE(a.anchors == b.anchors);
  REQUIRE(a.bonds == b.bonds);
  CHECK(a.ends == b.ends);
  CHECK(a.first_bond == b.first_bond);
  CHECK(a.bonds_of == b.bonds_of);
  CHECK(a.centre == b.centre);
  CHECK(a.traits.inverse_mass == b.traits.inverse_mass);
  CHECK(a.traits.inverse_inertia == b.traits.inverse_inertia);
  CHECK(a.traits.size == b.traits.size);
  for (std::size_t n = 0; n < a.at.size(); ++n) CHECK(a.at[n].position == b.at[n].position);
}

// Which pieces hang together, bond by bond.
void checkBruteForce(const Block& block, const std::vector<Cluster>& clusters) {
  const Scene& scene = block.s.scene;
  Sets sets(scene.pieces.size());
  std::vector<char> held(scene.pieces.size(), 0), anchored(held);
  for (std::size_t k = 0; k < scene.bonds.size(); ++k) {
    if (block.broken[k] != 0) continue;
    const std::size_t a = scene.bonds[k].a.index(), b = scene.bonds[k].b.index();
    held[a] = held[b] = 1;
    if (block.own[a] != 0 && block.own[b] != 0) sets.join(u32(a), u32(b));
    if (block.own[a] == 0) anchored[b] = 1;
    if (block.own[b] == 0) anchored[a] = 1;
  }
  std::size_t found = 0;
  for (const Cluster& c : clusters) {
    bool hooked = false;
    for (const std::uint32_t i : c.pieces) {
      CHECK(sets.find(i) == c.pieces[0]);
      hooked = hooked || anchored[i] != 0;
    }
    CHECK(c.anchored() == hooked);
    found += c.pieces.size();
  }
  std::size_t expected = 0;
  for (std::size_t i = 0; i < held.size(); ++i) expected += held[i] != 0 && block.own[i] != 0;
  CHECK(found == expected);
}

}  // namespace

TEST_CASE("the parts of a cluster are those that all pieces make, to the last bit", "[bond]") {
  for (std::uint64_t seed = 1; seed <= 8; ++seed) {
    Block block;
    const Scene& scene = block.s.scene;
    std::vector<Cluster> parts = clustersOf(scene, block.broken, block.own);
    REQUIRE(parts.size() == 1);
    REQUIRE(parts[0].anchored());
    RandomStream random(seed, "parts");
    for (int round = 0; round < 5; ++round) {
      for (char& b : block.broken) b = b != 0 || random.unit() < 0.25;
      std::vector<Cluster> next;
      for (const Cluster& c : parts)
        for (Cluster& part : partsOf(scene, c, block.broken)) next.push_back(std::move(part));
      std::sort(next.begin(), next.end(),
                [](const Cluster& a, const Cluster& b) { return a.pieces[0] < b.pieces[0]; });
      const std::vector<Cluster> all = clustersOf(scene, block.broken, block.own);
      REQUIRE(next.size() == all.size());
      for (std::size_t k = 0; k < all.size(); ++k) checkSame(next[k], all[k]);
      checkBruteForce(block, all);
      parts = std::move(next);
    }
  }
}

TEST_CASE("a cluster hangs together where all its pieces do, and on something (brute force)", "[bond]") {
  int held = 0, apart = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    Block block;
    const Cluster c = clustersOf(block.s.scene, block.broken, block.own)[0];
    RandomStream random(seed, "hangs");
    const double share = 0.02 * static_cast<double>(seed % 20);
    std::vector<std::uint32_t> gone;
    for (std::uint32_t n = 0; n < c.bonds.size(); ++n) {
      const bool foot = c.ends[n][0] >= c.pieces.size() || c.ends[n][1] >= c.pieces.size();
      if (random.unit() > share && !(foot && seed % 3 == 0)) continue;
      block.broken[c.bonds[n]] = 1;
      gone.push_back(n);
    }
    Sets sets(c.pieces.size());
    bool hooked = false;
    for (std::uint32_t n = 0; n < c.bonds.size(); ++n) {
      if (block.broken[c.bonds[n]] != 0) continue;
      const auto [a, b] = c.ends[n];
      if (a < c.pieces.size() && b < c.pieces.size())
        sets.join(a, b);
      else
        hooked = true;
    }
    bool whole = hooked;
    for (std::uint32_t k = 0; k < c.pieces.size(); ++k) whole = whole && sets.find(k) == 0;
    CAPTURE(seed, gone.size());
    CHECK(hangsTogether(c, block.broken, gone) == whole);
    ++(whole ? held : apart);
  }
  CHECK(held > 10);
  CHECK(apart > 10);
}

}  // namespace drubble::world
