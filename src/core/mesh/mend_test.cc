// SPDX-License-Identifier: Apache-2.0
#include "core/mesh/mend.h"

#include <catch2/catch.hpp>

#include "core/mesh/mass.h"

using namespace drubble;
using namespace drubble::mesh;

TEST_CASE("a diagnosis finds planted faults and none in sound meshes") {
  const TriangleMesh ball = sphereMesh(0.5, 12);
  const Diagnosis good = diagnose(ball);
  CHECK(good.edges.closed());
  CHECK(good.slivers + good.duplicates + good.crossings == 0);
  CHECK_FALSE(good.inside_out);

  TriangleMesh doubled = ball;
  doubled.triangles.push_back({ball.triangles[7][1], ball.triangles[7][2], ball.triangles[7][0]});
  CHECK(diagnose(doubled).duplicates == 1);

  TriangleMesh through = boxMesh(Vec3::Ones());
  append(through,
         transformed(boxMesh(Vec3::Constant(0.5)), Vec3::Ones(), {vec3(0.5, 0.1, 0.1), Quat::Identity()}));
  CHECK(diagnose(through).crossings > 0);

  TriangleMesh inside_out = ball;
  for (Triangle& t : inside_out.triangles) std::swap(t[1], t[2]);
  CHECK(diagnose(inside_out).inside_out);

  TriangleMesh thin;
  thin.vertices = {vec3(0, 0, 0), vec3(1, 0, 0), vec3(0.5, 1e-6, 0)};
  thin.triangles = {{0, 1, 2}};
  CHECK(diagnose(thin).slivers == 1);
}

TEST_CASE("mending closes holes, turns and drops triangles, and says how many") {
  TriangleMesh m = boxMesh(vec3(1, 2, 3));
  m.triangles.erase(m.triangles.begin(), m.triangles.begin() + 2);  // one side is missing
  std::swap(m.triangles[3][1], m.triangles[3][2]);                  // one triangle is turned
  m.triangles.push_back(m.triangles[5]);                            // one is there twice
  m.vertices.push_back(m.vertices[4] + vec3(1e-8, 0, 0));           // a corner is nearly doubled
  for (std::uint32_t& v : m.triangles[8])
    if (v == 4) v = u32(m.vertices.size() - 1);
  const Mended out = mended(m);
  CHECK(closedness(out.mesh).closed());
  CHECK(out.filled == 1);
  CHECK(out.dropped == 1);
  CHECK(out.welded == 1);
  CHECK(out.turned >= 1);
  CHECK(massProperties(out.mesh).volume == Approx(6.0));
}

TEST_CASE("mending leaves a sound mesh as it is") {
  const TriangleMesh ball = sphereMesh(0.5, 12);
  const Mended out = mended(ball);
  CHECK(out.welded + out.dropped + out.turned + out.filled == 0);
  CHECK(out.mesh.triangles == ball.triangles);
}
