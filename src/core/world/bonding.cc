// SPDX-License-Identifier: Apache-2.0
#include "core/world/bonding.h"

#include <algorithm>
#include <cmath>

#include "core/world/joining.h"

namespace drubble::world {

bond::Bond bondOf(const Scene& s, PieceId a, PieceId b, bond::Face face, std::uint32_t table) {
  bond::Bond out;
  out.a = a;
  out.b = b;
  if (b < a) {
    std::swap(out.a, out.b);
    face.normal = -face.normal;
    std::reverse(face.corners.begin(), face.corners.end());
  }
  out.face = std::move(face);
  out.table = table;
  const Material &x = s.materialOf(a.index()), &y = s.materialOf(b.index());
  const bool only_x = !y.given, only_y = !x.given && y.given;
  const auto weaker = [&](double p, double q) { return only_x ? p : only_y ? q : least(p, q); };
  out.strength = {weaker(x.strength.tension, y.strength.tension),
                  weaker(x.strength.compression, y.strength.compression),
                  weaker(x.strength.shear, y.strength.shear)};
  out.stiffness = weaker(x.stiffness, y.stiffness);
  return out;
}

namespace {

constexpr int kWaySamples = 12;
constexpr double kSameWay = 1e-6;  // of the pieces' size

}  // namespace

bool mayBond(const Scene& s, PieceId a, PieceId b) {
  const auto is = [&](PieceId p, Role role) { return s.pieces[p.index()].role == role; };
  if (is(a, Role::Dynamic) || is(b, Role::Dynamic)) return true;
  if (!is(a, Role::Kinematic) || !is(b, Role::Kinematic)) return false;
  const auto moverOf = [&](PieceId p) {
    return std::find_if(s.movers.begin(), s.movers.end(), [&](const Mover& m) { return m.piece == p; });
  };
  const auto x = moverOf(a), y = moverOf(b);
  if (x == s.movers.end() || y == s.movers.end()) return false;
  double last = greatest(act::lastChange(x->path), act::lastChange(y->path));
  last = least(last, s.last_frame);
  for (const Mover* m : {&*x, &*y})
    if (m->release_frame) last = least(last, *m->release_frame);
  const double size = s.prototypeOf(a.index()).traits.size;
  Pose first;
  for (int k = 0; k <= kWaySamples; ++k) {
    const double frame = s.first_frame + (last - s.first_frame) * k / kWaySamples;
    const Pose p = s.moverPose(*x, frame), q = s.moverPose(*y, frame);
    const Pose between{p.toBody(q.position), p.turn.conjugate() * q.turn};
    if (k == 0) first = between;
    if ((between.position - first.position).norm() > kSameWay * size ||
        turnBetween(first.turn, between.turn).norm() > kSameWay)
      return false;
  }
  return true;
}

namespace {

// m4: second moments of the face about its normal and about two axes in it.
Vec3 momentsOf(const bond::Face& f, const Quat& frame) {
  const Vec3 u = frame * Vec3::UnitY(), v = frame * Vec3::UnitZ();
  const double about_u = v.dot(f.spread * v), about_v = u.dot(f.spread * u);
  return {about_u + about_v, about_u, about_v};
}

constexpr double kShortest = 0.1;  // of the face's width: how short fibres may be

}  // namespace

void setYieldStrength(const bond::Bond& b, double times, solve::Joint& j) {
  const bond::Face& f = b.face;
  const Vec3 moments = momentsOf(f, frameAlong(f.normal));
  const double area = times * f.area;
  solve::Yielding& y = j.yields;
  // The row's error is how near a's end has come to b: what draws the two apart makes it negative, and the
  // force that holds them is positive.
  y.most[0] = b.strength.tension * area;
  y.least[0] = -b.strength.compression * area;
  for (std::size_t k = 1; k < 6; ++k) {
    const double arm = k < 3 ? 1 : std::sqrt(moments[static_cast<Eigen::Index>(k) - 3] / f.area);
    const double strength = k <= 3 ? b.strength.shear : least(b.strength.tension, b.strength.compression);
    y.most[k] = strength * area * arm;
    y.least[k] = -y.most[k];
  }
}

solve::Joint yieldingJoint(const Scene& s, const bond::Bond& b) {
  solve::Joint j;
  j.kind = solve::JointKind::Yielding;
  const bond::Face& f = b.face;
  const Quat frame = frameAlong(f.normal);
  j.a = sideAt(s, b.a, f.place, frame);
  j.b = sideAt(s, b.b, f.place, frame);
  double length = 0, inverse_mass = 0, ends = 0;
  for (const PieceId p : {b.a, b.b}) {
    if (s.pieces[p.index()].role != Role::Dynamic) continue;
    length += absolute(f.normal.dot(startPose(s, p).position - f.place));
    inverse_mass += s.prototypeOf(p.index()).traits.inverse_mass;
    ends += 1;
  }
  solve::Yielding& y = j.yields;
  y.length = greatest(2 * length / greatest(ends, 1), kShortest * std::sqrt(f.area));
  const Vec3 moments = momentsOf(f, frame);
  y.radius = std::sqrt(0.5 * moments[0] / f.area);
  const double along = b.stiffness * f.area / y.length;
  for (std::size_t k = 0; k < 6; ++k)
    y.stiffness[k] = k < 3 ? along : along * moments[static_cast<Eigen::Index>(k) - 3] / f.area;
  const BondTable& t = s.bond_tables[b.table];
  y.damping = along > 0 && inverse_mass > 0 ? 2 * t.damping / std::sqrt(along * inverse_mass) : 0;
  y.tear = t.tear;
  setYieldStrength(b, t.strengthAt(s.first_frame), j);
  return j;
}

}  // namespace drubble::world
