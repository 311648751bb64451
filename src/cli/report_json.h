// SPDX-License-Identifier: Apache-2.0
// What `report --json` gives.
#pragma once
#include <nlohmann/json.hpp>

#include "files/report/measures.h"

namespace drubble::cli {

// Lengths in the setup's units.
nlohmann::ordered_json toJson(const files::CacheReader& cache, const files::Measures& m);
nlohmann::ordered_json posesJson(files::CacheReader& cache, int frame);

}  // namespace drubble::cli
