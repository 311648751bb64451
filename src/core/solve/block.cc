// SPDX-License-Identifier: Apache-2.0
#include "core/solve/block.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/collide/ellipsoid.h"
#include "core/solve/links.h"
#include "core/solve/spring.h"

namespace drubble::solve {

namespace {

// Sizes a second: the fastest that overlaps are eased out.
constexpr double kPushSpeed = 2;

// Even a ball touches over a small disc, of this share of its size: without it nothing would end its spin
// about the normal.
constexpr double kPatchRadius = 0.005;

// The spring gives way to the rigid stop over this share of the size about gap 0.
constexpr double kBlend = 1e-4;

// And sticks over at least this share of its size squared.
constexpr double kStickArea = 0.01;

void put(Row8& f, std::size_t i, double x) { f.x[i] = static_cast<float>(x); }

void put(Vec8& v, std::size_t i, const Vec3& x) {
  put(v.x, i, x.x());
  put(v.y, i, x.y());
  put(v.z, i, x.z());
}

void put(Mat8& m, std::size_t i, const Mat3& x) {
  put(m.xx, i, x(0, 0));
  put(m.xy, i, x(0, 1));
  put(m.xz, i, x(0, 2));
  put(m.yy, i, x(1, 1));
  put(m.yz, i, x(1, 2));
  put(m.zz, i, x(2, 2));
}

void fillFriction(const Contact& c, const ActiveBody& a, const ActiveBody& b, std::size_t i, double dt,
                  double least_radius, double roll_radius, ContactBlock& out, BlockExtra* extra,
                  Unfinished& u) {
  const Vec3 n = c.patch.normal, t = anyNormalTo(n);
  put(out.along, i, t);
  put(u.points, i, c.patch.count);
  put(u.friction_slide, i, c.surfaces.friction_slide);
  put(u.least_radius, i, least_radius);
  put(u.spin_lever, i, c.surfaces.spinning * roll_radius);
  put(u.turns_a, i, a.fixed() ? 0 : 1);
  put(u.friction_impulse, i, c.friction_force * dt);
  put(out.friction, i, c.sliding ? c.surfaces.friction_slide : c.surfaces.friction_rest);
  put(out.impulse_twist, i, c.twist_torque * dt);
  if (extra == nullptr) return;
  put(extra->friction_rest, i, c.surfaces.friction_rest);
  put(extra->friction_slide, i, c.surfaces.friction_slide);
  if (!rolls(c)) return;
  const Vec3 across = n.cross(t);
  const auto rollMass = [&](const Vec3& d) {
    const double inverse = d.dot((a.inverse_inertia + b.inverse_inertia) * d);
    return inverse > 0 ? 1 / inverse : 0;
  };
  put(extra->roll_lever, i, c.surfaces.rolling * roll_radius);
  put(extra->roll_mass_along, i, rollMass(t));
  put(extra->roll_mass_across, i, rollMass(across));
  put(extra->impulse_roll_along, i, t.dot(c.roll_torque) * dt);
  put(extra->impulse_roll_across, i, across.dot(c.roll_torque) * dt);
}

// What adhesion can hold, in newtons: the patch's area, but no less than that of a small disc.
double adhesionForce(const Contact& c, double size) {
  Vec3 area = Vec3::Zero();
  const auto n = static_cast<std::size_t>(c.patch.count);
  Vec3 middle = Vec3::Zero();
  for (std::size_t k = 0; k < n; ++k) middle += c.patch.points[k].position / static_cast<double>(n);
  double cover = 0;
  // keepFour gives them in no order: of the ways round, the one that covers most is right.
  static constexpr std::array<std::array<std::size_t, 4>, 3> kOrders = {
      {{0, 1, 2, 3}, {0, 2, 1, 3}, {0, 1, 3, 2}}};
  for (const auto& order : kOrders) {
    area.setZero();
    for (std::size_t k = 0; k < n; ++k) {
      const std::size_t p = n == 3 ? k : order[k], q = n == 3 ? (k + 1) % 3 : order[(k + 1) % 4];
      if (n >= 3)
        area += 0.5 * (c.patch.points[p].position - middle).cross(c.patch.points[q].position - middle);
    }
    cover = greatest(cover, area.norm());
  }
  return c.surfaces.adhesion * greatest(cover, kStickArea * size * size);
}

// Where an ellipsoid is touched: how its surface bends away there, seen in the frame of along and across, and
// how the arm of the touch will have changed halfway through the substep. The material point goes round with
// the body, and the place that touches goes over the surface against it. `side`: 1 where the patch's normal n
// looks out of it.
void fillBend(const Traits& t, const ActiveBody& body, const Vec3& n, double side, double substep,
              std::size_t i, const std::array<Row8*, 3>& bend, Vec3& lean) {
  lean = Vec3::Zero();
  if (t.half_axes.isZero(0)) return;
  const Mat3 turn = body.turn.toRotationMatrix();
  const Vec3 squares = t.half_axes.cwiseProduct(t.half_axes);
  const collide::EllipsoidSupport at =
      collide::supportOf(turn * squares.asDiagonal() * turn.transpose(), side * n);
  const Vec3 turned = 0.5 * substep * body.spin;
  lean = turned.cross(at.point) - side * (at.change * turned.cross(n));
  const Vec3 x = anyNormalTo(n), y = n.cross(x);
  put(*bend[0], i, x.dot(at.change * x));
  put(*bend[1], i, x.dot(at.change * y));
  put(*bend[2], i, y.dot(at.change * y));
}

void fillLane(const BlockInput& in, std::uint32_t index, std::size_t i, ContactBlock& out, BlockExtra* extra,
              Unfinished& unfinished) {
  const Contact& c = in.contacts[index];
  const std::uint32_t ia = in.body_of[c.a.index()], ib = in.body_of[c.b.index()];
  ActiveBody still_a, still_b;  // for one-way contacts: as if nothing moved it
  still_a.position = in.bodies[ia].position;
  still_b.position = in.bodies[ib].position;
  still_a.turn = in.bodies[ia].turn;
  still_b.turn = in.bodies[ib].turn;
  const ActiveBody &a = c.surfaces.unmoved == 1 ? still_a : in.bodies[ia],
                   &b = c.surfaces.unmoved == 2 ? still_b : in.bodies[ib];
  out.body_a[i] = ia;
  out.body_b[i] = ib;
  out.contact[i] = index;
  out.points = std::max(out.points, static_cast<std::uint32_t>(c.patch.count));
  const std::uint32_t bit = 1u << i;
  if (c.surfaces.unmoved != 1 && !a.fixed()) out.moves_a |= bit;
  if (c.surfaces.unmoved != 2 && !b.fixed()) out.moves_b |= bit;
  put(out.normal, i, c.patch.normal);
  put(out.inverse_mass_a, i, a.inverse_mass.x());
  put(out.inverse_mass_b, i, b.inverse_mass.x());
  put(out.inverse_inertia_a, i, a.inverse_inertia);
  put(out.inverse_inertia_b, i, b.inverse_inertia);
  Vec3 lean_a = Vec3::Zero(), lean_b = Vec3::Zero();
  if (extra != nullptr) {
    put(extra->inverse_mass_a, i, a.inverse_mass);
    put(extra->inverse_mass_b, i, b.inverse_mass);
    fillBend(in.traits[c.a.index()], a, c.patch.normal, 1, in.substep, i,
             {&extra->bend_a_xx, &extra->bend_a_xy, &extra->bend_a_yy}, lean_a);
    fillBend(in.traits[c.b.index()], b, c.patch.normal, -1, in.substep, i,
             {&extra->bend_b_xx, &extra->bend_b_xy, &extra->bend_b_yy}, lean_b);
    put(extra->lean_a, i, lean_a);
    put(extra->lean_b, i, lean_b);
  }
  for (int k = 0; k < c.patch.count; ++k) {
    const collide::Point& p = c.patch.points[static_cast<std::size_t>(k)];
    PointRow& row = out.point[k];
    const Vec3 ra = p.position - a.position, rb = p.position - b.position;
    put(row.arm_a, i, ra);
    put(row.arm_b, i, rb);
    put(row.gap, i, p.gap);
    put(row.impulse, i, c.normal_force[static_cast<std::size_t>(k)] * in.dt);
  }
  double size = std::numeric_limits<double>::infinity(), inner = size;
  double rate = 0, mass_share = 1;
  for (const auto& [body, piece] : {std::pair(ia, c.a), std::pair(ib, c.b)}) {
    const Traits& t = in.traits[piece.index()];
    // What sleeps is not moved, but its springs stay as soft as they were: nothing is to change by its sleep.
    if (body == 0 && t.dynamic) {
      const Traits& other = in.traits[(piece == c.a ? c.b : c.a).index()];
      if (other.dynamic) mass_share = other.inverse_mass / (other.inverse_mass + t.inverse_mass);
    }
    if (body == 0 || !t.dynamic) continue;
    size = least(size, t.size);
    inner = least(inner, t.inner_radius);
    const double weights = t.weight > 0 ? static_cast<double>(c.totalForce()) / t.weight : 0;
    rate = greatest(rate, t.spring_rate * stiffening(weights));
  }
  fillFriction(c, a, b, i, in.dt, kPatchRadius * size, inner, out, extra, unfinished);
  if (c.surfaces.adhesion > 0) put(extra->pull, i, adhesionForce(c, size) * in.dt / c.patch.count);
  put(out.push_speed, i, kPushSpeed * size);
  put(out.inverse_blend, i, 1 / (kBlend * size));
  const bool calm = in.calm != nullptr && (*in.calm)[index] != 0;
  const Softness soft = springSoftness((calm ? kCalmStiffness : 1) * least(rate, mostSpringRate(in.dt)),
                                       in.dt, calm ? kCalmDamping : kLivelyDamping, mass_share);
  put(out.bias_rate, i, soft.bias_rate);
  put(out.mass_scale, i, soft.mass_scale);
  put(out.impulse_scale, i, soft.impulse_scale);
}

// Missing points are far apart and without mass, so that they never act.
void clear(ContactBlock& b) {
  std::memset(static_cast<void*>(&b), 0, sizeof b);
  for (PointRow& row : b.point)
    for (float& gap : row.gap.x) gap = 1e9f;
  for (std::uint32_t& c : b.contact) c = kNoContact;
}

constexpr std::size_t kBlocksWorthAThread = 32;

}  // namespace

BlockRange BlockList::range(BodyRows& rows, std::size_t begin, std::size_t end) {
  return {blocks.data(),           begin < end ? extraOf(begin) : nullptr, rows.data(), begin, end,
          begin < groups[overflow]};
}

namespace {

// The contacts of each group: by colour, those without extras first; what overflows comes last, one by one.
using Lots = std::array<std::vector<std::uint32_t>, 2 * (kColours + 1)>;

Lots sortOut(const Links& links, const std::vector<std::uint32_t>& some) {
  Lots lots;
  for (const std::uint32_t i : some)
    if (const Link& l = links[i]; l.solved) lots[2 * l.colour + l.extra].push_back(i);
  return lots;
}

std::size_t lanesOf(std::size_t group) { return group / 2 == kOverflow ? 1 : kLanes; }

}  // namespace

std::size_t countBlocks(const Links& links, const std::vector<std::uint32_t>& some) {
  const Lots lots = sortOut(links, some);
  std::size_t blocks = 0;
  for (std::size_t g = 0; g < lots.size(); ++g) blocks += (lots[g].size() + lanesOf(g) - 1) / lanesOf(g);
  return blocks;
}

BlockList buildBlocks(const BlockInput& in, const Links& links, const std::vector<std::uint32_t>& some) {
  const Lots lots = sortOut(links, some);
  std::vector<std::span<const std::uint32_t>> of_block;
  BlockList out;
  std::uint32_t extras = 0;
  for (std::size_t g = 0; g < lots.size(); ++g) {
    if (g == 2 * kOverflow) out.overflow = out.groups.size();
    if (lots[g].empty()) continue;
    out.groups.push_back(of_block.size());
    for (std::size_t k = 0; k < lots[g].size(); k += lanesOf(g)) {
      of_block.push_back(std::span(lots[g]).subspan(k, std::min(lanesOf(g), lots[g].size() - k)));
      out.extra.push_back(g % 2 == 1 ? extras++ : BlockList::kNoExtra);
    }
  }
  out.groups.push_back(of_block.size());
  out.blocks.make(of_block.size());
  out.extras.make(extras);
  const auto prefetch = [](const auto& x) {
    for (std::size_t k = 0; k < sizeof x; k += 64) __builtin_prefetch(reinterpret_cast<const char*>(&x) + k);
  };
  // Contacts two blocks ahead, and the bodies that they name one block ahead.
  const auto prefetchFor = [&](std::size_t n) {
    if (n + 1 < of_block.size())
      for (const std::uint32_t i : of_block[n + 1]) prefetch(in.contacts[i]);
    if (n >= of_block.size()) return;
    for (const std::uint32_t i : of_block[n])
      for (const PieceId p : {in.contacts[i].a, in.contacts[i].b}) prefetch(in.bodies[in.body_of[p.index()]]);
  };
  shareOrAlone(in.team, of_block.size(), kBlocksWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t n = begin; n < end; ++n) {
                   prefetchFor(n + 1);
                   clear(out.blocks[n]);
                   BlockExtra* extra = out.extraOf(n);
                   if (extra != nullptr) std::memset(static_cast<void*>(extra), 0, sizeof(BlockExtra));
                   Unfinished unfinished;
                   std::memset(static_cast<void*>(&unfinished), 0, sizeof unfinished);
                   for (std::size_t i = 0; i < of_block[n].size(); ++i)
                     fillLane(in, of_block[n][i], i, out.blocks[n], extra, unfinished);
                   in.kernel->finish(out.blocks[n], extra, unfinished);
                 }
               });
  return out;
}

namespace {

void storeBlock(const BlockList& list, std::size_t n, double dt, Contacts& contacts) {
  const ContactBlock& b = list.blocks[n];
  for (std::size_t i = 0; i < kLanes; ++i) {
    if (b.contact[i] == kNoContact) continue;
    Contact& c = contacts[b.contact[i]];
    const auto force = [&](const Row8& impulse) { return static_cast<double>(impulse.x[i]) / dt; };
    for (int k = 0; k < c.patch.count; ++k)
      c.normal_force[static_cast<std::size_t>(k)] = static_cast<float>(force(b.point[k].impulse));
    const Vec3 t = anyNormalTo(c.patch.normal), u = c.patch.normal.cross(t);
    c.friction_force = force(b.impulse_along) * t + force(b.impulse_across) * u;
    c.twist_torque = static_cast<float>(force(b.impulse_twist));
    const BlockExtra* extra = list.extraOf(n);
    c.sliding = false;
    c.roll_torque.setZero();
    if (extra == nullptr) continue;
    const BlockExtra& e = *extra;
    c.sliding = b.friction.x[i] < e.friction_rest.x[i];
    c.roll_torque = force(e.impulse_roll_along) * t + force(e.impulse_roll_across) * u;
  }
}

}  // namespace

void storeForces(const BlockList& list, double dt, Team* team, Contacts& contacts) {
  shareOrAlone(team, list.blocks.size(), kBlocksWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t n = begin; n < end; ++n) storeBlock(list, n, dt, contacts);
               });
}

}  // namespace drubble::solve
