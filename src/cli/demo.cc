// SPDX-License-Identifier: Apache-2.0
// drubble demo [NAME]
#include <fmt/format.h>

#include <filesystem>
#include <iostream>
#include <set>

#include "cli/command.h"
#include "files/setup/setup.h"
#include "files/setup/start_from.h"
#include "files/setup/table.h"

namespace drubble::cli {

namespace {

namespace fs = std::filesystem;

// Beside the installed program, in the tree it was built from, or in the folder the user stands in.
fs::path demoFolder() {
  std::error_code ignored;
  const fs::path program = fs::read_symlink("/proc/self/exe", ignored).parent_path();
  for (const fs::path& p : {program / "../share/drubble/demo", program / "../../demo", fs::path("demo"),
                            fs::path(DRUBBLE_DEMO_DIR)})
    if (fs::is_directory(p, ignored)) return fs::relative(p, ignored).empty() ? p : fs::relative(p, ignored);
  throw Error(ErrorKind::Input,
              "the demos are not here: run from the folder that holds demo/, or install Drubble");
}

std::set<std::string> demoNames(const fs::path& folder) {
  std::set<std::string> names;
  for (const auto& entry : fs::directory_iterator(folder))
    if (entry.path().extension() == ".toml") names.insert(entry.path().stem().string());
  return names;
}

int step(const char* command, int (*run)(const std::vector<std::string>&),
         const std::vector<std::string>& arguments) {
  std::string line = fmt::format("drubble {}", command);
  for (const std::string& a : arguments) line += " " + a;
  std::cout << "\n$ " << line << std::endl;
  return run(arguments);
}

}  // namespace

int demoCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("name", po::value<std::string>(), "which")(
      "output,o", po::value<std::string>()->default_value("out"), "the folder for cache and pictures")(
      "frames", po::value<std::string>(), "first and last frame instead of the demo's: 1-48");
  const Parsed p = parse(
      arguments, "demo [NAME] [options]",
      "Without a name: lists the demos. With one: checks, runs, reports and draws it, showing each command.",
      options, "name", 1);
  if (p.help) return kDone;
  const fs::path folder = demoFolder();
  const std::set<std::string> names = demoNames(folder);
  if (!p.has("name")) {
    for (const std::string& n : names)
      std::cout << fmt::format("{:<12} {}\n", n, files::readSetup((folder / (n + ".toml")).string()).title);
    return kDone;
  }
  const std::string name = p.as<std::string>("name"), out = p.as<std::string>("output");
  if (!names.contains(name)) {
    const std::string near = files::nearest(name, names);
    throw Error(ErrorKind::Usage, fmt::format("there is no demo '{}'{}; drubble demo lists them", name,
                                              near.empty() ? "" : "; did you mean '" + near + "'?"));
  }
  const std::string setup = (folder / (name + ".toml")).string(), cache = out + "/" + name + ".drub";
  const files::Setup read = files::readSetup(setup);
  if (read.start_from && !fs::exists(files::startCache(read)))
    if (const std::string first = files::settledSetup(read); !first.empty())
      if (const int code = step("settle", settleCommand, {first, "-o", files::startCache(read)});
          code != kDone)
        return code;
  if (const int code = step("check", checkCommand, {setup, "--list"}); code != kDone) return code;
  std::vector<std::string> run{setup, "-o", cache, "--force"};
  if (p.has("frames")) run.insert(run.end(), {"--frames", p.as<std::string>("frames")});
  if (const int code = step("run", runCommand, run); code != kDone) return code;
  if (const int code = step("report", reportCommand, {cache}); code != kDone) return code;
  std::vector<std::string> still{cache, "-o", out + "/" + name + ".png"};
  for (const files::CameraSetup& c : read.cameras)
    if (c.name == "shot") still.insert(still.end(), {"--camera", "shot"});
  if (const int code = step("draw", drawCommand, still); code != kDone) return code;
  return step("draw", drawCommand,
              {cache, "--sheet", "9", "--colour", "speed", "-o", out + "/" + name + "_sheet.png"});
}

}  // namespace drubble::cli
