// SPDX-License-Identifier: Apache-2.0
#include "core/cut/signs.h"

#include <boost/multiprecision/cpp_int.hpp>
#include <catch2/catch.hpp>

#include "core/base/random.h"

using namespace drubble;
using namespace drubble::cut;

namespace {

using Big = boost::multiprecision::cpp_int;

int signOf(const Big& x) { return x < 0 ? -1 : x > 0 ? 1 : 0; }
Big big(double x) { return static_cast<std::int64_t>(x); }

// Lattice points, on small ranges so that ties abound, or on all of it.
Vec3 somewhere(RandomStream& r, double range) {
  Vec3 p;
  for (int k = 0; k < 3; ++k) p[k] = std::floor(r.between(-range, range + 1));
  return p;
}

struct Scene {
  std::array<Vec3, 5> sites;
  std::array<Vec3, 3> triangle;
  Scene(RandomStream& r, double range) {
    for (Vec3& s : sites) s = somewhere(r, range);
    for (Vec3& p : triangle) p = somewhere(r, range);
  }
  bool distinct() const {
    for (std::size_t i = 0; i < sites.size(); ++i)
      for (std::size_t j = 0; j < i; ++j)
        if (sites[i] == sites[j]) return false;
    return !(triangle[1] - triangle[0]).cross(triangle[2] - triangle[0]).isZero(0);
  }
  Corners form(std::uint32_t cell, std::uint32_t other) const {
    Corners f;
    f.other = other;
    for (std::size_t k = 0; k < 3; ++k) f.at[k] = nearer(sites[cell], sites[other], triangle[k]);
    return f;
  }
  Plane plane(std::uint32_t cell, std::uint32_t other) const {
    return planeBetween(sites[cell], sites[other], other);
  }
};

constexpr std::array<double, 4> kRanges = {1, 2, 50, kRange};

}  // namespace

TEST_CASE("forms and planes are exact on the lattice") {
  RandomStream r(3, "forms");
  for (int n = 0; n < 2000; ++n) {
    const Vec3 a = somewhere(r, kRange), b = somewhere(r, kRange), x = somewhere(r, kRange);
    Big exact = 0;
    for (int k = 0; k < 3; ++k)
      exact += (big(x[k]) - big(a[k])) * (big(x[k]) - big(a[k])) -
               (big(x[k]) - big(b[k])) * (big(x[k]) - big(b[k]));
    CHECK(big(nearer(a, b, x)) == exact);
    const Plane p = planeBetween(a, b, 1);
    CHECK(big(p.normal.x()) * big(x.x()) + big(p.normal.y()) * big(x.y()) + big(p.normal.z()) * big(x.z()) +
              big(p.offset) ==
          exact);
  }
}

TEST_CASE("on an edge and within a triangle signs are those of whole numbers of any length") {
  RandomStream r(4, "triangles");
  int zeros = 0, plain = 0;
  for (const double range : kRanges)
    for (int n = 0; n < 3000; ++n) {
      const Scene s(r, range);
      if (!s.distinct()) continue;
      const Corners a = s.form(0, 1), b = s.form(0, 2), f = s.form(0, 3);
      if (signAt(0, a, 0) != signAt(0, a, 1)) {
        const Big exact = big(f.at[0]) * big(a.at[1]) - big(f.at[1]) * big(a.at[0]);
        const int sign = signOf(exact) * signOf(big(a.at[1]) - big(a.at[0]));
        (sign == 0 ? zeros : plain) += 1;
        if (sign != 0) CHECK(signOnEdge(0, a, f, 0, 1) == sign);
        CHECK(signOnEdge(0, a, f, 0, 1) != 0);
        CHECK(signOnEdge(0, a, f, 0, 1) == signOnEdge(0, a, f, 1, 0));
      }
      if (turning(a, b) == 0) continue;
      Big exact = 0;
      for (std::size_t k = 0; k < 3; ++k) {
        const std::size_t i = (k + 1) % 3, j = (k + 2) % 3;
        exact += big(f.at[k]) * (big(a.at[i]) * big(b.at[j]) - big(a.at[j]) * big(b.at[i]));
      }
      (exact == 0 ? zeros : plain) += 1;
      if (exact != 0) CHECK(signInside(0, a, b, f) == signOf(exact));
      CHECK(signInside(0, a, b, f) != 0);
    }
  CHECK(zeros > 300);
  CHECK(plain > 5000);
}

TEST_CASE("where two cells meet, both say the same of a third; where three or four meet, all of them") {
  RandomStream r(5, "agreement");
  int checked = 0;
  for (const double range : kRanges)
    for (int n = 0; n < 3000; ++n) {
      const Scene s(r, range);
      if (!s.distinct()) continue;
      for (std::uint32_t i = 0; i < 2; ++i)
        for (std::size_t k = 0; k < 3; ++k)
          CHECK(signAt(i, s.form(i, 1 - i), k) == -signAt(1 - i, s.form(1 - i, i), k));
      if (signAt(0, s.form(0, 1), 0) != signAt(0, s.form(0, 1), 1)) {
        CHECK(signOnEdge(0, s.form(0, 1), s.form(0, 2), 0, 1) ==
              signOnEdge(1, s.form(1, 0), s.form(1, 2), 0, 1));
        ++checked;
      }
      if (const int t = turning(s.form(0, 1), s.form(0, 2)); t != 0) {
        const auto from = [&](std::uint32_t i, std::uint32_t j, std::uint32_t k) {
          return signInside(i, s.form(i, j), s.form(i, k), s.form(i, 3)) *
                 turning(s.form(i, j), s.form(i, k));
        };
        CHECK(from(0, 1, 2) == from(1, 0, 2));
        CHECK(from(0, 1, 2) == from(2, 1, 0));
        ++checked;
      }
      if (sense(s.plane(0, 1), s.plane(0, 2), s.plane(0, 3)) == 0) continue;
      const auto at = [&](std::uint32_t i, std::uint32_t j, std::uint32_t k, std::uint32_t l) {
        return signAtMeeting(i, s.plane(i, j), s.plane(i, k), s.plane(i, l), s.plane(i, 4));
      };
      CHECK(at(0, 1, 2, 3) != 0);
      CHECK(at(0, 1, 2, 3) == at(1, 0, 2, 3));
      CHECK(at(0, 1, 2, 3) == at(2, 3, 1, 0));
      CHECK(at(0, 1, 2, 3) == at(3, 0, 2, 1));
      ++checked;
    }
  CHECK(checked > 10000);
}

TEST_CASE("the meeting of three planes lies on all of them, to rounding; that of walls at their corner") {
  RandomStream r(6, "meetings");
  for (int n = 0; n < 500; ++n) {
    const Scene s(r, kRange);
    const Plane a = s.plane(0, 1), b = s.plane(0, 2), c = s.plane(0, 3);
    const Vec3 p = meeting(a, b, c);
    for (const Plane& q : {a, b, c}) {
      const double size = q.normal.cwiseAbs().dot(p.cwiseAbs()) + absolute(q.offset);
      CHECK(absolute(q.normal.dot(p) + q.offset) < 2e-15 * size);
    }
  }
  CHECK(meeting(wall(0, -7), wall(3, 5), wall(5, 6)) == vec3(-7, 5, 6));
}
