// SPDX-License-Identifier: Apache-2.0
#include "core/place/layout.h"

#include <cmath>

#include "core/base/random.h"
#include "core/base/trig.h"

namespace drubble::place {

namespace {

constexpr double kGolden = 2.39996322972865332;  // rad: no two turns by it come near each other for long

void pick(const std::vector<Choice>& choices, double unit, Copy& c) {
  double total = 0;
  for (const Choice& x : choices) total += x.weight;
  double left = unit * total;
  c.choice = choices.size() - 1;
  for (std::size_t i = 0; i < choices.size(); ++i) {
    left -= choices[i].weight;
    if (left < 0) {
      c.choice = i;
      return;
    }
  }
}

void pickSize(const std::vector<Choice>& choices, double unit, Copy& c) {
  const std::size_t sizes = choices[c.choice].heights.size();
  c.size = static_cast<std::size_t>(unit * static_cast<double>(sizes));
}

class Layer {
 public:
  explicit Layer(const LayoutSpec& s) : s_(s), rise_(s.up.z() > 0.5 ? 2 : 1), depth_(rise_ == 2 ? 1 : 2) {}

  std::vector<Copy> all() {
    std::vector<double> tops(static_cast<std::size_t>(n(0)) * static_cast<std::size_t>(n(depth_)), 0);
    std::uint64_t cell = 0;
    for (int k = 0; k < n(rise_); ++k)
      for (int j = 0; j < n(depth_); ++j)
        for (int i = 0; i < n(0); ++i, ++cell) {
          if (leftOut(i)) continue;
          add(i, j, k, cell,
              tops[static_cast<std::size_t>(j) * static_cast<std::size_t>(n(0)) +
                   static_cast<std::size_t>(i)]);
        }
    return std::move(out_);
  }

 private:
  int n(int axis) const { return s_.count[static_cast<std::size_t>(axis)]; }
  bool leftOut(int i) const {
    const auto [every, from] = s_.leave_out;
    return every > 0 && i + 1 >= from && (i + 1 - from) % every == 0;
  }

  void add(int i, int j, int k, std::uint64_t cell, double& top) {
    RandomStream random(s_.seed, "place." + s_.name, cell);
    Copy c;
    pick(s_.choices, random.unit(), c);
    Vec3 at = cellAt(i, j, k);
    Quat turn = s_.layout == Layout::Ring ? outward(i, k) : Quat::Identity();
    Vec3 angles;
    for (int a = 0; a < 3; ++a) at[a] += random.between(-s_.vary_at[a], s_.vary_at[a]);
    for (int a = 0; a < 3; ++a) angles[a] = random.between(-s_.vary_turn[a], s_.vary_turn[a]);
    pickSize(s_.choices, random.unit(), c);
    if (s_.layout == Layout::Stack) {
      const double height = s_.choices[c.choice].heights[c.size];
      at[rise_] += top + 0.5 * height - (k + 0.5) * s_.spacing[rise_];
      top += height + s_.spacing[rise_];
      // By the column, so that neighbours do not lean alike.
      RandomStream column(
          s_.seed, "place." + s_.name + ".column",
          static_cast<std::uint64_t>(j) * static_cast<std::uint64_t>(n(0)) + static_cast<std::uint64_t>(i));
      const SinCos way = sinCos(column.between(0, 2 * kPi) + k * kGolden + random.between(-0.3, 0.3));
      const double off = s_.lean * random.between(0.6, 1);
      at[0] += off * way.cos;
      at[depth_] += off * way.sin;
      turn = turnAbout(s_.up, (k % 2 == 0 ? 1 : -1) * s_.twist * random.between(0.4, 1));
    }
    c.pose = s_.base * Pose{at, turn * turnXyz(angles)};
    out_.push_back(c);
  }

  Vec3 cellAt(int i, int j, int k) const {
    Vec3 at;
    at[rise_] = (k + 0.5) * s_.spacing[rise_];
    if (s_.layout == Layout::Ring) {
      const SinCos a = sinCos(angleOf(i, k));
      const double radius = s_.radius + j * s_.spacing[depth_];
      at[0] = radius * a.cos;
      at[depth_] = radius * a.sin;
      return at;
    }
    at[0] = (i - 0.5 * (n(0) - 1)) * s_.spacing[0];
    at[depth_] = (j - 0.5 * (n(depth_) - 1)) * s_.spacing[depth_];
    if (s_.layout == Layout::Courses) at[0] += (k % 2 == 0 ? -0.5 : 0.5) * s_.shift * s_.spacing[0];
    return at;
  }

  double angleOf(int i, int k) const {
    const bool whole = s_.arc >= 2 * kPi;
    const int gaps = whole ? n(0) : std::max(n(0) - 1, 1);
    return s_.arc * (i + (k % 2 == 0 ? 0 : s_.shift)) / gaps;
  }

  // The copy's depth looks away from the ring's middle.
  Quat outward(int i, int k) const {
    const double a = angleOf(i, k) - 0.5 * kPi;
    return turnAbout(s_.up, rise_ == 2 ? a : -a);
  }

  const LayoutSpec& s_;
  int rise_, depth_;  // the axis that points up; the other one beside x
  std::vector<Copy> out_;
};

bool inPolygon(const std::vector<std::array<double, 2>>& corners, double x, double y) {
  bool in = false;
  for (std::size_t i = 0, j = corners.size() - 1; i < corners.size(); j = i++) {
    const auto &a = corners[i], &b = corners[j];
    if ((a[1] > y) != (b[1] > y) && x < a[0] + (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1])) in = !in;
  }
  return in;
}

}  // namespace

std::vector<Copy> layOut(const LayoutSpec& spec) { return Layer(spec).all(); }

std::optional<Copy> Scatter::draw(std::uint64_t n) const {
  RandomStream random(spec_.seed, "place." + spec_.name, n);
  Copy c;
  pick(spec_.choices, random.unit(), c);
  pickSize(spec_.choices, random.unit(), c);
  Vec3 angles;
  for (int a = 0; a < 3; ++a) angles[a] = random.between(-spec_.vary_turn[a], spec_.vary_turn[a]);
  const double chance = random.unit();
  const auto [spot, normal] = spec_.source->spot(random);
  const Vec3 at = spec_.space.toWorld(spot);
  const int depth = spec_.up.z() > 0.5 ? 1 : 2;
  if (!spec_.within.empty() && !inPolygon(spec_.within, at.x(), at[depth])) return {};
  double wanted = 1, most = 1;
  for (const Denser& d : spec_.denser) {
    most = greatest(most, d.times);
    if ((at - d.centre).norm() <= d.radius) wanted = d.times;
  }
  if (chance * most >= wanted || tooNear(at)) return {};
  c.pose = {at, turnXyz(angles)};
  if (spec_.source->kind != SourceKind::Surface) return c;
  const Vec3 away = spec_.space.turn * normal;
  if (!spec_.upright) c.pose.turn = Quat::FromTwoVectors(spec_.up, away).normalized() * c.pose.turn;
  const Vec3 stands = spec_.upright ? spec_.up : away;
  c.pose.position += 0.5 * spec_.choices[c.choice].heights[c.size] * stands;
  return c;
}

Scatter::Cell Scatter::cellOf(const Vec3& at) const {
  const auto place = [&](double x) { return static_cast<std::int64_t>(std::floor(x / spec_.apart)); };
  return {place(at.x()), place(at.y()), place(at.z())};
}

bool Scatter::tooNear(const Vec3& at) const {
  if (!(spec_.apart > 0)) return false;
  const auto [x, y, z] = cellOf(at);
  for (std::int64_t i = x - 1; i <= x + 1; ++i)
    for (std::int64_t j = y - 1; j <= y + 1; ++j)
      for (std::int64_t k = z - 1; k <= z + 1; ++k) {
        const auto found = kept_.find({i, j, k});
        if (found == kept_.end()) continue;
        for (const Vec3& p : found->second)
          if ((p - at).norm() < spec_.apart) return true;
      }
  return false;
}

void Scatter::keep(const Copy& c) {
  if (!(spec_.apart > 0)) return;
  // Where it was drawn, not where its centre stands.
  Vec3 at = c.pose.position;
  if (spec_.source->kind == SourceKind::Surface)
    at -= 0.5 * spec_.choices[c.choice].heights[c.size] * (spec_.upright ? spec_.up : upOf(c));
  kept_[cellOf(at)].push_back(at);
}

}  // namespace drubble::place
