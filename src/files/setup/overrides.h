// SPDX-License-Identifier: Apache-2.0
// --set key=value: changes keys of a parsed setup before it is read.
#pragma once
#include <toml++/toml.h>
#include <string>
#include <vector>

namespace drubble::files {

// "solver.substeps=8", "body.deck.density=900", "body.*.density*=0.5". Tables are addressed by kind and name,
// or by their number when they have none. Throws Error(Usage) when an override is malformed or meets no
// table.
void applyOverrides(toml::table& root, const std::vector<std::string>& overrides);

}  // namespace drubble::files
