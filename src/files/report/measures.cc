// SPDX-License-Identifier: Apache-2.0
#include "files/report/measures.h"

#include <algorithm>
#include <cmath>

#include "core/solve/traits.h"
#include "files/cache/format.h"

namespace drubble::files {

namespace {

measure::Sample sampleOf(int frame, const std::vector<PieceState>& states) {
  measure::Sample s;
  s.frame = frame;
  for (const PieceState& p : states) {
    const Pose pose = p.pose();
    s.position.push_back(pose.position);
    s.turn.push_back(pose.turn);
    s.speed.push_back(vec3(static_cast<double>(p.velocity[0]), static_cast<double>(p.velocity[1]),
                           static_cast<double>(p.velocity[2]))
                          .norm());
    s.asleep.push_back((p.flags & (kFlagAwake | kFlagFixed | kFlagFrozen | kFlagGone | kFlagUnborn)) == 0);
  }
  return s;
}

// Outside the region in which pieces were to stay; or below everything that does not move by more than a
// size, and falling as what has come down by half of that: what hangs there is none. `was`: a frame before.
bool isStray(const CacheReader& cache, std::size_t i, const Vec3& place, const Vec3& was, double seconds,
             std::optional<double> lowest) {
  const CacheInfo& info = cache.info();
  if (info.keep_inside && !info.keep_inside->contains(place)) return true;
  const int up = info.up_is_z ? 2 : 1;
  const double size = cache.prototypeOf(i).size;
  if (!lowest || place[up] >= *lowest - size) return false;
  return !(seconds > 0) || was[up] - place[up] > std::sqrt(info.gravity.norm() * size) * seconds;
}

// How low what does not move by itself comes at a frame; `lowest` before.
std::optional<double> lowestFixed(CacheReader& cache, const measure::Sample& s,
                                  std::optional<double> lowest) {
  const bool z = cache.info().up_is_z;
  for (std::size_t i = 0; i < cache.pieces().size(); ++i) {
    if (cache.pieces()[i].dynamic) continue;
    const CachedPrototype& p = cache.prototypeOf(i);
    for (const Vec3& v : p.bends ? cache.verticesAt(cache.pieces()[i].prototype, s.frame) : p.mesh.vertices) {
      const Vec3 w = s.position[i] + s.turn[i] * v;
      const double height = z ? w.z() : w.y();
      lowest = lowest ? least(*lowest, height) : height;
    }
  }
  return lowest;
}

std::vector<JointHistory> jointHistories(CacheReader& cache, const std::vector<CachedFrame>& frames) {
  std::vector<JointHistory> out;
  for (const CachedJoint& j : cache.joints()) out.push_back({j.name, 0, 0, 0, 0, {}});
  if (out.empty()) return out;
  for (const CachedFrame& f : frames)
    for (const CachedJointLoad& l : cache.jointLoads(f.frame)) {
      JointHistory& j = out[l.joint];
      if (l.force > j.force) j.force = l.force, j.force_frame = f.frame;
      if (l.torque > j.torque) j.torque = l.torque, j.torque_frame = f.frame;
    }
  for (const CachedJointBreak& b : cache.jointBreaks()) out[b.joint].broke = b;
  return out;
}

}  // namespace

Measures measureCache(CacheReader& cache) {
  Measures m;
  m.frames = cache.frames();
  m.notes = cache.notes();
  m.pieces = cache.pieces().size();
  m.first_frame = m.frames.front().frame;
  m.last_frame = m.frames.back().frame;
  m.state = cache.info().state;
  m.motion_digest = m.frames.back().digest;
  m.asleep = m.frames.back().asleep;
  const double gravity = cache.info().gravity.norm();
  std::vector<double> sizes, rest_speeds, kinetic, potential;
  std::vector<char> counted;
  for (std::size_t i = 0; i < m.pieces; ++i) {
    const CachedPrototype& p = cache.prototypeOf(i);
    sizes.push_back(p.size);
    rest_speeds.push_back(cache.info().sleep_speed > 0 ? cache.info().sleep_speed
                                                       : solve::restSpeed(p.size, gravity));
    counted.push_back(cache.pieces()[i].dynamic);
    m.dynamic += cache.pieces()[i].dynamic;
  }
  const auto name = [&](int i) {
    return i >= 0 ? cache.pieces()[static_cast<std::size_t>(i)].name : std::string();
  };
  std::vector<measure::Sample> samples;
  std::vector<char> driven, gone;
  std::vector<std::vector<char>> absent;  // of each frame: not born yet, or gone
  for (const CachedFrame& f : m.frames) {
    const std::vector<PieceState> states = cache.states(f.frame);
    samples.push_back(sampleOf(f.frame, states));
    std::vector<char>& away = absent.emplace_back();
    for (const PieceState& p : states) away.push_back((p.flags & (kFlagGone | kFlagUnborn)) != 0);
    driven.push_back(std::any_of(states.begin(), states.end(), [](const PieceState& p) {
      return (p.flags & kFlagBending) != 0 ||
             ((p.flags & kFlagDriven) != 0 && p.velocity != std::array<float, 3>{});
    }));
    kinetic.push_back(f.kinetic);
    potential.push_back(f.potential);
    m.seconds += f.solve_seconds + f.measure_seconds + f.store_seconds;
    m.depth_worst = greatest(m.depth_worst, f.depth_worst);
    m.depth_p99 = greatest(m.depth_p99, f.depth_p99);
    m.share_p99 = greatest(m.share_p99, f.share_p99);
    if (f.share_worst > m.share_worst) {
      m.share_worst = f.share_worst;
      m.deepest_a = name(f.deepest_a);
      m.deepest_b = name(f.deepest_b);
      m.deepest_frame = f.frame;
    }
  }
  gone = absent.back();
  // Counted pieces that are there from one of the frames to the end.
  const auto thereFrom = [&](std::size_t frame, std::vector<char> among) {
    for (std::size_t i = 0; i < among.size(); ++i)
      among[i] = among[i] && !absent[frame][i] && !absent.back()[i];
    return among;
  };
  m.simulated_seconds = m.frames.back().simulated - m.frames.front().simulated;
  const CachedFrame& end = m.frames.back();
  m.end_share_worst = end.share_worst;
  m.end_share_p99 = end.share_p99;
  m.end_depth_worst = end.depth_worst;
  m.end_a = name(end.deepest_a);
  m.end_b = name(end.deepest_b);

  // Strays count in no measure of rest: they may fall for ever.
  const std::optional<double> lowest =
      lowestFixed(cache, samples.back(), lowestFixed(cache, samples.front(), {}));
  std::vector<char> staying = counted;
  const std::size_t before = samples.size() > 1 ? samples.size() - 2 : 0;
  const double since = m.frames.back().simulated - m.frames[before].simulated;
  for (std::size_t i = 0; i < m.pieces; ++i) {
    const Vec3 &now = samples.back().position[i], &was = samples[before].position[i];
    if (!counted[i] || gone[i] || !isStray(cache, i, now, was, since, lowest)) continue;
    m.strays.push_back(cache.pieces()[i].name);
    staying[i] = 0;
  }
  // Who is fastest, among those that are to come to rest.
  for (const measure::Sample& now : samples) {
    std::size_t fastest = 0;
    double speed = -1;
    for (std::size_t i = 0; i < m.pieces; ++i)
      if (staying[i] && now.speed[i] > speed) speed = now.speed[i], fastest = i;
    m.fastest.push_back(greatest(speed, 0));
    m.fastest_of.push_back(speed >= 0 ? cache.pieces()[fastest].name : "");
  }
  const auto window = static_cast<std::size_t>(0.5 * cache.info().fps + 0.5) + 1;
  const std::size_t first = samples.size() > window ? samples.size() - window : 0;
  const measure::Jitter j =
      measure::jitter({samples.data() + first, samples.size() - first}, sizes, thereFrom(first, staying));
  m.jitter_median = j.median;
  m.jitter_p99 = j.p99;
  m.jitter_worst = j.worst;
  if (j.piece) m.jitter_piece = cache.pieces()[*j.piece].name;
  m.rest_frame = measure::restFrame(samples, rest_speeds, staying);
  std::vector<double> work;
  for (const CachedFrame& f : m.frames) work.push_back(f.work);
  m.drift = measure::drift(kinetic, potential, driven, work);
  m.joints = jointHistories(cache, m.frames);
  m.rules = cache.rules();
  m.watches = cache.watches();
  m.pours = cache.pours();
  for (std::size_t k = 0; k < m.frames.size(); ++k)
    if (m.frames[k].substeps * m.frames[k].iterations >
        m.frames[m.finest].substeps * m.frames[m.finest].iterations)
      m.finest = k;
  const measure::Moved moved =
      measure::shareMoved(samples.front(), samples.back(), sizes, thereFrom(0, counted));
  m.share_moved = moved.moved;
  m.share_toppled = moved.toppled;
  const std::vector<CachedHit> hits = cache.hits();
  m.hits = hits.size();
  if (!hits.empty())
    m.first_hit = HitTold{hits[0].frame, name(static_cast<int>(hits[0].a)), name(static_cast<int>(hits[0].b)),
                          hits[0].place, hits[0].speed};
  m.watch_outcomes = watchOutcomes(cache, hits, samples.front(), samples.back(), sizes,
                                   thereFrom(0, std::vector<char>(m.pieces, 1)));
  m.damage = damageOf(
      cache, m.first_hit ? std::optional<FirstHit>({m.first_hit->frame, m.first_hit->place}) : std::nullopt);
  return m;
}

}  // namespace drubble::files
