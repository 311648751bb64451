// SPDX-License-Identifier: Apache-2.0
#include "core/cut/bricks.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/error.h"
#include "core/cut/again.h"
#include "core/cut/signs.h"
#include "core/mesh/mass.h"

namespace drubble::cut {

namespace {

struct Extent {
  double low = std::numeric_limits<double>::infinity(), high = -low;
  double size() const { return high - low; }
};

Extent along(const mesh::TriangleMesh& m, const Vec3& axis) {
  Extent out;
  for (const Vec3& v : m.vertices) {
    out.low = least(out.low, axis.dot(v));
    out.high = greatest(out.high, axis.dot(v));
  }
  return out;
}

// What is left over counts where it is more than rounding.
double cellsIn(double length, double cell) { return greatest(1, std::ceil(length / cell - 1e-6)); }

constexpr double kInLine = 2e-6;  // of the mesh's size: a wall so near to a joint is in line with it

// Where a mesh has faces square to an axis, and which way they look, by area: m2, positive along it.
class Walls {
 public:
  Walls(const mesh::TriangleMesh& m, const Vec3& axis) : near_(kInLine * m.bounds().size().maxCoeff()) {
    for (const mesh::Triangle& t : m.triangles) {
      const Vec3 &p = m.vertices[t[0]], &q = m.vertices[t[1]], &r = m.vertices[t[2]];
      const Vec3 normal = 0.5 * (q - p).cross(r - p);
      const double area = axis.dot(normal);
      if (absolute(area) > (1 - 1e-9) * normal.norm()) faces_.push_back({axis.dot(p), area});
    }
  }

  // A joint in line with walls goes just in front of them: in the wall's own line rounding would leave films
  // of it on the other side, round its corners.
  double before(double joint) const {
    double area = 0;
    for (const auto& [at, looks] : faces_)
      if (absolute(at - joint) < near_) area += looks;
    return area == 0 ? joint : joint + (area > 0 ? 2 : -2) * near_;
  }

 private:
  double near_;
  std::vector<std::pair<double, double>> faces_;
};

// One site in each of the cells of width `cell`, one of which begins at `start`, that `x` reaches into. Sites
// and the joints midway between them are on `lattice` along axis k: where joints of neighbours are in line,
// they are so exactly.
std::vector<double> middles(const Extent& x, double start, double cell, const Walls& walls,
                            const Lattice& lattice, int k) {
  std::vector<double> out;
  const double slack = 1e-6 * cell;
  const auto on = [&](double at) { return lattice.on(at * Vec3::Unit(k))[k]; };
  double last = 0;
  for (double n = std::floor((x.low + slack - start) / cell); start + n * cell < x.high - slack; n += 1) {
    last = out.empty() ? on(start + (n + 0.5) * cell) : 2 * on(walls.before(start + n * cell)) - last;
    out.push_back(lattice.off(last * Vec3::Unit(k))[k]);
  }
  return out;
}

constexpr double kThin = 1e-5;  // of a piece's size: what is thinner is nothing
constexpr int kRounds = 100;

// A place on the inner side of all planes by `margin`, found from `x`; none within `kRounds` sweeps: none.
// Source: Agmon, The relaxation method for linear inequalities (1954).
std::optional<Vec3> within(std::span<const std::pair<Vec3, double>> planes, Vec3 x, double margin) {
  for (int n = 0; n < kRounds; ++n) {
    bool all = true;
    for (const auto& [normal, at] : planes) {
      const double over = normal.dot(x) - (at - margin);
      if (!(over > 0)) continue;
      all = false;
      x -= 1.5 * over * normal;
    }
    if (all) return x;
  }
  return {};
}

// The planes that bound a piece towards others, once each: unit normals outward, and where.
std::vector<std::pair<Vec3, double>> planesOf(const Cut& cut, std::uint32_t k,
                                              std::span<const std::uint32_t> faces) {
  const Piece& p = cut.pieces[k];
  const double size = p.mesh.bounds().size().maxCoeff();
  std::vector<std::pair<Vec3, double>> out;
  for (const std::uint32_t f : faces) {
    const Interface& i = cut.interfaces[f];
    const Vec3 normal = i.a == k ? i.normal : Vec3(-i.normal);
    const double at = normal.dot(i.centroid);
    const bool bounds = std::all_of(p.mesh.vertices.begin(), p.mesh.vertices.end(),
                                    [&](const Vec3& v) { return normal.dot(v) <= at + 1e-6 * size; });
    const bool known = std::any_of(out.begin(), out.end(), [&](const auto& x) {
      return (x.first - normal).norm() < 1e-6 && absolute(x.second - at) < 1e-6 * size;
    });
    if (bounds && !known) out.emplace_back(normal, at);
  }
  return out;
}

}  // namespace

double bricksIn(const mesh::TriangleMesh& m, const Bricks& how) {
  const double deep = how.depth > 0 ? cellsIn(along(m, how.up.cross(how.along)).size(), how.depth) : 1;
  return cellsIn(along(m, how.up).size(), how.height) * deep *
         (cellsIn(along(m, how.along).size(), how.length) + (how.shift > 0 ? 0.5 : 0));
}

std::vector<std::uint32_t> cutAndTell(Assembly& body, std::uint32_t k, std::span<const Vec3> sites,
                                      const How& how, Team* team, std::vector<Made>& made) {
  const std::vector<std::uint32_t> out = body.again(k, sites, how, team);
  Made& m = made.emplace_back();
  m.piece = k;
  m.sites.assign(sites.begin(), sites.end());
  m.how = how;
  m.how.slivers = 0;
  m.how.told = {};
  for (const std::uint32_t part : out)
    m.parts.push_back({part, body.piece(part).cell, mesh::massProperties(body.piece(part).mesh).centre});
  return out;
}

std::vector<std::uint32_t> intoBricks(Assembly& wall, std::uint32_t k, const Bricks& how, double slivers,
                                      std::vector<Made>& made, Team* team, const Told& told) {
  const mesh::TriangleMesh m = wall.piece(k).mesh;
  const Vec3 across = how.along.cross(how.up);
  const Extent x = along(m, how.along), y = along(m, how.up), z = along(m, across);
  const auto place = [&](double a, double b, double c) {
    return Vec3(a * how.along + b * how.up + c * across);
  };
  // All cuts are made on one lattice, along the courses.
  How cells;
  cells.slivers = slivers;
  Mat3 axes;
  axes << how.along, how.up, across;
  cells.turn = Quat(axes);
  cells.around = Box{vec3(x.low, y.low, z.low), vec3(x.high, y.high, z.high)}.grown(
      greatest(how.length, greatest(how.height, how.depth)));
  const Lattice lattice(cells.around);
  const double middle_x = 0.5 * (x.low + x.high), middle_z = 0.5 * (z.low + z.high);
  std::vector<Vec3> courses;
  for (const double height : middles(y, y.low, how.height, Walls(m, how.up), lattice, 1))
    courses.push_back(place(middle_x, height, middle_z));
  std::vector<std::uint32_t> out;
  const std::vector<std::uint32_t> rows = cutAndTell(wall, k, courses, cells, team, made);
  for (std::size_t n = 0; n < rows.size(); ++n) {
    if (told) told(static_cast<double>(n) / static_cast<double>(rows.size()));
    const std::uint32_t c = rows[n];
    const mesh::TriangleMesh& course = wall.piece(c).mesh;
    const std::uint32_t row = wall.piece(c).cell;
    const double shift = row % 2 == 1 ? how.shift * how.length : 0;
    const std::vector<double> deep =
        how.depth > 0 ? middles(along(course, across), z.low, how.depth, Walls(course, across), lattice, 2)
                      : std::vector<double>{middle_z};
    std::vector<Vec3> sites;
    for (const double a :
         middles(along(course, how.along), x.low + shift, how.length, Walls(course, how.along), lattice, 0))
      for (const double b : deep) sites.push_back(place(a, how.up.dot(courses[row]), b));
    if (sites.size() < 2)
      out.push_back(c);
    else
      for (const std::uint32_t part : cutAndTell(wall, c, sites, cells, team, made)) out.push_back(part);
  }
  return out;
}

namespace {

// What is left of a piece when it is cut off at these planes.
std::vector<Piece> trimmed(const Piece& whole, std::span<const std::pair<Vec3, double>> planes) {
  std::vector<Piece> out;
  const std::optional<Vec3> middle =
      within(planes, mesh::massProperties(whole.mesh).centre, kThin * whole.mesh.bounds().size().maxCoeff());
  if (!middle) return out;
  // Beyond each plane it has its mirror image: the cell in the middle is what is left.
  std::vector<Vec3> sites = {*middle};
  for (const auto& [normal, at] : planes) sites.push_back(*middle + 2 * (at - normal.dot(*middle)) * normal);
  How exact;
  exact.slivers = 0;
  for (Piece& part : cutIntoCells(whole.mesh, sites, exact).pieces) {
    if (part.cell != 0) continue;
    part.cell = whole.cell;
    for (Source& s : part.sources) {
      if (!s.inside) s = whole.sources[s.index];
      if (s.inside) s.index = kNone;
    }
    out.push_back(std::move(part));
  }
  return out;
}

constexpr std::size_t kPiecesWorthAThread = 8;

}  // namespace

Room withRoom(const Cut& cut, double gap, Team* team) {
  const std::size_t count = cut.pieces.size();
  std::vector<std::vector<std::uint32_t>> faces(count);
  for (std::uint32_t f = 0; f < cut.interfaces.size(); ++f) {
    faces[cut.interfaces[f].a].push_back(f);
    faces[cut.interfaces[f].b].push_back(f);
  }
  std::vector<std::vector<Piece>> left(count);
  shareOrAlone(team, count, kPiecesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      std::vector<std::pair<Vec3, double>> planes = planesOf(cut, u32(k), faces[k]);
      for (auto& plane : planes) plane.second -= 0.5 * gap;
      left[k] = trimmed(cut.pieces[k], planes);
    }
  });
  Room out;
  out.cut.taken = cut.taken;
  for (std::uint32_t k = 0; k < count; ++k) {
    out.cut.taken += mesh::massProperties(cut.pieces[k].mesh).volume;
    out.lost += left[k].empty();
    for (Piece& part : left[k]) {
      out.cut.taken -= mesh::massProperties(part.mesh).volume;
      for (std::uint32_t& n : part.nodes) n = out.cut.nodes++;  // no two pieces share anything any more
      out.cut.pieces.push_back(std::move(part));
      out.from.push_back(k);
    }
  }
  for (const Sliver& s : cut.slivers) {
    const auto at = std::find(out.from.begin(), out.from.end(), s.piece);
    if (at != out.from.end())
      out.cut.slivers.push_back({u32(static_cast<std::size_t>(at - out.from.begin())), s.volume, s.place});
  }
  return out;
}

}  // namespace drubble::cut
