// SPDX-License-Identifier: Apache-2.0
// For tests and benchmarks: closed meshes of many sorts, made by rule.
#pragma once
#include <cmath>
#include <functional>
#include <vector>

#include "core/mesh/mesh.h"

namespace drubble::mesh {

inline double fullTurn() { return 2 * std::acos(-1.0); }

inline TriangleMesh inverted(TriangleMesh m) {
  for (Triangle& t : m.triangles) std::swap(t[1], t[2]);
  return m;
}

inline TriangleMesh moved(const TriangleMesh& m, const Vec3& by) {
  return transformed(m, Vec3::Ones(), {by, Quat::Identity()});
}

// A closed tube of `about` sides along a closed line of `around` places: those of `place`, given from 0 to 1.
inline TriangleMesh tubeAlong(const std::function<Vec3(double)>& place, double radius, int around,
                              int about) {
  TriangleMesh m;
  const auto at = [&](int i, int j) { return static_cast<std::uint32_t>((i % around) * about + j % about); };
  for (int i = 0; i < around; ++i) {
    const double t = static_cast<double>(i) / around;
    const Vec3 here = place(t), along = (place(t + 1e-4) - place(t - 1e-4)).normalized();
    const Vec3 side = Vec3(along.cross(Vec3::UnitY())).norm() > 0.05
                          ? Vec3(along.cross(Vec3::UnitY()).normalized())
                          : Vec3(anyNormalTo(along));
    const Vec3 up = side.cross(along);
    for (int j = 0; j < about; ++j) {
      const double b = fullTurn() * j / about;
      m.vertices.push_back(here + radius * (std::cos(b) * side + std::sin(b) * up));
      m.triangles.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
      m.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
    }
  }
  return m;
}

inline TriangleMesh torus(double radius, double tube, int around, int about) {
  TriangleMesh m;
  const double turn = fullTurn();
  const auto at = [&](int i, int j) { return static_cast<std::uint32_t>((i % around) * about + j % about); };
  for (int i = 0; i < around; ++i)
    for (int j = 0; j < about; ++j) {
      const double a = turn * i / around, b = turn * j / about, r = radius + tube * std::cos(b);
      m.vertices.push_back(vec3(r * std::cos(a), tube * std::sin(b), -r * std::sin(a)));
      m.triangles.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
      m.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
    }
  return m;
}

// A flat outline (x, z; counter-clockwise seen from above) made `height` thick. `lid` may have places beyond
// the outline's `rim`, within it.
inline TriangleMesh prism(const std::vector<std::array<double, 2>>& places, std::uint32_t rim,
                          const std::vector<std::array<std::uint32_t, 3>>& lid, double height) {
  TriangleMesh m;
  const auto n = static_cast<std::uint32_t>(places.size());
  for (const double y : {-0.5 * height, 0.5 * height})
    for (const auto& p : places) m.vertices.push_back(vec3(p[0], y, -p[1]));
  for (const auto& t : lid) {
    m.triangles.push_back({t[0] + n, t[1] + n, t[2] + n});
    m.triangles.push_back({t[0], t[2], t[1]});
  }
  for (std::uint32_t k = 0; k < rim; ++k) {
    const std::uint32_t next = (k + 1) % rim;
    m.triangles.push_back({k, next, next + n});
    m.triangles.push_back({k, next + n, k + n});
  }
  return m;
}

// An L of two legs.
inline TriangleMesh bracket() {
  return prism({{0, 0}, {1, 0}, {1, 0.3}, {0.3, 0.3}, {0.3, 1}, {0, 1}}, 6,
               {{0, 1, 2}, {0, 2, 3}, {0, 3, 4}, {0, 4, 5}}, 0.4);
}

inline TriangleMesh gear(int teeth) {
  std::vector<std::array<double, 2>> outline;
  std::vector<std::array<std::uint32_t, 3>> lid;
  for (int k = 0; k < 4 * teeth; ++k) {
    const double a = fullTurn() * k / (4 * teeth), r = k % 4 < 2 ? 0.5 : 0.38;
    outline.push_back({r * std::cos(a), r * std::sin(a)});
  }
  const auto n = static_cast<std::uint32_t>(outline.size());
  outline.push_back({0, 0});
  for (std::uint32_t k = 0; k < n; ++k) lid.push_back({k, (k + 1) % n, n});
  return prism(outline, n, lid, 0.2);
}

// A surface of revolution about y from its profile (radius, height), from the axis back to it.
inline TriangleMesh turned(const std::vector<std::array<double, 2>>& profile, int around) {
  TriangleMesh m;
  const auto ring = static_cast<std::uint32_t>(profile.size() - 2);
  const auto first = static_cast<std::uint32_t>(m.vertices.size());
  for (int i = 0; i < around; ++i) {
    const double a = fullTurn() * i / around;
    for (std::size_t k = 1; k + 1 < profile.size(); ++k)
      m.vertices.push_back(vec3(profile[k][0] * std::cos(a), profile[k][1], -profile[k][0] * std::sin(a)));
  }
  const auto start = static_cast<std::uint32_t>(m.vertices.size());
  m.vertices.push_back(vec3(0, profile.front()[1], 0));
  m.vertices.push_back(vec3(0, profile.back()[1], 0));
  for (int i = 0; i < around; ++i) {
    const std::uint32_t here = first + static_cast<std::uint32_t>(i) * ring,
                        next = first + static_cast<std::uint32_t>((i + 1) % around) * ring;
    m.triangles.push_back({start, next, here});
    for (std::uint32_t k = 0; k + 1 < ring; ++k) {
      m.triangles.push_back({here + k, next + k, next + k + 1});
      m.triangles.push_back({here + k, next + k + 1, here + k + 1});
    }
    m.triangles.push_back({start + 1, here + ring - 1, next + ring - 1});
  }
  return m;
}

// A pot of 2 around (rings a side and floor + 3) triangles or so: 1 high, 1 across, open above.
inline TriangleMesh pot(double wall, int around, int rings) {
  std::vector<std::array<double, 2>> profile = {{0, 0}};
  const auto line = [&](double r0, double y0, double r1, double y1) {
    for (int k = 1; k <= rings; ++k)
      profile.push_back({r0 + (r1 - r0) * k / rings, y0 + (y1 - y0) * k / rings});
  };
  line(0, 0, 0.5, 0);
  line(0.5, 0, 0.5, 1);
  profile.push_back({0.5 - wall, 1});
  line(0.5 - wall, 1, 0.5 - wall, wall);
  line(0.5 - wall, wall, 0, wall);
  return turned(profile, around);
}

// Three turns about a ring, in and out of itself.
inline TriangleMesh knot(int around, int about) {
  return tubeAlong(
      [](double t) {
        const double a = fullTurn() * t;
        const double r = 0.45 + 0.2 * std::cos(3 * a);
        return vec3(r * std::cos(2 * a), 0.2 * std::sin(3 * a), r * std::sin(2 * a));
      },
      0.07, around, about);
}

// A block whose top is hilly: n x n squares.
inline TriangleMesh terrain(int n) {
  TriangleMesh m;
  const auto side = static_cast<std::uint32_t>(n + 1);
  for (const bool top : {false, true})
    for (int i = 0; i <= n; ++i)
      for (int j = 0; j <= n; ++j) {
        const double x = static_cast<double>(i) / n - 0.5, z = static_cast<double>(j) / n - 0.5;
        const double hill = 0.2 + 0.08 * std::sin(9 * x) * std::cos(7 * z) + 0.03 * std::sin(23 * x + 5 * z);
        m.vertices.push_back(vec3(x, top ? hill : 0, z));
      }
  const std::uint32_t up = side * side;
  const auto at = [&](int i, int j) {
    return static_cast<std::uint32_t>(i) * side + static_cast<std::uint32_t>(j);
  };
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) {
      const std::uint32_t a = at(i, j), b = at(i + 1, j), c = at(i + 1, j + 1), d = at(i, j + 1);
      m.triangles.push_back({a, b, c});
      m.triangles.push_back({a, c, d});
      m.triangles.push_back({a + up, c + up, b + up});
      m.triangles.push_back({a + up, d + up, c + up});
    }
  const auto wall = [&](std::uint32_t a, std::uint32_t b) {
    m.triangles.push_back({a, a + up, b + up});
    m.triangles.push_back({a, b + up, b});
  };
  for (int k = 0; k < n; ++k) {
    wall(at(k, 0), at(k + 1, 0));
    wall(at(n, k), at(n, k + 1));
    wall(at(k + 1, n), at(k, n));
    wall(at(0, k + 1), at(0, k));
  }
  return m;
}

// A lumpy ball.
inline TriangleMesh rock(int rings) {
  TriangleMesh m = sphereMesh(0.5, rings);
  for (Vec3& v : m.vertices) v *= 1 + 0.15 * std::sin(7 * v.x()) * std::cos(9 * v.y() + 3 * v.z());
  return m;
}

// Four legs from a middle, to the corners of a tetrahedron: an armour unit. One closed surface.
inline TriangleMesh fourLegs() {
  // A cube whose faces at four alternate corners are drawn out: made from a ball by pulling.
  TriangleMesh m = sphereMesh(1, 48);
  const std::array<Vec3, 4> legs = {vec3(1, 1, 1).normalized(), vec3(1, -1, -1).normalized(),
                                    vec3(-1, 1, -1).normalized(), vec3(-1, -1, 1).normalized()};
  for (Vec3& v : m.vertices) {
    double reach = 0.4;
    const Vec3 d = v.normalized();
    for (const Vec3& leg : legs) {
      // Where a ray leaves a round leg of radius 0.22 that ends at 1.
      const double along = d.dot(leg), across = std::sqrt(std::max(0.0, 1 - along * along));
      if (along <= 0) continue;
      const double out = std::min(1 / along, across > 0 ? 0.22 / across : 1e9);
      reach = std::max(reach, out);
    }
    v = 0.5 * reach * d;
  }
  return m;
}

}  // namespace drubble::mesh
