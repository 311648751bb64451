// SPDX-License-Identifier: Apache-2.0
// drubble export CACHE
#include <fmt/format.h>

#include <filesystem>
#include <iostream>

#include "cli/command.h"
#include "cli/progress.h"
#include "files/export/events.h"
#include "files/export/glb.h"
#include "files/export/sequence.h"
#include "files/export/table_out.h"
#include "files/export/usd.h"

namespace drubble::cli {

namespace {

// Which forms a kind of file has; the first unless --as says another.
const std::map<std::string, std::vector<std::string>> kForms = {{".usda", {"instances", "nodes"}},
                                                                {".glb", {"nodes", "instances"}},
                                                                {".ply", {"mesh", "points"}},
                                                                {".obj", {"mesh"}},
                                                                {".csv", {"table"}}};

std::string formFor(const std::string& path, const std::string& asked) {
  const std::string ending = std::filesystem::path(path).extension().string();
  const auto forms = kForms.find(ending);
  if (forms == kForms.end())
    throw Error(ErrorKind::Usage,
                fmt::format("cannot write '{}': motion goes to .usda, .glb, .ply, .obj or .csv files", path));
  if (asked.empty()) return forms->second[0];
  if (std::find(forms->second.begin(), forms->second.end(), asked) == forms->second.end())
    throw Error(ErrorKind::Usage, fmt::format("--as {} is nothing that {} files have: {}", asked, ending,
                                              fmt::join(forms->second, ", ")));
  return asked;
}

void chooseFrames(const Parsed& p, files::ExportOptions& o) {
  const FramesAsked frames = framesAsked(p);
  o.first = frames.first;
  o.last = frames.last;
  o.step = p.as<int>("step");
  o.samples = p.as<int>("samples");
  if (o.step < 1) throw Error(ErrorKind::Usage, fmt::format("--step {} is not 1 or more", o.step));
  if (o.samples < 1 || o.samples > 64)
    throw Error(ErrorKind::Usage, fmt::format("--samples {} is not from 1 to 64", o.samples));
}

std::vector<std::string> words(const std::string& text) {
  std::vector<std::string> out(1);
  for (const char c : text) {
    if (c == ',')
      out.emplace_back();
    else if (c != ' ')
      out.back() += c;
  }
  return out;
}

int exportEvents(const Parsed& p, files::Shot& shot) {
  files::EventOptions options;
  const auto what = p.as<std::string>("events");
  if (what != "all" && what != "hits" && what != "breaks" && what != "contacts")
    throw Error(ErrorKind::Usage, fmt::format("--events '{}' is none of all, hits, breaks, contacts", what));
  options.hits = what == "all" || what == "hits";
  options.breaks = what == "all" || what == "breaks";
  options.contacts = what == "contacts";
  options.least_impulse = p.as<double>("least-impulse");
  options.least_speed = p.as<double>("least-speed");
  options.gather = p.as<double>("gather");
  const std::vector<files::ShotEvent> events = eventsOf(shot, options);
  writeEvents(shot, events);
  std::cout << fmt::format("wrote {}: {} {}, frames {} to {}\n", shot.options().path, events.size(),
                           options.gather > 0 ? "bursts" : "events", shot.times().front(),
                           shot.times().back());
  return kDone;
}

void exportMotion(const Parsed& p, files::Shot& shot) {
  const std::string& path = shot.options().path;
  const std::string form = formFor(path, p.has("as") ? p.as<std::string>("as") : "");
  std::string told = fmt::format("{} pieces", shot.pieces().size());
  if (path.ends_with(".usda")) {
    writeUsd(shot, form == "nodes" ? files::UsdForm::Nodes : files::UsdForm::Instances, p.as<bool>("bonds"));
  } else if (path.ends_with(".glb")) {
    const std::string lacks =
        writeGlb(shot, form == "nodes" ? files::GlbForm::Nodes : files::GlbForm::Instances);
    if (!lacks.empty()) std::cerr << "note: " << lacks << "\n";
  } else if (path.ends_with(".csv")) {
    files::TableOptions table;
    if (p.has("channels")) table.channels = words(p.as<std::string>("channels"));
    if (p.has("thin")) table.thin = p.as<double>("thin");
    told += fmt::format(", {} rows", writeTable(shot, table));
  } else {
    const std::size_t count = writeFrames(shot, path.ends_with(".obj") ? files::FrameForm::ObjMesh
                                                : form == "points"     ? files::FrameForm::PlyPoints
                                                                       : files::FrameForm::PlyMesh);
    told += fmt::format(", {} {}", count, count == 1 ? "file" : "files");
  }
  std::cout << fmt::format("wrote {}: {}, frames {} to {}\n", path, told, shot.times().front(),
                           shot.times().back());
}

}  // namespace

int exportCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("cache", po::value<std::string>()->required(), "which")(
      "output,o", po::value<std::string>()->default_value(""),
      "where it goes (default: the cache's name with .usda; of events .events.csv), and by its ending what "
      "it is: .usda, .glb, .ply, .obj, .csv; .ply and .obj have a row "
      "of # where "
      "the frame's number goes: shot.####.ply")("as", po::value<std::string>(),
                                                ".usda: instances (default) or nodes; .glb: nodes (default), "
                                                "or instances of one frame; .ply: mesh (default) or "
                                                "points")(
      "frames", po::value<std::string>()->value_name("FIRST-LAST"), "these alone: 1-48")(
      "frame", po::value<int>(), "this one alone, as it stands")("step", po::value<int>()->default_value(1),
                                                                 "every so many frames")(
      "samples", po::value<int>()->default_value(1),
      "times in each frame, for blur of what turns fast (.usda, .glb, .csv)")(
      "who", po::value<std::vector<std::string>>()->composing()->value_name("SELECTOR"),
      "these pieces alone: 'deck/*'; as often as needed")(
      "velocities", po::bool_switch(), "for .obj: of each vertex too, in a .ply beside each file")(
      "bonds", po::bool_switch(), ".usda: curves between bonded pieces too")(
      "channels", po::value<std::string>(),
      ("for .csv, with commas between: " + fmt::format("{}", fmt::join(files::tableChannels(), ", ")))
          .c_str())("thin", po::value<double>()->value_name("LENGTH"),
                    "for .csv: leave out keys without which no point is off by more (in the setup's unit)")(
      "events", po::value<std::string>()->value_name("WHICH"),
      "instead of motion what happened, as points: all (hits and breaks), hits, breaks, or contacts that a "
      "watch keeps (.csv, .ply, .usda)")("least-impulse", po::value<double>()->default_value(0),
                                         "of hits, N s")(
      "least-speed", po::value<double>()->default_value(0),
      "of hits, or across of contacts, in the setup's unit a second")(
      "gather", po::value<double>()->default_value(0)->value_name("LENGTH"),
      "events so near each other, without a frame between, become one burst");
  const Parsed p =
      parse(arguments, "export CACHE [options]",
            "Hands motion or events on in open formats, in the setup's units.", options, "cache", 1);
  if (p.help) return kDone;
  catchStopSignals();
  ProgressLine line;
  files::ExportOptions o;
  o.path = p.as<std::string>("output");
  if (o.path.empty())
    o.path = std::filesystem::path(p.as<std::string>("cache"))
                 .replace_extension(p.has("events") ? ".events.csv" : ".usda")
                 .string();
  if (!p.has("events")) formFor(o.path, p.has("as") ? p.as<std::string>("as") : "");
  chooseFrames(p, o);
  o.velocities = p.as<bool>("velocities");
  if (p.has("who")) o.who = p.as<std::vector<std::string>>("who");
  o.progress = [&](const std::string& what, double share) { line.tell(what, share); };
  o.stop = stopAsked;
  files::CacheReader cache(p.as<std::string>("cache"));
  files::Shot shot(cache, o);
  if (p.has("events")) return exportEvents(p, shot);
  exportMotion(p, shot);
  return kDone;
}

}  // namespace drubble::cli
