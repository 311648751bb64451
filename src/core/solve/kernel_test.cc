// SPDX-License-Identifier: Apache-2.0
// The loops of every instruction set on blocks of random numbers: the same bits, and nothing written that is
// not theirs.
#include "core/solve/kernel.h"

#include <catch2/catch.hpp>
#include <cstring>
#include <vector>

#include "core/base/random.h"

using namespace drubble;
using namespace drubble::solve;

namespace {

// Blocks over bodies of their own, but for body 0, which nothing moves, and body 1, which only some lanes do.
struct Blocks {
  std::vector<ContactBlock> blocks;
  std::vector<BlockExtra> extras;
  std::vector<Impulses> impulses;
  std::vector<BodyRow> rows;

  Blocks(std::size_t count, bool with_extras, std::uint64_t seed) {
    RandomStream r(seed, "blocks");
    const auto fill = [&](Row8& row, double low, double high) {
      for (float& x : row.x) x = static_cast<float>(r.between(low, high));
    };
    const auto fill3 = [&](Vec8& v, double low, double high) {
      for (Row8* row : {&v.x, &v.y, &v.z}) fill(*row, low, high);
    };
    const auto fill6 = [&](Mat8& m) {
      for (Row8* row : {&m.xx, &m.yy, &m.zz}) fill(*row, 4, 9);
      for (Row8* row : {&m.xy, &m.xz, &m.yz}) fill(*row, -1, 1);
    };
    rows.resize(2 + 16 * count);
    for (BodyRow& row : rows) {
      std::memset(static_cast<void*>(&row), 0, sizeof row);
      for (float* f : {row.velocity, row.spin})
        for (int k = 0; k < 3; ++k) f[k] = static_cast<float>(r.between(-1, 1));
      for (int k = 0; k < 3; ++k) row.moved[k] = static_cast<float>(r.between(-1e-3, 1e-3));
      for (int k = 0; k < 3; ++k) row.turned[k] = static_cast<float>(r.between(-1e-3, 1e-3));
      row.turned[3] = 1;
    }
    std::memset(static_cast<void*>(rows.data()), 0, sizeof(BodyRow));
    for (std::size_t n = 0; n < count; ++n) {
      ContactBlock& c = blocks.emplace_back();
      std::memset(static_cast<void*>(&c), 0, sizeof c);
      for (std::uint32_t i = 0; i < kLanes; ++i) {
        c.body_a[i] = static_cast<std::uint32_t>(2 + 16 * n) + 2 * i;
        c.body_b[i] = c.body_a[i] + 1;
        if (i == 3) c.body_a[i] = 0;
        if (i == 5) c.body_b[i] = 1;
        c.contact[i] = i;
        if (i != 3) c.moves_a |= 1u << i;
        if (i != 5) c.moves_b |= 1u << i;
        c.times_a[i] = c.times_b[i] = 1;
      }
      fill3(c.normal, -0.6, 0.6);
      fill3(c.along, -0.6, 0.6);
      fill(c.inverse_mass_a, 0.5, 2);
      fill(c.inverse_mass_b, 0.5, 2);
      fill6(c.inverse_inertia_a);
      fill6(c.inverse_inertia_b);
      c.points = 1 + static_cast<std::uint32_t>(n % 4);
      for (std::uint32_t k = 0; k < 4; ++k) {
        PointRow& p = c.point[k];
        for (float& gap : p.gap.x) gap = 1e9f;
        if (k >= c.points) continue;
        fill3(p.arm, -0.1, 0.1);
        fill(p.gap, -1e-3, 1e-3);
        fill(p.mass, 0.1, 0.5);
        fill(p.impulse, 0, 0.1);
      }
      fill3(c.middle_a, -0.1, 0.1);
      fill3(c.middle_b, -0.1, 0.1);
      for (Row8* row : {&c.slip_xx, &c.slip_yy, &c.twist_mass}) fill(*row, 0.1, 0.4);
      fill(c.slip_xy, -0.05, 0.05);
      fill(c.twist_lever, 0, 0.05);
      fill(c.friction, 0, 0.8);
      for (Row8* row : {&c.impulse_along, &c.impulse_across, &c.impulse_twist}) fill(*row, -0.02, 0.02);
      fill(c.push_speed, 0.1, 0.5);
      fill(c.bias_rate, 10, 80);
      fill(c.mass_scale, 0.5, 1);
      fill(c.impulse_scale, 0, 0.5);
      fill(c.inverse_blend, 1e3, 1e5);
      Impulses& x = impulses.emplace_back();
      for (Row8& row : x.row) fill(row, -0.05, 0.05);
      if (!with_extras) continue;
      BlockExtra& e = extras.emplace_back();
      for (Row8* row = reinterpret_cast<Row8*>(&e); row != reinterpret_cast<Row8*>(&e + 1); ++row)
        fill(*row, 0.0, 0.02);
      fill3(e.inverse_mass_a, 0, 2);
      fill3(e.inverse_mass_b, 0, 2);
      c.uses = static_cast<std::uint32_t>(n % 4);  // each of kUsesRolling, kUsesLocks or not
    }
  }

  BlockRange range(std::size_t begin, std::size_t end, bool apart = true) {
    return {blocks.data() + begin, extras.empty() ? nullptr : extras.data() + begin, rows.data(), end - begin,
            apart};
  }
  bool operator==(const Blocks& o) const {
    const auto same = [](const auto& x, const auto& y) {
      return x.size() == y.size() && (x.empty() || std::memcmp(static_cast<const void*>(x.data()), y.data(),
                                                               x.size() * sizeof(x[0])) == 0);
    };
    return same(blocks, o.blocks) && same(extras, o.extras) && same(rows, o.rows);
  }
};

constexpr float kRate = 960;  // internal steps a second

// All that the loops do, one after the other; returns the worst changes.
std::vector<float> work(const Kernel& k, Blocks& b) {
  const BlockRange all = b.range(0, b.blocks.size());
  std::vector<float> worst;
  k.warmStart(all);
  for (const Pass pass : {Pass::PushOut, Pass::Settle}) {
    k.sweep(all, {pass, kRate, true, false});
    worst.push_back(k.measuredSweep(all, {pass, kRate, false, true}));
    worst.push_back(k.measuredSweep(all, {pass, kRate, true, false}));
  }
  k.give(all, b.impulses.data());
  return worst;
}

}  // namespace

TEST_CASE("every instruction set gives the same bits, with extras and without, in pairs and alone") {
  for (std::uint64_t seed = 1; seed <= 20; ++seed) {
    const bool with_extras = seed % 2 == 0;
    const std::size_t count = 1 + seed % 7;
    Blocks scalar(count, with_extras, seed);
    const Blocks before = scalar;
    const std::vector<float> worst = work(kScalarKernel, scalar);
    CHECK_FALSE(scalar == before);
    CHECK(*std::max_element(worst.begin(), worst.end()) > 0);
    for (const Lanes lanes : {Lanes::Sse2, Lanes::Avx2}) {
      if (!available(lanes)) continue;
      Blocks other(count, with_extras, seed);
      CHECK(work(kernelOf(lanes), other) == worst);
      CHECK(other == scalar);
    }
  }
}

TEST_CASE("blocks of a colour may be done in any order and in any company") {
  for (const bool with_extras : {false, true}) {
    Blocks together(7, with_extras, 33), parts(7, with_extras, 33), alone(7, with_extras, 33);
    const Kernel& k = kernelOf(Lanes::Auto);
    for (const Pass pass : {Pass::PushOut, Pass::Settle}) {
      k.sweep(together.range(0, 7), {pass, kRate, true, false});
      k.sweep(parts.range(4, 7), {pass, kRate, true, false});
      k.sweep(parts.range(0, 4), {pass, kRate, true, false});
      for (std::size_t n = 0; n < 7; ++n) k.sweep(alone.range(n, n + 1), {pass, kRate, true, false});
    }
    CHECK(parts == together);
    CHECK(alone == together);
  }
}

TEST_CASE("what a contact does not move is not written; its partner is") {
  Blocks b(3, true, 5);
  const std::vector<BodyRow> before = b.rows;
  for (const Lanes lanes : {Lanes::Scalar, Lanes::Sse2, Lanes::Auto}) work(kernelOf(lanes), b);
  for (const std::size_t still : {0, 1})
    CHECK(std::memcmp(&b.rows[still], &before[still], sizeof(BodyRow)) == 0);
  for (const ContactBlock& c : b.blocks) {
    CHECK(std::memcmp(&b.rows[c.body_b[3]], &before[c.body_b[3]], sizeof(BodyRow)) != 0);
    for (const std::uint32_t body : c.body_b)  // places are not the passes' to change
      CHECK(std::memcmp(b.rows[body].moved, before[body].moved, 7 * sizeof(float)) == 0);
  }
}

TEST_CASE("blocks that share a body are done one after the other: forward, and from the end backward") {
  const auto momentum = [](const Blocks& b, std::size_t from, std::size_t to) {
    double sum = 0;
    for (std::size_t i = from; i <= to; ++i) sum += static_cast<double>(b.rows[i].velocity[0]);
    return sum;
  };
  Blocks forward(3, false, 9);
  for (ContactBlock& c : forward.blocks) {
    // One lane each, all on the same two bodies of equal mass.
    for (int i = 0; i < kLanes; ++i) c.body_a[i] = i == 0 ? 2 : 0, c.body_b[i] = i == 0 ? 3 : 0;
    c.moves_a = c.moves_b = 1;
    c.inverse_mass_a.x[0] = c.inverse_mass_b.x[0] = 1;
  }
  Blocks backward = forward, again = forward;
  const double before = momentum(forward, 2, 3);
  const Kernel& k = kernelOf(Lanes::Auto);
  k.sweep(forward.range(0, 3, false), {Pass::PushOut, kRate, true, false});
  k.sweep(backward.range(0, 3, false), {Pass::PushOut, kRate, true, true});
  for (const std::size_t n : {2, 1, 0})
    k.sweep(again.range(n, n + 1, false), {Pass::PushOut, kRate, true, true});
  CHECK_FALSE(forward == backward);
  CHECK(again == backward);
  CHECK(momentum(forward, 2, 3) == Approx(before).margin(1e-5));
}

TEST_CASE("lanes that share a body keep its momentum, and give the same bits whatever the instruction set") {
  const Blocks made(4, true, 11);
  std::vector<Blocks> done;
  for (const Lanes lanes : {Lanes::Scalar, Lanes::Sse2, Lanes::Auto}) {
    Blocks b = made;
    const auto masses = [](auto& of, std::size_t lane) {
      // One body against eight others, each of which sees it eight times lighter.
      for (auto member : {&Vec8::x, &Vec8::y, &Vec8::z})
        (of.inverse_mass_a.*member).x[lane] = 8, (of.inverse_mass_b.*member).x[lane] = 1;
    };
    for (std::size_t n = 0; n < b.blocks.size(); ++n)
      for (std::size_t i = 0; i < kLanes; ++i) {
        ContactBlock& c = b.blocks[n];
        c.body_a[i] = 2;
        c.body_b[i] = static_cast<std::uint32_t>(3 + 8 * n + i);
        c.times_a[i] = 8;
        c.moves_a = c.moves_b = 0xff;
        c.uses = kUsesLocks;
        masses(b.extras[n], i);
      }
    const auto momentum = [&] {
      double sum = 0;
      for (std::size_t i = 2; i < b.rows.size(); ++i) sum += static_cast<double>(b.rows[i].velocity[1]);
      return sum;
    };
    const double before = momentum();
    const BlockRange range = b.range(0, b.blocks.size(), false);
    kernelOf(lanes).warmStart(range);
    kernelOf(lanes).sweep(range, {Pass::PushOut, kRate, true, false});
    kernelOf(lanes).give(range, b.impulses.data());
    kernelOf(lanes).measuredSweep(range, {Pass::Settle, kRate, true, true});
    CHECK(momentum() == Approx(before).margin(1e-4));
    CHECK(std::memcmp(&b.rows[2], &made.rows[2], sizeof(BodyRow)) != 0);
    done.push_back(b);
  }
  CHECK(done[0] == done[1]);
  CHECK(done[0] == done[2]);
}

TEST_CASE("gaps that were found for these places serve the next sweep as well as new ones") {
  for (const bool with_extras : {false, true}) {
    Blocks kept(5, with_extras, 21), anew(5, with_extras, 21);
    const Kernel& k = kernelOf(Lanes::Auto);
    for (Blocks* b : {&kept, &anew}) k.sweep(b->range(0, 5), {Pass::Settle, kRate, true, false});
    k.sweep(kept.range(0, 5), {Pass::PushOut, kRate, false, false});
    k.sweep(anew.range(0, 5), {Pass::PushOut, kRate, true, false});
    CHECK(kept == anew);
    kept.rows[2].moved[1] += 0.01f;
    anew.rows[2].moved[1] += 0.01f;
    k.sweep(kept.range(0, 5), {Pass::PushOut, kRate, false, false});
    k.sweep(anew.range(0, 5), {Pass::PushOut, kRate, true, false});
    CHECK_FALSE(kept == anew);
  }
}
