// SPDX-License-Identifier: Apache-2.0
#include "core/cut/triangulate.h"

#include <algorithm>
#include <cmath>

namespace drubble::cut {

namespace {

struct Flat {
  double x, y;
};

// Twice the area of abc, positive counter-clockwise.
double area(const Flat& a, const Flat& b, const Flat& c) {
  return (b.x - a.x) * (c.y - a.y) - (c.x - a.x) * (b.y - a.y);
}

// A plane's own two directions.
class Plane2 {
 public:
  explicit Plane2(const Vec3& normal)
      : u_(anyNormalTo(normal.normalized())), v_(normal.normalized().cross(u_)) {}
  Flat of(const Vec3& p) const { return {u_.dot(p), v_.dot(p)}; }

 private:
  Vec3 u_, v_;
};

double areaOf(const std::vector<Flat>& p) {
  double sum = 0;
  for (std::size_t k = 1; k + 1 < p.size(); ++k) sum += area(p[0], p[k], p[k + 1]);
  return sum;
}

bool inside(const std::vector<Flat>& loop, const Flat& p) {
  bool in = false;
  for (std::size_t k = 0, j = loop.size() - 1; k < loop.size(); j = k++) {
    const Flat &a = loop[k], &b = loop[j];
    if ((a.y > p.y) == (b.y > p.y)) continue;
    if (p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) in = !in;
  }
  return in;
}

std::vector<Flat> flatten(const Loop& loop, std::span<const Vec3> places, const Plane2& plane) {
  std::vector<Flat> out;
  for (const std::uint32_t i : loop) out.push_back(plane.of(places[i]));
  return out;
}

// A polygon whose places may come more than once, as bridges make them.
struct Rim {
  Loop of;
  std::vector<Flat> at;
};

bool crosses(const Flat& a, const Flat& b, const Flat& c, const Flat& d) {
  return (area(a, b, c) > 0) != (area(a, b, d) > 0) && (area(c, d, a) > 0) != (area(c, d, b) > 0);
}

// Whether x lies on the way from a to b, and at neither end.
bool between(const Flat& a, const Flat& b, const Flat& x, double slack) {
  const double along = (b.x - a.x) * (x.x - a.x) + (b.y - a.y) * (x.y - a.y),
               squared = (b.x - a.x) * (b.x - a.x) + (b.y - a.y) * (b.y - a.y), length = std::sqrt(squared);
  return absolute(area(a, b, x)) <= slack * length && along > slack * length &&
         along < squared - slack * length;
}

// Joins a hole to the rim by a bridge from its rightmost place: to the nearest place that it sees and is not
// joined to yet, or where rounding hides all, to the nearest.
void bridge(const Rim& hole, Rim& rim, Joined& joined, double slack) {
  std::size_t from = 0;
  for (std::size_t k = 1; k < hole.at.size(); ++k)
    if (hole.at[k].x > hole.at[from].x) from = k;
  const Flat& p = hole.at[from];
  std::vector<std::pair<double, std::size_t>> near;
  for (std::size_t k = 0; k < rim.at.size(); ++k) {
    const double dx = rim.at[k].x - p.x, dy = rim.at[k].y - p.y;
    near.emplace_back(dx * dx + dy * dy, k);
  }
  std::sort(near.begin(), near.end());
  const auto sees = [&](std::size_t k) {
    const Flat& q = rim.at[k];
    const std::size_t n = rim.at.size();
    // The bridge must leave the rim into the face.
    const Flat &before = rim.at[(k + n - 1) % n], &after = rim.at[(k + 1) % n];
    const bool convex = area(before, q, after) >= 0;
    const bool left = area(before, q, p) >= 0, right = area(q, after, p) >= 0;
    if (convex ? !(left && right) : !(left || right)) return false;
    for (const Rim* r : {static_cast<const Rim*>(&rim), &hole})
      for (std::size_t i = 0, j = r->at.size() - 1; i < r->at.size(); j = i++) {
        const bool touches = (r == &rim && (i == k || j == k)) || (r == &hole && (i == from || j == from));
        if (!touches && (crosses(p, q, r->at[j], r->at[i]) || between(p, q, r->at[i], slack))) return false;
      }
    return true;
  };
  std::size_t to = near[0].second;
  for (const auto& [away, k] : near)
    if (!joined.has(hole.of[from], rim.of[k]) && sees(k)) {
      to = k;
      break;
    }
  joined.add(hole.of[from], rim.of[to]);
  Rim out;
  const auto add = [&](const Rim& r, std::size_t k) {
    out.of.push_back(r.of[k % r.of.size()]);
    out.at.push_back(r.at[k % r.at.size()]);
  };
  for (std::size_t k = 0; k <= to; ++k) add(rim, k);
  for (std::size_t k = 0; k <= hole.of.size(); ++k) add(hole, from + k);
  for (std::size_t k = to; k < rim.of.size(); ++k) add(rim, k);
  rim = std::move(out);
}

double distance(const Flat& a, const Flat& b) {
  return std::sqrt((b.x - a.x) * (b.x - a.x) + (b.y - a.y) * (b.y - a.y));
}

// How good an ear is, from bad to good. Wrong: turned over, or over other places. Touched: where the rim
// comes back to one of its sides, so that it may cover what lies beyond. Flat: without area, as of places in
// one line or at one place; Spike: there and back. Drawn: its line is there already.
enum class Ear { None, WrongDrawn, Wrong, Touched, FlatDrawn, StoutDrawn, Flat, Thin, Stout, Spike };
constexpr double kStout = 1e-6;  // its height over its base

}  // namespace

std::vector<Face> facesOf(const std::vector<Loop>& loops, std::span<const Vec3> places, const Vec3& normal) {
  const Plane2 plane(normal);
  std::vector<Face> out;
  std::vector<std::vector<Flat>> outer;
  std::vector<double> size;
  std::vector<std::vector<Flat>> flat;
  for (const Loop& loop : loops) flat.push_back(flatten(loop, places, plane));
  for (std::size_t k = 0; k < loops.size(); ++k) {
    const double a = areaOf(flat[k]);
    if (a < 0 && loops.size() > 1) continue;
    out.push_back({loops[k], {}});
    outer.push_back(flat[k]);
    size.push_back(a);
  }
  for (std::size_t k = 0; k < loops.size(); ++k) {
    if (!(areaOf(flat[k]) < 0 && loops.size() > 1)) continue;
    // The smallest rim around it; without any, rounding has turned a face of next to no area.
    std::size_t best = out.size();
    for (std::size_t n = 0; n < outer.size(); ++n)
      if (inside(outer[n], flat[k][0]) && (best == out.size() || size[n] < size[best])) best = n;
    if (best < outer.size())
      out[best].holes.push_back(loops[k]);
    else
      out.push_back({loops[k], {}});
  }
  return out;
}

void addFan(std::span<const std::uint32_t> rim, std::vector<Vec3>& places, std::vector<mesh::Triangle>& out) {
  const auto middle = u32(places.size());
  Vec3 sum = Vec3::Zero();
  for (const std::uint32_t n : rim) sum += places[n];
  places.push_back(sum / static_cast<double>(rim.size()));
  for (std::size_t k = 0; k < rim.size(); ++k) out.push_back({rim[k], rim[(k + 1) % rim.size()], middle});
}

void triangulate(const Face& face, std::vector<Vec3>& places, const Vec3& normal, Joined& joined,
                 std::vector<mesh::Triangle>& out, double slack) {
  const Plane2 plane(normal);
  const std::size_t given = places.size();
  Rim rim{face.outer, flatten(face.outer, places, plane)};
  std::vector<Rim> holes;
  for (const Loop& h : face.holes) holes.push_back({h, flatten(h, places, plane)});
  const auto rightmost = [](const Rim& r) {
    double x = r.at[0].x;
    for (const Flat& p : r.at) x = greatest(x, p.x);
    return x;
  };
  std::stable_sort(holes.begin(), holes.end(),
                   [&](const Rim& a, const Rim& b) { return rightmost(a) > rightmost(b); });
  for (const Rim& h : holes) bridge(h, rim, joined, slack);
  std::vector<std::size_t> left(rim.of.size());
  for (std::size_t k = 0; k < left.size(); ++k) left[k] = k;
  const auto rankAt = [&](std::size_t k) {
    const std::size_t n = left.size(), a = left[(k + n - 1) % n], b = left[k], c = left[(k + 1) % n];
    if (rim.of[a] == rim.of[c]) return Ear::None;
    const bool drawn = joined.has(rim.of[a], rim.of[c]);
    const double twice = area(rim.at[a], rim.at[b], rim.at[c]);
    const double ab = distance(rim.at[a], rim.at[b]), bc = distance(rim.at[b], rim.at[c]),
                 ca = distance(rim.at[c], rim.at[a]);
    // To go round the middle of a drawn line by another middle of it would go on for ever.
    const bool in_vain = drawn && rim.of[b] >= given;
    if (absolute(twice) <= slack * greatest(ab, greatest(bc, ca)))
      return in_vain ? Ear::WrongDrawn : drawn ? Ear::FlatDrawn : Ear::Flat;
    if (twice < 0) return drawn ? Ear::WrongDrawn : Ear::Wrong;
    bool touched = false;
    for (const std::size_t i : left) {
      if (rim.of[i] == rim.of[a] || rim.of[i] == rim.of[b] || rim.of[i] == rim.of[c]) continue;
      const Flat& p = rim.at[i];
      // What lies on a side does not matter; what lies on the new line does.
      if (area(rim.at[a], rim.at[b], p) > slack * ab && area(rim.at[b], rim.at[c], p) > slack * bc &&
          area(rim.at[c], rim.at[a], p) >= -slack * ca)
        return drawn ? Ear::WrongDrawn : Ear::Wrong;
      touched = touched || between(rim.at[a], rim.at[b], p, slack) || between(rim.at[b], rim.at[c], p, slack);
    }
    if (touched) return drawn ? Ear::WrongDrawn : Ear::Touched;
    if (drawn) return Ear::StoutDrawn;
    const double dx = rim.at[c].x - rim.at[a].x, dy = rim.at[c].y - rim.at[a].y;
    return twice > kStout * (dx * dx + dy * dy) ? Ear::Stout : Ear::Thin;
  };
  // An ear without area that goes there and back. It comes off first: others might be laid over it.
  const auto spikeAt = [&](std::size_t k) {
    const std::size_t n = left.size(), a = left[(k + n - 1) % n], b = left[k], c = left[(k + 1) % n];
    if (rim.of[a] == rim.of[c]) return false;
    const double ab = distance(rim.at[a], rim.at[b]), bc = distance(rim.at[b], rim.at[c]),
                 ca = distance(rim.at[c], rim.at[a]);
    const bool back = ab <= slack || bc <= slack || ca < greatest(ab, bc) - slack;
    return back &&
           absolute(area(rim.at[a], rim.at[b], rim.at[c])) <= slack * greatest(ab, greatest(bc, ca)) &&
           !joined.has(rim.of[a], rim.of[c]);
  };
  std::size_t at = 0, splits = left.size();
  while (left.size() > 3) {
    const std::size_t n = left.size();
    std::size_t best = at % n;
    Ear rank = Ear::None;
    for (std::size_t step = 0; step < n && rank != Ear::Spike; ++step)
      if (spikeAt((at + step) % n)) rank = Ear::Spike, best = (at + step) % n;
    for (std::size_t step = 0; step < n && rank < Ear::Stout; ++step) {
      const std::size_t k = (at + step) % n;
      if (const Ear found = rankAt(k); found > rank) rank = found, best = k;
    }
    const std::size_t first = left[(best + n - 1) % n], last = left[(best + 1) % n];
    const std::uint32_t a = rim.of[first], b = rim.of[left[best]], c = rim.of[last];
    at = best % (n - 1);
    const bool drawn = rank == Ear::StoutDrawn || rank == Ear::FlatDrawn || rank == Ear::WrongDrawn;
    if (drawn && splits > 0) {
      // The same way, but by a place of its own in the middle of that line.
      --splits;
      const auto middle = u32(places.size());
      places.push_back(0.5 * (places[a] + places[c]));
      out.push_back({a, b, middle});
      out.push_back({b, c, middle});
      for (const std::uint32_t n_old : {a, b, c}) joined.add(n_old, middle);
      rim.of.push_back(middle);
      rim.at.push_back({0.5 * (rim.at[first].x + rim.at[last].x), 0.5 * (rim.at[first].y + rim.at[last].y)});
      left[best] = rim.of.size() - 1;
      continue;
    }
    out.push_back({a, b, c});
    joined.add(a, c);
    left.erase(left.begin() + static_cast<std::ptrdiff_t>(best));
  }
  out.push_back({rim.of[left[0]], rim.of[left[1]], rim.of[left[2]]});
}

}  // namespace drubble::cut
