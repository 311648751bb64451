// SPDX-License-Identifier: Apache-2.0
#include "files/cache/moments.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/trig.h"
#include "files/cache/format.h"

namespace drubble::files {

namespace {

Vec3 vecOf(const std::array<float, 3>& v) {
  return vec3(static_cast<double>(v[0]), static_cast<double>(v[1]), static_cast<double>(v[2]));
}

PieceMoment momentOf(const PieceState& s, double pace) {
  return {s.pose(), pace * vecOf(s.velocity), pace * vecOf(s.spin), s.flags};
}

Quat turned(const Vec3& by) {
  const double angle = by.norm();
  return angle > 0 ? turnAbout(Vec3(by / angle), angle) : Quat::Identity();
}

// Of all ways round from a to b the one that is nearest to what its spin says.
Vec3 turnFor(const PieceMoment& a, const PieceMoment& b, double dt) {
  const Vec3 shortest = turnBetween(a.pose.turn, b.pose.turn), spun = 0.5 * dt * (a.spin + b.spin);
  const double angle = shortest.norm();
  if (!(angle > 1e-9)) return shortest;
  const Vec3 axis = shortest / angle;
  const double rounds = std::floor((spun.dot(axis) - angle) / (2 * kPi) + 0.5);
  return axis * (angle + 2 * kPi * rounds);
}

// How far a constant acceleration between both speeds misses the way that was gone, as a share of it.
bool steady(const Vec3& way, const Vec3& v0, const Vec3& v1, double dt) {
  const double miss = (way - 0.5 * dt * (v0 + v1)).norm();
  return miss <= 0.05 * (way.norm() + dt * (v0 - v1).norm()) + 1e-9;
}

struct Cubic {
  Vec3 at, speed;
};

Cubic cubic(const Vec3& way, const Vec3& v0, const Vec3& v1, double dt, double s) {
  const double s2 = s * s, s3 = s2 * s;
  return {way * (3 * s2 - 2 * s3) + v0 * (dt * (s3 - 2 * s2 + s)) + v1 * (dt * (s3 - s2)),
          way * ((6 * s - 6 * s2) / dt) + v0 * (3 * s2 - 4 * s + 1) + v1 * (3 * s2 - 2 * s)};
}

}  // namespace

bool PieceMoment::there() const { return (flags & (kFlagGone | kFlagUnborn)) == 0; }

PieceMoment between(const PieceMoment& a, const PieceMoment& b, double dt, double s) {
  if (s <= 0 || !a.there() || !b.there()) return a;
  PieceMoment out = a;
  const Vec3 way = b.pose.position - a.pose.position, turn = turnFor(a, b, dt);
  if (steady(way, a.velocity, b.velocity, dt)) {
    const Cubic c = cubic(way, a.velocity, b.velocity, dt, s);
    out.pose.position += c.at;
    out.velocity = c.speed;
  } else {
    out.pose.position += s * way;
    out.velocity = way / dt;
  }
  if (steady(turn, a.spin, b.spin, dt)) {
    const Cubic c = cubic(turn, a.spin, b.spin, dt, s);
    out.pose.turn = (turned(c.at) * a.pose.turn).normalized();
    out.spin = c.speed;
  } else {
    out.pose.turn = (turned(Vec3(s * turn)) * a.pose.turn).normalized();
    out.spin = turn / dt;
  }
  return out;
}

Moments::Moments(CacheReader& cache) : cache_(cache) {
  for (const CachedFrame& f : cache.frames()) {
    frames_.push_back(f.frame);
    simulated_.push_back(f.simulated);
  }
}

double Moments::pace(int frame) const {
  const auto at = std::lower_bound(frames_.begin(), frames_.end(), frame);
  if (frames_.size() < 2 || at == frames_.end()) return cache_.info().time_scale;
  const auto n = static_cast<std::size_t>(at - frames_.begin());
  const std::size_t before = n > 0 ? n - 1 : n, after = std::min(n + 1, frames_.size() - 1);
  return (simulated_[after] - simulated_[before]) * cache_.info().fps / (frames_[after] - frames_[before]);
}

const Moments::Whole& Moments::whole(int frame) {
  for (const Whole& w : kept_)
    if (!w.states.empty() && w.frame == frame) return w;
  next_ = 1 - next_;
  kept_[next_].states = cache_.states(frame);
  kept_[next_].frame = frame;
  return kept_[next_];
}

const std::vector<PieceMoment>& Moments::at(double frame) {
  if (frame < frames_.front() || frame > frames_.back())
    throw Error(ErrorKind::Usage,
                fmt::format("frame {} is not in the cache: it holds {} to {}", frame, frames_.front(),
                            frames_.back()),
                Where{cache_.path(), 0, 0, ""});
  const auto after = std::upper_bound(frames_.begin(), frames_.end(), frame);
  const int f0 = *std::prev(after);
  const std::vector<PieceState>& states = whole(f0).states;
  out_.resize(states.size());
  const double pace0 = pace(f0);
  for (std::size_t i = 0; i < states.size(); ++i) out_[i] = momentOf(states[i], pace0);
  if (frame == f0) return out_;
  const int f1 = *after;
  const double pace1 = pace(f1), dt = (f1 - f0) / cache_.info().fps, s = (frame - f0) / (f1 - f0);
  const std::vector<PieceState>& next = whole(f1).states;
  const std::vector<PieceState>& first = whole(f0).states;
  for (std::size_t i = 0; i < next.size(); ++i)
    if (!(next[i] == first[i])) out_[i] = between(out_[i], momentOf(next[i], pace1), dt, s);
  return out_;
}

}  // namespace drubble::files
