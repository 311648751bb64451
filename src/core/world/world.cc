// SPDX-License-Identifier: Apache-2.0
#include "core/world/world.h"

#include <algorithm>
#include <cmath>

#include "core/base/float_mode.h"
#include "core/base/random.h"
#include "core/solve/spring.h"
#include "core/solve/substep.h"

namespace drubble::world {

World::World(const Scene& scene) : scene_(scene), frame_(scene.first_frame) {
  for (const Piece& p : scene.pieces) {
    solve::Traits t = scene.prototypes[p.prototype.index()].traits;
    if (p.role == Role::Static) t.dynamic = false, t.inverse_mass = 0;
    t.weight = t.mass() * scene.gravity.norm();
    t.spring_rate = solve::springRate(t.size, scene.gravity.norm());
    traits_.push_back(t);
    motion_.position.push_back(p.start.position);
    motion_.turn.push_back(p.start.turn.normalized());
    motion_.velocity.push_back(t.dynamic ? p.velocity : Vec3(Vec3::Zero()));
    motion_.spin.push_back(t.dynamic ? p.spin : Vec3(Vec3::Zero()));
    sleep_.push_back(t.dynamic ? Sleep::Awake : Sleep::Fixed);
    rest_.push_back({p.start.position, p.start.turn, 0});
  }
}

double World::restSpeedOf(std::size_t piece) const {
  if (scene_.solver.sleep_speed >= 0) return scene_.solver.sleep_speed;
  return solve::restSpeed(traits_[piece].size, scene_.gravity.norm());
}

void World::activate() {
  active_.clear();
  body_of_.assign(motion_.size(), 0);
  for (std::uint32_t i = 0; i < motion_.size(); ++i) {
    if (!awake(i)) continue;
    active_.push_back(i);
    body_of_[i] = u32(active_.size());
  }
}

namespace {

constexpr int kLoadSweeps = 300;

// A state that no shot can want: not a number, or so fast that it must be a fault.
bool absurd(const solve::ActiveBody& b) {
  return !b.position.allFinite() || !b.velocity.allFinite() || !b.spin.allFinite() ||
         !b.turn.coeffs().allFinite() || b.velocity.squaredNorm() > 1e10 || b.position.squaredNorm() > 1e14;
}

}  // namespace

void World::substep(double h, int iterations) {
  solve::Contacts contacts = findContacts(h);
  // A woken piece needs its own reach; each round wakes at least one more, and few need a second.
  while (wakeForContacts(contacts, h)) contacts = findContacts(h);
  activate();
  const solve::SubstepInput in{traits_, motion_, active_, body_of_, scene_.gravity, h, iterations};
  solve::Proposal p = solve::solveSubstep(in, std::move(contacts));
  for (std::size_t k = 1; k < p.bodies.size(); ++k) {
    if (!absurd(p.bodies[k])) continue;
    throw Error(ErrorKind::Diverged,
                "piece '" + scene_.pieces[p.bodies[k].piece].name + "' flew apart after frame " +
                    std::to_string(frame_) +
                    ": try more substeps, and look for overlaps at the start with 'check'");
  }
  for (std::size_t k = 1; k < p.bodies.size(); ++k) {
    const solve::ActiveBody& b = p.bodies[k];
    motion_.position[b.piece] = b.position;
    motion_.turn[b.piece] = b.turn;
    motion_.velocity[b.piece] = b.velocity;
    motion_.spin[b.piece] = b.spin;
  }
  contacts_ = std::move(p.contacts);
  hits_.insert(hits_.end(), p.hits.begin(), p.hits.end());
  wakeForForces();
  updateRest(h);
  fallAsleep();
}

// What stands at the start carries its load from the first moment on: forces are found before anything moves.
void World::findStartLoads() {
  const Steps steps = chooseSteps(*this);
  const double h = scene_.frameSeconds() / steps.substeps;
  contacts_ = findContacts(h);
  activate();
  const solve::SubstepInput in{traits_, motion_, active_, body_of_, scene_.gravity, h, steps.iterations};
  solve::findLoads(in, kLoadSweeps, contacts_);
  started_ = true;
}

namespace {

// The longest cut of at most 1/substeps that starts on a multiple of itself and ends within the frame.
double alignedShare(double done, int substeps) {
  double share = 1;
  while (share * substeps > 1) share *= 0.5;
  const auto fits = [&](double s) {
    const double cuts = done / s;
    return std::floor(cuts) == cuts;
  };
  while (!fits(share)) share *= 0.5;
  return share;
}

}  // namespace

FrameStats World::advance(Watcher& watcher) {
  const FloatMode mode;
  if (!started_) findStartLoads();
  hits_.clear();
  FrameStats out;
  // The frame is cut as the state asks for at each moment; every cut falls on a multiple of its own length,
  // so that a finer one never outlasts its cause.
  const double frame = scene_.frameSeconds();
  double done = 0;  // share of the frame; exact, a sum of powers of two, with automatic substeps
  for (int k = 0; done < 1; ++k) {
    if (watcher.cancelled())
      throw Error(ErrorKind::Cancelled, "stopped in frame " + std::to_string(frame_ + 1));
    const Steps steps = chooseSteps(*this);
    double share = 1.0 / steps.substeps;
    if (scene_.solver.substeps > 0)
      done = k + 1 == steps.substeps ? 1 : (k + 1) * share;
    else
      done += share = alignedShare(done, steps.substeps);
    substep(share * frame, steps.iterations);
    ++out.substeps;
    out.iterations = std::max(out.iterations, steps.iterations);
  }
  ++frame_;
  const int substeps = out.substeps, iterations = out.iterations;
  out = stats();
  out.substeps = substeps;
  out.iterations = iterations;
  return out;
}

FrameStats World::stats() const {
  FrameStats out;
  out.frame = frame_;
  out.contacts = u32(contacts_.size());
  for (std::size_t i = 0; i < motion_.size(); ++i) {
    const solve::Traits& t = traits_[i];
    out.awake += sleep_[i] == Sleep::Awake;
    out.asleep += sleep_[i] == Sleep::Asleep;
    if (!t.dynamic) continue;
    const Vec3 spin_body = motion_.turn[i].conjugate() * motion_.spin[i];
    out.kinetic +=
        0.5 * t.mass() * motion_.velocity[i].squaredNorm() + 0.5 * spin_body.dot(t.inertia * spin_body);
    out.potential -= t.mass() * t.gravity_share * scene_.gravity.dot(motion_.position[i]);
  }
  return out;
}

std::uint64_t World::digest() const {
  Digest d;
  for (std::size_t i = 0; i < motion_.size(); ++i) {
    d.add(motion_.position[i]);
    for (const double x :
         {motion_.turn[i].w(), motion_.turn[i].x(), motion_.turn[i].y(), motion_.turn[i].z()})
      d.add(x);
    d.add(motion_.velocity[i]);
    d.add(motion_.spin[i]);
    d.add(static_cast<std::uint64_t>(sleep_[i]));
  }
  return d.value();
}

std::string World::whyInvalid() const {
  for (std::size_t i = 1; i < contacts_.size(); ++i)
    if (std::pair(contacts_[i].a, contacts_[i].b) < std::pair(contacts_[i - 1].a, contacts_[i - 1].b))
      return "I3: contacts out of order at " + std::to_string(i);
  for (const solve::Contact& c : contacts_)
    if (!(c.a < c.b) || c.patch.count < 1 || c.patch.count > 4)
      return "I3: a contact of a piece with itself, or empty";
  return {};
}

namespace {

// Limits of what may happen within one substep, for a piece on its own and for one that is in touch with
// others: geometry is looked at once a substep, and must not have changed much by its end.
constexpr double kFreeTravel = 1.5;   // of the inner radius
constexpr double kTouchTravel = 0.2;  // of the inner radius
constexpr int kMostSubsteps = 128;
constexpr int kMostIterations = 8;

// Pieces in touch with something round or cornered; over a plane geometry stays as it is however fast the
// motion.
std::vector<char> touchingPieces(const World& w) {
  std::vector<char> touching(w.motion().size(), 0);
  for (const solve::Contact& c : w.contacts())
    if (w.scene().prototypeOf(c.a.index()).shape.kind != shape::Kind::Plane &&
        w.scene().prototypeOf(c.b.index()).shape.kind != shape::Kind::Plane)
      touching[c.a.index()] = touching[c.b.index()] = 1;
  return touching;
}

// How fast its outside changes place by turning: something round looks the same however it turns about its
// axis.
double rimSpeed(const solve::Traits& t, const Quat& turn, const Vec3& spin) {
  if (t.roundness == shape::Roundness::Ball) return 0;
  const bool axis = t.roundness == shape::Roundness::Axis;
  return (axis ? (turn * t.round_axis).cross(spin) : spin).norm() * t.outer_radius;
}

// The most that any contact of a piece bears, in weights of the piece: what stands on it comes to.
std::vector<double> loadsBorne(const World& w) {
  std::vector<double> borne(w.motion().size(), 1);
  for (const solve::Contact& c : w.contacts())
    for (const PieceId p : {c.a, c.b})
      if (const double weight = w.traits()[p.index()].weight; weight > 0)
        borne[p.index()] = greatest(borne[p.index()], static_cast<double>(c.totalForce()) / weight);
  return borne;
}

}  // namespace

Steps chooseSteps(const World& w) {
  const Scene& s = w.scene();
  const double frame = s.frameSeconds(), gravity = s.gravity.norm();
  const std::vector<char> touching = touchingPieces(w);
  const std::vector<double> borne = loadsBorne(w);
  double wanted = 2, internal = 2;
  for (std::size_t i = 0; i < touching.size(); ++i) {
    if (w.sleepOf(i) != Sleep::Awake) continue;
    const solve::Traits& t = w.traits()[i];
    const double travel = w.motion().velocity[i].norm() * frame;
    const double rim = rimSpeed(t, w.motion().turn[i], w.motion().spin[i]) * frame;
    wanted = greatest(wanted, (travel + gravity * frame * frame) / (kFreeTravel * t.inner_radius));
    if (touching[i]) wanted = greatest(wanted, (travel + rim) / (kTouchTravel * t.inner_radius));
    if (gravity > 0)
      internal = greatest(internal, frame * solve::stepsForRate(t.spring_rate) * solve::stiffening(borne[i]));
  }
  wanted = greatest(wanted, internal / kMostIterations);
  int n = 2;
  while (n < wanted && n < kMostSubsteps) n *= 2;
  Steps out;
  out.iterations = s.solver.iterations > 0
                       ? s.solver.iterations
                       : std::clamp(static_cast<int>(std::ceil(internal / n)), 2, kMostIterations);
  const int scaled = static_cast<int>(n * s.solver.quality + 0.5);
  out.substeps = s.solver.substeps > 0 ? s.solver.substeps : (scaled < 2 ? 2 : scaled);
  return out;
}

}  // namespace drubble::world
