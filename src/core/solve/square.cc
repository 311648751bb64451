// SPDX-License-Identifier: Apache-2.0
#include "core/solve/square.h"

namespace drubble::solve {

namespace {

Vec3 vec(const float (&v)[3]) {
  return {static_cast<double>(v[0]), static_cast<double>(v[1]), static_cast<double>(v[2])};
}
Vec3 lane(const Vec8& v, int i) {
  return {static_cast<double>(v.x.x[i]), static_cast<double>(v.y.x[i]), static_cast<double>(v.z.x[i])};
}

// N s, upon b.
Vec3 impulseOf(const ContactBlock& c, int i) {
  double load = 0;
  for (std::uint32_t k = 0; k < c.points; ++k) load += static_cast<double>(c.point[k].impulse.x[i]);
  const Vec3 normal = lane(c.normal, i), along = lane(c.along, i);
  return load * normal + static_cast<double>(c.impulse_along.x[i]) * along +
         static_cast<double>(c.impulse_across.x[i]) * normal.cross(along);
}

bool cornered(const ActiveBody& b, const TraitsList& traits) {
  return !b.rounded && traits[b.piece].half_axes.isZero(0);
}

}  // namespace

void takeCouples(const BlockList& list, const TraitsList& traits, const BodyRows& rows, double dt,
                 Bodies& bodies) {
  for (std::size_t n = 0; n < list.blocks.size(); ++n) {
    const ContactBlock& c = list.blocks[n];
    for (int i = 0; i < kLanes; ++i) {
      if (c.contact[i] == kNoContact || ((c.moves_a & c.moves_b) >> i & 1) == 0) continue;
      const BodyRow &a = rows[c.body_a[i]], &b = rows[c.body_b[i]];
      const Vec3 past = vec(b.moved) - vec(a.moved) - dt * (vec(b.velocity) - vec(a.velocity));
      const Vec3 couple = past.cross(impulseOf(c, i));
      if (couple.isZero(0)) continue;
      ActiveBody &one = bodies[c.body_a[i]], &other = bodies[c.body_b[i]];
      const bool of_a = cornered(one, traits), of_b = cornered(other, traits);
      const double share = of_a && of_b ? 0.5 : 1;
      if (of_a) one.spin -= share * (one.inverse_inertia * couple);
      if (of_b) other.spin -= share * (other.inverse_inertia * couple);
    }
  }
}

}  // namespace drubble::solve
