// SPDX-License-Identifier: Apache-2.0
#include "core/solve/accounts.h"

#include <atomic>
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

Accounts::Accounts(const Bodies& bodies, const TraitsList& traits, const std::vector<char>& tied, Team* team)
    : all_(bodies.size()), team_(team) {
  each(bodies.size(), team_, [&](std::size_t i) {
    const ActiveBody& b = bodies[i];
    const Traits& t = traits[b.piece];
    Account& own = all_[i];
    own.kept = t.dynamic && !t.turnLocked() && (tied.empty() || tied[i] == 0);
    own.cornered = own.kept && !b.rounded && t.half_axes.isZero(0);
    own.size = t.outer_radius;
    const double way = kFar * t.inner_radius;
    own.far = own.kept ? way * way : std::numeric_limits<double>::infinity();
  });
}

bool Accounts::begin(const BodyRows& rows, double dt) {
  std::atomic<bool> any = false;
  each(all_.size(), team_, [&](std::size_t i) {
    double way = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const double x = static_cast<double>(rows[i].moved[k]) + dt * static_cast<double>(rows[i].velocity[k]);
      way += x * x;
    }
    Account& own = all_[i];
    own.open = false;
    own.astir = way > own.far;
    if (own.astir) any.store(true, std::memory_order_relaxed);
  });
  return any;
}

void Accounts::balance(Pass after, const PagedVector<Speeds>& loaded, const BodyRows& rows,
                       const TraitsList& traits, Bodies& bodies) {
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
    const Traits& t = traits[b.piece];
    const Vec3 in_body = b.start_turn.conjugate() * spin;
    const Vec3 momentum = b.start_turn * (t.inertia * in_body);
    b.spin += inverseInertiaWorld(t, b.turn) * (momentum + own.couple) - spin;
    own.couple.setZero();
  });
}

}  // namespace drubble::solve
