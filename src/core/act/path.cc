// SPDX-License-Identifier: Apache-2.0
#include "core/act/path.h"

#include <algorithm>
#include <cmath>

#include "core/base/random.h"
#include "core/base/trig.h"

namespace drubble::act {

namespace {

double eased(Ease e, double share) {
  if (e == Ease::Hold) return share < 1 ? 0 : 1;
  return e == Ease::Smooth ? share * share * (3 - 2 * share) : share;
}

// The keys on both sides of `frame` and how far it lies between them.
template <class K>
double between(const std::vector<K>& keys, double frame, std::size_t& low, std::size_t& high) {
  high = static_cast<std::size_t>(
      std::upper_bound(keys.begin(), keys.end(), frame, [](double f, const K& k) { return f < k.frame; }) -
      keys.begin());
  low = high == 0 ? 0 : high - 1;
  high = high == keys.size() ? low : high;
  if (low == high) return 0;
  return (frame - keys[low].frame) / (keys[high].frame - keys[low].frame);
}

// A curve through random values at whole numbers: cubic, with slopes from the neighbours.
double wander(const Wobble& w, int component, double x) {
  const double cell = std::floor(x), t = x - cell;
  double v[4];
  for (int k = 0; k < 4; ++k) {
    const auto n = static_cast<std::int64_t>(cell) + k - 1;
    RandomStream r(w.seed, "wobble",
                   static_cast<std::uint64_t>(n) * 8 + static_cast<std::uint64_t>(component));
    v[k] = r.between(-1, 1);
  }
  const double m1 = 0.5 * (v[2] - v[0]), m2 = 0.5 * (v[3] - v[1]);
  const double t2 = t * t, t3 = t2 * t;
  return (2 * t3 - 3 * t2 + 1) * v[1] + (t3 - 2 * t2 + t) * m1 + (3 * t2 - 2 * t3) * v[2] + (t3 - t2) * m2;
}

Quat slerp(const Quat& a, const Quat& b, double share) {
  const Vec3 turn = turnBetween(a, b) * share;
  const double angle = turn.norm();
  return angle > 0 ? (turnAbout(turn / angle, angle) * a).normalized() : a;
}

}  // namespace

Vec3 Track::at(double frame, const Vec3& without) const {
  if (keys.empty()) return without;
  std::size_t low, high;
  const double share = between(keys, frame, low, high);
  return keys[low].value + eased(ease, share) * (keys[high].value - keys[low].value);
}

Pose poseAt(const Path& path, double frame, double seconds) {
  Pose p = path.rest;
  if (!path.poses.empty()) {
    std::size_t low, high;
    const double share = eased(path.pose_ease, between(path.poses, frame, low, high));
    const Pose &a = path.poses[low].pose, &b = path.poses[high].pose;
    p = {a.position + share * (b.position - a.position), slerp(a.turn, b.turn, share)};
  }
  p.position = path.at.at(frame, p.position);
  if (!path.turn.keys.empty()) p.turn = turnXyz(path.turn.at(frame, path.rest_turn));
  const Wobble& w = path.wobble;
  if (w.at.isZero(0) && w.turn.isZero(0)) return p;
  Vec3 at, turn;
  for (int k = 0; k < 3; ++k) {
    at[k] = w.at[k] == 0 ? 0 : w.at[k] * wander(w, k, seconds * w.per_second);
    turn[k] = w.turn[k] == 0 ? 0 : w.turn[k] * wander(w, k + 3, seconds * w.per_second);
  }
  p.position += at;
  p.turn = (turnXyz(turn) * p.turn).normalized();
  return p;
}

bool moves(const Path& path) {
  if (path.at.keys.size() > 1 || path.turn.keys.size() > 1 || path.poses.size() > 1) return true;
  return !path.wobble.at.isZero(0) || !path.wobble.turn.isZero(0);
}

double lastChange(const Path& path) {
  if (!moves(path)) return 0;
  if (!path.wobble.at.isZero(0) || !path.wobble.turn.isZero(0))
    return std::numeric_limits<double>::infinity();
  double last = 0;
  for (const Track* t : {&path.at, &path.turn})
    if (t->keys.size() > 1) last = greatest(last, t->keys.back().frame);
  return path.poses.size() > 1 ? greatest(last, path.poses.back().frame) : last;
}

}  // namespace drubble::act
