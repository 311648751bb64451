// SPDX-License-Identifier: Apache-2.0
// The bounds by which contacts are passed over that cannot be hit: they lose none that can, let few others
// by, and are the same bits in every instruction set.
#include <catch2/catch.hpp>
#include <cmath>
#include <vector>

#include "core/base/random.h"
#include "core/base/vec.h"
#include "core/solve/kernel.h"

using namespace drubble;
using namespace drubble::solve;

namespace {

constexpr double kDt = 1.0 / 960;

struct Body {
  Vec3 moved, velocity, spin;
  Quat turned;
};

// Pairs of bodies on the way, with a patch of one to four points each; whether one is hit, in doubles.
struct Meetings {
  std::vector<Watch> watched;
  std::vector<BodyRow> rows;
  std::vector<bool> meets;

  static Vec3 anywhere(RandomStream& r, double size) {
    return size * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1));
  }
  Body add(RandomStream& r) {
    Body b{anywhere(r, 5e-3), anywhere(r, 2), anywhere(r, 15), Quat::Identity()};
    const Vec3 angle = anywhere(r, 0.1);
    b.turned = turnAbout(angle.normalized(), angle.norm());
    BodyRow& row = rows.emplace_back();
    const Vec3 q = b.turned.vec();
    for (int k = 0; k < 3; ++k) {
      row.velocity[k] = static_cast<float>(b.velocity[k]);
      row.spin[k] = static_cast<float>(b.spin[k]);
      row.moved[k] = static_cast<float>(b.moved[k]);
      row.turned[k] = static_cast<float>(q[k]);
    }
    row.turned[3] = static_cast<float>(b.turned.w());
    return b;
  }
  void addPair(RandomStream& r, int most_points, Watch& w) {
    w.a = static_cast<std::uint32_t>(rows.size());
    const Body a = add(r);
    w.b = static_cast<std::uint32_t>(rows.size());
    const Body b = add(r);
    const Vec3 n = anywhere(r, 1).normalized(), arm_a = anywhere(r, 0.2), arm_b = anywhere(r, 0.2);
    const double pull = r.between(-10, 10), slow = r.between(0.05, 0.5);
    const int points = 1 + static_cast<int>(r.between(0, most_points)) % most_points;
    double least_gap = 1, spread = 0, lever_a = 0, lever_b = 0;
    bool met = false;
    for (int k = 0; k < points; ++k) {
      const Vec3 arm = points == 1 ? Vec3(Vec3::Zero()) : anywhere(r, 0.05);
      const double gap_at_start = r.between(-0.002, 0.01);
      const Vec3 ra = a.turned * (arm_a + arm), rb = b.turned * (arm_b + arm);
      const double gap = gap_at_start + n.dot(b.moved + rb - arm_b - a.moved - ra + arm_a);
      const double closing = n.dot(a.velocity + a.spin.cross(ra) - b.velocity - b.spin.cross(rb));
      const double open = std::max(gap, 0.0), reached = closing + pull * kDt;
      met = met || (closing * closing + 2 * pull * open > slow * slow && reached > 0 &&
                    open <= 1.001 * reached * kDt);
      least_gap = std::min(least_gap, gap_at_start);
      spread = std::max(spread, arm.norm());
      lever_a = std::max(lever_a, (arm_a + arm).norm());
      lever_b = std::max(lever_b, (arm_b + arm).norm());
    }
    for (int k = 0; k < 3; ++k) {
      w.normal[k] = static_cast<float>(n[k]);
      w.arm_a[k] = static_cast<float>(arm_a[k]);
      w.arm_b[k] = static_cast<float>(arm_b[k]);
    }
    w.lever = static_cast<float>(1.0001 * (lever_a + lever_b));
    w.spread = static_cast<float>(1.0001 * spread);
    w.gap = static_cast<float>(least_gap);
    w.pull = static_cast<float>(pull);
    w.slow = static_cast<float>(slow);
    meets.push_back(met);
  }
  Meetings(std::size_t count, int most_points, std::uint64_t seed) : watched(count + 1, Watch{}) {
    RandomStream r(seed, "meetings");
    rows.emplace_back();  // what does not move
    for (std::size_t n = 0; n < count; ++n) addPair(r, most_points, watched[n]);
  }
  // The last stands for none.
  std::vector<std::uint8_t> may(Lanes lanes) const {
    const std::size_t count = watched.size() - 1, eights = (count + kLanes - 1) / kLanes;
    std::vector<std::uint32_t> which(kLanes * eights, static_cast<std::uint32_t>(count));
    for (std::uint32_t n = 0; n < count; ++n) which[n] = n;
    std::vector<std::uint8_t> out(eights);
    kernelOf(lanes).mayMeet(watched.data(), which.data(), which.size(), rows.data(), static_cast<float>(kDt),
                            out.data());
    return out;
  }
};

}  // namespace

TEST_CASE("what is watched for hits: none that meets is passed over, and little else is looked at") {
  // Of several points the bounds know only how far they are from their middle.
  for (const auto& [most_points, looks_a_hit] : {std::pair{1, 1.05}, std::pair{4, 2.5}}) {
    const Meetings m(40'000, most_points, 3);
    const std::vector<std::uint8_t> may = m.may(Lanes::Auto);
    int met = 0, missed = 0, looked_at = 0;
    for (std::size_t n = 0; n < m.meets.size(); ++n) {
      const bool looks = (may[n / kLanes] >> n % kLanes & 1) != 0;
      met += m.meets[n];
      missed += m.meets[n] && !looks;
      looked_at += looks;
    }
    INFO(met << " of " << looked_at << " looked at");
    CHECK(met > 5000);
    CHECK(missed == 0);
    CHECK(looked_at < looks_a_hit * met);
  }
}

TEST_CASE("what is watched for hits is the same in every instruction set; empty lanes never meet") {
  for (const std::size_t count : {1u, 7u, 8u, 9u, 200u}) {
    const Meetings m(count, 4, count);
    const std::vector<std::uint8_t> may = m.may(Lanes::Scalar);
    for (const Lanes lanes : {Lanes::Sse2, Lanes::Auto}) CHECK(m.may(lanes) == may);
    for (std::size_t n = count; n < kLanes * may.size(); ++n) CHECK((may[n / kLanes] >> n % kLanes & 1) == 0);
  }
}
