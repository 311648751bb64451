// SPDX-License-Identifier: Apache-2.0
#include "core/cut/again.h"

#include <algorithm>
#include <array>
#include <map>
#include <unordered_map>

#include "core/base/error.h"
#include "core/base/sets.h"
#include "core/mesh/mass.h"

namespace drubble::cut {

namespace {

using mesh::Triangle;

// The same triangle, its least node first.
Triangle fromLeast(Triangle t) {
  std::rotate(t.begin(), std::min_element(t.begin(), t.end()), t.end());
  return t;
}
Triangle reversed(const Triangle& t) { return {t[0], t[2], t[1]}; }

std::uint64_t lineOf(std::uint32_t a, std::uint32_t b) {
  return std::uint64_t{std::min(a, b)} << 32 | std::max(a, b);
}

// The rim of some triangles that make a disc: of each of its nodes the next.
std::unordered_map<std::uint32_t, std::uint32_t> rimOf(std::span<const Triangle> disc) {
  std::unordered_map<std::uint64_t, std::array<std::uint32_t, 2>> lone;
  for (const Triangle& t : disc)
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t a = t[k], b = t[(k + 1) % 3];
      if (lone.erase(lineOf(a, b)) == 0) lone[lineOf(a, b)] = {a, b};
    }
  std::unordered_map<std::uint32_t, std::uint32_t> next;
  for (const auto& [line, ends] : lone) next[ends[0]] = ends[1];
  return next;
}

}  // namespace

std::vector<Triangle> dividedTriangle(const Triangle& corners,
                                      const std::array<std::vector<std::uint32_t>, 3>& sides,
                                      std::vector<Vec3>& places, Joined& joined) {
  struct At {
    std::uint32_t node;
    int sides;  // bits: those that it lies on
  };
  std::vector<At> rim;
  for (std::size_t k = 0; k < 3; ++k) {
    rim.push_back({corners[k], 1 << k | 1 << ((k + 2) % 3)});
    for (const std::uint32_t n : sides[k]) rim.push_back({n, 1 << k});
  }
  std::vector<Triangle> out;
  while (rim.size() > 3) {
    // Off goes the corner whose triangle is the least needle-like.
    std::size_t best = rim.size();
    double most = -1;
    bool again = true;  // the best would draw a line that is there
    for (std::size_t k = 0; k < rim.size(); ++k) {
      const At &a = rim[(k + rim.size() - 1) % rim.size()], &b = rim[k], &c = rim[(k + 1) % rim.size()];
      if ((a.sides & c.sides) != 0 || (a.sides & b.sides & c.sides) != 0) continue;
      const Vec3 ab = places[b.node] - places[a.node], bc = places[c.node] - places[b.node],
                 ca = places[a.node] - places[c.node];
      const double longest = greatest(ab.squaredNorm(), greatest(bc.squaredNorm(), ca.squaredNorm()));
      const double width = longest > 0 ? ab.cross(bc).norm() / longest : 0;
      const bool drawn = rim.size() > 3 && joined.has(a.node, c.node);
      if (drawn ? again && width > most : again || width > most) most = width, best = k, again = drawn;
    }
    if (best == rim.size()) throw Error(ErrorKind::Internal, "a divided triangle has no corner to take off");
    const std::size_t n = rim.size();
    if (again) {
      std::vector<std::uint32_t> nodes;
      for (const At& at : rim) nodes.push_back(at.node);
      addFan(nodes, places, out);
      return out;
    }
    const Triangle& t =
        out.emplace_back(Triangle{rim[(best + n - 1) % n].node, rim[best].node, rim[(best + 1) % n].node});
    joined.add(t[0], t[2]);
    rim.erase(rim.begin() + static_cast<std::ptrdiff_t>(best));
  }
  out.push_back({rim[0].node, rim[1].node, rim[2].node});
  return out;
}

// What a cut has done to the surface of a piece, for those that share it.
struct Assembly::Division {
  // Of a line between two nodes: the new ones on it, from the lower to the higher end.
  std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> lines;
  std::map<Triangle, std::vector<Triangle>> triangles;  // of inside faces: what each has become
  std::map<Triangle, std::vector<Triangle>> divided;    // what others have become, for their other sides
  Joined joined;                                        // all lines hereabouts

  void join(const Piece& p) {
    for (const Triangle& t : p.mesh.triangles)
      for (std::size_t k = 0; k < 3; ++k) joined.add(p.nodes[t[k]], p.nodes[t[(k + 1) % 3]]);
  }

  void add(const Triangle& t, const std::vector<Triangle>& parts, bool inside) {
    if (parts.size() == 1 && fromLeast(parts[0]) == fromLeast(t)) return;
    const auto next = rimOf(parts);
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t from = t[k], to = t[(k + 1) % 3];
      std::vector<std::uint32_t> between;
      std::size_t steps = 0;
      for (std::uint32_t n = from;;) {
        const auto at = next.find(n);
        if (at == next.end() || ++steps > next.size())
          throw Error(ErrorKind::Internal, "a triangle's parts do not fill it");
        n = at->second;
        if (n == to) break;
        between.push_back(n);
      }
      if (between.empty()) continue;
      if (from > to) std::reverse(between.begin(), between.end());
      lines[lineOf(from, to)] = std::move(between);
    }
    if (inside) triangles[fromLeast(t)] = parts;
  }
};

Assembly::Assembly(const mesh::TriangleMesh& whole) : places_(whole.vertices), gone_(1, 0) {
  Piece& p = pieces_.emplace_back();
  p.mesh = whole;
  for (std::uint32_t n = 0; n < whole.vertices.size(); ++n) p.nodes.push_back(n);
  for (std::uint32_t t = 0; t < whole.triangles.size(); ++t) p.sources.push_back({t, false});
  boxes_.push_back(whole.bounds());
}

void Assembly::addPlaces(const Piece& p) {
  for (std::size_t k = 0; k < p.nodes.size(); ++k) places_[p.nodes[k]] = p.mesh.vertices[k];
  boxes_.push_back(p.mesh.bounds());
}

std::vector<std::uint32_t> Assembly::again(std::uint32_t k, std::span<const Vec3> sites, const How& how,
                                           Team* team) {
  Cut parts = cutIntoCells(pieces_[k].mesh, sites, how, team);
  const Piece whole = std::move(pieces_[k]);
  gone_[k] = 1;
  const auto first_node = u32(places_.size()), own = u32(whole.nodes.size()),
             first_face = u32(normals_.size());
  places_.resize(places_.size() + (parts.nodes - own));
  for (const Interface& i : parts.interfaces) normals_.push_back(i.normal);
  std::vector<std::vector<Triangle>> became(whole.mesh.triangles.size());
  std::vector<std::uint32_t> out;
  for (Piece& p : parts.pieces) {
    for (std::uint32_t& n : p.nodes) n = n < own ? whole.nodes[n] : first_node + (n - own);
    for (std::size_t t = 0; t < p.sources.size(); ++t) {
      Source& s = p.sources[t];
      const auto [a, b, c] = p.mesh.triangles[t];
      if (!s.inside) became[s.index].push_back({p.nodes[a], p.nodes[b], p.nodes[c]});
      s = s.inside ? Source{first_face + s.index, true} : whole.sources[s.index];
    }
    out.push_back(u32(pieces_.size()));
    addPlaces(p);
    pieces_.push_back(std::move(p));
    gone_.push_back(0);
  }
  // What the piece had been given is with the nearest of its parts.
  for (Sliver& s : slivers_) {
    if (s.piece != k) continue;
    double least = -1;
    for (const std::uint32_t n : out) {
      const double away = (mesh::massProperties(pieces_[n].mesh).centre - s.place).squaredNorm();
      if (least < 0 || away < least) least = away, s.piece = n;
    }
  }
  for (const Sliver& s : parts.slivers) slivers_.push_back({out[s.piece], s.volume, s.place});
  std::vector<std::uint32_t> about;
  for (std::uint32_t n = 0; n < out.front(); ++n)
    if (!gone_[n] && boxes_[n].overlaps(boxes_[k])) about.push_back(n);
  if (about.empty()) return out;
  Division division;
  for (std::size_t t = 0; t < became.size(); ++t) {
    const auto [a, b, c] = whole.mesh.triangles[t];
    division.add({whole.nodes[a], whole.nodes[b], whole.nodes[c]}, became[t],
                 whole.sources[t].inside && whole.sources[t].index != kNone);
  }
  for (const std::uint32_t n : about) division.join(pieces_[n]);
  for (const std::uint32_t n : out) division.join(pieces_[n]);
  for (const std::uint32_t n : about) refine(n, division);
  return out;
}

void Assembly::refine(std::uint32_t k, Division& by) {
  Piece& p = pieces_[k];
  std::vector<Triangle> triangles;
  std::vector<Source> sources;
  bool changed = false;
  for (std::size_t t = 0; t < p.mesh.triangles.size(); ++t) {
    const auto [a, b, c] = p.mesh.triangles[t];
    const Triangle nodes = {p.nodes[a], p.nodes[b], p.nodes[c]};
    std::vector<Triangle> now;
    const auto twin =
        p.sources[t].inside ? by.triangles.find(fromLeast(reversed(nodes))) : by.triangles.end();
    if (twin != by.triangles.end()) {
      for (const Triangle& x : twin->second) now.push_back(reversed(x));
    } else {
      std::array<std::vector<std::uint32_t>, 3> sides;
      bool any = false;
      for (std::size_t i = 0; i < 3; ++i) {
        const std::uint32_t from = nodes[i], to = nodes[(i + 1) % 3];
        const auto line = by.lines.find(lineOf(from, to));
        if (line == by.lines.end()) continue;
        any = true;
        sides[i] = line->second;
        if (from > to) std::reverse(sides[i].begin(), sides[i].end());
      }
      if (any) {
        const auto other = by.divided.find(fromLeast(reversed(nodes)));
        if (other == by.divided.end()) {
          now = dividedTriangle(nodes, sides, places_, by.joined);
          by.divided[fromLeast(nodes)] = now;
        } else {
          for (const Triangle& x : other->second) now.push_back(reversed(x));
        }
      }
    }
    changed = changed || !now.empty();
    if (now.empty()) now.push_back(nodes);
    for (const Triangle& x : now) triangles.push_back(x), sources.push_back(p.sources[t]);
  }
  if (!changed) return;
  std::unordered_map<std::uint32_t, std::uint32_t> local;
  for (std::uint32_t n = 0; n < p.nodes.size(); ++n) local[p.nodes[n]] = n;
  for (Triangle& t : triangles)
    for (std::uint32_t& n : t) {
      const auto [at, added] = local.try_emplace(n, u32(p.nodes.size()));
      if (added) {
        p.nodes.push_back(n);
        p.mesh.vertices.push_back(places_[n]);
        boxes_[k].add(places_[n]);  // rounded, it may lie outside
      }
      n = at->second;
    }
  p.mesh.triangles = std::move(triangles);
  p.sources = std::move(sources);
}

namespace {

// The rim of a face that lies square to `normal`, counter-clockwise; of several the one about the most.
std::vector<Vec3> widestRim(std::span<const Triangle> face, std::span<const Vec3> places,
                            const Vec3& normal) {
  std::map<std::array<std::uint32_t, 2>, bool> lines;  // from, to; whether it was gone along
  for (const Triangle& t : face)
    for (std::size_t k = 0; k < 3; ++k)
      if (lines.erase({t[(k + 1) % 3], t[k]}) == 0) lines[{t[k], t[(k + 1) % 3]}] = false;
  std::vector<Vec3> best;
  double most = -1;
  for (const auto& [start, unused] : lines) {
    std::vector<Vec3> rim;
    Vec3 twice = Vec3::Zero();
    for (auto at = lines.find(start); at != lines.end() && !at->second;) {
      at->second = true;
      const Vec3 &from = places[at->first[0]], &to = places[at->first[1]];
      rim.push_back(from);
      twice += (from - rim.front()).cross(to - rim.front());
      const std::uint32_t next = at->first[1];
      at = lines.lower_bound({next, 0});
      while (at != lines.end() && at->first[0] == next && at->second) ++at;
      if (at != lines.end() && at->first[0] != next) at = lines.end();
    }
    if (!rim.empty() && twice.dot(normal) > most) most = twice.dot(normal), best = std::move(rim);
  }
  return best;
}

// An inside triangle, for finding the other side of it.
struct Half {
  Triangle key;  // from the least, lower neighbour next
  std::uint32_t piece, triangle;
};

}  // namespace

Cut Assembly::finished(std::span<const std::uint32_t> order) {
  Cut out;
  out.nodes = u32(places_.size());
  for (const Sliver& s : slivers_)
    for (std::uint32_t n = 0; n < order.size(); ++n)
      if (order[n] == s.piece) out.slivers.push_back({n, s.volume, s.place});
  for (const std::uint32_t k : order) out.pieces.push_back(std::move(pieces_[k]));
  std::vector<Half> halves;
  for (std::uint32_t k = 0; k < out.pieces.size(); ++k) {
    const Piece& p = out.pieces[k];
    for (std::uint32_t t = 0; t < p.sources.size(); ++t) {
      if (!p.sources[t].inside || p.sources[t].index == kNone) continue;
      const auto [a, b, c] = p.mesh.triangles[t];
      Triangle key = {p.nodes[a], p.nodes[b], p.nodes[c]};
      std::sort(key.begin(), key.end());
      halves.push_back({key, k, t});
    }
  }
  std::sort(halves.begin(), halves.end(), [](const Half& x, const Half& y) {
    return std::tie(x.key, x.piece, x.triangle) < std::tie(y.key, y.piece, y.triangle);
  });
  // By face and both pieces, as seen from the lower one.
  struct Shared {
    std::uint32_t a, b, face, triangle, other;
    auto operator<=>(const Shared&) const = default;
  };
  std::vector<Shared> shared;
  for (std::size_t k = 0; k < halves.size(); k += 2) {
    if (k + 1 == halves.size() || halves[k].key != halves[k + 1].key ||
        halves[k].piece == halves[k + 1].piece)
      throw Error(ErrorKind::Internal, "a face between two pieces has lost its other side");
    const Half &x = halves[k], &y = halves[k + 1];
    shared.push_back(
        {x.piece, y.piece, out.pieces[x.piece].sources[x.triangle].index, x.triangle, y.triangle});
  }
  std::sort(shared.begin(), shared.end());
  for (std::size_t begin = 0, end; begin < shared.size(); begin = end) {
    const Shared first = shared[begin];
    for (end = begin; end < shared.size() && shared[end].a == first.a && shared[end].b == first.b &&
                      shared[end].face == first.face;)
      ++end;
    // What does not hang together are faces of their own.
    const Piece& a = out.pieces[first.a];
    std::map<std::uint32_t, std::uint32_t> node;
    for (std::size_t k = begin; k < end; ++k)
      for (const std::uint32_t n : a.mesh.triangles[shared[k].triangle])
        node.try_emplace(n, u32(node.size()));
    Sets sets(node.size());
    for (std::size_t k = begin; k < end; ++k) {
      const Triangle& t = a.mesh.triangles[shared[k].triangle];
      sets.join(node[t[0]], node[t[1]]);
      sets.join(node[t[0]], node[t[2]]);
    }
    std::map<std::uint32_t, std::vector<std::size_t>> parts;
    for (std::size_t k = begin; k < end; ++k)
      parts[sets.find(node[a.mesh.triangles[shared[k].triangle][0]])].push_back(k);
    for (const auto& [root, members] : parts) {
      Interface face;
      face.a = first.a;
      face.b = first.b;
      std::vector<Triangle> triangles;
      Vec3 looks = Vec3::Zero();
      for (const std::size_t k : members) {
        const Triangle& t = triangles.emplace_back(a.mesh.triangles[shared[k].triangle]);
        const Vec3& corner = a.mesh.vertices[t[0]];
        looks += (a.mesh.vertices[t[1]] - corner).cross(a.mesh.vertices[t[2]] - corner);
      }
      face.normal = looks.dot(normals_[first.face]) < 0 ? Vec3(-normals_[first.face]) : normals_[first.face];
      measure(triangles, a.mesh.vertices, face);
      face.corners = widestRim(triangles, a.mesh.vertices, face.normal);
      const auto number = u32(out.interfaces.size());
      for (const std::size_t k : members) {
        out.pieces[first.a].sources[shared[k].triangle].index = number;
        out.pieces[first.b].sources[shared[k].other].index = number;
      }
      out.interfaces.push_back(std::move(face));
    }
  }
  return out;
}

}  // namespace drubble::cut
