// SPDX-License-Identifier: Apache-2.0
// Pairs of pieces from a file.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"

namespace drubble::files {

struct ListedPair {
  std::string a, b;  // names of pieces
  double times = 1;
  std::optional<double> area;  // in the setup's units, squared
  Where where;
};

// From a CSV as readPoints takes it: a, b and, if they are there, strength and area, in this order or under
// these names. Throws Error(Input) with file and line.
std::vector<ListedPair> readPairList(const std::string& path);

}  // namespace drubble::files
