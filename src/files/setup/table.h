// SPDX-License-Identifier: Apache-2.0
// Reads one TOML table key by key. Each key asked for is remembered: what is left over at the end is unknown,
// and the nearest asked-for key is suggested. Problems are collected, not thrown.
#pragma once
#include <toml++/toml.h>
#include <array>
#include <functional>
#include <initializer_list>
#include <limits>
#include <set>
#include <string>
#include <vector>

#include "core/act/path.h"
#include "core/base/error.h"
#include "core/base/vec.h"

namespace drubble::files {

inline constexpr double kAny = std::numeric_limits<double>::infinity();

struct Range {
  double low = -kAny, high = kAny;
  bool open_low = false;  // the low end itself is out
};
inline constexpr Range kPositive{0, kAny, true};
inline constexpr Range kNotNegative{0, kAny, false};

// The file being read: its lines, and what is wrong with it so far.
struct Document {
  std::string path;
  std::vector<std::string> lines;
  std::vector<Problem> problems;
  double unit = 1;
  std::set<std::string> top_keys;

  Where where(const toml::node& n) const { return where(n.source()); }
  Where where(const toml::source_region& r) const;
  void complain(const toml::node& n, std::string message);
  void complain(const toml::source_region& r, std::string message);
  void throwIfAny();  // all problems, in the order of the file
};

// The nearest of `known` to `word`, or empty when none is near.
std::string nearest(const std::string& word, const std::set<std::string>& known);

class Table {
 public:
  // `kind` as messages call it: "[[body]] 'deck'".
  Table(Document& doc, const toml::table& table, std::string kind)
      : doc_(doc), table_(table), kind_(std::move(kind)) {}

  Document& document() { return doc_; }
  Where where() const { return doc_.where(table_); }
  bool has(const std::string& key) { return node(key) != nullptr; }
  const toml::node* node(const std::string& key);
  void complain(const std::string& key, const std::string& message);

  double number(const std::string& key, double fallback, Range range = {});
  double length(const std::string& key, double fallback, Range range = {});
  int integer(const std::string& key, int fallback, Range range = {});
  std::uint64_t seed(const std::string& key, std::uint64_t fallback);
  bool flag(const std::string& key, bool fallback);
  std::string text(const std::string& key, const std::string& fallback);
  std::string choice(const std::string& key, const std::string& fallback,
                     const std::set<std::string>& allowed);
  // `scale` multiplies each number.
  Vec3 vector(const std::string& key, const Vec3& fallback, double scale = 1, Range range = {});
  Vec3 lengths(const std::string& key, const Vec3& fallback, Range range = {}) {
    return vector(key, fallback, doc_.unit, range);
  }
  std::vector<double> numbers(const std::string& key, std::size_t count, Range range = {});
  // "auto" gives `automatic`.
  double numberOrAuto(const std::string& key, double automatic, double scale, Range range);
  int integerOrAuto(const std::string& key, int automatic, Range range);
  act::Ease ease();  // under "ease"
  // A number, or keys of it: { keys = [[frame, value], ...], ease = "linear" }. Keys go to `track`, times
  // `scale`; returns the number, or the first key's.
  double keyable(const std::string& key, double fallback, double scale, Range range, act::Track& track);
  // A number, or [least, greatest]: a range to draw from.
  std::array<double, 2> range(const std::string& key, double fallback, double scale, Range allowed);
  // Calls `read` with the table under `key`, if it is there, and finishes it.
  void table(const std::string& key, const std::function<void(Table&)>& read);
  // Calls `read` with each table of the array under `key`.
  void each(const std::string& key, const std::function<void(Table&)>& read);

  const toml::table& raw() const { return table_; }
  void markSeen(const std::string& key) { seen_.insert(key); }
  // Reports the keys that nobody asked for.
  void finish();

 private:
  double checked(const toml::node& n, const std::string& key, double x, Range range);
  bool wrongType(const toml::node& n, const std::string& key, const char* wanted);

  Document& doc_;
  const toml::table& table_;
  std::string kind_;
  std::set<std::string> seen_;
};

}  // namespace drubble::files
