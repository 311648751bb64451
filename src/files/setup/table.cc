// SPDX-License-Identifier: Apache-2.0
#include "files/setup/table.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace drubble::files {

Where Document::where(const toml::source_region& r) const {
  Where w;
  w.path = r.path ? std::string(*r.path) : path;
  if (w.path != path) return w;  // from --set: it has no line
  w.line = static_cast<int>(r.begin.line);
  w.column = static_cast<int>(r.begin.column);
  if (w.line >= 1 && static_cast<std::size_t>(w.line) <= lines.size())
    w.text = lines[static_cast<std::size_t>(w.line - 1)];
  return w;
}

void Document::complain(const toml::node& n, std::string message) {
  complain(n.source(), std::move(message));
}

void Document::complain(const toml::source_region& r, std::string message) {
  problems.push_back({std::move(message), where(r)});
}

void Document::throwIfAny() {
  if (problems.empty()) return;
  const auto place = [](const Problem& p) {
    return p.where ? std::array{p.where->line, p.where->column} : std::array{0, 0};
  };
  std::stable_sort(problems.begin(), problems.end(),
                   [&](const Problem& a, const Problem& b) { return place(a) < place(b); });
  throw Error(ErrorKind::Input, problems);
}

namespace {

// Edits to get from a to b, swaps of neighbours counted as one.
std::size_t distance(const std::string& a, const std::string& b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i) d[i][0] = i;
  for (std::size_t j = 0; j <= b.size(); ++j) d[0][j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    for (std::size_t j = 1; j <= b.size(); ++j) {
      d[i][j] =
          std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] == b[j - 1] ? 0u : 1u)});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  }
  return d[a.size()][b.size()];
}

std::string listed(const std::set<std::string>& words) {
  std::string out;
  for (const std::string& w : words) out += (out.empty() ? "" : ", ") + w;
  return out;
}

std::string saidRange(Range r) {
  if (r.low == 0 && r.high == kAny) return r.open_low ? "above 0" : "0 or more";
  if (r.low == -kAny && r.high == kAny) return "a finite number";
  if (r.high == kAny) return fmt::format("{} or more", r.low);
  if (r.low == -kAny) return fmt::format("{} or less", r.high);
  return fmt::format("from {} to {}", r.low, r.high);
}

}  // namespace

std::string nearest(const std::string& word, const std::set<std::string>& known) {
  std::string best;
  std::size_t least = std::max<std::size_t>(1, word.size() / 3) + 1;
  for (const std::string& k : known)
    if (const std::size_t d = distance(word, k); d < least) least = d, best = k;
  return best;
}

const toml::node* Table::node(const std::string& key) {
  seen_.insert(key);
  return table_.get(key);
}

void Table::complain(const std::string& key, const std::string& message) {
  const toml::node* n = table_.get(key);
  if (n != nullptr)
    doc_.complain(*n, message);
  else
    doc_.complain(table_.source(), message);
}

bool Table::wrongType(const toml::node& n, const std::string& key, const char* wanted) {
  doc_.complain(n, fmt::format("'{}' in {} must be {}", key, kind_, wanted));
  return true;
}

double Table::checked(const toml::node& n, const std::string& key, double x, Range r) {
  if (!std::isfinite(x) || x < r.low || x > r.high || (r.open_low && x == r.low))
    doc_.complain(n, fmt::format("'{}' in {} is {}; it must be {}", key, kind_, x, saidRange(r)));
  return x;
}

double Table::number(const std::string& key, double fallback, Range range) {
  const toml::node* n = node(key);
  if (n == nullptr) return fallback;
  const auto x = n->value<double>();
  if (!x || n->is_boolean()) return wrongType(*n, key, "a number"), fallback;
  return checked(*n, key, *x, range);
}

double Table::length(const std::string& key, double fallback, Range range) {
  return has(key) ? number(key, 0, range) * doc_.unit : fallback;
}

int Table::integer(const std::string& key, int fallback, Range range) {
  const toml::node* n = node(key);
  if (n == nullptr) return fallback;
  if (!n->is_integer()) return wrongType(*n, key, "a whole number"), fallback;
  return static_cast<int>(checked(*n, key, static_cast<double>(*n->value<std::int64_t>()),
                                  {std::max(range.low, -1e9), std::min(range.high, 1e9), range.open_low}));
}

std::uint64_t Table::seed(const std::string& key, std::uint64_t fallback) {
  const toml::node* n = node(key);
  if (n == nullptr) return fallback;
  if (!n->is_integer()) return wrongType(*n, key, "a whole number"), fallback;
  return static_cast<std::uint64_t>(*n->value<std::int64_t>());
}

bool Table::flag(const std::string& key, bool fallback) {
  const toml::node* n = node(key);
  if (n == nullptr) return fallback;
  if (!n->is_boolean()) return wrongType(*n, key, "true or false"), fallback;
  return *n->value<bool>();
}

std::string Table::text(const std::string& key, const std::string& fallback) {
  const toml::node* n = node(key);
  if (n == nullptr) return fallback;
  if (!n->is_string()) return wrongType(*n, key, "text in quotes"), fallback;
  return *n->value<std::string>();
}

std::string Table::choice(const std::string& key, const std::string& fallback,
                          const std::set<std::string>& allowed) {
  const std::string x = text(key, fallback);
  if (allowed.contains(x)) return x;
  const std::string near = nearest(x, allowed);
  complain(key, fmt::format("'{}' in {} cannot be '{}'{}; it is one of: {}", key, kind_, x,
                            near.empty() ? "" : "; did you mean '" + near + "'?", listed(allowed)));
  return fallback;
}

std::vector<double> Table::numbers(const std::string& key, std::size_t count, Range range) {
  const toml::node* n = node(key);
  std::vector<double> out;
  if (n == nullptr) return out;
  const toml::array* a = n->as_array();
  const std::string wanted = fmt::format("a list of {} numbers", count);
  if (a == nullptr || a->size() != count) return wrongType(*n, key, wanted.c_str()), out;
  for (const toml::node& e : *a) {
    const auto x = e.value<double>();
    if (!x || e.is_boolean()) return wrongType(e, key, wanted.c_str()), std::vector<double>{};
    out.push_back(checked(e, key, *x, range));
  }
  return out;
}

Vec3 Table::vector(const std::string& key, const Vec3& fallback, double scale, Range range) {
  const std::vector<double> x = numbers(key, 3, range);
  return x.size() == 3 ? Vec3(scale * vec3(x[0], x[1], x[2])) : fallback;
}

std::array<double, 2> Table::range(const std::string& key, double fallback, double scale, Range allowed) {
  const toml::node* n = node(key);
  if (n == nullptr) return {scale * fallback, scale * fallback};
  if (!n->is_array()) {
    const double x = scale * number(key, fallback, allowed);
    return {x, x};
  }
  const std::vector<double> two = numbers(key, 2, allowed);
  if (two.size() != 2) return {scale * fallback, scale * fallback};
  if (two[0] > two[1]) complain(key, fmt::format("'{}' is [least, greatest]: the first is the greater", key));
  return {scale * two[0], scale * two[1]};
}

double Table::numberOrAuto(const std::string& key, double automatic, double scale, Range range) {
  const toml::node* n = node(key);
  if (n == nullptr) return automatic;
  if (n->is_string() && *n->value<std::string>() == "auto") return automatic;
  if (!n->is_number()) return wrongType(*n, key, "a number or \"auto\""), automatic;
  return scale * number(key, automatic, range);
}

int Table::integerOrAuto(const std::string& key, int automatic, Range range) {
  const toml::node* n = node(key);
  if (n == nullptr || (n->is_string() && *n->value<std::string>() == "auto")) return automatic;
  if (!n->is_integer()) return wrongType(*n, key, "a whole number or \"auto\""), automatic;
  return integer(key, automatic, range);
}

act::Ease Table::ease() {
  const std::string e = choice("ease", "linear", {"linear", "smooth", "hold"});
  return e == "smooth" ? act::Ease::Smooth : e == "hold" ? act::Ease::Hold : act::Ease::Linear;
}

double Table::keyable(const std::string& key, double fallback, double scale, Range range, act::Track& track) {
  const toml::node* n = node(key);
  if (n == nullptr) return fallback;
  if (!n->is_table()) return scale * number(key, fallback, range);
  table(key, [&](Table& t) {
    track.ease = t.ease();
    const toml::node* list = t.node("keys");
    const toml::array* keys = list != nullptr ? list->as_array() : nullptr;
    if (keys == nullptr || keys->empty())
      return t.complain("keys", fmt::format("'{}' takes a number, or keys = [[frame, value], …]", key));
    for (const toml::node& x : *keys) {
      const toml::array* two = x.as_array();
      if (two == nullptr || two->size() != 2 || !two->get(0)->is_number() || !two->get(1)->is_number()) {
        doc_.complain(x, fmt::format("a key of '{}' is [frame, value]: two numbers", key));
        continue;
      }
      const double frame = two->get(0)->value_or(0.0), value = two->get(1)->value_or(0.0);
      if (!track.keys.empty() && frame <= track.keys.back().frame)
        doc_.complain(x, fmt::format("the keys of '{}' must go up by frame, each frame once", key));
      track.keys.push_back({frame, Vec3(scale * t.checked(x, key, value, range), 0, 0)});
    }
  });
  return track.keys.empty() ? fallback : track.keys.front().value.x();
}

void Table::table(const std::string& key, const std::function<void(Table&)>& read) {
  const toml::node* n = node(key);
  if (n == nullptr) return;
  const toml::table* t = n->as_table();
  if (t == nullptr) return void(wrongType(*n, key, "a table: { … }"));
  Table inner(doc_, *t, fmt::format("'{}' of {}", key, kind_));
  read(inner);
  inner.finish();
}

void Table::each(const std::string& key, const std::function<void(Table&)>& read) {
  const toml::node* n = node(key);
  if (n == nullptr) return;
  const toml::array* a = n->as_array();
  if (a == nullptr) {
    doc_.complain(*n, fmt::format("write [[{}]] with two brackets: there may be several", key));
    return;
  }
  int number = 0;
  for (const toml::node& e : *a) {
    ++number;
    const toml::table* t = e.as_table();
    if (t == nullptr) {
      doc_.complain(e, fmt::format("write [[{}]] above the keys of each one", key));
      continue;
    }
    const auto name = (*t)["name"].value<std::string>();
    Table inner(doc_, *t,
                name ? fmt::format("[[{}]] '{}'", key, *name) : fmt::format("[[{}]] number {}", key, number));
    read(inner);
    inner.finish();
  }
}

void Table::finish() {
  for (const auto& [key, value] : table_) {
    const std::string k(key.str());
    if (seen_.contains(k)) continue;
    std::string message = fmt::format("unknown key '{}' in {}", k, kind_);
    const std::string near = nearest(k, seen_);
    if (!near.empty())
      message += fmt::format("; did you mean '{}'?", near);
    else if (doc_.top_keys.contains(k))
      message += fmt::format("; '{}' is for the whole setup: move it up, above the first table", k);
    else
      message += "; known keys: " + listed(seen_);
    doc_.complain(key.source().path ? key.source() : value.source(), message);
  }
}

}  // namespace drubble::files
