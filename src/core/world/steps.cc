// SPDX-License-Identifier: Apache-2.0
// How finely time is cut.
#include <algorithm>
#include <array>
#include <cmath>

#include "core/solve/joint_pieces.h"
#include "core/solve/links.h"
#include "core/solve/spring.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

// Limits of what may happen within one substep, for a piece on its own and for one that is in touch with
// others: geometry is looked at once a substep, and must not have changed much by its end.
constexpr double kFreeTravel = 1.5;   // of the inner radius
constexpr double kTouchTravel = 0.3;  // of the inner radius
constexpr double kBendTravel = 0.5;   // of the inner radius: what a bending surface may come nearer
constexpr int kMostSubsteps = 128;
constexpr int kMostIterations = 8;
constexpr int kMostOnFaces = 16;  // where faces of fragments bear, another look tells nothing new
constexpr double kRamSize = 2;    // times the smallest piece's inner radius
constexpr std::size_t kMostRams = 16;
constexpr std::size_t kMovingWorthAThread = 512, kTouchesWorthAThread = 512;

// How fast its outside changes place by turning: something round looks the same however it turns about its
// axis.
double rimSpeed(const solve::Traits& t, const Quat& turn, const Vec3& spin) {
  if (t.roundness == shape::Roundness::Ball) return 0;
  const bool axis = t.roundness == shape::Roundness::Axis;
  return (axis ? (turn * t.round_axis).cross(spin) : spin).norm() * t.outer_radius;
}

// Of the frame that has begun, at its slowest clock.
double frameSeconds(const World& w) {
  return greatest(w.scene().frameSeconds(w.frame()), w.scene().frameSeconds(w.frame() + 1));
}

// The fastest surface of a bending mesh that may come by within the frame, a piece.
std::vector<double> bendSpeeds(const World& w) {
  std::vector<double> speeds(w.motion().size(), 0);
  for (const std::uint32_t j : w.bendingPieces()) {
    const double speed = w.bendSpeed(j);
    if (speed == 0) continue;
    const Box box = shape::boundsAt(w.shapeOf(j), w.motion().pose(j)).grown(speed * frameSeconds(w));
    for (std::size_t i = 0; i < speeds.size(); ++i)
      if (w.sleepOf(i) == Sleep::Awake &&
          box.grown(w.traits()[i].outer_radius).contains(w.motion().position[i]))
        speeds[i] = greatest(speeds[i], speed);
  }
  return speeds;
}

// What is about to go into smaller things at speed: they ask for as fine steps as if it touched them.
struct Ram {
  std::size_t piece = 0;
  double push = 0;  // kg m/s; of what is driven, its speed alone, before all others
  bool driven = false;
};

// The few that push hardest, of those that come far for the smallest thing there is.
std::vector<Ram> ramsOf(const World& w, double smallest) {
  const solve::Motion& motion = w.motion();
  const double frame = frameSeconds(w);
  std::vector<Ram> out;
  for (std::size_t i = 0; i < motion.size(); ++i) {
    const bool driven = w.sleepOf(i) == Sleep::Driven;
    const solve::Traits& t = w.traits()[i];
    if (!driven && (w.sleepOf(i) != Sleep::Awake || t.inner_radius < kRamSize * smallest)) continue;
    const double speed = motion.velocity[i].norm() + motion.spin[i].norm() * t.outer_radius;
    if (speed * frame > kTouchTravel * smallest)
      out.push_back({i, driven ? speed : speed * t.mass(), driven});
  }
  const auto harder = [](const Ram& a, const Ram& b) {
    return a.driven != b.driven ? a.driven : a.push != b.push ? a.push > b.push : a.piece < b.piece;
  };
  const std::size_t most = std::min(kMostRams, out.size());
  std::partial_sort(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(most), out.end(), harder);
  out.resize(most);
  return out;
}

// Those whose heavy loads are found with their joints, however coarse the step; empty without joints.
std::vector<char> jointedPieces(const std::vector<solve::Joint>& joints,
                                const std::vector<solve::JointState>& states, std::size_t pieces) {
  std::vector<char> out(joints.empty() ? 0 : pieces, 0);
  for (std::size_t k = 0; k < joints.size(); ++k)
    if (!states[k].broken) solve::eachPiece(joints[k], [&](std::size_t i) { out[i] = 1; });
  return out;
}

// What the pieces and their touches ask for, a frame; the first that asks for most is named.
struct Wish {
  double steps = 2;
  Asks asks = Asks::Nothing;
  PieceId asking;

  void raise(double wanted, Asks why, PieceId piece) {
    if (steps < wanted) *this = {wanted, why, piece};
  }
  void raise(const Wish& other) { raise(other.steps, other.asks, other.asking); }
};
struct Wanted {
  Wish substeps, internal;
  Wish rolling;  // internal steps of contacts whose places and normals change as pieces rock and roll
};

}  // namespace

const char* asksName(Asks a) {
  static constexpr std::array<const char*, 7> kNames = {"",     "travel",  "sliding",  "bending",
                                                        "load", "turning", "springing"};
  return kNames[static_cast<std::size_t>(a)];
}

Steps chooseSteps(World& w) {
  const Scene& s = w.scene_;
  Steps out{s.solver.substeps, s.solver.iterations, Asks::Nothing, {}};
  if (out.substeps > 0 && out.iterations > 0) return out;
  const double frame = frameSeconds(w), gravity = s.gravity.norm();
  const std::vector<double> bends = w.bending_pieces_.empty() ? std::vector<double>() : bendSpeeds(w);
  const std::vector<char> jointed = jointedPieces(w.joints_, w.joint_states_, w.motion_.size());
  std::vector<Wanted> parts(static_cast<std::size_t>(w.team_.size()));
  const auto internalFor = [&](const solve::Traits& t, double weights) {
    if (!(gravity > 0)) return 0.0;
    const double stiffer = solve::stiffening(weights);
    return frame * solve::stepsForRate(t.spring_rate) * (stiffer > 1 ? stiffer / solve::kStiffened : 1);
  };
  w.team_.share(
      w.motion_.size(), kMovingWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
        Wanted& x = parts[part];
        for (std::size_t i = begin; i < end; ++i) {
          if (w.sleep_[i] != Sleep::Awake) continue;
          const solve::Traits& t = w.bodyTraits(i);
          const double travel = w.motion_.velocity[i].norm() * frame;
          const PieceId piece(i);
          x.substeps.raise((travel + w.pullOn(i) * frame * frame) / (kFreeTravel * t.inner_radius),
                           Asks::Travel, piece);
          if (!bends.empty())
            x.substeps.raise(bends[i] * frame / (kBendTravel * t.inner_radius), Asks::Bending, piece);
          const double steps = internalFor(t, 1);
          x.internal.raise(steps, Asks::Load, piece);
          if (w.fragment_[i] == 0) x.rolling.raise(steps, Asks::Load, piece);
        }
      });
  // How fast touching pieces move past each other. Over a plane geometry stays as it is however fast the
  // motion, but for an ellipsoid that rolls. And what a contact bears, in weights of the piece: what stands
  // on it comes to.
  w.team_.share(
      w.touches_.size(), kTouchesWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
        Wanted& x = parts[part];
        for (std::size_t n = begin; n < end; ++n) {
          const Touch& touch = w.touches_[n];
          const std::uint32_t a = touch.a, b = touch.b;
          const shape::Kind ka = w.kinds_[a], kb = w.kinds_[b];
          const bool on_plane = ka == shape::Kind::Plane || kb == shape::Kind::Plane;
          const bool still = on_plane && ka != shape::Kind::Ellipsoid && kb != shape::Kind::Ellipsoid;
          // As a whole; and where they touch, where what turns comes round by its thickness. Either is
          // enough.
          double speed = on_plane ? 0 : (w.motion_.velocity[a] - w.motion_.velocity[b]).norm(), turning = 0;
          for (const std::size_t i : {a, b}) {
            if (still || !w.traits_[i].dynamic) continue;
            speed += rimSpeed(w.traits_[i], w.motion_.turn[i], w.motion_.spin[i]);
            turning += w.motion_.spin[i].norm() * w.traits_[i].inner_radius;
          }
          // A contact is long: only where it may matter.
          if (!on_plane && speed * frame > kTouchTravel * w.smallest_core_)
            speed = least(speed, w.slipOf(w.contacts_[n]) + turning);
          if (!bends.empty()) speed += w.bendSpeed(a) + w.bendSpeed(b);
          const bool fragments = w.fragment_[a] != 0 || w.fragment_[b] != 0;
          for (const std::size_t i : {a, b}) {
            const solve::Traits& t = w.traits_[i];
            if (w.sleep_[i] != Sleep::Awake) continue;
            if (!still)
              x.substeps.raise(speed * frame / (kTouchTravel * t.inner_radius), Asks::Sliding, PieceId(i));
            const solve::Traits& whole = w.bodyTraits(i);
            if (!(whole.weight > 0)) continue;
            if (!jointed.empty() && jointed[i] &&
                static_cast<double>(touch.force) / whole.weight >= solve::kPressed)
              continue;
            const double steps = internalFor(whole, static_cast<double>(touch.graded) / whole.weight);
            x.internal.raise(steps, Asks::Load, PieceId(i));
            if (steps > x.rolling.steps && (!fragments || w.contacts_[n].patch.count < solve::kFace))
              x.rolling.raise(steps, Asks::Load, PieceId(i));
          }
        }
      });
  Wish coarse, fine, rolling;
  for (const Ram& ram : ramsOf(w, w.smallest_core_)) {
    const Box way = w.sweptBox(ram.piece, frame);
    w.team_.share(w.motion_.size(), kMovingWorthAThread,
                  [&](std::size_t part, std::size_t begin, std::size_t end) {
                    for (std::size_t i = begin; i < end; ++i) {
                      const solve::Traits& t = w.traits_[i];
                      if (i == ram.piece || !t.dynamic || !w.scene_.pieces[i].collide) continue;
                      if (!way.grown(t.outer_radius).contains(w.motion_.position[i])) continue;
                      if (t.inner_radius * kRamSize > w.traits_[ram.piece].inner_radius) continue;
                      if (!w.rules_.collide(std::min(i, ram.piece), std::max(i, ram.piece))) continue;
                      const double speed = (w.motion_.velocity[i] - w.motion_.velocity[ram.piece]).norm();
                      parts[part].substeps.raise(speed * frame / (kTouchTravel * t.inner_radius),
                                                 Asks::Sliding, PieceId(i));
                    }
                  });
  }
  for (const Wanted& x : parts) coarse.raise(x.substeps), fine.raise(x.internal), rolling.raise(x.rolling);
  const JointRate joints = w.jointRate();
  fine.raise(joints.rate * frame, joints.asks, joints.asking);
  rolling.raise(joints.rate * frame, joints.asks, joints.asking);
  Wish wanted = coarse;
  wanted.raise(fine.steps / kMostOnFaces, fine.asks, fine.asking);
  wanted.raise(rolling.steps / kMostIterations, rolling.asks, rolling.asking);
  int n = 2;
  while (n < wanted.steps && n < kMostSubsteps) n *= 2;
  const int scaled = static_cast<int>(n * s.solver.quality + 0.5);
  if (out.substeps == 0) out.substeps = scaled < 2 ? 2 : scaled;
  // Fewer substeps look at geometry less often; springs are followed as closely as ever.
  const double steps = std::ceil(fine.steps / least(n, out.substeps));
  const int most = 2 * (fine.steps > rolling.steps ? kMostOnFaces : kMostIterations);
  if (out.iterations == 0) out.iterations = static_cast<int>(clamped(steps, 2, most));
  const Wish& why = n > 2 ? wanted : fine;
  out.asks = why.asks;
  out.asking = why.asking;
  return out;
}

}  // namespace drubble::world
