// SPDX-License-Identifier: Apache-2.0
// How far long work has come.
#pragma once
#include <functional>

namespace drubble::cut {

// Told what share of the work (0 to 1) is done, now and then, in the caller's thread.
using Told = std::function<void(double)>;

// The same for a part of the work.
inline Told partOf(const Told& told, double from, double to) {
  if (!told) return {};
  return [told, from, to](double share) { told(from + share * (to - from)); };
}

}  // namespace drubble::cut
