// SPDX-License-Identifier: Apache-2.0
#include "core/cut/facets.h"

#include <algorithm>

namespace drubble::cut {

namespace {

constexpr std::size_t kTrianglesWorthAThread = 64;
constexpr double kOff = 1e-6;  // shares of a triangle: a place so far beyond it is none
constexpr double kFlat =
    4e5;  // lattice steps, some hundredths of the mesh: what rises by less is hardly steep
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
    flat_.push_back(flatFor(site, other_site));
    others_.push_back(other_site);
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
      const Corners& rises = true_forms_[form];
      const Corners& f = absolute(rises.at[p] - rises.at[q]) < flat_[form] ? forms_[form] : rises;
      out.name = {On::Edge, edges[side], {cell_, f.other, kNoSite, kNoSite}};
      out.place = at_[p] + (at_[q] - at_[p]) * shareOf(f.at[p], f.at[q]);
    } else {
      const bool flat = liesFlat(before - kSides, after - kSides);
      const std::vector<Corners>& forms = flat ? forms_ : true_forms_;
      const Corners &a = forms[before - kSides], &b = forms[after - kSides];
      out.name = {On::Triangle, triangle, {cell_, a.other, b.other, kNoSite}};
      out.place = placeOf(a, b);
      // The gradients turn with the facet's sides.
      const std::array<std::uint32_t, 3> s = {cell_, a.other, b.other};
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
  Vec3 placeOf(const Corners& a, const Corners& b) const {
    Vec3 weights = crossed(a, b);
    const double sum = weights.sum();
    if (sum != 0) weights /= sum;
    if (sum == 0 || weights.minCoeff() < -kOff || weights.maxCoeff() > 1 + kOff)
      return spread(a) < spread(b) ? placeOn(b, a) : placeOn(a, b);
    Vec3 out = Vec3::Zero();
    for (std::size_t k = 0; k < 3; ++k)
      out += clamped(weights[static_cast<int>(k)], 0, 1) * (at_[k] - at_[0]);
    return at_[0] + out;
  }

  // Where the line that three cells share hardly leaves the triangle's plane, it meets that anywhere, by
  // rounding: places are found on the lattice then, by which sides are decided, so that facets keep their
  // sense.
  bool liesFlat(std::size_t i, std::size_t j) const {
    const Corners &a = true_forms_[i], &b = true_forms_[j], third = difference(b, a);
    const double turns = absolute(crossed(a, b).sum());
    const auto near = [&](const Corners& f, double flat_f, const Corners& g, double flat_g) {
      return turns < flat_f * spread(g) + flat_g * spread(f);
    };
    const double flat_third = flatFor(others_[i], others_[j]);
    return near(a, flat_[i], b, flat_[j]) || near(a, flat_[i], third, flat_third) ||
           near(b, flat_[j], third, flat_third);
  }
  static double flatFor(const Vec3& a, const Vec3& b) { return kFlat * 2 * (b - a).norm(); }
  static Corners difference(const Corners& b, const Corners& a) {
    Corners out;
    for (std::size_t k = 0; k < 3; ++k) out.at[k] = b.at[k] - a.at[k];
    return out;
  }
  // In proportion to the shares of the corners in the place where both are zero.
  static Vec3 crossed(const Corners& a, const Corners& b) {
    Vec3 out;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t i = (k + 1) % 3, j = (k + 2) % 3;
      out[static_cast<int>(k)] = a.at[i] * b.at[j] - a.at[j] * b.at[i];
    }
    return out;
  }
  static double spread(const Corners& f) {
    return greatest(f.at[0], greatest(f.at[1], f.at[2])) - least(f.at[0], least(f.at[1], f.at[2]));
  }
  // Where `line` is zero within the triangle, as near as can be to where `other` is: that lies in the
  // triangle's own plane but for rounding, and is zero anywhere.
  Vec3 placeOn(const Corners& line, const Corners& other) const {
    // The corner that is alone on its side: the line runs between the two sides of the triangle that meet
    // there.
    std::size_t lone = 0;
    for (std::size_t k = 0; k < 3; ++k)
      if ((line.at[k] > 0) != (line.at[(k + 1) % 3] > 0) && (line.at[k] > 0) != (line.at[(k + 2) % 3] > 0))
        lone = k;
    const std::size_t i = (lone + 1) % 3, j = (lone + 2) % 3;
    const double s = shareOf(line.at[lone], line.at[i]), t = shareOf(line.at[lone], line.at[j]);
    const Vec3 p = at_[lone] + s * (at_[i] - at_[lone]), q = at_[lone] + t * (at_[j] - at_[lone]);
    const double at_p = other.at[lone] + s * (other.at[i] - other.at[lone]),
                 at_q = other.at[lone] + t * (other.at[j] - other.at[lone]);
    return p + shareOf(at_p, at_q) * (q - p);
  }

  std::uint32_t cell_;
  std::array<Vec3, 3> on_, at_;  // the triangle's corners: for the signs, and where they are
  std::vector<std::uint32_t> lines_{0, 1, 2};
  std::vector<Corners> forms_, true_forms_;  // of the corners on the lattice, and where they are
  std::vector<double> flat_;  // of forms: what they rise by over the triangle, if that is next to nothing
  std::vector<Vec3> others_;  // the sites beyond
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
