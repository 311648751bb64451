// SPDX-License-Identifier: Apache-2.0
#include "core/solve/moving.h"

#include <array>

#include "core/solve/body_row.h"
#include "core/solve/flight.h"

namespace drubble::solve {

namespace {

constexpr std::size_t kTogether = 4;  // bodies that turn side by side

void setLane(double (&to)[3][4], std::size_t lane, const Vec3& v) {
  for (std::size_t k = 0; k < 3; ++k) to[k][lane] = v[static_cast<int>(k)];
}
void setLane(double (&to)[4][4], std::size_t lane, const Quat& q) {
  to[0][lane] = q.x(), to[1][lane] = q.y(), to[2][lane] = q.z(), to[3][lane] = q.w();
}

}  // namespace

void Moving::move(int step, std::size_t begin, std::size_t end) {
  for (std::size_t i = begin; i < end;) {
    if (i + kTogether <= end && moveFour(i)) {
      i += kTogether;
      continue;
    }
    moveOne(step, i++);
  }
}

void Moving::moveOne(int step, std::size_t i) {
  ActiveBody& b = bodies[i];
  if (b.drive != kNotDriven) {
    const Pose& to = in.drives[b.drive].poses[static_cast<std::size_t>(step) + 1];
    b.position = to.position;
    b.turn = to.turn;
    loadPlace(b, in.traits, rows[i]);
    return;
  }
  const Given g = given(loaded[i], rows[i]);
  travel(b, g);
  Vec3 spin = b.spin + g.spin;
  if (b.tumbles)
    spinFreely(in.traits[b.piece], dt, b.turn, spin);
  else
    b.turn = (turnBy(spin * dt) * b.turn).normalized();
  loadPlace(b, in.traits, rows[i]);
  takeSpin(spin, g, i);
}

// The same of four bodies from i on, if they turn alike; false: they do not, and nothing has changed.
bool Moving::moveFour(std::size_t i) {
  Turns4 t;
  const shape::Roundness roundness = in.traits[bodies[i].piece].roundness;
  for (std::size_t lane = 0; lane < kTogether; ++lane) {
    const ActiveBody& b = bodies[i + lane];
    if (b.drive != kNotDriven) return false;
    const Traits& own = in.traits[b.piece];
    const TurnKind kind = !b.tumbles ? TurnKind::Even : own.top.along > 0 ? TurnKind::Top : TurnKind::Any;
    if (lane == 0) t.kind = kind;
    if (kind != t.kind || own.roundness != roundness) return false;
    if (kind == TurnKind::Top) {
      setLane(t.axis, lane, own.top.axis);
      t.along[lane] = own.top.along;
      t.across[lane] = own.top.across;
    } else if (kind == TurnKind::Any) {
      setLane(t.principal, lane, own.principal);
      setLane(t.moments, lane, own.moments);
    }
    setLane(t.round_axis, lane, own.round_axis);
  }
  t.round_axis_only = roundness == shape::Roundness::Axis;
  std::array<Given, kTogether> all;
  for (std::size_t lane = 0; lane < kTogether; ++lane) {
    ActiveBody& b = bodies[i + lane];
    const Given& g = all[lane] = given(loaded[i + lane], rows[i + lane]);
    travel(b, g);
    setLane(t.turn, lane, b.turn);
    setLane(t.start, lane, b.start_turn);
    setLane(t.spin, lane, Vec3(b.spin + g.spin));
  }
  in.engine.kernel->turnFour(t, dt);
  for (std::size_t lane = 0; lane < kTogether; ++lane) {
    ActiveBody& b = bodies[i + lane];
    BodyRow& row = rows[i + lane];
    b.turn = Quat(t.turn[3][lane], t.turn[0][lane], t.turn[1][lane], t.turn[2][lane]);
    loadMoved(b, row);
    for (std::size_t k = 0; k < 4; ++k)
      row.turned[k] = roundness == shape::Roundness::Ball ? static_cast<float>(k == 3)
                                                          : static_cast<float>(t.turned[k][lane]);
    takeSpin(vec3(t.spin[0][lane], t.spin[1][lane], t.spin[2][lane]), all[lane], i + lane);
  }
  return true;
}

void Moving::travel(ActiveBody& b, const Given& g) const {
  const bool free = g.velocity.isZero(0) && g.spin.isZero(0);
  // Velocity already holds the step's gravity: the parabola is half of it behind.
  b.position += (b.velocity + g.velocity) * dt;
  if (free && !b.halves) b.position -= 0.5 * dt * dt * b.acceleration;
}

void Moving::takeSpin(const Vec3& spin, const Given& g, std::size_t i) {
  ActiveBody& b = bodies[i];
  b.spin = spin - g.spin;
  keepGiven(b, i);
  if (b.halves) addUncounted(0.5 * dt * b.acceleration, Vec3::Zero(), b, rows[i], loaded[i]);
}

// The free spin may have turned the spin: the row follows, what was given stays given.
void Moving::keepGiven(const ActiveBody& b, std::size_t i) {
  for (int k = 0; k < 3; ++k) {
    const float base = static_cast<float>(b.spin[k]), had = rows[i].spin[k] - loaded[i].spin[k];
    rows[i].spin[k] = base + had;
    loaded[i].spin[k] = base;
  }
}

}  // namespace drubble::solve
