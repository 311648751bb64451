// SPDX-License-Identifier: Apache-2.0
// Contacts of jointed bodies that are solved with the joints: something heavy on a light mechanism presses
// its feet on the ground, and sweeps that find one after the other would never come to an end. Friction is
// found by trying: what sticks is a row like any other, what slides bears as much as its load gives, against
// the way in which it slides.
#include <algorithm>
#include <cmath>

#include "core/solve/joint_group.h"
#include "core/solve/joint_pieces.h"

namespace drubble::solve {

namespace {

constexpr double kSame = 1e-5;  // of the limit: friction that changes by less has been found

constexpr double kAlongSlip = 1e-9;       // m/s: friction that pushes the way it slides should hold
constexpr double kHeavy = 8;              // times a jointed body's mass
constexpr std::size_t kMostPatches = 24;  // a group

double at(const Row8& x, std::size_t lane) { return static_cast<double>(x.x[lane]); }
Vec3 at(const Vec8& v, std::size_t lane) { return vec3(at(v.x, lane), at(v.y, lane), at(v.z, lane)); }

}  // namespace

Tied tiedBodies(const std::vector<JointGroup>& groups, const BlockInput& in) {
  Tied tied(groups.size());
  if (groups.empty()) return tied;
  constexpr std::uint32_t kNone = 0xffffffffu;
  std::vector<std::uint32_t> group_of(in.bodies.size(), kNone);
  for (std::uint32_t g = 0; g < groups.size(); ++g) {
    tied[g].bodies = groups[g].moving();
    if (groups[g].yields()) continue;
    for (const std::uint32_t body : groups[g].moving()) group_of[body] = g;
  }
  struct Candidate {
    double need = 0;
    std::uint32_t contact = 0;
  };
  std::vector<std::vector<Candidate>> wanted(groups.size());
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i) {
    const Contact& c = in.contacts[i];
    const std::uint32_t a = in.body_of[c.a.index()], b = in.body_of[c.b.index()];
    const std::uint32_t ga = group_of[a], gb = group_of[b];
    if ((ga == kNone && gb == kNone) || (ga != kNone && gb != kNone && ga != gb)) continue;
    const BodyBrief &x = (*in.briefs)[a], &y = (*in.briefs)[b];
    if (c.surfaces.unmoved != 0 || c.surfaces.adhesion > 0 || x.special || y.special) continue;
    double need = 2;
    if (ga != gb) {
      const BodyBrief &own = ga != kNone ? x : y, &other = ga != kNone ? y : x;
      const auto own_mass = static_cast<double>(own.inverse_mass[0]),
                 other_mass = static_cast<double>(other.inverse_mass[0]);
      const double ratio = other.fixed || !(other_mass > 0) ? 0 : own_mass / other_mass;
      need = greatest(ratio / kHeavy, static_cast<double>(c.totalForce() * own.per_weight) / kPressed);
    }
    if (need >= 1) wanted[ga != kNone ? ga : gb].push_back({need, i});
  }
  for (std::size_t g = 0; g < groups.size(); ++g) {
    std::vector<Candidate>& some = wanted[g];
    std::stable_sort(some.begin(), some.end(),
                     [](const Candidate& p, const Candidate& q) { return p.need > q.need; });
    if (some.size() > kMostPatches) some.resize(kMostPatches);
    for (const Candidate& c : some) tied[g].contacts.push_back(c.contact);
    std::sort(tied[g].contacts.begin(), tied[g].contacts.end());
  }
  return tied;
}

void JointGroup::takeContacts(BlockList& contacts, const Contacts& of, const Bodies& bodies) {
  contacts_ = &contacts;
  const auto place = [&](PieceId piece) {
    const std::uint32_t body = body_of_[piece.index()];
    if (body == 0) return 0u;
    const std::uint32_t local = localBody(piece);
    bodies_[local].body = body;
    return local;
  };
  for (std::uint32_t n = 0; n < contacts.blocks.size(); ++n) {
    const ContactBlock& c = contacts.blocks[n];
    for (std::uint32_t lane = 0; lane < kLanes; ++lane) {
      if (c.contact[lane] == kNoContact) continue;
      const Contact& from = of[c.contact[lane]];
      const BlockExtra* e = contacts.extraOf(n);
      Patch p;
      p.block = n;
      p.lane = lane;
      p.a = place(from.a);
      p.b = place(from.b);
      p.points = from.patch.count;
      p.rolls = e != nullptr && e->roll_lever.x[lane] > 0;
      for (std::size_t slot = 0; slot < p.total.size(); ++slot)
        if (const Row8* x = impulseOf(p, slot); x != nullptr) p.total[slot] = at(*x, lane);
      patches_.push_back(p);
    }
  }
  given_.resize(bodies_.size());
  takeBodies(bodies);
  rows_.rows.resize(joint_rows_);
  addContactRows();
  for (std::size_t i = joint_rows_; i < rows_.rows.size(); ++i)
    side_.push_back(rows_.rows[i].kind == RowKind::Push && !(total(i) > 0) ? Side::Low : Side::Free);
}

Row8* JointGroup::impulseOf(const Patch& p, std::size_t slot) {
  ContactBlock& c = contacts_->blocks[p.block];
  if (slot < Patch::kAlong) return slot < p.points ? &c.point[slot].impulse : nullptr;
  if (slot == Patch::kAlong) return &c.impulse_along;
  if (slot == Patch::kAcross) return &c.impulse_across;
  if (slot == Patch::kTwist) return &c.impulse_twist;
  if (!p.rolls) return nullptr;
  BlockExtra& e = *contacts_->extraOf(p.block);
  return slot == Patch::kRollAlong ? &e.impulse_roll_along : &e.impulse_roll_across;
}

void JointGroup::addContactRows() {
  for (std::uint32_t n = 0; n < patches_.size(); ++n) {
    Patch& p = patches_[n];
    const ContactBlock& c = contacts_->blocks[p.block];
    const std::size_t lane = p.lane;
    p.first_row = u32(rows_.rows.size());
    const auto add = [&](RowKind kind, std::size_t slot, const Vec3& linear, const Vec3& angular_a,
                         const Vec3& angular_b) {
      JointRow r;
      r.kind = kind;
      r.slot = static_cast<std::uint8_t>(slot);
      r.angular = slot >= Patch::kTwist;
      r.joint = n;
      r.first = u32(rows_.terms.size());
      r.count = 2;
      rows_.terms.push_back({p.a, -linear, -angular_a});
      rows_.terms.push_back({p.b, linear, angular_b});
      rows_.rows.push_back(r);
    };
    const Vec3 normal = at(c.normal, lane);
    Vec3 arm_a = at(c.middle_a, lane), arm_b = at(c.middle_b, lane);
    if (const BlockExtra* e = contacts_->extraOf(p.block); e != nullptr)
      arm_a += at(e->lean_a, lane), arm_b += at(e->lean_b, lane);
    for (std::size_t k = 0; k < p.points; ++k)
      add(RowKind::Push, k, normal, (arm_a + at(c.point[k].arm, lane)).cross(normal),
          (arm_b + at(c.point[k].arm, lane)).cross(normal));
    const Vec3 along = at(c.along, lane), across = normal.cross(along);
    add(RowKind::Rub, Patch::kAlong, along, arm_a.cross(along), arm_b.cross(along));
    add(RowKind::Rub, Patch::kAcross, across, arm_a.cross(across), arm_b.cross(across));
    add(RowKind::Rub, Patch::kTwist, Vec3::Zero(), normal, normal);
    if (!p.rolls) continue;
    add(RowKind::Rub, Patch::kRollAlong, Vec3::Zero(), along, along);
    add(RowKind::Rub, Patch::kRollAcross, Vec3::Zero(), across, across);
  }
}

// Where each point's two surfaces are now: as the passes find it.
void JointGroup::findGaps(const BodyRows& rows) {
  for (Patch& p : patches_) {
    const ContactBlock& c = contacts_->blocks[p.block];
    const auto shift = [&](std::uint32_t body, const Vec3& arm) {
      const BodyRow& r = rows[body];
      const Vec3 moved = vec3(r.moved[0], r.moved[1], r.moved[2]),
                 turned = vec3(r.turned[0], r.turned[1], r.turned[2]);
      const Vec3 t = 2 * turned.cross(arm);
      return Vec3(moved + static_cast<double>(r.turned[3]) * t + turned.cross(t));
    };
    for (std::size_t k = 0; k < p.points; ++k) {
      const Vec3 arm = at(c.point[k].arm, p.lane);
      const Vec3 apart = shift(c.body_b[p.lane], at(c.middle_b, p.lane) + arm) -
                         shift(c.body_a[p.lane], at(c.middle_a, p.lane) + arm);
      p.gap[k] = at(c.point[k].gap, p.lane) + apart.dot(at(c.normal, p.lane));
    }
  }
}

// A gap may just close; an overlap is eased out; what has not met yet is the next step's affair.
void JointGroup::contactTarget(std::size_t row) {
  const JointRow& r = rows_.rows[row];
  if (r.kind == RowKind::Rub) return;
  const Patch& p = patches_[r.joint];
  const ContactBlock& c = contacts_->blocks[p.block];
  const double gap = p.gap[r.slot], open = greatest(gap, 0);
  target_[row] = -open / dt_;
  if (pass_ == Pass::PushOut) {
    if (side_[row] == Side::Out) side_[row] = Side::Low;
    if (gap < 0) target_[row] = drubble::least(-gap * at(c.bias_rate, p.lane), at(c.push_speed, p.lane));
  } else if (open > 0 && p.total[r.slot] == 0) {
    side_[row] = Side::Out;
  }
}

// Rows that bear what they can slide; those that would bear less than they can hold. False: nothing changed.
JointGroup::Change JointGroup::changeFriction() {
  Change all = Change::None;
  const auto add = [&](Change c) { all = std::max(all, c); };
  for (const Patch& p : patches_) {
    const ContactBlock& c = contacts_->blocks[p.block];
    double load = 0;
    for (std::size_t k = 0; k < p.points; ++k) load += p.total[k];
    load = greatest(load, 0);
    const std::size_t slip = p.first_row + p.points;
    add(limitOne(slip + 2, load * at(c.twist_lever, p.lane), at(c.twist_mass, p.lane)));
    add(limitPair(slip, load * at(c.friction, p.lane), at(c.slip_xx, p.lane), at(c.slip_xy, p.lane),
                  at(c.slip_yy, p.lane)));
    if (!p.rolls) continue;
    const BlockExtra& e = *contacts_->extraOf(p.block);
    add(limitPair(slip + 3, load * at(e.roll_lever, p.lane), at(e.roll_mass_along, p.lane), 0,
                  at(e.roll_mass_across, p.lane)));
  }
  return all;
}

JointGroup::Change JointGroup::limitOne(std::size_t row, double limit, double mass) {
  const double had = total(row);
  const bool held = side_[row] == Side::Free;
  const double slip = held ? 0 : speedOf(rows_.rows[row]), wish = had - mass * slip;
  const double now = wish < 0 ? -limit : limit;
  const bool holds = held ? absolute(wish) <= limit : had * slip > kAlongSlip * limit;
  side_[row] = holds ? Side::Free : Side::Slides;
  if (!holds) {
    give(row, now - had);
    total(row) = now;
  }
  if (holds != held) return Change::Sides;
  return !holds && absolute(now - had) > kSame * limit ? Change::Values : Change::None;
}

// Two rows whose impulses together are no greater than the limit; `xx`, `xy`, `yy`: the inverse of what they
// give way alone.
JointGroup::Change JointGroup::limitPair(std::size_t first, double limit, double xx, double xy, double yy) {
  const double had[2] = {total(first), total(first + 1)};
  const bool held = side_[first] == Side::Free;
  const double s = held ? 0 : speedOf(rows_.rows[first]), t = held ? 0 : speedOf(rows_.rows[first + 1]);
  double wish[2] = {had[0] - (xx * s + xy * t), had[1] - (xy * s + yy * t)};
  const double size = std::sqrt(wish[0] * wish[0] + wish[1] * wish[1]);
  const bool holds = size == 0 || (held ? size <= limit : had[0] * s + had[1] * t > kAlongSlip * limit);
  for (const std::size_t k : {0u, 1u}) {
    side_[first + k] = holds ? Side::Free : Side::Slides;
    if (holds) continue;
    const double now = wish[k] * limit / size;
    give(first + k, now - had[k]);
    total(first + k) = now;
    wish[k] = now;
  }
  const double x = wish[0] - had[0], y = wish[1] - had[1], change = std::sqrt(x * x + y * y);
  if (holds != held) return Change::Sides;
  return !holds && change > kSame * limit ? Change::Values : Change::None;
}

void JointGroup::putImpulses() {
  for (const Patch& p : patches_)
    for (std::size_t slot = 0; slot < p.total.size(); ++slot)
      if (Row8* x = impulseOf(p, slot); x != nullptr) x->x[p.lane] = static_cast<float>(p.total[slot]);
}

}  // namespace drubble::solve
