// SPDX-License-Identifier: Apache-2.0
// How a cluster's bonds share what bears on its pieces: a linear static solve.
//
// Six unknowns a piece, how far it would give: each bond is a short beam between the centroids of its pieces
// that acts at their face, as stiff along the face as across it (so that the answer does not hang on the
// number of pieces). A face's traction is linear over it; stress is read at its corners. Method: conjugate
// gradients, preconditioned by the pieces' own 6x6 blocks and one coarse level of rigid groups (additive
// Schwarz with a coarse space: Nicolaides, Deflation of conjugate gradients, 1987; Mandel, Balancing domain
// decomposition, 1993). Space: that of the bonds (the pieces' start). Bits: a function of what it is given;
// sums run in a fixed order.
#pragma once
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "core/base/pages.h"
#include "core/bond/bond.h"

namespace drubble {
class Team;
}

namespace drubble::bond {

// A piece of a cluster.
struct Node {
  Vec3 centre = Vec3::Zero();       // of mass
  double mass = 0;                  // kg
  Mat3 inertia = Mat3::Identity();  // kg m2, about the centre
  bool fixed = false;               // part of what the cluster hangs on: does not give
};

// N and N m about the piece's centre.
struct Load {
  Vec3 force = Vec3::Zero(), torque = Vec3::Zero();
};

// How far a piece gives, in its place and about its centre; or what acts on it.
struct Give {
  Vec3 travel = Vec3::Zero(), turn = Vec3::Zero();
};
using Gives = std::vector<Give>;

// A bond by the places of its pieces among the nodes.
struct Beam {
  std::uint32_t a = 0, b = 0;
  const Face* face = nullptr;
  double stiffness = 1;  // Pa
};

using Stresses = PagedVector<Stress>;

struct Solved {
  Stresses stresses;  // a beam
  int iterations = 0;
  double error = 0;  // of the whole answer, about: 0.02 is some 5 % in the worst bonds
};

// The worst share of its strength that any bond bears, of these stresses.
using WorstOf = std::function<double(std::span<const Stress>)>;
// The same where only those of some beams have changed since the last.
using WorstOfSome = std::function<double(std::span<const Stress>, std::span<const std::uint32_t> changed)>;

// Peaks come out so much too high where cells differ in size, and bonds are compared with what a beam bears.
inline constexpr double kUnevenPeak = 1.22;

class StressSolver {
 public:
  // Nodes stand about `origin`, which is a place in the bonds' space. The beams' faces need not stay. With a
  // team its threads share what is long; `wide`: in wide vectors, where there are any.
  StressSolver(std::vector<Node> nodes, const std::vector<Beam>& beams, const Vec3& origin = Vec3::Zero(),
               Team* team = nullptr, bool wide = true);
  ~StressSolver();
  StressSolver(StressSolver&&) noexcept;

  // Beams that hold nothing any more; what is left still hangs together.
  void cut(std::span<const std::uint32_t> beams);

  // A part came off: these of its nodes and beams go on (ascending; no beam to what left), and are numbered
  // anew. Most of it: a solver made anew is exact where this one's is as good as it was.
  void keepOnly(std::span<const std::uint32_t> nodes, std::span<const std::uint32_t> beams);

  // Whether beams were cut or left since it was made.
  bool aged() const;

  // Under loads that last. A cluster without fixed pieces flies: what the loads and its spin (rad/s) ask of
  // it as a whole is taken out. `gave`: how far the pieces gave last time, or nothing; then, how far they
  // give now. Where that nearly holds and, by `worst`, no bond is near its end, it stays as it was; where one
  // bears far more than it can, a rough answer will do. Cost: about 10 to 20 passes over the beams; two,
  // where it stays.
  Solved sustained(std::span<const Load> loads, const Vec3& spin, Gives& gave, const WorstOf& worst = {});

  // The same under the loads of the last solve, where beams were cut since: only what is about them gives
  // otherwise. `gave` and `stresses` as that solve left them; `worst` is told which have changed. False: this
  // is not good enough, or it is so few beams that it is not worth while; then it is for `sustained`. Cost:
  // what is about the cuts, and about one pass over the pieces.
  bool aboutCuts(Gives& gave, Stresses& stresses, const WorstOfSome& worst);

  // Under a blow, felt within about `reach` (m) of it: inertia bears what lies farther.
  Solved sudden(std::span<const Load> loads, double reach);

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace drubble::bond
