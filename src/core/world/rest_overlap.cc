// SPDX-License-Identifier: Apache-2.0
// Shapes that overlap where they start although their meshes do not: neighbours cut from one solid, hulls of
// hollow things, skins of touching pieces. They feel nothing of it, and it only ever shrinks.
#include <algorithm>
#include <map>

#include "core/collide/broad.h"
#include "core/collide/pairs.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

// A mesh's tree, made when first asked for.
class Trees {
 public:
  const mesh::Tree& of(const Scene& s, std::size_t piece) {
    const std::size_t p = s.pieces[piece].prototype.index();
    const auto found = trees_.find(p);
    return found != trees_.end() ? found->second
                                 : trees_.emplace(p, mesh::Tree(s.prototypes[p].mesh)).first->second;
  }

 private:
  std::map<std::size_t, mesh::Tree> trees_;
};

// Visits corners, middles of edges and middles of triangles.
template <class Visit>
void samplePoints(const mesh::TriangleMesh& m, Visit visit) {
  for (const Vec3& v : m.vertices) visit(v);
  for (const mesh::Triangle& t : m.triangles) {
    const Vec3 &a = m.vertices[t[0]], &b = m.vertices[t[1]], &c = m.vertices[t[2]];
    visit((a + b + c) / 3);
    if (t[0] < t[1]) visit(0.5 * (a + b));
    if (t[1] < t[2]) visit(0.5 * (b + c));
    if (t[2] < t[0]) visit(0.5 * (c + a));
  }
}

// How deep points of i's mesh lie behind j's surface. Sampled: a crossing between the samples is missed.
double depthInto(const Scene& s, std::size_t i, const Pose& pi, std::size_t j, const Pose& pj, Trees& trees) {
  const Prototype &a = s.prototypeOf(i), &b = s.prototypeOf(j);
  double depth = 0;
  if (b.shape.kind == shape::Kind::Plane) {
    const Vec3 up = pj.turn * b.shape.plane_normal;
    for (const Vec3& v : a.mesh.vertices) depth = greatest(depth, -up.dot(pi.toWorld(v) - pj.position));
    return depth;
  }
  const mesh::Tree& tree = trees.of(s, j);
  const Box box = b.mesh.bounds();
  const bool surface = b.shape.kind == shape::Kind::Mesh;
  const Vec3 core = pj.toBody(pi.toWorld(a.shape.core));
  samplePoints(a.mesh, [&](const Vec3& v) {
    const Vec3 p = pj.toBody(pi.toWorld(v));
    if (!box.contains(p)) return;
    const mesh::Tree::Nearest near = tree.nearest(b.mesh, p);
    if (near.distance <= depth) return;
    const Vec3 n = b.mesh.normal(near.triangle);
    const bool behind =
        surface ? n.dot(p - near.point) * n.dot(core - near.point) < 0 : tree.inside(b.mesh, p);
    if (behind) depth = near.distance;
  });
  return depth;
}

double meshDepth(const Scene& s, std::size_t i, const Pose& pi, std::size_t j, const Pose& pj, Trees& trees) {
  if (s.prototypeOf(i).exact_shape && s.prototypeOf(j).exact_shape)
    return collide::overlapDepth(s.prototypeOf(i).shape, pi, s.prototypeOf(j).shape, pj);
  double depth = 0;
  if (s.prototypeOf(i).volume > 0) depth = depthInto(s, i, pi, j, pj, trees);
  if (s.prototypeOf(j).volume > 0) depth = greatest(depth, depthInto(s, j, pj, i, pi, trees));
  return depth;
}

}  // namespace

namespace {

// Of two pieces at these places; felt is 0 where they do not touch.
StartOverlap overlapOf(const Scene& s, std::size_t i, const Pose& pi, std::size_t j, const Pose& pj,
                       Trees& trees, collide::Manifolds& found) {
  found.clear();
  collide::collide(s.prototypeOf(i).shape, pi, s.prototypeOf(j).shape, pj, 0, found);
  StartOverlap o{PieceId(i), PieceId(j), 0, 0};
  for (const collide::Manifold& m : found) o.felt = greatest(o.felt, -m.leastGap());
  if (o.felt > 0) o.real = least(meshDepth(s, i, pi, j, pj, trees), o.felt);
  return o;
}

// Of the pieces that a pour bears together, as they stand to each other: looked at once for each kit.
std::vector<StartOverlap> overlapsOfBirths(const Scene& s) {
  std::vector<StartOverlap> out;
  Trees trees;
  collide::Manifolds found;
  const PairRules rules(s);
  for (const Pour& p : s.pours) {
    std::map<std::uint32_t, std::vector<StartOverlap>>
        of_kit;  // of the first birth; pieces counted from its first
    for (const Birth& b : p.births) {
      const auto [at, fresh] = of_kit.try_emplace(b.kit);
      const auto count = u32(p.kits[b.kit].parts.size());
      for (std::uint32_t i = 0; fresh && i < count; ++i)
        for (std::uint32_t j = i + 1; j < count; ++j) {
          const std::uint32_t a = b.first + i, c = b.first + j;
          if (!s.pieces[a].collide || !s.pieces[c].collide || !rules.collide(a, c)) continue;
          StartOverlap o = overlapOf(s, a, s.pieces[a].start, c, s.pieces[c].start, trees, found);
          o.a = PieceId(i), o.b = PieceId(j);
          if (o.felt > 0) at->second.push_back(o);
        }
      if (s.pieces[b.first].start_state != Start::Unborn) continue;  // those are found with all others
      for (StartOverlap o : at->second) {
        o.a = PieceId(b.first + o.a.value), o.b = PieceId(b.first + o.b.value);
        out.push_back(o);
      }
    }
  }
  return out;
}

}  // namespace

std::vector<StartOverlap> startOverlaps(const Scene& s) {
  std::vector<Box> boxes;
  std::vector<collide::BoxKind> kinds;
  std::vector<Pose> poses;
  for (std::size_t i = 0; i < s.pieces.size(); ++i) {
    const Piece& p = s.pieces[i];
    poses.push_back(p.start);
    kinds.push_back(!p.collide || p.start_state == Start::Unborn ? collide::BoxKind::Ignored
                    : p.role == Role::Dynamic                    ? collide::BoxKind::Moving
                                                                 : collide::BoxKind::Static);
  }
  for (const Mover& m : s.movers)
    if (!m.waits) poses[m.piece.index()] = s.moverPose(m, s.first_frame);
  for (std::size_t i = 0; i < s.pieces.size(); ++i) {
    const shape::Shape& shape = s.prototypeOf(i).shape;
    boxes.push_back(shape::boundsAt(shape, poses[i]).grown(shape.margin));
  }
  const PairRules rules(s);
  Trees trees;
  std::vector<StartOverlap> out;
  collide::Manifolds found;
  for (const auto& [i, j] : collide::overlappingPairs(boxes, kinds)) {
    if (!rules.collide(i, j)) continue;
    const StartOverlap o = overlapOf(s, i, poses[i], j, poses[j], trees, found);
    if (o.felt > 0) out.push_back(o);
  }
  return out;
}

namespace {

constexpr double kRounding = 1e-7;  // of a piece's size

}  // namespace

void World::findRestOverlaps() {
  rest_overlaps_.clear();
  std::vector<StartOverlap> all = startOverlaps(scene_);
  const std::vector<StartOverlap> births = overlapsOfBirths(scene_);
  all.insert(all.end(), births.begin(), births.end());
  std::sort(all.begin(), all.end(), [](const StartOverlap& x, const StartOverlap& y) {
    return std::pair(x.a, x.b) < std::pair(y.a, y.b);
  });
  for (const StartOverlap& o : all) {
    // What rounding makes of faces that were one is none: it would only keep their contacts from being
    // followed.
    const double size = least(traits_[o.a.index()].size, traits_[o.b.index()].size);
    if (o.felt - o.real > kRounding * size) rest_overlaps_.push_back({o.a, o.b, o.felt - o.real});
  }
}

double World::restOverlap(PieceId a, PieceId b) const {
  const auto at =
      std::lower_bound(rest_overlaps_.begin(), rest_overlaps_.end(), std::pair(a, b),
                       [](const RestOverlap& r, const auto& key) { return std::pair(r.a, r.b) < key; });
  return at != rest_overlaps_.end() && at->a == a && at->b == b ? at->depth : 0;
}

void World::shrinkRestOverlaps() {
  if (rest_overlaps_.empty()) return;
  std::size_t k = 0;
  for (RestOverlap& r : rest_overlaps_) {
    const auto before = [&](const solve::Contact& c) { return std::pair(c.a, c.b) < std::pair(r.a, r.b); };
    while (k < contacts_.size() && before(contacts_[k])) ++k;
    if (!mobile(r.a.index()) && !mobile(r.b.index())) continue;
    double now = 0;
    for (std::size_t c = k; c < contacts_.size() && contacts_[c].a == r.a && contacts_[c].b == r.b; ++c)
      now = greatest(now, r.depth - contacts_[c].patch.leastGap());
    r.depth = least(r.depth, now);
  }
  std::erase_if(rest_overlaps_, [](const RestOverlap& r) { return !(r.depth > 0); });
}

}  // namespace drubble::world
