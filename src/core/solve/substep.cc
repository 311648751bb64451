// SPDX-License-Identifier: Apache-2.0
#include "core/solve/substep.h"

#include <algorithm>
#include <cmath>

#include "core/solve/accounts.h"
#include "core/solve/body_row.h"
#include "core/solve/flight.h"
#include "core/solve/groups.h"
#include "core/solve/links.h"
#include "core/solve/moving.h"
#include "core/solve/passes.h"
#include "core/solve/spring.h"

namespace drubble::solve {

namespace {

constexpr std::size_t kBodiesWorthAThread = 128;
constexpr std::size_t kAtHand = 32;  // bodies that are surely still in the first cache

// Calls visit(k) for the active bodies, which are counted from 1.
template <class Visit>
void eachBody(const SubstepInput& in, Visit visit) {
  shareOrAlone(in.engine.team, in.active.size(), kBodiesWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t k = begin; k < end; ++k) visit(k + 1);
               });
}

Bodies gatherBodies(const SubstepInput& in) {
  Bodies bodies(in.active.size() + 1);
  eachBody(in, [&](std::size_t n) {
    const std::size_t k = n - 1;
    const std::uint32_t p = in.active[k];
    const Traits& t = in.traits[p];
    ActiveBody& b = bodies[k + 1];
    b.piece = p;
    b.position = b.start_position = in.motion.position[p];
    b.turn = b.start_turn = in.motion.turn[p];
    b.velocity = in.motion.velocity[p];
    b.spin = in.motion.spin[p];
    b.damped = t.travel_damping > 0 || t.spin_damping > 0;
    b.rounded = t.roundness != shape::Roundness::None;
    b.tumbles = !t.round && !t.turnLocked();
    if (!t.dynamic) return;
    b.acceleration = t.free_travel.cwiseProduct(in.gravity * t.gravity_share);
    if (!in.pushes.empty()) b.acceleration += in.pushes[k].acceleration;
    b.inverse_mass = t.inverse_mass * t.free_travel;
    b.inverse_inertia = inverseInertiaWorld(t, b.turn);
  });
  for (std::uint32_t d = 0; d < in.drives.size(); ++d) bodies[in.body_of[in.drives[d].piece]].drive = d;
  return bodies;
}

// A body's velocities, as they stood in its row.
Speeds speedsOf(const BodyRow& row) {
  Speeds s;
  for (std::size_t k = 0; k < 3; ++k) s.velocity[k] = row.velocity[k], s.spin[k] = row.spin[k];
  return s;
}

constexpr double kResidual = 0.003;               // of what gravity gives in an internal step
constexpr std::size_t kIslandsWorthAThread = 64;  // all islands' together

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
    BlockInput block_in{out_.bodies, in_.body_of, in_.traits, out_.contacts, dt_, in_.h};
    block_in.team = in_.engine.team;
    block_in.kernel = in_.engine.kernel;
    in_.engine.enter(Work::Prepare);
    const BodyBriefs briefs = briefsOf(block_in);
    block_in.briefs = &briefs;
    const Links links = linksOf(block_in, in_.gravity.norm());
    block_in.links = &links;
    in_.engine.enter(Work::Impacts);
    Impacts impacts(block_in, in_.h, in_.gravity.norm());
    in_.engine.enter(Work::Prepare);
    takeJoints();
    out_.groups = groupContacts(block_in, in_.gravity.norm(), tiedBodies(joints_, block_in));
    for (std::size_t k = 0; k < joints_.size(); ++k)
      joints_[k].takeContacts(out_.groups.direct[k], out_.contacts, out_.bodies);
    joints_of_.resize(out_.groups.islands.size());
    for (std::size_t k = 0; k < joints_.size(); ++k)
      joints_of_[out_.groups.of_tied[k]].push_back(&joints_[k]);
    Passes together{out_.groups.together, rows_, dt_, in_.engine};
    const double enough = kResidual * in_.gravity.norm() * dt_;
    const auto iterate = [&](Pass pass, bool moved) {
      together.sweep(pass, moved);
      eachIsland([&](Passes island, bool parting) {
        const bool once = parting && pass == Pass::PushOut;
        std::size_t cost = island.list.cost;
        for (const JointGroup* g : island.joints) cost += g->blocks();
        island.sweepUntil(pass, moved, enough, once ? 1 : sweepsFor(cost));
      });
    };
    const bool track = anyFast();
    if (track) {
      out_.trails.resize(out_.bodies.size());
      beginWay();
    }
    eachBody(in_, [&](std::size_t i) {
      loadVelocity(out_.bodies[i], rows_[i]);
      loadPlace(out_.bodies[i], in_.traits, rows_[i]);
      if (track) keepWay(i);
    });
    Accounts accounts(out_.bodies, in_.traits, tied(), in_.engine.team);
    for (int step = 0; step < in_.iterations; ++step) {
      drive(step);
      in_.engine.enter(Work::Impacts);
      const bool struck = impacts.pass(out_.bodies, rows_, dt_, out_.hits);
      in_.engine.enter(Work::Motion);
      accelerate(step == 0);
      in_.engine.enter(Work::Passes);
      for (JointGroup& g : joints_) g.prepare(Pass::PushOut, dt_, out_.bodies, rows_);
      if (step == 0) {
        together.warmStart();
        eachIsland([](Passes island, bool) { island.warmStart(); });
      }
      for (JointGroup& g : joints_) g.warmStart(rows_);
      iterate(Pass::PushOut, struck);
      for (JointGroup& g : joints_) g.refine(out_.bodies, loaded_, rows_);
      const bool any_astir = accounts.begin(rows_, dt_);
      if (any_astir) count(Pass::PushOut, accounts);
      in_.engine.enter(Work::Motion);
      if (track) beginWay();
      move(step, track);
      in_.engine.enter(Work::Passes);
      for (JointGroup& g : joints_) {
        g.prepare(Pass::Settle, dt_, out_.bodies, rows_);
        g.springsAgain(out_.bodies, rows_, loaded_);
      }
      iterate(Pass::Settle, true);
      together.judgeSliding();
      eachIsland([](Passes island, bool) { island.judgeSliding(); });
      for (BlockList& direct : out_.groups.direct) Passes{direct, rows_, dt_, in_.engine}.judgeSliding();
      in_.engine.enter(Work::Motion);
      fold();
      if (any_astir) count(Pass::Settle, accounts);
      for (JointGroup& g : joints_) g.count(last_);
    }
    for (const JointGroup& g : joints_) {
      g.store(in_.iterations, out_.joint_states, out_.joint_loads);
      out_.work += g.work();
    }
    out_.dt = dt_;
    return std::move(out_);
  }

 private:
  void takeJoints() {
    if (in_.joints.joints.empty()) return;
    out_.joint_states.assign(in_.joints.states.begin(), in_.joints.states.end());
    out_.joint_loads.assign(in_.joints.loads.begin(), in_.joints.loads.end());
    joints_ = jointGroups(in_.joints, in_.body_of, in_.traits, in_.motion, out_.bodies, in_.gravity.norm());
    for (const JointGroup& g : joints_)
      for (const std::uint32_t body : g.moving()) out_.bodies[body].halves = g.sprung();
  }

  // By body: whether joints move it, or contacts that are solved with them. Empty: none.
  std::vector<char> tied() const {
    std::vector<char> out(joints_.empty() ? 0 : out_.bodies.size(), 0);
    for (const JointGroup& g : joints_)
      for (const JointBody& b : g.bodies()) out[b.body] = 1;
    return out;
  }

  // Islands share no bodies that move: several at a time.
  template <class Do>
  void eachIsland(Do one) {
    std::vector<BlockList>& islands = out_.groups.islands;
    std::size_t blocks = 0, most = 0, largest = 0;
    for (std::size_t k = 0; k < islands.size(); ++k) {
      const std::size_t size = islands[k].blocks.size();
      blocks += size;
      if (size > most) most = size, largest = k;
    }
    const auto pass = [&](std::size_t k, const Engine& engine) {
      one(Passes{islands[k], rows_, dt_, engine, joints_of_[k]}, out_.groups.parting[k] != 0);
    };
    // One that is larger than all others together is all threads'.
    const bool shared = most >= kIslandsWorthAThread && 2 * most > blocks;
    if (shared) pass(largest, in_.engine);
    shareOrAlone(blocks >= kIslandsWorthAThread ? in_.engine.team : nullptr, islands.size(), 1,
                 [&](std::size_t, std::size_t begin, std::size_t end) {
                   for (std::size_t k = begin; k < end; ++k)
                     if (!shared || k != largest) pass(k, in_.engine.alone());
                 });
  }

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

  void beginWay() {
    PagedVector<Pose>& now = out_.way.emplace_back();
    addUnset(now, out_.bodies.size());
    now[0] = {};
  }

  void keepWay(std::size_t i) {
    const ActiveBody& b = out_.bodies[i];
    out_.way.back()[i] = {b.position, b.turn};
    out_.trails[i].add(b.position, b.start_turn, b.turn);
  }

  void count(Pass after, Accounts& accounts) {
    Passes{out_.groups.together, rows_, dt_, in_.engine}.count(after, accounts);
    eachIsland([&](Passes island, bool) { island.count(after, accounts); });
    accounts.balance(after, loaded_, rows_, out_.bodies);
  }

  // A driven body's velocity is what takes it to its place at the internal step's end.
  void drive(int step) {
    for (const Drive& d : in_.drives) {
      ActiveBody& b = out_.bodies[in_.body_of[d.piece]];
      const Pose &from = d.poses[static_cast<std::size_t>(step)],
                 &to = d.poses[static_cast<std::size_t>(step) + 1];
      b.velocity = (to.position - from.position) / dt_;
      b.spin = turnBetween(from.turn, to.turn) / dt_;
      loadVelocity(b, rows_[in_.body_of[d.piece]]);
    }
  }

  // Rows are fixed within a substep: but for the first step, last time's impulses give again what they gave.
  void accelerate(bool first) {
    eachBody(in_, [&](std::size_t i) {
      ActiveBody& b = out_.bodies[i];
      if (b.drive == kNotDriven) {
        b.velocity += (b.halves ? 0.5 : 1) * dt_ * b.acceleration;
        if (!in_.pushes.empty()) b.spin += dt_ * in_.pushes[i - 1].spin;
        if (b.damped) damp(in_.traits[b.piece], b);
      }
      BodyRow& row = rows_[i];
      loadVelocity(b, row);
      loaded_[i] = speedsOf(row);
      for (std::size_t k = 0; k < 3 && !first; ++k) {
        row.velocity[k] += last_[i].velocity[k];
        row.spin[k] += last_[i].spin[k];
      }
    });
  }

  void damp(const Traits& t, ActiveBody& b) const {
    if (t.travel_damping > 0) b.velocity /= 1 + t.travel_damping * dt_;
    if (t.spin_damping > 0) b.spin /= 1 + t.spin_damping * dt_;
  }

  void move(int step, bool track) {
    Moving moving{in_, dt_, out_.bodies, rows_, loaded_};
    shareOrAlone(in_.engine.team, in_.active.size(), kBodiesWorthAThread,
                 [&](std::size_t, std::size_t begin, std::size_t end) {
                   // Some at a time, so that those whose way is kept are still at hand.
                   for (std::size_t i = begin + 1; i <= end;) {
                     const std::size_t next = std::min(i + kAtHand, end + 1);
                     moving.move(step, i, next);
                     for (; i < next; ++i)
                       if (track) keepWay(i);
                   }
                 });
  }

  void fold() {
    eachBody(in_, [&](std::size_t i) {
      for (std::size_t k = 0; k < 3; ++k) {
        last_[i].velocity[k] = rows_[i].velocity[k] - loaded_[i].velocity[k];
        last_[i].spin[k] = rows_[i].spin[k] - loaded_[i].spin[k];
      }
      const Given g = given(loaded_[i], rows_[i]);
      out_.bodies[i].velocity += g.velocity;
      out_.bodies[i].spin += g.spin;
    });
  }

  const SubstepInput& in_;
  double dt_;
  BodyRows rows_;
  PagedVector<Speeds> loaded_, last_;  // when the internal step began; what the solver gave in the one before
  Proposal out_;
  std::vector<JointGroup> joints_;
  std::vector<std::vector<JointGroup*>> joints_of_;  // an island
};

}  // namespace

Proposal solveSubstep(const SubstepInput& in, Contacts contacts) {
  return Substep(in, std::move(contacts)).run();
}

void takeForces(Proposal& p, Team* team) {
  storeForces(p.groups.together, p.dt, team, p.contacts);
  for (const BlockList& island : p.groups.islands) storeForces(island, p.dt, team, p.contacts);
  for (const BlockList& direct : p.groups.direct) storeForces(direct, p.dt, nullptr, p.contacts);
  p.groups = {};
}

namespace {

// Loads of an island are looked for in so many blocks' sweeps: what is too large for that finds the rest
// while it stands, over the first frames.
constexpr std::size_t kLoadBudget = 1'500'000;
constexpr int kLeastLoadSweeps = 60;

}  // namespace

void findLoads(const SubstepInput& in, int sweeps, Contacts& contacts) {
  const double dt = in.h / in.iterations;
  Bodies bodies = gatherBodies(in);
  BlockInput block_in{bodies, in.body_of, in.traits, contacts, dt, 0};
  block_in.team = in.engine.team;
  block_in.kernel = in.engine.kernel;
  std::vector<BlockList> islands = islandBlocks(block_in);
  BodyRows rows(bodies.size());
  for (std::size_t i = 1; i < bodies.size(); ++i) {
    bodies[i].velocity += bodies[i].acceleration * dt;
    loadVelocity(bodies[i], rows[i]);
  }
  const double enough = 0.1 * kResidual * in.gravity.norm() * dt;
  for (BlockList& list : islands) {
    Passes island{list, rows, dt, in.engine};
    island.warmStart();
    // Springs first: they share a load evenly among the points that could bear it.
    const int most = std::clamp(static_cast<int>(kLoadBudget / std::max<std::size_t>(list.blocks.size(), 1)),
                                std::min(kLeastLoadSweeps, sweeps), sweeps);
    island.sweepUntil(Pass::PushOut, false, enough, most);
    island.sweepUntil(Pass::Settle, false, enough, most);
    storeForces(list, dt, in.engine.team, contacts);
  }
}

}  // namespace drubble::solve
