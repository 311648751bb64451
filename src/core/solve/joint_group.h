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
#include "core/solve/groups.h"
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
             const std::vector<std::uint32_t>& body_of, const TraitsList& traits, const Motion& motion,
             const Bodies& bodies, double gravity);

  // Those that move, of the substep's bodies; ascending.
  const std::vector<std::uint32_t>& moving() const { return moving_; }
  // All that its rows know, also what its contacts only touch; the first stands for what does not move.
  const std::vector<JointBody>& bodies() const { return bodies_; }
  bool sprung() const { return sprung_; }
  // All of its joints yield: it solves no contacts.
  bool yields() const { return yields_; }
  // What solving it costs, in blocks of contacts.
  std::size_t blocks() const { return rows_.rows.size() / 4; }
  double work() const { return work_; }  // J, that its motors put in

  // Contacts of its bodies that it solves with its joints, in blocks as for the passes; they must outlive it.
  // A contact's other body may be one that no joint ties.
  void takeContacts(BlockList& contacts, const Contacts& of, const Bodies& bodies);

  // Takes the bodies as they stand at the start of a pass over `dt` seconds.
  void prepare(Pass pass, double dt, const Bodies& bodies, const BodyRows& rows);
  // Gives what it carried last, along the rows as they lie now.
  void warmStart(BodyRows& rows);
  // Makes all rows right. Returns by how much (m/s) the worst was wrong. `enough`: 0 where nothing else moves
  // its bodies in this pass; else it will be called again, may be wrong by as much (m/s), and need not find
  // out to the end what slides.
  double solve(double enough, BodyRows& rows);
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
  void yield();
  void orderBodies();
  void prepareYielding();
  bool factorYielding();
  void giveYielding();
  double solveYielding(double enough, BodyRows& rows);
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
  double& total(std::size_t row) {
    const JointRow& r = rows_.rows[row];
    return row < joint_rows_ ? totals_[r.joint][r.slot] : patches_[r.joint].total[r.slot];
  }
  double begun(std::size_t row) const {
    const JointRow& r = rows_.rows[row];
    return row < joint_rows_ ? begun_[r.joint][r.slot] : patches_[r.joint].begun[r.slot];
  }

  // A contact that is solved here: rows of its points' normals, along, across, the twist and, of what rolls,
  // two against it; totals in that order of slots.
  struct Patch {
    static constexpr std::size_t kAlong = 4, kAcross = 5, kTwist = 6, kRollAlong = 7, kRollAcross = 8;
    std::uint32_t block = 0, lane = 0, a = 0, b = 0;  // bodies of the group
    std::uint32_t points = 0;
    std::uint32_t first_row = 0;  // the points'; the others follow
    bool rolls = false;
    std::array<double, 9> total{}, begun{};
    std::array<double, 4> gap{};  // m, now
  };
  Row8* impulseOf(const Patch& p, std::size_t slot);
  void addContactRows();
  void findGaps(const BodyRows& rows);
  void contactTarget(std::size_t row);
  double findMissing();
  void findSides(int most_slides);
  void relax();
  enum class Change : std::uint8_t { None, Values, Sides };  // of friction, the greater the worse
  Change changeFriction();
  Change limitPair(std::size_t first, double limit, double xx, double xy, double yy);
  Change limitOne(std::size_t row, double limit, double mass);
  void putImpulses();

  const JointInput in_;
  const std::vector<std::uint32_t>& body_of_;
  const TraitsList& traits_;
  const Motion& motion_;
  std::vector<std::uint32_t> joints_;  // in the order in which they are solved
  std::vector<JointPlaces> places_;
  std::vector<PieceId> pieces_;  // of bodies_
  std::vector<JointBody> bodies_;
  std::vector<std::uint32_t> moving_;
  bool sprung_ = false, yields_ = false;

  Pass pass_ = Pass::PushOut;
  double dt_ = 0;
  JointRows rows_;
  std::size_t joint_rows_ = 0;  // the first so many; contacts' follow
  BlockList* contacts_ = nullptr;
  std::vector<Patch> patches_;
  std::vector<JointTerm> response_;    // a term: what a N s of its row does to the body
  std::vector<double> target_, soft_;  // a row: m/s; what a N s gives way
  std::vector<double> ease_;           // a row: m/s; how fast ends that are apart come together
  // Within its bounds, at one of them, held at what friction bears, or not solved.
  enum class Side : std::uint8_t { Free, Low, High, Slides, Out };
  std::vector<Side> side_;  // a row
  Envelope matrix_, factors_;
  bool factored_ = false;
  static constexpr std::uint32_t kNoPlace = 0xffffffffu;
  std::vector<std::uint32_t> place_of_;  // of yielding joints, a body: where in the matrix
  double ease_speed_ = 0;                // m/s: the same without a load
  // rad/s: what holds gives way like a spring that swings so fast. From size and gravity, not from the step:
  // what hangs straight across a gap sags as much however finely time is cut.
  double rate_ = 0;
  // Of that spring, damped, in this step: 1/s, how what gave way comes back; and what a row gives, as a share
  // of what it gives alone.
  double ease_rate_ = 0, give_ = 0;

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
  std::vector<std::array<double, 6>> set_;  // a joint: how far it has given for good
  std::vector<double> strained_;
  std::vector<double> going_;  // a row: its speed in the motion
  double work_ = 0;
  std::vector<double> spring_error_;  // a joint: m, when the step began
};

// Groups of joints that share bodies which move, by their lowest joint; those that move nothing are left out.
// Joints that yield are in groups of their own.
std::vector<JointGroup> jointGroups(const JointInput& in, const std::vector<std::uint32_t>& body_of,
                                    const TraitsList& traits, const Motion& motion, const Bodies& bodies,
                                    double gravity);

// The bodies of each group, and which contacts it solves with its joints: those within the group, and those
// with what is much heavier than its bodies or presses on them with many times their weight, up to a number.
// `in.briefs` must be there.
Tied tiedBodies(const std::vector<JointGroup>& groups, const BlockInput& in);

}  // namespace drubble::solve
