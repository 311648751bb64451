// SPDX-License-Identifier: Apache-2.0
#include "core/world/predict.h"

#include <algorithm>
#include <cmath>

#include "core/collide/pairs.h"
#include "core/world/pair_rules.h"

namespace drubble::world {

namespace {

class Predictor {
 public:
  Predictor(const Scene& s, const Mover& m, double last)
      : s_(s), m_(m), last_(last), rules_(s), mine_(s.prototypeOf(m.piece.index()).shape) {}

  std::optional<PredictedHit> run() {
    findOthers();
    for (double frame = s_.first_frame; frame < last_;) {
      const double next = least(frame + stepFrom(frame), last_);
      if (const std::optional<PieceId> other = metBetween(frame, next)) return refined(frame, next, *other);
      frame = next;
    }
    return {};
  }

 private:
  struct Other {
    PieceId piece;
    Box box;
  };

  bool touches(PieceId other, double frame) const {
    return collide::overlapDepth(mine_, s_.moverPose(m_, frame), s_.prototypeOf(other.index()).shape,
                                 s_.pieces[other.index()].start) > 0;
  }

  void findOthers() {
    for (std::size_t i = 0; i < s_.pieces.size(); ++i) {
      const std::size_t me = m_.piece.index();
      if (i == me || !s_.pieces[i].collide || !rules_.collide(std::min(i, me), std::max(i, me))) continue;
      if (s_.pieces[i].role == Role::Kinematic) continue;
      const shape::Shape& shape = s_.prototypeOf(i).shape;
      const double thick = 2 * (shape.inner_radius > 0 ? shape.inner_radius : mine_.inner_radius);
      if (!touches(PieceId(i), s_.first_frame))
        others_.push_back({PieceId(i), boundsAt(shape, s_.pieces[i].start)});
      thinnest_ = least(thinnest_, thick);
    }
    if (mine_.inner_radius > 0) thinnest_ = least(thinnest_, 2 * mine_.inner_radius);
    if (!std::isfinite(thinnest_) || thinnest_ <= 0) thinnest_ = 0.1 * mine_.bounds.size().maxCoeff();
  }

  // Frames until the mover has gone half the thinnest thing's way, at most a quarter frame.
  double stepFrom(double frame) const {
    const Pose a = s_.moverPose(m_, frame), b = s_.moverPose(m_, frame + 0.25);
    const double way =
        (b.position - a.position).norm() + turnBetween(a.turn, b.turn).norm() * mine_.outer_radius;
    return 0.25 / std::ceil(clamped(way / (0.25 * thinnest_), 1, 400));
  }

  std::optional<PieceId> metBetween(double, double to) const {
    const Box box = boundsAt(mine_, s_.moverPose(m_, to));
    for (const Other& o : others_)
      if (box.overlaps(o.box) && touches(o.piece, to)) return o.piece;
    return {};
  }

  PredictedHit refined(double from, double to, PieceId other) const {
    while (to - from > 1e-3) {
      const double middle = 0.5 * (from + to);
      (touches(other, middle) ? to : from) = middle;
    }
    const Pose a = s_.moverPose(m_, from - 0.01), b = s_.moverPose(m_, from);
    return {to, other, (b.position - a.position).norm() / (0.01 * s_.frameSeconds(to))};
  }

  const Scene& s_;
  const Mover& m_;
  double last_;
  PairRules rules_;
  const shape::Shape& mine_;
  std::vector<Other> others_;
  double thinnest_ = std::numeric_limits<double>::infinity();
};

}  // namespace

std::optional<PredictedHit> predictHit(const Scene& s, const Mover& m, double last) {
  return Predictor(s, m, last).run();
}

}  // namespace drubble::world
