// SPDX-License-Identifier: Apache-2.0
#include "core/solve/impact.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include "core/solve/flight.h"

namespace drubble::solve {

namespace {

constexpr double kTouching = 1e-3;  // of the size: points this near count as struck together
constexpr std::size_t kContactsWorthAThread = 256;
constexpr double kAhead = 1.001;  // steps
constexpr double kPressed = 0.1;  // of the time in which a piece falls half its size: the moment of a load
constexpr int kMostRounds = 64;
constexpr int kMostSweeps = 80;
constexpr double kExchanged = 1e-9;  // of the speed: a change this small ends the exchange of a blow

Vec3 pointVelocity(const ActiveBody& b, const Vec3& arm) { return b.velocity + b.spin.cross(arm); }

void holdStill(ActiveBody& b) {
  b.inverse_mass.setZero();
  b.inverse_inertia.setZero();
}

double inverseMassAlong(const ActiveBody& b, const Vec3& arm, const Vec3& d) {
  const Vec3 c = arm.cross(d);
  return d.dot(b.inverse_mass.cwiseProduct(d)) + c.dot(b.inverse_inertia * c);
}

}  // namespace

// What is pressed together is not hit suddenly by what its load would do to it in a moment anyway: it takes
// so much more, or a push through a heap would be passed on from piece to piece for ever.
double Impacts::leastSpeed(const Contact& c) const {
  double size = std::numeric_limits<double>::infinity(), pressed = 0;
  for (const PieceId p : {c.a, c.b}) {
    const Traits& t = in_.traits[p.index()];
    if (in_.body_of[p.index()] == 0 || !t.dynamic) continue;
    size = least(size, t.size);
    pressed = greatest(pressed, t.inverse_mass);
  }
  pressed *= static_cast<double>(c.totalForce());
  const double more = gravity_ > 0 ? kPressed * pressed * std::sqrt(size / gravity_) : 0;
  return leastBounceSpeed(size, gravity_) + more;
}

// The same for any points of the two, from what is known of the bodies alone: only ever true where no point's
// answer is yes.
bool Impacts::surelyMissed(std::size_t ia, std::size_t ib, double h) const {
  if (in_.briefs == nullptr) return false;
  const BodyBrief &a = (*in_.briefs)[ia], &b = (*in_.briefs)[ib];
  double pull = 0;
  for (int k = 0; k < 3; ++k) {
    const double d = static_cast<double>(a.acceleration[k] - b.acceleration[k]);
    pull += d * d;
  }
  pull = 1.001 * std::sqrt(pull);
  const auto most = static_cast<double>(mostSpeed(a, b));
  const double slow = 0.499 * leastBounceSpeed(static_cast<double>(std::min(a.size, b.size)), gravity_);
  return most * most + 3 * pull * (most + pull * h) * h < slow * slow;
}

// Whether the bodies may meet fast enough within h seconds.
bool Impacts::mayBeHit(std::uint32_t index, double h) const {
  const Contact& c = in_.contacts[index];
  const ActiveBody &a = in_.bodies[in_.body_of[c.a.index()]], &b = in_.bodies[in_.body_of[c.b.index()]];
  if (a.fixed() && b.fixed()) return false;
  if (surelyMissed(in_.body_of[c.a.index()], in_.body_of[c.b.index()], h)) return false;
  const double pull = (a.acceleration - b.acceleration).norm();
  const double slow = 0.5 * leastSpeed(c);
  for (int k = 0; k < c.patch.count; ++k) {
    const collide::Point& p = c.patch.points[static_cast<std::size_t>(k)];
    const double closing = -c.patch.normal.dot(pointVelocity(b, p.position - b.position) -
                                               pointVelocity(a, p.position - a.position));
    const double gap = greatest(p.gap, 0);
    if (closing <= 0 && pull * h < slow) continue;
    if (gap <= 1.5 * (greatest(closing, 0) + pull * h) * h &&
        closing * closing + 2 * pull * gap >= slow * slow)
      return true;
  }
  return false;
}

Impacts::Impacts(const BlockInput& in, double h, double gravity) : in_(in), gravity_(gravity) {
  is_watched_.assign(in.contacts.size(), 0);
  shareOrAlone(in.team, in.contacts.size(), kContactsWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t i = begin; i < end; ++i)
                   is_watched_[i] = mayBeHit(static_cast<std::uint32_t>(i), h);
               });
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i)
    if (is_watched_[i] != 0) watched_.push_back(i);
  if (watched_.empty()) return;
  clock_.assign(in.bodies.size(), 0);
  due_.assign((in.contacts.size() + 63) / 64, 0);
  levers_.resize(in.contacts.size());
  slow_.resize(in.contacts.size());
  for (const std::uint32_t i : watched_) measureLevers(i);
}

void Impacts::measureLevers(std::size_t index) {
  const Contact& c = in_.contacts[index];
  const ActiveBody &a = in_.bodies[in_.body_of[c.a.index()]], &b = in_.bodies[in_.body_of[c.b.index()]];
  double far_a = 0, far_b = 0;
  for (int k = 0; k < c.patch.count; ++k) {
    const Vec3& p = c.patch.points[static_cast<std::size_t>(k)].position;
    far_a = greatest(far_a, (p - a.position).squaredNorm());
    far_b = greatest(far_b, (p - b.position).squaredNorm());
  }
  levers_[index] = {1.0001f * static_cast<float>(std::sqrt(far_a)),
                    1.0001f * static_cast<float>(std::sqrt(far_b))};
  slow_[index] = 0.9999f * static_cast<float>(leastSpeed(c));
}

// Surely no hit within dt, whatever the gaps: one that is reached in time adds no more speed than that.
bool Impacts::tooSlow(const Bodies& bodies, std::uint32_t index, double dt) const {
  const Contact& c = in_.contacts[index];
  const ActiveBody &a = bodies[in_.body_of[c.a.index()]], &b = bodies[in_.body_of[c.b.index()]];
  const double turning = a.spin.norm() * static_cast<double>(levers_[index].a) +
                         b.spin.norm() * static_cast<double>(levers_[index].b);
  const double closing = greatest(c.patch.normal.dot(a.velocity - b.velocity) + turning, 0);
  const double gained = (a.acceleration - b.acceleration).norm() * dt,
               slow = static_cast<double>(slow_[index]);
  return closing * closing + 2.01 * gained * (closing + gained) < slow * slow;
}

void Impacts::buildAdjacency() {
  first_of_body_.assign(in_.bodies.size() + 1, 0);
  const auto each = [&](auto visit) {
    for (std::uint32_t i = 0; i < in_.contacts.size(); ++i)
      for (const PieceId p : {in_.contacts[i].a, in_.contacts[i].b})
        if (const std::uint32_t body = in_.body_of[p.index()]; body != 0) visit(body, i);
  };
  each([&](std::uint32_t body, std::uint32_t) { ++first_of_body_[body + 1]; });
  for (std::size_t k = 1; k < first_of_body_.size(); ++k) first_of_body_[k] += first_of_body_[k - 1];
  contacts_of_body_.resize(first_of_body_.back());
  std::vector<std::uint32_t> next = first_of_body_;
  each([&](std::uint32_t body, std::uint32_t i) { contacts_of_body_[next[body]++] = i; });
}

// What touches a struck body may be struck next, and looks at it again.
void Impacts::follow(std::size_t body) {
  if (body == 0) return;
  if (first_of_body_.empty()) buildAdjacency();
  for (std::uint32_t k = first_of_body_[body]; k < first_of_body_[body + 1]; ++k) {
    const std::uint32_t i = contacts_of_body_[k];
    due_[i / 64] |= std::uint64_t{1} << i % 64;
    if (is_watched_[i]) continue;
    is_watched_[i] = 1;
    watched_.push_back(i);
    measureLevers(i);
  }
}

// Gaps as they would be at the step's start had the bodies moved with their present velocities all along;
// closing speeds as they are.
void Impacts::evaluate(const Bodies& bodies, const Contact& c, std::size_t ia, std::size_t ib) {
  const ActiveBody &a = bodies[ia], &b = bodies[ib];
  const auto turnOf = [&](const ActiveBody& body, std::size_t index, PieceId piece) {
    return index == 0 ? Quat::Identity() : touchTurn(in_.traits[piece.index()], body.start_turn, body.turn);
  };
  const Quat turn_a = turnOf(a, ia, c.a), turn_b = turnOf(b, ib, c.b);
  for (std::size_t k = 0; k < static_cast<std::size_t>(c.patch.count); ++k) {
    const collide::Point& p = c.patch.points[k];
    const Vec3 ra0 = p.position - a.start_position, rb0 = p.position - b.start_position;
    PointState& s = state_[k];
    s.ra = turn_a * ra0;
    s.rb = turn_b * rb0;
    Vec3 moved = Vec3::Zero();
    if (ib != 0) moved += b.position - b.start_position + s.rb - rb0;
    if (ia != 0) moved -= a.position - a.start_position + s.ra - ra0;
    s.gap = p.gap + c.patch.normal.dot(moved);
    s.apart = moved;
    s.closing = -c.patch.normal.dot(pointVelocity(b, s.rb) - pointVelocity(a, s.ra));
  }
}

// Turns, spins, inertia and arms as they are at the moment of the hit. Both bodies are then pushed in one
// place, midway between their points, which have slid apart since the substep's start: pushed where each of
// them is, the pair would gain angular momentum. Rows may do with the inertia of the substep's start; a hit
// at speed may not.
void Impacts::goTo(double time, const Contact& c, ActiveBody& a, ActiveBody& b) {
  const auto cornered = [&](const ActiveBody& body, PieceId piece) {
    const Traits& t = in_.traits[piece.index()];
    return !body.fixed() && t.roundness == shape::Roundness::None && t.half_axes.isZero(0);
  };
  // What is round keeps the arm that its surface has there: a push through its middle must not turn it.
  const bool between = cornered(a, c.a) && cornered(b, c.b);
  const Vec3 travel = (b.velocity - a.velocity) * time;
  const auto turnOf = [&](ActiveBody& body, PieceId piece) {
    const Traits& t = in_.traits[piece.index()];
    if (body.fixed()) return Quat::Identity();
    const Quat from = body.turn;
    spinFreely(t, time, body.turn, body.spin);
    body.inverse_inertia = inverseInertiaWorld(t, body.turn);
    return touchTurn(t, from, body.turn);
  };
  const Quat turn_a = turnOf(a, c.a), turn_b = turnOf(b, c.b);
  for (std::size_t k = 0; k < static_cast<std::size_t>(c.patch.count); ++k) {
    PointState& s = state_[k];
    const Vec3 ra = turn_a * s.ra, rb = turn_b * s.rb;
    const Vec3 apart = between ? Vec3(s.apart + travel + (rb - s.rb) - (ra - s.ra)) : Vec3(Vec3::Zero());
    s.ra = ra + 0.5 * apart;
    s.rb = rb - 0.5 * apart;
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

bool Impacts::strike(Bodies& bodies, std::uint32_t index, double dt, std::vector<Hit>& hits) {
  const Contact& c = in_.contacts[index];
  const std::size_t ia = in_.body_of[c.a.index()], ib = in_.body_of[c.b.index()];
  if (bodies[ia].fixed() && bodies[ib].fixed()) return false;
  if (tooSlow(bodies, index, dt)) return false;
  evaluate(bodies, c, ia, ib);
  const double pull =
      c.patch.normal.dot(bodies[ia].acceleration - bodies[ib].acceleration);  // how fast the closing grows
  const double slow = leastSpeed(c);
  const double earliest = greatest(clock_[ia], clock_[ib]);
  double time = dt, speed = 0;
  for (std::size_t k = 0; k < static_cast<std::size_t>(c.patch.count); ++k) {
    const PointState& s = state_[k];
    const double gap = greatest(s.gap, 0), squared = s.closing * s.closing + 2 * pull * gap;
    if (squared <= slow * slow || s.closing + pull * dt <= 0) continue;
    const double at_hit = std::sqrt(squared), t = 2 * gap / (s.closing + at_hit);
    // A little farther than the contact solve would look, or it would take what is the impact's: a hit just
    // after the step's end is taken now, at its own time.
    if (!(s.closing + at_hit > 0) || gap > kAhead * (s.closing + pull * dt) * dt) continue;
    if (speed == 0 || t < time) time = t;
    speed = greatest(speed, at_hit);
  }
  if (speed == 0) return false;
  time = greatest(time, earliest);
  Hit hit{c.a, c.b, Vec3::Zero(), c.patch.normal, 0, speed};
  ActiveBody a = bodies[ia], b = bodies[ib];
  goTo(time, c, a, b);
  if (c.surfaces.unmoved == 1) holdStill(a);
  if (c.surfaces.unmoved == 2) holdStill(b);
  if (a.fixed() && b.fixed()) return false;
  exchange(a, b, c, time, pull, hit);
  if (!(hit.impulse > 0)) return false;
  for (const auto& [body, after] : {std::pair{ia, &a}, std::pair{ib, &b}}) {
    if (bodies[body].fixed()) continue;
    if (!after->fixed()) startAgain(*after, time, bodies[body]);
    clock_[body] = time;
    touched_.push_back(static_cast<std::uint32_t>(body));
    follow(body);
  }
  hits.push_back(hit);
  return true;
}

namespace {

// The rows of a struck patch, three a point (along the normal and two tangents), and how an impulse along one
// changes the speed along another.
struct Rows {
  static constexpr std::size_t kMost = 12;
  std::size_t count = 0;
  std::array<Vec3, kMost> direction, arm_a, arm_b;
  std::array<double, kMost> speed{}, impulse{};
  std::array<std::array<double, kMost>, kMost> response;

  void add(const ActiveBody& a, const ActiveBody& b, const Vec3& ra, const Vec3& rb, const Vec3& d) {
    direction[count] = d;
    arm_a[count] = ra.cross(d);
    arm_b[count] = rb.cross(d);
    speed[count] = d.dot(pointVelocity(b, rb) - pointVelocity(a, ra));
    ++count;
  }
  void respond(const ActiveBody& a, const ActiveBody& b) {
    const Vec3 mass = a.inverse_mass + b.inverse_mass;
    for (std::size_t j = 0; j < count; ++j) {
      const Vec3 straight = mass.cwiseProduct(direction[j]), turn_a = a.inverse_inertia * arm_a[j],
                 turn_b = b.inverse_inertia * arm_b[j];
      for (std::size_t i = 0; i < count; ++i)
        response[j][i] = direction[i].dot(straight) + arm_a[i].dot(turn_a) + arm_b[i].dot(turn_b);
    }
  }
  void push(std::size_t j, double change) {
    impulse[j] += change;
    for (std::size_t i = 0; i < count; ++i) speed[i] += response[j][i] * change;
  }
  // What would bring the speed along row j to `wanted`.
  double missing(std::size_t j, double wanted) const {
    return response[j][j] > 0 ? (wanted - speed[j]) / response[j][j] : 0;
  }
  // Newton's law at several points at once, or with friction, may ask for more energy than there was: then
  // all impulses are so much smaller that it stays. `before`: the speeds at first.
  void keepEnergy(const std::array<double, kMost>& before) {
    double spent = 0, gained = 0;
    for (std::size_t j = 0; j < count; ++j) {
      spent += impulse[j] * before[j];
      gained += 0.5 * impulse[j] * (speed[j] - before[j]);
    }
    if (!(spent < 0) || spent + gained <= 0) return;
    for (double& x : impulse) x *= -spent / gained;
  }
  void give(ActiveBody& a, ActiveBody& b) const {
    Vec3 straight = Vec3::Zero(), turn_a = straight, turn_b = straight;
    for (std::size_t j = 0; j < count; ++j) {
      straight += impulse[j] * direction[j];
      turn_a += impulse[j] * arm_a[j];
      turn_b += impulse[j] * arm_b[j];
    }
    a.velocity -= a.inverse_mass.cwiseProduct(straight);
    a.spin -= a.inverse_inertia * turn_a;
    b.velocity += b.inverse_mass.cwiseProduct(straight);
    b.spin += b.inverse_inertia * turn_b;
  }
};

// Brings friction at a point as near to sticking as its cone allows.
void rub(Rows& rows, std::size_t j, const Surfaces& surfaces) {
  const double t = rows.impulse[j + 1] + rows.missing(j + 1, 0),
               u = rows.impulse[j + 2] + rows.missing(j + 2, 0);
  const double size = std::sqrt(t * t + u * u), load = rows.impulse[j];
  const double scale = size > surfaces.friction_rest * load ? surfaces.friction_slide * load / size : 1;
  const double change_t = t * scale - rows.impulse[j + 1], change_u = u * scale - rows.impulse[j + 2];
  rows.push(j + 1, change_t);
  rows.push(j + 2, change_u);
}

}  // namespace

// Projected Gauss-Seidel over the points of one patch, in double, to the last digits.
void Impacts::exchange(ActiveBody& a, ActiveBody& b, const Contact& c, double time, double pull, Hit& hit) {
  const Vec3 n = c.patch.normal, t = anyNormalTo(n), u = n.cross(t);
  const double near = kTouching * least(a.fixed() ? 1e300 : in_.traits[c.a.index()].size,
                                        b.fixed() ? 1e300 : in_.traits[c.b.index()].size);
  const double slow = leastSpeed(c), gained = pull * time;
  Rows rows;
  std::array<double, 4> wanted{};
  std::array<std::size_t, 4> point{};
  for (std::size_t k = 0; k < static_cast<std::size_t>(c.patch.count); ++k) {
    const PointState& s = state_[k];
    if (!(s.gap - s.closing * time - 0.5 * pull * time * time < near)) continue;
    if (!(inverseMassAlong(a, s.ra, n) + inverseMassAlong(b, s.rb, n) > 0)) continue;
    point[rows.count / 3] = k;
    for (const Vec3& d : {n, t, u}) rows.add(a, b, s.ra, s.rb, d);
    const std::size_t row = rows.count - 3;
    const double at_hit = gained - rows.speed[row];  // gravity has made it faster by the time of the hit
    wanted[row / 3] = (at_hit > slow ? c.surfaces.bounce * at_hit : 0) + gained;
  }
  rows.respond(a, b);
  const std::array<double, Rows::kMost> before = rows.speed;
  for (int round = 0; round < kMostSweeps; ++round) {
    double change = 0;
    for (std::size_t j = 0; j < rows.count; j += 3) {
      const double now = greatest(rows.impulse[j] + rows.missing(j, wanted[j / 3]), 0);
      change = greatest(change, absolute(now - rows.impulse[j]) * rows.response[j][j]);
      rows.push(j, now - rows.impulse[j]);
      rub(rows, j, c.surfaces);
    }
    if (change < kExchanged * hit.speed) break;
  }
  rows.keepEnergy(before);
  rows.give(a, b);
  double most = -1;
  for (std::size_t j = 0; j < rows.count; j += 3) {
    hit.impulse += rows.impulse[j];
    if (rows.impulse[j] > most) most = rows.impulse[j], hit.place = c.patch.points[point[j / 3]].position;
  }
}

bool Impacts::pass(Bodies& bodies, double dt, std::vector<Hit>& hits) {
  for (const std::uint32_t body : touched_) clock_[body] = 0;
  touched_.clear();
  if (watched_.empty()) return false;
  for (const std::uint32_t i : watched_) due_[i / 64] |= std::uint64_t{1} << i % 64;
  // Up and down the list by turns: a blow runs along a row whichever way it is numbered. What is struck makes
  // its bodies' contacts due again, in this round or the next.
  for (int round = 0; round < kMostRounds; ++round) {
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
        if (strike(bodies, static_cast<std::uint32_t>(64 * word) + static_cast<std::uint32_t>(bit), dt, hits))
          struck = true;
      }
    }
    if (!struck) break;
  }
  std::fill(due_.begin(), due_.end(), 0);
  return !touched_.empty();
}

}  // namespace drubble::solve
