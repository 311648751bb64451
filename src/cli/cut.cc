// SPDX-License-Identifier: Apache-2.0
// drubble cut SETUP
#include <fmt/format.h>

#include <filesystem>
#include <iostream>
#include <nlohmann/json.hpp>

#include "cli/command.h"
#include "files/cuts.h"

namespace drubble::cli {

namespace {

nlohmann::ordered_json toJson(const files::CutReport& r) {
  return {{"body", r.body},
          {"pieces", r.pieces},
          {"interfaces", r.interfaces},
          {"open_edges", r.open_edges},
          {"flipped", r.flipped_edges},
          {"volume_error", r.volume_error},
          {"unpaired_faces", r.unpaired_faces},
          {"volumes", {{"min", r.least_volume}, {"median", r.median_volume}, {"max", r.most_volume}}},
          {"interface_area", r.interface_area},
          {"mean_faces", r.mean_faces},
          {"slivers_merged", r.slivers_merged},
          {"components", r.islands}};
}

void print(const files::CutReport& r, const files::Setup& s) {
  const double cube = s.unit * s.unit * s.unit, square = s.unit * s.unit;
  std::cout << fmt::format(
      "{}: {} pieces{}\n", r.body, r.pieces,
      r.slivers_merged == 0 ? "" : fmt::format("; {} slivers given to their neighbours", r.slivers_merged));
  std::cout << fmt::format(
      "  volumes   {:.3g} to {:.3g} {}3, half of them below {:.3g}; all together off by {:.1g} of the "
      "whole\n",
      r.least_volume / cube, r.most_volume / cube, s.units, r.median_volume / cube, r.volume_error);
  std::cout << fmt::format(
      "  faces     {} between pieces, {:.3g} {}2, {:.1f} a piece; {}\n", r.interfaces,
      r.interface_area / square, s.units, r.mean_faces,
      r.islands == 1 ? "all hang together" : fmt::format("{} parts that share none", r.islands));
  std::cout << fmt::format("  meshes    {}\n",
                           r.open_edges + r.flipped_edges + r.unpaired_faces == 0
                               ? "closed, and each face has its like"
                               : fmt::format("{} open and {} flipped edges, {} faces without their like",
                                             r.open_edges, r.flipped_edges, r.unpaired_faces));
}

}  // namespace

int cutCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("setup", po::value<std::string>(), "which")(
      "output,o", po::value<std::string>(), "an OBJ file for the pieces, each a group of its name")(
      "set", po::value<std::vector<std::string>>()->composing()->value_name("KEY=VALUE"),
      "change a key of the setup first")("json", "the counts and measures, as JSON on stdout");
  const Parsed p =
      parse(arguments, "cut SETUP [options]",
            "Cuts what the setup's [[cut]] tables name, and tells what comes of it. Nothing is simulated.",
            options, "setup", 1);
  if (p.help) return kDone;
  if (!p.has("setup")) throw Error(ErrorKind::Usage, "which setup? usage: drubble cut SETUP");
  const files::Setup setup =
      files::readSetup(p.as<std::string>("setup"),
                       p.has("set") ? p.as<std::vector<std::string>>("set") : std::vector<std::string>());
  const files::BuiltScene built = files::buildScene(setup);
  if (built.cuts.empty())
    throw Error(ErrorKind::Input, "the setup cuts nothing: give it a [[cut]] with of = a body",
                Where{setup.path, 0, 0, ""});
  nlohmann::ordered_json all = nlohmann::ordered_json::array();
  std::vector<files::NamedMesh> pieces;
  bool sound = true;
  for (const auto& cut : built.cuts) {
    const files::CutReport r = files::reportOn(built, cut);
    sound = sound && r.open_edges + r.flipped_edges + r.unpaired_faces == 0;
    if (p.has("json"))
      all.push_back(toJson(r));
    else
      print(r, setup);
    for (files::NamedMesh& x : files::piecesOf(built, cut, setup.unit)) pieces.push_back(std::move(x));
  }
  if (p.has("json")) std::cout << all.dump(2) << "\n";
  if (p.has("output")) {
    files::writeObj(p.as<std::string>("output"), pieces);
    if (!p.has("json")) std::cout << "wrote " << p.as<std::string>("output") << "\n";
  }
  return sound ? kDone : kNo;
}

}  // namespace drubble::cli
