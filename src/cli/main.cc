// SPDX-License-Identifier: Apache-2.0
#include "cli/main.h"

#include <fmt/format.h>

#include <iostream>
#include <set>

#include "cli/command.h"
#include "files/setup/table.h"

namespace drubble::cli {

namespace {

int exitCodeOf(ErrorKind kind) {
  switch (kind) {
    case ErrorKind::Usage:
    case ErrorKind::Input:
      return kBadInput;
    case ErrorKind::Output:
      return kBadInput;
    case ErrorKind::Diverged:
    case ErrorKind::Cancelled:
      return kStopped;
    case ErrorKind::Internal:
      return kFault;
  }
  return kFault;
}

void print(const Problem& p) {
  std::string place;
  if (p.where && !p.where->path.empty()) {
    place = p.where->path;
    if (p.where->line > 0) place += fmt::format(":{}:{}", p.where->line, p.where->column);
    place += ": ";
  }
  std::cerr << "drubble: error: " << place << p.message << "\n";
  if (!p.where || p.where->text.empty()) return;
  std::string line = p.where->text;
  for (char& c : line)
    if (static_cast<unsigned char>(c) < 32 && c != '\t') c = '?';
  std::string blank;
  for (int i = 0; i + 1 < p.where->column && static_cast<std::size_t>(i) < line.size(); ++i)
    blank += line[static_cast<std::size_t>(i)] == '\t' ? '\t' : ' ';
  std::cerr << "    " << line.substr(0, 160) << "\n    " << blank << "^\n";
}

void printHelp() {
  std::cout << "Drubble simulates how rigid things break, pour, pile up and settle, and caches the motion "
               "for shots.\n\n"
               "usage: drubble COMMAND …\n\n";
  for (const Command& c : kCommands) std::cout << fmt::format("  {:<8} {}\n", c.name, c.help);
  std::cout << "\n  drubble COMMAND --help tells a command's options; drubble --version the version.\n"
               "\nExit codes: 0 done; 1 the answer is \"no\"; 2 bad usage or input; 3 stopped early, what is "
               "written is whole;\n"
               "4 an internal fault.\n";
}

int dispatch(const std::vector<std::string>& arguments) {
  if (arguments.empty() || arguments[0] == "--help" || arguments[0] == "-h" || arguments[0] == "help") {
    printHelp();
    return arguments.empty() ? kBadInput : kDone;
  }
  if (arguments[0] == "--version") {
    std::cout << "drubble " DRUBBLE_VERSION "\n";
    return kDone;
  }
  std::set<std::string> names;
  for (const Command& c : kCommands) {
    if (arguments[0] == c.name) return c.run({arguments.begin() + 1, arguments.end()});
    names.insert(c.name);
  }
  const std::string near = files::nearest(arguments[0], names);
  throw Error(ErrorKind::Usage, fmt::format("there is no command '{}'{}; try drubble --help", arguments[0],
                                            near.empty() ? "" : "; did you mean '" + near + "'?"));
}

}  // namespace

int mainWith(std::vector<std::string> arguments) {
  try {
    return dispatch(arguments);
  } catch (const Error& e) {
    for (const Problem& p : e.problems()) print(p);
    return exitCodeOf(e.kind());
  } catch (const std::exception& e) {
    std::cerr << "drubble: internal fault: " << e.what() << "\n";
    return kFault;
  }
}

}  // namespace drubble::cli
