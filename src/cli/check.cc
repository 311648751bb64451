// SPDX-License-Identifier: Apache-2.0
// drubble check SETUP
#include <fmt/format.h>

#include <algorithm>
#include <iostream>
#include <map>
#include <nlohmann/json.hpp>

#include "cli/building.h"
#include "files/check.h"
#include "files/setup/select.h"

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
  std::cout << fmt::format("{:<20} {:<9} {:>6}  {:<18} {:>12} {:>14}  {:<14} {:<18} {}\n", "body", "role",
                           "pieces", "shape", "mass", "size", "material", "hollow / plugged",
                           "proud / sticks out");
  for (const files::ListedBody& l : files::listBodies(built)) {
    const std::string mass = l.mass > 0 ? fmt::format("{:.4g} kg", l.mass) : "-";
    const std::string size =
        l.size > 0 ? fmt::format("{:.4g} {}", l.size / setup.unit, setup.units) : "endless";
    const std::string fit =
        l.hollow > 0.005 ? fmt::format("{:.0f} % / {:.0f} %", 100 * l.hollow, 100 * l.plugged) : "-";
    const std::string gaps =
        l.outward + l.inward > 0
            ? fmt::format("{:.3g} / {:.3g} {}", l.outward / setup.unit, l.inward / setup.unit, setup.units)
            : "exact";
    std::cout << fmt::format("{:<20} {:<9} {:>6}  {:<18} {:>12} {:>14}  {:<14} {:<18} {}\n", l.name, l.role,
                             l.copies, l.shape, mass, size, l.material, fit, gaps);
  }
  std::cout << fmt::format("\n{:<20} {:<20} {:>13} {:>7} {:>8} {:>9}\n", "where these meet", "", "friction",
                           "bounce", "rolling", "spinning");
  for (const files::Meeting& m : files::listMeetings(built)) {
    const solve::Surfaces& f = m.surfaces;
    const std::string friction = f.friction_rest == f.friction_slide
                                     ? fmt::format("{:.3g}", f.friction_rest)
                                     : fmt::format("{:.3g} / {:.3g}", f.friction_rest, f.friction_slide);
    std::cout << fmt::format("{:<20} {:<20} {:>13} {:>7.3g} {:>8.3g} {:>9.3g}\n", m.a, m.b, friction,
                             f.bounce, f.rolling, f.spinning);
  }
  for (const world::PairRule& r : built.scene.pair_rules)
    std::cout << fmt::format("contact '{}': {} pieces with {} others, where it differs\n", r.name, r.a.size(),
                             r.b.size());
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
                             {"volume_ratio", l.volume_ratio},
                             {"outward", l.outward / unit},
                             {"inward", l.inward / unit},
                             {"hull_loss", l.hull_loss / unit},
                             {"hollow", l.hollow},
                             {"plugged", l.plugged}});
  out["meetings"] = nlohmann::json::array();
  for (const files::Meeting& m : files::listMeetings(built))
    out["meetings"].push_back({{"between", {m.a, m.b}},
                               {"friction", {m.surfaces.friction_rest, m.surfaces.friction_slide}},
                               {"bounce", m.surfaces.bounce},
                               {"rolling", m.surfaces.rolling},
                               {"spinning", m.surfaces.spinning}});
  return out;
}

// Which pieces a selector takes, one a line.
int printWho(const files::Setup& setup, const files::BuiltScene& built, const std::string& selector,
             bool json) {
  std::vector<Problem> ignored;
  const std::vector<PieceId> taken = files::Selecting(setup, built, ignored).take(selector);
  if (json) {
    nlohmann::json names = nlohmann::json::array();
    for (const PieceId p : taken) names.push_back(built.scene.pieces[p.index()].name);
    std::cout << nlohmann::json{{"who", selector}, {"pieces", names}}.dump(1) << "\n";
  } else {
    for (const PieceId p : taken) std::cout << built.scene.pieces[p.index()].name << "\n";
    std::cerr << fmt::format("{} of {} pieces\n", taken.size(), built.scene.pieces.size());
  }
  return taken.empty() ? kNo : kDone;
}

}  // namespace

int checkCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("setup", po::value<std::string>()->required(), "the setup file")(
      "list", po::bool_switch(),
      "every body: role, pieces, shape, mass, size, how hollow it is and how far its shape plugs it")(
      "who", po::value<std::string>()->default_value(""),
      "only say which pieces a selector takes: a name pattern, or @NAME of [select]")(
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
  const files::BuiltScene built = cli::built(setup);
  if (const std::string who = p.as<std::string>("who"); !who.empty())
    return printWho(setup, built, who, p.as<bool>("json"));
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
                             built.scene.pieces.size(), setup.cached_from, setup.last_frame, errors,
                             errors == 1 ? "" : "s", warnings, warnings == 1 ? "" : "s");
  }
  return errors > 0 ? kNo : kDone;
}

}  // namespace drubble::cli
