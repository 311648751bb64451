// SPDX-License-Identifier: Apache-2.0
#include "core/cut/skeleton.h"

#include <algorithm>

#include "core/base/error.h"

namespace drubble::cut {

namespace {

using Triple = std::array<std::uint32_t, 3>;
using Four = std::array<std::uint32_t, 4>;

int sizeOf(int x) { return x < 0 ? -x : x; }

constexpr std::uint32_t kOutside = 0xffffffffu;  // stands for all corners at walls

// The end of an edge of three cells.
struct End {
  Triple cells;
  bool start = false;  // in the edge's sense
  Four corner{};
  std::uint32_t index = kOutside;  // of the corner
};

// Where an edge of three cells goes through the surface.
struct Crossing {
  Triple cells;
  double along = 0;  // in the edge's sense
  int leaves = 0;
  std::uint32_t node = 0;
};

struct Corner {
  Four sites{};
  Vec3 place = Vec3::Zero();
};

// The ends of all edges, by their cells, and the corners between four sites, each once.
void findEnds(std::span<const Cell> cells, std::vector<End>& ends, std::vector<Corner>& corners) {
  for (std::uint32_t i = 0; i < cells.size(); ++i) {
    const std::vector<Plane>& planes = cells[i].planes;
    for (const Meeting& m : cells[i].corners) {
      Four four = {i, planes[m[0]].other, planes[m[1]].other, planes[m[2]].other};
      std::sort(four.begin(), four.end());
      const bool within = !isWall(four[3]);
      if (within && four[0] == i)
        corners.push_back({four, meeting(planes[m[0]], planes[m[1]], planes[m[2]])});
      for (std::size_t k = 0; k < 3; ++k) {
        const Plane *a = &planes[m[k]], *b = &planes[m[(k + 1) % 3]], &c = planes[m[(k + 2) % 3]];
        if (b->other < a->other) std::swap(a, b);
        if (a->other < i || isWall(b->other)) continue;
        End e;
        e.cells = {i, a->other, b->other};
        e.start = sense(*a, *b, c) < 0;
        e.corner = four;
        ends.push_back(e);
      }
    }
  }
  std::sort(corners.begin(), corners.end(),
            [](const Corner& a, const Corner& b) { return a.sites < b.sites; });
  for (End& e : ends) {
    if (isWall(e.corner[3])) continue;
    const auto at = std::lower_bound(corners.begin(), corners.end(), e.corner,
                                     [](const Corner& c, const Four& f) { return c.sites < f; });
    if (at == corners.end() || at->sites != e.corner)
      throw Error(ErrorKind::Internal, "cells do not agree where they meet");
    e.index = u32(static_cast<std::size_t>(at - corners.begin()));
  }
  std::sort(ends.begin(), ends.end(), [](const End& a, const End& b) {
    return std::tie(a.cells, b.start) < std::tie(b.cells, a.start);  // the start first
  });
}

std::vector<Crossing> crossingsOf(std::span<const Vec3> sites, const Facets& facets, const Nodes& nodes) {
  std::vector<Crossing> out;
  std::vector<char> seen(nodes.names.size(), 0);
  for (std::size_t k = 0; k < facets.nodes.size(); ++k) {
    const FacetNode& f = facets.nodes[k];
    const std::uint32_t node = nodes.of_facet[k];
    if (f.name.on != On::Triangle || seen[node]) continue;
    seen[node] = 1;
    const auto [i, j, l, none] = f.name.sites;
    const Vec3 sense = (sites[j] - sites[i]).cross(sites[l] - sites[i]);
    out.push_back({{i, j, l}, sense.dot(f.place - sites[i]) / sense.norm(), f.leaves, node});
  }
  std::sort(out.begin(), out.end(), [](const Crossing& a, const Crossing& b) {
    return std::tie(a.cells, a.along, a.node) < std::tie(b.cells, b.along, b.node);
  });
  return out;
}

// Puts crossings so that leaving and entering take turns, where rounding has changed the order of near ones;
// where they do not, the solid lies over itself, and any order will do. `within`: the edge starts in it.
void alternate(std::span<Crossing> some, bool within) {
  int wanted = within ? 1 : -1;
  for (std::size_t k = 0; k < some.size(); ++k, wanted = -wanted) {
    const auto at = std::find_if(some.begin() + static_cast<std::ptrdiff_t>(k), some.end(),
                                 [&](const Crossing& c) { return c.leaves == wanted; });
    if (at == some.end()) return;
    std::rotate(some.begin() + static_cast<std::ptrdiff_t>(k), at, at + 1);
  }
}

struct EdgeOf {
  const End *start, *end;
  std::span<Crossing> crossings;
};

// How often each corner lies within the solid, and at last what is at walls: once or not at all, but where
// rounding to the lattice has laid the solid over itself, or turned a sliver of it inside out. What an edge
// enters less what it leaves is the difference of its ends, whatever the order of its crossings.
std::vector<int> windings(const std::vector<EdgeOf>& edges, std::size_t corners) {
  struct Step {
    std::size_t to;
    int more;
  };
  const auto place = [&](std::uint32_t c) { return c == kOutside ? corners : static_cast<std::size_t>(c); };
  std::vector<std::vector<Step>> steps(corners + 1);  // the last: all at walls
  for (const EdgeOf& e : edges) {
    int more = 0;
    for (const Crossing& c : e.crossings) more -= c.leaves;
    steps[place(e.start->index)].push_back({place(e.end->index), more});
    steps[place(e.end->index)].push_back({place(e.start->index), -more});
  }
  std::vector<int> out(corners + 1, 0);
  std::vector<char> known(corners + 1, 0);
  std::vector<std::size_t> open = {corners};
  known[corners] = 1;
  for (std::size_t k = 0; k < open.size(); ++k)
    for (const Step& s : steps[open[k]]) {
      const int there = out[open[k]] + s.more;
      if (known[s.to] && out[s.to] != there)
        throw Error(ErrorKind::Internal, "a corner of cells would be both within the solid and without");
      if (!known[s.to]) open.push_back(s.to);
      known[s.to] = 1;
      out[s.to] = there;
    }
  return out;
}

}  // namespace

Nodes nodesOf(const Facets& f) {
  Nodes out;
  std::vector<std::uint32_t> order(f.nodes.size());
  for (std::uint32_t k = 0; k < order.size(); ++k) order[k] = k;
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::tie(f.nodes[a].name, a) < std::tie(f.nodes[b].name, b);
  });
  out.of_facet.resize(order.size());
  for (const std::uint32_t k : order) {
    if (out.names.empty() || out.names.back() != f.nodes[k].name) {
      out.names.push_back(f.nodes[k].name);
      out.places.push_back(f.nodes[k].place);
    }
    out.of_facet[k] = u32(out.names.size() - 1);
  }
  return out;
}

std::vector<Stretch> stretchesOf(std::span<const Vec3> sites, std::span<const Cell> cells,
                                 const Facets& facets, Nodes& nodes) {
  std::vector<End> ends;
  std::vector<Corner> corners;
  findEnds(cells, ends, corners);
  std::vector<Crossing> crossings = crossingsOf(sites, facets, nodes);
  std::vector<EdgeOf> edges;
  std::size_t at = 0;
  for (std::size_t k = 0; k + 1 < ends.size(); k += 2) {
    const End &a = ends[k], &b = ends[k + 1];
    if (a.cells != b.cells || !a.start || b.start)
      throw Error(ErrorKind::Internal, "an edge of cells has other than two ends");
    while (at < crossings.size() && crossings[at].cells < a.cells)
      throw Error(ErrorKind::Internal, "a surface meets three cells that do not meet");
    const std::size_t first = at;
    while (at < crossings.size() && crossings[at].cells == a.cells) ++at;
    edges.push_back({&a, &b, {crossings.data() + first, at - first}});
  }
  if (at < crossings.size()) throw Error(ErrorKind::Internal, "a surface meets three cells that do not meet");
  const std::vector<int> within = windings(edges, corners.size());
  std::vector<std::uint32_t> node(corners.size(), 0);  // the first of as many as it lies within
  for (std::size_t c = 0; c < corners.size(); ++c) {
    node[c] = u32(nodes.names.size());
    for (int n = 0; n < sizeOf(within[c]); ++n) {
      nodes.names.push_back({On::Space, 0, corners[c].sites});
      nodes.places.push_back(corners[c].place);
    }
  }
  std::vector<Stretch> out;
  for (const EdgeOf& e : edges) {
    const auto inside = [&](const End& end) { return end.index == kOutside ? 0 : within[end.index]; };
    int now = inside(*e.start);
    alternate(e.crossings, now != 0);
    std::vector<std::uint32_t> begun;  // of the stretches that are under way, the outermost first
    for (int n = 0; n < sizeOf(now); ++n)
      begun.push_back(node[e.start->index] + static_cast<std::uint32_t>(n));
    const auto end = [&](std::uint32_t from, std::uint32_t to) {
      out.push_back(now > 0 ? Stretch{e.start->cells, from, to} : Stretch{e.start->cells, to, from});
    };
    for (const Crossing& c : e.crossings) {
      if (now == 0 || (now > 0) == (c.leaves < 0)) {
        begun.push_back(c.node);
      } else {
        end(begun.back(), c.node);
        begun.pop_back();
      }
      now -= c.leaves;
    }
    for (std::size_t n = 0; n < begun.size(); ++n) end(begun[n], node[e.end->index] + u32(n));
  }
  return out;
}

}  // namespace drubble::cut
