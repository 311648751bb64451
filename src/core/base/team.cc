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
  for (int i = 1; i < threads; ++i)
    workers_.emplace_back([this, worker = static_cast<std::size_t>(i)] { work(worker); });
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

void Team::runPart(std::size_t part) {
  if (part >= parts_) return;
  const FloatMode mode;
  try {
    (*job_)(part, n_ * part / parts_, n_ * (part + 1) / parts_);
  } catch (...) {
    failed_[part] = std::current_exception();
  }
}

void Team::work(std::size_t worker) {
  for (unsigned seen = 0;;) {
    waitWhile(round_, seen);
    seen = round_.load(std::memory_order_acquire);
    if (ending_) return;
    runPart(worker);
    if (busy_.fetch_sub(1, std::memory_order_acq_rel) == 1) busy_.notify_one();
  }
}

void Team::share(std::size_t n, std::size_t least, const Job& job) {
  n_ = n;
  parts_ = parts(n, least);
  if (parts_ == 1) {
    const FloatMode mode;
    return job(0, 0, n);
  }
  job_ = &job;
  busy_.store(workers_.size(), std::memory_order_relaxed);
  round_.fetch_add(1, std::memory_order_release);
  round_.notify_all();
  runPart(0);
  for (std::size_t left = busy_.load(std::memory_order_acquire); left != 0;
       left = busy_.load(std::memory_order_acquire))
    waitWhile(busy_, left);
  for (std::exception_ptr& f : failed_) {
    if (f == nullptr) continue;
    const std::exception_ptr thrown = f;
    for (std::exception_ptr& other : failed_) other = nullptr;
    std::rethrow_exception(thrown);
  }
}

}  // namespace drubble
