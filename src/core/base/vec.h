// SPDX-License-Identifier: Apache-2.0
// Vectors, rotations, rigid transforms and boxes. Everything is double, SI, right-handed.
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <array>
#include <cstddef>
#include <cstdint>
#include <limits>

namespace drubble {

using Vec3 = Eigen::Vector3d;
using Vec3f = Eigen::Vector3f;  // what is kept by the thousand
using Mat3 = Eigen::Matrix3d;
using Quat = Eigen::Quaterniond;

inline Vec3 vec3(double x, double y, double z) { return Vec3(x, y, z); }

// Fixed operand order, so that ties and signed zeros come out alike everywhere.
inline double least(double a, double b) { return b < a ? b : a; }
inline double greatest(double a, double b) { return a < b ? b : a; }
inline double clamped(double x, double low, double high) { return least(greatest(x, low), high); }
inline double absolute(double x) { return x < 0 ? -x : x; }

inline std::uint32_t u32(std::size_t n) { return static_cast<std::uint32_t>(n); }

// Where a body's frame stands in the world. The body frame has its origin at the centre of mass and the axes
// of the mesh it came from.
struct Pose {
  Vec3 position = Vec3::Zero();
  Quat turn = Quat::Identity();

  Vec3 toWorld(const Vec3& point_body) const { return position + turn * point_body; }
  Vec3 toBody(const Vec3& point_world) const { return turn.conjugate() * (point_world - position); }
  Pose operator*(const Pose& inner) const {
    return {toWorld(inner.position), (turn * inner.turn).normalized()};
  }
};

// An axis-aligned box; empty until something is added.
struct Box {
  Vec3 low = Vec3::Constant(std::numeric_limits<double>::infinity());
  Vec3 high = Vec3::Constant(-std::numeric_limits<double>::infinity());

  bool empty() const { return !(low.x() <= high.x()); }
  void add(const Vec3& p) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  }
  void add(const Box& b) {
    low = low.cwiseMin(b.low);
    high = high.cwiseMax(b.high);
  }
  Box grown(double d) const { return {low - Vec3::Constant(d), high + Vec3::Constant(d)}; }
  Vec3 size() const { return high - low; }
  Vec3 centre() const { return (low + high) * 0.5; }
  bool contains(const Vec3& p) const {
    return (p.array() >= low.array()).all() && (p.array() <= high.array()).all();
  }
  bool overlaps(const Box& b) const {
    return low.x() <= b.high.x() && b.low.x() <= high.x() && low.y() <= b.high.y() && b.low.y() <= high.y() &&
           low.z() <= b.high.z() && b.low.z() <= high.z();
  }
};

// A unit vector square to n (unit), chosen by n's smallest component.
Vec3 anyNormalTo(const Vec3& n);

// The rotation by `angles` (rad) about the fixed axes x, then y, then z.
Quat turnXyz(const Vec3& angles);

// The rotation by `angle` (rad) about the unit vector `axis`.
Quat turnAbout(const Vec3& axis, double angle);

// The rotation vector (rad) that takes `from` to `to` the shorter way.
Vec3 turnBetween(const Quat& from, const Quat& to);

// Eigenvalues (unsorted) and the rotation whose columns are the eigenvectors of a symmetric matrix. Jacobi
// rotations; an already diagonal matrix gives the identity. Golub and Van Loan, Matrix Computations, 8.5.
struct Principal {
  Vec3 moments = Vec3::Zero();
  Mat3 axes = Mat3::Identity();
};
Principal principalAxes(const Mat3& symmetric);

}  // namespace drubble
