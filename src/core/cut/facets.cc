// SPDX-License-Identifier: Apache-2.0
#include "core/cut/facets.h"

#include <algorithm>

namespace drubble::cut {

namespace {

constexpr std::size_t kTrianglesWorthAThread = 64;
constexpr double kStrays =
    300;  // lattice steps: a place so far from where it is on the lattice is rounding's
constexpr std::uint32_t kSides = 3;  // lines of a polygon below that are the triangle's own sides

// One triangle's share of a cell while it is clipped: the lines along its sides, in order. Each node is where
// two lines that follow each other meet.
class Share {
 public:
  Share(std::uint32_t cell, const std::array<Vec3, 3>& on, const std::array<Vec3, 3>& at)
      : cell_(cell), on_(on), at_(at) {}

  // Cuts away what is beyond the bisector of two sites.
  void clip(const Vec3& site, const Vec3& other_site, std::uint32_t other) {
    Corners f;
    f.other = other;
    int most = -1;
    for (std::size_t k = 0; k < 3; ++k) {
      f.at[k] = nearer(site, other_site, on_[k]);
      most = std::max(most, signAt(cell_, f, k));
    }
    if (most < 0) return;
    const std::size_t n = lines_.size();
    beyond_.resize(n);
    std::size_t cut = 0;
    for (std::size_t k = 0; k < n; ++k) {
      beyond_[k] = signAtNode(lines_[(k + n - 1) % n], lines_[k], f) > 0;
      cut += beyond_[k] ? 1 : 0;
    }
    if (cut == 0) return;
    forms_.push_back(f);
    for (std::size_t k = 0; k < 3; ++k) f.at[k] = nearer(site, other_site, at_[k]);
    true_forms_.push_back(f);
    const auto line = static_cast<std::uint32_t>(kSides + forms_.size() - 1);
    if (cut == n) return lines_.clear();
    // Node k is where line k begins. Those beyond stand together.
    std::size_t first = 0;
    while (!(beyond_[first] && !beyond_[(first + n - 1) % n])) ++first;
    std::vector<std::uint32_t> left{line};
    std::size_t k = first;
    while (beyond_[(k + 1) % n]) k = (k + 1) % n;
    // Line k leads out of what is cut off; the one before `first` into it.
    for (std::size_t step = 0; step < n - cut + 1; ++step, k = (k + 1) % n) left.push_back(lines_[k]);
    lines_.swap(left);
  }

  std::size_t size() const { return lines_.size(); }
  // The site beyond side k; kNoSite: the triangle's own.
  std::uint32_t beyond(std::size_t k) const {
    return lines_[k] < kSides ? kNoSite : forms_[lines_[k] - kSides].other;
  }
  FacetNode node(std::size_t k, std::uint32_t triangle, const mesh::Triangle& vertices,
                 const std::array<std::uint32_t, 3>& edges) const {
    const std::uint32_t before = lines_[(k + lines_.size() - 1) % lines_.size()], after = lines_[k];
    FacetNode out;
    out.beyond = beyond(k);
    if (before < kSides && after < kSides) {
      const std::size_t corner = cornerOf(before, after);
      out.name = {On::Vertex, vertices[corner], {kNoSite, kNoSite, kNoSite, kNoSite}};
      out.place = at_[corner];
      return out;
    }
    if (before < kSides || after < kSides) {
      const std::uint32_t side = std::min(before, after);
      // From the lower vertex, so that both triangles round alike.
      std::size_t p = side, q = (side + 1) % 3;
      if (vertices[p] > vertices[q]) std::swap(p, q);
      const std::size_t form = std::max(before, after) - kSides;
      const Corners& f = true_forms_[form];
      out.name = {On::Edge, edges[side], {cell_, f.other, kNoSite, kNoSite}};
      double share = shareOf(f.at[p], f.at[q]);
      const double on_lattice = shareOf(forms_[form].at[p], forms_[form].at[q]);
      if (absolute(share - on_lattice) * (at_[q] - at_[p]).norm() > kStrays) share = on_lattice;
      out.place = at_[p] + (at_[q] - at_[p]) * share;
    } else {
      out.name = {On::Triangle,
                  triangle,
                  {cell_, forms_[before - kSides].other, forms_[after - kSides].other, kNoSite}};
      out.place = placeOf(before - kSides, after - kSides);
      // The gradients turn with the facet's sides.
      const auto [low, a, b, none] = out.name.sites;
      const std::array<std::uint32_t, 3> s = {low, a, b};
      out.leaves = ((s[0] > s[1]) + (s[0] > s[2]) + (s[1] > s[2])) % 2 == 0 ? 1 : -1;
    }
    std::sort(out.name.sites.begin(), out.name.sites.end());
    return out;
  }

 private:
  // Sides 0, 1, 2 run from corner k to k + 1.
  static std::size_t cornerOf(std::uint32_t before, std::uint32_t after) {
    return after == (before + 1) % 3 ? after : before;
  }
  static double shareOf(double p, double q) { return p == q ? 0.5 : clamped(p / (p - q), 0, 1); }
  int signAtNode(std::uint32_t before, std::uint32_t after, const Corners& f) const {
    if (before < kSides && after < kSides) return signAt(cell_, f, cornerOf(before, after));
    if (before >= kSides && after >= kSides) {
      const Corners &a = forms_[before - kSides], &b = forms_[after - kSides];
      return signInside(cell_, a, b, f) * turning(a, b);
    }
    const std::uint32_t side = std::min(before, after);
    return signOnEdge(cell_, forms_[std::max(before, after) - kSides], f, side, (side + 1) % 3);
  }
  // Where two bisectors meet within the triangle. Sides are decided on the lattice: where the line that they
  // share hardly leaves the triangle's plane, it may meet that far from where it does on the lattice, and
  // facets would fold. There it is the nearest place on the steeper one's line.
  Vec3 placeOf(std::size_t i, std::size_t j) const {
    const Vec3 lattice = sharesOf(forms_[i], forms_[j]), exact = sharesOf(true_forms_[i], true_forms_[j]);
    const Vec3 near = placeAt(lattice), place = placeAt(exact);
    if ((place - near).norm() <= kStrays) return place;
    return placeOn(spread(true_forms_[i]) < spread(true_forms_[j]) ? true_forms_[j] : true_forms_[i], near);
  }
  // The shares of the corners in the place where both are zero.
  static Vec3 sharesOf(const Corners& a, const Corners& b) {
    Vec3 out;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t i = (k + 1) % 3, j = (k + 2) % 3;
      out[static_cast<int>(k)] = a.at[i] * b.at[j] - a.at[j] * b.at[i];
    }
    const double sum = out.sum();
    return sum == 0 ? Vec3(Vec3::Constant(1.0 / 3)) : Vec3(out / sum);
  }
  Vec3 placeAt(const Vec3& shares) const {
    Vec3 out = Vec3::Zero();
    for (std::size_t k = 0; k < 3; ++k) out += clamped(shares[static_cast<int>(k)], 0, 1) * (at_[k] - at_[0]);
    return at_[0] + out;
  }
  static double spread(const Corners& f) {
    return greatest(f.at[0], greatest(f.at[1], f.at[2])) - least(f.at[0], least(f.at[1], f.at[2]));
  }
  // The nearest place on the line where `f` is zero within the triangle.
  Vec3 placeOn(const Corners& f, const Vec3& near) const {
    // The corner that is alone on its side: the line runs between the two sides of the triangle that meet
    // there.
    std::size_t lone = 0;
    for (std::size_t k = 0; k < 3; ++k)
      if ((f.at[k] > 0) != (f.at[(k + 1) % 3] > 0) && (f.at[k] > 0) != (f.at[(k + 2) % 3] > 0)) lone = k;
    const std::size_t i = (lone + 1) % 3, j = (lone + 2) % 3;
    const Vec3 p = at_[lone] + shareOf(f.at[lone], f.at[i]) * (at_[i] - at_[lone]),
               q = at_[lone] + shareOf(f.at[lone], f.at[j]) * (at_[j] - at_[lone]);
    const double squared = (q - p).squaredNorm();
    return squared > 0 ? Vec3(p + clamped((near - p).dot(q - p) / squared, 0, 1) * (q - p)) : p;
  }

  std::uint32_t cell_;
  std::array<Vec3, 3> on_, at_;  // the triangle's corners: for the signs, and where they are
  std::vector<std::uint32_t> lines_{0, 1, 2};
  std::vector<Corners> forms_, true_forms_;  // of the corners on the lattice, and where they are
  std::vector<char> beyond_;
};

// The cell that a place lies in, ties broken as everywhere.
std::uint32_t cellAt(const Vec3& x, std::uint32_t from, std::span<const Vec3> sites,
                     std::span<const Cell> cells) {
  for (bool moved = true; moved;) {
    moved = false;
    for (const Plane& p : cells[from].planes) {
      if (isWall(p.other)) continue;
      Corners f;
      f.other = p.other;
      f.at[0] = nearer(sites[from], sites[p.other], x);
      if (signAt(from, f, 0) <= 0) continue;
      from = p.other;
      moved = true;
      break;
    }
  }
  return from;
}

void divide(const Surface& s, std::uint32_t t, std::span<const Vec3> sites, std::span<const Cell> cells,
            std::uint32_t& start, Facets& out) {
  const mesh::Triangle& corners = s.mesh.triangles[t];
  std::array<Vec3, 3> on, at;
  for (std::size_t k = 0; k < 3; ++k) on[k] = s.on[corners[k]], at[k] = s.at[corners[k]];
  start = cellAt(on[0], start, sites, cells);
  std::vector<std::uint32_t> found{start};
  for (std::size_t n = 0; n < found.size(); ++n) {
    const std::uint32_t cell = found[n];
    Share share(cell, on, at);
    for (const Plane& p : cells[cell].planes) {
      if (share.size() == 0) break;
      if (!isWall(p.other)) share.clip(sites[cell], sites[p.other], p.other);
    }
    if (share.size() == 0) continue;
    out.facets.push_back({t, cell, u32(out.nodes.size()), u32(share.size())});
    for (std::size_t k = 0; k < share.size(); ++k) {
      out.nodes.push_back(share.node(k, t, corners, s.edges.of_triangle[t]));
      const std::uint32_t next = share.beyond(k);
      if (next != kNoSite && std::find(found.begin(), found.end(), next) == found.end())
        found.push_back(next);
    }
  }
}

}  // namespace

Edges edgesOf(const mesh::TriangleMesh& m) {
  struct Side {
    std::uint32_t low, high, triangle, corner;
  };
  std::vector<Side> sides;
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t)
    for (std::uint32_t k = 0; k < 3; ++k) {
      const std::uint32_t a = m.triangles[t][k], b = m.triangles[t][(k + 1) % 3];
      sides.push_back({std::min(a, b), std::max(a, b), t, k});
    }
  std::sort(sides.begin(), sides.end(), [](const Side& x, const Side& y) {
    return std::tie(x.low, x.high, x.triangle) < std::tie(y.low, y.high, y.triangle);
  });
  Edges out;
  out.of_triangle.resize(m.triangles.size());
  for (const Side& s : sides) {
    if (out.ends.empty() || out.ends.back() != std::array{s.low, s.high}) out.ends.push_back({s.low, s.high});
    out.of_triangle[s.triangle][s.corner] = u32(out.ends.size() - 1);
  }
  return out;
}

Facets facetsOf(const Surface& s, std::span<const Vec3> sites, std::span<const Cell> cells, Team* team) {
  const mesh::TriangleMesh& m = s.mesh;
  const std::size_t parts = team != nullptr ? team->parts(m.triangles.size(), kTrianglesWorthAThread) : 1;
  std::vector<Facets> of_part(parts);
  shareOrAlone(team, m.triangles.size(), kTrianglesWorthAThread,
               [&](std::size_t part, std::size_t begin, std::size_t end) {
                 std::uint32_t start = 0;
                 for (std::size_t t = begin; t < end; ++t)
                   divide(s, u32(t), sites, cells, start, of_part[part]);
               });
  Facets out = std::move(of_part[0]);
  for (std::size_t k = 1; k < parts; ++k) {
    const auto more = u32(out.nodes.size());
    for (Facet f : of_part[k].facets) {
      f.first += more;
      out.facets.push_back(f);
    }
    out.nodes.insert(out.nodes.end(), of_part[k].nodes.begin(), of_part[k].nodes.end());
  }
  return out;
}

}  // namespace drubble::cut
