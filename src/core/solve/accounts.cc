// SPDX-License-Identifier: Apache-2.0
#include "core/solve/accounts.h"

#include <atomic>
#include <cmath>
#include <limits>

#include "core/solve/flight.h"

namespace drubble::solve {

namespace {

constexpr double kFar = 0.02;  // of the inner radius, in a substep
constexpr std::size_t kAccountsWorthAThread = 256;

template <class Visit>
void each(std::size_t bodies, Team* team, Visit visit) {
  shareOrAlone(team, bodies - 1, kAccountsWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) visit(i + 1);
  });
}

// Whether its contacts stay where they are on it as it turns.
bool cornered(const ActiveBody& b, const Traits& t) { return !b.rounded && t.half_axes.isZero(0); }

}  // namespace

Given given(const Speeds& loaded, const BodyRow& now) {
  Given g;
  for (int k = 0; k < 3; ++k) {
    // Plus 0: never -0, which may or may not come out of a sum of nothings.
    g.velocity[k] = static_cast<double>(now.velocity[k] - loaded.velocity[k]) + 0.0;
    g.spin[k] = static_cast<double>(now.spin[k] - loaded.spin[k]) + 0.0;
  }
  return g;
}

Accounts::Accounts(const Bodies& bodies, const TraitsList& traits, std::vector<char> tied, Team* team)
    : bodies_(bodies), traits_(traits), tied_(std::move(tied)), team_(team) {
  addUnset(far_, bodies.size());
  std::atomic<bool> any = false;
  each(bodies.size(), team_, [&](std::size_t i) {
    const Traits& t = traits_[bodies_[i].piece];
    const auto way = static_cast<float>(kFar * t.inner_radius);
    const bool kept = t.dynamic && !t.turnLocked() && (tied_.empty() || tied_[i] == 0);
    far_[i] = kept ? way * way : std::numeric_limits<float>::infinity();
    if (kept && cornered(bodies_[i], t)) any.store(true, std::memory_order_relaxed);
  });
  any_cornered_ = any;
}

void Accounts::make() {
  all_.resize(far_.size());
  each(all_.size(), team_, [&](std::size_t i) {
    const ActiveBody& b = bodies_[i];
    const Traits& t = traits_[b.piece];
    all_[i].kept = std::isfinite(far_[i]);
    all_[i].cornered = all_[i].kept && cornered(b, t);
    all_[i].size = t.outer_radius;
  });
}

bool Accounts::begin(const BodyRows& rows, double dt) {
  if (!any_cornered_) return false;
  const auto step = static_cast<float>(dt);
  const auto comesFar = [&](std::size_t i) {
    float way = 0;
    for (int k = 0; k < 3; ++k) {
      const float x = rows[i].moved[k] + step * rows[i].velocity[k];
      way += x * x;
    }
    return way > far_[i];
  };
  std::atomic<bool> any = false;
  each(far_.size(), team_, [&](std::size_t i) {
    if (comesFar(i)) any.store(true, std::memory_order_relaxed);
  });
  if (!any) return false;
  if (all_.empty()) make();
  each(all_.size(), team_, [&](std::size_t i) {
    all_[i].open = false;
    all_[i].astir = comesFar(i);
  });
  return true;
}

void Accounts::balance(Pass after, const PagedVector<Speeds>& loaded, const BodyRows& rows, Bodies& bodies) {
  each(all_.size(), team_, [&](std::size_t i) {
    Account& own = all_[i];
    if (!own.open) return;
    ActiveBody& b = bodies[i];
    const Given g = given(loaded[i], rows[i]);
    Vec3 spin = g.spin;
    if (after == Pass::PushOut) {
      own.first_spin = spin;
      own.impulse.setZero();
    } else {
      spin -= own.first_spin;
      b.velocity += b.inverse_mass.cwiseProduct(own.impulse) - g.velocity;
    }
    const Traits& t = traits_[b.piece];
    const Vec3 in_body = b.start_turn.conjugate() * spin;
    const Vec3 momentum = b.start_turn * (t.inertia * in_body);
    b.spin += inverseInertiaWorld(t, b.turn) * (momentum + own.couple) - spin;
    own.couple.setZero();
  });
}

}  // namespace drubble::solve
