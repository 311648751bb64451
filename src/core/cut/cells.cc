// SPDX-License-Identifier: Apache-2.0
#include "core/cut/cells.h"

#include <algorithm>
#include <cmath>

namespace drubble::cut {

namespace {

constexpr double kBeyond = 1024;  // lattice steps
constexpr std::size_t kSitesABin = 3;
constexpr int kMostBins = 256;  // a side
constexpr std::size_t kCellsWorthAThread = 16, kCellsATold = 1024;
constexpr double kSure = 4e-15;  // of the terms' size: three roundings of a place, four of the sum, doubled

// Sites by where they are, to be gone through from near to far.
class Bins {
 public:
  explicit Bins(std::span<const Vec3> sites) : sites_(sites) {
    Box box;
    for (const Vec3& s : sites) box.add(s);
    low_ = box.low;
    const Vec3 size = box.size() + Vec3::Ones();
    const auto fit = [&](int longest) {
      side_ = size.maxCoeff() / longest;
      for (int k = 0; k < 3; ++k) count_[k] = 1 + static_cast<int>(size[k] / side_);
      return static_cast<std::size_t>(count_[0]) * static_cast<std::size_t>(count_[1]) *
             static_cast<std::size_t>(count_[2]);
    };
    int longest = 1;
    while (longest < kMostBins && fit(longest + 1) * kSitesABin <= sites.size()) ++longest;
    first_.assign(fit(longest) + 1, 0);
    for (const Vec3& s : sites) ++first_[binOf(s) + 1];
    for (std::size_t b = 1; b < first_.size(); ++b) first_[b] += first_[b - 1];
    std::vector<std::uint32_t> next(first_.begin(), first_.end() - 1);
    order_.resize(sites.size());
    for (std::uint32_t i = 0; i < sites.size(); ++i) order_[next[binOf(sites[i])]++] = i;
  }

  int rings() const { return std::max({count_[0], count_[1], count_[2]}); }
  // No site of ring `ring` or beyond is nearer than this to what stands in the middle bin.
  double nearest(int ring) const { return (ring - 1) * side_; }

  // The sites of the bins that are `ring` bins away from that of `x`.
  void ring(const Vec3& x, int ring, std::vector<std::uint32_t>& out) const {
    int at[3], low[3], high[3];
    for (int k = 0; k < 3; ++k) {
      at[k] = place(x, k);
      low[k] = std::max(0, at[k] - ring);
      high[k] = std::min(count_[k] - 1, at[k] + ring);
    }
    for (int z = low[2]; z <= high[2]; ++z)
      for (int y = low[1]; y <= high[1]; ++y) {
        const bool face = std::abs(z - at[2]) == ring || std::abs(y - at[1]) == ring;
        for (int i = low[0]; i <= high[0]; ++i) {
          if (!face && std::abs(i - at[0]) != ring) continue;
          const std::size_t b = index(i, y, z);
          for (std::uint32_t n = first_[b]; n < first_[b + 1]; ++n) out.push_back(order_[n]);
        }
      }
  }

 private:
  int place(const Vec3& x, int k) const {
    return std::clamp(static_cast<int>((x[k] - low_[k]) / side_), 0, count_[k] - 1);
  }
  std::size_t index(int x, int y, int z) const {
    return (static_cast<std::size_t>(z) * static_cast<std::size_t>(count_[1]) + static_cast<std::size_t>(y)) *
               static_cast<std::size_t>(count_[0]) +
           static_cast<std::size_t>(x);
  }
  std::size_t binOf(const Vec3& s) const { return index(place(s, 0), place(s, 1), place(s, 2)); }

  std::span<const Vec3> sites_;
  Vec3 low_;
  double side_ = 1;
  int count_[3] = {1, 1, 1};
  std::vector<std::uint32_t> first_, order_;
};

// One cell while it is clipped.
class Clipped {
 public:
  Clipped(std::uint32_t cell, const Vec3& site, const Box& walls) : cell_(cell), site_(site) {
    for (int k = 0; k < 6; ++k) planes_.push_back(wall(k, (k % 2 == 0 ? walls.low : walls.high)[k / 2]));
    for (int k = 0; k < 8; ++k) {
      const auto x = static_cast<std::uint16_t>(k & 1), y = static_cast<std::uint16_t>(2 + (k >> 1 & 1)),
                 z = static_cast<std::uint16_t>(4 + (k >> 2 & 1));
      const bool turned = ((k & 1) + (k >> 1 & 1) + (k >> 2 & 1)) % 2 == 0;
      add(turned ? Meeting{x, z, y} : Meeting{x, y, z});
    }
    findReach();
  }

  // No site farther away than this can cut it.
  double reach() const { return reach_; }

  void clip(const Plane& plane) {
    cut_.assign(corners_.size(), 0);
    bool any = false;
    for (std::size_t k = 0; k < corners_.size(); ++k) {
      cut_[k] = beyond(k, plane);
      any = any || cut_[k] != 0;
    }
    if (!any) return;
    const auto added = static_cast<std::uint16_t>(planes_.size());
    planes_.push_back(plane);
    // Sides of what is cut off whose other side stays become the rim.
    const std::size_t n = planes_.size();
    beside_.assign(n * n, 0);
    for (std::size_t k = 0; k < corners_.size(); ++k)
      for (std::size_t i = 0; i < 3 && cut_[k]; ++i)
        beside_[corners_[k][i] * n + corners_[k][(i + 1) % 3]] = 1;
    std::size_t kept = 0;
    std::vector<Meeting> rim;
    for (std::size_t k = 0; k < corners_.size(); ++k) {
      const Meeting m = corners_[k];
      if (!cut_[k]) {
        corners_[kept] = m;
        places_[kept++] = places_[k];
        continue;
      }
      for (std::size_t i = 0; i < 3; ++i)
        if (const std::uint16_t u = m[i], v = m[(i + 1) % 3]; !beside_[v * n + u])
          rim.push_back({u, v, added});
    }
    corners_.resize(kept);
    places_.resize(kept);
    for (const Meeting& m : rim) add(m);
    findReach();
  }

  // What is left, its planes sorted.
  Cell finished() const {
    std::vector<std::uint16_t> used(planes_.size(), 0), order;
    for (const Meeting& m : corners_)
      for (const std::uint16_t p : m) used[p] = 1;
    for (std::uint16_t p = 0; p < planes_.size(); ++p)
      if (used[p]) order.push_back(p);
    std::sort(order.begin(), order.end(),
              [&](std::uint16_t p, std::uint16_t q) { return planes_[p].other < planes_[q].other; });
    Cell out;
    for (std::uint16_t k = 0; k < order.size(); ++k) {
      out.planes.push_back(planes_[order[k]]);
      used[order[k]] = k;
    }
    for (const Meeting& m : corners_) out.corners.push_back({used[m[0]], used[m[1]], used[m[2]]});
    return out;
  }

 private:
  // Whether a corner is beyond a plane: from its rounded place, where that is sure enough.
  bool beyond(std::size_t k, const Plane& plane) const {
    const Vec3& p = places_[k];
    double value = plane.offset, size = absolute(plane.offset);
    for (int i = 0; i < 3; ++i) {
      const double x = plane.normal[i] * p[i];
      value += x;
      size += absolute(x);
    }
    if (absolute(value) > kSure * size) return value > 0;
    const Meeting& m = corners_[k];
    return signAtMeeting(cell_, planes_[m[0]], planes_[m[1]], planes_[m[2]], plane) > 0;
  }

  void add(const Meeting& m) {
    corners_.push_back(m);
    places_.push_back(meeting(planes_[m[0]], planes_[m[1]], planes_[m[2]]));
  }
  void findReach() {
    double far = 0;
    for (const Vec3& p : places_) far = greatest(far, (p - site_).squaredNorm());
    reach_ = 2 * std::sqrt(far) * (1 + 1e-9) + 1;
  }

  std::uint32_t cell_;
  Vec3 site_;
  std::vector<Plane> planes_;
  std::vector<Meeting> corners_;
  std::vector<Vec3> places_;
  std::vector<char> cut_, beside_;
  double reach_ = 0;
};

Cell cellOf(std::uint32_t i, std::span<const Vec3> sites, const Bins& bins, const Box& walls) {
  Clipped cell(i, sites[i], walls);
  std::vector<std::uint32_t> found;
  std::vector<std::pair<double, std::uint32_t>> near;  // squared distance, site
  for (int ring = 0; ring < bins.rings() && bins.nearest(ring) <= cell.reach(); ++ring) {
    found.clear();
    near.clear();
    bins.ring(sites[i], ring, found);
    for (const std::uint32_t j : found)
      if (const double away = (sites[j] - sites[i]).squaredNorm();
          j != i && away <= cell.reach() * cell.reach())
        near.emplace_back(away, j);
    std::sort(near.begin(), near.end());
    for (const auto& [away, j] : near) {
      if (away > cell.reach() * cell.reach()) break;
      cell.clip(planeBetween(sites[i], sites[j], j));
    }
  }
  return cell.finished();
}

}  // namespace

std::vector<Cell> cellsOf(std::span<const Vec3> sites, const Box& within, Team* team, const Told& told) {
  const Bins bins(sites);
  Box walls = within;
  for (const Vec3& s : sites) walls.add(s);
  for (int k = 0; k < 3; ++k) {
    walls.low[k] = std::floor(walls.low[k]) - kBeyond;
    walls.high[k] = std::ceil(walls.high[k]) + kBeyond;
  }
  std::vector<Cell> out(sites.size());
  for (std::size_t first = 0; first < sites.size(); first += kCellsATold) {
    const std::size_t some = std::min(kCellsATold, sites.size() - first);
    shareOrAlone(team, some, kCellsWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
      for (std::size_t i = first + begin; i < first + end; ++i) out[i] = cellOf(u32(i), sites, bins, walls);
    });
    if (told) told(static_cast<double>(first + some) / static_cast<double>(sites.size()));
  }
  return out;
}

}  // namespace drubble::cut
