// SPDX-License-Identifier: Apache-2.0
// Saving and restoring all that has history. What is computed anew in every substep is not in it.
#include <numeric>

#include "core/world/bonding.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr std::uint32_t kCheckpointVersion = 14;

// How much of what a scene has: what a checkpoint's length hangs on.
std::vector<std::pair<const char*, std::uint64_t>> countsOf(const Scene& s) {
  std::uint64_t ruled = 0, births = 0;
  for (const Rule& r : s.rules) ruled += r.who.size();
  for (const Pour& p : s.pours) births += p.births.size();
  return {
      {"pieces", s.pieces.size()},  {"joints", s.joints.size()}, {"bonds", s.bonds.size()},
      {"motions", s.movers.size()}, {"rules", s.rules.size()},   {"pieces under rules", ruled},
      {"pours", s.pours.size()},    {"births", births},          {"tables of bonds", s.bond_tables.size()}};
}

void addContact(ByteWriter& w, const solve::Contact& c) {
  w.add(c.a.value);
  w.add(c.b.value);
  w.add(c.patch.direction);
  w.add(c.patch.middle);
  w.add(c.patch.sub);
  w.add(c.patch.part);
  w.add(static_cast<std::uint8_t>(c.patch.face_of));
  w.add(c.patch.count);
  for (std::size_t k = 0; k < 4; ++k) {
    w.add(c.patch.arm[k]);
    w.add(c.patch.gap[k]);
    w.add(c.patch.feature[k]);
    w.add(c.normal_force[k]);
  }
  const auto& s = c.surfaces;
  for (const float x : {s.friction_rest, s.friction_slide, s.bounce, s.rolling, s.spinning, s.adhesion})
    w.add(x);
  w.add(s.unmoved);
  w.add(c.roll_torque);
  w.add(c.friction_force);
  w.add(c.twist_torque);
  w.add(static_cast<std::uint8_t>(c.sliding));
  w.add(c.graded);
  w.add(c.asleep_force);
  w.add(c.gone);
  w.add(c.strayed);
}

void readContact(ByteReader& r, solve::Contact& c) {
  r.read(c.a.value);
  r.read(c.b.value);
  r.read(c.patch.direction);
  r.read(c.patch.middle);
  r.read(c.patch.sub);
  r.read(c.patch.part);
  std::uint8_t flag = 0;
  r.read(flag);
  c.patch.face_of = static_cast<collide::FaceOf>(flag);
  r.read(c.patch.count);
  for (std::size_t k = 0; k < 4; ++k) {
    r.read(c.patch.arm[k]);
    r.read(c.patch.gap[k]);
    r.read(c.patch.feature[k]);
    r.read(c.normal_force[k]);
  }
  auto& s = c.surfaces;
  for (float* x : {&s.friction_rest, &s.friction_slide, &s.bounce, &s.rolling, &s.spinning, &s.adhesion})
    r.read(*x);
  r.read(s.unmoved);
  r.read(c.roll_torque);
  r.read(c.friction_force);
  r.read(c.twist_torque);
  r.read(flag);
  c.sliding = flag != 0;
  r.read(c.graded);
  r.read(c.asleep_force);
  r.read(c.gone);
  r.read(c.strayed);
}

}  // namespace

Bytes World::save() const {
  ByteWriter w;
  w.add(kCheckpointVersion);
  for (const auto& [what, count] : countsOf(scene_)) w.add(count);
  w.add(frame_);
  w.add(static_cast<std::uint8_t>(started_));
  w.add(motion_.position);
  w.add(motion_.turn);
  w.add(motion_.velocity);
  w.add(motion_.spin);
  w.add(looked_from_.position);
  w.add(looked_from_.turn);
  for (std::size_t i = 0; i < motion_.size(); ++i) {
    w.add(static_cast<std::uint8_t>(sleep_[i]));
    w.add(rest_[i].position);
    w.add(rest_[i].turn);
    w.add(rest_[i].seconds);
    w.add(static_cast<std::uint8_t>(rest_[i].rested));
    w.add(rest_[i].wakes);
  }
  w.add(static_cast<std::uint64_t>(contacts_.size() + resting_.size()));
  eachContact([&](const solve::Contact& c) { addContact(w, c); });
  w.add(static_cast<std::uint64_t>(rest_overlaps_.size()));
  for (const RestOverlap& r : rest_overlaps_) {
    w.add(r.a.value);
    w.add(r.b.value);
    w.add(r.depth);
  }
  for (const solve::JointState& s : joint_states_) {
    w.add(static_cast<std::uint8_t>(s.broken));
    w.add(s.turned);
    for (const double x : s.set) w.add(x);
    w.add(s.strained);
    w.add(s.borne_force);
    w.add(s.borne_torque);
    for (const double x : s.carried) w.add(x);
  }
  for (const solve::JointLoad& l : joint_loads_) {
    w.add(l.force);
    w.add(l.torque);
    for (const solve::JointLoad::Side* side : {&l.on_a, &l.on_b}) {
      w.add(side->force);
      w.add(side->torque);
    }
  }
  for (const solve::Joint& j : joints_)
    for (const double x : {j.stiffness, j.length, j.motor_speed}) w.add(x);
  w.add(static_cast<std::uint64_t>(broken_.size()));
  for (const char b : broken_) w.add(static_cast<std::uint8_t>(b));
  for (const Vec3& p : asleep_pushes_) w.add(p);
  for (const double t : times_) w.add(t);
  for (const float s : shares_) w.add(s);
  for (const std::int32_t f : share_from_) w.add(f);
  for (const double t : yield_times_) w.add(t);
  for (const std::vector<RuleState>& rule : rule_states_)
    for (const RuleState& s : rule) {
      w.add(s.held);
      w.add(s.due);
      w.add(static_cast<std::uint8_t>(s.holds));
      w.add(static_cast<std::uint8_t>(s.done));
    }
  w.add(u32(rules_.setMaterials().size()));
  for (const MaterialId m : rules_.setMaterials()) w.add(m.value);
  for (const double b : born_) w.add(b);
  for (const PourState& s : pour_states_) {
    for (const std::uint32_t x : {s.next, s.born, s.skipped, u32(s.waiting.size())}) w.add(x);
    w.add(static_cast<std::uint8_t>(s.over));
    for (const PourState::Waiting& x : s.waiting) {
      w.add(x.birth);
      w.add(x.tries);
    }
  }
  for (const std::vector<PourTerm>* terms : {&mortal_, &ghosts_}) {
    w.add(u32(terms->size()));
    for (const PourTerm& t : *terms) {
      w.add(t.due);
      w.add(t.first);
      w.add(t.count);
    }
  }
  for (const Handed& h : handed_) {
    w.add(static_cast<std::uint8_t>(h.taken));
    w.add(h.before);
    w.add(h.after.position);
    w.add(h.after.turn);
  }
  for (const char o : own_) w.add(static_cast<std::uint8_t>(o));
  for (const Cluster& c : clusters_) {
    w.add(c.pose.position);
    w.add(c.pose.turn);
    w.add(c.velocity);
    w.add(c.spin);
    w.add(c.centre);
    w.add(static_cast<std::uint8_t>(c.looked));
  }
  for (const bond::Give& g : gave_) {
    w.add(g.travel);
    w.add(g.turn);
  }
  return w.take();
}

void World::restore(const Bytes& bytes) {
  ByteReader r(bytes);
  std::uint32_t version = 0;
  std::uint64_t contacts = 0;
  std::uint8_t flag = 0;
  r.read(version);
  if (version != kCheckpointVersion)
    throw Error(ErrorKind::Input, "the checkpoint is of another version of this program");
  for (const auto& [what, count] : countsOf(scene_)) {
    std::uint64_t had = 0;
    r.read(had);
    if (had != count)
      throw Error(ErrorKind::Input, "the checkpoint is of a scene with " + std::to_string(had) + " " + what +
                                        ", and this one has " + std::to_string(count));
  }
  r.read(frame_);
  r.read(flag);
  started_ = flag != 0;
  r.read(motion_.position);
  r.read(motion_.turn);
  r.read(motion_.velocity);
  r.read(motion_.spin);
  r.read(looked_from_.position);
  r.read(looked_from_.turn);
  moved_.resize(motion_.size());
  std::iota(moved_.begin(), moved_.end(), 0u);
  for (std::size_t i = 0; i < motion_.size(); ++i) {
    r.read(flag);
    sleep_[i] = static_cast<Sleep>(flag);
    r.read(rest_[i].position);
    r.read(rest_[i].turn);
    r.read(rest_[i].seconds);
    r.read(flag);
    rest_[i].rested = flag != 0;
    r.read(rest_[i].wakes);
  }
  r.read(contacts);
  contacts_.assign(contacts, {});
  for (solve::Contact& c : contacts_) readContact(r, c);
  resting_.clear();
  in_play_.assign(motion_.size(), 1);
  settled_.clear();
  std::uint64_t overlaps = 0;
  r.read(overlaps);
  rest_overlaps_.assign(overlaps, {});
  for (RestOverlap& o : rest_overlaps_) {
    r.read(o.a.value);
    r.read(o.b.value);
    r.read(o.depth);
  }
  for (solve::JointState& s : joint_states_) {
    r.read(flag);
    s.broken = flag != 0;
    r.read(s.turned);
    for (double& x : s.set) r.read(x);
    r.read(s.strained);
    r.read(s.borne_force);
    r.read(s.borne_torque);
    for (double& x : s.carried) r.read(x);
  }
  for (solve::JointLoad& l : joint_loads_) {
    r.read(l.force);
    r.read(l.torque);
    for (solve::JointLoad::Side* side : {&l.on_a, &l.on_b}) {
      r.read(side->force);
      r.read(side->torque);
    }
  }
  // What no key drives is as the scene has it now.
  for (std::size_t n = 0; n < joints_.size(); ++n) {
    const SceneJoint* of = n < scene_.joints.size() ? &scene_.joints[n] : nullptr;
    const auto read = [&](double& x, const act::Track* track) {
      double was = 0;
      r.read(was);
      if (track == nullptr || !track->keys.empty()) x = was;
    };
    read(joints_[n].stiffness, of != nullptr ? &of->stiffness : nullptr);
    read(joints_[n].length, of != nullptr ? &of->length : nullptr);
    read(joints_[n].motor_speed, of != nullptr ? &of->motor_speed : nullptr);
  }
  std::uint64_t bonds = 0;
  r.read(bonds);
  for (char& b : broken_) {
    r.read(flag);
    b = static_cast<char>(flag);
  }
  for (Vec3& p : asleep_pushes_) r.read(p);
  for (double& t : times_) r.read(t);
  for (float& s : shares_) r.read(s);
  for (std::int32_t& f : share_from_) r.read(f);
  for (double& t : yield_times_) r.read(t);
  for (std::vector<RuleState>& rule : rule_states_)
    for (RuleState& s : rule) {
      r.read(s.held);
      r.read(s.due);
      r.read(flag);
      s.holds = flag != 0;
      r.read(flag);
      s.done = flag != 0;
    }
  std::uint32_t set_materials = 0;
  r.read(set_materials);
  for (std::uint32_t i = 0; i < set_materials; ++i) {
    MaterialId m;
    r.read(m.value);
    if (m.valid()) rules_.setMaterial(i, m);
  }
  for (double& b : born_) r.read(b);
  for (PourState& s : pour_states_) {
    std::uint32_t waiting = 0;
    for (std::uint32_t* x : {&s.next, &s.born, &s.skipped, &waiting}) r.read(*x);
    r.read(flag);
    s.over = flag != 0;
    s.waiting.assign(waiting, {});
    for (PourState::Waiting& x : s.waiting) {
      r.read(x.birth);
      r.read(x.tries);
    }
  }
  for (std::vector<PourTerm>* terms : {&mortal_, &ghosts_}) {
    std::uint32_t count = 0;
    r.read(count);
    terms->assign(count, {});
    for (PourTerm& t : *terms) {
      r.read(t.due);
      r.read(t.first);
      r.read(t.count);
    }
  }
  for (Handed& h : handed_) {
    r.read(flag);
    h.taken = flag != 0;
    r.read(h.before);
    r.read(h.after.position);
    r.read(h.after.turn);
  }
  for (char& o : own_) {
    r.read(flag);
    o = static_cast<char>(flag);
  }
  makeClusters();
  for (Cluster& c : clusters_) {
    r.read(c.pose.position);
    r.read(c.pose.turn);
    r.read(c.velocity);
    r.read(c.spin);
    Vec3 centre = Vec3::Zero();  // of its mass, then
    r.read(centre);
    if (centre != c.centre) {
      const Vec3 by = c.pose.turn * Vec3(c.centre - centre);
      c.pose.position += by;
      c.velocity += c.spin.cross(by);
    }
    r.read(flag);
    c.looked = flag != 0;
  }
  for (bond::Give& g : gave_) {
    r.read(g.travel);
    r.read(g.turn);
  }
  for (std::size_t n = 0; n < yielding_.size(); ++n)
    setYieldStrength(scene_.bonds[yielding_[n]], yield_times_[n], joints_[scene_.joints.size() + n]);
  rules_.findJoined(joint_states_, broken_);
  for (std::size_t i = 0; i < sleep_.size(); ++i) {
    const bool hangs = cluster_of_[i] != kNoCluster && !inFreeCluster(i);
    if (own_[i] && !hangs && !traits_[i].dynamic) makeDynamic(i);
    if ((hangs || !own_[i]) && traits_[i].dynamic) makeStill(i);
  }
  markAbsent();
  moving_.assign(motion_.size(), 0);
  hits_.clear();
  apart_.clear();
  findTouches();
  bend(frame_, frame_);
  if (!r.atEnd()) throw Error(ErrorKind::Input, "the checkpoint is of another scene");
}

}  // namespace drubble::world
