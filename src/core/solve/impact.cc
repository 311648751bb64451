// SPDX-License-Identifier: Apache-2.0
#include "core/solve/impact.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include "core/solve/body_row.h"
#include "core/solve/flight.h"
#include "core/solve/links.h"

namespace drubble::solve {

namespace {

constexpr std::size_t kHitsWorthAThread = 256;
constexpr double kAhead = 1.001;     // steps
constexpr double kPressedFor = 0.1;  // of the time in which a piece falls half its size: the moment of a load
constexpr int kMostHitRounds = 64;

void holdStill(ActiveBody& b) {
  b.inverse_mass.setZero();
  b.inverse_inertia.setZero();
}

}  // namespace

// What is pressed together is not hit suddenly by what its load would do to it in a moment anyway: it takes
// so much more, or a push through a heap would be passed on from piece to piece for ever.
double Impacts::leastSpeed(const Contact& c) const {
  double size = std::numeric_limits<double>::infinity(), pressed = 0;
  for (const PieceId p : {c.a, c.b}) {
    const std::uint32_t body = in_.body_of[p.index()];
    if (body == 0) continue;
    const Traits& t = in_.traits[in_.bodies[body].piece];
    if (!t.dynamic) continue;
    size = least(size, t.size);
    pressed = greatest(pressed, t.inverse_mass);
  }
  pressed *= static_cast<double>(c.totalForce());
  const double more = gravity_ > 0 ? kPressedFor * pressed * std::sqrt(size / gravity_) : 0;
  return leastBounceSpeed(size, gravity_) + more;
}

// Whether the bodies may meet fast enough within h seconds.
bool Impacts::mayBeHit(std::uint32_t index, double h) const {
  if ((*in_.links)[index].missed) return false;
  const Contact& c = in_.contacts[index];
  const std::uint32_t ia = in_.body_of[c.a.index()], ib = in_.body_of[c.b.index()];
  const ActiveBody &a = in_.bodies[ia], &b = in_.bodies[ib];
  if (a.fixed() && b.fixed()) return false;
  const double pull = (a.acceleration - b.acceleration).norm();
  const double slow = 0.5 * leastSpeed(c);
  for (std::size_t k = 0; k < c.patch.count; ++k) {
    const Vec3 p = c.patch.place(k);
    const double closing =
        -c.patch.normal().dot(pointVelocity(b, p - b.position) - pointVelocity(a, p - a.position));
    const double gap = greatest(c.patch.gapAt(k), 0);
    if (closing <= 0 && pull * h < slow) continue;
    if (gap <= 1.5 * (greatest(closing, 0) + pull * h) * h &&
        closing * closing + 2 * pull * gap >= slow * slow)
      return true;
  }
  return false;
}

Impacts::Impacts(const BlockInput& in, double h, double gravity) : in_(in), gravity_(gravity) {
  std::vector<char> may(in.contacts.size(), 0);
  shareOrAlone(in.team, in.contacts.size(), kHitsWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t i = begin; i < end; ++i)
                   may[i] = mayBeHit(static_cast<std::uint32_t>(i), h);
               });
  watch_of_.assign(in.contacts.size(), 0);
  std::uint32_t count = 1;
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i)
    if (may[i] != 0) watch_of_[i] = count++;
  if (count == 1) return;
  watches_.resize(count);
  watched_.resize(count);
  shareOrAlone(in.team, in.contacts.size(), kHitsWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t i = begin; i < end; ++i)
                   if (may[i] != 0) watch(static_cast<std::uint32_t>(i), watch_of_[i]);
               });
  clock_.assign(in.bodies.size(), 0);
  due_.assign((in.contacts.size() + 63) / 64, 0);
}

void Impacts::watch(std::uint32_t index, std::size_t place) {
  const Contact& c = in_.contacts[index];
  const std::uint32_t ia = in_.body_of[c.a.index()], ib = in_.body_of[c.b.index()];
  const ActiveBody &a = in_.bodies[ia], &b = in_.bodies[ib];
  watched_[place] = {index, leastSpeed(c)};
  Watch& out = watches_[place];
  double far_a = 0, far_b = 0;
  float spread = 0;
  for (std::size_t k = 0; k < c.patch.count; ++k) {
    const Vec3 p = c.patch.place(k);
    far_a = greatest(far_a, (p - a.start_position).squaredNorm());
    far_b = greatest(far_b, (p - b.start_position).squaredNorm());
    spread = std::max(spread, c.patch.arm[k].norm());
  }
  const Vec3 arm_a = c.patch.middle - a.start_position, arm_b = c.patch.middle - b.start_position;
  for (int k = 0; k < 3; ++k) {
    out.normal[k] = c.patch.direction[k];
    out.arm_a[k] = static_cast<float>(arm_a[k]);
    out.arm_b[k] = static_cast<float>(arm_b[k]);
  }
  out.lever = 1.0001f * static_cast<float>(std::sqrt(far_a) + std::sqrt(far_b));
  out.spread = 1.0001f * spread;
  out.gap = static_cast<float>(c.patch.leastGap());
  out.pull = 1.0001f * static_cast<float>(c.patch.normal().dot(a.acceleration - b.acceleration));
  out.slow = static_cast<float>(watched_[place].slow);
  out.a = ia;
  out.b = ib;
}

void Impacts::buildAdjacency() {
  first_of_body_.assign(in_.bodies.size() + 1, 0);
  const auto each = [&](auto visit) {
    for (std::uint32_t i = 0; i < in_.contacts.size(); ++i)
      for (const std::uint32_t body : {(*in_.links)[i].a, (*in_.links)[i].b})
        if (body != 0) visit(body, i);
  };
  each([&](std::uint32_t body, std::uint32_t) { ++first_of_body_[body + 1]; });
  for (std::size_t k = 1; k < first_of_body_.size(); ++k) first_of_body_[k] += first_of_body_[k - 1];
  contacts_of_body_.resize(first_of_body_.back());
  std::vector<std::uint32_t> next = first_of_body_;
  each([&](std::uint32_t body, std::uint32_t i) { contacts_of_body_[next[body]++] = i; });
}

void Impacts::markDue(std::uint32_t watched) {
  const std::uint32_t i = watched_[watched].contact;
  due_[i / 64] |= std::uint64_t{1} << i % 64;
}

// What touches a struck body may be struck next, and looks at it again.
void Impacts::follow(std::size_t body, const BodyRows& rows, double dt) {
  if (body == 0) return;
  if (first_of_body_.empty()) buildAdjacency();
  which_.clear();
  for (std::uint32_t k = first_of_body_[body]; k < first_of_body_[body + 1]; ++k) {
    const std::uint32_t i = contacts_of_body_[k];
    if (watch_of_[i] == 0) {
      watch_of_[i] = static_cast<std::uint32_t>(watched_.size());
      watches_.emplace_back();
      watched_.emplace_back();
      watch(i, watch_of_[i]);
    }
    which_.push_back(watch_of_[i]);
  }
  which_.resize((which_.size() + kLanes - 1) / kLanes * kLanes, 0);
  follows_.resize(which_.size() / kLanes);
  in_.kernel->mayMeet(watches_.data(), which_.data(), which_.size(), rows.data(), static_cast<float>(dt),
                      follows_.data());
  for (std::size_t k = 0; k < which_.size(); ++k)
    if ((follows_[k / kLanes] >> k % kLanes & 1) != 0) markDue(which_[k]);
}

// Gaps as they would be at the step's start had the bodies moved with their present velocities all along;
// closing speeds as they are.
void Impacts::evaluate(const Bodies& bodies, const Contact& c, std::size_t ia, std::size_t ib,
                       PointStates& state) const {
  const ActiveBody &a = bodies[ia], &b = bodies[ib];
  const auto turnOf = [&](const ActiveBody& body, std::size_t index) {
    return index == 0 ? Quat::Identity() : touchTurn(in_.traits[body.piece], body.start_turn, body.turn);
  };
  const Quat turn_a = turnOf(a, ia), turn_b = turnOf(b, ib);
  for (std::size_t k = 0; k < c.patch.count; ++k) {
    const Vec3 p = c.patch.place(k);
    const Vec3 ra0 = p - a.start_position, rb0 = p - b.start_position;
    PointState& s = state[k];
    s.ra = turn_a * ra0;
    s.rb = turn_b * rb0;
    Vec3 moved = Vec3::Zero();
    if (ib != 0) moved += b.position - b.start_position + s.rb - rb0;
    if (ia != 0) moved -= a.position - a.start_position + s.ra - ra0;
    s.gap = c.patch.gapAt(k) + c.patch.normal().dot(moved);
    s.apart = moved;
    s.closing = -c.patch.normal().dot(pointVelocity(b, s.rb) - pointVelocity(a, s.ra));
  }
}

// Turns, spins, inertia and arms as they are at the moment of the hit. Both bodies are then pushed in one
// place: along the normal midway between their points, which meet there; across it, where they have slid
// apart since the substep's start, midway too, or where something round has its point. Pushed where each of
// them is, the pair would gain angular momentum. Rows may do with the inertia of the substep's start; a hit
// at speed may not.
void Impacts::goTo(double time, const Contact& c, ActiveBody& a, ActiveBody& b) {
  const auto cornered = [&](const ActiveBody& body) {
    if (body.fixed()) return false;
    const Traits& t = in_.traits[body.piece];
    return t.roundness == shape::Roundness::None && t.half_axes.isZero(0);
  };
  // What is round keeps the arm that its surface has there: a push through its middle must not turn it.
  const double share_a = !cornered(a) ? 0 : cornered(b) ? 0.5 : 1;
  const double share_b = !cornered(b) ? 0 : cornered(a) ? 0.5 : 1;
  const Vec3 n = c.patch.normal();
  const Vec3 travel = (b.velocity - a.velocity) * time;
  const auto turnOf = [&](ActiveBody& body) {
    if (body.fixed()) return Quat::Identity();
    const Traits& t = in_.traits[body.piece];
    const Quat from = body.turn;
    spinFreely(t, time, body.turn, body.spin);
    body.inverse_inertia = inverseInertiaWorld(t, body.turn);
    return touchTurn(t, from, body.turn);
  };
  const Quat turn_a = turnOf(a), turn_b = turnOf(b);
  for (std::size_t k = 0; k < c.patch.count; ++k) {
    PointState& s = state_[k];
    const Vec3 ra = turn_a * s.ra, rb = turn_b * s.rb;
    const Vec3 apart = s.apart + travel + (rb - s.rb) - (ra - s.ra);
    const Vec3 along = n.dot(apart) * n, across = apart - along;
    s.ra = ra + 0.5 * along + share_a * across;
    s.rb = rb - 0.5 * along - share_b * across;
  }
}

// Puts the body where the step must start from to pass through the hit with what it has after it.
void Impacts::startAgain(const ActiveBody& after, double time, ActiveBody& body) const {
  body.position -= (after.velocity - body.velocity) * time;
  body.velocity = after.velocity;
  body.turn = after.turn;
  body.spin = after.spin;
  spinFreely(in_.traits[body.piece], -time, body.turn, body.spin);
}

// None: not within dt, or too slowly to count.
std::optional<Impacts::Meeting> Impacts::meeting(const Bodies& bodies, std::size_t watched, double dt,
                                                 PointStates& state) const {
  const Contact& c = in_.contacts[watched_[watched].contact];
  const std::size_t ia = watches_[watched].a, ib = watches_[watched].b;
  if (bodies[ia].fixed() && bodies[ib].fixed()) return {};
  evaluate(bodies, c, ia, ib, state);
  const double pull = c.patch.normal().dot(bodies[ia].acceleration - bodies[ib].acceleration);
  const double slow = watched_[watched].slow;
  Meeting out{dt, 0, pull};
  for (std::size_t k = 0; k < c.patch.count; ++k) {
    const PointState& s = state[k];
    const double gap = greatest(s.gap, 0), squared = s.closing * s.closing + 2 * pull * gap;
    if (squared <= slow * slow || s.closing + pull * dt <= 0) continue;
    const double at_hit = std::sqrt(squared), t = 2 * gap / (s.closing + at_hit);
    // A little farther than the contact solve would look, or it would take what is the impact's: a hit just
    // after the step's end is taken now, at its own time.
    if (!(s.closing + at_hit > 0) || gap > kAhead * (s.closing + pull * dt) * dt) continue;
    if (out.speed == 0 || t < out.time) out.time = t;
    out.speed = greatest(out.speed, at_hit);
  }
  if (out.speed == 0) return {};
  return out;
}

bool Impacts::strike(Bodies& bodies, BodyRows& rows, std::uint32_t index, double dt, std::vector<Hit>& hits) {
  const std::optional<Meeting> met = meeting(bodies, watch_of_[index], dt, state_);
  if (!met) return false;
  const Contact& c = in_.contacts[index];
  const std::size_t ia = in_.body_of[c.a.index()], ib = in_.body_of[c.b.index()];
  const double time = greatest(met->time, greatest(clock_[ia], clock_[ib]));
  Hit hit{c.a, c.b, Vec3::Zero(), c.patch.normal().normalized(), 0, met->speed};
  ActiveBody a = bodies[ia], b = bodies[ib];
  goTo(time, c, a, b);
  if (c.surfaces.unmoved == 1) holdStill(a);
  if (c.surfaces.unmoved == 2) holdStill(b);
  if (a.fixed() && b.fixed()) return false;
  exchange(a, b, c, time, met->pull, hit);
  if (!(hit.impulse > 0)) return false;
  for (const auto& [body, after] : {std::pair{ia, &a}, std::pair{ib, &b}}) {
    if (bodies[body].fixed()) continue;
    if (!after->fixed()) startAgain(*after, time, bodies[body]);
    clock_[body] = time;
    touched_.push_back(static_cast<std::uint32_t>(body));
    loadVelocity(bodies[body], rows[body]);
    loadPlace(bodies[body], in_.traits, rows[body]);
  }
  for (const std::size_t body : {ia, ib})
    if (!bodies[body].fixed()) follow(body, rows, dt);
  hits.push_back(hit);
  return true;
}

// Of those that are watched, which would be hit were they the first.
void Impacts::findDue(const Bodies& bodies, const BodyRows& rows, double dt) {
  which_.resize((watched_.size() + kLanes - 1) / kLanes * kLanes);
  for (std::uint32_t k = 0; k < which_.size(); ++k) which_[k] = k < watched_.size() ? k : 0;
  meets_.resize(which_.size() / kLanes);
  shareOrAlone(in_.team, meets_.size(), kHitsWorthAThread / kLanes,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 in_.kernel->mayMeet(watches_.data(), &which_[kLanes * begin], kLanes * (end - begin),
                                     rows.data(), static_cast<float>(dt), &meets_[begin]);
                 PointStates state;
                 for (std::size_t k = begin; k < end; ++k)
                   for (unsigned bits = meets_[k]; bits != 0; bits &= bits - 1) {
                     const auto lane = static_cast<std::size_t>(std::countr_zero(bits));
                     if (!meeting(bodies, kLanes * k + lane, dt, state))
                       meets_[k] ^= static_cast<std::uint8_t>(1u << lane);
                   }
               });
  for (std::uint32_t k = 0; k < watched_.size(); ++k)
    if ((meets_[k / kLanes] >> k % kLanes & 1) != 0) markDue(k);
}

bool Impacts::pass(Bodies& bodies, BodyRows& rows, double dt, std::vector<Hit>& hits) {
  for (const std::uint32_t body : touched_) clock_[body] = 0;
  touched_.clear();
  if (watched_.empty()) return false;
  findDue(bodies, rows, dt);
  // Up and down the list by turns: a blow runs along a row whichever way it is numbered. What is struck makes
  // its bodies' contacts due again, in this round or the next.
  for (int round = 0; round < kMostHitRounds; ++round) {
    bool struck = false;
    const std::size_t words = due_.size();
    for (std::size_t n = 0; n < words; ++n) {
      const std::size_t word = round % 2 == 0 ? n : words - 1 - n;
      // Those that this round has gone past wait for the next.
      std::uint64_t ahead = ~std::uint64_t{0};
      while ((due_[word] & ahead) != 0) {
        const std::uint64_t bits = due_[word] & ahead;
        const int bit = round % 2 == 0 ? std::countr_zero(bits) : 63 - std::countl_zero(bits);
        const std::uint64_t here = std::uint64_t{1} << bit;
        ahead = round % 2 == 0 ? ~(here | (here - 1)) : here - 1;
        due_[word] &= ~here;
        const auto index = static_cast<std::uint32_t>(64 * word) + static_cast<std::uint32_t>(bit);
        if (strike(bodies, rows, index, dt, hits)) struck = true;
      }
    }
    if (!struck) break;
  }
  std::fill(due_.begin(), due_.end(), 0);
  return !touched_.empty();
}

}  // namespace drubble::solve
