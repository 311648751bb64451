// SPDX-License-Identifier: Apache-2.0
#include "files/setup/changes.h"

#include <fmt/format.h>
#include <toml++/toml.h>

#include <map>
#include <sstream>

#include "core/base/error.h"
#include "files/setup/overrides.h"

namespace drubble::files {

namespace {

using Values = std::map<std::string, std::string>;

// A value on one line, always in the same way.
std::string written(const toml::node& n) {
  std::string out;
  if (const toml::table* table = n.as_table()) {
    for (const auto& [key, value] : *table)
      out += (out.empty() ? "" : ", ") + std::string(key.str()) + " = " + written(value);
    return "{ " + out + " }";
  }
  if (const toml::array* list = n.as_array()) {
    for (const toml::node& value : *list) out += (out.empty() ? "" : ", ") + written(value);
    return "[" + out + "]";
  }
  if (const auto text = n.value_exact<std::string>()) return "'" + *text + "'";
  if (const auto flag = n.value_exact<bool>()) return *flag ? "true" : "false";
  if (const auto number = n.value<double>()) return fmt::format("{}", *number);
  std::ostringstream any;
  n.visit([&](const auto& value) { any << toml::default_formatter{toml::array{value}}; });
  return any.str();
}

void addTable(const toml::table& t, const std::string& path, Values& out) {
  for (const auto& [key, value] : t) out[path + "." + std::string(key.str())] = written(value);
}

Values valuesOf(const SetupText& s) {
  Values out;
  try {
    toml::table root = toml::parse(s.text);
    applyOverrides(root, s.overrides);
    for (const auto& [key, value] : root) {
      const std::string kind(key.str());
      const toml::array* list = value.as_array();
      if (const toml::table* table = value.as_table(); table != nullptr && kind != "start_from") {
        for (const auto& [name, inner] : *table) {
          const std::string path = kind + "." + std::string(name.str());
          if (inner.is_table() && kind != "solver")
            addTable(*inner.as_table(), path, out);
          else
            out[path] = written(inner);
        }
      } else if (list != nullptr && !list->empty() && list->is_homogeneous<toml::table>()) {
        std::size_t number = 0;
        for (const toml::node& n : *list) {
          const toml::table& table_of_list = *n.as_table();
          const std::string name = table_of_list["name"].value_or(std::to_string(++number));
          addTable(table_of_list, kind + "." + name, out);
        }
      } else {
        out[kind] = written(value);
      }
    }
  } catch (const std::exception&) {
    return {{"", s.text}};
  }
  return out;
}

}  // namespace

std::string SetupChange::told() const {
  const auto brief = [&](const std::string& x) {
    char* end = nullptr;
    const double number = std::strtod(x.c_str(), &end);
    const std::string rounded = fmt::format("{:.6g}", number);
    const bool is_number = !x.empty() && *end == '\0';
    if (is_number && rounded.size() < x.size() && std::strtod(rounded.c_str(), nullptr) != 0) return rounded;
    return x.size() > 60 ? x.substr(0, 57) + "..." : x;
  };
  if (key.empty()) return "the whole text";
  if (before.empty()) return fmt::format("{}: new, {}", key, brief(after));
  if (after.empty()) return fmt::format("{}: {}, now not there", key, brief(before));
  return fmt::format("{}: {}, now {}", key, brief(before), brief(after));
}

std::vector<SetupChange> changesBetween(const SetupText& before, const SetupText& after) {
  const Values old = valuesOf(before), fresh = valuesOf(after);
  std::vector<SetupChange> out;
  for (const auto& [key, value] : old) {
    const auto now = fresh.find(key);
    if (now == fresh.end())
      out.push_back({key, value, ""});
    else if (now->second != value)
      out.push_back({key, value, now->second});
  }
  for (const auto& [key, value] : fresh)
    if (!old.contains(key)) out.push_back({key, "", value});
  std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.key < b.key; });
  return out;
}

bool leavesMotion(const SetupChange& change, int frame) {
  if (change.key == "title" || change.key.starts_with("camera.")) return true;
  if (change.key != "frames") return false;
  const auto range = [](const std::string& text, int& first, int& last) {
    return std::sscanf(text.c_str(), "[%d, %d", &first, &last) == 2;
  };
  int first = 1, last = 96, new_first = 1, new_last = 96;
  if (!change.before.empty() && !range(change.before, first, last)) return false;
  if (!change.after.empty() && !range(change.after, new_first, new_last)) return false;
  return first == new_first && new_last >= frame;
}

}  // namespace drubble::files
