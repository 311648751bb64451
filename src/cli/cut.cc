// SPDX-License-Identifier: Apache-2.0
// drubble cut SETUP
#include <fmt/format.h>

#include <chrono>
#include <iostream>
#include <nlohmann/json.hpp>
#include <set>

#include "cli/building.h"
#include "files/check_bonds.h"
#include "files/cuts.h"
#include "files/write_pieces.h"

namespace drubble::cli {

namespace {

using Json = nlohmann::ordered_json;

Json orNull(const std::optional<double>& x) { return x ? Json(*x) : Json(); }

Json sliversOf(const files::CutReport& r) {
  Json out = Json::array();
  for (const files::CutReport::Sliver& s : r.slivers) out.push_back({{"into", s.into}, {"volume", s.volume}});
  return out;
}

constexpr std::size_t kMostSlivers = 6;  // that are named

std::string told(const std::vector<files::CutReport::Sliver>& slivers) {
  if (slivers.empty()) return {};
  std::set<std::string> names;
  for (const files::CutReport::Sliver& s : slivers) names.insert(s.into);
  std::string out = fmt::format("; {} sliver{} given to", slivers.size(), slivers.size() == 1 ? "" : "s");
  std::size_t n = 0;
  for (const std::string& name : names) {
    if (n == kMostSlivers) return out + ", …";
    out += (n++ == 0 ? " " : ", ") + name;
  }
  return out;
}

Json toJson(const files::CutReport& r) {
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
          {"mean_faces_interior", orNull(r.mean_faces_interior)},
          {"slivers_merged", r.slivers.size()},
          {"slivers", sliversOf(r)},
          {"lost", r.lost},
          {"components", r.islands}};
}

// All bodies together first.
Json toJson(const std::vector<files::CutReport>& reports, double seconds) {
  files::CutReport all;
  double faces = 0, interior = 0;
  for (const files::CutReport& r : reports) {
    all.pieces += r.pieces;
    all.open_edges += r.open_edges;
    all.flipped_edges += r.flipped_edges;
    all.volume_error = std::max(all.volume_error, r.volume_error);
    all.unpaired_faces += r.unpaired_faces;
    all.slivers.insert(all.slivers.end(), r.slivers.begin(), r.slivers.end());
    interior += static_cast<double>(r.interior);
    faces += static_cast<double>(r.interior) * r.mean_faces_interior.value_or(0);
  }
  if (interior > 0) all.mean_faces_interior = faces / interior;
  Json out = {{"pieces", all.pieces},
              {"open_edges", all.open_edges},
              {"flipped", all.flipped_edges},
              {"volume_error", all.volume_error},
              {"unpaired_faces", all.unpaired_faces},
              {"slivers_merged", all.slivers.size()},
              {"mean_faces_interior", orNull(all.mean_faces_interior)},
              {"seconds", seconds},
              {"bodies", Json::array()}};
  for (const files::CutReport& r : reports) out["bodies"].push_back(toJson(r));
  return out;
}

// A line a piece.
void list(const std::vector<files::PieceRow>& rows, const files::Setup& s) {
  const double cube = s.unit * s.unit * s.unit, square = s.unit * s.unit;
  std::cout << fmt::format("  {:<28} {:>11} {:>10} {:>6} {:>11} {:>9}\n", "piece", "volume " + s.units + "3",
                           "of shape", "faces", "shared " + s.units + "2", "triangles");
  for (const files::PieceRow& r : rows)
    std::cout << fmt::format("  {:<28} {:>11.4g} {:>10.3f} {:>6} {:>11.4g} {:>9}\n", r.name, r.volume / cube,
                             r.filled, r.faces, r.shared / square, r.triangles);
}

void print(const files::CutReport& r, const files::Setup& s) {
  const double cube = s.unit * s.unit * s.unit, square = s.unit * s.unit;
  std::cout << fmt::format("{}: {} pieces{}{}\n", r.body, r.pieces, told(r.slivers),
                           r.lost == 0 ? "" : fmt::format("; {} thinner than the gap are lost", r.lost));
  std::cout << fmt::format(
      "  volumes   {:.3g} to {:.3g} {}3, half of them below {:.3g}; all together off by {:.1g} of the "
      "whole\n",
      r.least_volume / cube, r.most_volume / cube, s.units, r.median_volume / cube, r.volume_error);
  if (r.gap > 0)
    std::cout << fmt::format("  faces     none shared: {:.3g} {} of room between pieces\n", r.gap / s.unit,
                             s.units);
  else
    std::cout << fmt::format(
        "  faces     {} between pieces, {:.3g} {}2, {:.1f} a piece{}; {}\n", r.interfaces,
        r.interface_area / square, s.units, r.mean_faces,
        r.mean_faces_interior ? fmt::format(", {:.1f} where none is skin", *r.mean_faces_interior) : "",
        r.islands == 1 ? "all hang together" : fmt::format("{} parts that share none", r.islands));
  std::cout << fmt::format("  meshes    {}\n",
                           r.open_edges + r.flipped_edges + r.unpaired_faces == 0
                               ? "closed, and each face has its like"
                               : fmt::format("{} open and {} flipped edges, {} faces without their like",
                                             r.open_edges, r.flipped_edges, r.unpaired_faces));
}

Json toJson(const files::BondsReport& r) {
  Json tables = Json::array();
  std::size_t bonds = 0;
  double area = 0;
  for (const files::BondRow& t : r.tables) {
    bonds += t.bonds;
    area += t.area;
    tables.push_back({{"name", t.name}, {"bonds", t.bonds}, {"area", t.area}, {"anchors", t.anchors}});
  }
  return {{"count", bonds},       {"area", area},     {"clusters", r.clusters}, {"anchored", r.anchored},
          {"largest", r.largest}, {"loose", r.loose}, {"tables", tables}};
}

std::string mega(double pascal) {
  return pascal == bond::kUnbreakable ? std::string("unbreakable") : fmt::format("{:.3g}", pascal / 1e6);
}

void print(const files::BondsReport& r, const files::Setup& s) {
  if (r.tables.empty()) return;
  for (const files::BondRow& t : r.tables)
    std::cout << fmt::format(
        "bonds '{}': {}, {:.3g} {}2{}; the weakest bears {} / {} / {} MPa drawn / pressed / sheared\n",
        t.name, t.bonds, t.area / (s.unit * s.unit), s.units,
        t.anchors > 0 ? fmt::format(", {} of them to what stays", t.anchors) : "", mega(t.least.tension),
        mega(t.least.compression), mega(t.least.shear));
  std::cout << fmt::format(
      "  hold      {} together, {} of which hang on something; the largest has {} pieces{}\n", r.clusters,
      r.anchored, r.largest,
      r.loose.empty() ? "" : fmt::format("; {} pieces beside them hang on nothing", r.loose.size()));
}

// By the ending of its name: how the pieces are written.
void (*writerFor(const std::string& path))(const std::string&, const std::vector<files::LookedPiece>&) {
  if (path.ends_with(".ply")) return files::writePly;
  if (path.ends_with(".glb")) return files::writeGlb;
  if (path.ends_with(".obj")) return files::writeObj;
  throw Error(ErrorKind::Usage,
              fmt::format("cannot write '{}': pieces go to .obj, .ply or .glb files", path));
}

}  // namespace

int cutCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("setup", po::value<std::string>(), "which")(
      "output,o", po::value<std::string>(),
      "a file for the pieces by name: .obj and .glb with what the mesh looks like, .ply with numbers of "
      "pieces")("set", po::value<std::vector<std::string>>()->composing()->value_name("KEY=VALUE"),
                "change a key of the setup first")("list", "a line for each piece too")(
      "threads", po::value<int>()->default_value(0),
      "how many threads share the work; the pieces are the same with any (default: one a core)")(
      "json", "the counts and measures, as JSON on stdout");
  const Parsed p =
      parse(arguments, "cut SETUP [options]",
            "Cuts what the setup's [[cut]] tables name, and tells what comes of it. Nothing is simulated.",
            options, "setup", 1);
  if (p.help) return kDone;
  if (p.has("output")) writerFor(p.as<std::string>("output"));
  if (p.has("json") && p.has("list"))
    throw Error(ErrorKind::Usage, "--list is for people, --json for programs: use one");
  if (!p.has("setup")) throw Error(ErrorKind::Usage, "which setup? usage: drubble cut SETUP");
  const files::Setup setup =
      files::readSetup(p.as<std::string>("setup"),
                       p.has("set") ? p.as<std::vector<std::string>>("set") : std::vector<std::string>());
  const auto start = std::chrono::steady_clock::now();
  const files::BuiltScene scene = built(setup, p.as<int>("threads"));
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  if (scene.cuts.empty())
    throw Error(ErrorKind::Input, "the setup cuts nothing: give it a [[cut]] with of = a body",
                Where{setup.path, 0, 0, ""});
  std::vector<files::CutReport> reports;
  std::vector<files::LookedPiece> pieces;
  bool sound = true;
  for (const auto& cut : scene.cuts) {
    const files::CutReport& r = reports.emplace_back(files::reportOn(scene, cut));
    sound = sound && r.open_edges + r.flipped_edges + r.unpaired_faces == 0;
    if (!p.has("json")) print(r, setup);
    if (p.has("list")) list(files::rowsOf(scene, cut), setup);
    if (p.has("output"))
      for (files::LookedPiece& x : files::piecesOf(setup, scene, cut)) pieces.push_back(std::move(x));
  }
  if (p.has("json")) {
    Json out = toJson(reports, seconds);
    if (!setup.bonds.empty()) out["bonds"] = toJson(files::bondsOf(scene));
    std::cout << out.dump(2) << "\n";
  } else {
    print(files::bondsOf(scene), setup);
    std::cout << fmt::format("all made, with their collision shapes, in {:.2f} s\n", seconds);
  }
  if (p.has("output")) {
    writerFor(p.as<std::string>("output"))(p.as<std::string>("output"), pieces);
    std::cerr << "wrote " << p.as<std::string>("output") << "\n";
  }
  return sound ? kDone : kNo;
}

}  // namespace drubble::cli
