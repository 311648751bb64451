// SPDX-License-Identifier: Apache-2.0
#include "core/solve/substep.h"

#include <cmath>

#include "core/solve/flight.h"
#include "core/solve/groups.h"
#include "core/solve/passes.h"
#include "core/solve/spring.h"

namespace drubble::solve {

namespace {

std::vector<ActiveBody> gatherBodies(const SubstepInput& in) {
  std::vector<ActiveBody> bodies(in.active.size() + 1);
  for (std::size_t k = 0; k < in.active.size(); ++k) {
    const std::uint32_t p = in.active[k];
    const Traits& t = in.traits[p];
    ActiveBody& b = bodies[k + 1];
    b.piece = p;
    b.position = b.start_position = in.motion.position[p];
    b.turn = b.start_turn = in.motion.turn[p];
    b.velocity = in.motion.velocity[p];
    b.spin = in.motion.spin[p];
    if (!t.dynamic) continue;
    b.acceleration = t.free_travel.cwiseProduct(in.gravity * t.gravity_share);
    b.inverse_mass = t.inverse_mass * t.free_travel;
    b.inverse_inertia = inverseInertiaWorld(t, b.turn);
  }
  for (std::uint32_t d = 0; d < in.drives.size(); ++d) bodies[in.body_of[in.drives[d].piece]].drive = d;
  return bodies;
}

void loadVelocity(const ActiveBody& b, BodyRow& row) {
  for (int k = 0; k < 3; ++k) {
    row.velocity[k] = static_cast<float>(b.velocity[k]);
    row.spin[k] = static_cast<float>(b.spin[k]);
  }
}

void loadPlace(const ActiveBody& b, const Traits& traits, BodyRow& row) {
  const Vec3 moved = b.position - b.start_position;
  const Quat turned = touchTurn(traits, b.start_turn, b.turn);
  for (int k = 0; k < 3; ++k) row.moved[k] = static_cast<float>(moved[k]);
  row.turned[0] = static_cast<float>(turned.x());
  row.turned[1] = static_cast<float>(turned.y());
  row.turned[2] = static_cast<float>(turned.z());
  row.turned[3] = static_cast<float>(turned.w());
}

// What the solver has given a body in this internal step. Exactly zero for a body that nothing touched.
struct Given {
  Vec3 velocity, spin;
};

Given given(const BodyRow& loaded, const BodyRow& now) {
  Given g;
  for (int k = 0; k < 3; ++k) {
    g.velocity[k] = static_cast<double>(now.velocity[k] - loaded.velocity[k]);
    g.spin[k] = static_cast<double>(now.spin[k] - loaded.spin[k]);
  }
  return g;
}

constexpr double kResidual = 0.003;  // of what gravity gives in an internal step
constexpr int kMostSweeps = 60, kFewestSweeps = 1;
constexpr std::size_t kSweepBudget = 1500;  // blocks swept in a pass

// An island too large for all sweeps within the budget gets fewer: its settling is spread over more internal
// steps.
int sweepsFor(const std::vector<ContactBlock>& island) {
  const std::size_t n = kSweepBudget / (island.empty() ? 1 : island.size());
  return static_cast<int>(clamped(static_cast<double>(n), kFewestSweeps, kMostSweeps));
}

class Substep {
 public:
  Substep(const SubstepInput& in, Contacts contacts)
      : in_(in),
        dt_(in.h / in.iterations),
        rows_(in.active.size() + 1),
        loaded_(rows_.size()),
        last_(rows_.size()) {
    out_.bodies = gatherBodies(in);
    out_.contacts = std::move(contacts);
  }

  Proposal run() {
    BlockInput block_in{out_.bodies, in_.body_of, in_.traits, out_.contacts, dt_};
    block_in.substep = in_.h;
    Impacts impacts(block_in, in_.h, in_.gravity.norm());
    Groups groups = groupContacts(block_in, in_.gravity.norm());
    std::vector<ContactBlock>& blocks = groups.lively;
    const double enough = kResidual * in_.gravity.norm() * dt_;
    const auto iterate = [&](Pass pass) {
      sweep(blocks, rows_, dt_, pass);
      for (std::vector<ContactBlock>& g : groups.calm) sweepUntil(g, rows_, dt_, pass, enough, sweepsFor(g));
    };
    const bool track = anyFast();
    if (track) keepWay();
    for (int step = 0; step < in_.iterations; ++step) {
      drive(step);
      impacts.pass(out_.bodies, dt_, out_.hits);
      accelerate();
      if (step == 0) {
        warmStart(blocks, rows_);
        for (const std::vector<ContactBlock>& g : groups.calm) warmStart(g, rows_);
      } else {
        repeatLast();
      }
      iterate(Pass::PushOut);
      move(impacts, step);
      if (track) keepWay();
      iterate(Pass::Settle);
      judgeSliding(blocks);
      for (std::vector<ContactBlock>& g : groups.calm) judgeSliding(g);
      fold();
    }
    storeForces(blocks, dt_, out_.contacts);
    for (const std::vector<ContactBlock>& g : groups.calm) storeForces(g, dt_, out_.contacts);
    return std::move(out_);
  }

 private:
  bool anyFast() const {
    double least_radius = std::numeric_limits<double>::infinity(), most = 0;
    for (std::size_t i = 1; i < out_.bodies.size(); ++i) {
      const ActiveBody& b = out_.bodies[i];
      const Traits& t = in_.traits[b.piece];
      double speed = b.velocity.norm() + b.acceleration.norm() * in_.h;
      if (b.drive != kNotDriven) speed += b.spin.norm() * t.outer_radius;
      if (t.dynamic) least_radius = least(least_radius, t.inner_radius);
      most = greatest(most, speed);
    }
    return most * in_.h > kFastShare * least_radius;
  }

  void keepWay() {
    std::vector<Pose>& now = out_.way.emplace_back();
    for (const ActiveBody& b : out_.bodies) now.push_back({b.position, b.turn});
  }

  // A driven body's velocity is what takes it to its place at the internal step's end.
  void drive(int step) {
    for (const Drive& d : in_.drives) {
      ActiveBody& b = out_.bodies[in_.body_of[d.piece]];
      const Pose &from = d.poses[static_cast<std::size_t>(step)],
                 &to = d.poses[static_cast<std::size_t>(step) + 1];
      b.velocity = (to.position - from.position) / dt_;
      b.spin = turnBetween(from.turn, to.turn) / dt_;
    }
  }

  void accelerate() {
    for (std::size_t i = 1; i < rows_.size(); ++i) {
      ActiveBody& b = out_.bodies[i];
      const Traits& t = in_.traits[b.piece];
      if (b.drive == kNotDriven) {
        b.velocity += b.acceleration * dt_;
        if (t.travel_damping > 0) b.velocity /= 1 + t.travel_damping * dt_;
        if (t.spin_damping > 0) b.spin /= 1 + t.spin_damping * dt_;
      }
      loadVelocity(b, rows_[i]);
      loadPlace(b, in_.traits[b.piece], rows_[i]);
      loaded_[i] = rows_[i];
    }
  }

  // Rows are fixed within a substep: last time's impulses give again what they gave.
  void repeatLast() {
    for (std::size_t i = 1; i < rows_.size(); ++i) {
      for (std::size_t k = 0; k < 3; ++k) {
        rows_[i].velocity[k] += last_[i].velocity[k];
        rows_[i].spin[k] += last_[i].spin[k];
      }
    }
  }

  void move(const Impacts& impacts, int step) {
    for (std::size_t i = 1; i < rows_.size(); ++i) {
      ActiveBody& b = out_.bodies[i];
      if (b.drive != kNotDriven) {
        const Pose& to = in_.drives[b.drive].poses[static_cast<std::size_t>(step) + 1];
        b.position = to.position;
        b.turn = to.turn;
        loadPlace(b, in_.traits[b.piece], rows_[i]);
        continue;
      }
      const Given g = given(loaded_[i], rows_[i]);
      const bool free = g.velocity.isZero(0) && g.spin.isZero(0);
      // Velocity already holds the step's gravity: the parabola is half of it behind.
      b.position += (b.velocity + g.velocity) * dt_;
      if (free) b.position -= 0.5 * dt_ * dt_ * b.acceleration;
      Vec3 spin = b.spin + g.spin;
      spinFreely(in_.traits[b.piece], dt_, b.turn, spin);
      b.spin = spin - g.spin;
      if (impacts.any()) {
        b.position += impacts.shift(i);
        if (!impacts.turnShift(i).isZero(0)) b.turn = (turnBy(impacts.turnShift(i)) * b.turn).normalized();
      }
      loadPlace(b, in_.traits[b.piece], rows_[i]);
      keepGiven(b, i);
    }
  }

  // The free spin may have turned the spin: the row follows, what was given stays given.
  void keepGiven(const ActiveBody& b, std::size_t i) {
    for (int k = 0; k < 3; ++k) {
      const float base = static_cast<float>(b.spin[k]), had = rows_[i].spin[k] - loaded_[i].spin[k];
      rows_[i].spin[k] = base + had;
      loaded_[i].spin[k] = base;
    }
  }

  void fold() {
    for (std::size_t i = 1; i < rows_.size(); ++i) {
      for (std::size_t k = 0; k < 3; ++k) {
        last_[i].velocity[k] = rows_[i].velocity[k] - loaded_[i].velocity[k];
        last_[i].spin[k] = rows_[i].spin[k] - loaded_[i].spin[k];
      }
      const Given g = given(loaded_[i], rows_[i]);
      out_.bodies[i].velocity += g.velocity;
      out_.bodies[i].spin += g.spin;
    }
  }

  const SubstepInput& in_;
  double dt_;
  std::vector<BodyRow> rows_, loaded_, last_;
  Proposal out_;
};

}  // namespace

Proposal solveSubstep(const SubstepInput& in, Contacts contacts) {
  return Substep(in, std::move(contacts)).run();
}

void findLoads(const SubstepInput& in, int sweeps, Contacts& contacts) {
  const double dt = in.h / in.iterations;
  std::vector<ActiveBody> bodies = gatherBodies(in);
  const BlockInput block_in{bodies, in.body_of, in.traits, contacts, dt, kLivelyDamping};
  std::vector<std::vector<ContactBlock>> islands = islandBlocks(block_in);
  std::vector<BodyRow> rows(bodies.size());
  for (std::size_t i = 1; i < bodies.size(); ++i) {
    bodies[i].velocity += bodies[i].acceleration * dt;
    loadVelocity(bodies[i], rows[i]);
  }
  const double enough = 0.1 * kResidual * in.gravity.norm() * dt;
  for (std::vector<ContactBlock>& blocks : islands) {
    warmStart(blocks, rows);
    // Springs first: they share a load evenly among the points that could bear it.
    sweepUntil(blocks, rows, dt, Pass::PushOut, enough, sweeps);
    sweepUntil(blocks, rows, dt, Pass::Settle, enough, sweeps);
    storeForces(blocks, dt, contacts);
  }
}

}  // namespace drubble::solve
