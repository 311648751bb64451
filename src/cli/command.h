// SPDX-License-Identifier: Apache-2.0
// What a command is: a name, a line of help, a function. And what all of them share.
#pragma once
#include <boost/program_options.hpp>
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"

namespace drubble::cli {

namespace po = boost::program_options;

// 0 done; 1 the answer is "no"; 2 bad usage or input; 3 stopped early, what is written is whole; 4 an
// internal fault.
enum ExitCode { kDone = 0, kNo = 1, kBadInput = 2, kStopped = 3, kFault = 4 };

struct Command {
  const char* name;
  const char* help;
  int (*run)(const std::vector<std::string>& arguments);
};

extern const std::vector<Command> kCommands;

int cacheCommand(const std::vector<std::string>& arguments);
int checkCommand(const std::vector<std::string>& arguments);
int cutCommand(const std::vector<std::string>& arguments);
int demoCommand(const std::vector<std::string>& arguments);
int drawCommand(const std::vector<std::string>& arguments);
int editCommand(const std::vector<std::string>& arguments);
int exportCommand(const std::vector<std::string>& arguments);
int reportCommand(const std::vector<std::string>& arguments);
int runCommand(const std::vector<std::string>& arguments);
int settleCommand(const std::vector<std::string>& arguments);

// Parses a command's arguments. Handles --help: prints to stdout and returns nothing. Throws Error(Usage).
// `usage` is the line after "drubble"; `positional` the name of the option that takes the words without a
// dash.
struct Parsed {
  bool help = false;
  po::variables_map values;
  bool has(const char* key) const { return values.count(key) > 0; }
  template <class T>
  T as(const char* key) const {
    return values[key].as<T>();
  }
};
Parsed parse(const std::vector<std::string>& arguments, const std::string& usage, const std::string& about,
             const po::options_description& options, const char* positional, int most);

// "1-48": first and last. Throws Error(Usage).
std::pair<int, int> frameRange(const std::string& text);

// What --frames FIRST-LAST or --frame N say, of commands that have both.
struct FramesAsked {
  std::optional<int> first, last;
};
FramesAsked framesAsked(const Parsed& p);

// As --threads asks; 0: one a core. Throws Error(Usage).
int threadsFor(int asked);

// Set by Ctrl-C or a polite kill; commands stop at the next whole frame.
bool stopAsked();
void catchStopSignals();

}  // namespace drubble::cli
