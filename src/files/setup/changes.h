// SPDX-License-Identifier: Apache-2.0
// What differs between two setups, key by key.
#pragma once
#include <string>
#include <vector>

namespace drubble::files {

struct SetupText {
  std::string text;
  std::vector<std::string> overrides;  // as --set takes them
};

struct SetupChange {
  std::string key;            // "body.deck.density"; a key of an inner table or list is part of its value
  std::string before, after;  // as TOML; empty: it is not there

  std::string told() const;  // "body.deck.density: 860, now 900"
};

// By key. Comments, order of keys and ways of writing a value do not count. Neither throws: a text that is no
// TOML differs as a whole, under the key "".
std::vector<SetupChange> changesBetween(const SetupText& before, const SetupText& after);

// Whether a change leaves the motion up to `frame` as it was: titles, cameras, and a last frame that is not
// before `frame`.
bool leavesMotion(const SetupChange& change, int frame);

}  // namespace drubble::files
