// SPDX-License-Identifier: Apache-2.0
// Driven meshes that change their form: a sail, a belt, a muscle. Their surface is made anew for every
// substep; its true velocity reaches the solver through carriers: bodies without mass that exist for one
// substep, one a patch, each going with the triangle that is touched.
#include <algorithm>

#include "core/solve/flight.h"
#include "core/world/world.h"

namespace drubble::world {

std::vector<Vec3> verticesAt(const Prototype& p, double frame) {
  const double last = static_cast<double>(p.bends.size() - 1);
  const double place = clamped(frame - p.bends_from, 0, last);
  const auto low = static_cast<std::size_t>(least(place, greatest(last - 1, 0)));
  const double share = place - static_cast<double>(low);
  std::vector<Vec3> out = p.bends[low];
  if (share == 0) return out;
  for (std::size_t i = 0; i < out.size(); ++i) out[i] += share * (p.bends[low + 1][i] - out[i]);
  return out;
}

void World::findBends() {
  bend_of_.assign(scene_.prototypes.size(), -1);
  for (std::size_t i = 0; i < scene_.prototypes.size(); ++i) {
    if (scene_.prototypes[i].bends.empty()) continue;
    bend_of_[i] = static_cast<int>(bends_.size());
    bends_.push_back({u32(i), scene_.prototypes[i].shape, -1e300, {}, 0});
  }
  for (std::uint32_t i = 0; i < scene_.pieces.size(); ++i)
    if (bendOf(i) != nullptr) bending_pieces_.push_back(i);
  bend(frame_, frame_);
}

// The forms at `from`, and how fast they change towards `to`.
void World::bend(double from, double to) {
  for (Bend& b : bends_) {
    const Prototype& p = scene_.prototypes[b.prototype];
    if (b.at != from) b.shape = shape::bent(p.shape, verticesAt(p, from));
    b.at = from;
    b.speed = 0;
    b.velocity.clear();
    if (!(to > from)) continue;
    const std::vector<Vec3>& now = b.shape.surface->mesh.vertices;
    b.velocity = verticesAt(p, to);
    const double h = scene_.seconds(from, to);
    for (std::size_t i = 0; i < now.size(); ++i) {
      b.velocity[i] = (b.velocity[i] - now[i]) / h;
      b.speed = greatest(b.speed, b.velocity[i].norm());
    }
  }
}

const Bend* World::bendOf(std::size_t piece) const {
  const int b = bend_of_[scene_.pieces[piece].prototype.index()];
  return b < 0 ? nullptr : &bends_[static_cast<std::size_t>(b)];
}

const shape::Shape& World::shapeOf(std::size_t piece) const {
  const Bend* b = bendOf(piece);
  return b == nullptr ? scene_.prototypeOf(piece).shape : b->shape;
}

bool World::bending(std::size_t piece) const {
  const Prototype& p = scene_.prototypeOf(piece);
  return frame_ > p.bends_from && frame_ < p.bends_from + static_cast<int>(p.bends.size());
}

double World::bendSpeed(std::size_t piece) const {
  const Bend* b = bendOf(piece);
  return b == nullptr ? 0 : b->speed;
}

// How a bending piece's surface goes where it is touched, on top of the piece's own motion; world.
SurfaceMotion World::surfaceMotion(std::size_t piece, std::uint32_t triangle, const Vec3& point_world) const {
  SurfaceMotion out;
  const Bend* b = bendOf(piece);
  if (b == nullptr || b->speed == 0) return out;
  const mesh::TriangleMesh& m = b->shape.surface->mesh;
  const mesh::Triangle& t = m.triangles[triangle];
  const Vec3 p = motion_.pose(piece).toBody(point_world), &p0 = m.vertices[t[0]];
  const Vec3 e1 = m.vertices[t[1]] - p0, e2 = m.vertices[t[2]] - p0, n = e1.cross(e2);
  const Vec3 &v0 = b->velocity[t[0]], d1 = b->velocity[t[1]] - v0, d2 = b->velocity[t[2]] - v0;
  const double nn = n.squaredNorm();
  if (!(nn > 0)) return out;
  // The velocity of the triangle's plane is linear over it: at p, by its coordinates along e1 and e2.
  const double s = n.dot((p - p0).cross(e2)) / nn, u = n.dot(e1.cross(p - p0)) / nn;
  // Its turning: the normal's, and half the curl about the normal.
  const Vec3 n_change = d1.cross(e2) + e1.cross(d2);
  const Vec3 x = e1.normalized(), y = n.cross(e1).normalized();
  const double dx_y = d1.dot(y) / e1.norm(), e2x = e2.dot(x), e2y = e2.dot(y);
  const double dy_x = (d2.dot(x) - d1.dot(x) / e1.norm() * e2x) / e2y;
  const Vec3 turning = n.cross(n_change) / nn + 0.5 * (dx_y - dy_x) * n.normalized();
  out.velocity = motion_.turn[piece] * (v0 + s * d1 + u * d2);
  out.spin = motion_.turn[piece] * turning;
  return out;
}

Vec3 World::velocityAt(std::size_t piece, const solve::Contact& c, const Vec3& point_world) const {
  const Vec3 rigid =
      motion_.velocity[piece] + motion_.spin[piece].cross(point_world - motion_.position[piece]);
  return bend_of_[scene_.pieces[piece].prototype.index()] < 0
             ? rigid
             : Vec3(rigid + surfaceMotion(piece, c.patch.sub, point_world).velocity);
}

// Hands every patch on a bending surface to a carrier.
void World::addCarriers(solve::Contacts& contacts, double h, int iterations) {
  carried_.clear();
  if (bends_.empty()) return;
  for (std::uint32_t i = 0; i < contacts.size(); ++i) {
    solve::Contact& c = contacts[i];
    for (PieceId* side : {&c.a, &c.b}) {
      const std::size_t piece = side->index();
      const Bend* b = bendOf(piece);
      if (b == nullptr || b->speed == 0) continue;
      const Vec3 place = c.patch.middle;
      const SurfaceMotion own = surfaceMotion(piece, c.patch.sub, place);
      const Vec3 velocity = velocityAt(piece, c, place), spin = motion_.spin[piece] + own.spin;
      carried_.push_back({i, side == &c.a, *side});
      *side = PieceId(motion_.size());
      solve::Drive d;
      d.piece = side->value;
      for (int k = 0; k <= iterations; ++k) {
        const double t = h * k / iterations;
        d.poses.push_back({place + t * velocity, solve::turnBy(t * spin).normalized()});
      }
      solve::Traits bare = traits_[piece];
      bare.outer_radius = 0;
      traits_.push_back(bare);
      motion_.position.push_back(place);
      motion_.turn.push_back(Quat::Identity());
      motion_.velocity.push_back(velocity);
      motion_.spin.push_back(spin);
      active_.push_back(d.piece);
      body_of_.push_back(u32(active_.size()));
      drives_.push_back(std::move(d));
    }
  }
}

// Takes them away again: patches and hits go back to the pieces they are of.
void World::dropCarriers(solve::Proposal& p) {
  if (carried_.empty()) return;
  const std::size_t pieces = scene_.pieces.size() + clusters_.size();
  for (const Carried& x : carried_) (x.first ? p.contacts[x.contact].a : p.contacts[x.contact].b) = x.piece;
  for (solve::Hit& h : p.hits)
    for (PieceId* side : {&h.a, &h.b})
      if (side->index() >= pieces) *side = carried_[side->index() - pieces].piece;
  while (traits_.size() > pieces) traits_.pop_back();
  for (std::vector<Vec3>* v : {&motion_.position, &motion_.velocity, &motion_.spin}) v->resize(pieces);
  motion_.turn.resize(pieces);
  active_.resize(active_.size() - carried_.size());
  body_of_.resize(pieces);
  drives_.resize(drives_.size() - carried_.size());
  p.bodies.resize(active_.size() + 1);
}

}  // namespace drubble::world
