// SPDX-License-Identifier: Apache-2.0
// The pieces' state and how a frame advances it.
//
// Data in: a Scene. Data out: motion in world space (SI), one entry a piece, after each frame.
// I1 a substep is proposed, judged, and only then committed: a refused one leaves the world as it was.
// I2 the state depends on the scene and the number of frames only: not on the machine, the build, or whether
// it was saved
//    and restored in between.
// I3 contacts are sorted by their pieces; each pair's stand together.
// Not thread safe. Cost: mostly the pair tests, once a substep, then the contact sweeps, twice an internal
// step.
#pragma once
#include <cstdint>
#include <map>
#include <span>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/sets.h"
#include "core/base/team.h"
#include "core/bond/stress.h"
#include "core/collide/near_pairs.h"
#include "core/collide/pairs.h"
#include "core/mesh/tree.h"
#include "core/solve/contact.h"
#include "core/solve/substep.h"
#include "core/world/clusters.h"
#include "core/world/frame_stats.h"
#include "core/world/loose_boxes.h"
#include "core/world/pair_rules.h"
#include "core/world/parts.h"
#include "core/world/resting.h"
#include "core/world/scene.h"

namespace drubble::world {

// Progress and cancelling; asked once a substep. Told which stage the work is in.
class Watcher : public WorkListener {
 public:
  virtual bool cancelled() { return false; }
};

// What a world runs on: how many threads share the work, and the instructions of the solver's loops. Changes
// no bit.
struct Machine {
  int threads = 1;
  solve::Lanes lanes = solve::Lanes::Auto;
};

class World {
 public:
  explicit World(const Scene& scene, Machine machine = {});

  const Scene& scene() const { return scene_; }
  // That it runs on; free between frames.
  Team& team() { return team_; }
  int frame() const { return frame_; }
  const solve::Motion& motion() const { return motion_; }
  const solve::TraitsList& traits() const { return traits_; }
  // What a piece is felt as now: its prototype's shape, or what that is bent to.
  const shape::Shape& shapeOf(std::size_t piece) const;
  // Whether its form changed in the last frame.
  bool bending(std::size_t piece) const;
  // Those whose prototypes bend, ascending.
  const std::vector<std::uint32_t>& bendingPieces() const { return bending_pieces_; }
  // How fast its surface goes on top of that, at most (m/s).
  double bendSpeed(std::size_t piece) const;
  Sleep sleepOf(std::size_t piece) const { return sleep_[piece]; }
  // Neither awake nor driven.
  bool resting(std::size_t piece) const {
    return sleep_[piece] != Sleep::Awake && sleep_[piece] != Sleep::Driven;
  }
  // Those of pieces that move, by pair. Those between pieces that both rest stand in restingContacts().
  const solve::Contacts& contacts() const { return contacts_; }
  const RestingContacts& restingContacts() const { return resting_; }
  // All of them, by pair.
  template <class Visit>
  void eachContact(Visit visit) const {
    auto next = contacts_.begin();
    const auto upTo = [&](PieceId a, PieceId b) {
      for (; next != contacts_.end() && std::pair(next->a, next->b) < std::pair(a, b); ++next) visit(*next);
    };
    for (std::size_t i = 0; i < motion_.size() && resting_.size() > 0; ++i) {
      for (const solve::Contact& c : resting_.of(i)) {
        upTo(c.a, c.b);
        visit(c);
      }
    }
    for (; next != contacts_.end(); ++next) visit(*next);
  }
  const std::vector<solve::Hit>& hits() const { return hits_; }  // of the last frame, in order

  // Of the last frame, in order.
  const std::vector<JointBreak>& jointBreaks() const { return joint_breaks_; }
  // N, on each of the scene's watches, of all that touches it: on average over the last frame, as its
  // substeps ended, hits included.
  const std::vector<Vec3>& watchForces() const { return watch_forces_; }
  // In the scene's order: with the values that are keyed as they are now.
  std::span<const solve::Joint> joints() const { return std::span(joints_).first(scene_.joints.size()); }
  std::span<const solve::JointState> jointStates() const {
    return std::span(joint_states_).first(scene_.joints.size());
  }
  // What they bore in the last substep.
  std::span<const solve::JointLoad> jointLoads() const {
    return std::span(joint_loads_).first(scene_.joints.size());
  }

  // Of the last frame, in order.
  const std::vector<BondBreak>& bondBreaks() const { return bond_breaks_; }
  // A bond of the scene's: the greatest share of its strength that it bore in the last frame in which that
  // was looked at, or below 0 where it never was. Empty unless some table keeps it.
  const std::vector<float>& bondShares() const { return shares_; }
  // A bond of the scene's: whether it has gone.
  bool bondBroken(std::size_t bond) const { return broken_[bond] != 0; }
  const std::vector<Cluster>& clusters() const { return clusters_; }
  // Whether a piece is there: born, and not gone.
  bool present(std::size_t piece) const {
    return sleep_[piece] != Sleep::Gone && sleep_[piece] != Sleep::Unborn;
  }
  // In the last frame, in order.
  const std::vector<PieceId>& births() const { return births_; }
  // By the scene's pours.
  const std::vector<PourState>& pourStates() const { return pour_states_; }
  // Whether there is still something to be born, or a life to end.
  bool poursWait() const;
  // Of the scene's watches, those with a region: what of their pieces lies in it now.
  std::optional<Filled> watchFilled(std::size_t watch) const;
  // What rules did, of the last frame, in order.
  const std::vector<RuleDeed>& ruleDeeds() const { return rule_deeds_; }
  // kNoCluster: no bond holds it.
  std::uint32_t clusterOf(std::size_t piece) const { return cluster_of_[piece]; }

  // Throws Error(Diverged) naming the piece, or Error(Cancelled); the state is then that of the last good
  // substep.
  FrameStats advance(Watcher& watcher);
  FrameStats stats() const;
  // Nothing is awake, and nothing that is driven moves now or will.
  bool allAtRest() const;

  // A digest of all motion: positions, turns, velocities, spins and sleep of every piece, in order.
  std::uint64_t digest() const;

  Bytes save() const;
  void restore(const Bytes& bytes);  // of a world with the same scene

  std::string whyInvalid() const;

 private:
  // From one shot frame (whole or not) to another.
  void substep(double from, double to, int iterations, int depth);
  void commit(solve::Proposal&& p);
  void flewApart(solve::Proposal& p);
  static bool absurd(const solve::ActiveBody& b);
  std::string whyFlewApart(const solve::ActiveBody& b, std::uint32_t body,
                           const solve::Contacts& contacts) const;
  void takeBonds();
  void findClusters();
  void startCluster(Cluster& c);
  void makeClusters();
  void listClusters();
  std::vector<char> splitClusters(std::vector<Cluster>& before);
  void makeStill(std::size_t piece);
  void hangUp(Cluster& c);
  void goOnAs(Cluster& c, Cluster& whole);
  static void takeSolver(Cluster& c, Cluster& whole);
  void dropAgedSolvers();
  void letGo(std::size_t piece, const Cluster& from);
  bool inFreeCluster(std::size_t piece) const {
    return cluster_of_[piece] != kNoCluster && !clusters_[cluster_of_[piece]].anchored();
  }
  bool hangs(std::size_t piece) const { return cluster_of_[piece] != kNoCluster && !inFreeCluster(piece); }
  bool forces(std::size_t a, std::size_t b, double h) const;
  bool breakForced(BondJudge& judge);
  bool together(std::size_t a, std::size_t b) const {
    return cluster_of_[a] != kNoCluster && cluster_of_[a] == cluster_of_[b];
  }
  // Of the body that the piece moves with.
  const solve::Traits& bodyTraits(std::size_t piece) const {
    return inFreeCluster(piece) ? clusters_[cluster_of_[piece]].traits : traits_[piece];
  }
  // Visits the pieces that move with it, itself among them.
  template <class Visit>
  void eachTogether(std::size_t piece, Visit visit) const {
    if (!inFreeCluster(piece)) return visit(u32(piece));
    for (const std::uint32_t i : clusters_[cluster_of_[piece]].pieces) visit(i);
  }
  void addClusterBodies();
  void dropClusterBodies();
  void moveClusters(const solve::Proposal& p);
  void takeClusterMotion(std::size_t piece);
  std::uint32_t leaderOf(const Cluster& c) const;
  void placeCarried();
  void gatherMomentum(Cluster& c);
  void bearCluster(Cluster& c);
  void carryClusters(int iterations);
  std::vector<solve::Joint> jointsOfBodies() const;
  Pose poseIn(const solve::Proposal& p, std::size_t step, std::size_t piece) const;
  solve::Trail trailOf(const solve::Proposal& p, std::size_t piece) const;
  bool breakBonds(solve::Proposal& p, double from, double to, BondJudge& judge);
  bool judgeBlows(const std::vector<solve::Hit>& hits, double frame, BondJudge& judge);
  bool judgeLoads(const solve::Proposal& p, double from, double to, BondJudge& judge);
  bool judgeCluster(Cluster& c, const std::vector<bond::Load>& loads, double frame, BondJudge& judge);
  std::vector<bond::Load> loadsOn(std::uint32_t cluster, const solve::Proposal& p,
                                  const std::vector<std::uint32_t>& touching, const Carriage& carried) const;
  Carriage carriageOf(const Cluster& c, double frame) const;
  bool breakAway(const Cluster& c, BondJudge& judge);
  bool shaken(const Cluster& c, const Carriage& carried) const;
  bool whirls(const Cluster& c) const;
  bool mayBreak(const Cluster& c, std::uint32_t piece, double force, double frame) const;
  void breakOff(const Cluster& c, std::size_t n, double share, bond::Why why, BondJudge& judge);
  void noteShares(const Cluster& c, const std::vector<double>& share, const std::vector<bond::Why>& why,
                  bool unbroken);
  void noteShare(std::uint32_t bond, double share);
  void noteYielding();
  bond::StressSolver solverOf(const Cluster& c);
  void spread(const Cluster& c, std::uint32_t piece, const Vec3& place, const Vec3& force,
              std::vector<bond::Load>& loads) const;
  void shareBlow(const solve::Hit& hit, double share, double energy);
  double giveOf(std::size_t piece, const Vec3& place, const Vec3& normal) const;
  void push(std::size_t piece, const Vec3& place, const Vec3& impulse);
  void findPushes(double frame, double h);
  Vec3 pushOf(const act::Force& f, std::size_t piece, double frame, double seconds, double begun, double span,
              double h) const;
  void wakeForPushes();
  std::vector<solve::BodyPush> bodyPushes(double h) const;
  void countPushes();
  double pullOn(std::size_t piece) const;
  void takeRules();
  void takePours();
  void markAbsent();
  void takeRegion(const Region& r);
  RoomBelow roomOf(const Region& r) const;
  Filled filledOf(const Region& r, const std::vector<PieceId>* who) const;  // nullptr: all
  bool full(const FullWhen& u) const;
  struct Standing;
  SourceFrame sourceFrame(const Pour& p) const;
  void pour(double frame);
  void bear(std::uint32_t pour, double now);
  Standing standingNear(const Pour& p, const SourceFrame& source, double late) const;
  bool hasRoom(std::uint32_t piece, const Pose& pose, double clear, Standing& standing) const;
  bool tryBirth(const Pour& p, const Birth& b, const SourceFrame& source, RandomStream& random, double late,
                double now, Standing& standing);
  void letGhostsCollide(double now);
  void endLives(double now);
  bool inRegion(const Region& r, const Vec3& at) const;
  bool ruleHolds(const RuleWhen& w, std::uint32_t piece, double frame) const;
  std::vector<char> touchedMembers(const Rule& r) const;
  bool strikeRules(const std::vector<solve::Hit>& hits, double frame, BondJudge& judge);
  void followRules(std::size_t first_hit, const std::vector<char>& broke, double frame, double h);
  bool rulesWait() const;
  bool act(std::uint32_t rule, const std::vector<std::uint32_t>& pieces, double frame,
           std::vector<BondBreak>& breaks);
  void hold(std::uint32_t piece);
  void release(std::uint32_t piece);
  bool stop(std::uint32_t piece, Sleep as);
  bool takeOver(std::uint32_t piece, double frame, std::vector<BondBreak>& breaks);
  void remove(std::uint32_t piece);
  void wakeAbout(const std::vector<char>& taken);
  void dropContactsOf(const std::vector<char>& taken);
  bool breakBondsOf(const std::vector<char>& taken, std::vector<BondBreak>& breaks);
  bool breakAll(std::uint32_t piece, std::vector<BondBreak>& breaks);
  void setMaterialOf(const std::vector<char>& taken, MaterialId material);
  void setStrengthOf(const std::vector<char>& taken, double times);
  PieceEnergy energyOf(std::size_t piece) const;
  void findBends();
  void bend(double from, double to);
  const Bend* bendOf(std::size_t piece) const;
  SurfaceMotion surfaceMotion(std::size_t piece, std::uint32_t triangle, const Vec3& point_world) const;
  Vec3 velocityAt(std::size_t piece, const solve::Contact& c, const Vec3& point_world) const;
  void addCarriers(solve::Contacts& contacts, double h, int iterations);
  void dropCarriers(solve::Proposal& p);
  Pose moverPose(std::size_t mover, double frame) const;
  void drive(double from, double to, int iterations);
  void takeJoints();
  void keyJoints(double frame);
  void keyYielding(double frame);
  void markBroken(std::vector<solve::JointState>& states) const;
  void loosen(std::size_t n, bond::Why why, double share, std::vector<BondBreak>& breaks);
  bool tearYielding(const std::vector<solve::JointState>& after, BondJudge& judge);
  void wakeJoined(std::size_t piece);
  bool wakeForJoints();
  bool breakJoints(const std::vector<solve::JointLoad>& loads, std::vector<solve::JointState>& states,
                   double h, std::vector<JointBreak>& breaks) const;
  void noteBorne(double h);
  void joinTied(Sets& sets) const;
  void markRiders(Sets& islands, std::vector<char>& rides) const;
  JointRate jointRate() const;
  double springEnergy() const;
  Vec3 placeOf(const solve::JointSide& side) const;  // world
  void addState(FrameStats& out) const;
  void addForce(PieceId a, PieceId b, const Vec3& on_b);
  void watchForces(double share);
  void watchRest();
  void releaseDue(double frame);
  void makeDynamic(std::size_t piece);
  void wakeForDrives();
  solve::Contacts settledContacts(double h, BondJudge& judge);
  void adopt();
  bool releaseHeld(const std::vector<solve::Hit>& hits);
  using Pair = std::pair<std::uint32_t, std::uint32_t>;
  std::vector<Passing> findPassings(const solve::Proposal& p);
  std::uint32_t sweptOf(const Pair& pair) const;
  std::vector<Pair> fastPairs(const solve::Proposal& p);
  bool passesThrough(const solve::Proposal& p, std::size_t i, std::size_t j, Vec3& too_far) const;
  void findRestOverlaps();
  double restOverlap(PieceId a, PieceId b) const;
  void shrinkRestOverlaps();
  void findStartLoads();
  Box swept(std::size_t piece, Box box, double h) const;
  Box sweptBox(std::size_t piece, double h) const;
  collide::NearPairList findNear(double h);
  double reach(std::size_t a, std::size_t b, double h) const;
  void shelve();
  solve::Contacts findContacts(double h);
  void findWays();
  void findContactsOf(std::span<const Pair> pairs, std::size_t begin, std::size_t end, double h,
                      FoundContacts& out) const;
  bool goOn(const Pair& pair, const solve::Contact& old, double h, solve::Contacts& out) const;
  void addPatches(const Pair& pair, std::span<const collide::Manifold> found,
                  std::span<const solve::Contact> old, solve::Contacts& out) const;
  bool wakeForContacts(const solve::Contacts& contacts, double h);
  void wake(std::size_t piece);
  void wakeWithNeighbours(std::size_t piece, double momentum, double least_speed);
  void wakeForForces();
  void updateRest(double h);
  std::vector<char> bodiesAtClusters(std::size_t bodies, Sets& islands) const;
  std::vector<char> restless();
  void fallAsleep();
  void activate();
  bool awake(std::size_t piece) const { return sleep_[piece] == Sleep::Awake; }
  // Awake, or driven and on the move.
  bool mobile(std::size_t piece) const { return awake(piece) || moving_[piece]; }
  double restSpeedOf(std::size_t piece) const;

  // Whether any piece sleeps or waits.
  bool anyWaits() const;
  // How fast (m/s) the material of the two goes past each other where they touch.
  double slipOf(const solve::Contact& c) const;
  void findTouches();
  friend Steps chooseSteps(World& w);

  const Scene& scene_;
  solve::TraitsList traits_;
  std::vector<shape::Kind> kinds_;  // of the pieces' shapes

  // What has history; all of it is in the checkpoint.
  int frame_ = 0;
  bool started_ = false;
  solve::Motion motion_;
  std::vector<Sleep> sleep_;
  std::vector<Rest> rest_;
  solve::Contacts contacts_;
  RestingContacts resting_;
  std::vector<RestOverlap> rest_overlaps_;  // by pair, ascending
  std::vector<solve::JointState> joint_states_;
  std::vector<char> broken_;                         // a bond
  std::vector<Vec3> asleep_pushes_;                  // N, a piece: as it fell asleep; empty without forces
  std::vector<float> shares_;                        // what bonds bore, where that is kept
  std::vector<std::int32_t> share_from_;             // the frame that began when it was looked at
  std::vector<double> times_;                        // a bond: of its strength, as rules have it
  std::vector<double> yield_times_;                  // a yielding bond: of its strength, as it was last
  std::vector<std::vector<RuleState>> rule_states_;  // a rule, one of its pieces
  std::vector<PourState> pour_states_;
  std::vector<double> born_;       // s, a piece; empty without pours
  std::vector<PourTerm> mortal_;   // that will be gone
  std::vector<PourTerm> ghosts_;   // that touch nothing yet
  std::vector<char> own_;          // a piece: it would move by itself if nothing held it
  std::vector<char> fragment_;     // a piece: bonds hold it, or did
  std::vector<char> own_then_;     // the same when clusters were last made of everything
  std::vector<Handed> handed_;     // of each mover
  std::vector<Cluster> clusters_;  // their motion; the rest follows from broken_ and own_
  bond::Gives gave_;               // a piece: how far it gave under what its cluster bore last
  struct {
    std::vector<Vec3> position;
    std::vector<Quat> turn;
  } looked_from_;                     // where the pieces stood when contacts_ were found
  std::vector<std::uint32_t> moved_;  // those that have moved since

  // Made anew in every substep.
  std::vector<std::uint32_t> active_, body_of_;
  std::vector<solve::Drive> drives_;
  std::vector<char> moving_;  // a piece: driven and on the move in this substep
  PairRules rules_;           // from the scene
  std::vector<solve::Hit> hits_;
  std::vector<solve::Joint> joints_;     // as keyed; behind the scene's its yielding bonds
  std::vector<std::uint32_t> yielding_;  // those, in the scene's list of bonds
  std::vector<solve::JointLoad> joint_loads_;
  std::vector<JointBreak> joint_breaks_;
  bool any_broken_ = false;                          // of the bonds
  std::vector<std::uint32_t> forced_;                // of the contacts found last
  std::vector<std::uint32_t> cluster_of_, node_of_;  // a piece: its cluster, its place among that one's
  std::vector<BondBreak> bond_breaks_;
  BondWorst bond_worst_;
  YieldWorst yield_worst_;
  std::size_t given_ = 0;           // so many of them have given
  std::vector<Vec3> pushes_;        // N, a piece; empty: nothing is pushed
  std::vector<double> spin_drags_;  // 1/s, a piece; empty: none
  std::vector<Vec3> faces_;         // m2, a prototype: what it shows along its axes; empty without forces
  std::vector<RuleDeed> rule_deeds_;
  std::vector<PieceId> births_;
  std::map<std::uint32_t, Outline> region_outlines_;  // a prototype, whose outline is a region
  std::map<std::uint32_t, mesh::Tree> region_trees_;  // a prototype, whose mesh a rule's region is
  double work_ = 0;                                   // J, in this frame
  std::vector<Vec3> watch_forces_;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> watched_;  // piece and watch, ascending

  PagedVector<Touch> touches_;        // of contacts_, in their order
  std::vector<std::uint32_t> woken_;  // by changed forces, after the solve

  PagedVector<Way> ways_;  // one for all that have not moved, then those of moved_
  static double followPatch(const Way& way_a, const Way& way_b, double size, solve::Patch& m);
  struct {
    std::vector<std::uint32_t> place;   // a piece: its entry in ways_
    std::vector<std::uint32_t> pieces;  // that have one of their own
  } went_of_;

  // Which pieces' contacts are in contacts_; the others' are in resting_ but for those with one of these.
  std::vector<char> in_play_;
  std::vector<std::uint32_t> settled_;  // came to rest since contacts were found last
  collide::NearPairs near_;
  LooseBoxes loose_boxes_;
  double smallest_core_;  // m: inner radius of the smallest piece that may move by itself

  Team team_;
  solve::Engine engine_;
  std::vector<Bend> bends_;
  std::vector<int> bend_of_;  // a prototype: its place in bends_, or -1
  std::vector<std::uint32_t> bending_pieces_;
  std::vector<Carried> carried_;

  // Pairs that were apart, by pair, ascending. Saves time and changes nothing, so it is in no checkpoint.
  PagedVector<PairApart> apart_;
};

// m2: what a body shows of itself along each of its axes, if it is convex.
Vec3 facesOf(const mesh::TriangleMesh& m);

Steps chooseSteps(World& w);

}  // namespace drubble::world
