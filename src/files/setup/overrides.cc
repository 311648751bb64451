// SPDX-License-Identifier: Apache-2.0
#include "files/setup/overrides.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

std::vector<std::string> splitPath(const std::string& path) {
  std::vector<std::string> parts(1);
  for (const char c : path) {
    if (c == '.')
      parts.emplace_back();
    else
      parts.back() += c;
  }
  return parts;
}

struct Override {
  std::string whole;
  std::vector<std::string> path;
  bool multiply = false;
  std::string value;
};

Override parseOverride(const std::string& text) {
  const std::size_t equals = text.find('=');
  if (equals == std::string::npos || equals == 0)
    throw Error(ErrorKind::Usage, fmt::format("--set '{}' is not KEY=VALUE", text));
  Override o;
  o.whole = text;
  o.multiply = text[equals - 1] == '*' && equals >= 2 && text[equals - 2] != '.';
  o.path = splitPath(text.substr(0, equals - (o.multiply ? 1 : 0)));
  o.value = text.substr(equals + 1);
  return o;
}

// The value as TOML, or as plain text when it is not.
toml::table parseValue(const Override& o) {
  const std::string source = "--set " + o.whole;
  try {
    return toml::parse("v = " + o.value, std::string_view(source));
  } catch (const toml::parse_error&) {
    toml::table t;
    std::string quoted;
    for (const char c : o.value)
      quoted += (c == '"' || c == '\\') ? std::string("\\") + c : std::string(1, c);
    return toml::parse("v = \"" + quoted + "\"", std::string_view(source));
  }
}

// The values of { keys = [[frame, value], ...] }; false: it is none.
bool multiplyKeys(toml::table* keyed, double factor) {
  toml::array* keys = keyed != nullptr ? (*keyed)["keys"].as_array() : nullptr;
  if (keys == nullptr) return false;
  for (toml::node& node : *keys) {
    toml::array* key = node.as_array();
    const auto value = key != nullptr && key->size() == 2 ? (*key)[1].value<double>() : std::nullopt;
    if (!value) return false;
    key->replace(key->begin() + 1, *value * factor);
  }
  return true;
}

void applyAt(toml::table& table, const Override& o) {
  const std::string& key = o.path.back();
  if (!o.multiply) {
    toml::table value = parseValue(o);
    value.get("v")->visit([&](auto& v) { table.insert_or_assign(key, std::move(v)); });
    return;
  }
  const auto factor = toml::parse("v = " + o.value)["v"].value<double>();
  if (factor && multiplyKeys(table[key].as_table(), *factor)) return;
  auto old = table[key].value<double>();
  // What a bond does not say is as strong as its material.
  if (!old && !table.contains(key) && key == "strength" && o.path.front() == "bond") old = 1;
  if (!old || !factor)
    throw Error(ErrorKind::Usage,
                fmt::format("--set '{}': '{}' is not a number in the setup, so it cannot be multiplied",
                            o.whole, key));
  table.insert_or_assign(key, *old * *factor);
}

bool descend(toml::table& table, const Override& o, std::size_t depth) {
  if (depth + 1 == o.path.size()) return applyAt(table, o), true;
  toml::node* n = table.get(o.path[depth]);
  if (n == nullptr && depth == 0) {  // [solver] and the like may be missing
    table.insert(o.path[depth], toml::table{});
    n = table.get(o.path[depth]);
  }
  if (n == nullptr) return false;
  if (toml::table* inner = n->as_table()) return descend(*inner, o, depth + 1);
  toml::array* list = n->as_array();
  if (list == nullptr || depth + 2 >= o.path.size() + (o.path.size() == depth + 2 ? 1u : 0u)) return false;
  bool met = false;
  std::size_t number = 0;
  for (toml::node& e : *list) {
    ++number;
    toml::table* inner = e.as_table();
    if (inner == nullptr) continue;
    const std::string name = (*inner)["name"].value<std::string>().value_or(std::to_string(number));
    if (o.path[depth + 1] == "*" || o.path[depth + 1] == name) met = descend(*inner, o, depth + 2) || met;
  }
  return met;
}

}  // namespace

void applyOverrides(toml::table& root, const std::vector<std::string>& overrides) {
  for (const std::string& text : overrides) {
    const Override o = parseOverride(text);
    if (!descend(root, o, 0))
      throw Error(
          ErrorKind::Usage,
          fmt::format("--set '{}' meets nothing in the setup; tables are addressed as KIND.NAME.KEY", text));
  }
}

}  // namespace drubble::files
