// SPDX-License-Identifier: Apache-2.0
#include "core/solve/passes.h"

#include <algorithm>
#include <cmath>

namespace drubble::solve {

namespace {

constexpr std::size_t kBlocksWorthAThread = 12;

// Visits the impulses of a block that are not 0 for sure: visit(which, row). `e`: where what resists rolling
// stands; none: nothing does.
template <class Visit>
void eachImpulse(ContactBlock& c, BlockExtra* e, Visit visit) {
  for (std::uint32_t k = 0; k < c.points; ++k) visit(static_cast<int>(k), c.point[k].impulse);
  visit(Impulses::kAlong, c.impulse_along);
  visit(Impulses::kAcross, c.impulse_across);
  visit(Impulses::kTwist, c.impulse_twist);
  if (e == nullptr) return;
  visit(Impulses::kRollAlong, e->impulse_roll_along);
  visit(Impulses::kRollAcross, e->impulse_roll_across);
}

// How a block's impulses change between sweeps.
struct Course {
  Impulses before{};     // at the sweep's start; then what the sweep did
  Impulses direction{};  // in which they go on
};

// What sweeps that go on work in, a block; grows to the longest list seen.
struct SweepRoom {
  std::vector<Course> course;
  std::vector<Impulses> on;
  std::vector<double> squares;

  void grow(std::size_t blocks) {
    if (squares.size() >= blocks) return;
    course.resize(blocks);
    on.resize(blocks);
    squares.resize(blocks);
  }
};

void remember(ContactBlock& c, BlockExtra* e, Course& x) {
  eachImpulse(c, e, [&](int k, const Row8& now) { x.before.row[k] = now; });
}

// `before` becomes the change; returns its square.
double changeOf(ContactBlock& c, BlockExtra* e, Course& x) {
  Row8 squares{};
  eachImpulse(c, e, [&](int k, const Row8& now) {
    Row8& old = x.before.row[k];
    for (int i = 0; i < kLanes; ++i) {
      old.x[i] = now.x[i] - old.x[i];
      squares.x[i] += old.x[i] * old.x[i];
    }
  });
  double sum = 0;
  for (const float v : squares.x) sum += static_cast<double>(v);
  return sum;
}

// Goes on by a share of the last direction, which is added to what the sweep did; `on`: by how much.
void goOn(ContactBlock& c, BlockExtra* e, Course& x, float share, Impulses& on) {
  if (e == nullptr) on.row[Impulses::kRollAlong] = on.row[Impulses::kRollAcross] = {};
  eachImpulse(c, e, [&](int k, Row8& now) {
    for (int i = 0; i < kLanes; ++i) {
      const float step = x.direction.row[k].x[i] * share;
      on.row[k].x[i] = step;
      now.x[i] += step;
      x.before.row[k].x[i] += step;
    }
    x.direction.row[k] = x.before.row[k];
  });
}

// What slides has one friction, what holds another.
void judge(ContactBlock& c, const BlockExtra& e) {
  constexpr float kSurely = 0.999f * 0.999f;
  Row8 load{};
  for (std::uint32_t k = 0; k < c.points; ++k)
    for (int i = 0; i < kLanes; ++i) load.x[i] += c.point[k].impulse.x[i];
  for (int i = 0; i < kLanes; ++i) {
    const float along = c.impulse_along.x[i], across = c.impulse_across.x[i],
                most = c.friction.x[i] * load.x[i];
    const bool holds = kSurely * most * most > along * along + across * across;
    c.friction.x[i] = holds ? e.friction_rest.x[i] : e.friction_slide.x[i];
  }
}

Vec3 laneOf(const Vec8& v, int i) {
  return {static_cast<double>(v.x.x[i]), static_cast<double>(v.y.x[i]), static_cast<double>(v.z.x[i])};
}

// N s, upon b, so far in this internal step.
Vec3 impulseOf(const ContactBlock& c, int i) {
  double load = 0;
  for (std::uint32_t k = 0; k < c.points; ++k) load += static_cast<double>(c.point[k].impulse.x[i]);
  const Vec3 normal = laneOf(c.normal, i), along = laneOf(c.along, i);
  return load * normal + static_cast<double>(c.impulse_along.x[i]) * along +
         static_cast<double>(c.impulse_across.x[i]) * normal.cross(along);
}

Vec3 difference(const float (&a)[3], const float (&b)[3]) {
  Vec3 out;
  for (int k = 0; k < 3; ++k) out[k] = static_cast<double>(b[k]) - static_cast<double>(a[k]);
  return out;
}

// How much of a pair's couple the first bears, of which one at least is cornered: what is round keeps the arm
// that it has. Those that have gone beyond each other no longer touch: the larger is pushed where the other
// is.
double shareOfFirst(const Account& first, const Account& second, bool beyond) {
  if (beyond) return first.size >= second.size ? 1 : 0;
  if (first.cornered && second.cornered) return 0.5;
  return first.cornered ? 1 : 0;
}

}  // namespace

template <class Do>
void Passes::eachColour(bool backward, Do one_range) {
  const std::size_t groups = list.groups.size() - 1;
  for (std::size_t n = 0; n < groups; ++n) {
    const std::size_t k = backward ? groups - 1 - n : n, begin = list.groups[k],
                      count = list.groups[k + 1] - begin;
    shareOrAlone(k < list.overflow ? engine.team : nullptr, count, kBlocksWorthAThread,
                 [&](std::size_t part, std::size_t from, std::size_t to) {
                   list.eachRange(rows, begin + from, begin + to, backward,
                                  [&](const BlockRange& r, std::size_t first) { one_range(r, first, part); });
                 });
  }
}

void Passes::sweep(Pass pass, bool moved) {
  const Sweep s{pass, static_cast<float>(1 / dt), moved, false};
  eachColour(false, [&](const BlockRange& r, std::size_t, std::size_t) { engine.kernel->sweep(r, s); });
}

double Passes::measuredSweep(Pass pass, bool moved, bool backward) {
  const Sweep s{pass, static_cast<float>(1 / dt), moved, backward};
  std::vector<float> worst(engine.team != nullptr ? static_cast<std::size_t>(engine.team->size()) : 1, 0.0f);
  eachColour(backward, [&](const BlockRange& r, std::size_t, std::size_t part) {
    worst[part] = std::max(worst[part], engine.kernel->measuredSweep(r, s));
  });
  float most = 0;
  for (const float w : worst) most = std::max(most, w);
  return static_cast<double>(most);
}

// Returns by how much (m/s) the worst of them was wrong.
double Passes::solveJoints(double enough) {
  double worst = 0;
  for (JointGroup* g : joints) worst = std::max(worst, g->solve(enough, rows));
  return worst;
}

void Passes::warmStart() {
  eachColour(false, [&](const BlockRange& r, std::size_t, std::size_t) { engine.kernel->warmStart(r); });
}

int Passes::sweepUntil(Pass pass, bool moved, double enough, int most) {
  if (most == 1) {
    sweep(pass, moved);
    solveJoints(enough);
    return 1;
  }
  const std::size_t blocks = list.blocks.size();
  if (blocks == 0 && joints.size() <= 1) {
    solveJoints(0);
    return 1;
  }
  // Of two sweeps neither goes on from the other.
  const bool goes_on = most > 2;
  thread_local SweepRoom room;
  if (goes_on) room.grow(blocks);
  Course* const course = room.course.data();
  Impulses* const on = room.on.data();
  double* const squares = room.squares.data();
  const auto eachBlock = [&](auto visit) {
    shareOrAlone(engine.team, blocks, kBlocksWorthAThread,
                 [&](std::size_t, std::size_t begin, std::size_t end) {
                   for (std::size_t i = begin; i < end; ++i)
                     visit(i, list.blocks[i], list.rolling ? list.extraOf(i) : nullptr);
                 });
  };
  double last = 0;
  for (int n = 1; n <= most; ++n) {
    if (goes_on && n < most)
      eachBlock([&](std::size_t i, ContactBlock& c, BlockExtra* e) { remember(c, e, course[i]); });
    const double swept = measuredSweep(pass, moved && n == 1, n % 2 == 0),
                 worst = std::max(swept, solveJoints(enough));
    if (worst <= enough || n == most) return n;
    if (!goes_on) continue;
    eachBlock([&](std::size_t i, ContactBlock& c, BlockExtra* e) { squares[i] = changeOf(c, e, course[i]); });
    double change = 0;
    for (std::size_t i = 0; i < blocks; ++i) change += squares[i];
    const bool restart = n == 1 || !(change < last);
    const float share = restart ? 0.0f : static_cast<float>(change / last);
    last = change;
    if (restart) {
      eachBlock([&](std::size_t i, ContactBlock&, BlockExtra*) { course[i].direction = course[i].before; });
      continue;
    }
    eachBlock([&](std::size_t i, ContactBlock& c, BlockExtra* e) { goOn(c, e, course[i], share, on[i]); });
    eachColour(false, [&](const BlockRange& r, std::size_t first, std::size_t) {
      engine.kernel->give(r, on + first);
    });
  }
  return most;
}

void Passes::count(Pass after, Accounts& accounts) {
  const bool settled = after == Pass::Settle;
  eachColour(false, [&](const BlockRange& r, std::size_t, std::size_t) {
    for (std::size_t n = 0; n < r.count; ++n)
      for (int i = 0; i < kLanes; ++i) {
        const ContactBlock& c = r.blocks[n];
        if (c.contact[i] == kNoContact) continue;
        const std::uint32_t a = c.body_a[i], b = c.body_b[i];
        const bool moves_a = (c.moves_a & 1u << i) != 0, moves_b = (c.moves_b & 1u << i) != 0;
        Account &of_a = accounts[a], &of_b = accounts[b];
        const bool stirs = moves_a && moves_b && of_a.kept && of_b.kept && (of_a.astir || of_b.astir) &&
                           (of_a.cornered || of_b.cornered);
        if (!settled && stirs) of_a.open = of_b.open = true;
        const bool opened = settled && ((moves_a && of_a.open) || (moves_b && of_b.open));
        if (!stirs && !opened) continue;
        const Vec3 impulse = impulseOf(c, i);
        if (settled && moves_a && of_a.open) of_a.impulse -= impulse;
        if (settled && moves_b && of_b.open) of_b.impulse += impulse;
        if (!stirs) continue;
        // What the push-out gave, it gave before this internal step's way.
        Vec3 past = difference(rows[a].moved, rows[b].moved);
        const Vec3 way = settled ? Vec3::Zero() : Vec3(dt * difference(rows[a].velocity, rows[b].velocity));
        const bool beyond = (past + way).norm() > least(of_a.size, of_b.size);
        if (!settled) past = -way;
        const Vec3 couple = past.cross(impulse);
        const double share = shareOfFirst(of_a, of_b, beyond);
        of_a.couple -= share * couple;
        of_b.couple -= (1 - share) * couple;
      }
  });
}

void Passes::judgeSliding() {
  if (!list.two_frictions) return;
  shareOrAlone(engine.team, list.blocks.size(), kBlocksWorthAThread,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t n = begin; n < end; ++n)
                   if (list.extra[n] != BlockList::kNoExtra) judge(list.blocks[n], *list.extraOf(n));
               });
}

}  // namespace drubble::solve
