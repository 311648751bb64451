// SPDX-License-Identifier: Apache-2.0
// A state that no shot can want: who, when, what it touched last, and what to try.
#include <algorithm>
#include <cmath>

#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kAbsurdSpeed = 1e5, kAbsurdPlace = 1e7;  // m/s, m
constexpr std::size_t kMostTold = 3;

// Three digits are enough to see what is the matter.
std::string number(double x) {
  if (!std::isfinite(x)) return "not a number";
  int power = 0;
  double m = absolute(x);
  if (m >= 9999.5)
    while (m >= 9.995) m /= 10, ++power;
  if (m > 0 && m < 0.01)
    while (m < 1) m *= 10, --power;
  const auto hundredths = static_cast<long>(m * 100 + 0.5);
  std::string text;
  if (x < 0) text += '-';
  text += std::to_string(hundredths / 100);
  if (hundredths % 100 != 0) text += '.', text += std::to_string(100 + hundredths % 100).substr(1);
  if (power != 0) text += 'e', text += std::to_string(power);
  return text;
}

}  // namespace

bool World::absurd(const solve::ActiveBody& b) {
  return !b.position.allFinite() || !b.velocity.allFinite() || !b.spin.allFinite() ||
         !b.turn.coeffs().allFinite() || b.velocity.norm() > kAbsurdSpeed || b.position.norm() > kAbsurdPlace;
}

// Its contacts are those of the substep that is refused: the ones that it flew apart with, by force.
std::string World::whyFlewApart(const solve::ActiveBody& b, std::uint32_t body,
                                const solve::Contacts& contacts) const {
  struct Nearby {
    std::string other;
    double gap, force;
  };
  std::vector<Nearby> touches;
  double deepest = 0;
  for (const solve::Contact& c : contacts) {
    const bool first = body_of_[c.a.index()] == body;
    if (!first && body_of_[c.b.index()] != body) continue;
    const PieceId other = first ? c.b : c.a;
    touches.push_back(
        {scene_.pieces[other.index()].name, c.patch.leastGap(), static_cast<double>(c.totalForce())});
    deepest = greatest(deepest, -touches.back().gap);
  }
  // Not a number counts as the greatest.
  std::stable_sort(touches.begin(), touches.end(), [](const Nearby& x, const Nearby& y) {
    return !(x.force <= y.force) && y.force == y.force;
  });
  const std::uint32_t piece =
      b.piece < scene_.pieces.size() ? b.piece : clusters_[b.piece - scene_.pieces.size()].pieces[0];
  std::string text = piece == b.piece ? "piece '" : "what holds together with piece '";
  text.append(scene_.pieces[piece].name).append("' flew apart in frame ").append(std::to_string(frame_ + 1));
  text.append(", at ").append(number(b.velocity.norm())).append(" m/s");
  if (touches.empty())
    return text.append(", touching nothing: look at its starting velocity and at the keys that drive it");
  text.append("; it touched");
  for (std::size_t k = 0; k < touches.size() && k < kMostTold; ++k) {
    const Nearby& t = touches[k];
    text.append(k > 0 ? ", '" : " '").append(t.other).append("' (").append(number(1000 * absolute(t.gap)));
    text.append(t.gap < 0 ? " mm deep, " : " mm away, ").append(number(t.force)).append(" N)");
  }
  if (touches.size() > kMostTold)
    text.append(" and ").append(std::to_string(touches.size() - kMostTold)).append(" more");
  if (deepest > 0.1 * traits_[piece].inner_radius)
    return text.append(". They overlap deeply: look for overlaps at the start with 'check', or part them");
  return text.append(
      ". Try more substeps (--set solver.substeps=16), and look for overlaps at the start with 'check'");
}

}  // namespace drubble::world
