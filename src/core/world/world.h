// SPDX-License-Identifier: Apache-2.0
// The pieces' state and how a frame advances it.
//
// Data in: a Scene. Data out: motion in world space (SI), one entry a piece, after each frame.
// I1 a substep is proposed, judged, and only then committed: a refused one leaves the world as it was.
// I2 the state depends on the scene and the number of frames only: not on the machine, the build, or whether
// it was saved
//    and restored in between.
// I3 contacts are sorted by their pieces; each pair's stand together.
// Not thread safe. Cost: mostly the pair tests, once a substep, then the contact sweeps, twice an internal
// step.
#pragma once
#include <cstdint>
#include <vector>

#include "core/base/bytes.h"
#include "core/solve/contact.h"
#include "core/solve/impact.h"
#include "core/world/scene.h"

namespace drubble::world {

enum class Sleep : std::uint8_t { Awake, Asleep, Fixed };  // Fixed: static pieces

struct FrameStats {
  int frame = 0;
  int substeps = 0, iterations = 0;
  std::uint32_t awake = 0, asleep = 0, contacts = 0;
  double kinetic = 0, potential = 0;  // J
};

// Progress and cancelling; asked once a substep.
class Watcher {
 public:
  virtual ~Watcher() = default;
  virtual bool cancelled() { return false; }
};

class World {
 public:
  explicit World(const Scene& scene);

  const Scene& scene() const { return scene_; }
  int frame() const { return frame_; }
  const solve::Motion& motion() const { return motion_; }
  const std::vector<solve::Traits>& traits() const { return traits_; }
  Sleep sleepOf(std::size_t piece) const { return sleep_[piece]; }
  const solve::Contacts& contacts() const { return contacts_; }
  const std::vector<solve::Hit>& hits() const { return hits_; }  // of the last frame, in order

  // Throws Error(Diverged) naming the piece, or Error(Cancelled); the state is then that of the last good
  // substep.
  FrameStats advance(Watcher& watcher);
  FrameStats stats() const;

  // A digest of all motion: positions, turns, velocities, spins and sleep of every piece, in order.
  std::uint64_t digest() const;

  Bytes save() const;
  void restore(const Bytes& bytes);  // of a world with the same scene

  std::string whyInvalid() const;

 private:
  struct Rest {  // since when, and from where, a piece has hardly moved
    Vec3 position = Vec3::Zero();
    Quat turn = Quat::Identity();
    double seconds = 0;
  };

  void substep(double h, int iterations);
  void findStartLoads();
  std::vector<Box> sweptBoxes(double h) const;
  double reach(std::size_t a, std::size_t b, double h) const;
  solve::Contacts findContacts(double h) const;
  bool wakeForContacts(const solve::Contacts& contacts, double h);
  void wake(std::size_t piece);
  void wakeWithNeighbours(std::size_t piece);
  void wakeForForces();
  void updateRest(double h);
  void fallAsleep();
  void activate();
  bool awake(std::size_t piece) const { return sleep_[piece] == Sleep::Awake; }
  double restSpeedOf(std::size_t piece) const;

  const Scene& scene_;
  std::vector<solve::Traits> traits_;

  // What has history; all of it is in the checkpoint.
  int frame_ = 0;
  bool started_ = false;
  solve::Motion motion_;
  std::vector<Sleep> sleep_;
  std::vector<Rest> rest_;
  solve::Contacts contacts_;

  // Made anew in every substep.
  std::vector<std::uint32_t> active_, body_of_;
  std::vector<solve::Hit> hits_;
};

// How finely a frame would be cut by the state as it is now: a power of two, times the quality.
struct Steps {
  int substeps = 4, iterations = 8;
};
Steps chooseSteps(const World& w);

}  // namespace drubble::world
