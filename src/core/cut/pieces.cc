// SPDX-License-Identifier: Apache-2.0
#include "core/cut/pieces.h"

#include <algorithm>
#include <map>

#include "core/base/error.h"
#include "core/base/sets.h"
#include "core/cut/cells.h"
#include "core/cut/facets.h"
#include "core/cut/skeleton.h"
#include "core/cut/triangulate.h"
#include "core/mesh/mass.h"
#include "core/mesh/tree.h"

namespace drubble::cut {

namespace {

constexpr double kSlack = 4;  // lattice steps: sides are decided by places rounded to it

// The sides of an interface, each from node to node with the face to its left, seen from the higher cell.
struct Side {
  std::uint32_t low, high, from, to;  // cells, nodes
  auto operator<=>(const Side&) const = default;
};

std::vector<Side> sidesOf(const Facets& f, const Nodes& nodes, const std::vector<Stretch>& stretches) {
  std::vector<Side> out;
  for (const Facet& x : f.facets)
    for (std::uint32_t k = 0; k < x.count; ++k) {
      const std::uint32_t other = f.nodes[x.first + k].beyond;
      if (other == kNoSite || other < x.cell) continue;
      out.push_back(
          {x.cell, other, nodes.of_facet[x.first + (k + 1) % x.count], nodes.of_facet[x.first + k]});
    }
  for (const Stretch& s : stretches) {
    const auto [i, j, k] = s.cells;
    out.push_back({i, j, s.from, s.to});
    out.push_back({i, k, s.to, s.from});
    out.push_back({j, k, s.from, s.to});
  }
  std::sort(out.begin(), out.end());
  return out;
}

// The loops that some sides make up; each node is left once and reached once.
std::vector<Loop> loopsOf(std::span<const Side> sides) {
  std::vector<Loop> out;
  std::vector<char> used(sides.size(), 0);
  const auto leaving = [&](std::uint32_t node) {
    const auto at = std::lower_bound(sides.begin(), sides.end(), node,
                                     [](const Side& s, std::uint32_t n) { return s.from < n; });
    return at != sides.end() && at->from == node ? static_cast<std::size_t>(at - sides.begin())
                                                 : sides.size();
  };
  for (std::size_t k = 0; k < sides.size(); ++k) {
    if (used[k]) continue;
    Loop& loop = out.emplace_back();
    std::size_t at = k;
    while (at < sides.size() && !used[at]) {
      used[at] = 1;
      loop.push_back(sides[at].from);
      at = leaving(sides[at].to);
    }
    if (at != k)
      throw Error(ErrorKind::Internal, "cells " + std::to_string(sides[k].low) + " and " +
                                           std::to_string(sides[k].high) +
                                           " meet in a face that does not close");
  }
  return out;
}

// A triangle of a cell's surface, its nodes in order.
struct Skin {
  std::uint32_t cell;
  mesh::Triangle nodes;
  Source source;
};

struct FlatFace {  // between two cells, not yet given to pieces
  std::uint32_t low = 0, high = 0;
  Interface interface;
};

// Makes a cell's surface into pieces: parts that hang together, hollows with what is around them.
class Parts {
 public:
  // `ids`: of each node, what it is called in pieces.
  Parts(std::span<const Vec3> places, std::span<const std::uint32_t> ids)
      : places_(places), ids_(ids), local_(places.size(), kNone) {}

  // Appends the pieces of one cell; `piece_of` becomes, of each of its triangles, the piece.
  void split(std::span<const Skin> skin, std::vector<Piece>& out, std::vector<std::uint32_t>& piece_of) {
    std::vector<std::uint32_t> used;
    for (const Skin& s : skin)
      for (const std::uint32_t n : s.nodes)
        if (local_[n] == kNone) local_[n] = u32(used.size()), used.push_back(n);
    Sets sets(used.size());
    for (const Skin& s : skin) {
      sets.join(local_[s.nodes[0]], local_[s.nodes[1]]);
      sets.join(local_[s.nodes[0]], local_[s.nodes[2]]);
    }
    std::vector<std::uint32_t> part_of(used.size(), kNone);
    std::vector<Piece> parts;
    std::vector<std::uint32_t> part(skin.size());
    for (std::size_t k = 0; k < skin.size(); ++k) {
      std::uint32_t& p = part_of[sets.find(local_[skin[k].nodes[0]])];
      if (p == kNone) p = u32(parts.size()), parts.emplace_back().cell = skin[k].cell;
      part[k] = p;
      parts[p].mesh.triangles.push_back(skin[k].nodes);
      parts[p].sources.push_back(skin[k].source);
    }
    for (const std::uint32_t n : used) local_[n] = kNone;
    for (Piece& p : parts) takePlaces(p);
    const std::vector<std::uint32_t> piece = gather(parts, out);
    for (std::size_t k = 0; k < skin.size(); ++k) piece_of.push_back(piece[part[k]]);
  }

  // Makes the pieces anew for changed `piece_of`, one a triangle; kNone: that one is no longer there.
  void again(std::span<const Skin> skin, std::span<const std::uint32_t> piece_of, std::vector<Piece>& out) {
    for (Piece& p : out) p.mesh = {}, p.sources.clear(), p.nodes.clear();
    for (std::size_t k = 0; k < skin.size(); ++k) {
      if (piece_of[k] == kNone) continue;
      out[piece_of[k]].mesh.triangles.push_back(skin[k].nodes);
      out[piece_of[k]].sources.push_back(skin[k].source);
    }
    for (Piece& p : out) takePlaces(p);
  }

 private:
  void takePlaces(Piece& p) {
    std::vector<std::uint32_t> used;
    for (mesh::Triangle& t : p.mesh.triangles)
      for (std::uint32_t& n : t) {
        if (local_[n] == kNone) {
          local_[n] = u32(used.size());
          used.push_back(n);
          p.mesh.vertices.push_back(places_[n]);
          p.nodes.push_back(ids_[n]);
        }
        n = local_[n];
      }
    for (const std::uint32_t n : used) local_[n] = kNone;
  }

  // Returns where each part has gone.
  static std::vector<std::uint32_t> gather(std::vector<Piece>& parts, std::vector<Piece>& out) {
    std::vector<double> volume;
    for (const Piece& p : parts) volume.push_back(mesh::massProperties(p.mesh).volume);
    std::vector<std::uint32_t> order(parts.size()), piece(parts.size(), kNone);
    for (std::uint32_t k = 0; k < order.size(); ++k) order[k] = k;
    std::stable_sort(order.begin(), order.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return volume[a] > volume[b]; });
    const auto first = u32(out.size());
    for (const std::uint32_t k : order) {
      if (volume[k] < 0 && k != order[0]) continue;
      piece[k] = u32(out.size());
      out.push_back(std::move(parts[k]));
    }
    for (const std::uint32_t k : order) {
      if (piece[k] != kNone) continue;
      std::uint32_t around = first;  // the smallest that holds it
      for (auto n = u32(out.size()); n-- > first + 1 && around == first;)
        if (mesh::Tree(out[n].mesh).inside(out[n].mesh, parts[k].mesh.vertices[0])) around = n;
      piece[k] = around;
      out[around].sources.insert(out[around].sources.end(), parts[k].sources.begin(), parts[k].sources.end());
      out[around].nodes.insert(out[around].nodes.end(), parts[k].nodes.begin(), parts[k].nodes.end());
      mesh::append(out[around].mesh, parts[k].mesh);
    }
    return piece;
  }

  std::span<const Vec3> places_;
  std::span<const std::uint32_t> ids_;
  std::vector<std::uint32_t> local_;
};

// The mesh's own skin as triangles; all sides of facets are joined first.
std::vector<Skin> skinOf(const mesh::TriangleMesh& m, const Facets& facets, const Nodes& nodes,
                         std::vector<Vec3>& places, double slack, Joined& joined) {
  for (const Facet& f : facets.facets)
    for (std::uint32_t k = 0; k < f.count; ++k)
      joined.add(nodes.of_facet[f.first + k], nodes.of_facet[f.first + (k + 1) % f.count]);
  std::vector<Skin> out;
  std::vector<mesh::Triangle> triangles;
  for (const Facet& f : facets.facets) {
    const auto first = nodes.of_facet.begin() + f.first;
    triangles.clear();
    if (f.count == 3)
      triangles.push_back({first[0], first[1], first[2]});
    else
      triangulate({Loop(first, first + f.count), {}}, places, m.normal(f.triangle), joined, triangles, slack);
    for (const mesh::Triangle& t : triangles) out.push_back({f.cell, t, {f.triangle, false}});
  }
  return out;
}

// Fills what the sides of each two cells enclose: once, for the skins of both, to which it is added.
std::vector<FlatFace> facesBetween(std::span<const Side> sides, std::vector<Vec3>& places,
                                   const Lattice& lattice, const Quat& turn, std::span<const Vec3> sites,
                                   Joined& joined, std::vector<Skin>& skin) {
  std::vector<FlatFace> out;
  std::vector<mesh::Triangle> triangles;
  for (std::size_t begin = 0, end; begin < sides.size(); begin = end) {
    const std::uint32_t i = sides[begin].low, j = sides[begin].high;
    for (end = begin; end < sides.size() && sides[end].low == i && sides[end].high == j;) ++end;
    const Vec3 normal = turn * lattice.normalOff(sites[j] - sites[i]);
    for (const Face& face : facesOf(loopsOf(sides.subspan(begin, end - begin)), places, normal)) {
      triangles.clear();
      triangulate(face, places, normal, joined, triangles, kSlack * lattice.step());
      FlatFace& f = out.emplace_back();
      f.low = i;
      f.high = j;
      f.interface.normal = normal;
      measure(triangles, places, f.interface);
      for (const std::uint32_t n : face.outer) f.interface.corners.push_back(places[n]);
      const Source source{u32(out.size() - 1), true};
      for (const mesh::Triangle& t : triangles) {
        skin.push_back({i, t, source});
        skin.push_back({j, {t[0], t[2], t[1]}, source});
      }
    }
  }
  return out;
}

// Gives each piece that is smaller than `least` of the mean to the neighbour that it shares most with; their
// faces and `piece_of`, one a triangle of the skin, are numbered anew, kNone for what lies within a piece
// now. Returns those that are gone.
std::vector<Sliver> mergeSlivers(double least, std::vector<FlatFace>& faces, std::vector<Piece>& pieces,
                                 std::span<const Skin> skin, std::vector<std::uint32_t>& piece_of) {
  std::vector<double> volume;
  std::vector<Vec3> centre;
  double sum = 0;
  for (const Piece& p : pieces) {
    const mesh::MassProperties solid = mesh::massProperties(p.mesh);
    sum += volume.emplace_back(solid.volume);
    centre.push_back(solid.centre);
  }
  std::vector<std::uint32_t> order, into(pieces.size());
  for (std::uint32_t k = 0; k < pieces.size(); ++k) {
    into[k] = k;
    if (volume[k] < least * sum / static_cast<double>(pieces.size())) order.push_back(k);
  }
  if (order.empty()) return {};
  std::stable_sort(order.begin(), order.end(),
                   [&](std::uint32_t a, std::uint32_t b) { return volume[a] < volume[b]; });
  const auto found = [&](std::uint32_t k) {
    while (into[k] != k) k = into[k];
    return k;
  };
  for (const std::uint32_t k : order) {
    std::map<std::uint32_t, double> shared;
    for (const FlatFace& f : faces) {
      const std::uint32_t a = found(f.interface.a), b = found(f.interface.b);
      if (a != b && (a == k || b == k)) shared[a == k ? b : a] += f.interface.area;
    }
    std::uint32_t best = kNone;
    for (const auto& [other, area] : shared)
      if (best == kNone || area > shared[best]) best = other;
    if (best != kNone) into[k] = best;
  }
  std::vector<std::uint32_t> number(pieces.size(), kNone);
  std::vector<Piece> left;
  for (std::uint32_t k = 0; k < pieces.size(); ++k)
    if (into[k] == k) number[k] = u32(left.size()), left.push_back(std::move(pieces[k]));
  std::vector<Sliver> gone;
  for (std::uint32_t k = 0; k < into.size(); ++k)
    if (into[k] != k) gone.push_back({number[found(k)], volume[k], centre[k]});
  pieces = std::move(left);
  for (FlatFace& f : faces)
    for (std::uint32_t* side : {&f.interface.a, &f.interface.b}) *side = number[found(*side)];
  for (std::size_t k = 0; k < piece_of.size(); ++k) {
    const Source& s = skin[k].source;
    const bool within = s.inside && faces[s.index].interface.a == faces[s.index].interface.b;
    piece_of[k] = within ? kNone : number[found(piece_of[k])];
  }
  return gone;
}

void checkApart(std::vector<Vec3> on) {
  const auto before = [](const Vec3& a, const Vec3& b) {
    return std::lexicographical_compare(a.data(), a.data() + 3, b.data(), b.data() + 3);
  };
  std::sort(on.begin(), on.end(), before);
  for (std::size_t k = 1; k < on.size(); ++k)
    if (on[k] == on[k - 1]) throw Error(ErrorKind::Input, "two sites stand at the same place");
}

}  // namespace

void measure(std::span<const mesh::Triangle> triangles, std::span<const Vec3> places, Interface& out) {
  const Vec3 about = places[triangles[0][0]];
  Vec3 sum = Vec3::Zero();
  out.area = 0;
  for (const mesh::Triangle& t : triangles) {
    const Vec3 &a = places[t[0]], &b = places[t[1]], &c = places[t[2]];
    const double area = 0.5 * (b - a).cross(c - a).dot(out.normal);
    out.area += area;
    sum += area * ((a + b + c) / 3 - about);
  }
  out.area = greatest(out.area, 0);
  out.centroid = out.area > 0 ? Vec3(about + sum / out.area) : about;
}

namespace {

// What share of a large cut is done when.
constexpr double kCellsDone = 0.35, kFacetsDone = 0.4, kSkeletonDone = 0.6, kFacesDone = 0.8;
constexpr std::size_t kPiecesATold = 500;

}  // namespace

Cut cutIntoCells(const mesh::TriangleMesh& m, std::span<const Vec3> sites, const How& how, Team* team) {
  if (sites.empty()) throw Error(ErrorKind::Input, "a cut wants at least one site");
  if (!mesh::closedness(m).closed()) throw Error(ErrorKind::Input, "only a closed mesh can be cut");
  // The lattice lies along the stretch's axes.
  const Quat back = how.turn.conjugate();
  Box all;
  for (const Vec3& v : m.vertices) all.add(Vec3(back * v));
  for (const Vec3& s : sites) all.add(Vec3(back * s));
  const Lattice lattice(how.around.empty() ? all : how.around, how.stretch);
  std::vector<Vec3> on;
  for (const Vec3& s : sites) on.push_back(lattice.on(back * s));
  checkApart(on);
  const Edges edges = edgesOf(m);
  Surface surface{m, edges, {}, {}};
  for (const Vec3& v : m.vertices) {
    surface.on.push_back(lattice.on(back * v));
    surface.at.push_back(lattice.measure(back * v));
  }
  Box within;
  for (const Vec3& v : surface.on) within.add(v);
  const auto told = [&](double share) {
    if (how.told) how.told(share);
  };
  const std::vector<Cell> cells = cellsOf(on, within, team, partOf(how.told, 0, kCellsDone));
  const Facets facets = facetsOf(surface, on, cells, team);
  told(kFacetsDone);
  Nodes nodes = nodesOf(facets);
  const std::vector<Stretch> stretches = stretchesOf(on, cells, facets, nodes);
  Cut out;
  out.nodes = u32(m.vertices.size());
  std::vector<Vec3> places;
  std::vector<std::uint32_t> ids;
  for (std::size_t k = 0; k < nodes.names.size(); ++k) {
    const bool given = nodes.names[k].on == On::Vertex;
    ids.push_back(given ? nodes.names[k].feature : out.nodes++);
    places.push_back(given ? m.vertices[nodes.names[k].feature] : how.turn * lattice.off(nodes.places[k]));
  }

  told(kSkeletonDone);
  const std::vector<Side> sides = sidesOf(facets, nodes, stretches);
  Joined joined;
  for (const Side& s : sides) joined.add(s.from, s.to);
  std::vector<Skin> skin = skinOf(m, facets, nodes, places, kSlack * lattice.step(), joined);
  std::vector<FlatFace> faces = facesBetween(sides, places, lattice, how.turn, on, joined, skin);
  std::stable_sort(skin.begin(), skin.end(), [](const Skin& a, const Skin& b) { return a.cell < b.cell; });

  told(kFacesDone);
  while (ids.size() < places.size()) ids.push_back(out.nodes++);
  Parts parts(places, ids);
  std::vector<std::uint32_t> piece_of;
  for (std::size_t begin = 0, end; begin < skin.size(); begin = end) {
    for (end = begin; end < skin.size() && skin[end].cell == skin[begin].cell;) ++end;
    parts.split({&skin[begin], end - begin}, out.pieces, piece_of);
    if (out.pieces.size() % kPiecesATold == 0)
      told(kFacesDone + (1 - kFacesDone) * static_cast<double>(end) / static_cast<double>(skin.size()));
  }
  for (std::size_t k = 0; k < skin.size(); ++k) {
    if (!skin[k].source.inside) continue;
    FlatFace& f = faces[skin[k].source.index];
    (skin[k].cell == f.low ? f.interface.a : f.interface.b) = piece_of[k];
  }
  out.slivers = mergeSlivers(how.slivers, faces, out.pieces, skin, piece_of);
  if (!out.slivers.empty()) parts.again(skin, piece_of, out.pieces);
  std::vector<std::uint32_t> place(faces.size(), kNone);
  for (std::uint32_t n = 0; n < faces.size(); ++n) {
    if (faces[n].interface.a == faces[n].interface.b) continue;
    place[n] = u32(out.interfaces.size());
    out.interfaces.push_back(std::move(faces[n].interface));
  }
  for (Piece& p : out.pieces)
    for (Source& source : p.sources)
      if (source.inside) source.index = place[source.index];
  return out;
}

}  // namespace drubble::cut
