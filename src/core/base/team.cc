// SPDX-License-Identifier: Apache-2.0
#include "core/base/team.h"

#include "core/base/float_mode.h"

namespace drubble {

namespace {

// Spins for a while before it sleeps: the next piece of work is mostly near.
constexpr int kSpins = 4000;

template <class T>
void waitWhile(std::atomic<T>& x, T value) {
  for (int i = 0; i < kSpins; ++i) {
    if (x.load(std::memory_order_acquire) != value) return;
    __builtin_ia32_pause();
  }
  while (x.load(std::memory_order_acquire) == value) x.wait(value, std::memory_order_acquire);
}

}  // namespace

Team::Team(int threads) {
  for (int i = 1; i < threads; ++i) workers_.emplace_back([this] { work(); });
  failed_.resize(workers_.size() + 1);
}

Team::~Team() {
  ending_ = true;
  round_.fetch_add(1, std::memory_order_release);
  round_.notify_all();
  for (std::thread& t : workers_) t.join();
}

std::size_t Team::parts(std::size_t n, std::size_t least) const {
  const std::size_t most = least > 0 ? n / least : n;
  const std::size_t all = workers_.size() + 1;
  return most < 1 ? 1 : most < all ? most : all;
}

void Team::runPart(std::size_t part, std::size_t parts) {
  const FloatMode mode;
  try {
    (*job_)(part, n_ * part / parts, n_ * (part + 1) / parts);
  } catch (...) {
    failed_[part] = std::current_exception();
  }
}

// A part that is taken in a round keeps the caller in that round: what the job reads stays.
void Team::takeParts(unsigned round) {
  for (;;) {
    std::uint64_t claims = claims_.load(std::memory_order_acquire);
    const std::size_t parts = claims >> 16 & 0xffff, next = claims & 0xffff;
    if (claims >> 32 != round || next >= parts) return;
    if (!claims_.compare_exchange_weak(claims, claims + 1, std::memory_order_acq_rel)) continue;
    runPart(next, parts);
    if (done_.fetch_add(1, std::memory_order_acq_rel) + 1 == parts) done_.notify_one();
  }
}

void Team::work() {
  for (unsigned seen = 0;;) {
    waitWhile(round_, seen);
    seen = round_.load(std::memory_order_acquire);
    if (ending_) return;
    takeParts(seen);
  }
}

void Team::share(std::size_t n, std::size_t least, const Job& job) {
  const std::size_t count = parts(n, least);
  if (count == 1) {
    const FloatMode mode;
    return job(0, 0, n);
  }
  n_ = n;
  job_ = &job;
  done_.store(0, std::memory_order_relaxed);
  const unsigned round = round_.load(std::memory_order_relaxed) + 1;
  claims_.store(static_cast<std::uint64_t>(round) << 32 | count << 16, std::memory_order_release);
  round_.store(round, std::memory_order_release);
  round_.notify_all();
  takeParts(round);
  for (std::size_t done = done_.load(std::memory_order_acquire); done != count;
       done = done_.load(std::memory_order_acquire))
    waitWhile(done_, done);
  for (std::exception_ptr& f : failed_) {
    if (f == nullptr) continue;
    const std::exception_ptr thrown = f;
    for (std::exception_ptr& other : failed_) other = nullptr;
    std::rethrow_exception(thrown);
  }
}

}  // namespace drubble
