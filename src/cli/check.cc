// SPDX-License-Identifier: Apache-2.0
// drubble check SETUP
#include <fmt/format.h>

#include <algorithm>
#include <iostream>
#include <map>
#include <nlohmann/json.hpp>

#include "cli/command.h"
#include "files/check.h"

namespace drubble::cli {

namespace {

using files::Finding;
using files::Severity;

const char* word(Severity s) {
  return s == Severity::Error ? "error" : s == Severity::Warning ? "warning" : "note";
}

void printFindings(const std::vector<Finding>& findings, std::size_t most) {
  std::map<std::pair<Severity, std::string>, std::size_t> shown;
  for (const Finding& f : findings) {
    std::size_t& n = shown[{f.severity, f.kind}];
    if (++n <= most) std::cout << word(f.severity) << ": " << f.message << "\n";
  }
  for (const auto& [key, n] : shown)
    if (n > most)
      std::cout << fmt::format("{}: {} more of kind '{}'; --all lists them\n", word(key.first), n - most,
                               key.second);
}

void printList(const files::Setup& setup, const files::BuiltScene& built) {
  std::cout << fmt::format("{:<20} {:<8} {:>7}  {:<18} {:>12} {:>14}  {:<14} {}\n", "body", "role", "pieces",
                           "shape", "mass", "size", "material", "hollow / plugged");
  for (const files::ListedBody& l : files::listBodies(built)) {
    const std::string mass = l.mass > 0 ? fmt::format("{:.4g} kg", l.mass) : "-";
    const std::string size =
        l.size > 0 ? fmt::format("{:.4g} {}", l.size / setup.unit, setup.units) : "endless";
    const std::string fit =
        l.hollow > 0.005 ? fmt::format("{:.0f} % / {:.0f} %", 100 * l.hollow, 100 * l.plugged) : "-";
    std::cout << fmt::format("{:<20} {:<8} {:>7}  {:<18} {:>12} {:>14}  {:<14} {}\n", l.name, l.role,
                             l.copies, l.shape, mass, size, l.material, fit);
  }
}

nlohmann::ordered_json toJson(const files::BuiltScene& built, const std::vector<Finding>& findings,
                              double unit) {
  nlohmann::ordered_json out;
  out["pieces"] = built.scene.pieces.size();
  out["findings"] = nlohmann::json::array();
  for (const Finding& f : findings)
    out["findings"].push_back({{"severity", word(f.severity)},
                               {"kind", f.kind},
                               {"message", f.message},
                               {"pieces", f.pieces},
                               {"amount", f.kind == "overlap" ? f.amount / unit : f.amount}});
  out["bodies"] = nlohmann::json::array();
  for (const files::ListedBody& l : files::listBodies(built))
    out["bodies"].push_back({{"name", l.name},
                             {"role", l.role},
                             {"pieces", l.copies},
                             {"shape", l.shape},
                             {"mass", l.mass},
                             {"size", l.size / unit},
                             {"material", l.material},
                             {"hollow", l.hollow},
                             {"plugged", l.plugged}});
  return out;
}

}  // namespace

int checkCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("setup", po::value<std::string>()->required(), "the setup file")(
      "list", po::bool_switch(),
      "every body: role, pieces, shape, mass, size, how hollow it is and how far its shape plugs it")(
      "all", po::bool_switch(), "every finding, not only the ten worst of each kind")(
      "set", po::value<std::vector<std::string>>()->composing()->value_name("KEY=VALUE"),
      "change a key of the setup first")("json", po::bool_switch(), "as JSON on stdout");
  const Parsed p = parse(arguments, "check SETUP [options]",
                         "Finds trouble before time is spent: overlaps at the start, broken meshes, plugged "
                         "containers, names used twice.\n"
                         "Exit code 1 when it finds an error.",
                         options, "setup", 1);
  if (p.help) return kDone;
  std::vector<std::string> overrides;
  if (p.has("set")) overrides = p.as<std::vector<std::string>>("set");
  const files::Setup setup = files::readSetup(p.as<std::string>("setup"), overrides);
  const files::BuiltScene built = files::buildScene(setup);
  const std::vector<Finding> findings = files::checkScene(setup, built);
  const auto errors = std::count_if(findings.begin(), findings.end(),
                                    [](const Finding& f) { return f.severity == Severity::Error; });
  if (p.as<bool>("json")) {
    std::cout << toJson(built, findings, setup.unit).dump(1) << "\n";
  } else {
    if (p.as<bool>("list")) printList(setup, built);
    printFindings(findings, p.as<bool>("all") ? findings.size() : 10);
    const auto warnings = std::count_if(findings.begin(), findings.end(),
                                        [](const Finding& f) { return f.severity == Severity::Warning; });
    std::cout << fmt::format("{} pieces, frames {} to {}: {} error{}, {} warning{}\n",
                             built.scene.pieces.size(), setup.first_frame, setup.last_frame, errors,
                             errors == 1 ? "" : "s", warnings, warnings == 1 ? "" : "s");
  }
  return errors > 0 ? kNo : kDone;
}

}  // namespace drubble::cli
