// SPDX-License-Identifier: Apache-2.0
// A fixed team of threads that share out ranges. Shares depend on the range and the team's size only; what is
// done with them must not depend on either. Whoever is free takes the next share, so that on a busy machine
// the caller does not wait for a thread that has not come to run.
#pragma once
#include <atomic>
#include <cstddef>
#include <cstdint>
#include <exception>
#include <functional>
#include <thread>
#include <vector>

namespace drubble {

class Team {
 public:
  // The caller is one of them; 1: everything happens in the caller.
  explicit Team(int threads = 1);
  ~Team();
  Team(const Team&) = delete;
  Team& operator=(const Team&) = delete;

  int size() const { return static_cast<int>(workers_.size()) + 1; }

  // How many parts `n` things are cut into when a part of fewer than `least` is not worth a thread.
  std::size_t parts(std::size_t n, std::size_t least) const;

  // Calls job(part, begin, end) for every part of [0, n), each once, at the same time; returns when all are
  // done. Floating point is in the mode of FloatMode in each. Throws what a job throws, the first part's
  // first. Not to be called from within a job.
  using Job = std::function<void(std::size_t part, std::size_t begin, std::size_t end)>;
  void share(std::size_t n, std::size_t least, const Job& job);

 private:
  void work();
  void takeParts(unsigned round);
  void runPart(std::size_t part, std::size_t parts);

  std::vector<std::thread> workers_;
  std::atomic<unsigned> round_{0};        // a new value: there is work
  std::atomic<std::uint64_t> claims_{0};  // round << 32 | parts << 16 | the next part that nobody has taken
  std::atomic<std::size_t> done_{0};      // parts
  std::atomic<bool> ending_{false};
  const Job* job_ = nullptr;
  std::size_t n_ = 0;
  std::vector<std::exception_ptr> failed_;
};

// By the team, or without one by the caller.
inline void shareOrAlone(Team* team, std::size_t n, std::size_t least, const Team::Job& job) {
  if (team != nullptr)
    team->share(n, least, job);
  else
    job(0, 0, n);
}

}  // namespace drubble
