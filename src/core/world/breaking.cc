// SPDX-License-Identifier: Apache-2.0
// What bears on bonds in a substep that is proposed, and which of them go.
//
// Two kinds of load. A blow presses for as long as such blows last, however fine the steps, and is felt
// within a reach; all that it asks too much of goes at once. What lasts (weight, pressing) is solved for, the
// worst go, and it is solved for again, eight times in all; the rest waits for the next look. Where something
// came apart, the substep is proposed anew with the parts; before that the whole has had as much of the blow
// as it could bear.
#include <algorithm>
#include <cmath>

#include "core/world/bond_shares.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr int kMostRounds = 8;           // of a substep
constexpr std::uint8_t kMostSolves = 8;  // of a look, after which bonds of a cluster, or of its parts, went
constexpr double kConcentrated =
    8;                         // times the mean over a piece's faces: what stress may come to about a blow
constexpr double kForced = 1;  // told as the share of a bond that was driven apart
constexpr double kLooks = 8;   // a frame
constexpr double kWorstShare = 0.5;  // of the worst: bonds that bear less wait until that one has gone
constexpr double kReach = 0.2;       // of a cluster's size

}  // namespace

bond::StressSolver World::solverOf(const Cluster& c) {
  std::vector<bond::Node> nodes;
  const auto add = [&](const Pose& at, const solve::Traits& t, bool fixed) {
    const Mat3 axes = at.turn.normalized().toRotationMatrix();
    nodes.push_back({at.position, t.mass(), axes * t.inertia * axes.transpose(), fixed});
  };
  for (std::size_t n = 0; n < c.pieces.size(); ++n)
    add(c.at[n], scene_.prototypeOf(c.pieces[n]).traits, false);
  for (std::size_t k = 0; k < c.anchors.size(); ++k) add({}, {}, true);
  std::vector<bond::Beam> beams;
  beams.reserve(c.bonds.size());
  for (std::size_t n = 0; n < c.bonds.size(); ++n) {
    const bond::Bond& b = scene_.bonds[c.bonds[n]];
    beams.push_back({c.ends[n][0], c.ends[n][1], &b.face, b.stiffness});
  }
  const bool wide = engine_.kernel == &solve::kernelOf(solve::Lanes::Avx2);
  return {std::move(nodes), beams, c.centre, &team_, wide};
}

// Marks bonds of a cluster that go, by their shares.
void World::breakOff(const Cluster& c, std::size_t n, double share, bond::Why why, BondJudge& judge) {
  const std::uint32_t k = c.bonds[n];
  broken_[k] = 1;
  const bond::Face& f = scene_.bonds[k].face;
  judge.breaks.push_back({k, why, share, c.pose.toWorld(f.place - c.centre), c.pose.turn * f.normal});
}

// The greatest of a frame counts; of a frame up to its first break, the worst of all: what comes loose by
// then hangs on next to nothing.
void World::noteShares(const Cluster& c, const std::vector<double>& share, const std::vector<bond::Why>& why,
                       bool unbroken) {
  if (unbroken && bond_breaks_.empty())
    for (std::size_t n = 0; n < share.size(); ++n)
      if (share[n] > bond_worst_.share) bond_worst_ = {share[n], c.bonds[n], why[n]};
  for (std::size_t n = 0; n < share.size() && !shares_.empty(); ++n) noteShare(c.bonds[n], share[n]);
}

void World::noteShare(std::uint32_t bond, double share) {
  if (shares_.empty()) return;
  float& kept = shares_[bond];
  const auto now = static_cast<float>(share);
  kept = share_from_[bond] == frame_ && kept > now ? kept : now;
  share_from_[bond] = frame_;
}

// Whether something came apart, so that the substep is to be proposed anew.
bool World::breakBonds(solve::Proposal& p, double from, double to, BondJudge& judge) {
  if (clusters_.empty() || judge.rounds >= kMostRounds) return false;
  engine_.enter(Work::Bonds);
  ++judge.rounds;
  const std::size_t had = judge.breaks.size();
  bool apart = !p.hits.empty() && judgeBlows(p.hits, to, judge);
  // What lasts is looked at so often a frame, however fine the steps.
  const double last_look = std::floor(from * kLooks) / kLooks;
  if (!apart && to >= last_look + 1 / kLooks) {
    solve::Contacts before = p.contacts;
    solve::takeForces(p, &team_);
    apart = judgeLoads(p, last_look, to, judge);
    if (apart) p.contacts = std::move(before);
  }
  if (judge.breaks.size() > had) findClusters();
  return apart;
}

// Whether a force (N) on a piece may be more than the bonds about it bear, by far: most blows in a heap are
// slight. Up to the first break all are looked at: the report tells how far from it they were.
bool World::mayBreak(const Cluster& c, std::uint32_t piece, double force, double frame) const {
  if (!any_broken_) return true;
  double area = 0, weakest = bond::kUnbreakable;
  for (std::uint32_t n = c.first_bond[node_of_[piece]]; n < c.first_bond[node_of_[piece] + 1]; ++n) {
    const std::uint32_t k = c.bonds[c.bonds_of[n]];
    const bond::Bond& b = scene_.bonds[k];
    const double factor = times_[k] * scene_.bond_tables[b.table].strengthAt(frame);
    area += b.face.area;
    weakest =
        least(weakest, factor * least(b.strength.tension, least(b.strength.shear, b.strength.compression)));
  }
  return kConcentrated * force > area * weakest;
}

bool World::judgeBlows(const std::vector<solve::Hit>& hits, double frame, BondJudge& judge) {
  judge.struck.resize(motion_.size(), 0);
  std::vector<std::vector<bond::Load>> loads(clusters_.size());
  std::vector<double> worst(clusters_.size(), 0), struck(worst), spent(worst);  // N s in all; J
  for (const solve::Hit& h : hits) {
    for (const auto& [piece, sign] : {std::pair(h.a.value, -1.0), std::pair(h.b.value, 1.0)}) {
      const std::uint32_t k = cluster_of_[piece];
      if (k == kNoCluster || judge.struck[piece] != 0) continue;
      const Cluster& c = clusters_[k];
      const double seconds = scene_.bond_tables[scene_.bonds[c.bonds[0]].table].blow_time;
      if (!mayBreak(c, piece, h.impulse / seconds, frame)) continue;
      loads[k].resize(c.pieces.size() + c.anchors.size());
      struck[k] += h.impulse;
      spread(c, piece, h.place, sign * h.impulse / seconds * h.normal, loads[k]);
    }
  }
  bool apart = false;
  const bool first_look = judge.breaks.empty();
  for (std::uint32_t k = 0; k < clusters_.size(); ++k) {
    if (loads[k].empty()) continue;
    Cluster& c = clusters_[k];
    for (const std::uint32_t i : c.pieces) judge.struck[i] = 1;
    const double reach = scene_.bond_tables[scene_.bonds[c.bonds[0]].table].reach;
    if (!c.solver) c.solver = std::make_shared<bond::StressSolver>(solverOf(c));
    const bond::Solved solved = c.solver->sudden(loads[k], reach > 0 ? reach : kReach * c.traits.size);
    std::vector<double> share(c.bonds.size());
    std::vector<bond::Why> why(c.bonds.size());
    worst[k] = Shares(scene_, c, times_, frame, team_).judge(solved.stresses, team_, share, why);
    noteShares(c, share, why, first_look);
    std::vector<std::uint32_t> gone;
    for (std::uint32_t n = 0; n < c.bonds.size(); ++n) {
      if (!(share[n] > 1)) continue;
      breakOff(c, n, share[n], why[n], judge);
      const bond::Bond& b = scene_.bonds[c.bonds[n]];
      spent[k] += scene_.bond_tables[b.table].toughness * b.face.area;
      gone.push_back(n);
    }
    if (hangsTogether(c, broken_, gone))
      worst[k] = 0;
    else
      apart = true;
  }
  if (!apart) return false;
  // What it bore before it broke is the whole's.
  for (const solve::Hit& h : hits) {
    double most = 0, energy = 0;
    for (const PieceId i : {h.a, h.b}) {
      const std::uint32_t k = cluster_of_[i.index()];
      if (k == kNoCluster || !(struck[k] > 0)) continue;
      most = greatest(most, worst[k]);
      energy += spent[k] * h.impulse / struck[k];
    }
    if (most > 1) shareBlow(h, 1 / most, energy);
  }
  return true;
}

// What is driven into what hangs breaks off what it touches: the strain that bonds bear is less than can be
// seen.
bool World::breakForced(BondJudge& judge) {
  if (forced_.empty()) return false;
  const std::size_t had = judge.breaks.size();
  std::sort(forced_.begin(), forced_.end());
  for (const std::uint32_t i : forced_) {
    if (cluster_of_[i] == kNoCluster) continue;
    const Cluster& c = clusters_[cluster_of_[i]];
    for (std::size_t n = 0; n < c.bonds.size(); ++n) {
      const bond::Bond& b = scene_.bonds[c.bonds[n]];
      if ((b.a.value != i && b.b.value != i) || broken_[c.bonds[n]] ||
          b.strength.compression == bond::kUnbreakable)
        continue;
      breakOff(c, n, kForced, bond::Why::Compression, judge);
    }
  }
  forced_.clear();
  if (judge.breaks.size() == had) return false;
  findClusters();
  return true;
}

bool World::judgeLoads(const solve::Proposal& p, double from, double to, BondJudge& judge) {
  const solve::Contacts& contacts = p.contacts;
  std::vector<std::vector<std::uint32_t>> touching(clusters_.size());
  for (std::uint32_t n = 0; n < contacts.size(); ++n) {
    const solve::Contact& x = contacts[n];
    if (!(x.totalForce() > 0)) continue;
    const std::uint32_t a = cluster_of_[x.a.index()], b = cluster_of_[x.b.index()];
    if (a != kNoCluster) touching[a].push_back(n);
    if (b != kNoCluster && b != a) touching[b].push_back(n);
  }
  std::vector<char> jointed(clusters_.size(), 0);
  for (std::size_t k = 0; k < p.joint_loads.size(); ++k)
    for (const PieceId i : {joints_[k].a.piece, joints_[k].b.piece})
      if (i.valid() && p.joint_loads[k].force + p.joint_loads[k].torque > 0 &&
          cluster_of_[i.index()] != kNoCluster)
        jointed[cluster_of_[i.index()]] = 1;
  std::vector<char> keyed;
  for (const BondTable& t : scene_.bond_tables) keyed.push_back(t.strengthAt(from) != t.strengthAt(to));
  judge.solves.resize(motion_.size(), 0);
  bool apart = false;
  for (std::uint32_t k = 0; k < clusters_.size(); ++k) {
    Cluster& c = clusters_[k];
    const auto changes = [&](std::uint32_t b) { return keyed[scene_.bonds[b].table] != 0; };
    const bool changed = std::find(keyed.begin(), keyed.end(), 1) != keyed.end() &&
                         std::any_of(c.bonds.begin(), c.bonds.end(), changes);
    const auto pushed = [&](std::uint32_t i) { return !pushes_[i].isZero(0); };
    const bool touched = !touching[k].empty() || jointed[k] ||
                         (!pushes_.empty() && std::any_of(c.pieces.begin(), c.pieces.end(), pushed));
    const Carriage carried = carriageOf(c, to);
    const bool pulled = shaken(c, carried);
    if (breakAway(c, judge)) {
      apart = true;
      continue;
    }
    if (c.anchored() ? !(touched || changed || pulled || !c.looked)
                     : !(changed || (awake(c.pieces[0]) && (touched || whirls(c)))))
      continue;
    if (judge.solves[c.pieces[0]] == kMostSolves) continue;
    c.looked = !touched && !pulled;
    if (judgeCluster(c, loadsOn(k, p, touching[k], carried), to, judge)) apart = true;
  }
  return apart;
}

// Whether it came apart. What sleeps then wakes.
bool World::judgeCluster(Cluster& c, const std::vector<bond::Load>& loads, double frame, BondJudge& judge) {
  bond::Gives gave(loads.size());
  for (std::size_t n = 0; n < c.pieces.size(); ++n) gave[n] = gave_[c.pieces[n]];
  const Vec3 spin = c.pose.turn.conjugate() * c.spin;
  const Shares shares(scene_, c, times_, frame, team_);
  if (!c.solver) c.solver = std::make_shared<bond::StressSolver>(solverOf(c));
  std::vector<std::uint32_t> gone, cued;  // a blow of this very substep may have taken some
  for (std::uint32_t n = 0; n < c.bonds.size(); ++n) {
    if (!broken_[c.bonds[n]] && !shares.cued(n)) continue;
    if (!broken_[c.bonds[n]]) {
      breakOff(c, n, 1, bond::Why::Cue, judge);
      cued.push_back(n);
    }
    gone.push_back(n);
  }
  bool apart = !hangsTogether(c, broken_, cued);
  c.solver->cut(gone);
  std::vector<double> share(c.bonds.size());
  std::vector<bond::Why> why(c.bonds.size());
  bond::Stresses stresses;
  std::uint8_t solves = judge.solves[c.pieces[0]];
  for (int round = 0; solves < kMostSolves && !apart; ++round, ++solves) {
    double worst = 0;
    const auto judgeSome = [&](std::span<const bond::Stress> s, std::span<const std::uint32_t> some) {
      return worst = shares.judgeSome(s, some, share, why);
    };
    if (round == 0 || !c.solver->aboutCuts(gave, stresses, judgeSome)) {
      stresses = c.solver
                     ->sustained(loads, spin, gave,
                                 [&](std::span<const bond::Stress> s) { return shares.worst(s, team_); })
                     .stresses;
      worst = shares.judge(stresses, team_, share, why);
    }
    noteShares(c, share, why, judge.breaks.empty());
    if (!(worst > 1)) break;
    const OneSide sides(scene_, c, share);
    gone.clear();
    for (std::uint32_t n = 0; n < share.size(); ++n) {
      if (!(share[n] > greatest(1, kWorstShare * worst)) || !sides.mayGo(n)) continue;
      breakOff(c, n, share[n], why[n], judge);
      gone.push_back(n);
    }
    c.solver->cut(gone);
    apart = !hangsTogether(c, broken_, gone);
  }
  for (std::size_t n = 0; n < c.pieces.size(); ++n) gave_[c.pieces[n]] = gave[n];
  for (const std::uint32_t i : c.pieces) judge.solves[i] = solves;
  if (apart) wake(c.pieces[0]);
  return apart;
}

}  // namespace drubble::world
