// SPDX-License-Identifier: Apache-2.0
#include "files/setup/select.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/collide/pairs.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

bool matchesFrom(const char* p, const char* n) {
  for (; *p != '\0'; ++p, ++n) {
    if (*p != '*') {
      if (*p != *n) return false;
      continue;
    }
    const bool across = p[1] == '*';
    const char* rest = p + (across ? 2 : 1);
    for (;; ++n) {
      if (matchesFrom(rest, n)) return true;
      if (*n == '\0' || (*n == '/' && !across)) return false;
    }
  }
  return *n == '\0';
}

}  // namespace

bool matchesName(const std::string& pattern, const std::string& name) {
  return matchesFrom(pattern.c_str(), name.c_str());
}

std::string Selecting::nearestPiece(const std::string& pattern) const {
  std::set<std::string> known;
  for (const world::Piece& p : built_.scene.pieces) {
    known.insert(p.name);
    if (const std::size_t slash = p.name.rfind('/'); slash != std::string::npos)
      known.insert(p.name.substr(0, slash) + "/*");
  }
  return nearest(pattern, known);
}

std::vector<PieceId> Selecting::take(const Selector& s) { return take(s, 0); }

std::vector<PieceId> Selecting::take(const std::string& text) {
  Selector s;
  s.patterns = {text};
  if (text.starts_with('@') && !setup_.selections.contains(text.substr(1))) {
    std::set<std::string> known;
    for (const auto& [name, unused] : setup_.selections) known.insert("@" + name);
    const std::string near = nearest(text, known);
    throw Error(ErrorKind::Usage, fmt::format("the setup has no selection '{}'{}", text,
                                              near.empty() ? "" : "; did you mean '" + near + "'?"));
  }
  const std::size_t before = problems_.size();
  std::vector<PieceId> out = take(s, 0);
  problems_.resize(before);
  return out;
}

std::vector<PieceId> Selecting::take(const Selector& s, int depth) {
  std::set<PieceId> out;
  for (const std::string& pattern : s.patterns) {
    if (pattern.starts_with('@')) {
      for (const PieceId p : named(pattern.substr(1), s.where, depth)) out.insert(p);
      continue;
    }
    bool any = false;
    for (std::size_t i = 0; i < built_.scene.pieces.size(); ++i) {
      if (!matchesName(pattern, built_.scene.pieces[i].name)) continue;
      out.insert(PieceId(i));
      any = true;
    }
    if (any) continue;
    const std::string near = nearestPiece(pattern);
    problems_.push_back({fmt::format("no piece is called '{}'{}", pattern,
                                     near.empty() ? "" : "; did you mean '" + near + "'?"),
                         s.where});
  }
  return {out.begin(), out.end()};
}

std::vector<PieceId> Selecting::named(const std::string& name, const Where& where, int depth) {
  const auto found = setup_.selections.find(name);
  if (found == setup_.selections.end()) {
    std::set<std::string> known;
    for (const auto& [k, unused] : setup_.selections) known.insert(k);
    const std::string near = nearest(name, known);
    problems_.push_back(
        {fmt::format("[select] has no '{}'{}", name, near.empty() ? "" : "; did you mean '@" + near + "'?"),
         where});
    return {};
  }
  if (depth > 8) {
    problems_.push_back({fmt::format("the selection '{}' refers to itself", name), found->second.where});
    return {};
  }
  std::vector<PieceId> pieces = take(found->second.of, depth + 1);
  narrow(found->second, pieces, depth + 1);
  if (pieces.empty() && problems_.empty())
    problems_.push_back({fmt::format("the selection '{}' takes no piece", name), found->second.where});
  return pieces;
}

void Selecting::narrow(const SelectSetup& s, std::vector<PieceId>& pieces, int depth) {
  const auto& all = built_.scene.pieces;
  const auto keepIf = [&](auto keep) { std::erase_if(pieces, [&](PieceId p) { return !keep(p); }); };
  if (!s.from.empty()) {
    bool known = false;
    for (const BodySetup& b : setup_.bodies) known = known || b.name == s.from;
    if (!known) problems_.push_back({fmt::format("no body is called '{}'", s.from), s.from_where});
    const bool cut = std::any_of(built_.cuts.begin(), built_.cuts.end(),
                                 [&](const BuiltScene::CutBody& c) { return c.name == s.from; });
    std::set<std::string> copies;
    for (const BuiltScene::GroupCopy& c : built_.group_copies)
      if (c.group == s.from) copies.insert(c.name);
    keepIf([&](PieceId p) {
      const std::string& name = built_.scene.pieces[p.index()].name;
      const std::string& made_as = built_.scene.prototypeOf(p.index()).name;
      return made_as == s.from || (cut && made_as.starts_with(s.from + "/")) ||
             (!copies.empty() && copies.contains(name.substr(0, name.rfind('/'))));
    });
  }
  if (s.inside) keepIf([&](PieceId p) { return within(*s.inside, p); });
  if (s.outside) keepIf([&](PieceId p) { return !within(*s.outside, p); });
  if (s.touching.given()) keepTouching(take(s.touching, depth), pieces);
  if (s.except.given()) {
    const std::vector<PieceId> out = take(s.except, depth);
    keepIf([&](PieceId p) { return !std::binary_search(out.begin(), out.end(), p); });
  }
  if (s.outermost) keepOutermost(pieces);
  if (s.nearest && !pieces.empty()) {
    const auto distance = [&](PieceId p) { return (all[p.index()].start.position - *s.nearest).norm(); };
    pieces = {*std::min_element(pieces.begin(), pieces.end(),
                                [&](PieceId a, PieceId b) { return distance(a) < distance(b); })};
  }
}

// A piece is where its centre of mass is.
bool Selecting::within(const SelectSetup::Region& r, PieceId p) {
  const Vec3 at = built_.scene.pieces[p.index()].start.position;
  if (r.box) return r.box->contains(at);
  if (r.body.empty()) return (at - r.centre).norm() <= r.radius;
  for (std::size_t i = 0; i < built_.scene.pieces.size(); ++i) {
    if (built_.scene.pieces[i].name != r.body) continue;
    const mesh::TriangleMesh& m = built_.scene.prototypeOf(i).mesh;
    const Vec3 inside = built_.scene.pieces[i].start.toBody(at);
    if (!r.container) return mesh::Tree(m).inside(m, inside);
    const shape::Polyhedron hull = shape::convexHull(m.vertices);
    return std::all_of(hull.faces.begin(), hull.faces.end(),
                       [&](const shape::Face& f) { return f.normal.dot(inside) <= f.offset; });
  }
  const auto same = [&](const Problem& x) { return x.where && x.where->line == r.where.line; };
  if (std::none_of(problems_.begin(), problems_.end(), same))
    problems_.push_back({fmt::format("no piece is called '{}'", r.body), r.where});
  return false;
}

std::optional<world::Region> regionOf(const std::optional<SelectSetup::Region>& r, const BuiltScene& built,
                                      std::vector<Problem>& problems) {
  if (!r) return {};
  world::Region out{r->box, r->centre, r->radius, {}, r->container};
  if (r->body.empty()) return out;
  const std::vector<world::Piece>& pieces = built.scene.pieces;
  for (std::size_t i = 0; i < pieces.size(); ++i)
    if (pieces[i].name == r->body) out.body = PieceId(i);
  if (!out.body.valid()) problems.push_back({fmt::format("no piece is called '{}'", r->body), r->where});
  return out;
}

// Closer than a hundredth of the smaller one.
void Selecting::keepTouching(const std::vector<PieceId>& others, std::vector<PieceId>& pieces) const {
  const world::Scene& s = built_.scene;
  collide::Manifolds found;
  std::erase_if(pieces, [&](PieceId p) {
    const shape::Shape& a = s.prototypeOf(p.index()).shape;
    const Box box = shape::boundsAt(a, s.pieces[p.index()].start);
    for (const PieceId q : others) {
      if (q == p) continue;
      const shape::Shape& b = s.prototypeOf(q.index()).shape;
      const double near = 0.01 * least(a.bounds.size().maxCoeff(), b.bounds.size().maxCoeff());
      if (!box.grown(near).overlaps(shape::boundsAt(b, s.pieces[q.index()].start))) continue;
      found.clear();
      collide::collide(a, s.pieces[p.index()].start, b, s.pieces[q.index()].start, near, found);
      if (!found.empty()) return false;
    }
    return true;
  });
}

// Pieces with a corner on the hull of all of them.
void Selecting::keepOutermost(std::vector<PieceId>& pieces) const {
  std::vector<Vec3> points;
  std::vector<std::pair<std::size_t, std::size_t>> range;
  for (const PieceId p : pieces) {
    const std::size_t first = points.size();
    const Pose& pose = built_.scene.pieces[p.index()].start;
    for (const Vec3& v : built_.scene.prototypeOf(p.index()).mesh.vertices) points.push_back(pose.toWorld(v));
    range.emplace_back(first, points.size());
  }
  if (points.size() < 4) return;
  const shape::Polyhedron hull = shape::convexHull(points);
  const double near = 1e-6 * hull.outer_radius;
  std::vector<PieceId> out;
  for (std::size_t k = 0; k < pieces.size(); ++k) {
    bool outer = false;
    for (std::size_t i = range[k].first; i < range[k].second && !outer; ++i)
      for (const shape::Face& f : hull.faces) outer = outer || f.normal.dot(points[i]) > f.offset - near;
    if (outer) out.push_back(pieces[k]);
  }
  pieces = out;
}

}  // namespace drubble::files
