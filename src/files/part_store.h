// SPDX-License-Identifier: Apache-2.0
// Convex parts that were made before, kept by what they were made from.
#pragma once
#include <functional>
#include <optional>
#include <string>

#include "core/shape/decompose.h"

namespace drubble::files {

// A folder; a file for each mesh and goal, called after a hash of both. What cannot be read is as if it were
// not there; what cannot be written is not kept.
class PartStore {
 public:
  // Empty: keeps and finds nothing.
  explicit PartStore(std::string folder) : folder_(std::move(folder)) {}

  std::optional<shape::ConvexParts> find(const mesh::TriangleMesh& m, const shape::PartsGoal& goal) const;
  void keep(const mesh::TriangleMesh& m, const shape::PartsGoal& goal, const shape::ConvexParts& parts) const;

 private:
  std::string fileFor(const mesh::TriangleMesh& m, const shape::PartsGoal& goal) const;
  std::string folder_;
};

// Those that are kept; or they are made, after `say`, and kept.
shape::ConvexParts partsOf(const mesh::TriangleMesh& m, const shape::PartsGoal& goal, const PartStore& store,
                           Team* team = nullptr, const std::function<void()>& say = {});

}  // namespace drubble::files
