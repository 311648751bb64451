// SPDX-License-Identifier: Apache-2.0
// Beams and the vectors of the stress solve, as its loops read them. What is long is done in parts, by as
// many threads as there are; the parts hang on the length alone, so that sums are the same bits whoever does
// them.
#pragma once
#include <algorithm>
#include <vector>

#include "core/base/pages.h"
#include "core/base/team.h"
#include "core/bond/loops.h"
#include "core/bond/stress.h"

namespace drubble::bond {

using Six = Eigen::Matrix<double, 6, 6>;

// A beam as the solve wants it.
struct Span {
  std::uint32_t a = 0, b = 0;
  Vec3 arm_a = Vec3::Zero(), arm_b = Vec3::Zero();  // from the pieces' centres to the face
  double stiffness = 0;                             // Pa/m
  double stretch = 0;                               // N/m, any way
  Mat3 bend = Mat3::Zero();                         // N m/rad
  bool cut = false;                                 // holds nothing any more
};
using Spans = std::vector<Span>;

using Sextets = PagedVector<Sextet>;
inline constexpr std::uint32_t kLeft = 0xffffffffu;
inline constexpr std::size_t kPiecesAPart = 200;

// [0, n) in parts of no fewer than `least`, at most four.
class InParts {
 public:
  static constexpr std::size_t kMost = 4;
  InParts(std::size_t n, std::size_t least, Team* team, std::size_t most = kMost)
      : n_(n), count_(std::clamp<std::size_t>(n / least, 1, most)), team_(count_ > 1 ? team : nullptr) {}

  std::size_t count() const { return count_; }

  // job(part, begin, end) for each, at the same time.
  template <class Job>
  void each(Job job) const {
    shareOrAlone(team_, count_, 1, [&](std::size_t, std::size_t from, std::size_t to) {
      for (std::size_t part = from; part < to; ++part)
        job(part, n_ * part / count_, n_ * (part + 1) / count_);
    });
  }

  // The sum of what job(begin, end) returns for each.
  template <class Job>
  double sum(Job job) const {
    double sums[kMost] = {}, all = 0;
    each([&](std::size_t part, std::size_t begin, std::size_t end) { sums[part] = job(begin, end); });
    for (const double s : sums) all += s;
    return all;
  }

 private:
  std::size_t n_, count_;
  Team* team_;
};

// The beams between some pieces, and what each piece gives by its own.
class Beams {
 public:
  Beams(const std::vector<Node>& nodes, const std::vector<Beam>& beams, const Vec3& origin,
        const Loops& loops, Team* team);

  std::size_t size() const { return spans_.size(); }
  const Spans& spans() const { return spans_; }
  const Quick& quick(std::size_t beam) const { return quick_[beam]; }
  // Of a piece, the cut ones too.
  std::span<const std::uint32_t> of(std::size_t piece) const {
    return {of_.data() + first_[piece], first_[piece + 1] - first_[piece]};
  }
  double density() const { return density_; }  // kg/m3 of the volume that they fill, about

  void cut(std::uint32_t beam);
  // out += what the beam resists u with.
  void resistOne(std::uint32_t beam, const Sextets& u, Sextets& out) const {
    loops_.pull(quick_.data(), ends_.data(), beam, beam + 1, u.data(), out.data());
  }

  // Of StressSolver::keepOnly; `place`: of each node among those that stay, or kLeft. Returns how many beams
  // were cut that had not been.
  std::size_t keepOnly(std::span<const std::uint32_t> nodes, std::span<const std::uint32_t> place,
                       std::span<const std::uint32_t> beams);

  // out = K u + weight * M u, and 0 for what is fixed. Returns u.out.
  double resist(const std::vector<Node>& nodes, const Sextets& u, double weight, Sextets& out);

  // Makes the inverse blocks anew of pieces whose beams have changed, or of all for another weight.
  void invertOwn(const std::vector<Node>& nodes, double weight);
  const Block* own() const { return own_.data(); }

  // At the corners of each face.
  void readStresses(const Gives& u, Stresses& out) const;
  // Of some.
  void readStresses(const Gives& u, std::span<const std::uint32_t> some, Stresses& out) const;

 private:
  // A span's face: two axes in it, its normal, and where its corners are; and of the span what reading needs.
  struct Faced {
    Vec3 arm_a = Vec3::Zero(), arm_b = Vec3::Zero();
    double stiffness = 0;
    Vec3f u = Vec3f::Zero(), v = Vec3f::Zero(), normal = Vec3f::Zero();
    std::uint32_t first = 0, end = 0;
  };
  struct Corner {
    float u, v;  // m, along the face's axes
  };

  void addFace(const Face& f);
  Stress stressOf(const Gives& u, std::size_t k) const;
  void makeSums(std::size_t nodes);
  void findSpansOf(std::size_t nodes);
  void keepSpansOf(std::span<const std::uint32_t> nodes, std::span<const std::uint32_t> beams);
  void invert(const Node& node, std::size_t k);

  const Loops& loops_;
  Team* team_;
  Spans spans_;
  double density_ = 1;
  std::vector<Quick> quick_;  // a span
  std::vector<Ends> ends_;
  std::vector<Sextets> sums_;  // of all parts but the first
  std::vector<Faced> faces_;   // a span
  std::vector<Corner> corners_;
  std::vector<std::uint32_t> first_, of_;  // spans of piece k: of_[first_[k]] to before of_[first_[k + 1]]
  std::vector<Block> own_;                 // a piece
  std::vector<char> stale_;                // a piece: a beam of it was cut since its block was made
  double own_weight_ = -1;
};

}  // namespace drubble::bond
