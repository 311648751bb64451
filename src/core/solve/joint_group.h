// SPDX-License-Identifier: Apache-2.0
// Bodies that joints tie together, solved at once: what a chain of fifty links carries is found in one go,
// however heavy its load is against a link. What only pushes, or only so hard, is found by trying: rows at
// their bounds are taken out, others taken in, until all agree (Murty, Note on a Bard-type scheme for solving
// the complementarity problem, 1974). Ends are held where they will be after the step, not where their speeds
// point (Ryckaert, Ciccotti, Berendsen, Numerical integration of the Cartesian equations of motion of a
// system with constraints, 1977); what speed that leaves is taken away after it (Andersen, Rattle, 1983).
// Springs are implicit midpoints, half before the motion and half after it: they neither gain nor lose.
#pragma once
#include <span>
#include <vector>

#include "core/solve/block.h"
#include "core/solve/envelope.h"
#include "core/solve/joint_rows.h"

namespace drubble::solve {

// The joints of a scene and what they have of history; by joint, as `joints`.
struct JointInput {
  std::span<const Joint> joints;
  std::span<const JointState> states;
  std::span<const JointLoad> loads;  // in the substep before
};

// Bodies' velocities when the internal step began: what changes them there is not counted as given by the
// solver.
struct Speeds {
  float velocity[3]{}, spin[3]{};
};

// Adds to a body's speeds, and to what it began with: the solver did not give it.
void addUncounted(const Vec3& velocity, const Vec3& spin, ActiveBody& body, BodyRow& row, Speeds& loaded);

// 1/s: ends that are so many sizes apart come together in a second.
inline constexpr double kEaseRate = 4;

class JointGroup {
 public:
  // `gravity`: magnitude, m/s2. `members`: places in `joints`, tied to each other. Poses of what does not
  // move are read from `motion`.
  JointGroup(const JointInput& in, const std::vector<std::uint32_t>& members,
             const std::vector<std::uint32_t>& body_of, const std::vector<Traits>& traits,
             const Motion& motion, const Bodies& bodies, double gravity);

  // Those that move, of the substep's bodies; ascending.
  const std::vector<std::uint32_t>& moving() const { return moving_; }
  bool sprung() const { return sprung_; }
  double work() const { return work_; }  // J, that its motors put in

  // Takes the bodies as they stand at the start of a pass over `dt` seconds.
  void prepare(Pass pass, double dt, const Bodies& bodies);
  // Gives what it carried last, along the rows as they lie now; `first`: of the substep.
  void warmStart(bool first, BodyRows& rows);
  // Makes all rows right. Returns by how much (m/s) the worst was wrong.
  double solve(BodyRows& rows);
  // After the push-out: looks where the bodies will be, and puts right what is not.
  void refine(const Bodies& bodies, std::span<const Speeds> loaded, BodyRows& rows);
  // After the motion: the other half of what springs give. Changes velocities and `loaded` alike.
  void springsAgain(Bodies& bodies, BodyRows& rows, std::span<Speeds> loaded);
  // Counts what was carried in the internal step, and takes it out of what the solver gave in it: what warm
  // starts contacts is theirs alone.
  void count(std::span<Speeds> given);
  // At the end: states and loads of its joints, on average over `steps` internal steps.
  void store(int steps, std::span<JointState> states, std::span<JointLoad> loads) const;

 private:
  void order(const std::vector<std::uint32_t>& members);
  std::uint32_t localBody(PieceId piece);
  void takeBodies(const Bodies& bodies);
  void buildRows();
  void setTargets();
  void assemble();
  bool factor();
  void loadSpeeds(const BodyRows& rows);
  void give(std::size_t row, double impulse);
  bool changeSides(bool one_only);
  void putAtBound(std::size_t row);
  void storeSpeeds(BodyRows& rows);  // what changed since loadSpeeds
  double speedOf(const JointRow& r) const;
  double least(const JointRow& r) const;
  double most(const JointRow& r) const;
  double& total(const JointRow& r) { return totals_[r.joint][r.slot]; }
  double total(const JointRow& r) const { return totals_[r.joint][r.slot]; }

  const JointInput in_;
  const std::vector<std::uint32_t>& body_of_;
  const std::vector<Traits>& traits_;
  const Motion& motion_;
  std::vector<std::uint32_t> joints_;  // in the order in which they are solved
  std::vector<JointPlaces> places_;
  std::vector<PieceId> pieces_;  // of bodies_
  std::vector<JointBody> bodies_;
  std::vector<std::uint32_t> moving_;
  bool sprung_ = false;

  Pass pass_ = Pass::PushOut;
  double dt_ = 0;
  JointRows rows_;
  std::vector<JointTerm> response_;    // a term: what a N s of its row does to the body
  std::vector<double> target_, soft_;  // a row: m/s; what a N s gives way
  enum class Side : std::uint8_t {
    Free,
    Low,
    High,
    Out
  };                        // within its bounds, at one of them, or not solved
  std::vector<Side> side_;  // a row
  Envelope matrix_, factors_;
  bool factored_ = false;
  double ease_speed_ = 0;  // m/s: how fast ends that are apart come together
  // rad/s: what holds gives way like a spring that swings so fast; and in this step. From size and gravity,
  // not from the step: what hangs straight across a gap sags as much however finely time is cut.
  double rate_ = 0, swing_ = 0;

  using Slots = std::array<double, kMostJointRows>;
  std::vector<Slots> begun_;  // what counts from where in this pass: what is soft gives way to the rest
  std::vector<Slots> totals_, sums_;  // a joint of the group: N s in this internal step, in all
  std::vector<Speeds> given_;         // a body of the group: by joints, in this internal step
  struct Moving {
    Vec3 velocity, spin;
  };
  std::vector<Moving> before_;   // a body: as loaded
  std::vector<double> unknown_;  // a row: N s
  std::vector<double> turned_;
  std::vector<double> going_;  // a row: its speed in the motion
  double work_ = 0;
  std::vector<double> spring_error_;  // a joint: m, when the step began
};

// Groups of joints that share bodies which move, by their lowest joint; those that move nothing are left out.
std::vector<JointGroup> jointGroups(const JointInput& in, const std::vector<std::uint32_t>& body_of,
                                    const std::vector<Traits>& traits, const Motion& motion,
                                    const Bodies& bodies, double gravity);

}  // namespace drubble::solve
