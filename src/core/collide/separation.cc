// SPDX-License-Identifier: Apache-2.0
#include "core/collide/separation.h"

#include <cmath>

namespace drubble::collide {

using shape::Edge;
using shape::Face;

Relative relative(const Pose& from, const Pose& to) {
  return {(to.turn.conjugate() * from.turn).toRotationMatrix(), to.toBody(from.position)};
}

std::size_t faceAgainst(const Side& s, const Vec3& n) {
  double ignored;
  const std::uint32_t lowest = lowestVertex(s, n, ignored);
  std::size_t best = 0;
  double least_dot = std::numeric_limits<double>::infinity();
  for (std::uint32_t i = s.first_face_of[lowest]; i < s.first_face_of[lowest + 1]; ++i) {
    const std::uint32_t f = s.faces_of[i];
    if (const double d = s.faces[f].normal.dot(n); d < least_dot) least_dot = d, best = f;
  }
  return best;
}

namespace {

constexpr double kAlongside = 1e-4;  // sine: of edges as parallel as this a face sees more

// Room for one height a corner or a face; grows to the largest body seen.
double* roomFor(std::span<const Block4> blocks, std::vector<double>& room) {
  if (room.size() < 4 * blocks.size()) room.resize(4 * blocks.size());
  return room.data();
}

// Finds the face of `a` in front of which `b` is farthest. Faces that cannot beat the best so far are passed
// over: b's inner ball, or the corner that was lowest at the best, bounds what its vertices can reach.
class FaceSearch {
 public:
  // `known`: a point of b, in a's frame; `gap`: what is to be beaten.
  FaceSearch(const Side& a, const Side& b, const Relative& b_to_a, AxisKind kind, const Vec3& known,
             double gap)
      : a_(a), b_(b), b_to_a_(b_to_a), kind_(kind), nearest_(known) {
    thread_local std::vector<double> room;
    heights_ = roomFor(a.face_blocks, room);
    heightsAlong(a.face_blocks, b_to_a.point(b.centre), heights_);
    best.gap = gap;
  }

  // The face that looks most at b's centre: it rules out most of the others.
  std::size_t mostFacing() const {
    std::size_t most = 0;
    for (std::size_t f = 1; f < a_.faces.size(); ++f)
      if (heights_[f] > heights_[most]) most = f;
    return most;
  }

  void test(std::size_t f) {
    if (heights_[f] - b_.inner_radius <= best.gap) return;
    const Face& face = a_.faces[f];
    if (face.normal.dot(nearest_) - face.offset <= best.gap) return;
    double low;
    const std::uint32_t v = lowestVertex(b_, b_to_a_.turn.transpose() * face.normal, low);
    const double gap = low + face.normal.dot(b_to_a_.shift) - face.offset;
    if (!(gap > best.gap)) return;
    best = {kind_, gap, face.normal, f, f};
    nearest_ = b_to_a_.point(b_.vertices[v]);
  }

  Axis best;

 private:
  const Side &a_, &b_;
  const Relative& b_to_a_;
  AxisKind kind_;
  double* heights_ = nullptr;  // of b's centre above each face
  Vec3 nearest_;               // of b's points looked at, the one at the best face
};

// Stops at the first face that separates by more than `reach`.
Axis bestFace(const Side& a, const Side& b, const Relative& b_to_a, AxisKind kind, double reach) {
  FaceSearch search(a, b, b_to_a, kind, b_to_a.point(b.vertices[0]),
                    -std::numeric_limits<double>::infinity());
  search.test(search.mostFacing());
  for (std::size_t f = 0; f < a.faces.size() && search.best.gap <= reach; ++f) search.test(f);
  return search.best;
}

Axis bestFaceAcross(const Side& a, const Side& b, const Relative& b_to_a, AxisKind kind, const Vec3& n,
                    const Vec3& on_b, double gap) {
  FaceSearch search(a, b, b_to_a, kind, on_b, gap);
  for (std::size_t f = 0; f < a.faces.size(); ++f)
    if (absolute(a.faces[f].normal.dot(n)) <= 0.7) search.test(f);
  return search.best;
}

// Whether any normal of the edge's arc reaches farther than `least_reach` along `u`.
bool arcReaches(const Edge& e, const Vec3& u, double least_reach) {
  const double end = greatest(e.left.dot(u), e.right.dot(u));
  if (end > least_reach) return true;
  if (end <= 0 || end * e.widen <= least_reach) return false;
  const Vec3 w = u - e.along.dot(u) * e.along;
  const Vec3 arc = e.left.cross(e.right);
  return e.left.cross(w).dot(arc) > 0 && w.cross(e.right).dot(arc) > 0 && w.norm() > least_reach;
}

// An edge that may hold the least overlap, in a's frame.
struct Candidate {
  std::size_t edge;
  Vec3 start, along, left, right, arc;  // arc: left x right
};

// Edges of `x` that come as low as `low` above the other's best face (all, where it has none), and whose arcs
// hold a normal along which the bodies might overlap less than `gap`; `other_centre` in x's frame.
void candidates(const Side& x, const Side& other, const Relative& x_to_other, const Axis& face, double low,
                double gap, const Relative& x_to_a, std::vector<Candidate>& out) {
  thread_local std::vector<double> room;
  out.clear();
  const double* heights = nullptr;
  if (face.kind != AxisKind::None) {
    const Face& f = other.faces[face.a];
    low -= f.normal.dot(x_to_other.shift) - f.offset;
    double* fresh = roomFor(x.corner_blocks, room);
    heightsAlong(x.corner_blocks, x_to_other.turn.transpose() * f.normal, fresh);
    heights = fresh;
  }
  const Vec3 other_centre = x_to_other.inverse().point(other.centre);
  for (std::size_t i = 0; i < x.edges.size(); ++i) {
    const Edge& e = x.edges[i];
    if (heights != nullptr && heights[e.a] > low && heights[e.b] > low) continue;
    if (!arcReaches(e, other_centre - x.vertices[e.a], gap + other.inner_radius)) continue;
    const Mat3& r = x_to_a.turn;
    const Vec3 left = r * e.left, right = r * e.right;
    out.push_back({i, x_to_a.point(x.vertices[e.a]), r * e.along, left, right, left.cross(right)});
  }
}

bool arcsCross(const Candidate& a, const Candidate& b) {
  // a's arc from left to right against b's negated one.
  const double cba = b.left.dot(a.arc), dba = b.right.dot(a.arc);
  const double adc = a.left.dot(b.arc), bdc = a.right.dot(b.arc);
  return cba * dba < 0 && adc * bdc < 0 && cba * bdc < 0;
}

// Of bestEdges where one is a line: any normal square to it is one of its own. `gap`: what is to be beaten.
Axis bestEdgesOfLine(const Side& a, const Side& b, const Relative& b_to_a, double gap) {
  const bool first = a.line();
  const Side &x = first ? b : a, &line = first ? a : b;
  const Relative to_x = first ? b_to_a.inverse() : b_to_a;
  const Vec3 from = to_x.point(line.vertices[0]), along = (to_x.point(line.vertices[1]) - from).normalized();
  Axis best;
  best.gap = gap;
  for (std::size_t i = 0; i < x.edges.size(); ++i) {
    const Edge& e = x.edges[i];
    Vec3 n = along.cross(e.along);
    const double length = n.norm();
    if (length < kAlongside) continue;
    n /= n.dot(e.left + e.right) < 0 ? -length : length;
    const Vec3 arc = e.left.cross(e.right);
    if (e.left.cross(n).dot(arc) < 0 || n.cross(e.right).dot(arc) < 0) continue;
    const double d = n.dot(from - x.vertices[e.a]);
    if (d > best.gap) best = {AxisKind::Edges, d, n, first ? 0 : i, first ? i : 0};
  }
  if (first && best.kind == AxisKind::Edges) best.normal = -(b_to_a.turn * best.normal);
  return best;
}

}  // namespace

FaceAxes bestFaces(const Side& a, const Side& b, const Relative& b_to_a, double reach) {
  FaceAxes out;
  if (!a.line()) out.a = bestFace(a, b, b_to_a, AxisKind::FaceA, reach);
  out.apart = out.a.gap > reach;
  if (out.apart || b.line()) return out;
  out.b = bestFace(b, a, b_to_a.inverse(), AxisKind::FaceB, reach);
  out.b.normal = -(b_to_a.turn * out.b.normal);
  out.apart = out.b.gap > reach;
  return out;
}

FaceAxes bestFacesAcross(const Side& a, const Side& b, const Relative& b_to_a, const Vec3& n,
                         const Vec3& on_a, const Vec3& on_b, double gap) {
  FaceAxes out;
  const Relative a_to_b = b_to_a.inverse();
  out.a = bestFaceAcross(a, b, b_to_a, AxisKind::FaceA, n, on_b, gap);
  out.b = bestFaceAcross(b, a, a_to_b, AxisKind::FaceB, a_to_b.turn * n, a_to_b.point(on_a), out.a.gap);
  out.b.normal = -(b_to_a.turn * out.b.normal);
  return out;
}

Axis bestEdges(const Side& a, const Side& b, const Relative& b_to_a, const FaceAxes& faces, double gap,
               double reach) {
  if (a.line() || b.line()) return bestEdgesOfLine(a, b, b_to_a, gap);
  thread_local std::vector<Candidate> from_a, from_b;
  Axis best;
  best.gap = gap;
  const double low = greatest(reach, -faces.gap());
  const Relative a_to_b = b_to_a.inverse();
  candidates(a, b, a_to_b, faces.b, low, gap, {}, from_a);
  if (from_a.empty()) return best;
  candidates(b, a, b_to_a, faces.a, low, gap, b_to_a, from_b);
  for (const Candidate& ca : from_a) {
    for (const Candidate& cb : from_b) {
      if (!arcsCross(ca, cb)) continue;
      Vec3 n = ca.along.cross(cb.along);
      const double length = n.norm();
      if (length < kAlongside) continue;
      n /= length;
      if (n.dot(ca.start - a.centre) < 0) n = -n;
      const double d = n.dot(cb.start - ca.start);
      if (d > best.gap) best = {AxisKind::Edges, d, n, ca.edge, cb.edge};
    }
  }
  return best;
}

Axis leastOverlap(const Side& a, const Side& b, const Relative& b_to_a, double reach, double favour) {
  const FaceAxes faces = bestFaces(a, b, b_to_a, reach);
  if (faces.apart) return {};
  const Axis edges = bestEdges(a, b, b_to_a, faces, faces.gap() + favour, reach);
  if (edges.gap > reach) return {};
  return edges.kind == AxisKind::Edges ? edges : faces.better(favour);
}

}  // namespace drubble::collide
