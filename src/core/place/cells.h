// SPDX-License-Identifier: Apache-2.0
// Boxes by the cells that they lie in.
#pragma once
#include <array>
#include <cmath>
#include <cstdint>
#include <unordered_map>
#include <vector>

#include "core/base/random.h"
#include "core/base/vec.h"

namespace drubble::place {

class BoxCells {
 public:
  // `cell`: m, about the size of most boxes; only speed hangs on it.
  explicit BoxCells(double cell) : cell_(cell) {}

  void add(std::uint32_t id, const Box& box) {
    const auto n = u32(things_.size());
    things_.push_back({id, box});
    if (wide(box)) return large_.push_back(n);
    eachCell(box, [&](std::uint64_t key) { cells_[key].push_back(n); });
  }
  // Whether `test(id)` holds for one whose box overlaps this one. In no order; one may be asked of twice.
  template <class Test>
  bool any(const Box& box, Test test) const {
    const auto hit = [&](const Thing& t) { return box.overlaps(t.box) && test(t.id); };
    if (wide(box)) {
      for (const Thing& t : things_)
        if (hit(t)) return true;
      return false;
    }
    bool found = false;
    const auto look = [&](const std::vector<std::uint32_t>& some) {
      for (std::size_t k = 0; k < some.size() && !found; ++k) found = hit(things_[some[k]]);
    };
    look(large_);
    eachCell(box, [&](std::uint64_t key) {
      const auto there = cells_.find(key);
      if (!found && there != cells_.end()) look(there->second);
    });
    return found;
  }

 private:
  struct Thing {
    std::uint32_t id;
    Box box;
  };
  // Would fill too many cells.
  bool wide(const Box& b) const { return !(b.size().maxCoeff() < 4 * cell_); }
  std::array<std::int64_t, 3> cellOf(const Vec3& p) const {
    const auto at = [&](double x) { return static_cast<std::int64_t>(std::floor(x / cell_)); };
    return {at(p.x()), at(p.y()), at(p.z())};
  }
  // Two cells may share a key: then more is looked at.
  template <class Visit>
  void eachCell(const Box& b, Visit visit) const {
    const auto low = cellOf(b.low), high = cellOf(b.high);
    for (std::int64_t x = low[0]; x <= high[0]; ++x)
      for (std::int64_t y = low[1]; y <= high[1]; ++y)
        for (std::int64_t z = low[2]; z <= high[2]; ++z)
          visit(mixBits(static_cast<std::uint64_t>(x) * 0x9e3779b97f4a7c15ULL ^
                        static_cast<std::uint64_t>(y) * 0xc2b2ae3d27d4eb4fULL ^
                        static_cast<std::uint64_t>(z)));
  }

  double cell_;
  std::vector<Thing> things_;
  std::vector<std::uint32_t> large_;
  std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> cells_;
};

}  // namespace drubble::place
