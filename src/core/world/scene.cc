// SPDX-License-Identifier: Apache-2.0
#include "core/world/scene.h"

#include <cmath>
#include <set>

namespace drubble::world {

solve::Surfaces combine(const Material& a, const Material& b) {
  const Material &first = a.given || !b.given ? a : b, &second = b.given || !a.given ? b : a;
  solve::Surfaces s;
  s.friction_rest = std::sqrt(first.friction_rest * second.friction_rest);
  s.friction_slide = std::sqrt(first.friction_slide * second.friction_slide);
  s.bounce = greatest(first.bounce, second.bounce);
  s.rolling = greatest(first.rolling, second.rolling);
  s.spinning = greatest(first.spinning, second.spinning);
  return s;
}

namespace {

constexpr double kAlike = 1e-6;  // of the largest moment

solve::Top topOf(const solve::Traits& t) {
  if (t.round) return {};
  const Vec3& m = t.moments;
  for (int k = 0; k < 3; ++k) {
    const double one = m[(k + 1) % 3], other = m[(k + 2) % 3];
    if (absolute(one - other) > kAlike * m.maxCoeff()) continue;
    return {(t.principal * Vec3::Unit(k)).normalized(), m[k], 0.5 * (one + other)};
  }
  return {};
}

}  // namespace

void setInertia(solve::Traits& t, double mass, const Mat3& inertia) {
  t.inverse_mass = 1 / mass;
  t.inertia = inertia;
  const Principal principal = principalAxes(t.inertia);
  t.moments = principal.moments;
  Mat3 axes = principal.axes;
  if (axes.determinant() < 0) axes.col(0) = -axes.col(0);
  t.principal = Quat(axes).normalized();
  const double spread = t.moments.maxCoeff() - t.moments.minCoeff();
  t.round = spread <= kAlike * t.moments.maxCoeff();
  if (t.round) t.inertia = t.moments.mean() * Mat3::Identity();
  t.top = topOf(t);
  t.inverse_inertia = t.inertia.inverse();
}

void setMass(Prototype& p, const mesh::MassProperties& solid, double density) {
  solve::Traits& t = p.traits;
  p.volume = solid.volume;
  setInertia(t, density * solid.volume, density * solid.inertia);
  t.size = p.shape.bounds.size().maxCoeff();
  t.outer_radius = p.shape.outer_radius;
  t.inner_radius = p.shape.inner_radius;
  t.roundness = shape::roundness(p.shape, t.round_axis);
  t.half_axes = p.shape.half_axes;
  t.dynamic = true;
}

const char* roleName(Role r) {
  return r == Role::Static ? "static" : r == Role::Kinematic ? "kinematic" : "dynamic";
}

double Scene::secondsAt(double frame) const {
  if (time_scales.keys.empty()) return (frame - first_frame) * time_scale / fps;
  double sum = 0, at = first_frame;
  for (; at + 1 <= frame; at += 1) sum += seconds(at, at + 1);
  return sum + seconds(at, frame);
}

std::string whyInvalid(const Scene& s) {
  std::set<std::string> names;
  for (const Piece& p : s.pieces) {
    if (!names.insert(p.name).second) return "two pieces are called '" + p.name + "'";
    if (p.prototype.index() >= s.prototypes.size()) return "piece '" + p.name + "' has no prototype";
    const Prototype& t = s.prototypeOf(names.size() - 1);
    if (t.material.index() >= s.materials.size()) return "prototype '" + t.name + "' has no material";
    if (!p.start.position.allFinite() || !p.start.turn.coeffs().allFinite() || !p.velocity.allFinite())
      return "piece '" + p.name + "' starts at a place or speed that is not finite";
    if (p.role == Role::Dynamic && !(t.traits.inverse_mass > 0))
      return "piece '" + p.name + "' moves but has no mass";
  }
  for (std::size_t k = 0; k < s.movers.size(); ++k) {
    if (s.movers[k].piece.index() >= s.pieces.size()) return "a motion moves no piece";
    if (k > 0 && !(s.movers[k - 1].piece < s.movers[k].piece)) return "motions are out of order";
    if (s.pieces[s.movers[k].piece.index()].role != Role::Kinematic && !s.movers[k].waits)
      return "piece '" + s.pieces[s.movers[k].piece.index()].name + "' has keys but is not kinematic";
  }
  for (const SceneJoint& j : s.joints) {
    std::vector<PieceId> held{j.joint.a.piece, j.joint.b.piece};
    for (const solve::JointPoint& p : j.joint.over) held.push_back(p.piece);
    for (const PieceId p : held)
      if (p.valid() && p.index() >= s.pieces.size()) return "joint '" + j.name + "' holds no piece";
    if (j.joint.a.piece == j.joint.b.piece) return "joint '" + j.name + "' holds a piece to itself";
    if (!j.joint.a.at.allFinite() || !j.joint.b.at.allFinite())
      return "joint '" + j.name + "' is at a place that is not finite";
  }
  for (const bond::Bond& b : s.bonds)
    if (!(b.a < b.b) || b.b.index() >= s.pieces.size() || b.table >= s.bond_tables.size())
      return "a bond holds no two pieces";
  for (const Rule& r : s.rules)
    for (std::size_t k = 0; k < r.who.size(); ++k)
      if (r.who[k].index() >= s.pieces.size() || (k > 0 && !(r.who[k - 1] < r.who[k])))
        return "rule '" + r.name + "' takes no piece, or they are out of order";
  return {};
}

}  // namespace drubble::world
