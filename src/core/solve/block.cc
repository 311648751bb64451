// SPDX-License-Identifier: Apache-2.0
#include "core/solve/block.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstring>

#include "core/base/prefetch.h"
#include "core/collide/ellipsoid.h"
#include "core/solve/links.h"
#include "core/solve/lots.h"
#include "core/solve/spring.h"

namespace drubble::solve {

namespace {

// Even a ball touches over a small disc, of this share of its size: without it nothing would end its spin
// about the normal.
constexpr double kPatchRadius = 0.005;

// And sticks over at least this share of its size squared.
constexpr double kStickArea = 0.01;

void put(Row8& f, std::size_t i, float x) { f.x[i] = x; }
void put(Row8& f, std::size_t i, double x) { f.x[i] = static_cast<float>(x); }

void put(Vec8& v, std::size_t i, const Vec3& x) {
  put(v.x, i, x.x());
  put(v.y, i, x.y());
  put(v.z, i, x.z());
}

void put(Vec8& v, std::size_t i, const float (&x)[3], float times) {
  put(v.x, i, times * x[0]);
  put(v.y, i, times * x[1]);
  put(v.z, i, times * x[2]);
}

void put(Mat8& m, std::size_t i, const float (&x)[6]) {
  put(m.xx, i, x[0]);
  put(m.xy, i, x[1]);
  put(m.xz, i, x[2]);
  put(m.yy, i, x[3]);
  put(m.yz, i, x[4]);
  put(m.zz, i, x[5]);
}

void symmetric(const Mat3& m, float (&out)[6]) {
  const double x[6] = {m(0, 0), m(0, 1), m(0, 2), m(1, 1), m(1, 2), m(2, 2)};
  for (std::size_t k = 0; k < 6; ++k) out[k] = static_cast<float>(x[k]);
}

// What adhesion can hold, in newtons: the patch's area, but no less than that of a small disc.
double adhesionForce(const Contact& c, double size) {
  Vec3 area = Vec3::Zero();
  const std::size_t n = c.patch.count;
  double cover = 0;
  // keepFour gives them in no order: of the ways round, the one that covers most is right.
  static constexpr std::array<std::array<std::size_t, 4>, 3> kOrders = {
      {{0, 1, 2, 3}, {0, 2, 1, 3}, {0, 1, 3, 2}}};
  for (const auto& order : kOrders) {
    area.setZero();
    for (std::size_t k = 0; k < n; ++k) {
      const std::size_t p = n == 3 ? k : order[k], q = n == 3 ? (k + 1) % 3 : order[(k + 1) % 4];
      if (n >= 3) area += 0.5 * c.patch.arm[p].cast<double>().cross(c.patch.arm[q].cast<double>());
    }
    cover = greatest(cover, area.norm());
  }
  return static_cast<double>(c.surfaces.adhesion) * greatest(cover, kStickArea * size * size);
}

// Where an ellipsoid is touched: how its surface bends away there, and how the arm of the touch will have
// changed halfway through the substep. The material point goes round with the body, and the place that
// touches goes over the surface against it. `side`: 1 where the patch's normal n looks out of it. Returns the
// mean radius of the surface there; 0 for what is no ellipsoid.
double fillBend(const Traits& t, const Quat& body_turn, const Vec3& spin, const Vec3& n, double side,
                double substep, std::size_t i, Mat8& bend, Vec8& lean) {
  if (t.half_axes.isZero(0)) return 0;
  const Mat3 turn = body_turn.toRotationMatrix();
  const Vec3 squares = t.half_axes.cwiseProduct(t.half_axes);
  const Mat3 matrix = turn * squares.asDiagonal() * turn.transpose();
  const collide::EllipsoidSupport at = collide::supportOf(matrix, side * n);
  const Mat3 bending = at.change(matrix);
  const Vec3 turned = 0.5 * substep * spin;
  put(lean, i, Vec3(turned.cross(at.point) - side * (bending * turned.cross(n))));
  float change[6];
  symmetric(bending, change);
  put(bend, i, change);
  return 0.5 * bending.trace();
}

// What a contact and its bodies come to in one lane.
struct Lane {
  const BlockInput& in;
  const Contact& c;
  std::size_t i;             // the lane
  std::uint32_t body[2];     // a's and b's
  bool stays[2];             // the contact does not move it
  float size, inner_radius;  // m: of the smaller partner that moves
  float times[2];            // in how many lanes of the block the body stands
};

void fillExtra(const Lane& lane, BlockExtra& out, UnfinishedExtra& unfinished) {
  const Contact& c = lane.c;
  const std::size_t i = lane.i;
  put(out.friction_rest, i, c.surfaces.friction_rest);
  put(out.friction_slide, i, c.surfaces.friction_slide);
  const PieceId pieces[2] = {c.a, c.b};
  double roll_radius = std::numeric_limits<double>::infinity();
  for (const std::size_t k : {0u, 1u}) {
    const ActiveBody& body = lane.in.bodies[lane.body[k]];
    const Vec3 spin = lane.stays[k] ? Vec3(Vec3::Zero()) : body.spin;
    if (!lane.stays[k])
      put(k == 0 ? out.inverse_mass_a : out.inverse_mass_b, i, (*lane.in.briefs)[lane.body[k]].inverse_mass,
          lane.times[k]);
    // A piece of a larger body does not roll by itself.
    const bool whole = lane.body[k] == 0 || body.piece == pieces[k].value;
    const double radius =
        whole ? fillBend(lane.in.traits[pieces[k].index()], body.turn, spin, c.patch.normal(),
                         k == 0 ? 1 : -1, lane.in.substep, i, k == 0 ? unfinished.bend_a : unfinished.bend_b,
                         k == 0 ? out.lean_a : out.lean_b)
              : 0;
    const double inner = static_cast<double>((*lane.in.briefs)[lane.body[k]].inner_radius);
    // What rolls on a flat side of its own rolls on a large wheel.
    if (std::isfinite(inner)) roll_radius = least(roll_radius, radius > 0 ? radius : inner);
  }
  if (c.surfaces.adhesion > 0)
    put(out.pull, i, adhesionForce(c, static_cast<double>(lane.size)) * lane.in.dt / c.patch.count);
  if (!rolls(c)) return;
  put(out.roll_lever, i, static_cast<double>(c.surfaces.rolling) * roll_radius);
  put(unfinished.roll_impulse, i, Vec3(c.roll_torque.cast<double>() * lane.in.dt));
}

// The spring that eases an overlap out.
void fillSpring(const Lane& lane, bool calm, Unfinished& out) {
  const Contact& c = lane.c;
  const float force = c.gradedForce();
  double rate = 0, mass_share = 1;
  for (const std::uint32_t body : lane.body) {
    const BodyBrief& b = (*lane.in.briefs)[body];
    const double stiffer = stiffening(static_cast<double>(force * b.per_weight));
    rate = greatest(rate, least(stiffer * static_cast<double>(b.spring_rate),
                                (stiffer > 1 ? kStiffened : 1) * mostSpringRate(lane.in.dt)));
  }
  // What sleeps is not moved, but its springs stay as soft as they were: nothing is to change by its sleep.
  for (const std::size_t k : {0u, 1u}) {
    const Traits& t = lane.in.traits[(k == 0 ? c.a : c.b).index()];
    if (lane.body[k] != 0 || !t.dynamic) continue;
    const Traits& other = lane.in.traits[(k == 0 ? c.b : c.a).index()];
    if (other.dynamic) mass_share = other.inverse_mass / (other.inverse_mass + t.inverse_mass);
  }
  put(out.spring_rate, lane.i, (calm ? kCalmStiffness : 1) * rate);
  put(out.damping_ratio, lane.i, calm ? kCalmDamping : kLivelyDamping);
  put(out.mass_share, lane.i, mass_share);
  put(out.size, lane.i, lane.size);
}

// What is gathered eight at a time: rows.h says what stands where.
void pointTo(const Contact& c, const BodyBrief& a, const BodyBrief& b, std::size_t i, Unfinished& out) {
  static_assert(offsetof(BodyBrief, inverse_inertia) == 0 && offsetof(BodyBrief, inverse_mass) == 24);
  static_assert(sizeof c.patch.arm == 48 && sizeof c.patch.gap == 16 && sizeof c.normal_force == 16);
  out.normal[i] = c.patch.direction.data();
  out.arm[i] = c.patch.arm[0].data();
  out.gap[i] = c.patch.gap.data();
  out.force[i] = c.normal_force.data();
  out.mass_a[i] = a.inverse_inertia;
  out.mass_b[i] = b.inverse_inertia;
}

void fillLane(const BlockInput& in, std::uint32_t index, std::size_t i, ContactBlock& out, BlockExtra* extra,
              Unfinished& unfinished, UnfinishedExtra& unfinished_extra) {
  const Contact& c = in.contacts[index];
  const std::uint32_t ia = in.body_of[c.a.index()], ib = in.body_of[c.b.index()];
  const BodyBrief &a = (*in.briefs)[ia], &b = (*in.briefs)[ib];
  // A one-way contact: as if nothing moved it.
  const Lane lane{in,
                  c,
                  i,
                  {ia, ib},
                  {c.surfaces.unmoved == 1 || a.fixed, c.surfaces.unmoved == 2 || b.fixed},
                  std::min(a.size, b.size),
                  std::min(a.inner_radius, b.inner_radius),
                  {static_cast<float>(out.times_a[i]), static_cast<float>(out.times_b[i])}};
  out.body_a[i] = ia;
  out.body_b[i] = ib;
  out.contact[i] = index;
  out.points = std::max(out.points, static_cast<std::uint32_t>(c.patch.count));
  if (!lane.stays[0]) out.moves_a |= 1u << i;
  if (!lane.stays[1]) out.moves_b |= 1u << i;
  put(out.middle_a, i, Vec3(c.patch.middle - a.position));
  put(out.middle_b, i, Vec3(c.patch.middle - b.position));
  pointTo(c, (*in.briefs)[lane.stays[0] ? 0 : ia], (*in.briefs)[lane.stays[1] ? 0 : ib], i, unfinished);
  put(unfinished.times_a, i, lane.times[0]);
  put(unfinished.times_b, i, lane.times[1]);
  put(out.friction, i, c.sliding ? c.surfaces.friction_slide : c.surfaces.friction_rest);
  put(out.impulse_twist, i, static_cast<double>(c.twist_torque) * in.dt);
  put(unfinished.points, i, static_cast<float>(c.patch.count));
  put(unfinished.friction_slide, i, c.surfaces.friction_slide);
  put(unfinished.least_radius, i, kPatchRadius * static_cast<double>(lane.size));
  put(unfinished.spin_lever, i, c.surfaces.spinning * lane.inner_radius);
  put(unfinished.friction_impulse, i, Vec3(c.friction_force.cast<double>() * in.dt));
  fillSpring(lane, in.calm != nullptr && (*in.calm)[index] != 0, unfinished);
  if (extra != nullptr) fillExtra(lane, *extra, unfinished_extra);
}

// What Kernel::finish does not write for every lane.
void clear(ContactBlock& b) {
  for (std::uint32_t* bodies : {b.body_a, b.body_b}) std::memset(bodies, 0, sizeof b.body_a);
  for (Vec8* middle : {&b.middle_a, &b.middle_b}) std::memset(middle, 0, sizeof *middle);
  for (Row8* row : {&b.friction, &b.impulse_twist}) std::memset(row, 0, sizeof *row);
  b.points = b.moves_a = b.moves_b = b.uses = 0;
  for (std::uint32_t& c : b.contact) c = kNoContact;
  std::memset(b.times_a, 1, sizeof b.times_a);
  std::memset(b.times_b, 1, sizeof b.times_b);
}

constexpr std::size_t kFilledWorthAThread = 32, kLinedUpWorthAThread = 128;
constexpr std::size_t kBlocksAhead = 2;  // whose contacts are asked for

}  // namespace

BodyBriefs briefsOf(const BlockInput& in) {
  BodyBriefs out(in.bodies.size());
  shareOrAlone(in.team, out.size(), kLinedUpWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t n = std::max<std::size_t>(begin, 1); n < end; ++n) {
                   const ActiveBody& b = in.bodies[n];
                   const Traits& t = in.traits[b.piece];
                   BodyBrief& x = out[n];
                   x.position = b.position;
                   for (int k = 0; k < 3; ++k) {
                     x.inverse_mass[k] = static_cast<float>(b.inverse_mass[k]);
                     x.velocity[k] = static_cast<float>(b.velocity[k]);
                     x.spin[k] = static_cast<float>(b.spin[k]);
                     x.acceleration[k] = static_cast<float>(b.acceleration[k]);
                   }
                   symmetric(b.inverse_inertia, x.inverse_inertia);
                   // A driven body may carry points that its own shape does not reach.
                   x.outer_radius = t.dynamic          ? static_cast<float>(t.outer_radius)
                                    : b.spin.isZero(0) ? 0
                                                       : std::numeric_limits<float>::infinity();
                   x.fixed = b.fixed();
                   x.special = !t.half_axes.isZero(0) || t.free_travel != Vec3::Ones();
                   if (!t.dynamic) continue;
                   x.size = static_cast<float>(t.size);
                   x.inner_radius = static_cast<float>(t.inner_radius);
                   x.per_weight = t.weight > 0 ? static_cast<float>(1 / t.weight) : 0;
                   x.spring_rate = static_cast<float>(t.spring_rate);
                 }
               });
  return out;
}

float mostSpeed(const BodyBrief& a, const BodyBrief& b) {
  const auto norm = [](const float(&v)[3], const float(&w)[3], float sign) {
    float sum = 0;
    for (int k = 0; k < 3; ++k) sum += (v[k] + sign * w[k]) * (v[k] + sign * w[k]);
    return std::sqrt(sum);
  };
  const float still[3] = {};
  return 1.001f * (norm(a.velocity, b.velocity, -1) + norm(a.spin, still, 1) * a.outer_radius +
                   norm(b.spin, still, 1) * b.outer_radius);
}

std::size_t sweepCost(const Links& links, const std::vector<std::uint32_t>& some) {
  std::size_t cost = 0;
  eachBlock(sortOut(links, some), links, true, [&](std::size_t g, Some block) { cost += costOf(g, block); });
  return cost;
}

BlockList buildBlocks(const BlockInput& in, const Links& links, const std::vector<std::uint32_t>& some) {
  const Lots lots = sortOut(links, some);
  std::vector<Some> of_block;
  BlockList out;
  std::uint32_t extras = 0;
  std::size_t group = lots.size(), first_crowded = 0;  // the last group begun, and the first block of those
  eachBlock(lots, links, in.crowds, [&](std::size_t g, Some block) {
    if (g != group) out.groups.push_back(of_block.size());
    if (g < 2 * kOverflow) out.overflow = out.groups.size(), first_crowded = of_block.size() + 1;
    group = g;
    of_block.push_back(block);
    out.cost += costOf(g, block);
    out.extra.push_back(g % 2 == 1 ? extras++ : BlockList::kNoExtra);
  });
  out.groups.push_back(of_block.size());
  for (const std::uint32_t i : some) {
    out.rolling = out.rolling || links[i].rolling;
    out.two_frictions = out.two_frictions || links[i].two_frictions;
  }
  out.blocks.make(of_block.size());
  out.extras.make(extras);
  const Contact nobody;
  // The contact of a lane two blocks ahead, and the bodies that one block ahead names.
  const auto prefetchFor = [&](std::size_t n, std::size_t lane) {
    if (n + kBlocksAhead < of_block.size() && lane < of_block[n + kBlocksAhead].size())
      prefetch(in.contacts[of_block[n + kBlocksAhead][lane]]);
    if (n + 1 >= of_block.size() || lane >= of_block[n + 1].size()) return;
    const Link& l = links[of_block[n + 1][lane]];
    prefetch((*in.briefs)[l.a]);
    prefetch((*in.briefs)[l.b]);
  };
  shareOrAlone(in.team, of_block.size(), kFilledWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t n = begin; n < end; ++n) {
                   clear(out.blocks[n]);
                   BlockExtra* extra = out.extraOf(n);
                   Unfinished unfinished;
                   if (of_block[n].size() < kLanes)
                     std::memset(static_cast<void*>(&unfinished), 0, sizeof unfinished);
                   for (std::size_t i = of_block[n].size(); i < kLanes; ++i)
                     pointTo(nobody, (*in.briefs)[0], (*in.briefs)[0], i, unfinished);
                   UnfinishedExtra unfinished_extra;
                   if (extra != nullptr) {
                     std::memset(static_cast<void*>(extra), 0, sizeof(BlockExtra));
                     std::memset(static_cast<void*>(&unfinished_extra), 0, sizeof unfinished_extra);
                   }
                   unfinished.dt = static_cast<float>(in.dt);
                   if (n >= first_crowded) countTimes(links, of_block[n], out.blocks[n]);
                   for (std::size_t i = 0; i < of_block[n].size(); ++i) {
                     prefetchFor(n, i);
                     fillLane(in, of_block[n][i], i, out.blocks[n], extra, unfinished, unfinished_extra);
                   }
                   in.kernel->finish(out.blocks[n], unfinished, extra, &unfinished_extra);
                 }
               });
  return out;
}

namespace {

void storeBlock(const BlockList& list, std::size_t n, double dt, Contacts& contacts) {
  const ContactBlock& b = list.blocks[n];
  const ContactBlock* const ahead =
      n + kBlocksAhead < list.blocks.size() ? &list.blocks[n + kBlocksAhead] : nullptr;
  for (std::size_t i = 0; i < kLanes; ++i) {
    if (ahead != nullptr && ahead->contact[i] != kNoContact) prefetch(contacts[ahead->contact[i]]);
    if (b.contact[i] == kNoContact) continue;
    Contact& c = contacts[b.contact[i]];
    const auto force = [&](const Row8& impulse) { return static_cast<double>(impulse.x[i]) / dt; };
    for (std::size_t k = 0; k < c.patch.count; ++k)
      c.normal_force[k] = static_cast<float>(force(b.point[k].impulse));
    c.grade();
    const auto direction = [&](const Vec8& v) { return vec3(v.x.x[i], v.y.x[i], v.z.x[i]); };
    const Vec3 t = direction(b.along), u = direction(b.normal).cross(t);
    c.friction_force = (force(b.impulse_along) * t + force(b.impulse_across) * u).cast<float>();
    c.twist_torque = static_cast<float>(force(b.impulse_twist));
    const BlockExtra* extra = list.extraOf(n);
    c.sliding = false;
    c.roll_torque.setZero();
    if (extra == nullptr) continue;
    const BlockExtra& e = *extra;
    c.sliding = b.friction.x[i] < e.friction_rest.x[i];
    c.roll_torque = (force(e.impulse_roll_along) * t + force(e.impulse_roll_across) * u).cast<float>();
  }
}

}  // namespace

void storeForces(const BlockList& list, double dt, Team* team, Contacts& contacts) {
  shareOrAlone(team, list.blocks.size(), kFilledWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t n = begin; n < end; ++n) storeBlock(list, n, dt, contacts);
               });
}

}  // namespace drubble::solve
